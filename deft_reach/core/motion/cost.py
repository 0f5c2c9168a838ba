"""Motion cost: what every stroke costs, term by term.

``CostTerms`` is the entry: all who price anything ask it. Every term is at least 0, the terms add up to the stroke's
cost exactly, and no term falls when the tempo rises. The weights live here alone; a plan may carry its own.
The functions take numbers or arrays of them; a pace of NaN is that of a stroke with nothing before it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM, Floats

#: The terms in the order in which they are shown.
TERMS: Final = (
    "pace",
    "reach",
    "cross",
    "squeeze",
    "turn",
    "lift",
    "load",
    "switch",
    "keep",
    "figure",
    "control",
    "coordination",
)

TERM_NAMES: Final = {
    "pace": "hurry",
    "reach": "stretch",
    "cross": "crossing",
    "squeeze": "tight passing",
    "turn": "turning back",
    "lift": "height changes",
    "load": "long runs",
    "switch": "lead changes",
    "keep": "surface changes hands",
    "figure": "sticking differs by beat",
    "control": "bounced strokes",
    "coordination": "hands and feet in turn",
}

#: Mean cost a stroke at which ease has fallen to 1/e of 100.
EASE_SCALE: Final = 1.6

#: Bringing an arm across, and each stroke while it stays there: both hands play on in it as they always do.
CROSS_COST, HOLD_COST = 0.9, 0.08

#: Passing closer than this (mm) takes care; what is closer than touching by half as much costs no more.
SQUEEZE_MM: Final = 40.0

#: From this pace on the cost rises steeply.
WALL_PACE: Final = 0.9


@dataclass(frozen=True, slots=True)
class Weights:
    """How much each term counts; 1.0 is our own judgement, 0 leaves a term out."""

    pace: float = 1.0
    reach: float = 1.0
    cross: float = 1.0
    squeeze: float = 1.0
    turn: float = 1.0
    lift: float = 1.0
    load: float = 1.0
    switch: float = 1.0
    keep: float = 1.0
    figure: float = 1.0
    control: float = 1.0
    coordination: float = 1.0

    def __post_init__(self) -> None:
        for name in TERMS:
            value = getattr(self, name)
            if not (math.isfinite(value) and 0 <= value <= 100):
                raise ValueError(f"weight '{name}' is {value:g}; expected 0 to 100")


def _known(values: Any) -> Any:
    """The values with 0 where they are NaN; quicker than np.nan_to_num, which looks for infinities as well."""
    return np.where(np.isnan(values), 0.0, values)[()]


def pace_cost(pace: Any) -> Any:
    """Grows with pace², with a wall above 0.9 that adds one unit by 1.0 and nine by 1.2."""
    over = np.maximum(0.0, pace - WALL_PACE)
    return _known(pace * pace + 100.0 * over * over)


def reach_costs(reach: Any, lean: Any) -> Any:
    """Free while comfortable; 0.4 at a straight arm, a folded-up arm half as much; leaning costs more."""
    low, high = COMFORTABLE_REACH
    stretched = np.maximum(0.0, np.minimum(reach, 1.0) - high) / (1.0 - high)
    folded = np.maximum(0.0, low - reach) / low
    cost = 0.4 * stretched * stretched + 0.2 * folded * folded + 3.0 * np.minimum(lean, MAX_LEAN_MM) / MAX_LEAN_MM
    return np.where(lean > MAX_LEAN_MM, 50.0, cost)[()]


def cross_cost(clearance: Any, entering: Any) -> Any:
    """Crossing costs when it is made and a little while it lasts; the tighter the arms pass, the more."""
    return _known(np.where(entering, CROSS_COST, HOLD_COST) * (0.1 + 120.0 / (clearance + 40.0)))


def squeeze_cost(clearance: Any) -> Any:
    """Arms and sticks that pass each other closer than SQUEEZE_MM; NaN where they do not pass."""
    close = np.clip(1.0 - clearance / SQUEEZE_MM, 0.0, 1.5)
    return _known(0.3 * close * close)


def turn_cost(before: Floats, now: Floats) -> Floats:
    """Turning a hand back costs by how sharply and how far.

    ``before`` and ``now``, of shape (..., 2), are the hand's last and present moves in plan view, mm; zero for none.
    """
    last = np.sqrt(before[..., 0] ** 2 + before[..., 1] ** 2)
    size = np.sqrt(now[..., 0] ** 2 + now[..., 1] ** 2)
    moved = (size >= 1.0) & (last >= 1.0)
    product = np.where(moved, size * last, 1.0)
    cosine = np.minimum(1.0, (before[..., 0] * now[..., 0] + before[..., 1] * now[..., 1]) / product)
    far = np.minimum(1.0, np.minimum(size, last) / 400.0)
    return np.asarray(np.where(moved, 0.25 * (1.0 - cosine) / 2 * far, 0.0))


def twist_cost(bearing_change: Any) -> Any:
    """Twisting the trunk costs by its angle: how far the middle between the hands swings round the seat (radians)."""
    return _known(bearing_change * bearing_change * 0.6)


def lift_cost(level: Any, previous: Any, pace: Any) -> Any:
    """Changing the height of the stroke, harder the less time there is. Levels: 0 ghost, 1 plain, 2 accent."""
    change = np.abs(level - previous)
    hurry = np.minimum(1.0, pace)
    return _known(0.05 * change * change * (0.2 + hurry * hurry))


#: From this pace on a hand tires quickly in a run.
TIRING_PACE: Final = 0.8
#: A hand that strikes again at once, neither on a kept surface nor coming from it: hands alternate where nothing
#: speaks against it.
AGAIN_COST: Final = 0.25
#: What of it is let off where a bar begins with it and it is the hand that leads: bars of an odd number of strokes
#: begin with that hand anew, although it also ended the last one. Common practice.
ANEW_CREDIT: Final = 0.05
#: The same where it is the hand that does not lead: a double is better where the stronger hand has it.
OTHER_AGAIN_COST: Final = 0.03


def load_cost(run: Any, pace: Any, foot: bool) -> Any:
    """Long runs of one limb at a high rate. ``run`` counts this limb's strokes in a row."""
    hurry = _known(np.minimum(1.5, pace))
    if foot:
        return 0.08 * np.clip(run - 2, 0, 8) * hurry * hurry
    return np.clip(run - 2, 0, 8) * (0.04 * hurry * hurry + 20.0 * np.maximum(0.0, hurry - TIRING_PACE) ** 2)


