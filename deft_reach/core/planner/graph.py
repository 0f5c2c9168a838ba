"""The graph of everything the hands can do: states before each moment, and what each option costs from each.

A state is all that the cost of what follows can depend on: where each hand struck last and when, where it came from,
how long its run is, and who leads. Of a hand that has rested while the other had many choices, where it is and since
when is forgotten, and costs as little as it can: so a way through the graph never costs more than the sticking it
stands for, and nearly always just as much. That keeps the states few.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core import cost as price
from deft_reach.core.motion.follow import Ints
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.timing import GHOST, grace_lead
from deft_reach.core.planner.moments import Moment, Option
from deft_reach.core.planner.prices import NOWHERE, UNKNOWN, WINDOW, Places, Prices
from deft_reach.core.progress import SILENT, Progress

#: Rows of the states for the right hand; the left hand's follow. Then the hand that struck last, and its streak.
PLACE, VOICE, MOVE, RUN = range(4)
LAST, STREAK, ROWS = 8, 9, 10
#: A run longer than this costs no more by its length.
RUN_CAP: Final = 10
BOTH: Final = 2
_OPTIONS: Final = [np.arange(n) for n in range(5)]


class Step(NamedTuple):
    """One moment of the graph: by option and state, the cost (infinite where not allowed) and the state after it.

    ``lead`` and ``switch`` by lead and option: who leads then, and what a change of the lead costs.
    """

    cost: Floats
    after: Ints
    lead: list[list[int]]
    switch: list[list[float]]
    #: Whether the lead can change at all.
    beat: bool


class _Usual(NamedTuple):
    """A moment with one open stroke for either hand and no graces: by hand (2, 1) the strike's place and the first
    place of the moment, and the voice."""

    own: Ints
    base: Ints
    voice: int


@dataclass(frozen=True)
class Limits:
    """What the search must keep to: no hand twice in a row, or no more than so many strokes of one hand in a row."""

    alternate: bool = False
    max_run: int | None = None

    @property
    def matter(self) -> bool:
        return self.alternate or self.max_run is not None


class Graph:
    """The states of a round. ``memory`` is how many choices of the other hand a resting hand remembers.

    ``steps`` has one entry a moment of the round, ``sizes`` the number of states before each and at the end. For a
    loop, ``back`` says for every state at the end which state of the beginning it is, −1 if none.
    """

    def __init__(
        self, moments: list[Moment], begins: int, places: tuple[Places, Places], prices: Prices, limits: Limits,
        loop: bool, memory: int, progress: Progress = SILENT,
    ) -> None:  # fmt: skip
        self.moments, self.begins, self.places, self.prices = moments, begins, places, prices
        self.limits, self.progress = limits, progress
        #: By hand and moment, the first place that is remembered through a choice of the other hand there.
        chosen = np.concatenate([[0], np.cumsum([len(m.options) > 1 for m in moments])])
        self.kept_from = np.stack([np.searchsorted(chosen[p.event], chosen[:-1] - memory) for p in places])
        self.weights = self._weights()
        beats = [m.beat for m in moments]
        self.led = np.concatenate([[False], np.logical_or.accumulate(beats)]) if beats else np.zeros(1, dtype=bool)
        hand = [NOWHERE, prices.nowhere, prices.no_move, 0]
        if loop:
            hand = [UNKNOWN, prices.unknown, prices.no_move, 0]
        states = np.array([*hand, *hand, -1, 0], dtype=np.intp)[:, None]
        self.steps: list[Step] = []
        self._before: list[Ints] = []
        self._usual_ones: list[_Usual | None] = []
        self.sizes: list[int] = []
        beginning = states
        for e, moment in enumerate(moments):
            if e == begins:
                beginning = states
            if e >= begins:
                self.sizes.append(states.shape[1])
            progress.at(e, len(moments))
            states = self._step(e, moment, states)
        self.sizes.append(states.shape[1])
        self._price_usual()
        self._before.clear()
        if loop:
            self.back = self._match(beginning, states)

    # --- building ---------------------------------------------------------------------------------------------

    def _step(self, e: int, moment: Moment, states: Ints) -> Ints:
        usual = self._usual(moment)
        if usual is not None:
            cost = np.zeros((2, 0))
            after = self._advance_both(e, usual, states)
            if self.limits.matter:
                n = states.shape[1]
                for side in (0, 1):
                    self._restrict(states, after[:, side * n : (side + 1) * n], np.zeros(n), moment, side)
        else:
            rows = [self._advance(e, moment, option, states) for option in moment.options]
            cost = np.array([c for c, _ in rows])
            after = np.concatenate([a for _, a in rows], axis=1)
        new, where = self._distinct(after)
        if e >= self.begins:
            self._before.append(states)
            self._usual_ones.append(usual)
            leads = [[self._leads(e, moment, option, lead) for option in moment.options] for lead in (0, 1)]
            self.steps.append(
                Step(
                    cost,
                    where.reshape(len(cost), states.shape[1]),
                    [[lead for lead, _ in row] for row in leads],
                    [[switch for _, switch in row] for row in leads],
                    moment.beat,
                )
            )
        return new

    def _distinct(self, states: Ints) -> tuple[Ints, Ints]:
        """Each state once, and for each column which one it is."""
        key = self._keys(states)
        order = np.argsort(key, kind="stable")
        ordered = key[order]
        fresh = np.empty(len(key), dtype=bool)
        fresh[:1] = True
        np.not_equal(ordered[1:], ordered[:-1], out=fresh[1:])
        where = np.empty(len(key), dtype=np.intp)
        where[order] = np.cumsum(fresh) - 1
        return states[:, order[fresh]], where

    def _weights(self) -> Ints | None:
        """What each row counts in a number that tells states apart; None where that would be too large a number."""
        prices = self.prices
        moves, places = prices.size**2 + 1, max(len(p.time) for p in self.places) + 2
        sizes = [places, prices.size, moves, RUN_CAP + 1] * 2 + [4, (self.limits.max_run or 1) + 2]
        weights = [math.prod(sizes[k + 1 :]) for k in range(ROWS)]
        return np.array(weights, dtype=np.intp) if math.prod(sizes) < 2**62 else None

    def _keys(self, states: Ints) -> Ints:
        """One number for everything that tells states apart."""
        if self.weights is not None:
            return np.asarray(self.weights @ states)
        return np.asarray(np.unique(states, axis=1, return_inverse=True)[1])

    def _advance_both(self, e: int, usual: _Usual, states: Ints) -> Ints:
        """The states after the usual moment: one open stroke for either hand, no graces. First those after R."""
        prices, n = self.prices, states.shape[1]
        hands = states[:8].reshape(2, 4, n)
        place, move = hands[:, PLACE], hands[:, MOVE]
        back = self._backs(usual.own, usual.base, place)
        code = prices.codes[usual.voice].take(hands[:, VOICE])
        new = np.empty((2, 4, n), dtype=np.intp)
        new[:, PLACE], new[:, VOICE] = usual.own, usual.voice
        new[:, MOVE] = np.where(code < prices.no_move, code, move)
        np.minimum(hands[:, RUN] * prices.both[4].take(back) + 1, RUN_CAP, out=new[:, RUN])
        rested = hands.copy()
        rested[:, RUN] = 0
        old = (place >= 0) & (place < self.kept_from[:, e, None])
        rested[:, PLACE][old], rested[:, MOVE][old], rested[:, VOICE][old] = UNKNOWN, prices.no_move, prices.unknown
        after = np.empty((ROWS, 2, n), dtype=np.intp)
        after[:4, 0], after[4:8, 0] = new[0], rested[1]
        after[:4, 1], after[4:8, 1] = rested[0], new[1]
        after[LAST:] = states[LAST:, None]
        return after.reshape(ROWS, 2 * n)

    def _backs(self, own: Ints, base: Ints, place: Ints) -> Ints:
        """Where in the prices a strike after each place stands; all (2, n) by hand."""
        back = base - 1 - place
        back[(place < 0) | (back > WINDOW)] = WINDOW
        return np.asarray(back + (own + self.prices.offset) * (WINDOW + 1))

    def _price_usual(self) -> None:
        """What the usual moments cost, all in one go."""
        prices, size = self.prices, self.prices.size
        mine = [k for k, (step, usual) in enumerate(zip(self.steps, self._usual_ones)) if usual is not None]
        if not mine:
            return
        before = [self._before[k] for k in mine]
        lengths = [states.shape[1] for states in before]
        usual = [u for u in self._usual_ones if u is not None]
        hands = np.concatenate(before, axis=1)[:8].reshape(2, 4, -1)
        own, base = (
            np.repeat(np.concatenate(x, axis=1), lengths, axis=1) for x in zip(*((u.own, u.base) for u in usual))
        )
        voice = np.repeat([u.voice for u in usual], lengths)
        at, move = hands[:, VOICE], hands[:, MOVE]
        back = self._backs(own, base, hands[:, PLACE])
        cost, bounced, caught, load, together = prices.both
        run = hands[:, RUN] * together.take(back) + 1
        found = cost.take(back) + load.take(back) * np.clip(run - 2, 0, 8) + (run == 2) * bounced.take(back)
        found += (run == 3) * caught.take(back)
        found += prices.flat_turns.take(move * (prices.no_move + 1) + prices.codes[voice, at])
        now = np.stack([voice * size + at[1], at[0] * size + voice])
        found += prices.lone_pairs.take((at[0] * size + at[1]) * (size * size) + now)
        for k, part, states in zip(mine, np.split(found, np.cumsum(lengths)[:-1], axis=1), before):
            if self.limits.matter:
                for side in (0, 1):
                    self._restrict(states, states.copy(), part[side], self.moments[self.begins + k], side)
            self.steps[k] = self.steps[k]._replace(cost=part)

    def _usual(self, moment: Moment) -> _Usual | None:
        if len(moment.options) != 2 or [o.leads for o in moment.options] != [0, 1]:
            return None
        struck = [option.struck[side] for side, option in enumerate(moment.options)]
        if any(len(row) != 1 for row in struck) or any(o.graced is not None for o in moment.options):
            return None
        own = [row[0] for row in struck]
        voice = self.places[0].voice[own[0]]
        if voice == self.prices.unknown:
            return None
        base = [p.base[k] for p, k in zip(self.places, own)]
        return _Usual(np.array(own)[:, None], np.array(base)[:, None], voice)

    @np.errstate(invalid="ignore")
    def _advance(self, e: int, moment: Moment, option: Option, states: Ints) -> tuple[Floats, Ints]:
        """What an option costs from every state, and the states after it."""
        prices, size = self.prices, self.prices.size
        after = states.copy()
        cost = np.zeros(states.shape[1])
        hands = 0
        lone = option.leads
        for side, struck in enumerate(option.struck):
            row = 4 * side
            columns, table = self.places[side], prices.tables[side]
            for own in struck:
                hands += 1
                place = states[row + PLACE]
                back = columns.base[own] - 1 - place
                k = np.where((place < 0) | (back >= WINDOW), WINDOW, back)
                graced = columns.graced[own]
                run = np.ones_like(k) if graced else np.where(table.together[own][k], states[row + RUN], 0) + 1
                part = table.cost[own][k] + table.load[own][k] * np.clip(run - 2, 0, 8)
                part += np.where(run == 2, table.bounced[own][k], 0.0) + np.where(run == 3, table.caught[own][k], 0.0)
                if graced:
                    part = self._graced(side, own, states, part)
                cost += part
                voice = columns.voice[own]
                if voice != prices.unknown:
                    code = prices.codes[voice][states[row + VOICE]]
                    cost += prices.turns[states[row + MOVE], code]
                    after[row + VOICE] = voice
                    after[row + MOVE] = np.where(code < prices.no_move, code, after[row + MOVE])
                after[row + PLACE] = own
                after[row + RUN] = np.minimum(run, RUN_CAP)
        if lone is not None and hands:
            self._rest(e, moment, option, 1 - lone, after)
        before = states[VOICE] * size + states[4 + VOICE]
        now = after[VOICE] * size + after[4 + VOICE]
        cost += prices.pairs[before, now] + hands * prices.held[now]
        if self.limits.matter:
            self._restrict(states, after, cost, moment, BOTH if lone is None else lone)
        return cost, after

    def _rest(self, e: int, moment: Moment, option: Option, side: int, after: Ints) -> None:
        """The hand that does not strike: its run ends; it may play a grace; rested long, it is forgotten."""
        row = 4 * side
        after[row + RUN] = 0
        if option.graced is not None:
            after[row + PLACE] = option.graced
            voice = self.places[side].voice[option.graced]
            if voice != self.prices.unknown:
                after[row + VOICE] = voice
        elif len(moment.options) > 1:
            old = (after[row + PLACE] >= 0) & (after[row + PLACE] < self.kept_from[side, e])
            after[row + PLACE][old] = UNKNOWN
            after[row + MOVE][old] = self.prices.no_move
            after[row + VOICE][old] = self.prices.unknown

    def _graced(self, side: int, own: int, states: Ints, plain: Floats) -> Floats:
        """The cost of strokes with what their graces cost the other hand."""
        prices, w = self.prices, self.prices.weights
        stroke = self.places[side].strokes[own]
        assert stroke is not None
        other, voice = states[4 * (1 - side) + PLACE], states[4 * (1 - side) + VOICE]
        time, _, _, head, *_ = prices.columns[1 - side]
        v = self.places[side].voice[own]
        mine = 1 - side
        way = prices.table.grace_times[
            mine, np.where(voice < prices.nowhere, voice, -1), v if v < prices.nowhere else -1
        ]
        asked = np.maximum(prices.table.restrikes[mine] * GHOST, way) + grace_lead(stroke.grace)[0] - head[other]
        gap = (self.places[side].time[own] - time[other]) * prices.whole
        there = (other >= 0) & (voice < prices.nowhere) & (gap > 0)
        pace = np.where(there, np.maximum(0.0, asked) / np.where(gap > 0, gap, 1.0), 0.0)
        return np.asarray(plain + w.pace * price.pace_cost(pace))

    def _restrict(self, states: Ints, after: Ints, cost: Floats, moment: Moment, who: int) -> None:
        last, streak = states[LAST], states[STREAK]
        if who == BOTH:
            after[LAST], after[STREAK] = BOTH, 1
            return
        run = np.where(last == who, streak + 1, 1)
        if moment.chosen and self.limits.alternate:
            cost[last == who] = np.inf
        if moment.chosen and self.limits.max_run is not None:
            cost[run > self.limits.max_run] = np.inf
        after[LAST], after[STREAK] = who, np.minimum(run, (self.limits.max_run or 0) + 1)

    def _leads(self, e: int, moment: Moment, option: Option, lead: int) -> tuple[int, float]:
        """Who leads after an option, and what a change of the lead costs."""
        if not moment.beat or not any(option.struck):
            return lead, 0.0
        if option.leads is None:
            return (lead if self.led[e] else option.first), 0.0
        cost = price.SWITCH_COST if self.led[e] and option.leads != lead else 0.0
        if option.leads != self.prices.table.leading_side:
            cost += price.OTHER_LEAD_COST
        return option.leads, self.prices.weights.switch * cost

    def _match(self, beginning: Ints, end: Ints) -> Ints:
        """For each state at the end the one of the beginning that it is a round later, −1 if there is none."""
        moved = end.copy()
        for side, row in ((0, PLACE), (1, 4 + PLACE)):
            a_round = self.places[side].first_of(len(self.moments)) - self.places[side].first_of(self.begins)
            moved[row] = np.where(end[row] >= 0, end[row] - a_round, end[row])
            moved[row] = np.where((end[row] >= 0) & (moved[row] < 0), UNKNOWN, moved[row])
        n = beginning.shape[1]
        keys = self._keys(np.concatenate([beginning, moved], axis=1)).tolist()
        known = {key: k for k, key in enumerate(keys[:n])}
        return np.array([known.get(key, -1) for key in keys[n:]], dtype=np.intp)

    # --- values -----------------------------------------------------------------------------------------------

    def through(self, e: int, after: Floats) -> Floats:
        """Least cost by (lead, option, state) of moment e of the round, where what follows costs ``after``."""
        step = self.steps[e]
        ahead = after.take(step.after, axis=1)
        if step.beat:
            ahead = ahead[step.lead, _OPTIONS[len(step.cost)]] + np.array(step.switch)[:, :, None]
        return np.asarray(ahead + step.cost)

    def backward(self, after: Floats) -> list[Floats]:
        """Least cost from every moment, lead and state to the end, where an end costs ``after`` (2, states)."""
        found = [after]
        for e in range(len(self.steps) - 1, -1, -1):
            self.progress.at(e, len(self.steps))
            after = self.through(e, after).min(axis=1)
            found.append(after)
        found.reverse()
        return found

    def free_end(self) -> Floats:
        """Nothing to pay at any end."""
        return np.zeros((2, self.sizes[-1]))

    def at_end(self, values: Floats) -> Floats:
        """Values of the beginning's states, by the states at the end; infinite for those that are none of them."""
        return np.where(self.back >= 0, values[:, self.back], np.inf)

    def regret(self, ahead: list[Floats]) -> Floats:
        """How much more than the best a loop costs at least that comes through each state of the end (2, states).

        The sum of what each choice loses against the best one there, on the cheapest way to that state.
        """
        lost = np.zeros_like(ahead[0])
        for e, step in enumerate(self.steps):
            ways = self.through(e, ahead[e + 1])
            ways += (lost - np.where(np.isinf(ahead[e]), 0.0, ahead[e]))[:, None]
            reached = np.full_like(ahead[e + 1], np.inf)
            for lead, leads in enumerate(step.lead):
                for c, following in enumerate(leads):
                    np.minimum.at(reached[following], step.after[c], ways[lead, c])
            lost = reached
        return lost

    def loop_bounds(self, rounds: int) -> dict[tuple[int, int], float]:
        """What a loop costs at least, by the lead and the state (of the end) it comes through; finite ones only.

        Going round ``rounds`` times first makes what is ahead nearly independent of where it ends.
        """
        after = self.free_end()
        ahead = self.backward(after)
        for _ in range(rounds):
            after = self.at_end(ahead[0])
            ahead = self.backward(after)
        with np.errstate(invalid="ignore"):
            bounds = self.at_end(ahead[0]) - after + self.regret(ahead)
        return {(lead, k): bounds.item(lead, k) for lead, k in np.argwhere(np.isfinite(bounds)).tolist()}
