"""The kit from above, to scale: where a millimetre is on a drawing, and where the player's arms are.

A drawing in the window and one on paper have this in common; neither a widget nor a listener is needed for it.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF

from deft_reach.core.analysis.playing import Playing
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.motion.pose import Floats
from deft_reach.core.session.plan_view import PlanView

#: What is always in view (mm): left, right, back, front.
FRAME = (-520.0, 520.0, -185.0, 900.0)


class FloorDrawing:
    """Maps the floor of ``session``'s kit to pixels of a drawing that is ``width()`` by ``height()``."""

    session: PlanView
    frame = FRAME
    _map_key: object = None
    _mapped = (1.0, 0.0, 0.0)
    _playing: Playing | None = None
    #: What the arms were last worked out for, and what they were: several drawings ask in every frame.
    _arms: tuple[tuple[object, ...], dict[str, Floats]] | None = None

    def width(self) -> int:
        raise NotImplementedError

    def height(self) -> int:
        raise NotImplementedError

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
        return self._map()[0]

    def _map(self) -> tuple[float, float, float]:
        """Scale, and where the origin is (px); worked out once for a frame and size."""
        key = (self.frame, self.width(), self.height())
        if key != self._map_key:
            left, right, back, front = self.frame
            scale = min((key[1] - 12) / (right - left), (key[2] - 12) / (front - back))
            origin = (key[1] / 2 - (left + right) / 2 * scale, key[2] / 2 + (back + front) / 2 * scale)
            self._map_key, self._mapped = key, (scale, *origin)
        return self._mapped

    def to_px(self, x: float, y: float) -> QPointF:
        scale, x0, y0 = self._map()
        return QPointF(x0 + x * scale, y0 - y * scale)

    def to_mm(self, at: QPointF) -> tuple[float, float]:
        scale, x0, y0 = self._map()
        return (at.x() - x0) / scale, (y0 - at.y()) / scale

    def project(self, x: float, y: float, z: float) -> QPointF:
        """A point of the room on the drawing: heights do not show from above."""
        return self.to_px(x, y)

    def floor_at(self, at: QPointF) -> tuple[float, float, float]:
        """The point on the floor below a pixel, mm."""
        return (*self.to_mm(at), 0.0)

    def cross_place(self) -> QPointF | None:
        """Where the arms cross at the selected stroke, or on the way to it."""
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return None
        cross = report.cross_at(index)
        return None if cross is None else self.to_px(*cross.place)

    def shoulders(self) -> tuple[QPointF, QPointF]:
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
        """The joints of each hand: on its way while the plan is played, else at the selected stroke."""
        report, index, position = self.session.report, self.session.stroke, self.session.position
        key = (report, index, position, self.session.preparing)
        if self._arms is None or any(a is not b for a, b in zip(key, self._arms[0])):
            self._arms = key, self._arms_now()
        return self._arms[1]

    def _arms_now(self) -> dict[str, Floats]:
        report, index = self.session.report, self.session.stroke
        if report is not None and self.session.position is not None:
            return self._paths(report).arms(self.session.position)
        if report is None or index is None or index >= len(report.strokes):
            return {}
        # At the moment of the stroke: a hand that is already on its way is drawn where it is.
        posture = report.postures[report.posture_of[index]]
        arms = self._paths(report).arms(float(posture.start))
        return {hand: arms[hand] for hand in (RIGHT, LEFT) if posture.voice(hand) is not None and hand in arms}

    def swept(self, hand: str) -> Floats | None:
        """Joints of a hand's arm on the way into the selected stroke; None where it stays."""
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or self.session.outdated:
            return None
        return self._paths(report).swept(hand, float(report.pattern.strokes[index].start))

    def _paths(self, report: Report) -> Playing:
        travel, kept = self.session.preparing, self._playing
        if kept is None or kept.report is not report or kept.travel != travel:
            self._playing = kept = Playing(report, travel)
        return kept
