"""The search for hands: the exact list of the k cheapest, for every term of the cost.

Ways through the graph of everything the hands can do (see graph) come in the order of a cost that is never more
than their own. Each is then costed by the analysis itself, and the list is closed when nothing that is left can be
cheaper.
A loop is searched from every beginning that its end can lead to, the promising ones first.
"""

from __future__ import annotations

import heapq
import math
from bisect import insort
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.analysis import DEFAULT_WEIGHTS, analyse, starts_high
from deft_reach.core.cost import Weights
from deft_reach.core.kit import Kit
from deft_reach.core.motion.clearance import passing
from deft_reach.core.motion.follow import Follow, follow, given_to, voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import Walk, squeeze, walk
from deft_reach.core.pattern import Pattern
from deft_reach.core.planner.assign import given, with_hands
from deft_reach.core.planner.graph import Graph, Limits
from deft_reach.core.planner.moments import moments_of
from deft_reach.core.planner.prices import Prices
from deft_reach.core.planner.schools import HATS, SCHOOLS, allowed_hands
from deft_reach.core.planner.ways import ways_through
from deft_reach.core.player import Player
from deft_reach.core.progress import SILENT, Progress
from deft_reach.core.report import Report

#: How many choices of the other hand a resting hand remembers at first; where that leaves doubt, more and more.
MEMORY: Final = (6, 12, 24)
#: Stickings costed by the analysis before more memory is tried, and at last before the list is no longer proven.
DOUBT: Final = (40, 100, 1500)
#: Rounds gone through before the one whose bounds count.
ROUNDS: Final = 1
#: How many moments of a loop are gone through before its round begins, at first.
RUN_IN: Final = 36
#: Costs closer than this are the same.
SAME: Final = 1e-9


