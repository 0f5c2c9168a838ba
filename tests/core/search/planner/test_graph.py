"""The planner's graph against general solvers: the same cheapest ways, in the same order."""

import random
from dataclasses import replace
from itertools import islice, product

import networkx
import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from benchmarks.planning import by_constraints
from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.motion.cost import TERMS, Weights
from deft_reach.core.motion.follow import follow, voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import ROW, walk
from deft_reach.core.search.planner import cheapest_stickings, search
from deft_reach.core.search.planner.graph import Graph
from deft_reach.core.search.planner.moments import moments_of
from deft_reach.core.search.planner.pricing import Limits, Problem
from deft_reach.core.search.planner.schools import allowed_hands
from deft_reach.core.search.planner.states import States
from deft_reach.core.search.planner.ways import ways_through

FIVE, PLAYER = layout("five"), Player()
FIGURES = [
    "? ? ? ?@ft ? ?@t1 ? ?",
    "?@ft> ?. f?@hh ?+K ?@rd ?@c1> ?",
    "/8 ?@hh+K ?@hh+?@sn> ?@hh ?@hh R@ft ?",
]


#: Without close passing a way costs exactly what the walk says.
NO_SQUEEZE = replace(Weights(), squeeze=0.0)


def graph_of(text, tempo=130, repeat=False, memory=8, weights=NO_SQUEEZE, player=PLAYER):
    pattern = parse(text)
    table = reach_table(FIVE, player, voices_of(pattern))
    moments = moments_of(pattern, table.names, allowed_hands(pattern, FIVE, player, "free", "free", {}), repeat)
    length = float(pattern.length) if repeat else None
    problem = Problem(moments, table, weights, 240.0 / tempo, Limits(), length, memory)
    return Graph(problem, States(moments, memory, repeat))


def walked_cost(pattern, hands, repeat=False, tempo=130, weights=NO_SQUEEZE, player=PLAYER):
    """What a graph's way should cost: everything that hands cost, but for close passing and turns with the feet."""
    table = reach_table(FIVE, player, voices_of(pattern))
    given = dict(zip(pattern.unassigned, hands))
    strokes = tuple(s._replace(limb=given.get(s.index, s.limb)) for s in pattern.strokes)
    filled = replace(pattern, strokes=strokes)
    followed = follow(filled, table.names, repeat)
    walked = walk(filled, followed, 240.0 / tempo, table, weights)
    return float(np.delete(walked.costs, ROW["coordination"], axis=0)[:, followed.hands.index].sum())


@pytest.mark.parametrize("text", FIGURES)
def test_the_ways_are_networkx_shortest_paths_in_order(text):
    graph = graph_of(text)
    network = networkx.DiGraph()
    for start, end, cost, o in graph.edges():
        # Two options can lead to one state: each goes through a place of its own.
        network.add_edge(start, (start, o), weight=cost)
        network.add_edge((start, o), end, weight=0.0)
    last = len(graph)
    for state in range(graph.size):
        network.add_edge((last, state), "end", weight=float(graph.ending[state]))
    theirs = [
        networkx.path_weight(network, path, "weight")
        for path in islice(networkx.shortest_simple_paths(network, (0, 0), "end", weight="weight"), 8)
    ]
    mine = [cost for cost, _ in islice(ways_through(graph, graph.backward(graph.ending), 0), 8)]
    assert mine == pytest.approx(theirs)
    assert mine[0] == pytest.approx(networkx.shortest_path_length(network, (0, 0), "end", weight="weight"))


@pytest.mark.parametrize("text", FIGURES)
@pytest.mark.parametrize("repeat", [False, True])
def test_with_everything_remembered_a_way_costs_what_the_walk_says(text, repeat):
    pattern, graph = parse(text), graph_of(text, repeat=repeat, memory=20)
    choices = int(graph.moments.choice.sum())
    for bits in range(1 << choices):
        state = bits if repeat else 0
        cost, hands = 0.0, []
        for e in range(len(graph)):
            rest = int(graph.moments.choice[e + 1 :].sum())
            o = (bits >> rest) & 1 if graph.moments.choice[e] else 0
            hands += graph.moments.hands[e][o]
            cost += float(graph.cost[e, o, state])
            state = int(graph.after[e, o, state])
        cost += 0.0 if repeat else float(graph.ending[state])
        assert cost == pytest.approx(walked_cost(pattern, hands, repeat)), hands


