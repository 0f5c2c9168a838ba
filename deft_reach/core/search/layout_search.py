"""Where chosen pieces could stand so that all chosen plans cost less together.

Places are tried on a grid of 5 mm: first spread over everything allowed (a Sobol sequence), then step by step
downhill from the most promising ones. Nothing may stand in anything it did not stand in before, every piece that
moves stays in reach, and no plan may pay for another. A place that is already too dear without what close passing
adds is not looked at further: that term is never less than nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.collisions import trouble
from deft_reach.core.model.kit import Kit, Piece, piece_of
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.message import Length, Message, joined, message
from deft_reach.core.model.player import Player
from deft_reach.core.motion.comfort import rula
from deft_reach.core.motion.follow import voices_of
from deft_reach.core.motion.pose import MAX_LEAN_MM, elbow_degrees, upper_arm_degrees
from deft_reach.core.motion.reach_table import ReachTable, reach_table
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.joined_walk import Asked, JoinedWalk
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: Places are told apart to this many mm.
GRID: Final = 5
#: How far a step downhill goes (mm), coarse to fine.
STRIDES: Final = (40, 20, 10, 5)
#: Places looked at in all, unless asked otherwise.
BUDGET: Final = 3000
#: The furthest a piece may be asked to move (mm).
MOST_MM: Final = 400.0
#: Two answers differ where some piece stands this far apart (mm).
APART_MM: Final = 25.0
#: What moving a piece must gain at least, as a part of the whole cost; an answer that gains less is none.
LEAST_GAIN: Final = 0.05
#: What moving a piece by a metre must gain beyond that.
MOVE_PRICE: Final = 0.1
#: A plan that gets dearer weighs so many times what it loses.
PAYS: Final = 10.0


#: So many of the places spread about are looked at in full, for each answer that is wanted.
LIKELY: Final = 10


class LayoutError(SearchError):
    """A question that has no answer: says what to give instead."""


class PlanGain(NamedTuple):
    """A plan before and after: cost, and tempo limit (BPM; None where nothing limits it)."""

    name: str
    cost_before: float
    cost_after: float
    limit_before: float | None
    limit_after: float | None


@dataclass(frozen=True)
class Layout:
    """An answer: by piece how far it moves (mm to the right, forward, up), the kit then, and what each plan gains."""

    moves: dict[str, tuple[int, int, int]]
    kit: Kit
    plans: tuple[PlanGain, ...]

    @property
    def cost_before(self) -> float:
        return math.fsum(plan.cost_before for plan in self.plans)

    @property
    def cost_after(self) -> float:
        return math.fsum(plan.cost_after for plan in self.plans)

    @property
    def limit_before(self) -> float | None:
        return min((p.limit_before for p in self.plans if p.limit_before is not None), default=None)

    @property
    def limit_after(self) -> float | None:
        return min((p.limit_after for p in self.plans if p.limit_after is not None), default=None)


@dataclass(frozen=True)
class Layouts:
    """The answers, the cheapest first, and how many places were looked at. Empty where nothing is cheaper."""

    best: tuple[Layout, ...]
    evaluated: int


def move_words(move: tuple[int, int, int]) -> Message:
    """A move as a player makes it: "40 mm left, 15 mm forward, 10 mm up"."""
    names = (("right", "left"), ("forward", "back"), ("up", "down"))
    parts = [
        message(f"{{by:g}} {plus if by > 0 else minus}", by=Length(abs(by)))
        for by, (plus, minus) in zip(move, names)
        if by
    ]
    return joined(parts) if parts else message("stays")


def find_layouts(
    plans: Sequence[Asked],
    kit: Kit,
    player: Player,
    pieces: Sequence[str],
    *,
    within: float = 100.0,
    best: int = 3,
    budget: int = BUDGET,
    progress: Progress = NO_PROGRESS,
) -> Layouts:
    """Places for ``pieces`` (codes), each within so many mm of where it stands, that make all plans cheaper together.

    ``budget`` is how many places are looked at. ``progress`` hears how many were, of how many, and the best Layout so
    far; it can stop the search. The same question gives the same answer every time.

    Raises LayoutError for pieces the kit lacks or that cannot be moved alone, and for plans that cannot be judged.
    """
    if not plans:
        raise LayoutError("there is no plan to make cheaper: choose at least one")
    if not (math.isfinite(within) and GRID <= within <= MOST_MM):
        template = "pieces may move within {mm:g}; expected {low:g} to {high:g}"
        raise LayoutError(message(template, mm=Length(within), low=Length(GRID), high=Length(MOST_MM)))
    if not pieces:
        raise LayoutError("no piece may move: choose at least one")
    for code in pieces:
        piece = kit.piece(code)
        if piece is None:
            raise LayoutError(f"the kit '{kit.name}' has no piece '{code}'; it has {', '.join(p.code for p in kit)}")
        if piece.kind == "bass":
            raise LayoutError("the bass drum stands where its pedal is; move other pieces")
    for plan in plans:
        if plan.pattern.unassigned:
            raise LayoutError(f"'{plan.name}' has strokes without a hand (?): give them hands first")
        if not plan.pattern.strokes:
            raise LayoutError(f"'{plan.name}' has no strokes")
    search = _Search(plans, kit, player, list(dict.fromkeys(pieces)), within, budget, progress)
    return search.run(best)


class _Costed(NamedTuple):
    """What all plans cost at a place: what is minimised, and each plan's own."""

    total: float
    costs: tuple[float, ...]