class PlanError(ValueError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Sticking:
    """One answer: the hands of the open strokes in their order, and what the whole costs.

    ``differs`` lists the strokes with another hand than in the cheapest one; ``pattern`` is the pattern with these
    hands, ``text`` its stroke text and ``report`` its analysis.
    """

    asked: Pattern
    hands: tuple[str, ...]
    cost: float
    differs: tuple[int, ...]
    kit: Kit
    player: Player
    tempo: float
    repeat: bool
    weights: Weights

    @cached_property
    def pattern(self) -> Pattern:
        return with_hands(self.asked, dict(zip(self.asked.unassigned, self.hands)))

    @property
    def text(self) -> str:
        return self.pattern.text

    @cached_property
    def report(self) -> Report:
        return analyse(self.pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)


class _Costed(NamedTuple):
    """What a sticking costs: in all, the hands' part, and the hands of the open strokes."""

    total: float
    of_hands: float
    hands: tuple[str, ...]
    filled: Pattern
    followed: Follow
    walked: Walk


@dataclass(frozen=True)
class Stickings:
    """What was found: the cheapest first, how many states were looked at, and whether the order is proven."""

    best: tuple[Sticking, ...]
    searched: int
    proven: bool


def find_stickings(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    *,
    school: str = "free",
    hat: str = "free",
    max_run: int | None = None,
    excluded: dict[int, str] | None = None,
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    progress: Progress = SILENT,
) -> Stickings:
    """The ``best`` cheapest hands for a pattern's open strokes (``?``).

    ``school`` and ``hat`` are of SCHOOLS and HATS; ``max_run`` is the longest run of one hand; ``excluded`` names a
    hand that a stroke must not have. A loop's end meets its beginning. ``progress`` hears how many moves were
    weighed and the least cost so far, and can stop the search.

    Raises PlanError for unknown schools, and where no sticking satisfies everything asked.
    """
    if school not in SCHOOLS:
        raise PlanError(f"unknown school '{school}'; expected one of {', '.join(SCHOOLS)}")
    if hat not in HATS:
        raise PlanError(f"unknown hi-hat choice '{hat}'; expected one of {', '.join(HATS)}")
    if max_run is not None and max_run < 1:
        raise PlanError(f"the longest run is {max_run}; expected 1 or more")
    allowed = allowed_hands(pattern, kit, player, school, hat, excluded or {})
    search = _Search(
        pattern, kit, player, tempo, allowed, school == "alternate", max_run, max(1, best), repeat, weights, progress
    )
    return search.run()


class _Search:
    def __init__(
        self, pattern: Pattern, kit: Kit, player: Player, tempo: float, allowed: dict[int, tuple[str, ...]],
        alternate: bool, max_run: int | None, best: int, repeat: bool, weights: Weights,
        progress: Progress = SILENT,
    ) -> None:  # fmt: skip
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.best, self.repeat, self.weights, self.progress = best, repeat, weights, progress
        self.limits = Limits(alternate, max_run)
        self.whole = 240.0 / tempo
        self.table = reach_table(kit, player, voices_of(pattern))
        self.allowed = allowed
        self.run_in = RUN_IN if repeat else 0
        self.looked = 0
        self._model: Pattern | None = None
        self._lay_out()

    def _lay_out(self) -> None:
        """The moments, a loop's run-in before them, and what everything costs."""
        names = self.table.names
        self.moments, self.begins, self.places = moments_of(
            self.pattern, names, len(names) + 1, self.allowed, self.run_in
        )
        if any(not m.options for m in self.moments):
            raise self._nothing()
        self.prices = Prices(self.table, self.weights, self.whole, self.places)

    def _graph(self, memory: int) -> Graph:
        """The graph; a loop's with a run-in so long that every state of its end is one of its beginning."""
        while True:
            graph = Graph(
                self.moments, self.begins, self.places, self.prices, self.limits, self.repeat, memory, self.progress
            )
            self.looked += sum(step.cost.size for step in graph.steps)
            if not self.repeat or (graph.back >= 0).all() or self.run_in > 4 * len(self.pattern.events) + 64:
                return graph
            self.run_in *= 4
            self._lay_out()

    @staticmethod
    def _nothing() -> PlanError:
        return PlanError("no sticking satisfies all of that: allow longer runs, another school or the other hand")

    def run(self) -> Stickings:
        found: dict[tuple[str, ...], _Costed] = {}
        proven = False
        for memory, most in zip(MEMORY, DOUBT):
            graph = self._graph(memory)
            proven = self._collect(graph, found, most)
            if proven:
                break
        if not found:
            raise self._nothing()
        rows = sorted(found.values(), key=lambda row: (row.total, row.hands))[: self.best]
        # The best are ranked by all of their cost: how close the arms pass is not a matter of single strokes.
        rows = sorted((self._passed(row) for row in rows), key=lambda row: (row.total, row.hands))
        first = rows[0].hands
        return Stickings(
            tuple(
                Sticking(
                    self.pattern, row.hands, row.total,
                    tuple(i for i, a, b in zip(self.pattern.unassigned, row.hands, first) if a != b),
                    self.kit, self.player, self.tempo, self.repeat, self.weights,
                )
                for row in rows
            ),
            self.looked,
            proven,
        )  # fmt: skip

    def _collect(self, graph: Graph, found: dict[tuple[str, ...], _Costed], most: int) -> bool:
        """Cost stickings in the order of their bounds until no other can be among the best; whether that came."""
        costs = sorted(row.of_hands for row in found.values())
        least = min((row.total for row in found.values()), default=math.inf)
        ways = self._loops(graph) if self.repeat else ways_through(graph, graph.backward(graph.free_end()), 0, 0)
        for looked, (bound, hands) in enumerate(ways):
            if len(costs) >= self.best and bound >= costs[self.best - 1] - SAME:
                return True
            if looked >= most:
                return False
            self.progress.at(self.looked + looked, None, least if found else None)
            if hands not in found:
                found[hands] = self._costed(hands)
                insort(costs, found[hands].of_hands)
                least = min(least, found[hands].total)
        return True

    def _costed(self, hands: tuple[str, ...]) -> _Costed:
        """A sticking as the analysis costs it."""
        # Only what the walk reads has to fit together: the text is written for those that are kept.
        strokes = given(self.pattern, dict(zip(self.pattern.unassigned, hands)))
        filled = replace(self.pattern, strokes=strokes)
        if self._model is None:
            self._model = filled
        else:
            given_to(filled, self._model, self.pattern.unassigned, hands)
        followed = follow(filled, self.table.names, self.repeat)
        walked = walk(filled, followed, self.whole, self.table, self.weights)
        of_hands = walked.costs[:, followed.hands.index]
        total = math.fsum(walked.costs.ravel().tolist())
        return _Costed(total, math.fsum(of_hands.ravel().tolist()), hands, filled, followed, walked)

    def _passed(self, row: _Costed) -> _Costed:
        """With what close passing adds."""
        high = starts_high(row.filled, self.repeat)
        found = passing(row.filled, row.followed, self.table, high, self.repeat)
        squeeze(row.walked, found, self.weights)
        return row._replace(total=math.fsum(row.walked.costs.ravel().tolist()))

    def _loops(self, graph: Graph) -> Iterator[tuple[float, tuple[str, ...]]]:
        """Rounds that end as they began, in the order of their bounds, over all beginnings.

        Every loop is bounded by the state it comes through, and only the few that promise something are searched.
        """
        line: list[tuple[float, tuple[int, int], Iterator[tuple[float, tuple[str, ...]]] | None, tuple[str, ...]]] = [
            (bound, through, None, ()) for through, bound in graph.loop_bounds(ROUNDS).items()
        ]
        heapq.heapify(line)
        while line:
            bound, through, ways, hands = heapq.heappop(line)
            if ways is not None:
                yield bound, hands
            else:
                end = np.full_like(graph.free_end(), np.inf)
                end[through] = 0.0
                ways = ways_through(graph, graph.backward(end), through[0], int(graph.back[through[1]]))
            following = next(ways, None)
            if following is not None:
                heapq.heappush(line, (following[0], through, ways, following[1]))
