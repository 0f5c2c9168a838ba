"""The player on the reach plan: reach contours, body, arms, and where each hand comes from and goes."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.text import units
from deft_reach.core.model.limbs import HANDS, LEFT, RIGHT
from deft_reach.core.motion.pose import Floats, reach_contours
from deft_reach.core.motion.reach_table import Cross

if TYPE_CHECKING:
    from deft_reach.app.canvas.floor_drawing import FloorDrawing

#: Heights (mm) at which reach is drawn: on the drums, and on the cymbals.
DRUM_HEIGHT: Final = 650.0
CYMBAL_HEIGHT: Final = 1000.0
#: The reaches that are drawn.
COMFORTABLE, ALL = 0.8, 1.0


def draw_contours(plan: FloorDrawing, painter: QPainter, c: theme.Colours) -> None:
    """Where comfortable reach ends (whole line) and where all reach ends (dashed).

    Each is a soft band: its near edge is the contour at drum height, its far edge the one at cymbal height.
    """
    limits = tuple((height, reach) for reach in (COMFORTABLE, ALL) for height in (DRUM_HEIGHT, CYMBAL_HEIGHT))
    contours = dict(zip(limits, reach_contours(plan.session.player, limits)))
    for hand, side in ((RIGHT, 1), (LEFT, -1)):
        for reach, style in ((COMFORTABLE, Qt.PenStyle.SolidLine), (ALL, Qt.PenStyle.DashLine)):
            lines = [
                [plan.to_px(x * side, y) for x, y in contours[height, reach]]
                for height in (DRUM_HEIGHT, CYMBAL_HEIGHT)
            ]
            band = QPolygonF([*lines[0], *reversed(lines[1])])
            colour = c.hand(hand)
            colour.setAlphaF(0.05)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPolygon(band)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for line, alpha in zip(lines, (0.35, 0.2)):
                colour.setAlphaF(alpha)
                painter.setPen(QPen(colour, 1.2, style))
                painter.drawPolyline(line)


def draw_legend(plan: FloorDrawing, painter: QPainter, c: theme.Colours) -> None:
    """What the bands mean, in the corner."""
    halo = QColor(c.sheet)
    halo.setAlphaF(0.8)
    lines = ("bands, from drum to cymbal height:", "whole: end of comfortable reach", "dashed: end of all reach")
    for k, text in enumerate(reversed(lines)):
        at = QPointF(8, plan.height() - 12 - 14 * theme.text_scale() * k)
        label(painter, at, text, theme.lettering(9), QColor(c.muted), Qt.AlignmentFlag.AlignLeft, halo)


def draw_body(plan: FloorDrawing, painter: QPainter, c: theme.Colours) -> None:
    player = plan.session.player
    sx = player.shoulder[0]
    left, right = plan.shoulders()
    middle = QPointF((left.x() + right.x()) / 2, (left.y() + right.y()) / 2)
    scale = plan.mm
    painter.setPen(QPen(QColor(c.muted), 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(plan.to_px(0, 0), 165 * scale, 165 * scale)
    painter.setPen(Qt.PenStyle.NoPen)
    body = QColor(c.body)
    body.setAlphaF(0.9)
    painter.setBrush(body)
    # The trunk turns with the shoulders.
    painter.save()
    painter.translate(middle)
    painter.rotate(math.degrees(math.atan2(right.y() - left.y(), right.x() - left.x())))
    torso = QPainterPath()
    torso.addRoundedRect(
        QRectF(-(sx + 55) * scale, -75 * scale, 2 * (sx + 55) * scale, 190 * scale), 85 * scale, 85 * scale
    )
    painter.drawPath(torso)
    head = QColor(c.muted)
    head.setAlphaF(0.75)
    painter.setBrush(head)
    painter.drawEllipse(QPointF(0, 15 * scale), 78 * scale, 98 * scale)
    painter.restore()


def draw_arms(plan: FloorDrawing, painter: QPainter, c: theme.Colours) -> None:
    report, index = plan.session.report, plan.session.stroke
    if report is None or index is None or index >= len(report.strokes):
        return
    faded = plan.session.outdated
    arms = plan.arms()
    if plan.session.position is not None:
        # On their way: the higher arm is drawn over the other.
        for hand in sorted(arms, key=lambda hand: float(arms[hand][1:, 2].mean())):
            low = arms[hand][3, 2] - arms[hand][2, 2] < -60
            _draw_arm(plan, painter, c, hand, arms[hand], bool(low), faded)
        return
    at = report.posture_of[index]
    posture = report.postures[at]
    for hand in HANDS:
        _draw_swept(plan, painter, c, hand)
    for hand in HANDS:
        _draw_moves(plan, painter, c, hand, at)
    over = posture.cross.over if posture.cross else RIGHT
    order = (LEFT, RIGHT) if over == RIGHT else (RIGHT, LEFT)
    striking = {report.strokes[i].limb for i in posture.strokes}
    for hand in order:
        if hand in arms:
            _draw_arm(plan, painter, c, hand, arms[hand], hand in striking, faded)
    cross = report.cross_at(index)
    if cross is not None:
        _draw_cross(plan, painter, c, cross, on_the_way=posture.cross is None)


def _draw_cross(plan: FloorDrawing, painter: QPainter, c: theme.Colours, cross: Cross, *, on_the_way: bool) -> None:
    """A ring where the arms cross, broken where they do so on the way; and who is over."""
    centre = plan.to_px(*cross.place)
    colour = QColor(c.stop if cross.clearance < 60 else c.ink)
    painter.setPen(QPen(colour, 1.8, Qt.PenStyle.DashLine if on_the_way else Qt.PenStyle.SolidLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(centre, 17, 17)
    name = "right" if cross.over == RIGHT else "left"
    if cross.chosen:
        name = f"you chose: {name}"
    elif cross.either:
        name = f"either, say {name}"
    if on_the_way:
        name = f"on the way: {name}"
    halo = QColor(c.sheet)
    halo.setAlphaF(0.9)
    words = f"{name} over · {units.length(cross.clearance)} clear"
    label(painter, centre + QPointF(0, 28), words, theme.lettering(10), colour, halo=halo)


def _draw_arm(
    plan: FloorDrawing, painter: QPainter, c: theme.Colours, hand: str, joints: Floats, striking: bool, faded: bool
) -> None:
    points = [plan.to_px(float(x), float(y)) for x, y in joints[:, :2]]
    shoulder, elbow, grip, tip = points
    colour = c.hand(hand)
    if faded:
        colour.setAlphaF(0.35)
    halo = QColor(c.sheet)
    halo.setAlphaF(0.85)
    cap = Qt.PenCapStyle.RoundCap
    for pen_colour, extra in ((halo, 5.0), (colour, 0.0)):
        painter.setPen(QPen(pen_colour, 62 * plan.mm * 0.55 + extra, Qt.PenStyle.SolidLine, cap))
        painter.drawLine(shoulder, elbow)
        painter.setPen(QPen(pen_colour, 48 * plan.mm * 0.55 + extra, Qt.PenStyle.SolidLine, cap))
        painter.drawLine(elbow, grip)
        painter.setPen(QPen(pen_colour, 3.4 + extra * 0.6, Qt.PenStyle.SolidLine, cap))
        # The stick runs on a little behind the hand.
        player = plan.session.player
        butt = (player.stick_length_mm - player.grip_mm) / max(player.grip_mm, 1.0)
        painter.drawLine(grip + (grip - tip) * butt, tip)
    painter.setPen(QPen(QColor(c.sheet), 1.4))
    painter.setBrush(colour)
    painter.drawEllipse(shoulder, 5, 5)
    painter.drawEllipse(elbow, 4, 4)
    painter.drawEllipse(grip, 5, 5)
    painter.drawPath(theme.mark_path(hand, tip, 8.5 if striking else 6))


def _draw_swept(plan: FloorDrawing, painter: QPainter, c: theme.Colours, hand: str) -> None:
    """What forearm and stick pass over on the way into this stroke."""
    joints = plan.swept(hand)
    if joints is None:
        return
    area = QPainterPath()
    area.setFillRule(Qt.FillRule.WindingFill)
    chains = [[plan.to_px(float(x), float(y)) for x, y in chain[1:, :2]] for chain in joints]
    for one, two in pairwise(chains):
        for part in (0, 1):
            corners = [one[part], one[part + 1], two[part + 1], two[part]]
            # All the same way round, so that pieces that overlap make one area.
            turn = sum(p.x() * q.y() - q.x() * p.y() for p, q in pairwise([*corners, corners[0]]))
            area.addPolygon(QPolygonF(corners if turn > 0 else corners[::-1]))
            area.closeSubpath()
    colour = c.hand(hand)
    colour.setAlphaF(0.12)
    painter.fillPath(area, colour)


def _draw_moves(plan: FloorDrawing, painter: QPainter, c: theme.Colours, hand: str, at: int) -> None:
    """Where the hand has just been (solid) and where it goes next (dashed)."""
    report = plan.session.report
    assert report is not None
    now = report.postures[at].voice(hand)
    if now not in report.table.points:
        return
    before = None
    for back in range(at - 1, -1, -1):
        voice = report.postures[back].voice(hand)
        if voice != now:
            before = voice
            break
    after = next((v for p in report.postures[at + 1 :] if (v := p.voice(hand)) is not None and v != now), None)
    for start, end, style, alpha in (
        (before, now, Qt.PenStyle.SolidLine, 0.5),
        (now, after, Qt.PenStyle.DashLine, 0.85),
    ):
        draw_path(plan, painter, c, hand, start, end, style, alpha)


def draw_path(
    plan: FloorDrawing, painter: QPainter, c: theme.Colours, hand: str, start: str | None, end: str | None,
    style: Qt.PenStyle, alpha: float,
) -> None:  # fmt: skip
    """A hand's move from one voice to another; nothing where either is none of the kit's."""
    report = plan.session.report
    points = report.table.points if report is not None else {}
    if start in points and end in points:
        colour = c.hand(hand)
        colour.setAlphaF(alpha)
        _arrow(painter, plan.to_px(*points[start][:2]), plan.to_px(*points[end][:2]), colour, style, hand)


def _arrow(painter: QPainter, start: QPointF, end: QPointF, colour: QColor, style: Qt.PenStyle, hand: str) -> None:
    line = end - start
    length = math.hypot(line.x(), line.y())
    if length < 14:
        return
    # Each hand's moves bow outwards on its own side, so that there and back stay apart.
    side = 1 if hand == RIGHT else -1
    normal = QPointF(-line.y(), line.x()) / length * side
    bend = (start + end) / 2 + normal * length * 0.16
    stop = end - (end - bend) / max(math.hypot(*(end - bend).toTuple()), 1) * 12
    path = QPainterPath(start)
    path.quadTo(bend, stop)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, 1.8, style))
    painter.drawPath(path)
    direction = stop - bend
    size = max(math.hypot(direction.x(), direction.y()), 1.0)
    unit = direction / size
    across = QPointF(-unit.y(), unit.x())
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([stop + unit * 7, stop + across * 4.5, stop - across * 4.5]))
