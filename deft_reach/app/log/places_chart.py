"""A take place by place: how late each stroke of the figure comes, how unsteady it is, and what was left out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.canvas.explain import name_of, place_of
from deft_reach.app.text.words import offset_words
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.take_report import LEFT_OUT, STOP, STUMBLE, TOO_SOON, TWICE, PlaceTake, Slip, Take

LEFT, RIGHT, TOP, BOTTOM = 74.0, 12.0, 8.0, 20.0
#: The scale goes at least so far beyond the tolerance, and no further than this (ms): what is later lies on its edge.
ROOM, FURTHEST_MS = 1.7, 120.0
#: A mark is hit within so many pixels.
NEAR_PX: Final = 11.0


class Place(NamedTuple):
    """One stroke of the figure: when it is due (whole notes), its limb, what it is in words, how it was played."""

    start: float
    limb: str
    words: str
    played: PlaceTake


class PlacesChart(QWidget):
    """Milliseconds late (up) or early (down) over the figure; clicking a mark says which stroke was ``chosen``."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.places: list[Place] = []
        self.bars: list[tuple[float, int]] = []
        #: Where the figure was left, as a place in it (whole notes).
        self.gaps: list[tuple[float, Slip]] = []
        self.length, self.tolerance, self.rounds = 1.0, 20.0, 1
        self.setMinimumSize(220, 96)
        self.setMouseTracking(True)
        self.setAccessibleName("The take place by place")

    def sizeHint(self) -> QSize:
        return QSize(420, 150)

    def show_take(self, pattern: Pattern, kit: Kit, take: Take) -> None:
        """Draw a take of this pattern."""
        self.length, self.tolerance, self.rounds = float(pattern.length), take.tolerance_ms, take.rounds
        self.bars = [(float(bar.start), bar.number) for bar in pattern.bar_rows]
        self.places = []
        for row in take.places:
            s = pattern.strokes[row.stroke]
            words = f"{place_of(pattern, s)}: {name_of(kit, s)}"
            self.places.append(Place(float(s.start), s.limb, words, row))
        self.gaps = [(float(pattern.strokes[slip.stroke].start), slip) for slip in take.slips]
        self.setAccessibleDescription(self.in_words())
        self.update()

    # --- in words ---------------------------------------------------------------------------------------------

    def how(self, row: Place) -> str:
        """How one stroke was played."""
        played = row.played
        parts = []
        if played.offset_ms is not None:
            parts.append(offset_words(played.offset_ms))
            parts.append(f"spread {played.spread_ms:.0f} ms")
        if played.missed:
            parts.append(f"missed {played.missed} of {counted(self.rounds, 'time')}")
        return f"{row.words}, {', '.join(parts)}"

    def in_words(self) -> str:
        """The picture as text: what is furthest off, and what was missed."""
        if not self.places:
            return ""
        off = [row for row in self.places if abs(row.played.offset_ms or 0.0) > self.tolerance]
        missed = [row for row in self.places if row.played.missed]
        worst = sorted(off, key=lambda row: -abs(row.played.offset_ms or 0.0))[:3]
        rows = [*worst, *(row for row in missed if row not in worst)][:6]
        slips = [f"{self.gap_words([slip])}." for _, slip in self.gaps]
        said = f"{len(off)} of {counted(len(self.places), 'stroke')} beyond {self.tolerance:.0f} ms."
        return " ".join([*slips, said, *(f"{self.how(row)}." for row in rows)])

    # --- where things are -------------------------------------------------------------------------------------

    @property
    def most(self) -> float:
        """The end of the scale (ms)."""
        furthest = max((abs(row.played.offset_ms or 0.0) + 4 for row in self.places), default=0.0)
        return min(FURTHEST_MS, max(self.tolerance * ROOM, furthest))

    def x_at(self, start: float) -> float:
        return LEFT + 10 + start / self.length * (self.width() - LEFT - RIGHT - 20)

    def y_at(self, ms: float) -> float:
        part = max(-1.0, min(1.0, ms / self.most))
        return TOP + (1 - part) / 2 * (self.height() - TOP - BOTTOM)

    def point(self, row: Place) -> QPointF:
        """Where a stroke's mark is; one that never sounded is on the line."""
        return QPointF(self.x_at(row.start), self.y_at(row.played.offset_ms or 0.0))

    def place_at(self, at: QPointF) -> Place | None:
        """The stroke whose mark is under a point."""
        near = [(QPointF(self.point(row) - at).manhattanLength(), k) for k, row in enumerate(self.places)]
        distance, k = min(near, default=(NEAR_PX + 1, 0))
        return self.places[k] if distance <= NEAR_PX else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self.place_at(event.position())
        if row is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(row.played.stroke)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            row = self.place_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), plain_tip(self.how(row) if row is not None else ""), self)
            return True
        return super().event(event)

    # --- drawing ----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        if self.places:
            self._draw_scale(painter, c)
            for row in self.places:
                self._draw_place(painter, c, row)
            for start in dict.fromkeys(start for start, _ in self.gaps):
                self._draw_gap(painter, c, start)
        painter.end()

    def _draw_scale(self, painter: QPainter, c: theme.Colours) -> None:
        small, muted = theme.lettering(9), QColor(c.muted)
        right = self.width() - RIGHT
        band = QColor(c.good)
        band.setAlpha(28)
        top, bottom = self.y_at(self.tolerance), self.y_at(-self.tolerance)
        painter.fillRect(QRectF(LEFT, top, right - LEFT, bottom - top), band)
        painter.setPen(QPen(QColor(c.grid), 1))
        for start, _ in self.bars[1:]:
            painter.drawLine(QPointF(self.x_at(start), TOP), QPointF(self.x_at(start), self.height() - BOTTOM))
        painter.setPen(QPen(QColor(c.ink), 1))
        painter.drawLine(QPointF(LEFT, self.y_at(0)), QPointF(right, self.y_at(0)))
        edge = f"{self.tolerance:.0f} ms"
        for ms, words in ((self.tolerance, f"{edge} late"), (0.0, "on it"), (-self.tolerance, f"{edge} early")):
            label(painter, QPointF(LEFT - 6, self.y_at(ms)), words, small, muted, Qt.AlignmentFlag.AlignRight)
        for start, number in self.bars:
            at = QPointF(self.x_at(start), self.height() - BOTTOM / 2)
            label(painter, at, f"bar {number}" if number else "pickup", small, muted, Qt.AlignmentFlag.AlignLeft)

    def _draw_gap(self, painter: QPainter, c: theme.Colours, start: float) -> None:
        """Where the figure was left: a gap in the line, and what it was."""
        slips = [slip for place, slip in self.gaps if place == start]
        x, colour = self.x_at(start) - 13, QColor(c.stop)
        painter.fillRect(QRectF(x - 4, TOP, 8, self.height() - TOP - BOTTOM), QColor(c.sheet))
        painter.setPen(QPen(colour, 1.6))
        for side in (x - 4, x + 4):
            painter.drawLine(QPointF(side, TOP + 10), QPointF(side, self.height() - BOTTOM))
        at = QPointF(min(x, self.width() - RIGHT - 110), TOP + 2)
        label(painter, at, self.gap_words(slips), theme.lettering(9), colour, Qt.AlignmentFlag.AlignLeft)

    @staticmethod
    def gap_words(slips: Sequence[Slip]) -> str:
        """What happened at one place, and in which rounds."""
        names = {LEFT_OUT: "left out", TWICE: "twice", STOP: "stop", TOO_SOON: "too soon", STUMBLE: "stumble"}
        rounds = ", ".join(str(slip.round) for slip in slips)
        return f"{names[slips[0].kind]} · round{'s' if len(slips) > 1 else ''} {rounds}"

    def _draw_place(self, painter: QPainter, c: theme.Colours, row: Place) -> None:
        at = self.point(row)
        colour = c.hand(row.limb)
        if row.played.offset_ms is None:
            # It never sounded.
            painter.setPen(QPen(QColor(c.stop), 2))
            for way in (-1, 1):
                painter.drawLine(at + QPointF(-4, -4 * way), at + QPointF(4, 4 * way))
            return
        spread = row.played.spread_ms
        painter.setPen(QPen(colour, 1))
        ms = row.played.offset_ms
        painter.drawLine(QPointF(at.x(), self.y_at(ms - spread)), QPointF(at.x(), self.y_at(ms + spread)))
        painter.setPen(QPen(QColor(c.sheet), 1))
        painter.setBrush(colour)
        painter.drawPath(theme.mark_path(row.limb, at, 4.5))
        if row.played.missed:
            painter.setPen(QPen(QColor(c.stop), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 8, 8)
