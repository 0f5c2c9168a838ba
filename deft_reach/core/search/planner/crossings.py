"""What crossing the arms costs in the planner's graph, on ways of a hand that are known from a state."""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from deft_reach.core.motion.cost import CostTerms
from deft_reach.core.motion.paths import MOVING, minimum_jerk
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.sequence import Flags, Ints
from deft_reach.core.search.planner.moments import OPTIONS, Moments, Rounds
from deft_reach.core.search.planner.past import Past

#: A hand that has rested for more moments than this is not asked where it is on its way meanwhile.
REST: Final = 12


class Crossings:
    """What crossing the arms costs, as the analysis has it: a hand that is on its way is judged where it is on it.

    So how the arms were between two strikes of a hand is known only with the second one, and is paid for there. A
    *row* is one hand's way from a strike (some moments back) to a strike: what its strikes of the partner meanwhile
    cost, and whether the arms are crossed at the first and at the last of them.
    """

    def __init__(
        self, moments: Moments, table: ReachTable, terms: CostTerms, length: float | None, memory: int
    ) -> None:  # fmt: skip
        self.moments, self.table, self.terms, self.length = moments, table, terms, length
        self.n, self.loop = len(moments), length is not None
        m = moments
        #: The option of each moment in which a side strikes and the other hand does not come, −1 if none.
        self.lone = np.full((2, self.n), -1)
        for side in (0, 1):
            for o in range(OPTIONS):
                fits = m.valid[:, o] & (m.alone[:, o] == side) & ~m.comes[:, o, 1 - side]
                self.lone[side][fits] = o
        # One more moment than there are: the end, to which no hand goes any more.
        self.rest = moments.reach(memory, self.loop, REST)
        rows = (2, self.n + 1, OPTIONS, self.rest + 1, OPTIONS)
        self.held, self.first_cost = np.zeros(rows), np.zeros(rows)
        self.first, self.last = np.zeros(rows, dtype=bool), np.zeros(rows, dtype=bool)
        self.possible = bool(table.cross) and self.n > 0
        if self.possible:
            self.rounds = Rounds(moments, length, self.rest)
            self._rows()
            self.static = self._static()

    # --- rows -------------------------------------------------------------------------------------------------

    def _rows(self) -> None:
        """Every row, by (side, moment, option at its end, moments it is long, option at its beginning)."""
        m, n = self.moments, self.n
        e = np.arange(n + 1)
        here, ends = np.minimum(e, n - 1), e == n
        comes = m.valid[:, :, None] & m.comes
        # By side, moment, option at the end and option at the beginning.
        at_end = np.where(ends[:, None], (np.arange(OPTIONS) == 0) & (not self.loop), comes[here].transpose(2, 0, 1))
        keys: list[Ints] = []
        parts: list[Floats] = []
        places: list[tuple[int, int, tuple[Ints, ...]]] = []
        for r in range(2, self.rest + 1):
            start, s_time = self.rounds.at(e - r)
            was = m.voice[start].transpose(2, 0, 1)[:, :, None, :]
            there = (comes[start].transpose(2, 0, 1) & ((e >= r) | self.loop)[:, None])[:, :, None, :]
            own = np.where(ends[:, None, None], was, m.voice[here].transpose(2, 0, 1)[:, :, :, None])
            to = np.where(own >= 0, own, was)
            begun = at_end[:, :, :, None] & there & (was >= 0)
            for i in range(1, r):
                # The moment i after the hand's last strike, r before its next one at e.
                at, time = self.rounds.at(e - r + i)
                option = self.lone[::-1, at]
                meets = m.voice[at, np.maximum(option, 0), [[1], [0]]]
                place = np.nonzero(begun & ((option >= 0) & (meets >= 0))[:, :, None, None])
                side, k, _, o0 = place
                if not len(k):
                    continue
                went = to[place]
                came = was[side, k, 0, o0]
                moving = went != came
                span = np.where(moving, m.time[here[k]] - s_time[k], 1.0)
                begin, end = MOVING["early"]
                done = minimum_jerk(((time[k] - s_time[k]) / span - begin) / (end - begin))
                keys.append(np.stack([side, came, np.where(moving, went, -1), meets[side, k]]))
                parts.append(np.where(moving, done, 0.0))
                places.append((r, i, place))
        if not keys:
            return
        found = self._crossed(np.concatenate(keys, axis=1), np.concatenate(parts))
        hold, enter = self.terms.crossing(found, False), self.terms.crossing(found, True)
        crossed = ~np.isnan(found)
        done_with = 0
        before = np.zeros((2, n + 1, OPTIONS, OPTIONS), dtype=bool)
        for r, i, place in places:
            mine = slice(done_with, done_with + len(place[0]))
            done_with += len(place[0])
            side, e, o, o0 = place
            row = (side, e, o, r, o0)
            if i == 1:
                before[:] = False
                self.first[row] = crossed[mine]
                self.first_cost[row] = np.where(crossed[mine], enter[mine] - hold[mine], 0.0)
                self.held[row] += np.where(crossed[mine], hold[mine], 0.0)
            else:
                fresh = crossed[mine] & ~before[place]
                self.held[row] += np.where(fresh, enter[mine], np.where(crossed[mine], hold[mine], 0.0))
            before[place] = crossed[mine]
            if i == r - 1:
                self.last[row] = crossed[mine]

    def _crossed(self, keys: Ints, done: Floats) -> Floats:
        """The clearance of arms of which one is on its way, NaN where they do not cross."""
        n = len(self.table.names)
        side, was, to, meets = keys
        still = to < 0
        found = np.full(len(side), np.nan)
        right, left = np.where(side == 0, was, meets), np.where(side == 0, meets, was)
        found[still] = self.table.clearances[right[still], left[still]]
        steps = np.round(done * 1e6).astype(np.intp)
        code = ((side * (n + 1) + was) * (n + 1) + to + 1) * (n + 1) + meets
        wanted = np.flatnonzero(~still)
        if len(wanted):
            _, index, back = np.unique(
                code[wanted] * 1_000_001 + steps[wanted], return_index=True, return_inverse=True
            )
            k = wanted[index]
            none, nothing = np.full(len(k), -1), np.zeros(len(k))
            mine = side[k] == 0
            crosses = self.table.crossed_on_the_way(
                right[k], np.where(mine, to[k], none), np.where(mine, done[k], nothing),
                left[k], np.where(mine, none, to[k]), np.where(mine, nothing, done[k]),
            )  # fmt: skip
            found[wanted] = self._clear(crosses)[back]
        return found

    @staticmethod
    def _clear(crosses: list[Cross | None]) -> Floats:
        return np.array([np.nan if cross is None else cross.clearance for cross in crosses])

    def _static(self) -> Floats:
        """Clearance where both hands come at a moment, by (moment, option); NaN where they do not cross or come."""
        m = self.moments
        right, left = m.voice[:, :, 0], m.voice[:, :, 1]
        both = m.comes.all(axis=2) & (right >= 0) & (left >= 0)
        return np.where(both, self.table.clearances[right, left], np.nan)

    # --- costs ------------------------------------------------------------------------------------------------

    def cost(self, o: int, past: Past) -> Floats:
        """What an option of every moment has to pay for crossings, from every state.

        Shape (moments, states).
        """
        m, n = self.moments, self.n
        found = np.zeros((n, past.size))
        if not self.possible:
            return found
        e = np.arange(n)[:, None]
        for side in (0, 1):
            comes = m.comes[:, o, side]
            if comes.any():
                found += np.where(comes[:, None], self._way(e, o, side, past), 0.0)
        both = m.comes[:, o].all(axis=1)
        if both.any():
            clear = self.static[:, o]
            crossed = ~np.isnan(clear)
            strokes = (m.strikes[:, o] > 0).sum(axis=1)[:, None]
            hold, enter = (self.terms.crossing(clear, entering)[:, None] for entering in (False, True))
            free = self._free_before(e, o, past)
            each = hold * strokes + np.where(free, enter - hold, 0.0)
            found += np.where((both & crossed)[:, None], each, 0.0)
        return found

    def ending(self, past: Past) -> Floats:
        """What is still to pay once nothing comes any more.

        Shape (states,).
        """
        found = np.zeros(past.size)
        if self.possible and not self.loop:
            e = np.full((1, 1), self.n)
            for side in (0, 1):
                found += self._way(e, 0, side, past)[0]
        return found

    def _row(self, e: Ints, o: Any, side: int, depth: Ints, option: Ints) -> tuple[Any, ...]:
        # What is not known is as if it had just been: whoever asks leaves it out.
        return side, e, o, np.clip(depth, 0, self.rest), option

    def _way(self, e: Ints, o: int, side: int, past: Past) -> Floats:
        """What a hand's way into its strike at ``e`` pays for the strikes of the other one meanwhile."""
        depth, option = past.depth[side][e[:, 0]], past.option[side][e[:, 0]]
        row = self._row(e, o, side, depth, option)
        counts = (depth >= 2) & (depth <= self.rest)
        first = self.first[row] & self._free_at_last(e, side, past)
        return np.where(counts, self.held[row] + np.where(first, self.first_cost[row], 0.0), 0.0)

    def _free_at_last(self, e: Ints, side: int, past: Past) -> Flags:
        """Whether the arms were surely not crossed when a hand struck last."""
        n = self.n
        at = e[:, 0]
        depth, option = past.depth[side][at], past.option[side][at]
        elder, elder_option = past.elder[side][at], past.elder_option[side][at]
        there = (e - depth) % n
        together = elder == depth
        static = np.isnan(self.static[there, option])
        following = (e - depth + 1) % n
        # The partner's strike right after it says where the partner was then.
        partner = self.lone[1 - side][following]
        row = self._row(following, np.maximum(partner, 0), 1 - side, elder - depth + 1, elder_option)
        known = (elder > 0) & (elder - depth + 1 <= self.rest)
        alone = past.whole[at] & (elder == 0)
        return np.asarray(np.where(together, static, np.where(known, ~self.last[row], alone)) & (depth > 0))

    def _free_before(self, e: Ints, o: int, past: Past) -> Flags:
        """Whether the arms were surely not crossed at the moment before one in which both hands come."""
        n = self.n
        depths = [past.depth[side][e[:, 0]] for side in (0, 1)]
        both = (depths[0] == 1) & (depths[1] == 1)
        found = np.where(both, np.isnan(self.static[(e - 1) % n, past.option[0][e[:, 0]]]), False)
        for side in (0, 1):
            depth = depths[side]
            rests = (depth > 1) & (depth <= self.rest)
            row = self._row(e, o, side, depth, past.option[side][e[:, 0]])
            found = np.where(rests, ~self.last[row], found)
            never = past.whole[e[:, 0]] & (depth == 0)
            found = np.where(never, True, found)
        return np.asarray(found)
