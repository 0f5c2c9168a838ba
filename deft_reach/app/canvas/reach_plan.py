"""The reach plan: the kit from above, to scale, with the player's arms in the pose of the selected stroke.

Pieces can be dragged; everything follows while they move.
"""

# Long: one canvas; what stands on it is drawn in plan_pieces and plan_player.
from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas, Same, handle_stroke_key, label
from deft_reach.app.canvas.explain import comfort_lines, stroke_title, where
from deft_reach.app.canvas.floor_drawing import FloorDrawing
from deft_reach.app.canvas.plan_pieces import draw_ghost, draw_labels, draw_pedals, draw_pieces
from deft_reach.app.canvas.plan_player import draw_arms, draw_body, draw_contours, draw_legend
from deft_reach.app.canvas.tape_tool import TapeTool
from deft_reach.app.text import units
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.core.model.collisions import Collision, collisions
from deft_reach.core.model.kit import Kit, KitError, Piece, voice_name
from deft_reach.core.model.limbs import RIGHT
from deft_reach.core.motion.pose import Floats
from deft_reach.core.session import Session
from deft_reach.core.session.plan_view import PlanView

#: Radius (px) of the mark of a crossing.
CROSS_PX = 17.0


class ReachPlan(Canvas, FloorDrawing):
    """The kit from above. ``laying_out`` gives the arrow keys to the selected piece instead of the strokes.

    ``ghost`` is another kit to show behind this one; ``tape`` measures where the station has one.
    """

    shows_position = True

    #: Delete was pressed on the selected piece, while laying out.
    removal_asked = Signal()

    def __init__(self, session: PlanView, laying_out: bool = False, parent: QWidget | None = None) -> None:
        self.laying_out = laying_out
        self._drag: tuple[str, QPointF, tuple[float, float]] | None = None
        self.problem = ""
        self._touching: tuple[Kit | None, tuple[Collision, ...]] = (None, ())
        self._framed = ""
        self.ghost: Kit | None = None
        #: What moves pieces; None where the kit can only be looked at.
        self._editing = session if isinstance(session, Session) else None
        self.tape = TapeTool(self._editing) if laying_out and self._editing is not None else None
        super().__init__(session, "Reach plan, the kit from above", parent)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        if self.tape is not None:
            self.tape.changed.connect(self.refresh)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 260)

    # --- geometry ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        if self._drag is None:
            self._widen()
        super().refresh()

    def _widen(self) -> None:
        """Have the whole kit in the frame; it only grows as long as the kit is the same, so that nothing moves on
        the drawing but what is moved.
        """
        frame, kit = self.frame_for(), self.session.kit.id
        if kit == self._framed:
            (left, right, back, front), now = frame, self.frame
            frame = min(left, now[0]), max(right, now[1]), min(back, now[2]), max(front, now[3])
        self.frame, self._framed = frame, kit

    def piece_at(self, at: QPointF) -> Piece | None:
        """The highest piece under a point: what one would touch from above."""
        x, y = self.to_mm(at)
        found = [
            piece
            for piece in self.session.kit
            if math.hypot(x - piece.body[0], y - piece.body[1]) <= max(piece.diameter / 2, 35.0)
            or (piece.is_pedal and abs(x - piece.x) < 60 and -60 < piece.y - y < 300)
        ]
        return max(found, key=lambda piece: piece.z, default=None)

    # --- mouse and keys ---------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.tape is not None and self.tape.on:
            self.tape.press(event.position(), self.project, self.floor_at)
            return
        if self.on_cross(event.position()) and self.session.stroke is not None:
            self.session.strokes.exchange_over(self.session.stroke)
            return
        piece = self.piece_at(event.position())
        self.session.select_piece(piece.code if piece else None)
        if piece is not None:
            self._drag = (piece.code, event.position(), (piece.x, piece.y))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.tape is not None and self.tape.on:
            self.setCursor(Qt.CursorShape.CrossCursor)
            if event.buttons() & Qt.MouseButton.LeftButton:
                self.tape.move(event.position(), self.project, self.floor_at)
            return
        if self._drag is None:
            if self.on_cross(event.position()):
                self.setCursor(Qt.CursorShape.PointingHandCursor)
                return
            self.setCursor(
                Qt.CursorShape.OpenHandCursor if self.piece_at(event.position()) else Qt.CursorShape.ArrowCursor
            )
            return
        code, start, (x, y) = self._drag
        moved = event.position() - start
        self.place(code, x + moved.x() / self.mm, y - moved.y() / self.mm)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.tape is not None and self.tape.on:
            self.tape.release()
            return
        if self._drag is not None:
            self._drag = None
            self.problem = ""
            if self._editing is not None:
                self._editing.end_merge()
            self.setCursor(Qt.CursorShape.OpenHandCursor)
            self.refresh()

    def place(self, code: str, x: float, y: float, z: float | None = None) -> None:
        """Move a piece, or say why it cannot go there."""
        if self._editing is None:
            self.session.refused.emit()
            return
        try:
            self._editing.kits.move_piece(code, x, y, z)
            self.problem = ""
        except KitError as error:
            self.problem = units.text_of(error)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.laying_out and self.nudge(event):
            return
        if not handle_stroke_key(self.session, event):
            QWidget.keyPressEvent(self, event)

    def nudge(self, event: QKeyEvent) -> bool:
        """Arrow keys move the selected piece 1 mm, 10 mm with Shift; Page Up and Down its height; M takes a tape."""
        if self.tape is not None and event.text() == "m":
            self.tape.set_on(not self.tape.on)
            return True
        if self.tape is not None and self.tape.key(Qt.Key(event.key())):
            return True
        kit, code = self.session.kit, self.session.piece
        if event.text() in ("[", "]"):
            codes = [piece.code for piece in kit]
            if codes:
                at = codes.index(code) if code in codes else (-1 if event.text() == "]" else 0)
                self.session.select_piece(codes[(at + (1 if event.text() == "]" else -1)) % len(codes)])
            return True
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and code is not None:
            self.removal_asked.emit()
            return True
        if event.key() == Qt.Key.Key_Escape and code is not None:
            self.session.select_piece(None)
            return True
        piece = kit.piece(code) if code else None
        step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        moves = {
            Qt.Key.Key_Left: (-step, 0, 0),
            Qt.Key.Key_Right: (step, 0, 0),
            Qt.Key.Key_Up: (0, step, 0),
            Qt.Key.Key_Down: (0, -step, 0),
            Qt.Key.Key_PageUp: (0, 0, step),
            Qt.Key.Key_PageDown: (0, 0, -step),
        }
        move = moves.get(Qt.Key(event.key()))
        if piece is None or move is None:
            return False
        self.place(piece.code, piece.x + move[0], piece.y + move[1], piece.z + move[2])
        return True

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            piece = self.piece_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            if piece is None:
                QToolTip.hideText()
            else:
                QToolTip.showText(event.globalPos(), plain_tip(self.piece_words(piece)), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def piece_words(self, piece: Piece) -> str:
        """A piece in words: where it stands and how each hand gets there."""
        text = (
            f"{piece.name} ({piece.code}): {units.length(abs(piece.x))} {'right' if piece.x >= 0 else 'left'}, "
            f"{units.length(piece.y)} forward, {units.length(piece.z)} high"
        )
        return "\n".join([text, *comfort_lines(self.session.kit, self.session.player, piece.code)])

    def in_words(self) -> str:
        report, index = self.session.report, self.session.stroke
        pieces = ", ".join(f"{p.name} {units.length(p.z)} high" for p in self.session.kit if not p.is_pedal)
        if report is None or index is None or index >= len(report.strokes):
            return f"Kit {self.session.kit.name}: {pieces}."
        posture = report.postures[report.posture_of[index]]
        hands = [
            f"{name} at the {voice_name(self.session.kit, voice)}"
            for name, voice in (("right hand", posture.right), ("left hand", posture.left))
            if voice
        ]
        crossed = "arms not crossed"
        if (cross := report.cross_at(index)) is not None:
            over = "right" if cross.over == RIGHT else "left"
            where_to = "" if posture.cross is not None else " on the way"
            crossed = f"arms crossed{where_to}, {over} over, {units.length(cross.clearance)} clear"
        overlap = self.touching_words()
        inside = f" {overlap}." if overlap else ""
        measured = ""
        if self.tape is not None:
            measured = "".join(f" Measured: {self.tape.in_words(d)}." for d, _ in self.tape.lines())
        return (
            f"{where(report, index)}: {stroke_title(report, index)}. {', '.join(hands)}; {crossed}. "
            f"Kit: {pieces}.{inside}{measured}"
        )

    # --- drawing ----------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        playing = self.session.position is not None
        if playing:
            # Only body, arms and lit pedals move.
            key = (self.frame, self.session.kit, self.session.player, self.session.piece, self.ghost)
            still = self.layer("still", (key, Same(self.session.report)), lambda inside: self._draw_still(inside, c))
            painter.drawPixmap(0, 0, still)
            draw_pedals(self, painter, c, lit=True)
        else:
            self._draw_still(painter, c)
        draw_body(self, painter, c)
        draw_arms(self, painter, c)
        if self.tape is not None:
            self.tape.draw(painter, self.project)
        self._draw_drag(painter, c)

    def _draw_still(self, painter: QPainter, c: theme.Colours) -> None:
        """Floor, pedals and pieces with their names. While it is played the names stay where they are."""
        painter.drawPixmap(0, 0, self.layer("ground", (self.frame, self.session.player), self._draw_ground))
        draw_pedals(self, painter, c, lit=None if self.session.position is None else False)
        if self.ghost is not None:
            draw_ghost(self, painter, c, self.ghost)
        draw_pieces(self, painter, c, {code for pair in self.touching() for code in (pair.a, pair.b)})
        draw_labels(self, painter, c, [p for p in self.session.kit if not p.is_pedal])
        self._draw_scale(painter, c)

    def _draw_ground(self, painter: QPainter) -> None:
        """Grid and reach contours, which stay as they are while a piece is dragged."""
        c = theme.colours()
        self._draw_grid(painter, c)
        draw_contours(self, painter, c)
        if self.laying_out and self.mm > 0.31 * theme.text_scale():
            draw_legend(self, painter, c)

    def _draw_grid(self, painter: QPainter, c: theme.Colours) -> None:
        painter.setPen(QPen(QColor(c.grid), 1))
        x0, y1 = self.to_mm(QPointF(0, 0))
        x1, y0 = self.to_mm(QPointF(self.width(), self.height()))
        step = 100.0 if units.unit() == "mm" else 101.6
        for k in range(math.ceil(x0 / step), math.floor(x1 / step) + 1):
            x = round(self.to_px(k * step, 0).x()) + 0.5
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        for k in range(math.ceil(y0 / step), math.floor(y1 / step) + 1):
            y = round(self.to_px(0, k * step).y()) + 0.5
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def touching(self) -> tuple[Collision, ...]:
        """Which pieces of the kit as it is now stand inside each other; worked out once for a kit."""
        kit = self.session.kit
        if self._touching[0] is not kit:
            self._touching = (kit, collisions(kit))
        return self._touching[1]

    def touching_words(self) -> str:
        """Which pieces stand inside each other, empty if none do."""
        names = {piece.code: piece.name for piece in self.session.kit}
        return ", ".join(f"{names[c.a]} and {names[c.b]} overlap by {units.length(c.depth)}" for c in self.touching())

    def on_cross(self, at: QPointF) -> bool:
        """Whether a place is on the mark of the crossing at the selected stroke."""
        place = None if self.session.outdated or self.session.position is not None else self.cross_place()
        return place is not None and math.hypot(place.x() - at.x(), place.y() - at.y()) <= CROSS_PX

    def swept(self, hand: str) -> Floats | None:
        # While a piece is dragged the ways change with every pixel.
        return None if self._drag is not None else super().swept(hand)

    def _draw_drag(self, painter: QPainter, c: theme.Colours) -> None:
        problem = self.problem or self.touching_words()
        if problem:
            halo = QColor(c.sheet)
            label(painter, QPointF(self.width() / 2, 18), problem, theme.ui_font(9.5), QColor(c.stop), halo=halo)
        if self._drag is None:
            return
        code, _, (x, y) = self._drag
        piece = self.session.kit.piece(code)
        if piece is None or (piece.x, piece.y) == (x, y):
            return
        start, end = self.to_px(x, y), self.to_px(piece.x, piece.y)
        painter.setPen(QPen(QColor(c.ink), 1.2, Qt.PenStyle.DashDotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(start, piece.diameter / 2 * self.mm, piece.diameter / 2 * self.mm)
        painter.drawLine(start, end)
        dx, dy = piece.x - x, piece.y - y
        words = [
            f"{units.length(abs(dx))} {'right' if dx > 0 else 'left'}" if dx else "",
            f"{units.length(abs(dy))} {'forward' if dy > 0 else 'back'}" if dy else "",
        ]
        text = ", ".join(word for word in words if word)
        label(painter, end + QPointF(0, -26), text, theme.lettering(11), QColor(c.sheet), halo=QColor(c.ink))

    def _draw_scale(self, painter: QPainter, c: theme.Colours) -> None:
        """A scale bar of half a metre, as on any measured drawing."""
        # Half a metre, or twenty inches in tenths of four.
        whole = 500.0 if units.unit() == "mm" else 508.0
        length = whole * self.mm
        y = self.height() - 13.0
        x = self.width() - length - 14
        painter.setPen(QPen(QColor(c.muted), 1.2))
        painter.drawLine(QPointF(x, y), QPointF(x + length, y))
        for part in range(6):
            tick = x + length * part / 5
            painter.drawLine(QPointF(tick, y - (4 if part % 5 else 7)), QPointF(tick, y))
        halo = QColor(c.sheet)
        halo.setAlphaF(0.8)
        label(
            painter,
            QPointF(x + length / 2, y - 13),
            units.length(whole).replace(".0", ""),
            theme.lettering(9),
            QColor(c.muted),
            halo=halo,
        )
