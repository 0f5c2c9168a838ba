"""The hands that are offered: out of the cheapest ones those that are judged easiest, the best first."""

from __future__ import annotations

from dataclasses import replace
from operator import itemgetter
from typing import Any, Final

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS
from deft_reach.core.analysis.ranking import Merit, in_order, merit_of_walk
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.follow import voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.search.planner.search import LONG, SAME, PlanError, Sticking, Stickings, cheapest_stickings

#: Out of so many of the cheapest stickings the offered ones are taken; in long figures out of so many more than are
#: asked for.
POOL: Final = 24
MORE: Final = 3
#: The first of so many likely ones is the first, however few are asked for.
LIKELY: Final = 5
#: While the first one has a caution, the hand of its most hurried stroke is excluded and so many more are looked at,
#: so many times.
OTHERS: Final = 8
ROUNDS: Final = 3


def find_stickings(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    *,
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    excluded: dict[int, str] | None = None,
    **question: Any,
) -> Stickings:
    """The ``best`` hands for a pattern's open strokes (``?``), as they are judged (see analysis.ranking).

    They are taken out of the POOL cheapest: the cost decides what is looked at, and the judgement what is said. The
    list is proven where all there are were judged, or where the one that is judged easiest is the cheapest as well.
    Takes what ``cheapest_stickings`` takes, and raises what it raises.
    """
    best = max(1, best)
    pool = max(best, POOL) if len(pattern.events) <= LONG else max(best, LIKELY) + MORE
    question |= {"repeat": repeat, "weights": weights}
    found = cheapest_stickings(pattern, kit, player, tempo, best=pool, excluded=excluded, **question)
    judge = _Judge(player)
    judge.look_at(found)
    searched = found.searched
    rows = judge.offered(best)
    without = dict(excluded or {})
    for _ in range(ROUNDS):
        # What is hurried in the first one may be easier with the other hand, at more cost elsewhere.
        hurried = rows[0].report.summary.bottleneck
        if not rows[0].report.serious or hurried not in pattern.unassigned or hurried in without:
            break
        without[hurried] = rows[0].pattern.strokes[hurried].limb
        try:
            others = cheapest_stickings(
                pattern, kit, player, tempo, best=min(pool, OTHERS), excluded=without, **question
            )
        except PlanError:
            break
        if others.open != found.open:
            # The other hand is not allowed there: it would stay open.
            break
        searched += others.searched
        judge.look_at(others)
        before, rows = rows, judge.offered(best)
        if rows[0] is before[0]:
            break
    first = rows[0].hands
    names = pattern.unassigned
    return replace(
        found,
        searched=searched,
        # All there are were judged, or what is judged easiest is the cheapest as well.
        proven=found.proven and (len(found.best) < pool or rows[0].cost <= found.best[0].cost + SAME),
        best=tuple(
            replace(row, differs=tuple(i for i, a, b in zip(names, row.hands, first) if a != b)) for row in rows
        ),
    )


class _Judge:
    """Judges stickings of one question, each once."""

    def __init__(self, player: Player) -> None:
        self.lead = RIGHT if player.handedness == "right" else LEFT
        self._judged: dict[tuple[str, ...], tuple[Merit, Sticking]] = {}

    def look_at(self, found: Stickings) -> None:
        """Judge those that have not been seen yet."""
        for row in found.best:
            if row.hands not in self._judged:
                pattern, walked = found.walked[row.hands]
                table = reach_table(row.kit, row.player, voices_of(pattern))
                merit = merit_of_walk(pattern, walked, table, row.tempo, row.repeat)
                self._judged[row.hands] = merit, row

    def offered(self, best: int) -> list[Sticking]:
        """The likeliest by difficulty and habit, in the order of every list; of those that are as likely first those
        that the leading hand begins.
        """

        def likeliness(judged: tuple[Merit, Sticking]) -> tuple[int, bool, float, list[bool]]:
            merit, row = judged
            others = [hand != self.lead for hand in row.hands]
            return merit.weight, any(others[:1]), round(row.cost, 1), others

        likely = sorted(self._judged.values(), key=likeliness)[: max(best, LIKELY)]
        return [row for _, row in in_order(likely, itemgetter(0))][:best]
