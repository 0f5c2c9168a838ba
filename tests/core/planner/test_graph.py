"""The planner's graph against general solvers: the same cheapest ways, in the same order."""

from dataclasses import replace
from itertools import islice, product

import networkx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.planning import by_constraints, edges
from deft_reach.core import Player, layout, parse
from deft_reach.core.cost import Weights
from deft_reach.core.motion.follow import follow, voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import walk
from deft_reach.core.planner import find_stickings
from deft_reach.core.planner.graph import Graph, Limits
from deft_reach.core.planner.moments import moments_of
from deft_reach.core.planner.prices import Prices
from deft_reach.core.planner.schools import allowed_hands
from deft_reach.core.planner.ways import ways_through

FIVE, PLAYER = layout("five"), Player()
FIGURES = [
    "? ? ? ?@ft ? ?@t1 ? ?",
    "?@ft> ?. f?@hh ?+K ?@rd ?@c1> ?",
    "/8 ?@hh+K ?@hh+?@sn> ?@hh ?@hh R@ft ?",
]


def graph_of(text, tempo=130, repeat=False, memory=6):
    pattern = parse(text)
    table = reach_table(FIVE, PLAYER, voices_of(pattern))
    allowed = allowed_hands(pattern, FIVE, PLAYER, "free", "free", {})
    moments, begins, places = moments_of(pattern, table.names, len(table.names) + 1, allowed, 36 if repeat else 0)
    prices = Prices(table, Weights(), 240.0 / tempo, places)
    return Graph(moments, begins, places, prices, Limits(), repeat, memory)


@pytest.mark.parametrize("text", FIGURES)
def test_the_ways_are_networkx_shortest_paths_in_order(text):
    graph = graph_of(text)
    network = networkx.DiGraph()
    for start, end, cost, c in edges(graph):
        # Two options can lead to one state: each goes through a place of its own.
        network.add_edge(start, (start, c), weight=cost)
        network.add_edge((start, c), end, weight=0.0)
    last = len(graph.steps)
    for lead in (0, 1):
        for state in range(graph.sizes[-1]):
            network.add_edge((last, lead, state), "end", weight=0.0)
    theirs = [
        networkx.path_weight(network, path, "weight")
        for path in islice(networkx.shortest_simple_paths(network, (0, 0, 0), "end", weight="weight"), 8)
    ]
    mine = [cost for cost, _ in islice(ways_through(graph, graph.backward(graph.free_end()), 0, 0), 8)]
    assert mine == pytest.approx(theirs)
    length = networkx.shortest_path_length(network, (0, 0, 0), "end", weight="weight")
    assert mine[0] == pytest.approx(length)


@pytest.mark.parametrize("text", FIGURES)
def test_the_cheapest_loop_is_the_constraint_solvers(text):
    optimum, _ = by_constraints(graph_of(text, repeat=True), workers=1)
    assert optimum is not None, "solved"
    best = find_stickings(parse(text), FIVE, PLAYER, 130, best=1, repeat=True).best[0].report
    hands = sum(value for s in best.strokes if s.limb in "RL" for term, value in s.cost.items() if term != "squeeze")
    assert hands == pytest.approx(optimum, abs=1e-5)


@given(
    st.lists(st.sampled_from(["?", "?@ft", "?@hh>", "?.", "R", "L@t1", "K", "-"]), min_size=9, max_size=12),
    st.booleans(),
)
@settings(max_examples=8, deadline=None)
def test_less_memory_never_costs_more(steps, repeat):
    """What is forgotten is free: with less memory the cheapest way costs no more, and with enough it is exact."""
    text = " ".join(["?", *steps])
    costs = []
    for memory in (1, 3, 24):
        graph = graph_of(text, repeat=repeat, memory=memory)
        ahead = graph.backward(graph.free_end())
        costs.append(float(ahead[0].min()))
    assert costs[0] <= costs[1] + 1e-9 and costs[1] <= costs[2] + 1e-9
    if not repeat:
        best = find_stickings(parse(text), FIVE, PLAYER, 130, best=1).best[0].report
        hands = sum(v for s in best.strokes if s.limb in "RL" for t, v in s.cost.items() if t != "squeeze")
        assert float(graph.backward(graph.free_end())[0][0, 0]) == pytest.approx(hands)


def test_a_long_loop_is_proven():
    text = "/16 " + "? ?@ft ?@hh> ? ?. ?@t1 ?@rd ? " * 8
    found = find_stickings(parse(text), FIVE, PLAYER, 110, repeat=True)
    assert found.proven and len(found.best) == 5
    costs = [row.cost for row in found.best]
    assert costs == sorted(costs) and len({row.hands for row in found.best}) == 5
    for row in found.best:
        assert row.report.summary.cost == pytest.approx(row.cost)
        assert row.text.count("?") == 0 and len(row.text) == len(text)


def test_brute_force_over_all_of_twelve():
    """All 4,096 ways to give twelve strokes hands, each walked: the best are the best, in the same order."""
    text = "/16 ?@ft ? ?> ?@t1 ? ?. ?@hh ?@rd R ? ?@t2 L ?@c1 ?"
    pattern = parse(text)
    table = reach_table(FIVE, PLAYER, voices_of(pattern))
    costs = []
    for hands in product("RL", repeat=12):
        given = dict(zip(pattern.unassigned, hands))
        strokes = tuple(s._replace(limb=given.get(s.index, s.limb)) for s in pattern.strokes)
        filled = replace(pattern, strokes=strokes)
        walked = walk(filled, follow(filled, table.names, False), 240.0 / 150, table, Weights())
        costs.append(float(walked.costs.sum()))
    found = find_stickings(pattern, FIVE, PLAYER, 150, best=6)
    mine = sorted(r.summary.cost - r.summary.terms["squeeze"] for r in (row.report for row in found.best))
    assert mine == pytest.approx(sorted(costs)[:6])