@pytest.mark.parametrize("term", [name for name in TERMS if name not in ("squeeze", "coordination")])
@pytest.mark.parametrize("player", [PLAYER, Player(skill=1.0)], ids=["usual", "unlearned bounce"])
def test_each_term_alone_is_the_walks_and_with_less_memory_no_more(term, player):
    """The graph asks what the walk asks, and for what a state does not know it never asks too much."""
    beats = "/8 ?@hh ?@hh ?@hh ?@sn | ?@hh ?@hh R@hh ?@sn"
    text = beats if term in ("keep", "figure") else "?@rd>+K ? ?. f?@ft ?@c1> ?@hh ?"
    weights = replace(Weights(**dict.fromkeys(TERMS, 0.0)), **{term: 1.0})
    pattern = parse(text)
    said, exact = {}, []
    for memory in (1, 3, 20):
        graph = graph_of(text, 150, False, memory, weights, player)
        ways = {hands: cost for cost, hands in ways_through(graph, graph.backward(graph.ending), 0)}
        said = said or {hands: walked_cost(pattern, hands, False, 150, weights, player) for hands in ways}
        assert len(ways) == 128 and any(said.values()), "the figure asks something of the term"
        assert all(ways[hands] <= said[hands] + 1e-9 for hands in ways)
        exact.append(ways == pytest.approx(said, abs=1e-9))
    assert exact[-1], "with everything remembered it is the same"


@pytest.mark.parametrize("text", FIGURES)
def test_the_cheapest_loop_is_the_constraint_solvers(text):
    graph = graph_of(text, repeat=True)
    optimum, _ = by_constraints(graph, workers=1)
    assert optimum is not None, "solved"
    bounds = graph.loop_bounds()
    best = []
    for state in range(graph.size):
        end = np.full(graph.size, np.inf)
        end[state] = 0.0
        best.append(float(graph.backward(end)[0, state]))
        assert bounds[state] <= best[-1] + 1e-9, "a bound is no more than what it bounds"
    assert min(best) == pytest.approx(optimum, abs=1e-5)


@given(
    st.lists(st.sampled_from(["?", "?@ft", "?@hh>", "?.", "R", "L@t1", "K", "-"]), min_size=9, max_size=12),
    st.booleans(),
)
@settings(max_examples=8, deadline=None)
def test_less_memory_never_costs_more(steps, repeat):
    """What is forgotten is free: with less memory the cheapest way costs no more, and with enough it is exact."""
    text = " ".join(["?", *steps])
    costs = []
    for memory in (1, 3, 20):
        graph = graph_of(text, repeat=repeat, memory=memory)
        end = np.zeros(graph.size) if repeat else graph.ending
        costs.append(float(graph.backward(end)[0].min()))
    assert costs[0] <= costs[1] + 1e-9 and costs[1] <= costs[2] + 1e-9


def test_a_long_loop_lists_different_stickings_in_order():
    text = "/16 " + "? ?@ft ?@hh> ? ?. ?@t1 ?@rd ? " * 8
    found = cheapest_stickings(parse(text), FIVE, PLAYER, 110, repeat=True)
    costs = [row.cost for row in found.best]
    assert len(costs) == 5 and costs == sorted(costs) and len({row.hands for row in found.best}) == 5
    for row in found.best:
        assert row.report.summary.cost == pytest.approx(row.cost)
        assert row.text.count("?") == 0 and len(row.text) == len(text)


