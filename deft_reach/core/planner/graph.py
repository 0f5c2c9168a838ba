"""The graph of everything the hands can do: states before each moment, and what each option costs from each.

A state is how the last choices were made (see past), so the costs of all moments are worked out at once. What they
cannot know costs as little as it can; of close passing that is what happens on short ways (see passing). So a way
through the graph never costs more than the sticking it stands for, and nearly always just as much.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from deft_reach.core import cost as price
from deft_reach.core.cost import Weights
from deft_reach.core.motion.follow import RUN_GAP, Flags, Ints
from deft_reach.core.motion.paths import MOVING, minimum_jerk
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.timing import GRACE_LEAST, HAND_REBOUND, level_factors, rebound
from deft_reach.core.planner.moments import BOTH, NOBODY, OPTIONS, Moments
from deft_reach.core.planner.passing import Passings
from deft_reach.core.planner.past import Past
from deft_reach.core.progress import SILENT, Progress

#: A hand that has rested for more moments than this is not asked where it is on its way meanwhile.
REST: Final = 12


@dataclass(frozen=True)
class Limits:
    """What the search must keep to: no hand twice in a row, or no more than so many strokes of one hand in a row."""

    alternate: bool = False
    max_run: int | None = None


class Graph:
    """The states of a round: ``cost`` (moments, options, states), infinite where not allowed, ``after`` the state
    that each leads to, ``ending`` (states) what is still to pay at the end of what is played once.

    ``memory`` is how many choices a state remembers.
    """

    def __init__(
        self, moments: Moments, table: ReachTable, weights: Weights, whole: float, limits: Limits,
        length: float | None, memory: int, progress: Progress = SILENT,
    ) -> None:  # fmt: skip
        self.moments, self.loop, self.progress = moments, length is not None, progress
        past = Past(moments, memory, length, progress)
        self.size = past.size
        self.after = past.after(moments)
        pricing = _Pricing(moments, past, table, weights, whole, limits, progress)
        self.cost, self.ending = pricing.costs(), pricing.ending()

    def __len__(self) -> int:
        return len(self.moments)

    def backward(self, end: Floats) -> Floats:
        """Least cost from every moment and state to the end (moments + 1, states), where an end costs ``end``."""
        found = np.empty((len(self) + 1, self.size))
        found[-1] = end
        for e in range(len(self) - 1, -1, -1):
            if e % 64 == 0:
                self.progress.at(len(self) - e, len(self))
            np.min(self.cost[e] + found[e + 1][self.after[e]], axis=0, out=found[e])
        return found

    def loop_bounds(self) -> Floats:
        """What a loop costs at least that comes through each state between two rounds (states,).

        Going round once first makes what is ahead nearly independent of where it ends. What each choice loses against
        the best one there can only add to it.
        """
        after = self.backward(np.zeros(self.size))[0]
        ahead = self.backward(after)
        lost = np.zeros(self.size)
        high = self.size >> 1
        s = np.arange(self.size)
        for e in range(len(self)):
            with np.errstate(invalid="ignore"):
                ways = self.cost[e] + ahead[e + 1][self.after[e]] - ahead[e] + lost
            ways[np.isnan(ways)] = np.inf
            if self.moments.choice[e] and self.size > 1:
                lost = np.minimum(ways[s & 1, s >> 1], ways[s & 1, (s >> 1) | high])
            else:
                lost = ways[0]
        with np.errstate(invalid="ignore"):
            return np.asarray(np.nan_to_num(ahead[0] - after + lost, nan=np.inf))

    def edges(self) -> Iterator[tuple[tuple[int, int], tuple[int, int], float, int]]:
        """Every option from every state as an edge: from and to (moment, state), its cost and the option."""
        for e, o, s in np.argwhere(np.isfinite(self.cost)).tolist():
            yield (e, s), (e + 1, int(self.after[e, o, s])), float(self.cost[e, o, s]), o


class _Pricing:
    """What every option of every moment costs from every state."""

    def __init__(
        self, moments: Moments, past: Past, table: ReachTable, weights: Weights, whole: float, limits: Limits,
        progress: Progress,
    ) -> None:  # fmt: skip
        self.moments, self.past, self.table, self.weights = moments, past, table, weights
        self.progress = progress
        self.whole, self.limits, self.n = whole, limits, len(moments)
        self.crossing = _Crossings(moments, past, table, weights)
        self.passing = Passings(moments, past, table, weights)

    def costs(self) -> Floats:
        m, past, w = self.moments, self.past, self.weights
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
            cost[:, o] += np.where(known, w.turn * price.twist_cost(swing), 0.0)
            cost[:, o] += self._lead(o) + self._habits(o) + self.crossing.cost(o) + self.passing.cost(o)
        cost[~m.valid] = np.inf
        self._restrict(cost)
        return cost

    def ending(self) -> Floats:
        return self.crossing.ending() + self.passing.ending()

    @np.errstate(invalid="ignore", divide="ignore")
    def _stroke(self, o: int, side: int, gap: Floats, earlier: list[Floats]) -> Floats:
        m, past, w, t = self.moments, self.past, self.weights, self.table
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
        quick = t.restrikes[side] / (gap * self.whole)
        cheapest = np.clip(0.3 * w.control / np.maximum(1e-12, w.pace * quick * quick), part, 1.0)
        control = w.control * price.control_cost(part)
        needed = np.maximum(t.restrikes[side] * level_factors(part, level, last_level), way)
        needed = np.where(shifted, np.maximum(1e-4, needed + extra - head), needed)
        pace = needed / (gap * self.whole)
        sure = w.pace * price.pace_cost(pace) + control
        if unsure.any():
            least = level_factors(part, level, last_level) / np.maximum(part, 1e-12)
            low = np.maximum(0.0, t.restrikes[side] * cheapest * np.minimum(least, 1.0) + extra - head)
            low_pace = np.where(shifted, low, t.restrikes[side] * cheapest * np.minimum(least, 1.0)) / (
                gap * self.whole
            )
            both = w.pace * low_pace * low_pace + w.control * price.control_cost(cheapest)
            sure = np.where(unsure, np.minimum(sure, np.maximum(w.pace * price.pace_cost(pace), both)), sure)
        cost = np.where(has, sure, w.control * price.control_cost(part))
        cost += w.reach * np.where(voice >= 0, t.reach_costs[side, voice], 0.0)
        cost += np.where(has, w.lift * price.lift_cost(level, last_level, pace), 0.0)
        cost += np.where(has, w.load * price.load_cost(run, pace, False), 0.0)
        origin = past.origin[side, : self.n]
        moves = there & (was != voice) & (origin >= 0)
        if moves.any():
            tips = t.tips[:, :2]
            cost += np.where(moves, w.turn * price.turn_cost(tips[was] - tips[origin], tips[voice] - tips[was]), 0.0)
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
        needed = np.maximum(1e-4, np.maximum(t.restrikes[side] * factor, way) + m.lead[:, o, side, None] - head)
        there = ~np.isnan(gap) & (was >= 0)
        return np.asarray(np.where(there, self.weights.pace * price.pace_cost(needed / (gap * self.whole)), 0.0))

    def _lead(self, o: int) -> Floats:
        """Beats that the other hand leads, and changes of the lead."""
        who = self.moments.leader[:, o, None]
        led = self.past.leader[: self.n]
        leads = np.where(who == BOTH, led, who)
        known = leads != NOBODY
        changed = known & (led != NOBODY) & (leads != led)
        other = known & (leads != self.table.leading_side)
        return np.asarray(self.weights.switch * (changed * price.SWITCH_COST + other * price.OTHER_LEAD_COST))

    def _habits(self, o: int) -> Floats:
        """A kept surface passed on to the other hand, and strokes whose hand comes back from neither of two beats."""
        m, past, w = self.moments, self.past, self.weights
        last, before = past.keeper[:, : self.n]
        recent = past.last_alone[: self.n]
        found = w.keep * price.keep_cost(m.keeper[:, o, None], last, before, recent, self.table.leading_side)
        again = (m.alone[:, o, None] == recent) & (m.alone[:, o, None] < BOTH)
        again &= (m.keeper[:, o, None] == NOBODY) & ~past.last_kept[: self.n]
        weak = m.alone[:, o, None] == 1 - self.table.leading_side
        found += w.load * again * (price.AGAIN_COST + price.OTHER_AGAIN_COST * weak)
        alone, (one, two) = m.alone[:, o, None], past.figure[:, : self.n]
        known = (one != NOBODY) & (two != NOBODY)
        return np.asarray(found + w.figure * price.FIGURE_COST * (known & (alone != one) & (alone != two)))

    def _restrict(self, cost: Floats) -> None:
        most = 1 if self.limits.alternate else None
        if self.limits.max_run is not None:
            most = self.limits.max_run if most is None else min(most, self.limits.max_run)
        if most is None:
            return
        for o in range(OPTIONS):
            for side in (0, 1):
                again = (self.moments.alone[:, o, None] == side) & (self.past.streak[side, : self.n] >= most)
                cost[:, o][again & self.moments.open[:, None]] = np.inf


class _Crossings:
    """What crossing the arms costs, as the analysis has it: a hand that is on its way is judged where it is on it.

    So how the arms were between two strikes of a hand is known only with the second one, and is paid for there. A
    *row* is one hand's way from a strike (some moments back) to a strike: what its strikes of the partner meanwhile
    cost, and whether the arms are crossed at the first and at the last of them.
    """

    def __init__(self, moments: Moments, past: Past, table: ReachTable, weights: Weights) -> None:
        self.moments, self.past, self.table, self.weights = moments, past, table, weights
        self.n, self.loop = len(moments), past.length is not None
        m = moments
        #: The option of each moment in which a side strikes and the other hand does not come, −1 if none.
        self.lone = np.full((2, self.n), -1)
        for side in (0, 1):
            for o in range(OPTIONS):
                fits = m.valid[:, o] & (m.alone[:, o] == side) & ~m.comes[:, o, 1 - side]
                self.lone[side][fits] = o
        # One more moment than there are: the end, to which no hand goes any more.
        self.rest = min(REST, int(past.depth.max(initial=0)))
        rows = (2, self.n + 1, OPTIONS, self.rest + 1, OPTIONS)
        self.held, self.first_cost = np.zeros(rows), np.zeros(rows)
        self.first, self.last = np.zeros(rows, dtype=bool), np.zeros(rows, dtype=bool)
        self.possible = bool(table.cross) and self.n > 0
        if self.possible:
            self._rows()
            self.static = self._static()

    # --- rows -------------------------------------------------------------------------------------------------

    def _rows(self) -> None:
        m, n = self.moments, self.n
        length = self.past.length
        every = np.arange(n + 1)
        keys: list[Ints] = []
        parts: list[Floats] = []
        places: list[tuple[int, int, int, int, int, Ints]] = []
        for side in (0, 1):
            coming = [o for o in range(OPTIONS) if (m.valid[:, o] & m.comes[:, o, side]).any()]
            for o in range(OPTIONS) if not self.loop else coming:
                for o0 in coming:
                    for r in range(2, self.rest + 1):
                        for i in range(1, r):
                            # The moment i after the hand's last strike, r before its next one at e.
                            start, there = every - r, every - r + i
                            if self.loop:
                                s_turn, s_at = np.divmod(start, n)
                                t_turn, t_at = np.divmod(there, n)
                                s_time = m.time[s_at] + s_turn * length
                                t_time = m.time[t_at] + t_turn * length
                            else:
                                s_at, t_at = np.maximum(start, 0), np.maximum(there, 0)
                                s_time, t_time = m.time[s_at], m.time[t_at]
                            at_end = every == n
                            own = np.where(
                                at_end, m.voice[s_at, o0, side], m.voice[np.minimum(every, n - 1), o, side]
                            )
                            was = m.voice[s_at, o0, side]
                            option = self.lone[1 - side, t_at]
                            fits = (start >= 0) | self.loop
                            fits &= m.valid[s_at, o0] & m.comes[s_at, o0, side] & (option >= 0) & (was >= 0)
                            comes = m.valid[np.minimum(every, n - 1), o] & m.comes[np.minimum(every, n - 1), o, side]
                            fits &= np.where(at_end, o == 0 and not self.loop, comes)
                            meets = m.voice[t_at, np.maximum(option, 0), 1 - side]
                            fits &= meets >= 0
                            to = np.where(own >= 0, own, was)
                            if not fits.any():
                                continue
                            e = np.flatnonzero(fits)
                            now = m.time[np.minimum(e, n - 1)]
                            done = np.zeros(len(e))
                            moving = to[e] != was[e]
                            span = np.where(moving, now - s_time[e], 1.0)
                            begin, end = MOVING["early"]
                            done[moving] = minimum_jerk(((t_time[e] - s_time[e]) / span - begin) / (end - begin))[
                                moving
                            ]
                            keys.append(
                                np.stack([np.full(len(e), side), was[e], np.where(moving, to[e], -1), meets[e]])
                            )
                            parts.append(done)
                            places.append((side, o, o0, r, i, e))
        if not keys:
            return
        found = self._crossed(np.concatenate(keys, axis=1), np.concatenate(parts))
        hold = self.weights.cross * price.cross_cost(found, False)
        enter = self.weights.cross * price.cross_cost(found, True)
        crossed = ~np.isnan(found)
        at = 0
        before = np.zeros(n + 1, dtype=bool)
        for side, o, o0, r, i, e in places:
            k = slice(at, at + len(e))
            at += len(e)
            row = (side, e, o, r, o0)
            if i == 1:
                before = np.zeros(n + 1, dtype=bool)
                self.first[row] = crossed[k]
                self.first_cost[row] = np.where(crossed[k], enter[k] - hold[k], 0.0)
                self.held[row] += np.where(crossed[k], hold[k], 0.0)
            else:
                fresh = crossed[k] & ~before[e]
                self.held[row] += np.where(fresh, enter[k], np.where(crossed[k], hold[k], 0.0))
            before[e] = crossed[k]
            if i == r - 1:
                self.last[row] = crossed[k]

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

    def cost(self, o: int) -> Floats:
        """What an option of every moment has to pay for crossings, from every state."""
        m, past, n = self.moments, self.past, self.n
        found = np.zeros((n, past.size))
        if not self.possible:
            return found
        e = np.arange(n)[:, None]
        for side in (0, 1):
            comes = m.comes[:, o, side]
            if comes.any():
                found += np.where(comes[:, None], self._way(e, o, side), 0.0)
        both = m.comes[:, o].all(axis=1)
        if both.any():
            clear = self.static[:, o]
            crossed = ~np.isnan(clear)
            strokes = (m.strikes[:, o] > 0).sum(axis=1)[:, None]
            hold = self.weights.cross * price.cross_cost(clear, False)[:, None]
            enter = self.weights.cross * price.cross_cost(clear, True)[:, None]
            free = self._free_before(e, o)
            each = hold * strokes + np.where(free, enter - hold, 0.0)
            found += np.where((both & crossed)[:, None], each, 0.0)
        return found

    def ending(self) -> Floats:
        """What is still to pay once nothing comes any more."""
        found = np.zeros(self.past.size)
        if self.possible and not self.loop:
            e = np.full((1, 1), self.n)
            for side in (0, 1):
                found += self._way(e, 0, side)[0]
        return found

    def _row(self, e: Ints, o: Any, side: int, depth: Ints, option: Ints) -> tuple[Any, ...]:
        return side, e, o, np.minimum(depth, self.rest), option

    def _way(self, e: Ints, o: int, side: int) -> Floats:
        """What a hand's way into its strike at ``e`` pays for the strikes of the other one meanwhile."""
        past = self.past
        depth, option = past.depth[side][e[:, 0]], past.option[side][e[:, 0]]
        row = self._row(e, o, side, depth, option)
        counts = (depth >= 2) & (depth <= self.rest)
        first = self.first[row] & self._free_at_last(e, side)
        return np.where(counts, self.held[row] + np.where(first, self.first_cost[row], 0.0), 0.0)

    def _free_at_last(self, e: Ints, side: int) -> Flags:
        """Whether the arms were surely not crossed when a hand struck last."""
        past, n = self.past, self.n
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

    def _free_before(self, e: Ints, o: int) -> Flags:
        """Whether the arms were surely not crossed at the moment before one in which both hands come."""
        past, n = self.past, self.n
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
