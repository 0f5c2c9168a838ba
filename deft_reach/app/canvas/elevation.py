"""The elevation: the same kit and arms from behind the player or from the side, for heights and tilts."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas, handle_stroke_key, label
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.sprites import sprite, stamp, text_size
from deft_reach.app.text import units
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.piece_kinds import CYMBALS, DRUMS
from deft_reach.core.motion.pose import Floats
from deft_reach.core.session import Session

HEIGHTS = (380.0, 1330.0)


class Elevation(Canvas):
    """Heights. From behind it stands under the plan and shares its left-to-right axis to the pixel; from the side
    it shares the plan's scale, with the player on the left.
    """

    #: It changes what it shows.
    session: Session

    shows_position = True

    def __init__(
        self, session: Session, plan: ReachPlan, from_side: bool = False, parent: QWidget | None = None
    ) -> None:
        self.plan = plan
        self.from_side = from_side
        self._drag: tuple[str, QPointF, Piece] | None = None
        self._measured: Kit | None = None
        self._highest = 0.0
        super().__init__(session, "Elevation, heights and tilts", parent)
        if plan.tape is not None:
            plan.tape.changed.connect(self.refresh)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 120)

    def set_from_side(self, from_side: bool) -> None:
        self.from_side = from_side
        self.refresh()

    # --- geometry ---------------------------------------------------------------------------------------------

    @property
    def up(self) -> float:
        """Pixels in a millimetre of height."""
        low, high = self._heights()
        return (self.height() - 16) / (high - low)

    def _heights(self) -> tuple[float, float]:
        low, high = HEIGHTS
        kit = self.session.kit
        if kit is not self._measured:
            self._measured = kit
            self._highest = max((p.z + 60 for p in kit if not p.is_pedal and p.kind != "bass"), default=high)
        return low, max(high, self._highest)

    def across(self, x: float, y: float) -> float:
        if not self.from_side:
            return self.plan.to_px(x, 0).x()
        _, _, back, front = self.plan.frame
        scale = min(self.plan.mm, (self.width() - 12) / (front - back))
        return 6 + (y - back) * scale

    def across_mm(self) -> float:
        """Pixels in a millimetre across."""
        return self.across(1.0, 1.0) - self.across(0.0, 0.0)

    def to_px(self, x: float, y: float, z: float) -> QPointF:
        low, high = self._heights()
        up = (self.height() - 16) / (high - low)
        return QPointF(self.across(x, y), self.height() - 8 - (z - low) * up)

    def piece_at(self, at: QPointF) -> Piece | None:
        best, distance = None, 16.0
        for piece in self.session.kit:
            if piece.is_pedal or piece.kind == "bass":
                continue
            x, y = piece.body
            p = self.to_px(x, y, piece.z)
            half = piece.diameter / 2 * abs(self.across_mm())
            d = abs(p.y() - at.y()) + max(0.0, abs(p.x() - at.x()) - half)
            if d < distance:
                best, distance = piece, d
        return best

    # --- mouse and keys ---------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        tape = self.plan.tape
        if tape is not None and tape.on:
            # The drawing has no depth, so the tape takes hold of what has a place: pieces, zones, the seat.
            tape.press(event.position(), self.to_px, None)
            return
        piece = self.piece_at(event.position())
        self.session.select_piece(piece.code if piece else None)
        if piece is not None and event.button() == Qt.MouseButton.LeftButton:
            self._drag = (piece.code, event.position(), piece)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        tape = self.plan.tape
        if tape is not None and tape.on:
            self.setCursor(Qt.CursorShape.CrossCursor)
            if event.buttons() & Qt.MouseButton.LeftButton:
                tape.move(event.position(), self.to_px, None)
            return
        if self._drag is None:
            over = self.piece_at(event.position())
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)
            self.setToolTip(plain_tip(self.plan.piece_words(over) if over else ""))
            return
        code, start, piece = self._drag
        moved = event.position() - start
        sideways = moved.x() / (self.across_mm() or 1.0)
        x, y = (piece.x, piece.y + sideways) if self.from_side else (piece.x + sideways, piece.y)
        self.plan.place(code, x, y, piece.z - moved.y() / self.up)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        tape = self.plan.tape
        if tape is not None and tape.on:
            tape.release()
            return
        if self._drag is not None:
            self._drag = None
            self.session.end_merge()
            self.plan.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.plan.laying_out and self.plan.nudge(event):
            return
        if not handle_stroke_key(self.session, event):
            QWidget.keyPressEvent(self, event)

    def in_words(self) -> str:
        side = "the side" if self.from_side else "behind"
        heights = ", ".join(f"{p.name} {units.length(p.z)}" for p in self.session.kit if not p.is_pedal)
        return f"Heights from {side}: {heights}."

    # --- drawing ----------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        if self.session.position is None:
            self._draw_below(painter)
            self._draw_arms(painter, c)
            self._draw_above(painter)
        else:
            # Only the arms move.
            session = self.session
            key = (session.kit, session.player, session.piece, self.plan.frame, self.from_side, self.plan.width())
            painter.drawPixmap(0, 0, self.layer("below", key, self._draw_below))
            self._draw_arms(painter, c)
            painter.drawPixmap(0, 0, self.layer("above", key, self._draw_above))
        if self.plan.tape is not None:
            self.plan.tape.draw(painter, self.to_px)

    def _lines(self) -> list[float]:
        """Heights that have a line: every 10 cm, or every 4 inches."""
        low, high = self._heights()
        step = 100.0 if units.unit() == "mm" else 101.6
        return [k * step for k in range(math.ceil(low / step), math.floor(high / step) + 1)]

    def _pieces(self) -> list[Piece]:
        """The farthest first."""
        return sorted(
            (p for p in self.session.kit if not p.is_pedal), key=lambda p: -(p.x if self.from_side else p.y)
        )

    def _draw_below(self, painter: QPainter) -> None:
        """What the arms are in front of."""
        c = theme.colours()
        painter.setPen(QPen(QColor(c.grid), 1))
        for z in self._lines():
            y = self.to_px(0, 0, z).y()
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        self._draw_seat(painter, c)
        for piece in self._pieces():
            self._draw_piece(painter, c, piece)

    def _draw_above(self, painter: QPainter) -> None:
        """Names, and the heights at every other line."""
        c = theme.colours()
        self._draw_labels(painter, c, self._pieces())
        halo = QColor(c.sheet)
        halo.setAlphaF(0.8)
        for k, z in enumerate(reversed(self._lines())):
            if k % 2 == 0:
                text = units.length(z) if k == 2 else units.number(z)
                if units.unit() == "in":
                    text = text.replace(".0", "")
                at = QPointF(5, self.to_px(0, 0, z).y() - 6)
                label(painter, at, text, theme.lettering(8.5), QColor(c.muted), Qt.AlignmentFlag.AlignLeft, halo)

    def _draw_seat(self, painter: QPainter, c: theme.Colours) -> None:
        """The seat, and the height at which the elbows hang."""
        player = self.session.player
        at = self.to_px(0, 0, player.seat_height_mm)
        half = 165 * abs(self.across_mm())
        painter.setPen(QPen(QColor(c.muted), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(at.x() - half, at.y(), 2 * half, 90 * self.up), 6, 6)

    def _draw_piece(self, painter: QPainter, c: theme.Colours, piece: Piece) -> None:
        selected = piece.code == self.session.piece
        cymbal = piece.kind in CYMBALS
        x, y = piece.body
        scale = abs(self.across_mm())
        pen = QPen(QColor(c.right) if selected else QColor(c.muted if cymbal else c.ink), 2.4 if selected else 1.3)
        fill = QColor(c.cymbal if cymbal else c.drum)
        fill.setAlphaF(0.8)
        painter.setPen(pen)
        painter.setBrush(fill)
        centre = self.to_px(x, y, piece.z)
        radius = piece.diameter / 2
        if piece.kind == "bass":
            top = self.to_px(x, y, piece.z + radius)
            half = (piece.depth / 2 if self.from_side else radius) * scale
            painter.drawRoundedRect(QRectF(centre.x() - half, top.y(), 2 * half, self.height() - top.y() + 8), 3, 3)
            return
        tilt = math.radians(piece.tilt)
        if self.from_side:
            # Tilted towards the player: the near rim is lower.
            rise, reach = radius * math.sin(tilt), radius * math.cos(tilt)
            near = QPointF(centre.x() - reach * scale, centre.y() + rise * self.up)
            far = QPointF(centre.x() + reach * scale, centre.y() - rise * self.up)
            if cymbal or piece.kind not in DRUMS:
                painter.setPen(QPen(pen.color(), pen.widthF() + 1.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawLine(near, far)
            else:
                down = QPointF(piece.depth * math.sin(tilt) * scale, piece.depth * math.cos(tilt) * self.up)
                painter.drawPolygon([near, far, far + down, near + down])
            return
        squash = max(abs(radius * math.sin(tilt)) * self.up, 1.5)
        wide, deep = radius * scale + 3, (piece.depth if piece.kind in DRUMS else 0.0) * self.up

        def paint(inside: QPainter) -> None:
            middle = QPointF(wide, squash + 3)
            inside.setPen(pen)
            inside.setBrush(fill)
            if deep:
                inside.drawRoundedRect(QRectF(3, middle.y(), 2 * wide - 6, deep), 4, 4)
            inside.drawEllipse(middle, wide - 3, squash)

        shape = (wide, squash, deep, selected, cymbal, c.name)
        ratio = painter.device().devicePixelRatioF()
        picture = sprite(("behind", *shape), 2 * wide, 2 * squash + deep + 6, ratio, paint)
        stamp(painter, picture, centre.x() - wide, centre.y() - squash - 3)

    def _draw_labels(self, painter: QPainter, c: theme.Colours, pieces: list[Piece]) -> None:
        taken: list[QRectF] = []
        face = theme.lettering(9)
        halo = QColor(c.sheet)
        halo.setAlphaF(0.75)
        for piece in sorted(pieces, key=lambda p: p.z, reverse=True):
            if piece.kind == "bass":
                continue
            x, y = piece.body
            at = self.to_px(x, y, piece.z)
            text = f"{piece.code} {units.number(piece.z)}"
            width = text_size(text, face)[0] + 6
            half = piece.diameter / 2 * abs(self.across_mm())
            spots = [
                (0.0, -11.0),
                (0.0, 12.0),
                (half * 0.7, -13.0),
                (-half * 0.7, -13.0),
                (half * 0.7, 13.0),
                (0.0, -23.0),
            ]
            for dx, dy in spots:
                rect = QRectF(at.x() + dx - width / 2, at.y() + dy - 7, width, 14)
                if not any(rect.intersects(other) for other in taken) and rect.top() > 0:
                    break
            taken.append(rect)
            label(painter, rect.center(), text, face, QColor(c.ink), halo=halo)

    def _draw_arms(self, painter: QPainter, c: theme.Colours) -> None:
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return
        posture = report.postures[report.posture_of[index]]
        arms: dict[str, Floats] = self.plan.arms()
        over = posture.cross.over if posture.cross else RIGHT
        for hand in (LEFT, RIGHT) if over == RIGHT else (RIGHT, LEFT):
            joints = arms.get(hand)
            if joints is None:
                continue
            points = [self.to_px(float(x), float(y), float(z)) for x, y, z in joints]
            colour = c.hand(hand)
            for k, width in ((0, 9.0), (1, 7.0), (2, 2.6)):
                painter.setPen(QPen(QColor(c.sheet), width + 3, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawLine(points[k], points[k + 1])
            for k, width in ((0, 9.0), (1, 7.0), (2, 2.6)):
                painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawLine(points[k], points[k + 1])
            painter.setPen(QPen(QColor(c.sheet), 1.2))
            painter.setBrush(colour)
            painter.drawPath(theme.mark_path(hand, points[3], 6))
