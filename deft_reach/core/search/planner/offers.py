"""The hands that are offered: out of the cheapest ones those that are judged easiest, the best first."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from operator import attrgetter
from typing import Any, Final

from deft_reach.core.analysis.ranking import in_order, merit_of
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.search.planner.search import LONG, SAME, PlanError, Sticking, Stickings, cheapest_stickings

#: Out of so many of the cheapest stickings the offered ones are taken; in long figures out of so many more than are
#: asked for.
POOL: Final = 24
MORE: Final = 3
#: While the first one has a caution, the hand of its most hurried stroke is excluded and so many more are looked at,
#: so many times.
OTHERS: Final = 8
ROUNDS: Final = 3


def find_stickings(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, *, best: int = 5, **question: Any
) -> Stickings:
    """The ``best`` hands for a pattern's open strokes (``?``), as they are judged (see analysis.ranking).

    They are taken out of the POOL cheapest: the cost decides what is looked at, and the judgement what is said. The
    list is proven where all there are were judged, or where the one that is judged easiest is the cheapest as well.
    Takes what ``cheapest_stickings`` takes, and raises what it raises.
    """
    best = max(1, best)
    pool = max(best, POOL) if len(pattern.events) <= LONG else best + MORE
    found = cheapest_stickings(pattern, kit, player, tempo, best=pool, **question)
    looked_at = {row.hands: row for row in found.best}
    searched = found.searched
    rows = _offered(looked_at.values(), best)
    excluded = dict(question.pop("excluded", None) or {})
    for _ in range(ROUNDS):
        # What is hurried in the first one may be easier with the other hand, at more cost elsewhere.
        hurried = rows[0].report.summary.bottleneck
        if not rows[0].report.serious or hurried not in pattern.unassigned or hurried in excluded:
            break
        excluded[hurried] = rows[0].pattern.strokes[hurried].limb
        try:
            others = cheapest_stickings(
                pattern, kit, player, tempo, best=min(pool, OTHERS), excluded=excluded, **question
            )
        except PlanError:
            break
        searched += others.searched
        looked_at |= {row.hands: row for row in others.best if row.hands not in looked_at}
        before, rows = rows, _offered(looked_at.values(), best)
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


def _offered(stickings: Iterable[Sticking], best: int) -> list[Sticking]:
    """The likeliest by difficulty and habit, in the order of every list; of those that are as likely first those that
    the leading hand begins.
    """

    def likeliness(row: Sticking) -> tuple[int, bool, float, list[bool]]:
        lead = RIGHT if row.player.handedness == "right" else LEFT
        return (
            merit_of(row.report).weight,
            row.hands[:1] != (lead,),
            round(row.cost, 1),
            [hand != lead for hand in row.hands],
        )

    likely = sorted(stickings, key=likeliness)[:best]
    return in_order(likely, attrgetter("report"))
