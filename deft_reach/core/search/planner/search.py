"""The search for hands: the exact list of the k cheapest, for every term of the cost.

Ways through the graph of everything the hands can do (see graph) come in the order of a cost that is never more
than their own. Each is then costed by the analysis itself, close passing included, and the list is closed when
nothing that is left can be cheaper: that is the proof. A loop is searched from every state it can begin in, the
promising ones first.
"""

from __future__ import annotations

import heapq
import math
from bisect import insort
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.findings import too_many
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.counting import in_bar
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import EITHER, FEET, HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.columns import given_to, share
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.follow import follow, voices_of
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import ROW, Walk, full_walk
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner.assign import given, with_hands
from deft_reach.core.search.planner.graph import Graph
from deft_reach.core.search.planner.moments import left_open, moments_of
from deft_reach.core.search.planner.pricing import Limits, Problem
from deft_reach.core.search.planner.repeated_bars import alike
from deft_reach.core.search.planner.schools import HATS, SCHOOLS, allowed_hands
from deft_reach.core.search.planner.states import States
from deft_reach.core.search.planner.ways import ways_through
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: How many choices a state remembers at first; where that leaves doubt, more.
MEMORY: Final = (8, 11)
#: In figures of more moments than LONG only the WIDTH states before each are looked at that promise most by a memory
#: of ROUGH choices.
LONG: Final = 96
WIDTH: Final = 32
ROUGH: Final = 5
#: The proof of a long figure's list seldom comes: so many stickings are costed beyond those asked for.
FEW: Final = 4
#: Strokes costed by the analysis before more memory is tried, and at last before the list is no longer proven.
DOUBT: Final = (2_000, 20_000)
#: More memory than at first is worth its time only for so many choices.
MOST_CHOICES: Final = 64
#: So many stickings that may cost as much as the last of the list are costed too.
TIES: Final = 8
#: Costs closer than this are the same.
SAME: Final = 1e-9


