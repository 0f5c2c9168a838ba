"""Hand tests over weeks: a line for each limb, the faster the higher."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Final, NamedTuple

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.canvas.sprites import text_size
from deft_reach.core.model.counting import counted

TOP, BOTTOM = 14.0, 22.0
#: What is drawn: the constant, and what it is called here.
LINES: Final = (("right", "right hand"), ("left", "left hand"), ("kick", "bass-drum foot"))


class Test(NamedTuple):
    """One hand test: when, and the constants in seconds."""

    at: datetime
    constants: dict[str, float]


class HandChart(QWidget):
    """Milliseconds from stroke to stroke by day."""

    def __init__(self) -> None:
        super().__init__()
        self.tests: list[Test] = []
        self.setMinimumSize(220, 90)
        self.setAccessibleName("Hand tests over time")

    def sizeHint(self) -> QSize:
        return QSize(420, 130)

    def show_tests(self, tests: Sequence[Test]) -> None:
        self.tests = list(tests)
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The picture as text."""
        if not self.tests:
            return "No hand test yet."
        words = []
        for name, said in LINES:
            row = [test.constants[name] for test in self.tests if name in test.constants]
            if row:
                change = f", {(row[0] - row[-1]) / row[0] * 100:+.0f} % faster" if len(row) > 1 else ""
                words.append(f"{said} {row[-1] * 1000:.0f} ms{change}")
        return f"{counted(len(self.tests), 'hand test')}: {'; '.join(words)}."

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        values = [test.constants[name] * 1000 for test in self.tests for name, _ in LINES if name in test.constants]
        if values:
            self._draw(painter, c, min(values) - 8, max(values) + 8)
        else:
            painter.setPen(QColor(c.muted))
            painter.setFont(theme.ui_font(10))
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            words = "Repeat the test every few weeks: each one becomes a point here."
            painter.drawText(QRectF(self.rect()).adjusted(16, 4, -16, -4), flags, words)
        painter.end()

    def _draw(self, painter: QPainter, c: theme.Colours, low: float, high: float) -> None:
        small, muted = theme.lettering(9), QColor(c.muted)
        line = text_size("0", small)[1]
        left = text_size("888 ms", small)[0] + 14
        right = max(text_size(said, small)[0] for _, said in LINES) + 14
        wide, tall = self.width() - left - right, self.height() - TOP - BOTTOM
        first, last = self.tests[0].at, self.tests[-1].at
        span = max((last - first).total_seconds(), 1.0)

        def place(at: datetime, value: float) -> QPointF:
            part = (at - first).total_seconds() / span if last > first else 0.5
            return QPointF(left + 6 + part * (wide - 12), TOP + (value - low) / (high - low) * tall)

        # So far apart that the numbers stand clear of each other.
        step = next((ms for ms in (10, 20, 50) if ms / (high - low) * tall >= line), 100)
        for value in range(int(low // step + 1) * step, int(high) + 1, step):
            y = place(first, value).y()
            painter.setPen(QPen(QColor(c.grid), 1))
            painter.drawLine(QPointF(left, y), QPointF(left + wide, y))
            label(painter, QPointF(left - 6, y), f"{value} ms", small, muted, Qt.AlignmentFlag.AlignRight)
        ends: list[float] = []
        for (name, said), colour in zip(LINES, (c.right, c.left, c.ink)):
            points = [place(test.at, test.constants[name] * 1000) for test in self.tests if name in test.constants]
            if not points:
                continue
            painter.setPen(QPen(QColor(colour), 1.8))
            painter.drawPolyline(points)
            painter.setBrush(QColor(colour))
            for point in points:
                painter.drawEllipse(point, 3, 3)
            y = points[-1].y()
            while any(abs(y - other) < line for other in ends):
                y += line
            ends.append(y)
            label(painter, QPointF(left + wide + 6, y), said, small, QColor(colour), Qt.AlignmentFlag.AlignLeft)
        y = self.height() - 9
        label(painter, QPointF(left, y), f"{first:%d %b}", small, muted, Qt.AlignmentFlag.AlignLeft)
        if last.date() != first.date():
            label(painter, QPointF(left + wide, y), f"{last:%d %b}", small, muted, Qt.AlignmentFlag.AlignRight)
