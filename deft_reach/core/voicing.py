"""Voicings for a given sticking: where around the kit its strokes could go, cheapest first.

The hands are settled, so only voices are searched. A state is where each hand is and where its last move came from
(the cost of turning back needs it), and how far a contour has got. That is finite and small: dynamic programming from
the end backwards gives every state's exact cost to the end, and a best-first search guided by it lists voicings in
the order of their cost.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import count, product
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core import cost as price
from deft_reach.core.analysis import DEFAULT_WEIGHTS, analyse
from deft_reach.core.cost import Weights
from deft_reach.core.document import read_unfinished
from deft_reach.core.kit import Kit
from deft_reach.core.limbs import HANDS, LEFT, RIGHT
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.reach_table import ReachTable, reach_table
from deft_reach.core.motion.timing import level_of
from deft_reach.core.motion.walk import walk
from deft_reach.core.pattern import Event, Pattern
from deft_reach.core.player import Player
from deft_reach.core.progress import SILENT, Progress
from deft_reach.core.report import Report
from deft_reach.core.stroke_text import replace_strikes, strike_of

Floats = NDArray[np.float64]

CONTOURS: Final = ("free", "down", "up", "out-and-back", "pairs", "home")
#: So many voicings are all costed by the analysis, and the list is proven.
EVERYTHING: Final = 256
#: Of more than that, so many more are costed than are asked for.
WIDER: Final = 8
#: Past so many candidates looked at, the list is as good as it is and no longer proven complete.
MAX_LOOKED_AT: Final = 30_000
#: Past so many states the arrays would not fit the time a player waits.
MAX_STATES: Final = 400_000
#: Work (states times events times voices) after which a loop's further beginnings are given up.
MAX_WORK: Final = 40_000_000


class VoicingError(ValueError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Voicing:
    """One way round the kit. ``differs`` lists the strokes that sound elsewhere than in the cheapest one."""

    text: str
    voices: tuple[str, ...]
    report: Report
    differs: tuple[int, ...]


@dataclass(frozen=True)
class Voicings:
    """What a search found: the best first, how many voicings were looked at, and whether the order is proven."""

    best: tuple[Voicing, ...]
    searched: int
    proven: bool


def find_voicings(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    palette: Sequence[str],
    *,
    accents: Sequence[str] = (),
    contour: str = "free",
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    progress: Progress = SILENT,
) -> Voicings:
    """The ``best`` cheapest voicings of a sticking's hands.

    Strokes written with a voice keep it; if all have one, all are free. Free strokes go to the ``palette``, accented
    ones to ``accents`` if any are given. ``contour`` follows the palette in its order: ``down`` from first to last,
    ``up`` from last to first, ``out-and-back`` there and back; ``pairs`` keeps two strokes in a row together, and
    ``home`` comes back to the palette's first at the end. Each voicing differs audibly from those before it: on an
    accent, or on two strokes and a tenth of all. ``progress`` hears how many were looked at and can stop the search.

    Raises VoicingError for an empty palette, voices the kit lacks, unknown contours, or open hands.
    """
    return _Search(pattern, kit, player, tempo, palette, accents, contour, repeat, weights, progress).run(best)


class _Slot(NamedTuple):
    """A hand stroke to be voiced: which voices it may have (their numbers), and its place in the contour, 0 to 1."""

    index: int  # type: ignore[assignment]
    limb: str
    allowed: tuple[int, ...]
    place: float | None


class _Search:
    def __init__(
        self,
        pattern: Pattern,
        kit: Kit,
        player: Player,
        tempo: float,
        palette: Sequence[str],
        accents: Sequence[str],
        contour: str,
        repeat: bool,
        weights: Weights,
        progress: Progress,
    ) -> None:
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.repeat, self.weights, self.progress = repeat, weights, progress
        self.looked = 0
        self.palette = list(dict.fromkeys(palette))
        self.accents = list(dict.fromkeys(accents))
        self.contour = contour
        self._check()
        self.written = self._written()
        held = [pattern.strokes[k].voice for k in sorted(self.written)]
        self.names = list(dict.fromkeys([*self.palette, *self.accents, *held]))
        self.number = {name: k for k, name in enumerate(self.names)}
        #: How many voices there are; this number itself stands for "nowhere yet".
        self.n = len(self.names)
        self.table: ReachTable = reach_table(kit, player, self.names)
        #: Each voice's place in the table; the last one is nowhere.
        self.places = np.array([*(self.table.names.index(name) for name in self.names), -1])
        self.events: tuple[Event, ...] = tuple(e for e in pattern.events if e.hands)
        self.slots = self._slots()
        self.q = len(self.palette) if contour in ("down", "up", "out-and-back", "pairs") else 1
        size = (self.n + 1) ** 4 * (self.q + 1)
        if size > MAX_STATES:
            raise VoicingError(f"{self.n} voices are too many to search at once; give a palette of up to eight")
        self._context()

    def _check(self) -> None:
        if not self.palette:
            raise VoicingError("the palette is empty: give the voices to choose from, such as sn,t1,t2,ft")
        for voice in (*self.palette, *self.accents):
            if self._lacks(voice) or voice.endswith(":foot") or voice == "bd":
                hands = [v for v in self.kit.voices if v != "bd" and not v.endswith(":foot")]
                raise VoicingError(
                    f"the kit '{self.kit.name}' has no voice '{voice}' for the hands; it has {', '.join(hands)}"
                )
        if self.contour not in CONTOURS:
            raise VoicingError(f"unknown contour '{self.contour}'; expected one of {', '.join(CONTOURS)}")
        if self.pattern.unassigned:
            raise VoicingError("a voicing needs a settled sticking: give every ? a hand first")
        if not any(s.limb in HANDS for s in self.pattern.strokes):
            raise VoicingError("there are no hand strokes to put round the kit")

    def _written(self) -> frozenset[int]:
        """Hand strokes that keep the voice they are written with."""
        hands = [s for s in self.pattern.strokes if s.limb in HANDS]
        written = frozenset(s.index for s in hands if strike_of(self.pattern, s.index).voice is not None)
        if len(written) == len(hands):
            return frozenset()
        lacking = sorted({s.voice for s in hands if s.index in written and self._lacks(s.voice)})
        if lacking:
            raise VoicingError(
                f"the kit '{self.kit.name}' has no {', '.join(lacking)}, which strokes are written with: write "
                "another voice there, or none, so that they are free"
            )
        return written

    def _lacks(self, voice: str) -> bool:
        return self.kit.voice_point(voice) is None

    def _slots(self) -> dict[int, _Slot]:
        hands = [s for s in self.pattern.strokes if s.limb in HANDS]
        written = self.written
        shaped = [s for s in hands if s.index not in written and not (self.accents and ">" in s.marks)]
        first = float(shaped[0].start) if shaped else 0.0
        wide = (float(shaped[-1].start) - first) if shaped else 0.0
        found = {}
        for s in hands:
            if s.index in written:
                found[s.index] = _Slot(s.index, s.limb, (self.number[s.voice],), None)
            elif self.accents and ">" in s.marks:
                found[s.index] = _Slot(s.index, s.limb, tuple(self.number[v] for v in self.accents), None)
            else:
                place = (float(s.start) - first) / wide if wide else 0.0
                allowed = tuple(k for k in range(len(self.palette)) if self._fits(k, place))
                found[s.index] = _Slot(s.index, s.limb, allowed, place)
        return found

    def _fits(self, k: int, place: float) -> bool:
        """Whether a voice is near enough to where the contour is at this place."""
        last = len(self.palette) - 1
        if self.contour == "home":
            return place < 1.0 or k == 0
        if self.contour not in ("down", "up", "out-and-back"):
            return True
        at = {"down": place, "up": 1.0 - place, "out-and-back": 1.0 - abs(1.0 - 2.0 * place)}[self.contour]
        return abs(k - at * last) <= 0.8

    def _follows(self, q: int, k: int, place: float, number: int) -> int | None:
        """The contour's next state after voice ``k``; a state is the last voice, ``self.q`` at the beginning."""
        if self.contour == "pairs":
            return k if number % 2 == 0 or q == self.q or k == q else None
        if self.q == 1 or q == self.q:
            return k if self.q > 1 else 0
        falling = {"down": False, "up": True, "out-and-back": place > 0.5}[self.contour]
        return k if (k <= q if falling else k >= q) else None

    # --- costs ------------------------------------------------------------------------------------------------

    def _context(self) -> None:
        """Everything about each stroke that does not depend on voices, from one walk; and the tables of costs."""
        whole = 240.0 / self.tempo
        followed = follow(self.pattern, self.table.names, self.repeat)
        walked = walk(self.pattern, followed, whole, self.table, self.weights)
        switch = price.TERMS.index("switch")
        self.base = math.fsum(
            math.fsum(cost) if s.limb not in HANDS else cost[switch]
            for s, cost in zip(self.pattern.strokes, walked.costs.T.tolist())
        )
        last = {limb: next((s for s in reversed(self.pattern.strokes) if s.limb == limb), None) for limb in HANDS}
        before = {limb: level_of(s.marks) if s is not None and self.repeat else 1 for limb, s in last.items()}
        factors = dict(zip(followed.hands.index.tolist(), followed.hands.factor.tolist()))
        self.hand_costs: dict[int, Floats] = {}
        kept: dict[object, Floats] = {}
        for s in self.pattern.strokes:
            if s.limb not in HANDS:
                continue
            key = (s.limb, s.marks, walked.gap[s.index], walked.run[s.index], before[s.limb], factors[s.index])
            if key not in kept:
                kept[key] = self._hand_table(*key)
            self.hand_costs[s.index] = kept[key]
            before[s.limb] = level_of(s.marks)
        self.pair_costs = self._pair_table()

    def _hand_table(self, limb: str, marks: str, gap: float | None, run: int, before: int, factor: float) -> Floats:
        """Cost of a stroke by (where the last move came from, where the hand is, where it goes)."""
        n, w, table, side = self.n, self.weights, self.table, HANDS.index(limb)
        level = level_of(marks)
        place = self.places
        times = table.sweep_times if run > 1 else table.travel_times
        travel = times[side, place[:, None], place[None, :n]]
        moves = table.distances[place[:, None], place[None, :n]] > 0
        pace = np.maximum(table.restrikes[side] * factor, travel) / (math.nan if gap is None else gap)
        cost = w.pace * price.pace_cost(pace) + w.reach * table.reach_costs[side, place[:n]]
        if gap is not None:
            cost = cost + w.lift * price.lift_cost(level, before, pace) + w.load * price.load_cost(run, pace, False)
        across = table.tips[place[None, :], :2] - table.tips[place[:, None], :2]
        across[n, :] = across[:, n] = 0.0
        turn = np.where(moves, price.turn_cost(across[:, :, None], across[None, :, :n]), 0.0)
        return np.asarray(cost[None] + w.turn * turn)

    def _pair_table(self) -> tuple[Floats, Floats]:
        """Cost of both hands' places after one hand, and after two hands, have struck: by (right and left before,
        right and left now)."""
        w, place = self.weights, self.places
        bearing = self.table.bearings[place[:, None], place[None, :]]
        clear = self.table.clearances[place[:, None], place[None, :]]
        twist = w.turn * price.twist_cost(bearing[None, None, :, :] - bearing[:, :, None, None])
        was = ~np.isnan(clear)
        stay, enter = price.cross_cost(clear, False), price.cross_cost(clear, True)
        found = []
        for hands in (1, 2):
            entered = w.cross * (stay * (hands - 1) + enter)
            found.append(twist + np.where(was[:, :, None, None], w.cross * stay * hands, entered))
        return found[0], found[1]

    # --- search -----------------------------------------------------------------------------------------------

    def run(self, best: int) -> Voicings:
        everything = self._everything()
        if everything is not None:
            every = sorted((self._voicing(voices) for voices in everything), key=lambda row: row[1].summary.cost)
            rows: list[tuple[str, Report, tuple[str, ...]]] = []
            hands = [s.index for s in self.pattern.strokes if s.limb in HANDS]
            for row in every:
                mine = [self.number[row[2][i]] for i in hands]
                if all(self._audible(mine, [self.number[other[2][i]] for i in hands]) for other in rows):
                    rows.append(row)
                if len(rows) == best:
                    break
        else:
            # What depends on where hands are on their way is not in the search: more are costed than are asked for.
            wanted = best + WIDER
            if self.repeat:
                found, _ = self._loops(wanted)
            else:
                start = (self.n, self.n, self.n, self.n, self._q0)
                found, _ = self._collect(self._in_order(self._ahead(None), start), wanted)
            rows = sorted((self._voicing(voices) for _, voices in found), key=lambda row: row[1].summary.cost)[:best]
        if not rows:
            raise VoicingError("no voicing follows that contour with this palette; try free, or more voices")
        first = rows[0][2]
        return Voicings(
            tuple(
                Voicing(
                    text,
                    voices,
                    report,
                    tuple(k for k, (a, b) in enumerate(zip(first, voices)) if a != b),
                )
                for text, report, voices in rows
            ),
            self.looked,
            everything is not None,
        )

    def _everything(self) -> list[tuple[int, ...]] | None:
        """All voicings, where they are few enough to cost each of them; else None."""
        hands = [s.index for s in self.pattern.strokes if s.limb in HANDS]
        allowed = [self.slots[index].allowed for index in hands]
        if math.prod(len(voices) for voices in allowed) > EVERYTHING or (self.repeat and self.q > 1):
            return None
        if self.q == 1:
            self.looked = math.prod(len(voices) for voices in allowed)
            return list(product(*allowed))
        start = (self.n, self.n, self.n, self.n, self._q0)
        return [voices for _, voices in self._in_order(self._ahead(None), start)]

    @property
    def _q0(self) -> int:
        return self.q if self.q > 1 else 0

    def _voicing(self, numbers: Sequence[int]) -> tuple[str, Report, tuple[str, ...]]:
        """The stroke text of a voicing, its analysis, and every stroke's voice."""
        hands = [s for s in self.pattern.strokes if s.limb in HANDS]
        voices = dict(zip((s.index for s in hands), (self.names[k] for k in numbers)))
        moved = {}
        for index, voice in voices.items():
            strike = strike_of(self.pattern, index)
            if strike.voice is not None or voice != self.pattern.strokes[index].voice:
                moved[index] = replace(strike, voice=voice)
        pattern = read_unfinished(replace_strikes(self.pattern, moved), self.kit)
        report = analyse(pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)
        return pattern.text, report, tuple(s.voice for s in pattern.strokes)

    def _collect(
        self, candidates: Iterator[tuple[float, tuple[int, ...]]], best: int
    ) -> tuple[list[tuple[float, tuple[int, ...]]], bool]:
        """The first ``best`` candidates that can be told apart by ear; whether the search came to its end."""
        found: list[tuple[float, tuple[int, ...]]] = []
        for cost, voices in candidates:
            if self.looked > MAX_LOOKED_AT:
                return found, False
            if all(self._audible(voices, other) for _, other in found):
                found.append((cost, voices))
                if len(found) == best:
                    break
        return found, True

    def _audible(self, one: Sequence[int], two: Sequence[int]) -> bool:
        hands = [s for s in self.pattern.strokes if s.limb in HANDS]
        changed = [s for s, a, b in zip(hands, one, two) if a != b]
        return any(">" in s.marks for s in changed) or len(changed) >= max(2, len(hands) / 10)

    def _loops(self, best: int) -> tuple[list[tuple[float, tuple[int, ...]]], bool]:
        """Loops: the state at the end is the state at the beginning. Beginnings are tried in the order of the least
        they could cost, until none is left that could still get onto the list."""
        free = self._ahead(None)[0]
        shape = free[..., self._q0]
        order = np.argsort(shape, axis=None, kind="stable")
        pool: list[tuple[float, tuple[int, ...]]] = []
        complete = True
        tried = 0
        limit = max(20, MAX_WORK // max(1, free.size * len(self.events) * self.n))
        for flat in order:
            start = tuple(int(i) for i in np.unravel_index(int(flat), shape.shape))
            bound = float(shape[start])
            worst = pool[best - 1][0] if len(pool) >= best else math.inf
            if math.isinf(bound) or bound > worst + 1e-9:
                break
            if not self._possible_end(start):
                continue
            tried += 1
            if tried > limit:
                complete = False
                break
            ahead = self._ahead(start)
            if math.isinf(float(ahead[0][(*start, self._q0)])):
                continue
            found, done = self._collect(self._in_order(ahead, (*start, self._q0)), best)
            complete = complete and done
            pool = sorted([*pool, *found])
            kept: list[tuple[float, tuple[int, ...]]] = []
            for cost, voices in pool:
                if all(self._audible(voices, other) for _, other in kept):
                    kept.append((cost, voices))
            pool = kept[: max(best, 1)]
        return pool, complete

    def _possible_end(self, state: tuple[int, ...]) -> bool:
        """Whether a round can end so: the last stroke of each hand has to be able to be there."""
        for hand, origin, at in ((RIGHT, state[0], state[1]), (LEFT, state[2], state[3])):
            rows = [slot for slot in self.slots.values() if slot.limb == hand]
            if not rows:
                if at != self.n or origin != self.n:
                    return False
                continue
            if at not in rows[-1].allowed or origin == at:
                return False
            reachable = {k for slot in rows for k in slot.allowed}
            if origin != self.n and origin not in reachable:
                return False
            if origin == self.n and any(at not in slot.allowed for slot in rows):
                return False
        return True

    def _ahead(self, end: tuple[int, ...] | None) -> list[Floats]:
        """Exact cost from every state at every event to the end: arrays by (right's origin, right, left's origin,
        left, contour). ``end`` asks for one state at the end."""
        n, q = self.n, self.q + (1 if self.q > 1 else 0)
        shape = (n + 1, n + 1, n + 1, n + 1, q)
        after: Floats = np.zeros(shape)
        if end is not None:
            after[...] = np.inf
            after[end] = 0.0
        found: list[Floats] = [after]
        origin = np.arange(n + 1)[:, None]
        at = np.arange(n + 1)[None, :]
        for number in range(len(self.events) - 1, -1, -1):
            self.progress.at(self.looked)
            event = self.events[number]
            here: Floats = np.full(shape, np.inf)
            for choice in self._choices(event):
                right, left = choice.get(RIGHT), choice.get(LEFT)
                r = np.broadcast_to(origin, (n + 1, n + 1)) if right is None else np.where(at == right[1], origin, at)
                s = np.broadcast_to(origin, (n + 1, n + 1)) if left is None else np.where(at == left[1], origin, at)
                r_at = np.broadcast_to(at, (n + 1, n + 1)) if right is None else np.full((n + 1, n + 1), right[1])
                s_at = np.broadcast_to(at, (n + 1, n + 1)) if left is None else np.full((n + 1, n + 1), left[1])
                gathered = after[r[:, :, None, None], r_at[:, :, None, None], s[None, None], s_at[None, None]]
                cost = np.zeros(shape[:4])
                if right is not None:
                    cost = cost + self.hand_costs[right[0]][:, :, right[1]][:, :, None, None]
                if left is not None:
                    cost = cost + self.hand_costs[left[0]][:, :, left[1]][None, None]
                pair = self.pair_costs[len(choice) - 1]
                rows = np.arange(n + 1)
                now_r = rows if right is None else np.full(n + 1, right[1])
                now_s = rows if left is None else np.full(n + 1, left[1])
                both = pair[rows[:, None], rows[None, :], now_r[:, None], now_s[None, :]]
                cost = cost + both[None, :, None, :]
                for here_q in range(q):
                    next_q = self._contour_after(here_q, choice)
                    if next_q is not None:
                        np.minimum(here[..., here_q], cost + gathered[..., next_q], out=here[..., here_q])
            found.append(here)
            after = here
        found.reverse()
        return found

    def _choices(self, event: Event) -> list[dict[str, tuple[int, int]]]:
        """Every way to voice an event's hands: by hand, its stroke and its voice."""
        found: list[dict[str, tuple[int, int]]] = [{}]
        for stroke in event.hands:
            slot = self.slots[stroke.index]
            found = [{**c, stroke.limb: (stroke.index, k)} for c in found for k in slot.allowed]
        return found

    def _contour_after(self, q: int, choice: dict[str, tuple[int, int]]) -> int | None:
        state = q
        for index, k in sorted(choice.values()):
            place = self.slots[index].place
            if place is None or self.q == 1:
                continue
            number = sum(1 for i, slot in self.slots.items() if i < index and slot.place is not None)
            after = self._follows(state, k, place, number)
            if after is None:
                return None
            state = after
        return state

    def _in_order(self, ahead: list[Floats], start: tuple[int, ...]) -> Iterator[tuple[float, tuple[int, ...]]]:
        """Voicings from a state, cheapest first: what is known to lie ahead leads straight to them."""
        tie = count()
        heap: list[tuple[float, int, float, int, tuple[int, ...], tuple[int, ...]]] = []
        first = float(ahead[0][start])
        if not math.isinf(first):
            heap.append((first, next(tie), 0.0, 0, start, ()))
        while heap:
            total, _, spent, number, state, voices = heapq.heappop(heap)
            self.looked += 1
            self.progress.at(self.looked)
            if number == len(self.events):
                yield self.base + total, voices
                continue
            event = self.events[number]
            for choice in self._choices(event):
                q = self._contour_after(state[4], choice)
                if q is None:
                    continue
                r0, r, s0, s = state[:4]
                cost = 0.0
                now_r, now_s, new_r0, new_s0 = r, s, r0, s0
                if RIGHT in choice:
                    index, k = choice[RIGHT]
                    cost += float(self.hand_costs[index][r0, r, k])
                    now_r, new_r0 = k, r0 if k == r else r
                if LEFT in choice:
                    index, k = choice[LEFT]
                    cost += float(self.hand_costs[index][s0, s, k])
                    now_s, new_s0 = k, s0 if k == s else s
                cost += float(self.pair_costs[len(choice) - 1][r, s, now_r, now_s])
                following = (new_r0, now_r, new_s0, now_s, q)
                rest = float(ahead[number + 1][following])
                if not math.isinf(rest):
                    picked = tuple(choice[s.limb][1] for s in event.hands)
                    heapq.heappush(
                        heap,
                        (spent + cost + rest, next(tie), spent + cost, number + 1, following, (*voices, *picked)),
                    )
