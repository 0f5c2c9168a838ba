"""The planner beside general solvers on the same question: 256 free strokes, a loop, everything that a cost counts.

All of them look for the cheapest closed way through the same graph of states. Shortest paths (networkx) have to be
asked once for every state that a round can begin in: some of them are timed, among them the best, and the time is
scaled to all. The constraint solver (OR-tools CP-SAT) is given the whole at once: an edge each, as much into every
state as out of it, and one edge only from the end to the beginning.
"""

from __future__ import annotations

import random
import statistics
import time
from math import inf

from deft_reach.core import Player, layout, parse
from deft_reach.core.search.planner import find_stickings
from deft_reach.core.search.planner.schools import allowed_hands
from deft_reach.core.search.planner.search import MEMORY, _Search
from deft_reach.core.search.planner.states import States

STROKES = 256
#: So many beginnings are timed with networkx.
BEGINNINGS = 4
#: The constraint solver may think so long (s).
PATIENCE = 45.0
#: It works in integers: so many to one unit of cost.
SCALE = 10**7


def pattern():
    """256 strokes whose hands are open, over the whole kit, with accents, ghosts and a foot under some."""
    chance = random.Random(256)
    voices = ["sn", "hh", "t1", "t2", "ft", "rd", "c1", "c2"]
    steps = []
    for _ in range(STROKES):
        voice = chance.choice(voices) if chance.random() < 0.6 else "sn"
        mark = chance.choice(["", "", "", ">", "."])
        steps.append(f"?@{voice}{mark}" + ("+K" if chance.random() < 0.2 else ""))
    return parse("/16 " + " ".join(steps))


def planning(unit: float) -> dict[str, float | bool]:
    """``unit`` is the time of one yardstick in seconds, taken in the same run."""
    asked, kit, player, tempo = pattern(), layout("five"), Player(), 100.0
    find_stickings(asked, kit, player, tempo, best=5, repeat=True)
    times = []
    for _ in range(7):
        begin = time.perf_counter()
        found = find_stickings(asked, kit, player, tempo, best=5, repeat=True)
        times.append(time.perf_counter() - begin)
    ours = statistics.median(times)

    allowed = allowed_hands(asked, kit, player, "free", "free", {})
    search = _Search(asked, kit, player, tempo, allowed, False, None, 5, True, found.best[0].weights)
    optimum = next(iter(search._loops(search._graph(MEMORY[0]))))[0]
    # The others are asked for the best of all states, not only of those that the search looks at.
    graph = search._graph_of(search._problem(MEMORY[0]), States(search.moments, MEMORY[0], True))
    bounds = graph.loop_bounds()

    network, beginnings = _network(graph)
    begin = time.perf_counter()
    lengths = []
    for source, target in beginnings[:BEGINNINGS]:
        lengths.append(_shortest(network, source, target))
    theirs = (time.perf_counter() - begin) / BEGINNINGS * len(beginnings)
    # The likeliest beginnings must give the same optimum, and no other a better one.
    likely = sorted(beginnings, key=lambda pair: bounds[pair[1][1]])[:3]
    proven = min(_shortest(network, source, target) for source, target in likely)
    same = abs(proven - optimum) < 1e-6 and min(lengths) >= optimum - 1e-6
    solved, solver_time = by_constraints(graph)
    return {
        "plan_256.ms": ours * 1e3,
        "plan_256.yardsticks": ours / unit,
        "plan_256.vs_networkx": theirs / ours,
        "plan_256.vs_ortools": solver_time / ours,
        "plan_256.ortools_found": solved is not None,
        "plan_256.same_optimum": same and (solved is None or abs(solved - optimum) < 1e-3),
        "plan_256.proven": found.proven,
    }


def _network(graph):
    import networkx

    network = networkx.DiGraph()
    for a, b, cost, _ in graph.edges():
        if not network.has_edge(a, b) or network[a][b]["weight"] > cost:
            network.add_edge(a, b, weight=cost)
    end = len(graph)
    pairs = [
        ((0, state), (end, state))
        for state in range(graph.size)
        if network.has_node((0, state)) and network.has_node((end, state))
    ]
    random.Random(1).shuffle(pairs)
    return network, pairs


def _shortest(network, source, target):
    import networkx

    try:
        return networkx.single_source_dijkstra(network, source, target)[0]
    except networkx.NetworkXNoPath:
        return inf


def by_constraints(graph, patience=PATIENCE, workers=2):
    """The cheapest loop by OR-tools' constraint solver, None where it was not done in time; and how long it took.

    An edge each, as much into every state as out of it, one edge from the end to the beginning.
    """
    from ortools.sat.python import cp_model

    begin = time.perf_counter()
    model = cp_model.CpModel()
    flow: dict[object, tuple[list[object], list[object]]] = {}
    terms, wraps = [], []

    def edge(start, end):
        x = model.new_bool_var("")
        flow.setdefault(start, ([], []))[1].append(x)
        flow.setdefault(end, ([], []))[0].append(x)
        return x

    for start, end, cost, _ in graph.edges():
        terms.append(edge(start, end) * round(cost * SCALE))
    for state in range(graph.size):
        if (len(graph), state) in flow and (0, state) in flow:
            wraps.append(edge((len(graph), state), (0, state)))
    model.add_exactly_one(wraps)
    for inward, outward in flow.values():
        model.add(sum(inward) == sum(outward))
    model.minimize(sum(terms))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = patience
    solver.parameters.num_workers = workers
    status = solver.solve(model)
    took = time.perf_counter() - begin
    return (solver.objective_value / SCALE if status == cp_model.OPTIMAL else None), took
