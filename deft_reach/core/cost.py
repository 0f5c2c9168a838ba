"""Motion cost: what every stroke costs, term by term.

Every term is at least 0, the terms add up to the stroke's cost exactly, and no term falls when the tempo rises. The
weights live here and nowhere else; a plan may carry its own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM

#: The terms in the order in which they are shown.
TERMS: Final = ("pace", "reach", "cross", "turn", "lift", "load", "switch")

TERM_NAMES: Final = {
    "pace": "hurry",
    "reach": "stretch",
    "cross": "crossing",
    "turn": "turning back",
    "lift": "height changes",
    "load": "long runs",
    "switch": "lead changes",
}

#: Mean cost a stroke at which ease has fallen to 1/e of 100.
EASE_SCALE: Final = 1.6

#: From this pace on the cost rises steeply.
WALL_PACE: Final = 0.9


@dataclass(frozen=True, slots=True)
class Weights:
    """How much each term counts; 1.0 is our own judgement, 0 leaves a term out."""

    pace: float = 1.0
    reach: float = 1.0
    cross: float = 1.0
    turn: float = 1.0
    lift: float = 1.0
    load: float = 1.0
    switch: float = 1.0

    def __post_init__(self) -> None:
        for name in TERMS:
            value = getattr(self, name)
            if not (math.isfinite(value) and 0 <= value <= 100):
                raise ValueError(f"weight '{name}' is {value:g}; expected 0 to 100")


def pace_cost(pace: float | None) -> float:
    """Grows with pace², with a wall above 0.9 that adds one unit by 1.0 and nine by 1.2."""
    if pace is None:
        return 0.0
    over = max(0.0, pace - WALL_PACE)
    return pace * pace + 100.0 * over * over


def reach_cost(reach: float, lean: float) -> float:
    """Free while comfortable; one unit at a straight arm, a folded-up arm half as much; leaning costs more."""
    low, high = COMFORTABLE_REACH
    if lean > MAX_LEAN_MM:
        return 50.0
    stretched = max(0.0, min(reach, 1.0) - high) / (1.0 - high)
    folded = max(0.0, low - reach) / low
    return stretched * stretched + 0.5 * folded * folded + 3.0 * lean / MAX_LEAN_MM


def cross_cost(clearance: float, entering: bool) -> float:
    """Crossing costs when it is made and a little while it lasts; the tighter the arms pass, the more."""
    tight = 1.0 + 80.0 / (clearance + 40.0)
    return (0.9 if entering else 0.12) * tight


def turn_cost(before: tuple[float, float] | None, now: tuple[float, float], bearing_change: float) -> float:
    """Turning a hand back costs by how sharply and how far; twisting the trunk costs by its angle.

    ``before`` and ``now`` are the hand's last and present moves in plan view (mm); ``bearing_change`` in radians
    is how far the middle between the two hands swings round the seat.
    """
    twist = bearing_change * bearing_change * 0.6
    if before is None:
        return twist
    size, last = math.hypot(*now), math.hypot(*before)
    if size < 1.0 or last < 1.0:
        return twist
    cosine = min(1.0, (before[0] * now[0] + before[1] * now[1]) / (size * last))
    return twist + 0.25 * (1.0 - cosine) / 2 * min(1.0, min(size, last) / 400.0)


def lift_cost(level: int, previous: int, pace: float | None) -> float:
    """Changing the height of the stroke, harder the less time there is. Levels: 0 ghost, 1 plain, 2 accent."""
    change = abs(level - previous)
    hurry = min(1.0, pace) if pace is not None else 0.0
    return 0.05 * change * change * (0.2 + hurry * hurry)


def load_cost(run: int, pace: float | None, foot: bool) -> float:
    """Long runs of one limb at a high rate. ``run`` counts this limb's strokes in a row."""
    if pace is None or run <= 2:
        return 0.0
    hurry = min(1.5, pace)
    return (0.08 if foot else 0.06) * min(run - 2, 8) * hurry * hurry


def switch_cost() -> float:
    """One change of the leading hand from beat to beat."""
    return 0.08


def ease(cost: float, strokes: int) -> float:
    """Cost as people see it: 100 for nothing to do, falling towards 0 with the mean cost a stroke."""
    if not strokes:
        return 100.0
    return 100.0 * math.exp(-cost / strokes / EASE_SCALE)
