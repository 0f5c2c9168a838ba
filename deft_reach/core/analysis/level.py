"""How hard a pattern is for its player at its tempo: one number, and the word for it.

The *difficulty* is a pace: 1.0 is the limit. It begins with the hardest single demand, the highest pace of any
stroke, or of any limb on the whole where that is higher. Pace cannot see what makes a figure hard to keep together:
hands and feet that take turns, rhythms that are hard to foresee, arms that cross, graces, odd divisions of the beat.
Their rates a second, each with its weight, add up to a second pace, and both are joined as

    difficulty = (pace³ + coordination³)^(1/3)

so that the greater of the two decides. The weights are fitted on judged figures by ``calibration/fit_level.py``; see
``docs/model.md``.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from dataclasses import dataclass, fields
from typing import Final

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.timing import restrike
from deft_reach.core.motion.walk import Walk

LEVELS: Final = ("easy", "busy", "hard", "impossible")
#: The difficulties from which a figure is busy and hard. Impossible is what has no time, no limb or no reach.
BUSY, HARD = 0.6, 0.85
#: The difficulty at which ease is 0.
NO_EASE: Final = 1.15
#: A limb's load is looked at over so many seconds of a figure that is played once.
WINDOW: Final = 4.0
#: How the two paces are joined.
_POWER: Final = 3.0


@dataclass(frozen=True, slots=True)
class Demands:
    """What makes a figure hard to keep together, a second: ``turns`` of hands and feet alone after each other, hands
    that change ``together`` with the feet, bits of ``surprise`` in which limbs follow which, ``graces``,
    ``crossings`` of the arms, strokes in a ``held`` crossing that is not the ordinary one; then whether the beat is
    divided by an ``odd`` number, and the mean ``stretch`` of the strokes.
    """

    turns: float = 0.0
    together: float = 0.0
    surprise: float = 0.0
    graces: float = 0.0
    crossings: float = 0.0
    held: float = 0.0
    odd: float = 0.0
    stretch: float = 0.0


#: What each of them counts. Fitted: see calibration/fit_level.py.
WEIGHTS: Final = Demands(
    turns=0.104, together=0.134, surprise=0.027, graces=0.239, crossings=0.26, held=0.133, odd=0.444, stretch=0.166
)


def coordination(demands: Demands, weights: Demands = WEIGHTS) -> float:
    """Everything but pace, as a pace."""
    return math.fsum(getattr(demands, f.name) * getattr(weights, f.name) for f in fields(Demands))


def difficulty(pace: float, demands: Demands, weights: Demands = WEIGHTS) -> float:
    """Pace and coordination as one number."""
    return float((pace**_POWER + coordination(demands, weights) ** _POWER) ** (1.0 / _POWER))


def level_at(difficulty: float, impossible: bool) -> str:
    """The word for a difficulty."""
    if impossible:
        return "impossible"
    return "hard" if difficulty >= HARD else "busy" if difficulty >= BUSY else "easy"


def ease_at(difficulty: float) -> float:
    """Difficulty as 100 for nothing to do, falling to 0."""
    return 100.0 * max(0.0, 1.0 - (difficulty / NO_EASE) ** 2)


def highest_pace(pattern: Pattern, walked: Walk, table: ReachTable, length: float, repeat: bool) -> float:
    """The highest pace of a stroke or a grace, or of a limb on the whole; ``length`` in seconds."""
    single = max((pace for pace in walked.pace if pace), default=0.0)
    graces = max((grace.pace for grace in walked.graces), default=0.0)
    return max(single, graces, min(1.0, _sustained(pattern, table, length, repeat)))


def _sustained(pattern: Pattern, table: ReachTable, length: float, repeat: bool) -> float:
    """The highest pace of a limb over a loop, or over any few seconds of what is played once."""
    if not length or not (repeat or length > WINDOW):
        return 0.0
    whole = length / float(pattern.length)
    times: dict[str, list[float]] = {}
    for stroke, start in zip(pattern.strokes, pattern.starts):
        times.setdefault(HAT_FOOT if stroke.limb == SECOND_KICK else stroke.limb, []).append(start * whole)
    highest = 0.0
    for limb in (RIGHT, LEFT, KICK, HAT_FOOT):
        mine = times.get(limb)
        if not mine:
            continue
        most = float(len(mine)) / length
        if length > WINDOW:
            at = np.array(mine)
            most = max(
                most if repeat else 0.0, float((np.searchsorted(at, at + WINDOW) - np.arange(len(at))).max()) / WINDOW
            )
        highest = max(highest, most * restrike(table.player, limb))
    return highest


def demands_of(pattern: Pattern, walked: Walk, table: ReachTable, length: float, repeat: bool) -> Demands:
    """What a walked pattern of ``length`` seconds demands beside pace."""
    if not length or not pattern.strokes:
        return Demands()
    turns, together, surprise, odd = _rhythm(pattern, repeat)
    ordinary = {"hi-hat", "snare"}
    kinds = {piece.code: piece.kind for piece in table.kit}
    held = 0
    for posture in walked.postures:
        if posture.cross is not None and posture.right is not None and posture.left is not None:
            pair = {kinds.get(piece_of(voice)) for voice in (posture.right, posture.left)}
            held += pair != ordinary
    hands = [i for i, stroke in enumerate(pattern.strokes) if stroke.limb in HANDS]
    return Demands(
        turns=turns / length,
        together=together / length,
        surprise=surprise / length,
        graces=len(walked.graces) / length,
        crossings=len(walked.entered) / length,
        held=held / length,
        odd=odd,
        stretch=float(walked.costs[1, hands].mean()) if hands else 0.0,
    )


@derived
def _rhythm(pattern: Pattern, repeat: bool) -> tuple[int, int, float, float]:
    """Turns, changes together, surprise in bits, and whether any division is odd: what the rhythm alone says."""
    sets = [frozenset(stroke.limb for stroke in event.strokes) for event in pattern.events]
    pairs = list(zip(sets, [*sets[1:], *(sets[:1] if repeat else ())]))
    hands, feet = frozenset(HANDS), frozenset(FEET)
    turns = sum(bool((a <= hands and b <= feet) or (a <= feet and b <= hands)) for a, b in pairs)
    together = sum(
        bool(a & hands and b & hands and a & hands != b & hands and a & feet != b & feet) for a, b in pairs
    )
    following: dict[frozenset[str], Counter[frozenset[str]]] = defaultdict(Counter)
    if any(row & feet for row in sets):
        for a, b in pairs:
            following[a][b] += 1
    surprise = math.fsum(
        -count * math.log2(count / total)
        for found in following.values()
        for total in (sum(found.values()),)
        for count in found.values()
    )
    odd = any((stroke.start * 192).denominator != 1 for stroke in pattern.strokes)
    return turns, together, surprise, float(odd)