#: One change of the leading hand from beat to beat, and one beat that the player's other hand leads.
SWITCH_COST: Final = 0.08
OTHER_LEAD_COST: Final = 0.15
#: A crash on the leading hand's side that the other hand comes over to on a beat. Common practice: fills land there
#: with the leading hand.
FAR_LANDING_COST: Final = 0.4
#: A stroke whose hand comes back from neither of the last two beats of the same rhythm.
FIGURE_COST: Final = 0.25
#: A kept surface: a stroke by the other hand than last, hand to hand or else; the second stroke of a hand that took
#: it over; and any stroke by the hand that does not lead.
HAND_TO_HAND_COST, PASSED_COST, TAKEN_COST, OTHER_KEEP_COST = 0.62, 1.8, 0.5, 0.3
#: Hand to hand in a figure whose hands never strike together: one line, which hands share as they do on one drum.
LINE_COST: Final = 0.3


def keep_cost(now: Any, last: Any, before: Any, alone: Any, line: Any, leading: int) -> Any:
    """What a stroke on a kept surface costs by the sides that struck it now, last and before, the one that struck
    alone at the moment before (0 or 1; else unknown), whether the figure is one line, and the side that leads.
    """
    known = (now >= 0) & (now < 2) & (last >= 0) & (last < 2)
    stays = np.where((before >= 0) & (before < 2) & (before != last) & (alone == now), TAKEN_COST, 0.0)
    passes = np.where(alone == 1 - now, np.where(line, LINE_COST, HAND_TO_HAND_COST), PASSED_COST)
    return np.where(known, np.where(now == last, stays, passes), 0.0) + OTHER_KEEP_COST * (now == 1 - leading)


#: A stroke that the rebound gives whole.
CONTROL_COST: Final = 0.6


def control_cost(factor: Any) -> Any:
    """Strokes that the rebound gives have to be controlled: by how little of a full restrike (0 to 1) they take."""
    return CONTROL_COST * np.clip(1.0 - factor, 0.0, 1.0)


