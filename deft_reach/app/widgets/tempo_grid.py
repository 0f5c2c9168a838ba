"""The lines of a picture over tempi: as many as can be read, with their BPM on the left."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from deft_reach.app import theme
from deft_reach.app.canvas.base import label

#: Lines nearer to each other than this (px) cannot be read.
APART = 19.0


def draw_tempo_grid(
    painter: QPainter, low: float, high: float, y: Callable[[float], float], left: float, right: float
) -> None:
    """Draw a line at every round tempo between ``low`` and ``high``, from ``left`` to ``right``."""
    c = theme.colours()
    rows = max(2.0, abs(y(low) - y(high)) / APART)
    step = next((s for s in (5, 10, 20, 50, 100) if (high - low) / s <= rows), 200)
    tempo = (int(low) // step + 1) * step
    while tempo < high:
        painter.setPen(QPen(QColor(c.grid), 1))
        painter.drawLine(QPointF(left, y(tempo)), QPointF(right, y(tempo)))
        at = QPointF(left - 5, y(tempo))
        label(painter, at, f"{tempo:g}", theme.lettering(9), QColor(c.muted), Qt.AlignmentFlag.AlignRight)
        tempo += step
