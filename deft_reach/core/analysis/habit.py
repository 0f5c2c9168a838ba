"""What hands have learned: a second quantity beside difficulty, by which stickings that are as easy are told apart.

Difficulty alone would give everything to one hand. Players keep their leading hand, leave a surface with the hand
that keeps it, stick the same figure the same way, alternate, and play orders of hands that they know. What goes
against that is counted at every moment and weighed; the mean over the moments is the figure's *habit*: 0 where
nothing goes against it. Answers are ordered by ``ln(difficulty + 1/2) + habit``: where all is easy habit decides. The
weights are fitted on stickings that teaching accepts by ``calibration/fit_habit.py``; see ``docs/model.md``.
"""

from __future__ import annotations

import math
from collections import Counter
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.limbs import HANDS, LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.cost import AGAIN_COST, TERMS
from deft_reach.core.motion.pose import Floats

#: Fitted: see calibration/fit_habit.py.
WEIGHTS: Final = {"lead": 2.19, "surface": 1.38, "figure": 3.16, "again": 1.25, "order": 0.40}
#: A load above this is a tiring run and not a hand that strikes again.
LEAST_RUN: Final = 0.35

#: Orders of hands that are practised, and how much each is: singles most, then doubles and paradiddles, then the
#: other rudiments and what fills are made of. Common practice.
PRACTISED: Final = {
    "RL": 8.0, "RRLL": 3.0, "RLRRLRLL": 2.0, "RLRLRRLRLRLL": 1.0, "RLRRLL": 1.0, "RLLRRL": 1.0, "RLL": 1.0,
    "RRL": 1.0, "RLR": 1.0, "RLRLRR": 1.0, "R": 1.0, "RLLR": 1.0, "RRLRLLRL": 1.0, "RLLRLRRL": 1.0,
    "RLRLRLRLRR": 1.0, "RRLLR": 1.0, "RRLLRRL": 1.0, "RRLLRRLLR": 1.0,
}  # fmt: skip
#: Odd orders that come round with the same hand; the other odd ones go on with the other hand.
_SAME_HAND: Final = frozenset({"R", "RLL", "RRL", "RLR"})
#: So many strokes are known together.
KNOWN: Final = 5
#: Strokes further apart than this (seconds) do not belong to one order, and it is looked for over so many moments.
ORDER_GAP: Final = 0.45
ORDER_MOMENTS: Final = 12
_OTHER: Final = str.maketrans("RL", "LR")


class Habit(NamedTuple):
    """What goes against habit in a figure, each as a mean over its moments: the hand that leads, the kept surface,
    the same figure with the same hands, a hand that strikes again, and an order that is not known (bits).
    """

    lead: float
    surface: float
    figure: float
    again: float
    order: float

    @property
    def total(self) -> float:
        """All of it, weighed."""
        return math.fsum(WEIGHTS[name] * value for name, value in zip(self._fields, self))


def habit_of(pattern: Pattern, costs: Floats, tempo: float, repeat: bool) -> Habit:
    """What goes against habit in a figure whose strokes cost ``costs`` (terms, strokes)."""
    n = len(pattern.events)
    if not n:
        return Habit(0.0, 0.0, 0.0, 0.0, 0.0)
    switch, keep, figure = (math.fsum(costs[TERMS.index(name)].tolist()) for name in ("switch", "keep", "figure"))
    hands = np.array([stroke.limb in HANDS for stroke in pattern.strokes])
    load = costs[TERMS.index("load")][hands]
    again = math.fsum(np.where(load < LEAST_RUN, load, AGAIN_COST).tolist())
    order = math.fsum(_surprises(pattern, repeat, 240.0 / tempo))
    return Habit(*(x / n for x in (switch, keep, figure, again, order)))


def _counts() -> Counter[str]:
    """How often each order of up to KNOWN hands, begun by the right, comes in what is practised."""
    found: Counter[str] = Counter()
    for word, practised in PRACTISED.items():
        odd = len(word) % 2 and word not in _SAME_HAND
        line = (word + word.translate(_OTHER)) * 6 if odd else word * 12
        for i in range(2 * len(word)):
            order = _from_the_right(line[i : i + KNOWN])
            for k in range(1, KNOWN + 1):
                found[order[:k]] += practised / (2 * len(word))  # type: ignore[assignment]
    return found


def _from_the_right(order: str) -> str:
    return order.translate(_OTHER) if order[0] == LEFT else order


_COUNTS: Final = _counts()


@derived
def _surprises(pattern: Pattern, repeat: bool, whole: float) -> list[float]:
    """Bits of surprise of each hand that strikes alone after up to KNOWN − 1 before it, a number for each moment; 0
    hand to hand.
    """
    sides = []
    for event in pattern.events:
        hands = {s.limb for s in event.strokes} & {RIGHT, LEFT}
        sides.append("B" if len(hands) == 2 else next(iter(hands), ""))
    starts = [float(start) * whole for start in pattern.event_starts]
    length, n = float(pattern.length) * whole, len(sides)
    found = [0.0] * n
    for k in range(n):
        if sides[k] not in HANDS:
            continue
        order, j = sides[k], 1
        while len(order) < KNOWN and j < ORDER_MOMENTS and (repeat or k - j >= 0):
            at = (k - j) % n
            gap = starts[(at + 1) % n] - starts[at] + (length if at == n - 1 else 0.0)
            if sides[at] == "B" or gap > ORDER_GAP:
                break
            order, j = sides[at] + order, j + 1
        if len(order) > 1:
            order = _from_the_right(order)
            found[k] = max(0.0, math.log2((_COUNTS[order[:-1]] + 0.04) / (_COUNTS[order] + 0.02)))
    return found
