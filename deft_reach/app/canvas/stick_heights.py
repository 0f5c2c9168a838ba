"""How high each stick is between strokes, over the shared time axis: accents come from high, ghosts from low."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Stroke
from deft_reach.core.motion.timing import ACCENT_LEVEL, GHOST_LEVEL, level_of
from deft_reach.core.session.plan_view import PlanView

HEIGHT: Final = 70
#: How much of the room a stick is raised by, by how loud its stroke is meant.
_RAISED: Final = {GHOST_LEVEL: 0.2, ACCENT_LEVEL: 1.0}
_PLAIN: Final = 0.56
#: A stick falls within so many whole notes, or the last third of its gap where that is less.
_FALL: Final = 0.03
#: What each type of stroke does, as a teacher says it.
TYPE_WORDS: Final = {
    "full": "full stroke: from high, and high again",
    "down": "down stroke: from high, then it stays low",
    "tap": "tap: from low, and low again",
    "up": "up stroke: from low, then it is lifted",
}


class StickHeights(Timeline):
    """Each hand's tip above the drumhead: it falls at every stroke and is lifted to where the next one begins."""

    def __init__(self, session: PlanView, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(session, axis, "Stick heights, how high each stroke begins", parent)
        set_scaled(self, QWidget.setFixedHeight, HEIGHT, least=1.0)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(300, HEIGHT)

    @property
    def floor(self) -> float:
        """Where the drumhead is, px."""
        return self.height() - 11.0

    def height_of(self, marks: str) -> float:
        """How far above the drumhead a stroke begins, px."""
        return _RAISED.get(level_of(marks), _PLAIN) * (self.floor - 9)

    def stroke_at(self, at: QPointF) -> int | None:
        report = self.session.report
        if report is None or not report.strokes:
            return None
        starts = report.pattern.starts
        near = min(range(len(starts)), key=lambda i: abs(self.axis.x(starts[i]) - at.x()))
        return near if abs(self.axis.x(starts[near]) - at.x()) < 14 else None

    def words_at(self, at: QPointF) -> str:
        index, report = self.stroke_at(at), self.session.report
        if index is None or report is None:
            return ""
        stroke = report.strokes[index]
        return TYPE_WORDS.get(stroke.stroke_type, "") if stroke.limb in HANDS else super().words_at(at)

    def in_words(self) -> str:
        report = self.session.report
        if report is None or not report.strokes:
            return "No strokes yet."
        counts = dict.fromkeys(TYPE_WORDS, 0)
        for stroke in report.strokes:
            if stroke.limb in HANDS:
                counts[stroke.stroke_type] += 1
        said = ", ".join(f"{count} {kind}" for kind, count in counts.items() if count)
        return f"Strokes of the hands: {said or 'none'}."

    def draw(self, painter: QPainter) -> None:
        report = self.session.report
        c = theme.colours()
        if report is None or not report.strokes:
            return
        muted, right = QColor(c.muted), Qt.AlignmentFlag.AlignRight
        for text, marks in (("from high", ">"), ("from low", ".")):
            label(
                painter,
                QPointF(GUTTER - 8, self.floor - self.height_of(marks)),
                text,
                theme.lettering(9),
                muted,
                right,
            )
        painter.setClipRect(QRectF(GUTTER - 2, 0, self.width() - GUTTER + 2, self.height()))
        painter.setPen(QPen(muted, 2.2))
        painter.drawLine(QPointF(GUTTER - 2, self.floor + 2), QPointF(self.width(), self.floor + 2))
        for hand in HANDS:
            self._draw_hand(painter, report, hand)

    def _draw_hand(self, painter: QPainter, report: Report, hand: str) -> None:
        """One stick's way over time, with a dot where each stroke begins."""
        strokes = [s for s in report.pattern.strokes if s.limb == hand]
        if not strokes:
            return
        c = theme.colours()
        colour = c.hand(hand)
        path, dots = QPainterPath(), []
        before: Stroke | None = None
        for stroke in strokes:
            x, top = self.axis.x(stroke.start), self.floor - self.height_of(stroke.marks)
            gap = float(stroke.start - before.start) if before is not None else 2 * _FALL
            fall = min(_FALL, gap / 3) * self.axis.scale
            if before is None:
                path.moveTo(x - fall, top)
            else:
                start, rise = self.axis.x(before.start), max(2.0, gap * self.axis.scale - fall)
                path.cubicTo(start + rise * 0.35, self.floor, start + rise * 0.45, top, x - fall, top)
            path.cubicTo(x - fall * 0.35, top, x - fall * 0.15, self.floor - 2, x, self.floor)
            dots.append((stroke, QPointF(x - fall, top)))
            before = stroke
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.6))
        painter.drawPath(path)
        for stroke, at in dots:
            painter.setPen(QPen(QColor(c.ink), 1.6) if stroke.index == self.session.stroke else Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            if hand == "R":
                painter.drawEllipse(at, 3.4, 3.4)
            else:
                painter.drawPolygon([at + QPointF(*d) for d in ((0, -4.4), (4.4, 0), (0, 4.4), (-4.4, 0))])
