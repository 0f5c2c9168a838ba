"""The kit on the reach plan: pedals, pieces with their strike places, and their names."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.sprites import sprite, stamp, text_size
from deft_reach.app.text import units
from deft_reach.core.model.kit import Kit, Piece, piece_of
from deft_reach.core.model.limbs import HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.piece_kinds import CYMBALS, DRUMS
from deft_reach.core.motion.comfort import comforts
from deft_reach.core.motion.pose import MAX_LEAN_MM

if TYPE_CHECKING:
    from deft_reach.app.canvas.floor_drawing import FloorDrawing

_KIND_OF_FOOT = {KICK: "bass-pedal", SECOND_KICK: "second-bass-pedal", HAT_FOOT: "hat-pedal"}


def draw_pieces(plan: FloorDrawing, painter: QPainter, c: theme.Colours, touching: set[str]) -> None:
    """Everything that is struck, the highest on top; ``touching`` are those that stand inside another."""
    unreachable = _unreachable(plan)
    ratio = painter.device().devicePixelRatioF()
    for piece in sorted((p for p in plan.session.kit if not p.is_pedal), key=lambda p: p.z):
        _draw_piece(plan, painter, c, piece, piece.code in unreachable, ratio)
        if piece.code in touching:
            painter.setPen(QPen(QColor(c.stop), 2.4, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            _draw_outline(plan, painter, piece)


def draw_ghost(plan: FloorDrawing, painter: QPainter, c: theme.Colours, other: Kit) -> None:
    """Where another kit has its pieces: outlines, each joined to the piece of the same code here."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for piece in other:
        mine = plan.session.kit.piece(piece.code)
        if piece.is_pedal or (mine is not None and mine.body == piece.body and mine.diameter == piece.diameter):
            continue
        painter.setPen(QPen(QColor(c.muted), 1.2, Qt.PenStyle.DashDotLine))
        _draw_outline(plan, painter, piece)
        if mine is not None:
            painter.drawLine(plan.to_px(*piece.body), plan.to_px(*mine.body))
        else:
            label(painter, plan.to_px(*piece.body), piece.name, theme.lettering(9), QColor(c.muted))


def _draw_outline(plan: FloorDrawing, painter: QPainter, piece: Piece) -> None:
    if piece.kind == "bass":
        painter.drawRect(_lying(plan, piece))
    else:
        radius = piece.diameter / 2 * plan.mm
        painter.drawEllipse(plan.to_px(*piece.body), radius, radius)


def _lying(plan: FloorDrawing, piece: Piece) -> QRectF:
    """A drum on its side, from above."""
    x, y = piece.body
    a = plan.to_px(x - piece.diameter / 2, y + piece.depth / 2)
    return QRectF(a, plan.to_px(x + piece.diameter / 2, y - piece.depth / 2))


def _draw_piece(
    plan: FloorDrawing, painter: QPainter, c: theme.Colours, piece: Piece, unreachable: bool, ratio: float
) -> None:
    selected = piece.code == plan.session.piece
    scale = plan.mm
    cymbal = piece.kind in CYMBALS
    fill = QColor(c.cymbal if cymbal else c.drum if piece.kind in DRUMS else c.body)
    fill.setAlphaF(0.62 if cymbal else 0.9)
    if piece.kind == "bass":
        painter.setPen(QPen(QColor(c.right) if selected else QColor(c.muted), 1.8 if selected else 1.1))
        painter.setBrush(fill)
        painter.drawRoundedRect(_lying(plan, piece), 3, 3)
        return
    radius = piece.diameter / 2 * scale
    half = radius + 4
    # A tilted disc is narrower from above.
    squash = math.cos(math.radians(piece.tilt))

    def paint(inside: QPainter) -> None:
        middle = QPointF(half, half)
        edge = QColor(c.right) if selected else QColor(c.ink if not cymbal else c.muted)
        inside.setPen(QPen(edge, 2.4 if selected else 1.2))
        inside.setBrush(fill)
        inside.drawEllipse(middle, radius, radius * squash)
        if unreachable:
            inside.setPen(Qt.PenStyle.NoPen)
            inside.setBrush(QBrush(QColor(c.stop), Qt.BrushStyle.BDiagPattern))
            inside.drawEllipse(middle, radius, radius * squash)
        inside.setBrush(Qt.BrushStyle.NoBrush)
        if cymbal:
            inside.setPen(QPen(QColor(c.line), 1))
            for part in (0.42, 0.72):
                inside.drawEllipse(middle, radius * part, radius * part * squash)
            inside.setPen(QPen(QColor(c.muted), 1))
            inside.drawEllipse(middle, radius * 0.17, radius * 0.17 * squash)
        # Where it is struck, as wide as a tip may land.
        faint = QColor(c.muted)
        faint.setAlphaF(0.45)
        inside.setPen(QPen(faint, 1))
        target = piece.width / 2 * scale
        inside.drawEllipse(middle - QPointF(piece.body_dx, -piece.body_dy) * scale, target, target)

    shape = (piece.kind, piece.diameter, piece.tilt, piece.width, piece.body_dx, piece.body_dy)
    picture = sprite(("plan", shape, selected, unreachable, scale, c.name), 2 * half, 2 * half, ratio, paint)
    centre = plan.to_px(*piece.body)
    stamp(painter, picture, centre.x() - half, centre.y() - half)


