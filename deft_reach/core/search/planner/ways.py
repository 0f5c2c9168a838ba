"""Ways through the graph, cheapest first: what is known to lie ahead leads straight to them."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from itertools import count
from typing import Any

import numpy as np

from deft_reach.core.motion.pose import Floats
from deft_reach.core.search.planner.graph import Graph


def ways_through(graph: Graph, ahead: Floats, start: int) -> Iterator[tuple[float, tuple[str, ...]]]:
    """Every way from a state of the beginning to an end, with its cost, cheapest first.

    ``ahead`` is as from Graph.backward: exact, so that nothing is looked at that does not lie on one of the ways.

    ``ahead``, of shape (moments + 1, states), is the least that is still to pay.
    """
    tie = count()
    first = float(ahead[0, start])
    # A way not yet gone: its cost, where it leaves the way it comes from, and that way's choices.
    heap: list[tuple[float, int, int, int, float, object]] = []
    if first < float("inf"):
        heap.append((first, next(tie), 0, start, 0.0, None))
    hands = graph.moments.hands
    # Plain lists: single numbers are read from them much faster.
    cost, after = graph.as_lists
    rests = (graph.cost + np.take_along_axis(ahead[1:, None, :], graph.after, axis=2)).tolist()
    while heap:
        total, _, e, state, spent, way = heapq.heappop(heap)
        while e < len(graph):
            rows = []
            for o in range(len(hands[e])):
                rest = rests[e][o][state]
                if rest < float("inf"):
                    rows.append((rest, o, after[e][o][state], cost[e][o][state]))
            best = min(rows)
            for row in rows:
                if row is not best:
                    rest, o, then, here = row
                    heapq.heappush(heap, (spent + rest, next(tie), e + 1, then, spent + here, (way, hands[e][o])))
            _, o, state, here = best
            way, spent, e = (way, hands[e][o]), spent + here, e + 1
        yield total, _hands(way)


def _hands(way: object) -> tuple[str, ...]:
    found: list[tuple[str, ...]] = []
    link: Any = way
    while link is not None:
        link, picked = link
        found.append(picked)
    return tuple(hand for row in reversed(found) for hand in row)
