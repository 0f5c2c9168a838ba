"""The minutes of a day from left to right: what is played already, then each item as long as it takes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.core.practice.day import BREAK, CHUNK, DUE, KINDS, RUNGS, SONG, TAKE, TEST, Item, Today

LEFT, RIGHT = 26.0, 20.0
#: Room for the minutes under the line of time, for a row of names over it, and the most that stands on it (px).
BELOW, NAMES, HIGH = 28.0, 18.0, 54.0


class DayStrip(QWidget):
    """``picked`` has the number of the item that was clicked."""

    picked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.day: Today | None = None
        self.chosen = 0
        self.setAccessibleName("The minutes of today")
        self.setMinimumSize(260, 96)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(700, 130)

    def show_day(self, day: Today | None, chosen: int) -> None:
        """Show a day with one of its items chosen."""
        self.day, self.chosen = day, chosen
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The picture as text."""
        if self.day is None or not self.day.items:
            return "Nothing is planned."
        parts = [
            f"{KINDS[item.what]} {item.name}, {item.minutes:.0f} min".replace(" ,", ",") for item in self.day.items
        ]
        return "; ".join(parts)

    @property
    def length(self) -> float:
        """How many minutes the picture is wide."""
        return 1.0 if self.day is None else max(1.0, self.day.played + self.day.minutes, self.day.asked)

    @property
    def line(self) -> float:
        """How far down the line of time is."""
        return self.height() - BELOW

    @property
    def high(self) -> float:
        """How high the highest bar is: over it there are two rows of names."""
        return max(12.0, min(HIGH, self.line - 2 * NAMES - 8))

    def x_at(self, minutes: float) -> float:
        return LEFT + minutes / self.length * (self.width() - LEFT - RIGHT)

    def boxes(self) -> list[QRectF]:
        """Where each item stands."""
        found, at = [], 0.0 if self.day is None else self.day.played
        for item in self.day.items if self.day is not None else ():
            left, right = self.x_at(at), self.x_at(at + item.minutes)
            found.append(QRectF(left, self.line - self.high, right - left, self.high))
            at += item.minutes
        return found

    def item_at(self, at: QPointF) -> int | None:
        """The number of the item at a place, None where there is none."""
        return next((k for k, box in enumerate(self.boxes()) if box.left() <= at.x() < box.right()), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self.item_at(event.position())
        if number is not None:
            self.picked.emit(number)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and self.day is not None:
            number = self.item_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            if number is not None:
                QToolTip.showText(event.globalPos(), plain_tip(item_words(self.day.items[number])), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = sheet_painter(self)
        c, line = theme.colours(), self.line
        ink, muted = QColor(c.ink), QColor(c.muted)
        if self.day is None or not self.day.minutes + self.day.played:
            middle = QPointF(self.rect().center())
            label(painter, middle, "Nothing to fill the minutes with yet.", theme.ui_font(10.5), muted)
            return
        step = next(s for s in (5, 10, 15, 20, 30, 60) if self.length / s <= 12 or s == 60)
        painter.setFont(theme.lettering(9.5))
        for minute in range(0, int(self.length) + 1, step):
            x = self.x_at(minute)
            painter.setPen(QPen(muted, 1))
            painter.drawLine(QPointF(x, line), QPointF(x, line + 5))
            painter.setPen(QPen(ink))
            unit = " min" if minute == 0 else ""
            painter.drawText(QRectF(x - 30, line + 6, 60, 18), Qt.AlignmentFlag.AlignHCenter, f"{minute}{unit}")
        played = self.x_at(self.day.played)
        painter.setPen(QPen(ink, 1.4))
        painter.drawLine(QPointF(LEFT, line), QPointF(self.width() - RIGHT, line))
        if self.day.played >= 1:
            painter.setPen(QPen(ink, 5, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(LEFT, line), QPointF(played, line))
            painter.setFont(theme.ui_font(9.5))
            painter.drawText(QPointF(LEFT, line - 6), "played")
        boxes = self.boxes()
        for number, (item, box) in enumerate(zip(self.day.items, boxes)):
            self._draw(painter, item, box, number == self.chosen)
        self._name(painter, self.day.items, boxes)

    def _draw(self, painter: QPainter, item: Item, box: QRectF, chosen: bool) -> None:
        """An item as a bar as high as it is demanding; a break is a gap."""
        c, line = theme.colours(), self.line
        if item.what == BREAK:
            painter.setPen(QPen(QColor(c.sheet), 5))
            painter.drawLine(QPointF(box.left() + 2, line), QPointF(box.right() - 2, line))
            return
        share = {DUE: 0.5, SONG: 0.7, CHUNK: 1.0, RUNGS: 0.85, TAKE: 0.7, TEST: 0.7}.get(item.what, 0.35)
        high = box.height() * share
        bar = QRectF(box.left() + 1, line - high, max(2.0, box.width() - 2), high)
        colour = QColor({CHUNK: c.right, RUNGS: c.right, TAKE: c.left, TEST: c.left}.get(item.what, c.muted))
        tint = QColor(colour)
        tint.setAlpha(90 if chosen else 45)
        painter.fillRect(bar, tint)
        painter.setPen(QPen(colour, 2.6 if chosen else 1.6))
        painter.drawLine(bar.topLeft(), bar.topRight())

    def _name(self, painter: QPainter, items: Sequence[Item], boxes: Sequence[QRectF]) -> None:
        """What each item is, in two rows by turns, so that a short one has room for its word too."""
        painter.setFont(theme.ui_font(9.5))
        letters = painter.fontMetrics()
        free = [LEFT, LEFT]
        for item, box in zip(items, boxes):
            text = KINDS[item.what]
            wide = letters.horizontalAdvance(text)
            row = next((k for k in (1, 0) if box.left() >= free[k] - 0.5), None)
            if row is None:
                continue
            left = min(box.left() + 1, self.width() - RIGHT - wide)
            free[row] = left + wide + 10
            base = self.line - self.high - 6 - NAMES * (1 - row)
            if row == 0:
                # It stands higher: a line leads down to what it names, where no other word is.
                painter.setPen(QPen(QColor(theme.colours().muted), 0.8))
                painter.drawLine(
                    QPointF(box.left() + 1, self.line - self.high - 2), QPointF(box.left() + 1, self.line)
                )
            painter.setPen(QPen(QColor(theme.colours().ink)))
            painter.drawText(QPointF(left, base), text)


def item_words(item: Item) -> str:
    """An item in a sentence."""
    tempo = "" if item.tempo is None else f" at {bpm(item.tempo)}"
    what = f"{item.name}{tempo}" if item.name else ""
    minutes = f", {item.minutes:.0f} min" if item.minutes else ""
    return f"{KINDS[item.what]}{': ' if what else ''}{what}{minutes}. {item.why[:1].upper()}{item.why[1:]}."