@given(
    st.lists(
        st.sampled_from(["?", "?@ft", "?@hh>", "?.", "R@c1", "L@t1", "?@rd+?@sn", "?@c2", "K", "-"]),
        min_size=3,
        max_size=9,
    ),
    st.booleans(),
    st.sampled_from([90, 150]),
)
@settings(max_examples=25, deadline=None)
def test_a_way_pays_no_more_for_passing_than_the_analysis_asks(steps, repeat, tempo):
    """With close passing a way costs at least the walk, and never more than the whole sticking: a bound stays one."""
    text = " ".join(["?", *steps])
    pattern = parse(text)
    graph = graph_of(text, tempo, repeat, 12, Weights())
    if repeat:
        end = np.full(graph.size, np.inf)
        ways = []
        for state in range(0, graph.size, max(1, graph.size // 8)):
            end[:] = np.inf
            end[state] = 0.0
            ways += islice(ways_through(graph, graph.backward(end), state), 4)
    else:
        ways = list(islice(ways_through(graph, graph.backward(graph.ending), 0), 40))
    for cost, hands in ways:
        given_to = dict(zip(pattern.unassigned, hands))
        strokes = tuple(s._replace(limb=given_to.get(s.index, s.limb)) for s in pattern.strokes)
        report = analyse(replace(pattern, strokes=strokes), FIVE, PLAYER, tempo, repeat=repeat)
        feet = report.summary.terms["coordination"]
        hands_only = sum(sum(s.cost.values()) for s in report.strokes if s.limb in "RL") - sum(
            s.cost["coordination"] for s in report.strokes if s.limb in "RL"
        )
        assert feet >= 0 and cost <= hands_only + 1e-7
        if not repeat:
            assert cost >= walked_cost(pattern, hands, repeat, tempo) - 1e-7


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize(
    "text",
    ["/8 R@c1 L@ft R@rd L@hh R@ft L@c1 R@hh L@rd ?@sn ?@t1", "/8 R@c1 L@ft L@rd R@hh L@c2 L@t1 R@ft L@hh ?@rd ?@c1"],
)
def test_passing_is_in_the_graph_where_hands_alternate_or_double(text, repeat):
    pattern = parse(text)
    graph = graph_of(text, 130, repeat, 12, Weights())
    end = graph.ending
    states = range(graph.size) if repeat else [0]
    best = (np.inf, ())
    for state in states:
        if repeat:
            end = np.full(graph.size, np.inf)
            end[state] = 0.0
        best = min(best, next(ways_through(graph, graph.backward(end), state), best))
    given_to = dict(zip(pattern.unassigned, best[1]))
    strokes = tuple(s._replace(limb=given_to.get(s.index, s.limb)) for s in pattern.strokes)
    report = analyse(replace(pattern, strokes=strokes), FIVE, PLAYER, 130, repeat=repeat)
    squeezed = report.summary.terms["squeeze"]
    paid = best[0] - walked_cost(pattern, best[1], repeat, 130)
    assert squeezed > 0.05 and paid >= 0.6 * squeezed


def test_brute_force_over_all_of_twelve():
    """All 4,096 ways to give twelve strokes hands, each walked: the graph's ways are the cheapest, in the same
    order."""
    text = "/16 ?@ft ? ?> ?@t1 ? ?. ?@hh ?@rd R ? ?@t2 L ?@c1 ?"
    pattern = parse(text)
    costs = sorted(walked_cost(pattern, hands) for hands in product("RL", repeat=12))
    graph = graph_of(text, memory=12)
    mine = [cost for cost, _ in islice(ways_through(graph, graph.backward(graph.ending), 0), 6)]
    assert mine == pytest.approx(costs[:6])
    assert cheapest_stickings(pattern, FIVE, PLAYER, 130, best=6).proven


@given(
    st.lists(st.sampled_from(["?", "?@ft", "?@hh>", "?.", "R", "L@t1", "K", "-", "?@rd"]), min_size=8, max_size=14),
    st.booleans(),
    st.integers(2, 24),
)
@settings(max_examples=60)
def test_what_leaves_the_promising_states_costs_no_less_than_said(steps, repeat, width):
    pattern = parse("/16 " + " ".join(steps))
    table = reach_table(FIVE, PLAYER, voices_of(pattern))
    moments = moments_of(pattern, table.names, allowed_hands(pattern, FIVE, PLAYER, "free", "free", {}), repeat)
    every = States(moments, 8, repeat)
    assume(moments.choice.sum() > 3 and width < every.possible)
    length = float(pattern.length) if repeat else None
    problem = Problem(moments, table, Weights(), 240.0 / 130, Limits(), length, 8)
    states, beyond = Graph(problem, States(moments, 3, repeat)).promising(8, width)
    assert states.numbers.shape[1] == width
    found = best_of(Graph(problem, states, beyond), repeat)
    best = best_of(Graph(problem, every), repeat)
    assert found >= best - 1e-9
    assert best >= min(found, beyond) - 1e-9


def best_of(graph, repeat):
    if not repeat:
        return float(graph.backward(graph.ending)[0, 0])
    best = np.inf
    for state in range(graph.size):
        end = np.full(graph.size, np.inf)
        end[state] = 0.0
        best = min(best, float(graph.backward(end)[0, state]))
    return best


@pytest.mark.parametrize("repeat", [False, True])
def test_a_long_figure_is_planned_as_from_all_states(repeat, monkeypatch):
    chance = random.Random(7)
    steps = [
        f"?@{chance.choice(['sn', 'sn', 'hh', 't1', 'ft'])}{chance.choice(['', '', '>', '.'])}" for _ in range(112)
    ]
    pattern = parse("/16 " + " ".join(steps))
    narrow = cheapest_stickings(pattern, FIVE, PLAYER, 100, best=3, repeat=repeat)
    monkeypatch.setattr(search, "LONG", 1_000)
    monkeypatch.setattr(search, "FEW", 100)
    every = cheapest_stickings(pattern, FIVE, PLAYER, 100, best=3, repeat=repeat)
    assert every.searched > 3 * narrow.searched
    assert narrow.best[0].cost <= 1.01 * every.best[0].cost
