"""Dynamics at a glance: how loud each stroke is meant, over the shared time axis."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.app.styled import set_scaled
from deft_reach.core.motion.timing import ACCENT_LEVEL, GHOST_LEVEL, level_of
from deft_reach.core.session.plan_view import PlanView

HEIGHT = 58


class Dynamics(Timeline):
    """A bar a stroke: ghosts low, accents high; a line follows the loudest of each moment."""

    def __init__(self, session: PlanView, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(session, axis, "Dynamics, how loud each stroke is meant", parent)
        set_scaled(self, QWidget.setFixedHeight, HEIGHT, least=1.0)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(300, HEIGHT)

    def height_of(self, marks: str) -> float:
        """How high a stroke's bar is, px."""
        part = {GHOST_LEVEL: 0.22, ACCENT_LEVEL: 1.0}.get(level_of(marks), 0.55)
        return part * (self.height() - 14)

    def stroke_at(self, at: QPointF) -> int | None:
        report = self.session.report
        if report is None or not report.strokes:
            return None
        starts = report.pattern.starts
        near = min(range(len(starts)), key=lambda i: abs(self.axis.x(starts[i]) - at.x()))
        return near if abs(self.axis.x(starts[near]) - at.x()) < 14 else None

    def in_words(self) -> str:
        report = self.session.report
        if report is None or not report.strokes:
            return "No strokes yet."
        accents = sum(">" in s.marks for s in report.strokes)
        ghosts = sum("." in s.marks for s in report.strokes)
        return f"{accents} accents, {ghosts} ghosts among {len(report.strokes)} strokes."

    def draw(self, painter: QPainter) -> None:
        report = self.session.report
        c = theme.colours()
        if report is None or not report.strokes:
            return
        floor = self.height() - 6.0
        for text, marks in (("accent", ">"), ("ghost", ".")):
            at = QPointF(GUTTER - 8, max(floor - self.height_of(marks) + 5, 8.0 * theme.text_scale()))
            label(painter, at, text, theme.lettering(9), QColor(c.muted), Qt.AlignmentFlag.AlignRight)
        painter.setClipRect(QRectF(GUTTER - 2, 0, self.width() - GUTTER + 2, self.height()))
        line: list[QPointF] = []
        for event, start in zip(report.pattern.events, report.pattern.event_starts):
            x = self.axis.x(start)
            top = floor
            for k, stroke in enumerate(event.strokes):
                high = self.height_of(stroke.marks)
                left = x - 3 * len(event.strokes) + 6 * k
                painter.setPen(QPen(QColor(c.ink), 1.4) if stroke.index == self.session.stroke else Qt.PenStyle.NoPen)
                painter.setBrush(c.hand(stroke.limb))
                painter.drawRect(QRectF(left, floor - high, 5, high))
                top = min(top, floor - high)
            line.append(QPointF(x, top - 3))
        painter.setPen(QPen(QColor(c.muted), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)
