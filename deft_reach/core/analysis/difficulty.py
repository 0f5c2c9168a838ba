"""How hard a pattern is for its player at its tempo: one number, the word for it, and what it is made of.

Each part of a demand (see ``core.analysis.demands``) is a rate r; its weight w, the power e of its rate and how much
skill acts on it, a, make it a pace in that respect, 1 being the limit of this player:

    u = w · exp(a · s(skill)) · r^e

The paces of a moment join to x, the cube root of the sum of their cubes, so that the greatest counts most; and the
moments of the figure to

    difficulty = (Σ dt · x⁵ / T)^(1/5)

over the time dt before each and the length T of the figure as it is written: the hardest place counts most, and how
much there is of it counts too. It is a sum over moments under a root. Weights, skill and the difficulties at which
the levels begin are fitted on judged figures by ``calibration/fit.py``; see ``docs/model.md``.
"""

from __future__ import annotations

import math
from typing import Any, Final, NamedTuple

import numpy as np

from deft_reach.core.analysis.demands import DEMAND_KINDS, PARTS, Moments
from deft_reach.core.motion.pose import Floats

#: Which judgement this is: goes up when figures are judged otherwise. Commitments say by which they were made.
MODEL: Final = 2
LEVELS: Final = ("easy", "busy", "hard", "impossible")
#: The difficulties from which a figure is busy and hard. Impossible is what has no time, no limb or no reach. Fitted.
BUSY, HARD = 0.470, 0.688
#: A limb whose pace is above this has no time.
LATE: Final = 1.0 + 1e-9
#: What has less than a tenth of headroom is hard at the least.
HEADROOM: Final = 1.1
TIGHT: Final = 1.0 / HEADROOM
#: How the paces of a moment and the moments of a figure join.
JOIN, SUM = 3.0, 5.0
#: Ease is 50 where a figure becomes hard, and falls by this power of the difficulty: 25 at the limit, 75 where it
#: becomes busy.
EASE_POWER: Final = 2.75


class Part(NamedTuple):
    """What a part of a demand weighs, the power of its rate, and how strongly skill acts on it."""

    weight: float
    power: float
    skill: float


#: Fitted: see calibration/fit.py. The powers are chosen: speed grows faster than the tempo, coordination slower, and
#: arms that stay crossed are hardly harder when it is fast.
WEIGHTS: Final = {
    "hand": Part(0.0625, 1.3, 0.82),
    "foot": Part(0.0542, 1.3, 1.21),
    "kept up": Part(0.0492, 1.3, 1.10),
    "move": Part(0.0689, 1.0, 0.76),
    "strain": Part(0.3004, 0.35, 0.05),
    "held": Part(0.4136, 0.2, 0.05),
    "variety": Part(0.0506, 0.9, 1.90),
    "lift": Part(0.0441, 0.9, 1.99),
    "grace": Part(0.0611, 1.3, 0.99),
    "division": Part(0.2955, 1.0, 1.31),
    "across": Part(0.0551, 0.9, 0.11),
    "order": Part(0.0802, 0.9, 0.90),
}
_WEIGHT, _POWER, _SKILL = (np.array(column) for column in zip(*(WEIGHTS[part] for part in PARTS)))
#: What acts on skill: 0 for a working player, less below.
WORKING: Final = 0.75
_CURVE, _STEEPNESS = 2.6, 0.737


def learned(skill: Any) -> Any:
    """How much is still to be learned at a skill: 0 for a working player, more above. It falls quickly at first, and
    slower and slower.
    """
    trained = _STEEPNESS * (np.minimum(skill, 1.0) ** _CURVE - WORKING**_CURVE)
    return trained + _STEEPNESS * _CURVE * np.log(np.maximum(skill, 1.0))


def paces(moments: Moments) -> Floats:
    """Every part of every moment as a pace, shape (moments, parts)."""
    found: Floats = _WEIGHT * np.exp(_SKILL * learned(moments.skill)) * moments.rates**_POWER
    return np.where(moments.rates > 0, found, 0.0)


def amounts(moments: Moments) -> Floats:
    """What every part of every moment adds to the sum that the difficulty is the root of, (moments, parts)."""
    cubes = paces(moments) ** JOIN
    joined = cubes.sum(axis=1)
    return np.asarray(moments.time[:, None] * (joined ** (SUM / JOIN - 1.0))[:, None] * cubes)


def difficulty(moments: Moments, length: float) -> float:
    """The difficulty of a figure of some ``length`` in seconds; 0 where nothing is demanded."""
    if not length or not len(moments.time):
        return 0.0
    total: float = math.fsum(amounts(moments).sum(axis=1).tolist())
    return math.pow(total / length, 1.0 / SUM)


def by_kind(amounts: Floats) -> dict[str, Floats]:
    """The amounts of each demand (moments,), its parts together."""
    return {
        kind: np.asarray(sum((amounts[:, PARTS.index(part)] for part in parts), np.zeros(len(amounts))))
        for kind, parts in DEMAND_KINDS.items()
    }


def level_at(difficulty: float, pace: float | None = None, impossible: bool = False) -> str:
    """The word for a difficulty where the most hurried stroke has some ``pace``."""
    if impossible or (pace is not None and pace > LATE):
        return "impossible"
    if difficulty >= HARD or (pace is not None and pace > TIGHT):
        return "hard"
    return "busy" if difficulty >= BUSY else "easy"


def ease_at(difficulty: float) -> float:
    """Difficulty as 100 for nothing to do, falling towards 0."""
    return 100.0 / (1.0 + math.pow(difficulty / HARD, EASE_POWER))
