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
from deft_reach.app.marks import verdict_colour
from deft_reach.app.tempo_grid import draw_tempo_grid
from deft_reach.core.practice.progress_log import Point

#: Half the side of the square a dot is drawn in.
DOT = 6
#: Dots nearer to each other than this (pixels) are one.
PLACE = 2.0
LEFT, RIGHT, TOP, BOTTOM = 46.0, 14.0, 16.0, 22.0


class TempoChart(QWidget):
    """Attempts at the whole figure by day and tempo: filled where clean; home tempo and limit across."""

    def __init__(self) -> None:
        super().__init__()
        self.name, self.home, self.limit = "", 100.0, None  # type: tuple[str, float, float | None]
        self.points: list[Point] = []
        self.committed: list[datetime] = []
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
        best = f"clean up to {max(clean):g} BPM" if clean else "none clean yet"
        dates = ", ".join(f"{at:%d %b}" for at in self.committed)
        since = f" Committed {dates}." if dates else ""
        return f"{self.name}: {len(self.points)} attempts, {best}, home {self.home:g} BPM.{since}"

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

    def y(self, tempo: Any) -> Any:
        """Where a tempo, or an array of them, is drawn."""
        low, high = self._tempi
        return self.height() - BOTTOM - (tempo - low) / (high - low) * (self.height() - TOP - BOTTOM)

    def places(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where each attempt is drawn: x and y."""
        return self._across(self._parts), self.y(np.array([point.tempo for point in self.points]))

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
        y = self.y
        draw_tempo_grid(painter, low, high, y, LEFT, self.width() - RIGHT)
        end = QPointF(self.width() - RIGHT, 0)
        for value, text, colour in ((self.home, "home", c.ink), (self.limit, "breaks at", c.stop)):
            if value is not None and low < value < high:
                painter.setPen(QPen(QColor(colour), 1.5))
                painter.drawLine(QPointF(LEFT, y(value)), QPointF(self.width() - RIGHT, y(value)))
                at = QPointF(end.x(), y(value) - 9)
                label(painter, at, f"{text} {value:.0f} BPM", small, QColor(colour), right, QColor(c.sheet))
        for at in self.committed:
            part = _part(at, self._span())
            if 0 <= part <= 1:
                x = self._across(part)
                painter.setPen(QPen(muted, 1, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, TOP - 6), QPointF(x, self.height() - BOTTOM))
                label(painter, QPointF(x + 3, TOP - 8), "committed", small, muted, left)
        xs, ys = self.places()
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


class CalendarChart(QWidget):
    """Twelve weeks as columns, a square a day, the fuller the more was practised."""

    WEEKS = 12

    def __init__(self) -> None:
        super().__init__()
        self.minutes: dict[date, float] = {}
        self.today = date.today()
        self.setMinimumSize(200, 104)
        self.setAccessibleName("Days that were practised")

    def sizeHint(self) -> QSize:
        return QSize(260, 130)

    def show_days(self, minutes: dict[date, float], today: date) -> None:
        self.minutes, self.today = minutes, today
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The weeks as text."""
        since = self.today - timedelta(days=6)
        week = sum(m for day, m in self.minutes.items() if since <= day <= self.today)
        days = sum(since <= day <= self.today for day in self.minutes)
        return f"The last seven days: {week:.0f} minutes of playing on {days} day{'s' if days != 1 else ''}."

    def box(self, day: date) -> QRectF:
        """Where a day is drawn."""
        begin = self.today - timedelta(days=self.today.weekday() + 7 * (self.WEEKS - 1))
        column, row = divmod((day - begin).days, 7)
        left = self._gutter
        size = min((self.width() - left - 6) / self.WEEKS, (self.height() - 6) / 7)
        return QRectF(left + column * size, 3 + row * size, size - 2, size - 2)

    @property
    def _gutter(self) -> float:
        """Room for the names of days."""
        return 28 * max(1.0, theme.text_scale())

    def day_at(self, at: QPointF) -> date | None:
        return next(
            (day for k in range(7 * self.WEEKS) if self.box(day := self.today - timedelta(days=k)).contains(at)), None
        )

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            day = self.day_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            words = "" if day is None else f"{day:%A %d %B}: {self.minutes.get(day, 0.0):.0f} min"
            QToolTip.showText(event.globalPos(), words, self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        small, muted = theme.lettering(8.5), QColor(c.muted)
        for row, name in ((0, "Mon"), (3, "Thu"), (6, "Sun")):
            day = self.today - timedelta(days=self.today.weekday() - row)
            label(
                painter,
                QPointF(self._gutter - 4, self.box(day).center().y()),
                name,
                small,
                muted,
                Qt.AlignmentFlag.AlignRight,
            )
        for k in range(7 * self.WEEKS):
            day = self.today - timedelta(days=k)
            box = self.box(day)
            if box.left() < self._gutter - 1:
                continue
            minutes = self.minutes.get(day, 0.0)
            painter.setPen(QPen(QColor(c.ink if day == self.today else c.line), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
            if minutes > 0:
                # From below up: an hour fills it.
                high = max(2.0, min(1.0, minutes / 60) * box.height())
                painter.fillRect(QRectF(box.left() + 1, box.bottom() - high, box.width() - 1, high), QColor(c.right))
        painter.end()