class PlanError(SearchError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Sticking:
    """One answer: the hands of the open strokes in their order (``?`` where none can play it), and the whole cost.

    ``differs`` lists the strokes with another hand than in the first one; ``kind`` is what kind of hands they are
    (see kinds; empty where it is not known). ``pattern`` is the pattern with these hands, ``text`` its stroke text
    and ``report`` its analysis.
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
    kind: str = ""

    @cached_property
    def pattern(self) -> Pattern:
        return with_hands(self.asked, dict(zip(self.asked.unassigned, self.hands)))

    @property
    def text(self) -> str:
        return self.pattern.text

    @cached_property
    def report(self) -> Report:
        return analyse(self.pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)


#: Names stickings, given the hands of the open strokes in the cheapest one.
Also = Callable[[dict[int, str]], Iterable[Mapping[int, str]]]


class _Costed(NamedTuple):
    """What a sticking costs: in all, the part that depends on the hands, the hands of the open strokes, and the
    pattern with them, walked; its text is not written.
    """

    total: float
    of_hands: float
    hands: tuple[str, ...]
    walked: tuple[Pattern, Walk]


class OpenMoment(NamedTuple):
    """A moment that no hands can play: the strokes (their indices) that stay open, why, and what to do about it."""

    strokes: tuple[int, ...]
    why: str
    advice: str


@dataclass(frozen=True)
class Stickings:
    """What was found: the cheapest first, how many states were looked at, and whether the order is proven.

    ``open`` are the moments that no hands can play; everything else is planned. ``also`` are stickings that were
    asked for, cheap or not, and ``easier`` one that is judged clearly easier than the first but goes against habit;
    ``twice`` says that the pattern is written twice in all of them.
    ``walked`` holds each sticking's pattern and walk, by its hands; the text of these patterns is the question's.
    """

    best: tuple[Sticking, ...]
    searched: int
    proven: bool
    open: tuple[OpenMoment, ...] = ()
    also: tuple[Sticking, ...] = ()
    easier: Sticking | None = None
    twice: bool = False
    walked: Mapping[tuple[str, ...], tuple[Pattern, Walk]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def open_in_words(self) -> list[str]:
        """A line for every moment that stays open: where, why, and what to do about it."""
        strokes = self.best[0].report.strokes
        places = [in_bar(strokes[row.strokes[0]].bar, strokes[row.strokes[0]].beat) for row in self.open]
        return [f"{at} stays open: {row.why}; {row.advice}" for at, row in zip(places, self.open)]


def cheapest_stickings(
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
    also: Also | None = None,
    progress: Progress = NO_PROGRESS,
) -> Stickings:
    """The ``best`` cheapest hands for a pattern's open strokes (``?``).

    ``school`` and ``hat`` are of SCHOOLS and HATS; ``max_run`` is the longest run of one hand; ``excluded`` names a
    hand that a stroke must not have. A loop's end meets its beginning. ``also`` is given the hands of the cheapest
    one and names others that are costed as well if they are allowed. ``progress`` hears how many moves were weighed
    and the least cost so far, and can stop the search.

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
    return search.run(also)


class _Search:
    def __init__(
        self, pattern: Pattern, kit: Kit, player: Player, tempo: float, allowed: dict[int, tuple[str, ...]],
        alternate: bool, max_run: int | None, best: int, repeat: bool, weights: Weights,
        progress: Progress = NO_PROGRESS,
    ) -> None:  # fmt: skip
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.best, self.repeat, self.weights, self.progress = best, repeat, weights, progress
        self.limits = Limits(alternate, max_run)
        self.whole = 240.0 / tempo
        self.table = reach_table(kit, player, voices_of(pattern))
        self.allowed = allowed
        self.looked = 0
        self._model: Pattern | None = None
        self.moments = moments_of(pattern, self.table.names, allowed, repeat)
        self.open: tuple[OpenMoment, ...] = ()
        if self.moments.impossible:
            self._leave_open(allowed)
            self.moments = moments_of(pattern, self.table.names, self.allowed, repeat)

    def _leave_open(self, allowed: dict[int, tuple[str, ...]]) -> None:
        """Leave strokes open where no hands can play all of a moment."""
        self.allowed, found = dict(allowed), []
        for number in self.moments.event[self.moments.impossible].tolist():
            event = self.pattern.events[number]
            strokes = left_open(event, allowed, self.kit.hats)
            self.allowed |= dict.fromkeys(strokes, (EITHER,))
            voices = [s.voice for s in event.strokes if s.limb not in FEET]
            if len(voices) > len(HANDS):
                why = too_many(self.kit, voices)
                found.append(OpenMoment(strokes, str(why.said), str(why.advised)))
            else:
                names = " and ".join(f"the {voice_name(self.kit, self.pattern.strokes[i].voice)}" for i in strokes)
                found.append(
                    OpenMoment(strokes, f"what is asked for leaves no hand for {names}", "allow the other hand")
                )
        self.open = tuple(found)

    def _graph(self, memory: int) -> Graph:
        """Every state of so much memory; in long figures only what promises something with less memory."""
        problem = self._problem(memory)
        states, beyond = States(self.moments, memory, self.repeat), math.inf
        if states.possible > WIDTH and len(self.moments) > LONG:
            rough = States(self.moments, ROUGH, self.repeat)
            states, beyond = self._graph_of(problem, rough).promising(memory, WIDTH)
        return self._graph_of(problem, states, beyond)

    def _problem(self, memory: int) -> Problem:
        length = float(self.pattern.length) if self.repeat else None
        return Problem(self.moments, self.table, self.weights, self.whole, self.limits, length, memory)

    def _graph_of(self, problem: Problem, states: States, beyond: float = math.inf) -> Graph:
        graph = Graph(problem, states, beyond, self.progress)
        self.looked += int(np.isfinite(graph.cost).sum())
        return graph

    def _nothing(self) -> PlanError:
        said = "no sticking satisfies all of that: allow longer runs, another school or the other hand"
        if self.limits.alternate and self.repeat and len(self.moments) % 2:
            said += "; hand to hand, a loop of an odd number of strokes does not come round: write it twice"
        return PlanError(said)

    def run(self, also: Also | None = None) -> Stickings:
        found: dict[tuple[str, ...], _Costed] = {}
        proven = False
        choices, strokes = int(self.moments.choice.sum()), max(1, len(self.pattern.strokes))
        for memory, most in zip(MEMORY, DOUBT):
            graph = self._graph(memory)
            proven = self._collect(graph, found, most // strokes if len(self.moments) <= LONG else FEW)
            if proven or not memory < choices <= MOST_CHOICES:
                break
        if not found:
            raise self._nothing()
        if len(self.moments) > LONG and self.limits == Limits():
            stuck = self._alike(found)
            proven = proven and stuck is found
            found = stuck
        # Among what costs the same the leading hand comes first.
        lead = self.player.lead
        rows = sorted(found.values(), key=lambda row: (round(row.total, 9), [hand != lead for hand in row.hands]))
        rows = rows[: self.best]
        first = rows[0].hands
        others = [] if also is None else self._also(also(dict(zip(self.pattern.unassigned, first))), {*found})
        return Stickings(
            tuple(self._sticking(row, first) for row in rows),
            self.looked,
            proven,
            self.open,
            tuple(self._sticking(row, first) for row in others),
            walked={row.hands: row.walked for row in (*rows, *others)},
        )

    def _sticking(self, row: _Costed, first: tuple[str, ...]) -> Sticking:
        names = self.pattern.unassigned
        return Sticking(
            self.pattern, row.hands, row.total, tuple(i for i, a, b in zip(names, row.hands, first) if a != b),
            self.kit, self.player, self.tempo, self.repeat, self.weights,
        )  # fmt: skip

    def _also(self, asked: Iterable[Mapping[int, str]], known: set[tuple[str, ...]]) -> list[_Costed]:
        """Those of the named stickings that are allowed and not known."""
        found = []
        for hands in asked:
            row = tuple(hands.values())
            if row not in known and all(hand in self.allowed[i] for i, hand in hands.items()) and self._kept(row):
                known.add(row)
                found.append(self._costed(row))
        return found

    def _alike(self, found: dict[tuple[str, ...], _Costed]) -> dict[tuple[str, ...], _Costed]:
        """The stickings with repeated bars stuck alike, as in the cheapest one."""
        rows = sorted(found.values(), key=lambda row: row.total)[: self.best]
        names = self.pattern.unassigned
        changed = alike(self.pattern, dict(zip(names, rows[0].hands)), self.allowed, self._prices)
        if not changed:
            return found
        stuck = {tuple(changed.get(i, hand) for i, hand in zip(names, row.hands)) for row in rows}
        return {hands: self._costed(hands) for hands in stuck}

    def _prices(self, hands: Mapping[int, str]) -> Floats:
        return np.asarray(self._walked(hands)[1].costs.sum(axis=0))

    def _walked(self, hands: Mapping[int, str]) -> tuple[Pattern, Walk]:
        # Only what the walk reads has to fit together: the text is written for those that are kept.
        filled = replace(self.pattern, strokes=given(self.pattern, hands))
        if self._model is None:
            self._model = filled
            share(filled, self.pattern)
        else:
            given_to(filled, self._model, self.pattern.unassigned, tuple(hands.values()))
        return filled, full_walk(filled, self.table, self.whole, self.repeat, self.weights)

    def _collect(self, graph: Graph, found: dict[tuple[str, ...], _Costed], most: int) -> bool:
        """Cost stickings in the order of their bounds until no other can be among the best; whether that came."""
        costs = sorted(row.of_hands for row in found.values())
        least = min((row.total for row in found.values()), default=math.inf)
        ways = self._loops(graph) if self.repeat else ways_through(graph, graph.backward(graph.ending), 0)
        ties = 0
        for looked, (bound, hands) in enumerate(ways):
            if len(costs) >= self.best and bound >= costs[self.best - 1] - SAME:
                # What may cost the same is looked at as well, so that the leading hand comes first.
                ties += 1
                if ties > TIES or bound > costs[self.best - 1] + SAME:
                    return self.moments.exact and costs[self.best - 1] <= graph.beyond
            if looked >= most + self.best:
                return False
            self.progress.at(self.looked + looked, None, least if found else None)
            if hands not in found and self._kept(hands):
                found[hands] = self._costed(hands)
                insort(costs, found[hands].of_hands)
                least = min(least, found[hands].total)
        return self.moments.exact and graph.beyond == math.inf

    def _kept(self, hands: tuple[str, ...]) -> bool:
        """Whether a sticking keeps to the limits: a state may remember less than a run is long."""
        if self.limits.longest is None:
            return True
        limbs = dict(zip(self.pattern.unassigned, hands))
        struck = []
        for number in self.moments.event.tolist():
            mine = [s for s in self.pattern.events[number].strokes if s.limb not in FEET]
            sides = {limbs.get(s.index, s.limb) for s in mine}
            struck.append((sides.pop() if len(sides) == 1 else "", any(s.limb == EITHER for s in mine)))
        return self.limits.kept_by(struck, self.repeat)

    def _costed(self, hands: tuple[str, ...]) -> _Costed:
        """A sticking as the analysis costs it."""
        filled, walked = self._walked(dict(zip(self.pattern.unassigned, hands)))
        total = math.fsum(walked.costs.ravel().tolist())
        # What hands and feet cost that take turns is the same whichever hands they are.
        struck = follow(filled, self.table.names, self.repeat).hands.index
        mine = np.delete(walked.costs, ROW["coordination"], axis=0)[:, struck]
        return _Costed(total, math.fsum(mine.ravel().tolist()), hands, (filled, walked))

    def _loops(self, graph: Graph) -> Iterator[tuple[float, tuple[str, ...]]]:
        """Rounds that end as they began, in the order of their bounds, over all beginnings.

        Every loop is bounded by the state it comes through, and only the few that promise something are searched.
        """
        line: list[tuple[float, int, Iterator[tuple[float, tuple[str, ...]]] | None, tuple[str, ...]]] = [
            (float(bound), state, None, ())
            for state, bound in enumerate(graph.loop_bounds().tolist())
            if bound < math.inf
        ]
        heapq.heapify(line)
        while line:
            bound, state, ways, hands = heapq.heappop(line)
            if ways is not None:
                yield bound, hands
            else:
                end = np.full(graph.size, np.inf)
                end[state] = 0.0
                ways = ways_through(graph, graph.backward(end), state)
            following = next(ways, None)
            if following is not None:
                heapq.heappush(line, (following[0], state, ways, following[1]))