def _unreachable(plan: FloorDrawing) -> set[str]:
    """Pieces out of reach for a hand that has to play them here, or for both hands."""
    kit, report = plan.session.kit, plan.session.report
    each = comforts(kit, plan.session.player, kit.struck)
    found = {code for code, hands in each.items() if all(c.lean > MAX_LEAN_MM for c in hands.values())}
    if report is not None:
        for finding in report.findings:
            if finding.kind == "out-of-reach":
                found.add(piece_of(report.strokes[finding.strokes[0]].voice))
    return found


def draw_pedals(plan: FloorDrawing, painter: QPainter, c: theme.Colours, lit: bool | None = None) -> None:
    """The pedals; with ``lit`` only those that are struck at the selected stroke, or only the others."""
    report, index = plan.session.report, plan.session.stroke
    struck = set()
    if report is not None and index is not None and index < len(report.strokes):
        moment = report.postures[report.posture_of[index]].strokes
        struck = {_KIND_OF_FOOT.get(report.strokes[i].limb) for i in moment}
    for piece in plan.session.kit:
        if not piece.is_pedal:
            continue
        a, b = plan.to_px(piece.x - 42, piece.y + 30), plan.to_px(piece.x + 42, piece.y - 240)
        rect = QRectF(a, b).normalized()
        if lit and piece.kind not in struck:
            continue
        on = lit is not False and piece.kind in struck
        selected = piece.code == plan.session.piece
        colour = QColor(c.feet)
        painter.setPen(QPen(QColor(c.right) if selected else colour, 2 if on or selected else 1.1))
        fill = QColor(c.feet)
        fill.setAlphaF(0.45 if on else 0.08)
        painter.setBrush(fill)
        painter.drawRoundedRect(rect, 4, 4)
        painter.setPen(QPen(colour, 1))
        painter.drawLine(
            rect.bottomLeft() + QPointF(0, -rect.height() * 0.22),
            rect.bottomRight() + QPointF(0, -rect.height() * 0.22),
        )
        at = QPointF(rect.center().x(), rect.bottom() - rect.height() * 0.11)
        label(painter, at, piece.code, theme.lettering(8.5), QColor(c.feet))


def draw_labels(plan: FloorDrawing, painter: QPainter, c: theme.Colours, pieces: list[Piece]) -> None:
    """Name and height of each piece where they cover least: other labels, tips and hands are avoided."""
    taken: list[QRectF] = []
    # What moves is not kept clear of: the names would jump about.
    playing = plan.session.position is not None
    for joints in () if playing else plan.arms().values():
        for x, y in joints[2:, :2]:
            at = plan.to_px(float(x), float(y))
            taken.append(QRectF(at.x() - 10, at.y() - 10, 20, 20))
    place = None if playing else plan.cross_place()
    if place is not None:
        taken.append(QRectF(place.x() - 75, place.y() - 17, 150, 54))
    halo = QColor(c.sheet)
    halo.setAlphaF(0.72)
    face = theme.lettering(9.5)
    small = plan.mm < 0.29
    for piece in sorted(pieces, key=lambda p: p.diameter):
        text = piece.name if piece.kind == "bass" else f"{piece.name} {units.number(piece.z)}"
        if small:
            text = piece.code
        wide, high = text_size(text, face)
        width, height = wide + 4.0, high - 2.0
        x, y = piece.body
        r = piece.diameter / 2
        if piece.kind == "bass":
            spots = [(0.0, piece.depth / 2 - 30)]
        else:
            spots = [(0.0, r * k) for k in (0.66, -0.72, 0.35, 1.08, -1.1, -0.4)]
            spots += [(r * k, r * m) for k in (0.55, -0.55) for m in (0.5, -0.5, 0.0)]
        best, least = None, math.inf
        for dx, dy in spots:
            at = plan.to_px(x + dx, y + dy)
            left = min(max(at.x() - width / 2, 3.0), plan.width() - width - 3.0)
            top = min(max(at.y() - height / 2, 2.0), plan.height() - height - 2.0)
            rect = QRectF(left, top, width, height)
            hidden = sum(overlap.width() * overlap.height() for other in taken if (overlap := rect & other).isValid())
            if hidden < least - 1:
                best, least = rect, hidden
            if least == 0:
                break
        assert best is not None
        taken.append(best)
        colour = QColor(c.muted if piece.kind == "bass" else c.ink)
        label(painter, best.center(), text, face, colour, halo=halo)
