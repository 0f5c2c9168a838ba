"""What hands have learned: a second quantity beside difficulty, by which stickings that are as easy are told apart.

Difficulty alone would give everything to one hand. Players keep their leading hand, leave a surface with the hand
that keeps it, stick the same figure the same way, alternate, and play orders of hands that they know. What goes
against that is counted at every moment and weighed; the mean over the moments is the figure's *habit*: 0 where
nothing goes against it. Answers are ordered by ``ln(difficulty + 1/2) + habit``: where all is easy habit decides. The
weights are fitted on stickings that teaching accepts by ``calibration/fit_habit.py``; what a player's own habits add
is chosen. See ``docs/model.md``.
"""

from __future__ import annotations

import math
from typing import Final, NamedTuple

from deft_reach.core.analysis.orders import DOUBLES, ONE_HAND, SINGLES, hearing
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.model.sticking_habits import StickingHabits
from deft_reach.core.motion.cost import TERMS
from deft_reach.core.motion.pose import Floats

#: Fitted: see calibration/fit_habit.py.
WEIGHTS: Final = {
    "lead": 1.22, "surface": 0.15, "figure": 2.37, "start": 1.36, "breaks": 2.00, "doubles": 0.16,
    "others": 0.24, "one": 0.46, "fast": 0.45,
}  # fmt: skip
#: What counts more or less by how much practised orders count for a player.
BY_ORDER: Final = frozenset({"figure", "breaks", "doubles", "others", "one", "fast"})
#: Against a player's own habits: a moment of hats with the hand that is not wanted there, and one in a sticking that
#: is not preferred. Chosen: they outweigh what differs little in difficulty.
HATS, STICKING = 1.2, 0.4
#: Hand to hand is played no closer than this (seconds); what is quicker is played in doubles. Common practice.
SINGLES_GAP: Final = 0.085


class Learned(NamedTuple):
    """What goes against what hands have learned, each as a mean over the moments of a figure: the hand that leads,
    the kept surface, the same figure with the same hands, a beginning with the other hand, orders that are left for
    others or begun inside (see core.analysis.orders), strokes in doubles, in orders that are practised less, of one
    hand alone, and hand to hand where doubles are played.
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


class Habit(NamedTuple):
    """What goes against habit in a figure: what hands have ``learned``, and the player's ``own`` habits.

    By the own habits there count, as means over the moments, strokes hand to hand (``singles``) and hats with the
    hand across from them and beside them (``crossed``, ``opened``). ``hats_start`` is what ``learned.start`` is where
    the figure begins on the hats: whose habit says which hand plays them begins with that hand.
    """

    learned: Learned
    singles: float
    crossed: float
    opened: float
    hats_start: float
    own: StickingHabits

    @property
    def total(self) -> float:
        """All of it, weighed."""
        own, learned = self.own, self.learned
        weights = {name: weight * own.order if name in BY_ORDER else weight for name, weight in WEIGHTS.items()}
        total = math.fsum(weights[name] * value for name, value in zip(Learned._fields, learned))
        if own.hats != "free":
            total += HATS * (self.crossed if own.hats == "open" else self.opened) - weights["start"] * self.hats_start
        if own.sticking != "free":
            rather = self.singles if own.sticking == "doubles" else learned.doubles + learned.others
            total += STICKING * (rather + learned.one)
        return total


def habit_of(pattern: Pattern, costs: Floats, tempo: float, repeat: bool, kit: Kit, player: Player) -> Habit:
    """What goes against habit in a figure whose strokes cost ``costs`` (terms, strokes)."""
    n = len(pattern.events)
    if not n:
        return Habit(Learned(*(0.0,) * len(WEIGHTS)), 0.0, 0.0, 0.0, 0.0, player.habits)
    switch, keep, figure = (math.fsum(costs[TERMS.index(name)].tolist()) for name in ("switch", "keep", "figure"))
    first = next((event for event in pattern.events if any(s.limb in HANDS for s in event.strokes)), None)
    start = float(first is not None and player.lead not in {s.limb for s in first.strokes})
    heard = hearing(pattern, repeat, 240.0 / tempo)
    doubles, one = (sum(order in words for order in heard.order) for words in (DOUBLES, ONE_HAND))
    singles = sum(order == SINGLES for order in heard.order)
    others = sum(order != "" for order in heard.order) - doubles - one - singles
    fast = sum(order == SINGLES and gap < SINGLES_GAP for order, gap in zip(heard.order, heard.gap.tolist()))
    against = (switch, keep, figure, start, int(heard.breaks.sum()), doubles, others, one, fast)
    on_hats = [s.limb for s in pattern.strokes if s.limb in HANDS and piece_of(s.voice) in kit.hats]
    beside = on_hats.count(kit.hand_beside_hats)
    on_hats_first = first is not None and any(piece_of(s.voice) in kit.hats for s in first.strokes)
    learned = Learned(*(x / n for x in against))
    return Habit(
        learned, singles / n, (len(on_hats) - beside) / n, beside / n, start * on_hats_first / n, player.habits
    )
