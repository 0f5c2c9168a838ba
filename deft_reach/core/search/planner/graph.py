"""The graph of everything the hands can do: states before each moment, and what each option costs from each.

A state is how the last choices were made (see past), so the costs of all moments are worked out at once. What they
cannot know costs as little as it can; of close passing that is what happens on short ways (see passing). So a way
through the graph never costs more than the sticking it stands for, and nearly always just as much.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cached_property
from typing import Any

import numpy as np

from deft_reach.core.motion.pose import Floats
from deft_reach.core.search.planner.past import Past
from deft_reach.core.search.planner.pricing import Pricing, Problem
from deft_reach.core.search.planner.states import States
from deft_reach.core.search.progress import NO_PROGRESS, Progress


class Graph:
    """The states of a round: ``cost`` (moments, options, states), infinite where not allowed, ``after`` the state
    that each leads to, ``ending`` (states) what is still to pay at the end of what is played once.

    ``beyond`` is the least that a way can cost which leaves the states of this graph.
    """

    def __init__(
        self, problem: Problem, states: States, beyond: float = math.inf, progress: Progress = NO_PROGRESS
    ) -> None:  # fmt: skip
        self.moments, self.loop, self.progress = problem.moments, problem.loop, progress
        self.states, self.beyond = states, beyond
        past = Past(problem.moments, states, problem.length, progress)
        self.size = past.size
        self.after = states.after()
        pricing = Pricing(problem, past, progress)
        self.cost, self.ending = pricing.costs(), pricing.ending()
        if not states.every:
            gone = self.after == self.size
            self.cost[gone], self.after[gone] = np.inf, 0

    def __len__(self) -> int:
        return len(self.moments)

    def backward(self, end: Floats) -> Floats:
        """Least cost from every moment and state to the end, where an end costs ``end``.

        Shape (moments + 1, states).
        """
        found = np.empty((len(self) + 1, self.size))
        found[-1] = end
        for e in range(len(self) - 1, -1, -1):
            if e % 64 == 0:
                self.progress.at(len(self) - e, len(self))
            ways = self.cost[e] + found[e + 1].take(self.after[e])
            np.minimum(ways[0], ways[1], out=found[e])
        return found

    @cached_property
    def as_lists(self) -> tuple[Any, Any]:
        """``cost`` and ``after`` as nested lists."""
        return self.cost.tolist(), self.after.tolist()

    def loop_bounds(self) -> Floats:
        """What a loop costs at least that comes through each state between two rounds (states,).

        Going round once first makes what is ahead nearly independent of where it ends. What each choice loses against
        the best one there can only add to it.
        """
        after = self.backward(np.zeros(self.size))[0]
        ahead = self.backward(after)
        with np.errstate(invalid="ignore"):
            rest = np.take_along_axis(ahead[1:, None, :], self.after, axis=2)
            lost = self.cost + rest - ahead[:-1, None, :]
            lost[np.isnan(lost)] = np.inf
            back = self.states.forward(lost, np.zeros(self.size))[-1]
            return np.asarray(np.nan_to_num(ahead[0] - after + back, nan=np.inf))

    def promising(self, memory: int, width: int) -> tuple[States, float]:
        """Of the states with more ``memory`` than these the ``width`` most promising ones before each moment, and the
        least that a way through any other costs.

        A state is worth what the cheapest way through it costs in this graph: no more than in one that knows more.
        """
        fine = States(self.moments, memory, self.loop)
        known = fine.numbers & (self.size - 1)
        cost = np.take_along_axis(self.cost, known[: len(self), None, :], axis=2)
        known = np.concatenate([known, known[:1]]) if self.loop else known
        if self.loop:
            start, end = np.zeros(fine.width), np.zeros(self.size)
        else:
            start, end = np.where(fine.numbers[0] == 0, 0.0, np.inf), self.ending
        to, ahead = fine.forward(cost, start), self.backward(end)
        bound = to + np.take_along_axis(ahead, known, axis=1)
        worth = bound
        if self.loop:
            # Where a round begins nothing is known yet: the second one tells which beginnings are good.
            to, ahead = fine.forward(cost, to[-1] - to[-1].min()), self.backward(ahead[0] - ahead[0].min())
            worth = to + np.take_along_axis(ahead, known, axis=1)
        rows = len(fine.numbers)
        chosen = np.sort(np.argpartition(worth[:rows], width - 1, axis=1)[:, :width], axis=1)
        left = bound[:rows].copy()
        np.put_along_axis(left, chosen, np.inf, axis=1)
        return States(self.moments, memory, self.loop, chosen), float(left.min())

    def edges(self) -> Iterator[tuple[tuple[int, int], tuple[int, int], float, int]]:
        """Every option from every state as an edge: from and to (moment, state), its cost and the option."""
        for e, o, s in np.argwhere(np.isfinite(self.cost)).tolist():
            yield (e, s), (e + 1, int(self.after[e, o, s])), float(self.cost[e, o, s]), o
