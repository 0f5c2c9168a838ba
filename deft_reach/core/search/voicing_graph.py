"""The graph that voicings are searched in, and the search.

A state is where each hand is and where its last move came from (the cost of turning back needs it), how far a contour
has got, and how often each voice has been used. Going backwards from the end gives every state's exact cost to the
end; a best-first search guided by it lists voicings in the order of their cost. That cost lacks what is only known of
a whole figure, such as hands on their way and surfaces that are kept.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import count
from typing import Final

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.limbs import HANDS, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.cost import CostTerms, Weights
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.timing import level_of, needed_times
from deft_reach.core.motion.walk import hand_factors, walk
from deft_reach.core.search.progress import Progress
from deft_reach.core.search.voicing_units import Option, Unit, places

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]

#: Past so many values the arrays would not fit the time a player waits: voices are then not shared out evenly.
MOST_VALUES: Final = 8_000_000

#: A voicing and its cost as far as the graph knows it: the voices' numbers, one a hand stroke.
Found = tuple[float, tuple[int, ...]]


class Costs:
    """What the hands' strokes cost by voices: tables from one walk, for ``names`` of the kit's voices."""

    def __init__(
        self,
        pattern: Pattern,
        table: ReachTable,
        names: Sequence[str],
        tempo: float,
        repeat: bool,
        weights: Weights,
    ) -> None:
        self.terms, self.table = CostTerms(weights, table.leading_side), table
        #: How many voices there are; this number itself stands for "nowhere yet".
        self.n = len(names)
        #: Each voice's place in the table; the last one is nowhere.
        self.places = np.array([*(table.names.index(name) for name in names), -1])
        followed = follow(pattern, table.names, repeat)
        walked = walk(pattern, followed, 240.0 / tempo, table, weights)
        last = {limb: next((s for s in reversed(pattern.strokes) if s.limb == limb), None) for limb in HANDS}
        before = {limb: level_of(s.marks) if s is not None and repeat else 1 for limb, s in last.items()}
        factors = dict(zip(followed.hands.index.tolist(), hand_factors(followed.hands, table).tolist()))
        #: By stroke, its cost by (where the last move came from, where the hand is, where it goes).
        self.hand: dict[int, Floats] = {}
        kept: dict[object, Floats] = {}
        for s in pattern.strokes:
            if s.limb not in HANDS:
                continue
            key = (s.limb, s.marks, walked.gap[s.index], walked.run[s.index], before[s.limb], factors[s.index])
            if key not in kept:
                kept[key] = self._hand_table(*key)
            self.hand[s.index] = kept[key]
            before[s.limb] = level_of(s.marks)
        #: Cost of both hands' places once one hand has struck, and two: by (right and left before, and now).
        self.pair = self._pair_tables()

    def _hand_table(self, limb: str, marks: str, gap: float | None, run: int, before: int, factor: float) -> Floats:
        n, terms, table, side = self.n, self.terms, self.table, HANDS.index(limb)
        level = level_of(marks)
        place = self.places
        times = table.sweep_times if run > 1 else table.travel_times
        travel = times[side, place[:, None], place[None, :n]]
        moves = table.distances[place[:, None], place[None, :n]] > 0
        pace = needed_times(table.restrikes[side], factor, travel) / (math.nan if gap is None else gap)
        cost = sum(terms.stroke(pace, level, before, run).values()) + terms.reach(table.reach_costs[side, place[:n]])
        across = table.tips[place[None, :], :2] - table.tips[place[:, None], :2]
        across[n, :] = across[:, n] = 0.0
        turn = np.where(moves, terms.turn(across[:, :, None], across[None, :, :n]), 0.0)
        return np.asarray(cost[None] + turn)

    def _pair_tables(self) -> tuple[Floats, Floats]:
        terms, place = self.terms, self.places
        bearing = self.table.bearings[place[:, None], place[None, :]]
        clear = self.table.clearances[place[:, None], place[None, :]]
        twist = terms.twist(bearing[None, None, :, :] - bearing[:, :, None, None])
        was = ~np.isnan(clear)
        stay, enter = terms.crossing(clear, False), terms.crossing(clear, True)
        found = []
        for hands in (1, 2):
            entered = stay * (hands - 1) + enter
            found.append(twist + np.where(was[:, :, None, None], stay * hands, entered))
        return found[0], found[1]

    def through(self, unit: Unit, option: Option, states: Ints) -> tuple[Ints, Floats]:
        """The states after a unit voiced so, and its costs.

        States of shape (n, 4): right's origin, right, left's origin, left. Costs of shape (n,).
        """
        state = states.copy()
        cost = np.zeros(len(states))
        voices = iter(option.voices)
        for event in unit.events:
            right, left = state[:, 1].copy(), state[:, 3].copy()
            for s in event.hands:
                voice = next(voices)
                side = 0 if s.limb == RIGHT else 2
                origin, at = state[:, side], state[:, side + 1]
                cost += self.hand[s.index][origin, at, voice]
                state[:, side] = np.where(at == voice, origin, at)
                state[:, side + 1] = voice
            cost += self.pair[len(event.hands) - 1][right, left, state[:, 1], state[:, 3]]
        return state, cost


@dataclass(frozen=True)
class Transition:
    """A unit in the graph: from each state by each option, the state after it (−1: not allowed) and the cost."""

    after: Ints
    cost: Floats


class Ahead:
    """What it costs from some ``states`` on, at least: ``cost`` (states, counts); infinite from all others.

    ``place`` has where a state (of ``size``) is in ``cost``, −1 where it is not.
    """

    def __init__(self, states: Ints, cost: Floats, size: int) -> None:
        self.cost = cost
        # One more for the state that there is not: −1 finds it.
        self.place = np.full(size + 1, -1, dtype=np.intp)
        self.place[states] = np.arange(len(states))

    def least(self, state: int, counted: int) -> float:
        """The cost from a state with a count."""
        place = int(self.place[state])
        return math.inf if place < 0 else float(self.cost[place, counted])


class Graph:
    """All ways to voice the units in a row.

    ``follows`` says whether a voice of the palette may come after another (its number, −1 for none). Every voice of
    ``required`` has to be used, and none in more than ``most`` units.
    """

    def __init__(
        self,
        units: Sequence[Unit],
        costs: Costs,
        follows: Callable[[int, int, float], bool],
        required: Sequence[int],
        least: int,
        most: int,
        repeat: bool,
        progress: Progress,
    ) -> None:
        self.units, self.costs, self.follows, self.progress = units, costs, follows, progress
        self.looked = 0
        self.least = least
        nowhere = costs.n
        self.start = (nowhere, nowhere, nowhere, nowhere, -1)
        starts: set[tuple[int, ...]] = {self.start}
        self.steps: list[Transition] = []
        self.states: list[dict[tuple[int, ...], int]] = []
        self._lay(starts)
        self.ends: list[tuple[int, ...]] = []
        if repeat:
            # Where the hands are at the end of a round is where they are at its beginning.
            self.ends = [(*state[:4], -1) for state in self.states[-1]]
            self.ends = list(dict.fromkeys(self.ends))
            self._lay(set(self.ends))
        self.required = list(required)
        self.cap = max(1, most)
        widest = max(len(row) for row in self.states)
        if widest * (self.cap + 1) ** len(self.required) * (len(units) + 1) > MOST_VALUES:
            self.cap = 1
            self.sharing = False
        else:
            self.sharing = most < len(units)
        self._count()

    def _lay(self, starts: set[tuple[int, ...]]) -> None:
        """The states that can come up, unit by unit, and the steps between them."""
        self.steps, self.states = [], [{state: k for k, state in enumerate(sorted(starts))}]
        for unit, place in zip(self.units, places(self.units)):
            here = np.array(list(self.states[-1]), dtype=np.intp)
            after = np.full((len(here), len(unit.options)), -1, dtype=np.intp)
            cost = np.full(after.shape, np.inf)
            following: dict[tuple[int, ...], int] = {}
            for column, option in enumerate(unit.options):
                self.progress.at(self.looked)
                main = option.main
                rows = [k for k, q in enumerate(here[:, 4].tolist()) if main < 0 or self.follows(q, main, place)]
                if not rows:
                    continue
                now, spent = self.costs.through(unit, option, here[rows, :4])
                contour = here[rows, 4].tolist() if main < 0 else [main] * len(rows)
                for row, state, q, amount in zip(rows, now.tolist(), contour, spent.tolist()):
                    after[row, column] = following.setdefault((*state, q), len(following))
                    cost[row, column] = amount
            self.steps.append(Transition(after, cost))
            self.states.append(following)

    def _count(self) -> None:
        """How often each required voice was used, as one number; what it becomes with each voice."""
        base, size = self.cap + 1, (self.cap + 1) ** len(self.required)
        codes = np.arange(size)
        self.more: dict[int, Ints] = {}
        used = np.zeros(size, dtype=np.intp)
        for place, voice in enumerate(self.required):
            digit = codes // base**place % base
            used += digit > 0
            full = codes if not self.sharing else np.full(size, -1)
            self.more[voice] = np.where(digit == self.cap, full, codes + base**place)
        self.enough = used >= self.least
        #: The count after each option of each unit, by the count before it.
        self.used = [[self._used(option) for option in unit.options] for unit in self.units]
        self._hands_at_the_end = np.array(list(self.states[-1]), dtype=np.intp)[:, :4]

    def _used(self, option: Option) -> Ints:
        """The count after an option, by the count before it; −1 where a voice was used too often."""
        now = np.arange(len(self.enough))
        for voice in option.uses:
            if voice in self.more:
                now = np.where(now < 0, -1, self.more[voice][now])
        return now

    def ahead(self, end: tuple[int, ...] | None) -> list[Ahead]:
        """Exact cost to the end by state and count, unit by unit.

        With ``end`` a round begins in that state and comes back to it: only states on such a round are looked at.
        """
        rows = self._on_a_round(end)
        last = np.where(self.enough, 0.0, np.inf)
        after = Ahead(rows[-1], np.broadcast_to(last, (len(rows[-1]), len(last))), len(self.states[-1]))
        found = [after]
        for number in range(len(self.units) - 1, -1, -1):
            self.progress.at(self.looked)
            step, mine = self.steps[number], rows[number]
            here = np.full((len(mine), len(self.enough)), np.inf)
            for column, used in enumerate(self.used[number]):
                places = after.place[step.after[mine, column]]
                places[step.after[mine, column] < 0] = -1
                some = np.flatnonzero(places >= 0)
                rest = np.where(used >= 0, after.cost[places[some]][:, used], np.inf)
                here[some] = np.minimum(here[some], step.cost[mine[some], column, None] + rest)
            after = Ahead(mine, here, len(step.after))
            found.append(after)
        found.reverse()
        return found

    def _on_a_round(self, end: tuple[int, ...] | None) -> list[Ints]:
        """The states before each unit, and after the last, on a round from a state back to it; all for None."""
        if end is None:
            return [np.arange(len(states)) for states in self.states]
        rows = [np.array([self.states[0][end]], dtype=np.intp)]
        for step in self.steps:
            following = np.unique(step.after[rows[-1]])
            rows.append(following[following >= 0])
        rows[-1] = rows[-1][(self._hands_at_the_end[rows[-1]] == end[:4]).all(axis=1)]
        for number in range(len(self.steps) - 1, -1, -1):
            wanted = np.zeros(len(self.states[number + 1]) + 1, dtype=bool)
            wanted[rows[number + 1]] = True
            rows[number] = rows[number][wanted[self.steps[number].after[rows[number]]].any(axis=1)]
        return rows

    def in_order(self) -> Iterator[Found]:
        """All voicings, the cheapest first."""
        if not self.ends:
            ahead = self.ahead(None)
            yield from self._from(self.start, ahead)
            return
        bounds = self.ahead(None)[0].cost[:, 0]
        tie = count()
        seen: set[tuple[int, ...]] = set()
        #: (the least it can cost, tie, what comes there, and what to go on with)
        heap: list[tuple[float, int, tuple[int, ...] | None, Iterator[Found] | None, tuple[int, ...] | None]] = [
            (float(bounds[self.states[0][end]]), next(tie), None, None, end) for end in self.ends
        ]
        heapq.heapify(heap)
        while heap:
            bound, _, voices, ways, end = heapq.heappop(heap)
            if math.isinf(bound):
                return
            if ways is None:
                assert end is not None
                ways = self._from(end, self.ahead(end))
            elif voices is not None and voices not in seen:
                # A hand that never moves in a round may have come from anywhere: one voicing, several states.
                seen.add(voices)
                yield bound, voices
            following = next(ways, None)
            if following is not None:
                heapq.heappush(heap, (following[0], next(tie), following[1], ways, None))

    def _from(self, start: tuple[int, ...], ahead: list[Ahead]) -> Iterator[Found]:
        """Voicings from a state, cheapest first: what is known to lie ahead leads straight to them."""
        tie = count()
        state = self.states[0][start]
        heap: list[tuple[float, int, float, int, int, int, tuple[int, ...]]] = [
            (ahead[0].least(state, 0), next(tie), 0.0, 0, state, 0, ())
        ]
        while heap:
            total, _, spent, number, state, counted, voices = heapq.heappop(heap)
            if math.isinf(total):
                return
            self.looked += 1
            self.progress.at(self.looked)
            if number == len(self.units):
                yield total, voices
                continue
            step = self.steps[number]
            for column, option in enumerate(self.units[number].options):
                after, now = int(step.after[state, column]), int(self.used[number][column][counted])
                if after < 0 or now < 0:
                    continue
                so_far = spent + float(step.cost[state, column])
                rest = ahead[number + 1].least(after, now)
                if not math.isinf(rest):
                    heapq.heappush(
                        heap,
                        (so_far + rest, next(tie), so_far, number + 1, after, now, (*voices, *option.voices)),
                    )