_NEVER: Final = _Costed(math.inf, ())
_Place = tuple[int, ...]


class _Search:
    def __init__(
        self, plans: Sequence[Asked], kit: Kit, player: Player, pieces: list[str], within: float, budget: int,
        progress: Progress,
    ) -> None:  # fmt: skip
        self.plans, self.kit, self.player, self.pieces = plans, kit, player, pieces
        self.progress, self.budget = progress, max(50, budget)
        voices = {v for plan in plans for v in voices_of(plan.pattern)}
        self.voices = tuple(sorted(voices | {code for code in pieces if not self._piece(code).is_pedal}))
        steps = int(within // GRID)
        # Pedals stay on the floor; everything else may go up and down half as far as sideways.
        self.spans = [
            span for code in pieces for span in (steps, steps, 0 if self._piece(code).is_pedal else steps // 2)
        ]
        self.seen: dict[_Place, _Costed] = {}
        #: What places cost at least that were not looked at in full.
        self.least: dict[_Place, float] = {}
        self.evaluated = 0
        self.was = {code: trouble(kit, self._piece(code)) for code in pieces}
        table = reach_table(kit, player, self.voices)
        self.leaned = {code: self._least_lean(table, code) for code in pieces}
        #: The voices of the pieces that move, with the hands that play them.
        self.played = {
            code: sorted(
                {
                    (s.limb, s.voice)
                    for plan in plans
                    for s in plan.pattern.strokes
                    if s.limb in HANDS and piece_of(s.voice) == code
                }
            )
            for code in pieces
        }
        self.held = self._held(table)
        self.joined = JoinedWalk.of(plans, table)
        self.before = self.joined.costs(table)
        self.scale = max(math.fsum(self.before), 1e-9)
        self.start: _Place = (0,) * len(self.spans)
        self.seen[self.start] = _Costed(self.scale, self.before)
        self.top: list[tuple[float, _Place]] = []
        self._told: Layout | None = None
        self._told_at = self.scale

    def _piece(self, code: str) -> Piece:
        piece = self.kit.piece(code)
        assert piece is not None
        return piece

    @staticmethod
    def _least_lean(table: ReachTable, code: str) -> float:
        leans = [table.lean[hand][code] for hand in HANDS if code in table.lean[hand]]
        return min(leans, default=0.0)

    def _held(self, table: ReachTable) -> dict[str, int]:
        """How strained the arms are held at each piece that moves, by the hands that play it there (RULA)."""
        found = {}
        for code, rows in self.played.items():
            arms = [table.joints[hand][voice] for hand, voice in rows if voice in table.joints[hand]]
            if arms:
                joints = np.array(arms)
                bent = zip(upper_arm_degrees(joints).tolist(), elbow_degrees(joints).tolist())
                found[code] = sum(rula(upper, elbow) for upper, elbow in bent)
        return found

    # --- one place --------------------------------------------------------------------------------------------

    def kit_at(self, place: _Place) -> Kit:
        moved = {}
        for k, code in enumerate(self.pieces):
            dx, dy, dz = (GRID * step for step in place[3 * k : 3 * k + 3])
            piece = self._piece(code)
            moved[code] = replace(piece, x=piece.x + dx, y=piece.y + dy, z=piece.z + dz)
        return replace(self.kit, pieces=tuple(moved.get(p.code, p) for p in self.kit.pieces))

    def cost(self, place: _Place, enough: float = math.inf) -> _Costed:
        """What a place costs; infinite where it cannot be, or where it is plain that it is not under ``enough``."""
        found = self.seen.get(place)
        if found is not None:
            return found
        kit = self.kit_at(place)
        if any(
            trouble(kit, piece) > self.was[piece.code] + 1.0 for code in self.pieces if (piece := kit.piece(code))
        ):
            self.seen[place] = _NEVER
            return _NEVER
        self.progress.at(self.evaluated, self.budget, self._best_so_far)
        self.evaluated += 1
        table = reach_table(kit, self.player, self.voices)
        for code in self.pieces:
            lean = self._least_lean(table, code)
            if lean > self.leaned[code] + 1.0 and (lean > MAX_LEAN_MM or lean > 0):
                self.seen[place] = _NEVER
                return _NEVER
        if any(score > self.held.get(code, score) for code, score in self._held(table).items()):
            self.seen[place] = _NEVER
            return _NEVER
        price = self._price_of_moving(place)
        bare = self.joined.without_squeeze(table)
        least = self._total(bare[1]) + price
        if least >= enough:
            # Not kept: asked again with more to spend, it may be worth a full look.
            self.least[place] = least
            return _NEVER
        costs = self.joined.with_squeeze(table, *bare)
        found = self.seen[place] = _Costed(self._total(costs) + price, costs)
        return found

    def _price_of_moving(self, place: _Place) -> float:
        metres = math.fsum(math.dist(place[k : k + 3], (0, 0, 0)) * GRID / 1000 for k in range(0, len(place), 3))
        return MOVE_PRICE * self.scale * metres

    def _total(self, costs: Sequence[float]) -> float:
        pays = math.fsum(max(0.0, now - was) for now, was in zip(costs, self.before))
        return math.fsum(costs) + PAYS * pays

    # --- searching --------------------------------------------------------------------------------------------

    def run(self, best: int) -> Layouts:
        found = [self.start]
        for place in self._spread():
            # At first only what each costs at least: most are not worth more.
            self.cost(place, -math.inf)
        likely = sorted((least, place) for place, least in self.least.items())[: LIKELY * best]
        for _, place in likely:
            self.cost(place)
        promising = sorted((c.total, p) for p, c in self.seen.items() if math.isfinite(c.total))
        starts = [self.start]
        for _, place in promising:
            if all(self._apart(place, other) for other in starts):
                starts.append(place)
            if len(starts) > best + 2:
                break
        for place in starts:
            if self.evaluated < self.budget:
                found.append(self._downhill(place))
        rows = sorted({(self.seen[p].total, p) for p in found})
        chosen: list[_Place] = []
        for total, place in rows:
            if total >= self.scale - 1e-9:
                break
            place = self._tidied(place)
            gain = self.scale - math.fsum(self.seen[place].costs)
            if gain >= LEAST_GAIN * self.scale and all(self._apart(place, other) for other in chosen):
                chosen.append(place)
        chosen.sort(key=lambda p: math.fsum(self.seen[p].costs))
        return Layouts(tuple(self._layout(place) for place in chosen[:best]), self.evaluated)

    def _spread(self) -> list[_Place]:
        """Places spread evenly over all that is allowed: a third of the budget."""
        from scipy.stats import qmc  # late: SciPy takes a while to import

        count = 2 ** max(4, int(math.log2(self.budget / 3)))
        points = qmc.Sobol(len(self.spans), seed=7).random(count)
        spans = np.array(self.spans)
        steps = np.round((points * 2 - 1) * spans).astype(int)
        return [tuple(row) for row in steps.tolist()]

    def _apart(self, a: _Place, b: _Place) -> bool:
        return any(math.dist(a[k : k + 3], b[k : k + 3]) * GRID > APART_MM for k in range(0, len(a), 3))

    def _downhill(self, place: _Place) -> _Place:
        """Step by step to where no step of any size is cheaper."""
        now = self.cost(place).total
        for stride in STRIDES:
            by = stride // GRID
            better = True
            while better and self.evaluated < self.budget:
                better = False
                for step in self._steps(by):
                    there = tuple(max(-span, min(span, a + b)) for a, b, span in zip(place, step, self.spans))
                    if there != place and (total := self.cost(there, now).total) < now - 1e-9:
                        place, now, better = there, total, True
                        self._note(now, place)
                    if self.evaluated >= self.budget:
                        break
        return place

    def _steps(self, by: int) -> list[_Place]:
        """One piece at a time along an axis or aslant in plan."""
        found = []
        for k in range(0, len(self.spans), 3):
            for dx, dy, dz in (
                (1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1),
                (1, 1, 0), (1, -1, 0), (-1, 1, 0), (-1, -1, 0),
            ):  # fmt: skip
                step = [0] * len(self.spans)
                step[k : k + 3] = dx * by, dy * by, dz * by
                found.append(tuple(step))
        return found

    def _tidied(self, place: _Place) -> _Place:
        """The same without pieces whose moves gain too little, and with every move as small as serves."""
        # Smaller moves gain less, so what is left of them is asked again.
        return self._without_pieces(self._smaller(self._without_pieces(place)))

    def _without_pieces(self, place: _Place) -> _Place:
        pieces = sorted(range(0, len(place), 3), key=lambda k: math.dist(place[k : k + 3], (0, 0, 0)))
        for k in pieces:
            plain = (*place[:k], 0, 0, 0, *place[k + 3 :])
            if plain != place and self._whole(plain) <= self._whole(place) + LEAST_GAIN * self.scale:
                place = plain
        return place

    def _smaller(self, place: _Place) -> _Place:
        for k in range(len(place)):
            for less in (0, int(place[k] / 2)):
                smaller = (*place[:k], less, *place[k + 1 :])
                if smaller != place and self._whole(smaller) <= self._whole(place) + 0.005 * self.scale:
                    place = smaller
                    break
        return place

    def _whole(self, place: _Place) -> float:
        """What a place costs, without the price of moving there."""
        found = self.cost(place)
        return self._total(found.costs) if found.costs else math.inf

    def _note(self, total: float, place: _Place) -> None:
        if total < self._told_at - 0.005 * self.scale:
            self._told_at = total
            self._told = self._layout(place)

    @property
    def _best_so_far(self) -> Layout | None:
        return self._told

    def _layout(self, place: _Place) -> Layout:
        kit = self.kit_at(place)
        moves = {
            code: (place[3 * k] * GRID, place[3 * k + 1] * GRID, place[3 * k + 2] * GRID)
            for k, code in enumerate(self.pieces)
            if any(place[3 * k : 3 * k + 3])
        }
        before = self.joined.limits(reach_table(self.kit, self.player, self.voices))
        after = self.joined.limits(reach_table(kit, self.player, self.voices))
        costs = self.seen[place].costs
        gains = zip((plan.name for plan in self.plans), self.before, costs, before, after)
        return Layout(moves, kit, tuple(PlanGain(*row) for row in gains))
