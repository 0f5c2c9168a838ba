"""The weave: each hand a thread from strike to strike; where the arms cross, one thread passes over the other."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Hashable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QMouseEvent,
    QPainter,
    QPen,
)
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas import weave_painting
from deft_reach.app.canvas.base import Same
from deft_reach.app.canvas.thread import mark_size
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.weave_geometry import LEAD_ROOM, TOP, WeaveGeometry
from deft_reach.app.text import units
from deft_reach.app.text.explanations import WORDS, explained
from deft_reach.core.analysis.finding import FINDING_NAMES, Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import FEET, HANDS, LEFT, RIGHT
from deft_reach.core.session.plan_view import PlanView


class Weave(WeaveGeometry):
    """Threads over time; a click on a mark above them selects a finding."""

    #: What an empty weave says.
    invitation = "Write a few strokes, and the hands appear here as two threads."

    def __init__(self, session: PlanView, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(session, axis, "Weave, where each hand is over time", parent)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(300, round(176 * max(1.0, theme.text_scale())))

    def sizeHint(self) -> QSize:
        return QSize(640, 270)

    def stroke_at(self, at: QPointF) -> int | None:
        """The stroke whose mark is nearest, if it is near enough to be meant."""
        report = self.session.report
        if report is None:
            return None
        rows = self.rows(report)
        best, distance = None, 26.0
        for i in self.in_view(report):
            stroke = report.pattern.strokes[i]
            y = self.foot_y(stroke.limb) if stroke.limb in FEET else rows.get(stroke.voice)
            if y is None:
                continue
            d = math.hypot(self.axis.x(report.pattern.starts[i]) - at.x(), (y - at.y()) * 0.8)
            if d < distance:
                best, distance = i, d
        return best

    # --- mouse ------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        finding = self.finding_at(event.position())
        if finding is not None:
            self.session.select_finding(finding)
        elif (crossed := self.meeting_at(event.position())) is not None:
            self.session.select_stroke(crossed)
            self.session.strokes.exchange_over(crossed)
        else:
            super().mousePressEvent(event)

    def meeting_at(self, at: QPointF) -> int | None:
        """The stroke at whose crossing a place lies where one thread goes over the other, None if there is none."""
        report = self.session.report
        if report is None or self.session.outdated or not report.strokes:
            return None
        threads = self.threads(report, self.rows(report))
        for x, over in self.meetings(report, threads):
            y = float(threads[over].heights(np.array([x]))[0])
            if math.hypot(x - at.x(), y - at.y()) <= 9.0:
                event = bisect_right(report.pattern.event_starts, self.axis.time(x))
                for posture in report.postures[max(0, event - 1) : event + 1][::-1]:
                    hands = [i for i in posture.strokes if report.strokes[i].limb in HANDS]
                    if posture.cross is not None and hands:
                        return hands[0]
                if event in report.crossed_before:
                    return report.crossed_before[event][0].stroke
        return None

    def words_at(self, at: QPointF) -> str:
        finding = self.finding_at(at)
        if finding is not None:
            kind = FINDING_NAMES[finding.kind]
            return units.text_of(finding.said) + (f"\n{explained(kind)}" if kind in WORDS else "")
        if at.x() < GUTTER:
            return explained("lead" if at.y() > self.height() - LEAD_ROOM - 6 else "weave")
        return super().words_at(at)

    def in_words(self) -> str:
        report = self.session.report
        if report is None or not report.strokes:
            return "Nothing to show yet."
        crossed = sum(p.cross is not None for p in report.postures)
        return (
            f"{len(report.strokes)} strokes; arms crossed at {crossed} of {len(report.postures)} moments. "
            f"{self._lead_words(report)}{len(report.findings)} findings: "
            + " ".join(units.text_of(f.said) for f in report.findings[:8])
        )

    @staticmethod
    def _lead_words(report: Report) -> str:
        if not report.lead:
            return ""
        hands = [report.pattern.strokes[i].limb for i in report.lead]
        return f"Right leads {hands.count(RIGHT)} beats, left {hands.count(LEFT)}. "

    # --- drawing ----------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter) -> None:
        report = self.session.report
        c = theme.colours()
        if report is None or not report.strokes:
            self.empty(painter, self.invitation)
            return
        rows = self.rows(report)
        threads = self.threads(report, rows)
        weave_painting.draw_rows(self, painter, c, report, rows)
        painter.save()
        painter.setClipRect(QRectF(GUTTER - 2, 0, self.width() - GUTTER + 2, self.height()))
        weave_painting.draw_time(self, painter, c, report)
        weave_painting.draw_crossed(self, painter, c, report, threads)
        if self.session.outdated:
            painter.setOpacity(0.35)
        for hand in (LEFT, RIGHT):
            weave_painting.draw_thread(self, painter, c, report, threads[hand], hand)
        weave_painting.draw_over(self, painter, c, report, threads)
        weave_painting.draw_marks(self, painter, c, report, threads)
        weave_painting.draw_feet(self, painter, c, report)
        weave_painting.draw_lead(self, painter, c, report)
        painter.setOpacity(1.0)
        weave_painting.draw_findings(self, painter, c)
        weave_painting.draw_demand(self, painter, c)
        painter.restore()
        if not self.axis.whole:
            weave_painting.draw_position(self, painter, c)

    def picture_key(self) -> Hashable:
        return (
            Same(self.session.report),
            self.axis.start,
            self.axis.scale,
            self.session.outdated,
            self.session.finding,
            self.session.demand,
        )

    def over(self, painter: QPainter) -> None:
        """The selected stroke, wherever it is, and where the plan is being played."""
        super().over(painter)
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes) or self.session.outdated:
            return
        c = theme.colours()
        x = self.axis.x(report.pattern.starts[index])
        if x < GUTTER - 2 or x > self.width():
            return
        bar = QColor(c.selection)
        bar.setAlphaF(0.55)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(bar)
        painter.drawRect(QRectF(x - 9, TOP - 6, 18, self.height() - TOP + 6))
        stroke = report.pattern.strokes[index]
        painter.setPen(QPen(QColor(c.ink), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if stroke.limb in FEET:
            painter.drawRect(QRectF(x - 3.7, self.foot_y(stroke.limb) - 6.5, 7.4, 13))
            return
        rows = self.rows(report)
        if stroke.limb in HANDS and stroke.voice in rows:
            y = self.hand_y(report, rows, index)
            size = mark_size(stroke.marks)
            painter.drawPath(theme.mark_path(stroke.limb, QPointF(x, y), size + 4))

    # --- findings ---------------------------------------------------------------------------------------------

    def finding_at(self, at: QPointF) -> Finding | None:
        return next((f for f, rect, _ in self.placed_findings() if rect.contains(at)), None)
