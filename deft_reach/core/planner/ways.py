"""Ways through the graph, cheapest first: what is known to lie ahead leads straight to them."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from itertools import count
from typing import Any

from deft_reach.core.motion.pose import Floats
from deft_reach.core.planner.graph import Graph


def ways_through(graph: Graph, ahead: list[Floats], lead: int, start: int) -> Iterator[tuple[float, tuple[str, ...]]]:
    """Every way from a state of the beginning to an end, with its cost, cheapest first.

    ``ahead`` is as from Graph.backward: exact, so that nothing is looked at that does not lie on one of the ways.
    """
    tie = count()
    first = ahead[0].item(lead, start)
    # A way not yet gone: its cost, where it leaves the way it comes from, and that way's choices.
    heap: list[tuple[float, int, int, int, int, float, object]] = []
    if first < float("inf"):
        heap.append((first, next(tie), 0, lead, start, 0.0, None))
    moments = graph.moments[graph.begins :]
    while heap:
        total, _, e, lead, state, spent, way = heapq.heappop(heap)
        while e < len(moments):
            step, following = graph.steps[e], ahead[e + 1]
            best: tuple[float, int, int, int, float] | None = None
            rows = []
            for c in range(len(step.cost)):
                after, leads = step.after.item(c, state), step.lead[lead][c]
                here = step.cost.item(c, state) + step.switch[lead][c]
                rest = here + following.item(leads, after)
                if rest < float("inf"):
                    rows.append((rest, c, leads, after, here))
            best = min(rows)
            for row in rows:
                if row is not best:
                    rest, c, leads, after, here = row
                    side = (way, moments[e].options[c].hands)
                    heapq.heappush(heap, (spent + rest, next(tie), e + 1, leads, after, spent + here, side))
            _, c, lead, state, here = best
            way, spent, e = (way, moments[e].options[c].hands), spent + here, e + 1
        yield total, _hands(way)


def _hands(way: object) -> tuple[str, ...]:
    found: list[tuple[str, ...]] = []
    link: Any = way
    while link is not None:
        link, picked = link
        found.append(picked)
    return tuple(hand for row in reversed(found) for hand in row)
