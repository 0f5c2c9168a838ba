"""The reach plan: the kit from above, to scale, with the player's arms in the pose of the selected stroke.

Pieces can be dragged; everything follows while they move.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas, handle_stroke_key, label
from deft_reach.app.canvas.explain import stroke_title, where
from deft_reach.core.collisions import Collision, collisions
from deft_reach.core.findings import voice_name
from deft_reach.core.kit import CYMBALS, DRUMS, KitError, Piece
from deft_reach.core.limbs import HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.motion.pose import Floats, reach_radius
from deft_reach.core.motion.reach_table import reach_table, reach_words
from deft_reach.core.session import Session

#: What is always in view (mm): left, right, back, front.
FRAME = (-520.0, 520.0, -185.0, 900.0)
#: Heights (mm) at which reach is drawn: on the drums.
DRUM_HEIGHT = 650.0
_KIND_OF_FOOT = {KICK: "bass-pedal", SECOND_KICK: "second-bass-pedal", HAT_FOOT: "hat-pedal"}


class ReachPlan(Canvas):
    """The kit from above. ``laying_out`` gives the arrow keys to the selected piece instead of the strokes."""

    def __init__(self, session: Session, laying_out: bool = False, parent: QWidget | None = None) -> None:
        self.laying_out = laying_out
        self._drag: tuple[str, QPointF, tuple[float, float]] | None = None
        self._problem = ""
        self._touching: tuple[Collision, ...] = ()
        self._ground_key: object = None
        self._ground_pixmap = QPixmap()
        self.frame = FRAME
        super().__init__(session, "Reach plan, the kit from above", parent)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 260)

    # --- geometry ---------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        if self._drag is None:
            self.frame = self.frame_for()
        if self.isVisible():
            self._touching = collisions(self.session.kit)
        super().refresh()

    def frame_for(self) -> tuple[float, float, float, float]:
        left, right, back, front = FRAME
        for piece in self.session.kit:
            x, y = piece.body
            r = piece.diameter / 2 + 25
            left, right = min(left, x - r), max(right, x + r)
            back, front = min(back, y - r), max(front, y + r)
        return left, right, back, front

    @property
    def mm(self) -> float:
        """Pixels in a millimetre."""
        left, right, back, front = self.frame
        return min((self.width() - 12) / (right - left), (self.height() - 12) / (front - back))

    def to_px(self, x: float, y: float) -> QPointF:
        left, right, back, front = self.frame
        scale = self.mm
        return QPointF(
            self.width() / 2 + (x - (left + right) / 2) * scale,
            self.height() / 2 - (y - (back + front) / 2) * scale,
        )

    def to_mm(self, at: QPointF) -> tuple[float, float]:
        left, right, back, front = self.frame
        scale = self.mm
        return (
            (at.x() - self.width() / 2) / scale + (left + right) / 2,
            (self.height() / 2 - at.y()) / scale + (back + front) / 2,
        )

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
        piece = self.piece_at(event.position())
        self.session.select_piece(piece.code if piece else None)
        if piece is not None:
            self._drag = (piece.code, event.position(), (piece.x, piece.y))
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            self.setCursor(
                Qt.CursorShape.OpenHandCursor if self.piece_at(event.position()) else Qt.CursorShape.ArrowCursor
            )
            return
        code, start, (x, y) = self._drag
        moved = event.position() - start
        self.place(code, x + moved.x() / self.mm, y - moved.y() / self.mm)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag = None
            self._problem = ""
            self.session.end_merge()
            self.setCursor(Qt.CursorShape.OpenHandCursor)
            self.refresh()

    def place(self, code: str, x: float, y: float, z: float | None = None) -> None:
        """Move a piece, or say why it cannot go there."""
        try:
            self.session.move_piece(code, x, y, z)
            self._problem = ""
        except KitError as error:
            self._problem = str(error)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.laying_out and self.nudge(event):
            return
        if not handle_stroke_key(self.session, event):
            QWidget.keyPressEvent(self, event)

    def nudge(self, event: QKeyEvent) -> bool:
        """Arrow keys move the selected piece 1 mm, 10 mm with Shift; Page Up and Down its height."""
        kit, code = self.session.kit, self.session.piece
        if event.text() in ("[", "]"):
            codes = [piece.code for piece in kit]
            if codes:
                at = codes.index(code) if code in codes else (-1 if event.text() == "]" else 0)
                self.session.select_piece(codes[(at + (1 if event.text() == "]" else -1)) % len(codes)])
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
                QToolTip.showText(event.globalPos(), self.piece_words(piece), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def piece_words(self, piece: Piece) -> str:
        """A piece in words: where it stands and how each hand gets there."""
        text = (
            f"{piece.name} ({piece.code}): {abs(piece.x):.0f} mm {'right' if piece.x >= 0 else 'left'}, "
            f"{piece.y:.0f} mm forward, {piece.z:.0f} mm high"
        )
        if piece.is_pedal or piece.kind == "bass":
            return text
        table = reach_table(self.session.kit, self.session.player, [piece.code])
        reaches = [
            f"{name} {reach_words(table.reach[hand][piece.code], table.lean[hand][piece.code])}, "
            f"{table.reach[hand][piece.code] * 100:.0f} % of the arm"
            for hand, name in ((RIGHT, "right hand"), (LEFT, "left hand"))
        ]
        return text + "\n" + "\n".join(reaches)

    def in_words(self) -> str:
        report, index = self.session.report, self.session.stroke
        pieces = ", ".join(f"{p.name} {p.z:.0f} mm high" for p in self.session.kit if not p.is_pedal)
        if report is None or index is None or index >= len(report.strokes):
            return f"Kit {self.session.kit.name}: {pieces}."
        posture = report.postures[report.posture_of[index]]
        hands = [
            f"{name} at the {voice_name(self.session.kit, voice)}"
            for name, voice in (("right hand", posture.right), ("left hand", posture.left))
            if voice
        ]
        crossed = "arms not crossed"
        if posture.cross is not None:
            over = "right" if posture.cross.over == RIGHT else "left"
            crossed = f"arms crossed, {over} over, {posture.cross.clearance:.0f} mm clear"
        overlap = self.touching_words()
        inside = f" {overlap}." if overlap else ""
        return (
            f"{where(report, index)}: {stroke_title(report, index)}. {', '.join(hands)}; {crossed}. "
            f"Kit: {pieces}.{inside}"
        )

    # --- drawing ----------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        painter.drawPixmap(0, 0, self._ground(c))
        kit = self.session.kit
        self._draw_pedals(painter, c)
        pieces = sorted((p for p in kit if not p.is_pedal), key=lambda p: p.z)
        unreachable = self._unreachable()
        touching = {code for c in self._touching for code in (c.a, c.b)}
        for piece in pieces:
            self._draw_piece(painter, c, piece, piece.code in unreachable)
            if piece.code in touching:
                self._draw_touching(painter, c, piece)
        self._draw_labels(painter, c, pieces)
        self._draw_body(painter, c)
        self._draw_arms(painter, c)
        self._draw_drag(painter, c)
        self._draw_scale(painter, c)

    def _ground(self, c: theme.Colours) -> QPixmap:
        """Grid and reach contours, which stay as they are while a piece is dragged."""
        ratio = self.devicePixelRatioF()
        key = (self.size().toTuple(), ratio, self.frame, c.name, self.session.player)
        if self._ground_key != key:
            self._ground_key = key
            self._ground_pixmap = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._ground_pixmap.setDevicePixelRatio(ratio)
            self._ground_pixmap.fill(QColor(c.sheet))
            painter = QPainter(self._ground_pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw_grid(painter, c)
            self._draw_contours(painter, c)
            painter.end()
        return self._ground_pixmap

    def _draw_grid(self, painter: QPainter, c: theme.Colours) -> None:
        painter.setPen(QPen(QColor(c.grid), 1))
        x0, y1 = self.to_mm(QPointF(0, 0))
        x1, y0 = self.to_mm(QPointF(self.width(), self.height()))
        for k in range(math.ceil(x0 / 100), math.floor(x1 / 100) + 1):
            x = round(self.to_px(k * 100, 0).x()) + 0.5
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        for k in range(math.ceil(y0 / 100), math.floor(y1 / 100) + 1):
            y = round(self.to_px(0, k * 100).y()) + 0.5
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _draw_contours(self, painter: QPainter, c: theme.Colours) -> None:
        player = self.session.player
        sx, sy, _ = player.shoulder
        for hand, side in ((RIGHT, 1), (LEFT, -1)):
            centre = self.to_px(sx * side, sy)
            for reach, style in ((0.8, Qt.PenStyle.SolidLine), (1.0, Qt.PenStyle.DashLine)):
                colour = c.hand(hand)
                colour.setAlphaF(0.35)
                radius = reach_radius(player, DRUM_HEIGHT, reach) * self.mm
                painter.setPen(QPen(colour, 1.2, style))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                box = QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius)
                # Only the part in front of the player says anything.
                start = -8 if side > 0 else 20
                painter.drawArc(box, start * 16, 168 * 16)

    def _draw_pedals(self, painter: QPainter, c: theme.Colours) -> None:
        report, index = self.session.report, self.session.stroke
        struck = set()
        if report is not None and index is not None and index < len(report.strokes):
            moment = report.postures[report.posture_of[index]].strokes
            struck = {_KIND_OF_FOOT.get(report.strokes[i].limb) for i in moment}
        for piece in self.session.kit:
            if not piece.is_pedal:
                continue
            a, b = self.to_px(piece.x - 42, piece.y + 30), self.to_px(piece.x + 42, piece.y - 240)
            rect = QRectF(a, b).normalized()
            lit = piece.kind in struck
            selected = piece.code == self.session.piece
            colour = QColor(c.feet)
            painter.setPen(QPen(QColor(c.right) if selected else colour, 2 if lit or selected else 1.1))
            fill = QColor(c.feet)
            fill.setAlphaF(0.45 if lit else 0.08)
            painter.setBrush(fill)
            painter.drawRoundedRect(rect, 4, 4)
            painter.setPen(QPen(colour, 1))
            painter.drawLine(
                rect.bottomLeft() + QPointF(0, -rect.height() * 0.22),
                rect.bottomRight() + QPointF(0, -rect.height() * 0.22),
            )
            at = QPointF(rect.center().x(), rect.bottom() - rect.height() * 0.11)
            label(painter, at, piece.code, theme.lettering(8.5), QColor(c.feet))

    def _draw_piece(self, painter: QPainter, c: theme.Colours, piece: Piece, unreachable: bool) -> None:
        centre = self.to_px(*piece.body)
        radius = piece.diameter / 2 * self.mm
        selected = piece.code == self.session.piece
        cymbal = piece.kind in CYMBALS
        fill = QColor(c.cymbal if cymbal else c.drum if piece.kind in DRUMS else c.body)
        fill.setAlphaF(0.62 if cymbal else 0.9)
        if piece.kind == "bass":
            painter.setPen(QPen(QColor(c.right) if selected else QColor(c.muted), 1.8 if selected else 1.1))
            painter.setBrush(fill)
            painter.drawRoundedRect(self._lying(piece), 3, 3)
            return
        painter.setPen(
            QPen(QColor(c.right) if selected else QColor(c.ink if not cymbal else c.muted), 2.4 if selected else 1.2)
        )
        painter.setBrush(fill)
        # A tilted disc is narrower from above.
        squash = math.cos(math.radians(piece.tilt))
        painter.drawEllipse(centre, radius, radius * squash)
        if unreachable:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(QColor(c.stop), Qt.BrushStyle.BDiagPattern))
            painter.drawEllipse(centre, radius, radius * squash)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if cymbal:
            painter.setPen(QPen(QColor(c.line), 1))
            for part in (0.42, 0.72):
                painter.drawEllipse(centre, radius * part, radius * part * squash)
            painter.setPen(QPen(QColor(c.muted), 1))
            painter.drawEllipse(centre, radius * 0.17, radius * 0.17 * squash)
        # Where it is struck, as wide as a tip may land.
        faint = QColor(c.muted)
        faint.setAlphaF(0.45)
        painter.setPen(QPen(faint, 1))
        target = piece.width / 2 * self.mm
        painter.drawEllipse(self.to_px(piece.x, piece.y), target, target)

    def _lying(self, piece: Piece) -> QRectF:
        """A drum on its side, from above."""
        x, y = piece.body
        a = self.to_px(x - piece.diameter / 2, y + piece.depth / 2)
        return QRectF(a, self.to_px(x + piece.diameter / 2, y - piece.depth / 2))

    def _draw_touching(self, painter: QPainter, c: theme.Colours, piece: Piece) -> None:
        """A piece that stands inside another: ringed."""
        painter.setPen(QPen(QColor(c.stop), 2.4, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if piece.kind == "bass":
            painter.drawRect(self._lying(piece))
        else:
            radius = piece.diameter / 2 * self.mm
            painter.drawEllipse(self.to_px(*piece.body), radius, radius)

    def touching_words(self) -> str:
        """Which pieces stand inside each other, empty if none do."""
        kit = self.session.kit
        names = {piece.code: piece.name for piece in kit}
        return ", ".join(f"{names[c.a]} and {names[c.b]} overlap by {c.depth:.0f} mm" for c in self._touching)

    def _unreachable(self) -> set[str]:
        """Pieces out of reach for a hand that has to play them here, or for both hands."""
        kit, report = self.session.kit, self.session.report
        struck = [piece.code for piece in kit if not piece.is_pedal and piece.kind != "bass"]
        table = reach_table(kit, self.session.player, struck)
        found = {code for code in struck if all(table.out_of_reach(hand, code) for hand in HANDS)}
        if report is not None:
            for finding in report.findings:
                if finding.kind == "out-of-reach":
                    found.add(report.strokes[finding.strokes[0]].voice.partition(":")[0])
        return found

    def _draw_labels(self, painter: QPainter, c: theme.Colours, pieces: list[Piece]) -> None:
        """Name and height of each piece where they cover least: other labels, tips and hands are avoided."""
        taken: list[QRectF] = []
        for joints in self.arms().values():
            for x, y in joints[2:, :2]:
                at = self.to_px(float(x), float(y))
                taken.append(QRectF(at.x() - 10, at.y() - 10, 20, 20))
        place = self._cross_place()
        if place is not None:
            taken.append(QRectF(place.x() - 75, place.y() - 17, 150, 54))
        halo = QColor(c.sheet)
        halo.setAlphaF(0.72)
        painter.setFont(theme.lettering(9.5))
        metrics = painter.fontMetrics()
        small = self.mm < 0.29
        for piece in sorted(pieces, key=lambda p: p.diameter):
            text = piece.name if piece.kind == "bass" else f"{piece.name} {piece.z:.0f}"
            if small:
                text = piece.code
            width, height = metrics.horizontalAdvance(text) + 4.0, metrics.height() - 2.0
            x, y = piece.body
            r = piece.diameter / 2
            if piece.kind == "bass":
                spots = [(0.0, piece.depth / 2 - 30)]
            else:
                spots = [(0.0, r * k) for k in (0.66, -0.72, 0.35, 1.08, -1.1, -0.4)]
                spots += [(r * k, r * m) for k in (0.55, -0.55) for m in (0.5, -0.5, 0.0)]
            best, least = None, math.inf
            for dx, dy in spots:
                at = self.to_px(x + dx, y + dy)
                left = min(max(at.x() - width / 2, 3.0), self.width() - width - 3.0)
                top = min(max(at.y() - height / 2, 2.0), self.height() - height - 2.0)
                rect = QRectF(left, top, width, height)
                hidden = sum(
                    overlap.width() * overlap.height() for other in taken if (overlap := rect & other).isValid()
                )
                if hidden < least - 1:
                    best, least = rect, hidden
            assert best is not None
            taken.append(best)
            colour = QColor(c.muted if piece.kind == "bass" else c.ink)
            label(painter, best.center(), text, theme.lettering(9.5), colour, halo=halo)

    def _draw_body(self, painter: QPainter, c: theme.Colours) -> None:
        player = self.session.player
        sx = player.shoulder[0]
        left, right = self._shoulders()
        middle = QPointF((left.x() + right.x()) / 2, (left.y() + right.y()) / 2)
        scale = self.mm
        painter.setPen(QPen(QColor(c.muted), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(self.to_px(0, 0), 165 * scale, 165 * scale)
        painter.setPen(Qt.PenStyle.NoPen)
        body = QColor(c.body)
        body.setAlphaF(0.9)
        painter.setBrush(body)
        torso = QPainterPath()
        torso.addRoundedRect(
            QRectF(middle.x() - (sx + 55) * scale, middle.y() - 75 * scale, 2 * (sx + 55) * scale, 190 * scale),
            85 * scale,
            85 * scale,
        )
        painter.drawPath(torso)
        head = QColor(c.muted)
        head.setAlphaF(0.75)
        painter.setBrush(head)
        painter.drawEllipse(QPointF(middle.x(), middle.y() + 15 * scale), 78 * scale, 98 * scale)

    def _cross_place(self) -> QPointF | None:
        """Where the arms cross at the selected stroke."""
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return None
        cross = report.postures[report.posture_of[index]].cross
        return None if cross is None else self.to_px(*cross.place)

    def _shoulders(self) -> tuple[QPointF, QPointF]:
        arms = self.arms()
        sx, sy, _ = self.session.player.shoulder
        points = []
        for hand, side in ((LEFT, -1), (RIGHT, 1)):
            joints = arms.get(hand)
            points.append(
                self.to_px(sx * side, sy) if joints is None else self.to_px(float(joints[0, 0]), float(joints[0, 1]))
            )
        return points[0], points[1]

    def arms(self) -> dict[str, Floats]:
        """The joints of each hand that is somewhere at the selected stroke."""
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return {}
        posture = report.postures[report.posture_of[index]]
        found = {}
        for hand, voice, other in (
            (RIGHT, posture.right, posture.left),
            (LEFT, posture.left, posture.right),
        ):
            joints = report.table.pose(hand, voice, other) if voice else None
            if joints is not None:
                found[hand] = joints
        return found

    def _draw_arms(self, painter: QPainter, c: theme.Colours) -> None:
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return
        faded = self.session.error is not None
        arms = self.arms()
        at = report.posture_of[index]
        posture = report.postures[at]
        for hand in HANDS:
            self._draw_moves(painter, c, hand, at)
        over = posture.cross.over if posture.cross else RIGHT
        order = (LEFT, RIGHT) if over == RIGHT else (RIGHT, LEFT)
        striking = {report.strokes[i].limb for i in posture.strokes}
        for hand in order:
            if hand in arms:
                self._draw_arm(painter, c, hand, arms[hand], hand in striking, faded)
        if posture.cross is not None:
            x, y = posture.cross.place
            centre = self.to_px(x, y)
            colour = QColor(c.stop if posture.cross.clearance < 60 else c.ink)
            painter.setPen(QPen(colour, 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(centre, 17, 17)
            name = "right" if posture.cross.over == RIGHT else "left"
            halo = QColor(c.sheet)
            halo.setAlphaF(0.9)
            below = centre + QPointF(0, 28)
            label(
                painter,
                below,
                f"{name} over · {posture.cross.clearance:.0f} mm clear",
                theme.lettering(10),
                colour,
                halo=halo,
            )

    def _draw_arm(
        self, painter: QPainter, c: theme.Colours, hand: str, joints: Floats, striking: bool, faded: bool
    ) -> None:
        points = [self.to_px(float(x), float(y)) for x, y in joints[:, :2]]
        shoulder, elbow, grip, tip = points
        colour = c.hand(hand)
        if faded:
            colour.setAlphaF(0.35)
        halo = QColor(c.sheet)
        halo.setAlphaF(0.85)
        cap = Qt.PenCapStyle.RoundCap
        for pen_colour, extra in ((halo, 5.0), (colour, 0.0)):
            painter.setPen(QPen(pen_colour, 62 * self.mm * 0.55 + extra, Qt.PenStyle.SolidLine, cap))
            painter.drawLine(shoulder, elbow)
            painter.setPen(QPen(pen_colour, 48 * self.mm * 0.55 + extra, Qt.PenStyle.SolidLine, cap))
            painter.drawLine(elbow, grip)
            painter.setPen(QPen(pen_colour, 3.4 + extra * 0.6, Qt.PenStyle.SolidLine, cap))
            # The stick runs on a little behind the hand.
            player = self.session.player
            butt = (player.stick_length_mm - player.grip_mm) / max(player.grip_mm, 1.0)
            painter.drawLine(grip + (grip - tip) * butt, tip)
        painter.setPen(QPen(QColor(c.sheet), 1.4))
        painter.setBrush(colour)
        painter.drawEllipse(shoulder, 5, 5)
        painter.drawEllipse(elbow, 4, 4)
        painter.drawEllipse(grip, 5, 5)
        painter.drawPath(theme.mark_path(hand, tip, 8.5 if striking else 6))

    def _draw_moves(self, painter: QPainter, c: theme.Colours, hand: str, at: int) -> None:
        """Where the hand has just been (solid) and where it goes next (dashed)."""
        report = self.session.report
        assert report is not None
        now = report.postures[at].voice(hand)
        points = report.table.points
        if now not in points:
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
            if start in points and end in points:
                colour = c.hand(hand)
                colour.setAlphaF(alpha)
                self._arrow(
                    painter, self.to_px(*points[start][:2]), self.to_px(*points[end][:2]), colour, style, hand
                )

    @staticmethod
    def _arrow(
        painter: QPainter, start: QPointF, end: QPointF, colour: QColor, style: Qt.PenStyle, hand: str
    ) -> None:
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

    def _draw_drag(self, painter: QPainter, c: theme.Colours) -> None:
        problem = self._problem or self.touching_words()
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
            f"{abs(dx):.0f} mm {'right' if dx > 0 else 'left'}" if dx else "",
            f"{abs(dy):.0f} mm {'forward' if dy > 0 else 'back'}" if dy else "",
        ]
        text = ", ".join(word for word in words if word)
        label(painter, end + QPointF(0, -26), text, theme.lettering(11), QColor(c.sheet), halo=QColor(c.ink))

    def _draw_scale(self, painter: QPainter, c: theme.Colours) -> None:
        """A scale bar of half a metre, as on any measured drawing."""
        length = 500 * self.mm
        y = self.height() - 13.0
        x = self.width() - length - 14
        painter.setPen(QPen(QColor(c.muted), 1.2))
        painter.drawLine(QPointF(x, y), QPointF(x + length, y))
        for part in range(6):
            tick = x + length * part / 5
            painter.drawLine(QPointF(tick, y - (4 if part % 5 else 7)), QPointF(tick, y))
        halo = QColor(c.sheet)
        halo.setAlphaF(0.8)
        label(painter, QPointF(x + length / 2, y - 13), "500 mm", theme.lettering(9), QColor(c.muted), halo=halo)
