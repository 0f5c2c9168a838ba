"""What hands have learned: a second quantity beside difficulty, by which stickings that are as easy are told apart.

Difficulty alone would give everything to one hand. Players keep their leading hand, leave a surface with the hand
that keeps it, stick the same figure the same way, alternate, and play orders of hands that they know. What goes
against that is counted at every moment and weighed; the mean over the moments is the figure's *habit*: 0 where
nothing goes against it. Answers are ordered by ``ln(difficulty + 1/2) + habit``: where all is easy habit decides. The
weights are fitted on stickings that teaching accepts by ``calibration/fit_habit.py``; see ``docs/model.md``.
"""

from __future__ import annotations

import math
from typing import Final, NamedTuple

from deft_reach.core.analysis.orders import DOUBLES, ONE_HAND, SINGLES, hearing
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.cost import TERMS
from deft_reach.core.motion.pose import Floats

#: Fitted: see calibration/fit_habit.py.
WEIGHTS: Final = {
    "lead": 1.22, "surface": 0.15, "figure": 2.37, "start": 1.36, "breaks": 2.00, "doubles": 0.16,
    "others": 0.24, "one": 0.46, "fast": 0.45,
}  # fmt: skip
#: Hand to hand is played no closer than this (seconds); what is quicker is played in doubles. Common practice.
SINGLES_GAP: Final = 0.085


class Habit(NamedTuple):
    """What goes against habit in a figure, each as a mean over its moments: the hand that leads, the kept surface,
    the same figure with the same hands, a beginning with the other hand, orders that are
    left for others or begun inside (see core.analysis.orders), strokes in doubles, in orders that are practised less,
    of one hand alone, and hand to hand where doubles are played.
    """

    lead: float
    surface: float
    figure: float
    start: float
    breaks: float
    doubles: float
    others: float
    one: float
    fast: float

    @property
    def total(self) -> float:
        """All of it, weighed."""
        return math.fsum(WEIGHTS[name] * value for name, value in zip(self._fields, self))


def habit_of(pattern: Pattern, costs: Floats, tempo: float, repeat: bool, lead: str) -> Habit:
    """What goes against habit in a figure whose strokes cost ``costs`` (terms, strokes) for a player whose leading
    hand is ``lead``.
    """
    n = len(pattern.events)
    if not n:
        return Habit(*(0.0,) * len(WEIGHTS))
    switch, keep, figure = (math.fsum(costs[TERMS.index(name)].tolist()) for name in ("switch", "keep", "figure"))
    first = next((event for event in pattern.events if any(s.limb in HANDS for s in event.strokes)), None)
    start = float(first is not None and lead not in {s.limb for s in first.strokes})
    heard = hearing(pattern, repeat, 240.0 / tempo)
    doubles, one = (sum(order in words for order in heard.order) for words in (DOUBLES, ONE_HAND))
    singles = sum(order == SINGLES for order in heard.order)
    others = sum(order != "" for order in heard.order) - doubles - one - singles
    fast = sum(order == SINGLES and gap < SINGLES_GAP for order, gap in zip(heard.order, heard.gap.tolist()))
    against = (switch, keep, figure, start, int(heard.breaks.sum()), doubles, others, one, fast)
    return Habit(*(x / n for x in against))
