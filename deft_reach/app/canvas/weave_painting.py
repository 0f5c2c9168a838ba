"""Painting the weave: rows, bar lines, threads, marks, feet, leads and findings."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.thread import Thread, mark_size
from deft_reach.app.canvas.time_axis import GUTTER
from deft_reach.app.canvas.weave_geometry import FEET_ROOM, LEAD_ROOM, TOP, WeaveGeometry
from deft_reach.core.analysis.finding import FINDING_NAMES
from deft_reach.core.analysis.report import Report, pace_word
from deft_reach.core.model.kit import voice_name
from deft_reach.core.model.limbs import FEET, HANDS, LEFT, RIGHT

_WIDTHS = {"slack": 1.8, "busy": 2.6, "hurried": 4.2, "past the limit": 5.6, "": 1.8}


def draw_rows(
    weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report, rows: dict[str, float]
) -> None:
    font, above = theme.lettering(9.5), -math.inf
    painter.setFont(font)
    room = 0.8 * painter.fontMetrics().height()
    for voice, y in rows.items():
        painter.setPen(QPen(QColor(c.grid), 1))
        painter.drawLine(QPointF(GUTTER, y), QPointF(weave.width(), y))
        # Where rows are too close for all names, some are left out: none is written over another.
        if y - above < room:
            continue
        above = y
        text = painter.fontMetrics().elidedText(
            voice_name(report.table.kit, voice), Qt.TextElideMode.ElideRight, GUTTER - 14
        )
        label(painter, QPointF(GUTTER - 8, y), text, font, QColor(c.muted), Qt.AlignmentFlag.AlignRight)
    if report.lead:
        lead_y = weave.height() - LEAD_ROOM + 3.0
        right = Qt.AlignmentFlag.AlignRight
        label(painter, QPointF(GUTTER - 8, lead_y), "lead", theme.lettering(9.5), QColor(c.muted), right)
    if any(limb in FEET for limb, _ in report.pattern.by_limb_and_voice):
        y = weave.height() - FEET_ROOM + 14.5
        label(
            painter,
            QPointF(GUTTER - 8, y),
            "feet",
            theme.lettering(9.5),
            QColor(c.muted),
            Qt.AlignmentFlag.AlignRight,
        )


def draw_time(weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report) -> None:
    pattern = report.pattern
    for bar in pattern.bars_between(weave.axis.time(GUTTER - 2), weave.axis.time(weave.width())):
        first = math.ceil(bar.offset * bar.meter[1])
        for beat in range(first, math.ceil(bar.beat(bar.start + bar.length) - 1)):
            x = weave.axis.x(bar.time_of(beat))
            painter.setPen(QPen(QColor(c.line if beat == 0 else c.grid), 1.4 if beat == 0 else 1))
            painter.drawLine(QPointF(x, TOP - 6), QPointF(x, weave.height() - 4))


def draw_crossed(
    weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report, threads: dict[str, Thread]
) -> None:
    if not threads[RIGHT].xs or not threads[LEFT].xs:
        return
    for start, end, over, clearance in weave.crossed_stretches(report):
        start, end = max(start, GUTTER - 10.0), min(end, weave.width() + 10.0)
        upper, lower = threads[RIGHT].path(start, end), threads[LEFT].path(start, end)
        band = QPainterPath(upper)
        band.connectPath(lower.toReversed())
        band.closeSubpath()
        fill = QColor(c.stop if clearance < 60 else c.band)
        fill.setAlphaF(0.14 if clearance < 60 else 0.8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(fill)
        painter.drawPath(band)
        hatch = c.hand(over)
        hatch.setAlphaF(0.4)
        painter.setBrush(QBrush(hatch, Qt.BrushStyle.BDiagPattern))
        painter.drawPath(band)


def draw_thread(
    weave: WeaveGeometry,
    painter: QPainter,
    c: theme.Colours,
    report: Report,
    thread: Thread,
    hand: str,
    near: float | None = None,
) -> None:
    """A thread, or only its moves near one x; each move as thick as it is hurried."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    left, right = (GUTTER - 20.0, weave.width() + 20.0) if near is None else (near - 1, near + 1)
    for k in range(1, len(thread.xs)):
        if thread.xs[k] < left or thread.xs[k - 1] > right:
            continue
        word = pace_word(thread.paces[k])
        path = QPainterPath(QPointF(thread.xs[k - 1], thread.ys[k - 1]))
        thread.move(path, k)
        painter.setPen(QPen(c.hand(hand), _WIDTHS[word], Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        painter.drawPath(path)
        if word == "past the limit":
            # A frayed thread: there is no time for this move.
            painter.setPen(QPen(QColor(c.sheet), 2.2, Qt.PenStyle.DotLine))
            painter.drawPath(path)


def draw_over(
    weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report, threads: dict[str, Thread]
) -> None:
    """At each meeting the lower thread breaks under the other."""
    for x, over in weave.meetings(report, threads):
        thread = threads[over]
        painter.save()
        painter.setClipRect(QRectF(x - 9, 0, 18, weave.height()), Qt.ClipOperation.IntersectClip)
        painter.setPen(QPen(QColor(c.sheet), 12, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(thread.path(x - 12, x + 12))
        draw_thread(weave, painter, c, report, thread, over, x)
        painter.restore()


def draw_marks(
    weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report, threads: dict[str, Thread]
) -> None:
    for hand in (LEFT, RIGHT):
        thread = threads[hand]
        for x, y, i, grace in zip(thread.xs, thread.ys, thread.strokes, thread.graces):
            if x < GUTTER - 12 or x > weave.width() + 12:
                continue
            stroke = report.pattern.strokes[i]
            size = mark_size(stroke.grace_marks or ".") * 0.8 if grace else mark_size(stroke.marks)
            painter.setPen(QPen(QColor(c.sheet), 1.2))
            painter.setBrush(c.hand(hand))
            if grace or "." in stroke.marks:
                painter.setPen(QPen(c.hand(hand), 1.5))
                painter.setBrush(QColor(c.sheet))
            painter.drawPath(theme.mark_path(hand, QPointF(x, y), size))
    for i in weave.in_view(report):
        stroke = report.pattern.strokes[i]
        if stroke.limb in HANDS and stroke.voice not in report.table.points:
            # A stroke on nothing: crossed out where it would have been.
            x, y = weave.axis.x(report.pattern.starts[i]), TOP + 4.0
            painter.setPen(QPen(QColor(c.stop), 2))
            painter.drawLine(QPointF(x - 4, y - 4), QPointF(x + 4, y + 4))
            painter.drawLine(QPointF(x - 4, y + 4), QPointF(x + 4, y - 4))


def draw_feet(weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report) -> None:
    for i in weave.in_view(report):
        stroke = report.strokes[i]
        if stroke.limb not in FEET:
            continue
        x, y = weave.axis.x(report.pattern.starts[i]), weave.foot_y(stroke.limb)
        if x < GUTTER - 12 or x > weave.width() + 12:
            continue
        late = stroke.pace is not None and stroke.pace > 1
        colour = QColor(c.stop) if late else QColor(c.feet)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour if stroke.limb != "H" else QColor(c.sheet))
        if stroke.limb == "H":
            painter.setPen(QPen(colour, 1.6))
        painter.drawRect(QRectF(x - 2.2, y - 5, 4.4, 10))


def draw_lead(weave: WeaveGeometry, painter: QPainter, c: theme.Colours, report: Report) -> None:
    """Who leads each beat; where the lead changes hands the letter stands in a ring."""
    y = weave.height() - LEAD_ROOM + 3.0
    for index in report.lead:
        x = weave.axis.x(report.pattern.starts[index])
        if x < GUTTER - 12 or x > weave.width() + 12:
            continue
        limb = report.pattern.strokes[index].limb
        if index in report.switches:
            painter.setPen(QPen(c.hand(limb), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), 7, 7)
        label(painter, QPointF(x, y), limb, theme.lettering(9), c.hand(limb))


def draw_findings(weave: WeaveGeometry, painter: QPainter, c: theme.Colours) -> None:
    report = weave.session.report
    assert report is not None
    chosen = weave.session.finding
    for finding, rect, named in weave.placed_findings():
        if finding == chosen:
            painter.setPen(QPen(c.severity(finding.severity), 1.2))
            painter.setBrush(QColor(c.selection))
            painter.drawRoundedRect(rect.adjusted(-2, 0, 1, 0), 3, 3)
            xs = sorted({weave.axis.x(report.pattern.starts[i]) for i in finding.strokes})
            painter.setPen(QPen(c.severity(finding.severity), 1.6))
            painter.drawLine(QPointF(xs[0], TOP - 5), QPointF(xs[-1], TOP - 5))
            for x in xs:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(c.severity(finding.severity))
                tick = QPolygonF([QPointF(x - 3, TOP - 5), QPointF(x + 3, TOP - 5), QPointF(x, TOP + 1)])
                painter.drawPolygon(tick)
        theme.draw_severity(painter, finding.severity, QPointF(rect.left() + 8, rect.center().y()), 6)
        if named:
            name = FINDING_NAMES[finding.kind]
            label(
                painter,
                QPointF(rect.left() + 17, rect.center().y()),
                name,
                theme.lettering(9),
                c.severity(finding.severity),
                Qt.AlignmentFlag.AlignLeft,
            )


def draw_demand(weave: WeaveGeometry, painter: QPainter, c: theme.Colours) -> None:
    """Where the selected demand is greatest: its strokes, marked above the threads."""
    report, demand = weave.session.report, weave.session.demand
    if report is None or demand is None:
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(c.accent))
    for x in sorted({weave.axis.x(report.pattern.starts[i]) for i in demand.strokes}):
        painter.drawPolygon(QPolygonF([QPointF(x - 4, TOP - 7), QPointF(x + 4, TOP - 7), QPointF(x, TOP + 1)]))


def draw_position(weave: WeaveGeometry, painter: QPainter, c: theme.Colours) -> None:
    """Which part of a long pattern is in view."""
    whole = weave.axis.length
    left = weave.axis.start / whole
    part = min(1.0, (weave.axis.room / weave.axis.scale) / whole)
    width = weave.width() - GUTTER - 12
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(c.grid))
    painter.drawRoundedRect(QRectF(GUTTER, weave.height() - 4, width, 3), 1.5, 1.5)
    painter.setBrush(QColor(c.muted))
    painter.drawRoundedRect(QRectF(GUTTER + width * left, weave.height() - 4, width * part, 3), 1.5, 1.5)
