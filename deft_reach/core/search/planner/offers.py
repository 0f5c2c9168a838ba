"""The hands that are offered: of every kind that players would write and of the cheapest ones those that are judged
easiest, the best first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from operator import attrgetter
from typing import Any, Final, NamedTuple

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS
from deft_reach.core.analysis.demands import share
from deft_reach.core.analysis.difficulty import HEADROOM, LEVELS
from deft_reach.core.analysis.ranking import Merit, in_order, merit_of_walk
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.follow import voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.search.planner.assign import written_twice
from deft_reach.core.search.planner.kinds import HAND_KINDS, kind_of, written
from deft_reach.core.search.planner.search import LONG, SAME, PlanError, Sticking, Stickings, cheapest_stickings

#: Out of so many of the cheapest stickings the offered ones are taken; in long figures out of MORE than are asked for
#: or USUAL.
POOL: Final = 24
USUAL, MORE = 5, 1
#: Every sticking there is is judged where no more hands are open than this.
FEW_OPEN: Final = 7
#: The first of so many likely ones is the first, however few are asked for.
LIKELY: Final = 8
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
    kind: str | None = None,
    excluded: dict[int, str] | None = None,
    **question: Any,
) -> Stickings:
    """The ``best`` hands for a pattern's open strokes (``?``), as they are judged (see analysis.ranking).

    They are taken out of the POOL cheapest and of those that players would write first (see kinds): one of every
    kind, then the next likely ones. What goes more against habit than the likeliest makes up for by being easier does
    not stand before it; the easiest such is named apart (``easier``). The list is proven where all there are were
    judged, or where the one that is judged easiest is the cheapest as well. With a ``kind`` (of HAND_KINDS) only
    hands of that kind are offered. Takes what ``cheapest_stickings`` takes, and raises what it raises and PlanError
    where there are no hands of that kind. A loop that comes round hand to hand only every other time is answered
    written twice (``twice``).
    """
    best = max(1, best)
    pool = _pool(pattern, best)
    whole = 240.0 / tempo
    judge = _Judge(player, kind)
    ask = partial(cheapest_stickings, pattern, kit, player, tempo, repeat=repeat, weights=weights, **question)
    try:
        found = ask(
            best=pool, excluded=excluded, also=lambda cheapest: written(pattern, cheapest, repeat, whole, judge.lead)
        )
    except PlanError:
        # Hand to hand a loop of an odd number of strokes comes round every other time.
        odd = sum(any(s.limb not in FEET for s in event.strokes) for event in pattern.events) % 2
        twice = written_twice(pattern) if odd and repeat and question.get("school") == "alternate" else None
        if twice is None:
            raise
        more = {i + len(pattern.strokes): hand for i, hand in (excluded or {}).items()}
        question |= {"repeat": repeat, "weights": weights, "kind": kind, "excluded": {**(excluded or {}), **more}}
        return replace(find_stickings(twice, kit, player, tempo, best=best, **question), twice=True)
    judge.look_at(found)
    searched = found.searched
    for others in _less_hurried(found, judge, partial(ask, best=min(pool, OTHERS)), dict(excluded or {})):
        searched += others.searched
        judge.look_at(others)
    rows = judge.offered(best)
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
        also=(),
        easier=judge.easier,
    )


def _pool(pattern: Pattern, best: int) -> int:
    """How many of the cheapest stickings are judged: every one where few hands are open."""
    if len(pattern.unassigned) <= FEW_OPEN:
        return int(2 ** len(pattern.unassigned)) + 1
    return max(best, POOL) if len(pattern.events) <= LONG else max(best, USUAL) + MORE


def _less_hurried(
    found: Stickings, judge: _Judge, ask: Callable[..., Stickings], excluded: dict[int, str]
) -> Iterator[Stickings]:
    """Other stickings while the first one has a caution: what is hurried in it may be easier with the other hand, at
    more cost elsewhere.
    """
    before = None
    for _ in range(ROUNDS):
        first = judge.offered(1)[0]
        hurried = first.report.summary.bottleneck
        if hurried is None or hurried not in first.asked.unassigned or hurried in excluded:
            return
        if first is before or not first.report.serious:
            return
        before = first
        excluded[hurried] = first.pattern.strokes[hurried].limb
        try:
            others = ask(excluded=excluded)
        except PlanError:
            return
        if others.open != found.open:
            # The other hand is not allowed there: it would stay open.
            return
        yield others


class _Judged(NamedTuple):
    """A sticking with what it is ordered by."""

    merit: Merit
    row: Sticking


class _Judge:
    """Judges stickings of one question, each once."""

    def __init__(self, player: Player, kind: str | None = None) -> None:
        self.kind = kind
        self.lead = player.lead
        self.easier: Sticking | None = None
        self._model: Pattern | None = None
        self._judged: dict[tuple[str, ...], _Judged] = {}

    def look_at(self, found: Stickings) -> None:
        """Judge those that have not been seen yet."""
        for row in (*found.best, *found.also):
            if row.hands not in self._judged:
                pattern, walked = found.walked[row.hands]
                if self._model is None:
                    self._model = pattern
                share(pattern, self._model)
                table = reach_table(row.kit, row.player, voices_of(pattern))
                merit = merit_of_walk(pattern, walked, table, row.tempo, row.repeat)
                kind = kind_of(pattern, row.repeat, 240.0 / row.tempo, self.lead)
                self._judged[row.hands] = _Judged(merit, replace(row, kind=kind))

    def offered(self, best: int) -> list[Sticking]:
        """The likeliest of every kind and the next likely ones, in the order of every list; of those that are as
        likely first those that the leading hand begins.
        """

        def likeliness(judged: _Judged) -> tuple[int, bool, float, list[bool]]:
            others = [hand != self.lead for hand in judged.row.hands]
            return judged.merit.weight, any(others[:1]), round(judged.row.cost, 1), others

        ordered = sorted(self._of_kind(), key=likeliness)
        first, apart = ordered[0], []
        if first.merit.level < len(LEVELS) - 1 and first.merit.limit >= HEADROOM * first.row.tempo:
            # What is less likely does not stand before it for being easier, unless it is better by two levels.
            weight, level = first.merit.weight, first.merit.level - 1
            apart = [
                row for row in ordered
                if row.merit.weight > weight and row.merit.level >= level and first.merit.clearly_behind(row.merit)
            ]  # fmt: skip
            named = {id(row) for row in apart}
            ordered = [row for row in ordered if id(row) not in named]
        # One of every kind, and then the next likely ones.
        leading = {id(row) for row in {judged.row.kind: judged for judged in reversed(ordered)}.values()}
        likely = sorted(ordered, key=lambda row: id(row) not in leading)[: max(best, LIKELY)]
        likely.sort(key=likeliness)
        rows = in_order(likely, attrgetter("merit"))
        easier = in_order((row for row in apart if rows[0].merit.clearly_behind(row.merit)), attrgetter("merit"))
        self.easier = easier[0].row if easier else None
        return [judged.row for judged in rows][:best]

    def _of_kind(self) -> list[_Judged]:
        rows = [judged for judged in self._judged.values() if self.kind in (None, judged.row.kind)]
        if not rows:
            known = {judged.row.kind for judged in self._judged.values()}
            there = ", ".join(kind for kind in HAND_KINDS if kind in known)
            raise PlanError(f"no hands of the kind '{self.kind}' were found; there are: {there}")
        return rows
