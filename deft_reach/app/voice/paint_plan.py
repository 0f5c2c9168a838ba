"""The reach plan as a palette: a click on a piece or a zone says where strokes go."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QMouseEvent

from deft_reach.app.canvas.reach_plan import ReachPlan

#: So near (px) a click means the zone there.
NEAR_ZONE = 11.0


class PaintPlan(ReachPlan):
    """``painted`` carries the voice that was clicked."""

    painted = Signal(str)

    def voice_at(self, at: QPointF) -> str | None:
        """The voice under a point: a zone if it is meant closely, else the highest piece; None for what feet play."""
        piece = self.piece_at(at)
        if piece is None or piece.is_pedal or piece.kind == "bass":
            return None
        best, distance = piece.code, NEAR_ZONE
        for zone in piece.zones:
            off = self.to_px(piece.x + zone.dx, piece.y + zone.dy) - at
            away = math.hypot(off.x(), off.y())
            if away < distance:
                best, distance = f"{piece.code}:{zone.name}", away
        return best

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            voice = self.voice_at(event.position())
            if voice is not None:
                self.painted.emit(voice)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.voice_at(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