def turns_cost(rate: Any) -> Any:
    """Hands and feet that take turns, by how many such turns a second they are at."""
    return 0.004 * rate * rate


class CostTerms:
    """The terms of the motion cost by a plan's ``weights`` and by the side that leads (0 right, 1 left).

    Every term is defined here once. The walk, which knows the whole figure, and the graphs of the searches, which
    know a state of it, both ask here for what they know; so what a search costs is what the analysis says, or less
    where a state cannot know all. All methods take numbers or arrays of them and return the weighted cost.
    """

    def __init__(self, weights: Weights, leading: int) -> None:
        self.weights, self.leading = weights, leading

    def stroke(self, pace: Any, level: Any, last_level: Any, run: Any, *, foot: bool = False) -> dict[str, Any]:
        """The terms of a limb's stroke at a pace; all are 0 where that is NaN, with nothing before it."""
        w = self.weights
        return {
            "pace": self.pace(pace),
            "lift": w.lift * lift_cost(level, last_level, pace),
            "load": w.load * load_cost(run, pace, foot),
        }

    def pace(self, pace: Any) -> Any:
        """A stroke's or a grace's own hurry."""
        return self.weights.pace * pace_cost(pace)

    def control(self, part: Any) -> Any:
        """A stroke that the rebound gives."""
        return self.weights.control * control_cost(part)

    def least_bounced(self, quick: Any, part: Any) -> Any:
        """The factor from ``part`` to 1 at which hurry and control are the least together, where a full restrike
        would be at the pace ``quick``: where the slope of ``pace · quick² · f²`` is that of the control it saves.
        """
        w = self.weights
        return np.clip(0.5 * CONTROL_COST * w.control / np.maximum(1e-12, w.pace * quick * quick), part, 1.0)

    def below_wall(self, pace: Any) -> Any:
        """No more than the hurry of any stroke that is as quick as this or quicker."""
        return self.weights.pace * pace * pace

    def reach(self, amount: Any) -> Any:
        """What reach_costs says of a place."""
        return self.weights.reach * amount

    def turn(self, before: Floats, now: Floats) -> Floats:
        """A hand that turns back; its last and present moves, of shape (..., 2), mm; the cost of shape (...,)."""
        return self.weights.turn * turn_cost(before, now)

    def twist(self, bearing_change: Any) -> Any:
        """The trunk that turns."""
        return self.weights.turn * twist_cost(bearing_change)

    def crossing(self, clearance: Any, entering: Any) -> Any:
        """Arms that come across, or strike while they are; 0 where the clearance is NaN."""
        return self.weights.cross * cross_cost(clearance, entering)

    def squeeze(self, clearance: Any) -> Any:
        """Arms that pass each other closely; 0 where the clearance is NaN."""
        return self.weights.squeeze * squeeze_cost(clearance)

    def lead(self, changed: Any, other: Any, far: Any) -> Any:
        """A beat whose lead has changed hands, that the other hand leads, and that lands far over on a crash."""
        return self.weights.switch * (SWITCH_COST * changed + OTHER_LEAD_COST * other + FAR_LANDING_COST * far)

    def kept(self, now: Any, last: Any, before: Any, alone: Any, line: Any) -> Any:
        """A stroke on a kept surface; see keep_cost."""
        return self.weights.keep * keep_cost(now, last, before, alone, line, self.leading)

    def again(self, again: Any, other: Any, anew: Any) -> Any:
        """A hand that strikes again at once, the one that does not lead, and one that begins a bar so."""
        return self.weights.load * again * (AGAIN_COST + OTHER_AGAIN_COST * other - ANEW_CREDIT * (anew & ~other))

    def figure(self, changed: Any) -> Any:
        """A stroke whose hand comes back from neither of two beats."""
        return self.weights.figure * FIGURE_COST * changed

    def turns(self, rate: Any) -> Any:
        """Hands and feet that take turns."""
        return self.weights.coordination * turns_cost(rate)


def ease(cost: float, strokes: int) -> float:
    """Cost as people see it: 100 for nothing to do, falling towards 0 with the mean cost a stroke."""
    if not strokes:
        return 100.0
    return 100.0 * math.exp(-cost / strokes / EASE_SCALE)
