"""One hand's way through time, as a line to be drawn."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import (
    QPainterPath,
)

from deft_reach.core.motion.pose import Floats


def mark_size(marks: str) -> float:
    """How large a stroke's mark is (px): accents and ghosts by size."""
    return 6.6 if ">" in marks else 3.4 if "." in marks else 4.8


#: How far before its stroke a grace is drawn (px).
GRACE_PX = 5.0


class Thread:
    """One hand's way through time: where each stroke is (px), and the thread's height at any x."""

    def __init__(self) -> None:
        self.xs: list[float] = []
        self.ys: list[float] = []
        self.strokes: list[int] = []
        self.paces: list[float | None] = []
        #: Which of them are graces, played before the other hand's stroke.
        self.graces: list[bool] = []

    def add(self, x: float, y: float, stroke: int, pace: float | None, grace: bool = False) -> None:
        self.xs.append(x)
        self.ys.append(y)
        self.strokes.append(stroke)
        self.paces.append(pace)
        self.graces.append(grace)

    def heights(self, x: Floats) -> Floats:
        """Height at each x: between strokes the hand leaves and arrives gently."""
        xs, ys = np.array(self.xs), np.array(self.ys)
        k = np.clip(np.searchsorted(xs, x, side="right"), 1, max(len(xs) - 1, 1))
        if len(xs) == 1:
            return np.full(len(x), ys[0])
        wide = np.maximum(xs[k] - xs[k - 1], 1e-9)
        u = np.clip((x - xs[k - 1]) / wide, 0.0, 1.0)
        return np.asarray(ys[k - 1] + (ys[k] - ys[k - 1]) * u * u * (3 - 2 * u))

    def move(self, path: QPainterPath, k: int) -> None:
        """Add the move into stroke k to a path: the same curve as ``heights``, as one cubic."""
        x0, y0, x1, y1 = self.xs[k - 1], self.ys[k - 1], self.xs[k], self.ys[k]
        third = (x1 - x0) / 3
        path.cubicTo(QPointF(x0 + third, y0), QPointF(x1 - third, y1), QPointF(x1, y1))

    def path(self, start: float, end: float) -> QPainterPath:
        """The thread from one x to another, level before its first and after its last stroke."""
        x = np.linspace(start, end, max(2, int((end - start) / 5)))
        y = self.heights(x)
        path = QPainterPath(QPointF(start, float(y[0])))
        for px, py in zip(x[1:].tolist(), y[1:].tolist()):
            path.lineTo(px, py)
        return path
