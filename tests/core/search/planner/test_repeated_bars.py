"""Repeated bars are stuck alike, but for the strokes in which the hands still come from elsewhere."""

from collections import defaultdict

import numpy as np
import pytest

from deft_reach.core import Player, layout, parse
from deft_reach.core.search.planner import cheapest_stickings
from deft_reach.core.search.planner.repeated_bars import alike

GROOVES = (
    "?@rd+K ?@sn. ?@rd ?@sn. ?@rd+?@sn> ?@t1 ?@rd+K ?@sn. ?@rd+K ?@sn. ?@rd ?@t2 ?@rd+?@sn> ?@sn. ?@rd K | ",
    "?@hh ?@hh ?@sn ?@hh K ?@hh ?@t1 ?@hh ?@hh+K ?@sn. ?@hh ?@ft ?@sn> ?@hh ?@t2 ?@hh | ",
)
FILLS = (
    "?@sn ?@sn ?@t1 ?@t1 ?@t2 ?@t2 ?@ft ?@ft ?@sn ?@t1 ?@t2 ?@ft ?@sn ?@t1 ?@ft ?@ft | ",
    "?@ft ?@sn ?@ft ?@t2 ?@sn ?@ft ?@t1 ?@sn K ?@sn ?@t1 K ?@t2 ?@ft ?@c2> K | ",
)


def stuck(pattern):
    """The hands of every bar, bar by bar, by what is written in it."""
    bars = defaultdict(list)
    for stroke in pattern.strokes:
        bars[stroke.bar].append(stroke)
    begins = {bar.number: bar.start for bar in pattern.bar_rows}
    same = defaultdict(list)
    for number, strokes in bars.items():
        written = tuple((s.start - begins[number], s.voice, s.marks) for s in strokes)
        same[written].append([s.limb for s in strokes])
    return list(same.values())


@pytest.mark.parametrize("groove", GROOVES)
@pytest.mark.parametrize("kit", ["five", "five-double", "large"])
def test_a_groove_is_played_alike_after_every_fill(groove, kit):
    pattern = parse((groove * 3 + FILLS[0] + groove * 3 + FILLS[1]) * 2)
    found = cheapest_stickings(pattern, layout(kit), Player(), 110, best=1).best[0]
    grooves = max(stuck(found.pattern), key=len)
    assert len(grooves) == 12
    usual = max(map(tuple, grooves), key=lambda row: sum(tuple(other) == row for other in grooves))
    # However a fill ends: after half a bar the hands are where they always are.
    assert all(tuple(row[8:]) == usual[8:] for row in grooves)
    assert sum(tuple(row) == usual for row in grooves) >= 8


def test_it_costs_no_more_than_a_fifth():
    pattern = parse((GROOVES[0] * 3 + FILLS[0] + GROOVES[0] * 3 + FILLS[1]) * 2)
    bars = [[i for i in pattern.unassigned if pattern.strokes[i].bar == bar.number] for bar in pattern.bar_rows]
    hands = {i: "RL"[k % 2] for bar in bars for k, i in enumerate(bar)}
    size = sum(stroke.bar == 5 for stroke in pattern.strokes)
    for cost, expected in ((0.19, True), (0.21, False)):
        # Bar 5 is stuck otherwise; as in the others, every bar but that one costs 1 a stroke.
        other = {**hands, **{i: "R" for i in hands if pattern.strokes[i].bar == 5}}
        usual = {i: hands[i] for i in other if other[i] != hands[i]}

        def price(now, cost=cost, usual=usual):
            rows = np.ones(len(pattern.strokes))
            for i, hand in usual.items():
                rows[i] += cost * size / len(usual) * (now[i] == hand)
            return rows

        changed = alike(pattern, other, {}, price)
        assert (changed == usual) is expected
        assert set(changed.items()) <= set(usual.items()), "what is changed is as everywhere else"


def test_what_was_ruled_out_in_one_bar_stays_ruled_out_there():
    pattern = parse(GROOVES[1] * 8)
    index = next(s.index for s in pattern.strokes if s.bar == 5 and s.voice == "t1")
    free = cheapest_stickings(pattern, layout("five"), Player(), 110, best=1).best[0]
    hand = free.pattern.strokes[index].limb
    found = cheapest_stickings(pattern, layout("five"), Player(), 110, best=1, excluded={index: hand}).best[0]
    assert found.pattern.strokes[index].limb not in (hand, "?")


def test_several_stickings_of_a_long_piece_are_different_and_in_order():
    pattern = parse((GROOVES[0] * 3 + FILLS[0] + GROOVES[0] * 3 + FILLS[1]) * 2)
    rows = cheapest_stickings(pattern, layout("five"), Player(), 110, best=4).best
    assert len({row.hands for row in rows}) == len(rows) >= 1
    assert [row.cost for row in rows] == sorted(row.cost for row in rows)
    assert all(row.cost == pytest.approx(row.report.summary.cost) for row in rows)
