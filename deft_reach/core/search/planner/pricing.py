"""What every option of every moment costs from every state of the planner's graph."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import groupby

import numpy as np

from deft_reach.core.motion.columns import RUN_GAP
from deft_reach.core.motion.cost import CostTerms, Weights
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.timing import (
    GRACE_LEAST,
    HAND_REBOUND,
    level_factors,
    needed_times,
    own_part,
    rebound,
)
from deft_reach.core.search.planner.crossings import Crossings
from deft_reach.core.search.planner.moments import BOTH, NOBODY, OPTIONS, Moments
from deft_reach.core.search.planner.passing import Passings
from deft_reach.core.search.planner.past import Past
from deft_reach.core.search.progress import Progress


@dataclass(frozen=True)
class Limits:
    """What the search must keep to: no hand twice in a row, or no more than so many strokes of one hand in a row."""

    alternate: bool = False
    max_run: int | None = None

    @property
    def longest(self) -> int | None:
        """How many strokes in a row a hand may have, None for any number."""
        runs = [run for run in (1 if self.alternate else None, self.max_run) if run is not None]
        return min(runs, default=None)

    def kept_by(self, struck: Sequence[tuple[str, bool]], loop: bool) -> bool:
        """Whether no hand strikes alone too often in a row, counting only runs with an open stroke among them.

        ``struck`` says of every moment of the hands which one strikes alone, empty for both, and whether a stroke of
        it is open.
        """
        most = self.longest
        if most is None or not struck:
            return True
        if loop and all(hand and hand == struck[0][0] for hand, _ in struck):
            # Round after round: it never ends.
            return not any(is_open for _, is_open in struck)
        first = next((k for k, row in enumerate(struck) if row[0] != struck[k - 1][0]), 0) if loop else 0
        runs = groupby([*struck[first:], *struck[:first]], key=lambda row: row[0])
        return not any(
            hand and len(rows) > most and any(is_open for _, is_open in rows)
            for hand, run in runs
            if (rows := list(run))
        )


@dataclass(frozen=True)
class Problem:
    """What is asked: the moments, what everything costs, the seconds of a ``whole`` note, the ``length`` of a loop in
    whole notes (None: played once), and how many choices (``memory``) a state remembers at most.

    What the arms do on their ways is the same for every graph of a problem.
    """

    moments: Moments
    table: ReachTable
    weights: Weights
    whole: float
    limits: Limits
    length: float | None
    memory: int

    @property
    def loop(self) -> bool:
        return self.length is not None

    @cached_property
    def terms(self) -> CostTerms:
        return CostTerms(self.weights, self.table.leading_side)

    @cached_property
    def crossings(self) -> Crossings:
        return Crossings(self.moments, self.table, self.terms, self.length, self.memory)

    @cached_property
    def passings(self) -> Passings:
        return Passings(self.moments, self.table, self.terms, self.length)


class Pricing:
    """What every option of every moment costs from every state."""

    def __init__(self, problem: Problem, past: Past, progress: Progress) -> None:
        self.moments, self.past, self.table, self.terms = problem.moments, past, problem.table, problem.terms
        self.progress = progress
        self.whole, self.limits, self.n = problem.whole, problem.limits, len(problem.moments)
        self.crossing, self.passing = problem.crossings, problem.passings

    def costs(self) -> Floats:
        """The cost of each option of each moment from each state, (moments, options, states)."""
        m, past = self.moments, self.past
        cost = np.zeros((self.n, OPTIONS, past.size))
        gaps = [past.gaps(side, self.n) for side in (0, 1)]
        before = past.voice[:, : self.n]
        for o in range(OPTIONS):
            now = [before[side].copy() for side in (0, 1)]
            for side in (0, 1):
                self.progress.at(2 * o + side, 2 * OPTIONS)
                strikes, graces = m.strikes[:, o, side] > 0, m.graces[:, o, side]
                if strikes.any():
                    cost[:, o] += np.where(strikes[:, None], self._stroke(o, side, *gaps[side]), 0.0)
                if graces.any():
                    cost[:, o] += np.where(graces[:, None], self._grace(o, side, *gaps[side]), 0.0)
                voice = m.voice[:, o, side]
                comes = m.comes[:, o, side] & (voice >= 0)
                now[side][comes] = voice[comes, None]
            swing = self.table.bearings[now[0], now[1]] - self.table.bearings[before[0], before[1]]
            known = (before[0] >= 0) & (before[1] >= 0)
            cost[:, o] += np.where(known, self.terms.twist(swing), 0.0)
            cost[:, o] += self._lead(o) + self._habits(o) + self.crossing.cost(o, past) + self.passing.cost(o, past)
        cost[~m.valid] = np.inf
        self._restrict(cost)
        return cost

    def ending(self) -> Floats:
        """What is still to pay at the end, by state (states,)."""
        return self.crossing.ending(self.past) + self.passing.ending(self.past)

    @np.errstate(invalid="ignore", divide="ignore")
    def _stroke(self, o: int, side: int, gap: Floats, earlier: list[Floats]) -> Floats:
        m, past, terms, t = self.moments, self.past, self.terms, self.table
        level, last_level = m.level[:, o, side, None], past.level[side, : self.n]
        voice, was = m.voice[:, o, side, None], past.voice[side, : self.n]
        extra = m.extra[:, o, side, None]
        has = ~np.isnan(gap)
        run = np.where(
            has & (gap <= RUN_GAP) & ~m.graced[:, o, side, None] & ~past.grace[side, : self.n],
            past.run[side, : self.n], 0,
        ) + 1  # fmt: skip
        there = (voice >= 0) & (was >= 0)
        a, b = np.where(there, was, -1), np.where(there, voice, -1)
        way = np.where(run > 1, t.sweep_times[side, a, b], t.travel_times[side, a, b])
        head = np.where(past.grace[side, : self.n] & has, GRACE_LEAST, 0.0)
        shifted = has & ((extra > 0) | m.graced[:, o, side, None] | (head > 0))
        unsure = np.zeros(gap.shape, dtype=bool)
        for before in earlier:
            unsure |= has & np.isnan(before)
        part = np.where(
            has, rebound(gap, tuple(np.where(np.isnan(x), np.inf, x) for x in earlier), HAND_REBOUND), 1.0
        )
        # Of a rebound that is not known every part is possible up to a full restrike: the cheapest one counts.
        depth = float(t.rebound_depths[side])
        seconds = gap * self.whole
        bounced = part if depth == 1.0 else own_part(part, depth)
        factors = level_factors(bounced, level, last_level)
        pace = needed_times(t.restrikes[side], factors, way, extra - head, shifted) / seconds
        found = terms.stroke(pace, level, last_level, run)
        hurried = found["pace"] + terms.control(part)
        if unsure.any():
            # The time that the deepest rebound leaves, and the control that none at all asks.
            cheapest = bounced if depth != 1.0 else terms.least_bounced(t.restrikes[side] / seconds, part)
            least = cheapest * np.minimum(factors / np.maximum(bounced, 1e-12), 1.0)
            both = terms.below_wall(needed_times(t.restrikes[side], least, 0.0, extra - head, shifted) / seconds)
            if depth == 1.0:
                both = both + terms.control(cheapest)
            hurried = np.where(unsure, np.minimum(hurried, np.maximum(found["pace"], both)), hurried)
        cost = hurried + found["lift"] + found["load"]
        cost += terms.reach(np.where(voice >= 0, t.reach_costs[side, voice], 0.0))
        origin = past.origin[side, : self.n]
        moves = there & (was != voice) & (origin >= 0)
        if moves.any():
            tips = t.tips[:, :2]
            cost += np.where(moves, terms.turn(tips[was] - tips[origin], tips[voice] - tips[was]), 0.0)
        return np.asarray(cost)

    @np.errstate(invalid="ignore", divide="ignore")
    def _grace(self, o: int, side: int, gap: Floats, earlier: list[Floats]) -> Floats:
        m, past, t = self.moments, self.past, self.table
        voice, was = m.voice[:, o, side, None], past.voice[side, : self.n]
        part = rebound(gap, tuple(np.where(np.isnan(x), np.inf, x) for x in earlier), HAND_REBOUND)
        factor = level_factors(part, m.level[:, o, side, None], past.level[side, : self.n])
        b = np.where(voice >= 0, voice, -1)
        way = np.where(voice >= 0, t.grace_times[side, was, b], 0.0)
        head = np.where(past.grace[side, : self.n], GRACE_LEAST, 0.0)
        needed = needed_times(t.restrikes[side], factor, way, m.lead[:, o, side, None] - head, True)
        there = ~np.isnan(gap) & (was >= 0)
        return np.asarray(np.where(there, self.terms.pace(needed / (gap * self.whole)), 0.0))

    def _lead(self, o: int) -> Floats:
        """Beats that the other hand leads, and changes of the lead."""
        who = self.moments.leader[:, o, None]
        led = self.past.leader[: self.n]
        leads = np.where(who == BOTH, led, who)
        known = leads != NOBODY
        changed = known & (led != NOBODY) & (leads != led)
        other = known & (leads != self.table.leading_side)
        weak = 1 - self.table.leading_side
        keeper = self.moments.keeper[:, o]
        far = self.table.far_crash[weak, self.moments.voice[:, o, weak]] & (keeper != weak) & (keeper != BOTH)
        return np.asarray(self.terms.lead(changed, other, other & far[:, None]))

    def _habits(self, o: int) -> Floats:
        """A kept surface passed on to the other hand, and strokes whose hand comes back from neither of two beats."""
        m, past, terms = self.moments, self.past, self.terms
        last, before = past.keeper[:, : self.n]
        recent = past.last_alone[: self.n]
        found = terms.kept(m.keeper[:, o, None], last, before, recent, m.line)
        again = (m.alone[:, o, None] == recent) & (m.alone[:, o, None] < BOTH)
        again &= (m.keeper[:, o, None] == NOBODY) & ~past.last_kept[: self.n]
        weak = m.alone[:, o, None] == 1 - self.table.leading_side
        found = found + terms.again(again, weak, m.begins[:, None])
        alone, (one, two) = m.alone[:, o, None], past.figure[:, : self.n]
        known = (one != NOBODY) & (two != NOBODY)
        return np.asarray(found + terms.figure(known & (alone != one) & (alone != two)))

    def _restrict(self, cost: Floats) -> None:
        most = self.limits.longest
        if most is None:
            return
        for o in range(OPTIONS):
            for side in (0, 1):
                again = (self.moments.alone[:, o, None] == side) & (self.past.streak[side, : self.n] >= most)
                # What is written stays: a run is the planner's where it chose one of its strokes.
                mine = self.moments.open[:, None] | self.past.chosen[side, : self.n]
                cost[:, o][again & mine] = np.inf
