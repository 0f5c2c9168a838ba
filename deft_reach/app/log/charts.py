"""Pictures of the log: tempo over weeks with target and limit, the days that were practised, minutes by limb."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.marks import verdict_colour
from deft_reach.app.widgets.tempo_grid import draw_tempo_grid
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.progress_log import Point

#: Half the side of the square a dot is drawn in.
DOT = 6
#: Dots nearer to each other than this (pixels) are one.
PLACE = 2.0
LEFT, RIGHT, TOP, BOTTOM = 46.0, 14.0, 16.0, 22.0


#: Whose minutes are drawn: limbs that are one side, and what it is called.
SIDES = {"R": "right hand", "L": "left hand", "K": "bass-drum foot", "JH": "other foot"}


class TempoChart(QWidget):
    """Attempts at the whole figure by day and tempo: filled where clean; home tempo and limit across."""

    def __init__(self) -> None:
        super().__init__()
        self.name, self.home, self.limit = "", 100.0, None  # type: tuple[str, float, float | None]
        self.points: list[Point] = []
        self.committed: list[datetime] = []
        #: Where the names of the lines across were drawn last.
        self.labels: list[QRectF] = []
        self._tempi = self._range()
        self._parts = self._in_time()
        self.setMinimumSize(260, 120)
        self.setAccessibleName("Tempo over time")

    def sizeHint(self) -> QSize:
        return QSize(600, 220)

    def show_plan(
        self, name: str, home: float, limit: float | None, points: list[Point], committed: Sequence[datetime] = ()
    ) -> None:
        """``committed`` is when the plan was committed: what was played before and after may not be the same."""
        self.name, self.home, self.limit, self.points = name, home, limit, points
        self.committed = list(committed)
        self._tempi = self._range()
        self._parts = self._in_time()
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The picture as text."""
        if not self.points:
            return f"{self.name}: no attempt at the whole figure yet."
        clean = [p.tempo for p in self.points if p.verdict == "clean"]
        best = f"clean up to {bpm(max(clean))}" if clean else "none clean yet"
        dates = ", ".join(f"{at:%d %b}" for at in self.committed)
        since = f" Committed {dates}." if dates else ""
        return f"{self.name}: {len(self.points)} attempts, {best}, home {bpm(self.home)}.{since}"

    def _span(self) -> tuple[datetime, datetime]:
        first, last = self.points[0].at, self.points[-1].at
        half = timedelta(hours=12)
        return (first, last) if last - first > half else (first - half, last + half)

    def _in_time(self) -> NDArray[np.float64]:
        """How far along each point is, from 0 to 1."""
        if not self.points:
            return np.zeros(0)
        span = self._span()
        return np.array([_part(point.at, span) for point in self.points])

    def _across(self, part: Any) -> Any:
        return LEFT + 8 + part * (self.width() - LEFT - RIGHT - 16)

    def y_at(self, tempo: Any) -> Any:
        """Where a tempo, or an array of them, is drawn."""
        low, high = self._tempi
        return self.height() - BOTTOM - (tempo - low) / (high - low) * (self.height() - TOP - BOTTOM)

    def places(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where each attempt is drawn: x and y."""
        return self._across(self._parts), self.y_at(np.array([point.tempo for point in self.points]))

    def _range(self) -> tuple[float, float]:
        tempi = [p.tempo for p in self.points] + [self.home]
        if self.limit is not None and self.limit < 1.5 * max(tempi):
            tempi.append(self.limit)
        return min(tempi) - 6, max(tempi) + 6

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        if not self.points:
            painter.setPen(QColor(c.muted))
            painter.setFont(theme.ui_font(11))
            words = "Attempts at the whole figure appear here as they are made in Climb."
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(QRectF(self.rect()).adjusted(16, 8, -16, -8), flags, words)
        else:
            self._draw(painter, c)
        painter.end()

    def _draw(self, painter: QPainter, c: theme.Colours) -> None:
        small, muted = theme.lettering(9), QColor(c.muted)
        low, high = self._tempi
        right, left = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignLeft
        y = self.y_at
        draw_tempo_grid(painter, low, high, y, LEFT, self.width() - RIGHT)
        end = QPointF(self.width() - RIGHT, 0)
        xs, ys = self.places()
        self.labels = []
        for value, text, colour in ((self.home, "home", c.ink), (self.limit, "breaks at", c.stop)):
            if value is not None and low < value < high:
                painter.setPen(QPen(QColor(colour), 1.5))
                painter.drawLine(QPointF(LEFT, y(value)), QPointF(self.width() - RIGHT, y(value)))
                words = f"{text} {value:.0f} BPM"
                at = self._free_place(text_size(words, small), y(value), xs, ys)
                self.labels.append(label(painter, at, words, small, QColor(colour), right, QColor(c.sheet)))
        for when in self.committed:
            part = _part(when, self._span())
            if 0 <= part <= 1:
                x = self._across(part)
                painter.setPen(QPen(muted, 1, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, TOP - 6), QPointF(x, self.height() - BOTTOM))
                label(painter, QPointF(x + 3, TOP - 8), "committed", small, muted, left)
        # The tempi that were the best so far.
        tempi = np.array([point.tempo if point.verdict == "clean" else 0.0 for point in self.points])
        best = np.maximum.accumulate(tempi)
        steps = np.flatnonzero(np.diff(best, prepend=0.0) > 0)
        painter.setPen(QPen(QColor(c.good), 1.6))
        painter.drawPolyline([QPointF(xs[k], ys[k]) for k in steps])
        # Long logs have more attempts than there are places to draw them: of those on one place the last is seen.
        _, seen = np.unique((xs[::-1] // PLACE) * 1e5 + ys[::-1] // PLACE, return_index=True)
        dots = {verdict: self._dot(verdict, c) for verdict in {point.verdict for point in self.points}}
        lefts, tops = (xs - DOT).tolist(), (ys - DOT).tolist()
        for k in (len(xs) - 1 - seen).tolist():
            painter.drawPixmap(QPointF(lefts[k], tops[k]), dots[self.points[k].verdict])
        first, last = self._span()
        low_y = self.height() - 10
        label(painter, QPointF(LEFT + 4, low_y), f"{first:%d %b}", small, muted, left)
        if last.date() != first.date():
            label(painter, QPointF(end.x(), low_y), f"{last:%d %b}", small, muted, right)

    def _free_place(
        self, size: tuple[float, float], line: float, xs: NDArray[np.float64], ys: NDArray[np.float64]
    ) -> QPointF:
        """Where the right end of a line's label goes: as far right as no dot and no other label lies under it."""
        width, height = size
        usual = QPointF(self.width() - RIGHT, line - 9)
        for x in np.arange(usual.x(), LEFT + width, -10.0).tolist():
            for y in (line - 9, line + 9):
                rect = QRectF(x - width - 2, y - height / 2, width + 4, height)
                near = (np.abs(xs - rect.center().x()) < rect.width() / 2 + DOT) & (np.abs(ys - y) < height / 2 + DOT)
                if not near.any() and not any(rect.intersects(other) for other in self.labels):
                    return QPointF(x, y)
        return usual

    def _dot(self, verdict: str, c: theme.Colours) -> QPixmap:
        """Filled, half and empty: told apart without their colour too."""
        sharp = self.devicePixelRatioF()
        dot = QPixmap(round(2 * DOT * sharp), round(2 * DOT * sharp))
        dot.setDevicePixelRatio(sharp)
        dot.fill(Qt.GlobalColor.transparent)
        painter = QPainter(dot)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = verdict_colour(verdict)
        painter.setPen(QPen(colour, 1.6))
        painter.setBrush(colour if verdict == "clean" else QColor(c.sheet))
        painter.drawEllipse(QPointF(DOT, DOT), 4.2, 4.2)
        if verdict == "rough":
            painter.setBrush(colour)
            painter.drawPie(QRectF(DOT - 4.2, DOT - 4.2, 8.4, 8.4), 90 * 16, 180 * 16)
        painter.end()
        return dot


def _part(at: datetime, span: tuple[datetime, datetime]) -> float:
    """How far along a span of time this is, from 0 to 1 within it."""
    return (at - span[0]) / (span[1] - span[0])


class PracticeChart(QWidget):
    """Six weeks along a line: above it the hands' minutes of each day, below it the feet's, each on its own side."""

    DAYS = 42

    def __init__(self) -> None:
        super().__init__()
        self.minutes: dict[date, float] = {}
        self.limbs: dict[date, dict[str, float]] = {}
        self.today = date.today()
        self.setMinimumSize(200, 104)
        self.setAccessibleName("Days that were practised")

    def sizeHint(self) -> QSize:
        return QSize(260, 130)

    def show_days(self, minutes: dict[date, float], limbs: dict[date, dict[str, float]], today: date) -> None:
        """``minutes`` of playing by day, and ``limbs`` for how many of them each limb was busy."""
        self.minutes, self.limbs, self.today = minutes, limbs, today
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The last week as text."""
        since = self.today - timedelta(days=6)
        week = sum(m for day, m in self.minutes.items() if since <= day <= self.today)
        days = sum(since <= day <= self.today for day in self.minutes)
        played = counted(round(week), "minute")
        return f"The last seven days: {played} of playing on {counted(days, 'day')}."

    def day_in_words(self, day: date) -> str:
        """One day as text."""
        words = f"{day:%A %d %B}: {self.minutes.get(day, 0.0):.0f} min"
        busy = [f"{name} {self._of(day, side):.0f}" for side, name in SIDES.items() if self._of(day, side) >= 0.5]
        return f"{words}; {', '.join(busy)}" if busy else words

    def _of(self, day: date, side: str) -> float:
        """Minutes for which a hand or a foot was busy; both pedals of the left foot are one foot."""
        busy = self.limbs.get(day, {})
        return sum(busy.get(limb, 0.0) for limb in side)

    @property
    def _scale(self) -> float:
        """Minutes at the end of the scale, above and below: the longest day of any limb, rounded up."""
        days = [self.today - timedelta(days=k) for k in range(self.DAYS)]
        longest = max((self._of(day, side) for day in days for side in SIDES), default=0.0)
        return next((step for step in (4, 6, 8, 10, 15, 20, 30, 40, 60, 90, 120, 240) if longest <= step), 480)

    @property
    def _gutter(self) -> float:
        """Room for the minutes and for what is above and below."""
        return 40 * max(1.0, theme.text_scale())

    @property
    def _line(self) -> float:
        """Where the line is: the hands have a little more room."""
        return 0.54 * (self.height() - 16)

    def column(self, day: date) -> QRectF:
        """Where a day is drawn, from top to bottom."""
        wide = (self.width() - self._gutter - 8) / self.DAYS
        k = self.DAYS - 1 - (self.today - day).days
        return QRectF(self._gutter + k * wide, 2, wide, self.height() - 18)

    def day_at(self, at: QPointF) -> date | None:
        return next(
            (day for k in range(self.DAYS) if self.column(day := self.today - timedelta(days=k)).contains(at)), None
        )

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            day = self.day_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            words = "" if day is None else self.day_in_words(day)
            QToolTip.showText(event.globalPos(), words, self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        small, muted = theme.lettering(8.5), QColor(c.muted)
        line, scale, right_end = self._line, self._scale, self.width() - 8.0
        up, down = line - 6, self.height() - 18 - line
        to_right = Qt.AlignmentFlag.AlignRight
        for share in (0.5, 1.0):
            for y, words in ((line - up * share, f"{scale * share:g} min"), (line + down * share, "")):
                painter.setPen(QPen(QColor(c.grid), 1))
                painter.drawLine(QPointF(self._gutter, y), QPointF(right_end, y))
                if words:
                    label(painter, QPointF(self._gutter - 4, y), words, small, muted, to_right)
        label(painter, QPointF(self._gutter - 4, line + down * 0.5), "feet", small, muted, to_right)
        for k in range(self.DAYS):
            day = self.today - timedelta(days=k)
            box = self.column(day)
            half = box.width() / 2
            for side, (place, way, colour) in {
                "L": (0, -1, c.left), "R": (1, -1, c.right), "JH": (0, 1, c.muted), "K": (1, 1, c.ink),
            }.items():  # fmt: skip
                high = min(1.0, self._of(day, side) / scale) * (up if way < 0 else down)
                if high > 0:
                    top = line - high if way < 0 else line
                    left = box.left() + place * half + 0.5
                    painter.fillRect(QRectF(left, top, half - 1, max(1.5, high)), QColor(colour))
            if day.weekday() == 0:
                painter.setPen(QPen(QColor(c.line), 1))
                painter.drawLine(QPointF(box.left(), line - 3), QPointF(box.left(), line + 3))
            if day.weekday() == 0 and (k // 7) % 2 == 0 and box.left() < right_end - 40 * theme.text_scale():
                at = QPointF(box.left(), self.height() - 7)
                label(painter, at, f"{day:%d %b}", small, muted, Qt.AlignmentFlag.AlignLeft)
        painter.setPen(QPen(QColor(c.ink), 1.2))
        painter.drawLine(QPointF(self._gutter, line), QPointF(right_end, line))
        today = self.column(self.today)
        painter.drawLine(QPointF(today.right(), line - 7), QPointF(today.right(), line + 7))
        painter.end()
