"""The search: moment by moment, with everything that the cost of what follows can depend on as the state.

Two ways of getting to the same state have the same future, so only the best few of each are kept: the result is the
exact list of the k cheapest, for every term of the cost. Costs come from the same walk that the analysis uses.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import product
from typing import Final, NamedTuple

from deft_reach.core.analysis import DEFAULT_WEIGHTS, analyse
from deft_reach.core.cost import Weights
from deft_reach.core.document import read_text
from deft_reach.core.kit import Kit
from deft_reach.core.limbs import EITHER, FEET, HANDS, KICK
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import RUN_GAP, Walker
from deft_reach.core.pattern import Event, Pattern, Stroke
from deft_reach.core.planner.schools import HATS, SCHOOLS, allowed_hands
from deft_reach.core.player import Player
from deft_reach.core.report import Report
from deft_reach.core.stroke_text import replace_strike, strike_of

#: A run longer than this costs no more by its length.
RUN_CAP: Final = 10
#: Moments looked at before the search is cut short, and no longer called proven.
MAX_LOOKED_AT: Final = 400_000
#: Rounds after which runs that grow from round to round cost no more.
ROUNDS: Final = 12


class PlanError(ValueError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Sticking:
    """One answer. ``differs`` lists the strokes with another hand than in the cheapest one."""

    text: str
    report: Report
    differs: tuple[int, ...]


@dataclass(frozen=True)
class Stickings:
    """What was found: the cheapest first, how many moments were looked at, and whether that is proven."""

    best: tuple[Sticking, ...]
    searched: int
    proven: bool


class _Way(NamedTuple):
    """A way to a state: what it cost, and the hands of the open strokes so far."""

    cost: float
    hands: tuple[str, ...]


@dataclass
class _State:
    """A state with the best ways to it. ``last`` and ``streak`` are for the longest run allowed."""

    walker: Walker
    last: str
    streak: int
    ways: list[_Way]


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
) -> Stickings:
    """The ``best`` cheapest hands for a pattern's open strokes (``?``).

    ``school`` and ``hat`` are of SCHOOLS and HATS; ``max_run`` is the longest run of one hand; ``excluded`` names a
    hand that a stroke must not have. A loop's end meets its beginning.

    Raises PlanError for unknown schools, and where no sticking satisfies everything asked.
    """
    if school not in SCHOOLS:
        raise PlanError(f"unknown school '{school}'; expected one of {', '.join(SCHOOLS)}")
    if hat not in HATS:
        raise PlanError(f"unknown hi-hat choice '{hat}'; expected one of {', '.join(HATS)}")
    if max_run is not None and max_run < 1:
        raise PlanError(f"the longest run is {max_run}; expected 1 or more")
    search = _Search(pattern, kit, player, tempo, school, hat, max_run, excluded or {}, best, repeat, weights)
    return search.run()


class _Search:
    def __init__(
        self,
        pattern: Pattern,
        kit: Kit,
        player: Player,
        tempo: float,
        school: str,
        hat: str,
        max_run: int | None,
        excluded: dict[int, str],
        best: int,
        repeat: bool,
        weights: Weights,
    ) -> None:
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.best, self.repeat, self.weights = best, repeat, weights
        self.max_run, self.alternate = max_run, school == "alternate"
        self.whole = 240.0 / tempo
        self.length = float(pattern.length) * self.whole
        self.times = [start * self.whole for start in pattern.starts]
        table = reach_table(kit, player, [s.voice for s in pattern.strokes])
        self.blank = Walker(pattern, table, weights, RUN_GAP * self.whole)
        self.allowed = allowed_hands(pattern, kit, player, school, hat, excluded)
        self.choices = [list(self._choices(event)) for event in pattern.events]
        self.looked = 0
        self.cut = False
        #: The least that each moment has been seen to cost, and what all from each moment on cost at least.
        self.least = [math.inf] * len(self.choices)
        self.ahead = [0.0] * (len(self.choices) + 1)
        self.bound = math.inf

    def _choices(self, event: Event) -> Iterator[tuple[Event, tuple[str, ...]]]:
        """Every way to give a moment's open strokes hands, with the moment as it is then."""
        open_strokes = [s for s in event.strokes if s.limb == EITHER]
        taken = {s.limb for s in event.strokes if s.limb in HANDS}
        for hands in product(*(self.allowed[s.index] for s in open_strokes)):
            if len(set(hands)) < len(hands) or set(hands) & taken:
                continue  # one hand cannot be asked twice at once
            given = dict(zip((s.index for s in open_strokes), hands))
            strokes = tuple(s._replace(limb=given.get(s.index, s.limb)) for s in event.strokes)
            yield _event(event, strokes), hands

    def run(self) -> Stickings:
        ways = self._loops() if self.repeat else self._ends([self._start(self.blank)])
        found = sorted({way.hands: way for way in ways}.values())[: self.best]
        if not found:
            raise PlanError("no sticking satisfies all of that: allow longer runs, another school or the other hand")
        rows = sorted((self._sticking(way.hands) for way in found), key=lambda row: row[1].summary.cost)
        first = rows[0][1].pattern.strokes
        return Stickings(
            tuple(
                Sticking(
                    text, report, tuple(a.index for a, b in zip(report.pattern.strokes, first) if a.limb != b.limb)
                )
                for text, report in rows
            ),
            self.looked,
            not self.cut,
        )

    def _start(self, walker: Walker, last: str = "", streak: int = 0) -> _State:
        return _State(walker, last, streak, [_Way(0.0, ())])

    def _ends(self, states: list[_State]) -> list[_Way]:
        return [way for state in self._round(states).values() for way in state.ways]

    def _round(self, states: list[_State]) -> dict[object, _State]:
        """Walk the pattern once from these states; every state at its end, with the best ways to it."""
        now: dict[object, _State] = {self._key(state): state for state in states}
        for number, (event, choices) in enumerate(zip(self.pattern.events, self.choices)):
            limit = self.bound - self.ahead[number + 1] + 1e-9
            time = self.times[event.indices[0]]
            following: dict[object, _State] = {}
            for state in now.values():
                for changed, hands in choices:
                    run = self._run_on(state, changed)
                    if run is None:
                        continue
                    self.looked += 1
                    walker = state.walker.clone()
                    cost = walker.step(changed, time)
                    self.least[number] = min(self.least[number], cost)
                    ways = [_Way(w.cost + cost, w.hands + hands) for w in state.ways if w.cost + cost <= limit]
                    if not ways:
                        continue
                    new = _State(walker, *run, ways)
                    key = self._key(new)
                    known = following.get(key)
                    if known is None:
                        following[key] = new
                    else:
                        known.ways = sorted({w.hands: w for w in (*known.ways, *new.ways)}.values())[: self.best]
            now = following
            if self.looked > MAX_LOOKED_AT and len(now) > 64:
                # Too much to do exactly: go on with the most promising.
                self.cut = True
                kept = sorted(now.items(), key=lambda item: item[1].ways[0].cost)[:64]
                now = dict(kept)
        return now

    def _run_on(self, state: _State, event: Event) -> tuple[str, int] | None:
        """The last hand and how many strokes in a row it has made after this moment; None where that is too many."""
        limbs = {s.limb for s in event.hands}
        if not limbs:
            return state.last, state.streak
        if len(limbs) > 1:
            return "both", 1
        hand = next(iter(limbs))
        chosen = any(s.index in self.allowed for s in event.hands)
        if self.alternate and chosen and hand == state.last:
            return None
        streak = state.streak + 1 if hand == state.last else 1
        if self.max_run is not None and streak > self.max_run and chosen:
            return None
        cap = (self.max_run or 1) + 1
        return hand, min(streak, cap)

    def _key(self, state: _State) -> object:
        """Everything that the cost of what follows can depend on."""
        w = state.walker
        return (
            *((x.time, x.voice, x.level, x.move, min(x.run, RUN_CAP), x.head_start) for x in (w.right, w.left)),
            w.leader,
            state.last,
            state.streak if self.max_run is not None else 0,
        )

    def _loops(self) -> list[_Way]:
        """Rounds that end as they began.

        First every state that a round can begin in, round after round until there are no new ones; on the way, what
        each moment costs at least. Then the cheapest ways from each of them back to itself; whatever could not get
        onto the list any more is left.
        """
        known: dict[object, _State] = {}
        new = list(self._before(self._round([self._start(self.blank)])).values())
        for _ in range(ROUNDS):
            for state in new:
                known[self._loop_key(state)] = state
            starts = [self._start(state.walker, state.last, state.streak) for state in known.values()]
            ends = self._before(self._round(starts))
            new = [state for key, state in ends.items() if key not in known]
            for key, state in ends.items():
                if key in known:
                    known[key].ways = state.ways
            if not new or self.looked > MAX_LOOKED_AT:
                break
        self.cut = self.cut or bool(new)
        for number in range(len(self.choices) - 1, -1, -1):
            self.ahead[number] = self.ahead[number + 1] + self.least[number]
        found: dict[tuple[str, ...], _Way] = {}
        for key, state in sorted(known.items(), key=lambda item: item[1].ways[0].cost):
            if self.looked > MAX_LOOKED_AT:
                self.cut = True
                break
            for end_key, end in self._before(
                self._round([self._start(state.walker, state.last, state.streak)])
            ).items():
                if end_key == key:
                    for way in end.ways:
                        if way.hands not in found or way < found[way.hands]:
                            found[way.hands] = way
            if len(found) >= self.best:
                self.bound = sorted(found.values())[self.best - 1].cost
        return list(found.values())

    def _before(self, ends: dict[object, _State]) -> dict[object, _State]:
        """What the ends of a round are as the beginnings of the next."""
        found: dict[object, _State] = {}
        for state in ends.values():
            state.walker.shift(-self.length)
            if any(
                x.time is not None and x.time < -self.length - 1e-9 for x in (state.walker.right, state.walker.left)
            ):
                continue  # a hand that struck before this round and not in it: no loop comes back to that
            found.setdefault(self._loop_key(state), state)
            kept = found[self._loop_key(state)]
            if kept is not state:
                kept.ways = sorted({w.hands: w for w in (*kept.ways, *state.ways)}.values())[: self.best]
        return found

    def _loop_key(self, state: _State) -> object:
        """As the key, with times free of the rounding that shifting them brings."""
        w = state.walker
        return (
            *(
                (
                    None if x.time is None else round(x.time, 7),
                    x.voice, x.level, x.move, min(x.run, RUN_CAP), round(x.head_start, 9),
                )
                for x in (w.right, w.left)
            ),
            w.leader,
            state.last,
            state.streak if self.max_run is not None else 0,
        )  # fmt: skip

    def _sticking(self, hands: tuple[str, ...]) -> tuple[str, Report]:
        """The stroke text with these hands, and its analysis."""
        pattern = self.pattern
        open_strokes = [s.index for s in self.pattern.strokes if s.limb == EITHER]
        for index, hand in reversed(list(zip(open_strokes, hands))):
            text = replace_strike(pattern, index, replace(strike_of(pattern, index), limb=hand))
            pattern = read_text(text, self.kit)
        report = analyse(pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)
        return pattern.text, report


def _event(event: Event, strokes: tuple[Stroke, ...]) -> Event:
    """The moment with its strokes given to these limbs."""
    hands = tuple(s for s in strokes if s.limb in HANDS)
    feet = tuple(s for s in strokes if s.limb in FEET)
    return event._replace(
        strokes=strokes,
        hands=hands,
        hand_indices=tuple(s.index for s in hands),
        feet=feet,
        hands_alone=len({s.limb for s in hands}) == 1,
        both_feet=len({s.limb == KICK for s in feet}) == 2,
        limb_twice=event.limb_twice,
    )
