"""Stickings: against every possibility tried out through the analysis itself."""

from dataclasses import replace
from itertools import pairwise, product

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.player import Constants, Speeds
from deft_reach.core.motion.cost import FAR_LANDING_COST, OTHER_LEAD_COST
from deft_reach.core.search.planner import PlanError, cheapest_stickings
from deft_reach.core.search.planner.assign import with_hands

FIVE, PLAYER = layout("five"), Player()
UNEVEN = Player(speeds=Speeds(right=0.8, left=1.25, feet=0.9, moves=1.4))
#: A player whose constants were measured.
MEASURED = Player(
    constants=Constants(0.11, 0.14, 0.16, 0.2, 0.55, 0.4, 0.7, move=0.2, move_per_bit=0.06), speeds=Speeds(left=1.1)
)


def every_cost(text, tempo, repeat, kit=FIVE, player=PLAYER):
    """Cost of every way to fill the open strokes, by brute force; a hand asked twice at once is left out."""
    found = {}
    for hands in product("RL", repeat=text.count("?")):
        filled, rest = "", list(hands)
        for char in text:
            filled += rest.pop(0) if char == "?" else char
        pattern = parse(filled)
        moments = [[pattern.strokes[i].limb for i in m.strokes] for m in pattern.moments]
        if all(len([x for x in m if x in "RL"]) == len({x for x in m if x in "RL"}) for m in moments):
            found[pattern.sticking] = analyse(pattern, kit, player, tempo, repeat=repeat).summary.cost
    return found


FIGURES = [
    "? ? ? ? ? ?",
    "R@ft ? ?@t1 ? ?@rd ?@hh ?@sn",
    "?> ?. ? ?@t2 K ?@ft ?+K",
    "/8t ?@hh ?@sn ?@hh /16 ?@c1>+K ?. ?. ?",
    "f? ? d? ?@ft ?",
    "?+?@hh ?@ft ?@sn+?@rd ? -  ?",
    "/8 ?@hh+K ?@hh ?@hh+?@sn> ?@hh",
    "? - - - - - - ?@ft ?@rd ?",
]


@pytest.mark.parametrize("text", FIGURES)
@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize("tempo", [90, 180])
def test_the_cheapest_are_the_cheapest_of_all(text, repeat, tempo):
    costs = every_cost(text, tempo, repeat)
    found = cheapest_stickings(parse(text), FIVE, PLAYER, tempo, best=4, repeat=repeat)
    assert found.proven
    mine = [row.report.summary.cost for row in found.best]
    assert mine == pytest.approx(sorted(costs.values())[: len(mine)], abs=1e-9), "by the whole cost, passing included"
    assert len(mine) == min(4, len(costs))
    for row in found.best:
        assert costs[row.report.pattern.sticking] == pytest.approx(row.report.summary.cost, abs=1e-9)


@given(
    st.lists(
        st.sampled_from(["?", "?@ft", "?@hh", "?>", "?.", "R", "L@t1", "K", "-", "?+K"]), min_size=2, max_size=8
    ),
    st.booleans(),
    st.sampled_from([70, 130, 200]),
    st.sampled_from([PLAYER, UNEVEN, MEASURED]),
)
@example(["?", "?@hh", "R"], True, 70, PLAYER)
@example(["?", "?", "?", "R", "R"], True, 200, PLAYER)
@example(["f?", "?@ft", "d?", "?@hh", "?"], True, 130, UNEVEN)
@settings(max_examples=25, deadline=None)
def test_any_figure(steps, repeat, tempo, player):
    text = " ".join(steps)
    costs = every_cost(text, tempo, repeat, player=player)
    if not any(s in text for s in "RL?K"):
        return
    found = cheapest_stickings(parse(text), FIVE, player, tempo, best=3, repeat=repeat)
    mine = [row.report.summary.cost for row in found.best]
    assert found.proven and mine == pytest.approx(sorted(costs.values())[: len(mine)], abs=1e-9)


TOM_RUN = "/16 ? ? ? ? ?@t1 ?@t1 ?@t1 ?@t1 ?@t2 ?@t2 ?@t2 ?@t2 ?@ft ?@ft ?@ft ?@ft | ?@c2+K"


@pytest.mark.parametrize(
    ("text", "tempo"),
    [(TOM_RUN, 100), ("/8 ?@hh+K ?@hh ?@hh ? ?@rd ?@ft ?@c1> ?", 140), ("f? ?@t1 ? " * 4, 120)],
)
def test_no_longer_list_and_no_school_finds_anything_cheaper_than_what_is_proven(text, tempo):
    first = cheapest_stickings(parse(text), FIVE, PLAYER, tempo, best=1)
    assert first.proven
    longer = cheapest_stickings(parse(text), FIVE, PLAYER, tempo, best=40)
    assert longer.best[0].cost == pytest.approx(first.best[0].cost)
    assert [row.cost for row in longer.best] == sorted(row.cost for row in longer.best)
    for school in ("right-lead", "left-lead", "natural", "alternate"):
        found = cheapest_stickings(parse(text), FIVE, PLAYER, tempo, best=1, school=school)
        assert found.best[0].cost >= first.best[0].cost - 1e-9


def test_what_is_written_stays_and_so_do_remarks():
    text = "# low tide\n(R@ft  ? L?) ?@t1 K |".replace(" |", "")
    for row in cheapest_stickings(parse(text), FIVE, PLAYER, 100).best:
        strokes = row.report.pattern.strokes
        assert (strokes[0].limb, strokes[2].limb) == ("R", "L") and row.text.startswith("# low tide\n(R@ft  ")
    assert cheapest_stickings(parse(text), FIVE, PLAYER, 100).best[0].differs == ()


def test_schools_are_kept():
    text = "/16 ? ? ? ? ? ? ? ? /8t ? ? ?"
    best = lambda **more: cheapest_stickings(parse(text), FIVE, PLAYER, 100, **more).best  # noqa: E731
    for row in best(school="right-lead"):
        assert all(row.report.pattern.strokes[i].limb == "R" for i in (0, 4, 8))
    for row in best(school="left-lead"):
        assert all(row.report.pattern.strokes[i].limb == "L" for i in (0, 4, 8))
    (row,) = best(school="natural")
    assert row.report.pattern.sticking.startswith("R L R L R L R L")
    for row in best(school="alternate"):
        limbs = row.report.pattern.sticking.split()
        assert all(a != b for a, b in pairwise(limbs))
    for row in best(max_run=1):
        limbs = row.report.pattern.sticking.split()
        assert all(a != b for a, b in pairwise(limbs))
    assert len(best(school="alternate")) == 2


def test_the_hat_crossed_or_open():
    text = "?@hh ?@sn ?@hh ?@sn"
    crossed = cheapest_stickings(parse(text), FIVE, PLAYER, 100, hat="crossed").best
    opened = cheapest_stickings(parse(text), FIVE, PLAYER, 100, hat="open").best
    assert all(row.report.pattern.strokes[i].limb == "R" for row in crossed for i in (0, 2))
    assert all(row.report.pattern.strokes[i].limb == "L" for row in opened for i in (0, 2))
    mirrored = cheapest_stickings(parse(text), FIVE.mirror(), PLAYER.mirror(), 100, hat="open").best
    assert all(row.report.pattern.strokes[i].limb == "R" for row in mirrored for i in (0, 2))


@given(
    st.lists(st.sampled_from(["?", "?@ft", "?@hh", "?@rd>", "K"]), min_size=2, max_size=7),
    st.booleans(),
    st.sampled_from([PLAYER, UNEVEN, MEASURED]),
)
@settings(max_examples=25, deadline=None)
def test_the_mirrored_kit_has_the_mirrored_answer(steps, repeat, player):
    text = " ".join(["?", *steps])
    one = cheapest_stickings(parse(text), FIVE, player, 150, repeat=repeat, best=3)
    two = cheapest_stickings(parse(text), FIVE.mirror(), player.mirror(), 150, repeat=repeat, best=3)
    costs = [[r.report.summary.cost for r in found.best] for found in (one, two)]
    assert costs[0] == pytest.approx(costs[1])


def test_a_stroke_can_be_kept_from_a_hand():
    found = cheapest_stickings(parse("? ? ? ?"), FIVE, PLAYER, 100, excluded={0: "R", 1: "R"})
    assert all(row.report.pattern.sticking.startswith("L L") for row in found.best)


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ("/8 ?@hh+?@sn+?@c1 ? ?@ft ?", {0}),  # a foot can take the hi-hat
        ("/8 ? ?@c1>+?@sn+?@t1. ? ?", {3}),  # a ghost is missed least
        ("/8 ? ?@c1>+?@rd+?@ft> ? ?", {2}),  # an accent most
        ("/8 R@hh+?@sn+L@c1 ? ? ?", {1}),  # what is written stays
        ("/8 ? ?@hh+?@sn+?@c1+?@rd K ?@hh+?@sn+?@c1", {1, 2, 6}),
    ],
)
@pytest.mark.parametrize("repeat", [False, True])
def test_what_no_hands_can_play_stays_open_and_the_rest_is_planned(text, left, repeat):
    pattern = parse(text)
    found = cheapest_stickings(pattern, FIVE, PLAYER, 100, repeat=repeat, best=4)
    assert {i for moment in found.open for i in moment.strokes} == left
    assert all("at once" in moment.why and moment.advice.startswith("leave") for moment in found.open)
    for row in found.best:
        assert {s.index for s in row.pattern.strokes if s.limb == "?"} == left
        assert row.report.summary.cost == pytest.approx(row.cost) and row.report.stopped
    # The rest is the cheapest that it can be: every other way to play it costs no less.
    others = [i for i in pattern.unassigned if i not in left]
    costs = []
    for hands in product("RL", repeat=len(others)):
        filled = with_hands(pattern, dict(zip(others, hands)))
        if all(len(set(struck)) == len(struck) for struck in hands_at_once(filled)):
            costs.append(analyse(filled, FIVE, PLAYER, 100, repeat=repeat).summary.cost)
    assert [row.cost for row in found.best] == pytest.approx(sorted(costs)[: len(found.best)])
    assert found.proven


def hands_at_once(pattern):
    """The hands that strike at every moment."""
    return [[s.limb for s in event.strokes if s.limb in "RL"] for event in pattern.events]


def test_where_both_hands_strike_no_school_stands_in_the_way():
    for school in ("right-lead", "left-lead", "natural"):
        found = cheapest_stickings(parse("/8 ?@hh+?@sn ? R@hh+?@sn ?"), FIVE, PLAYER, 100, school=school)
        assert not found.open and all("?" not in row.text for row in found.best)


def test_a_moment_of_very_many_strokes_is_named_at_once():
    found = cheapest_stickings(parse("/8 ? " + "+".join(["?"] * 40) + " ?"), FIVE, PLAYER, 100)
    assert len(found.open[0].strokes) == 38 and "leave 38 out" in found.open[0].advice


@pytest.mark.parametrize("repeat", [False, True])
def test_a_moment_without_any_hand_is_passed_over(repeat):
    """The only stroke of a moment cannot be given away: the rest is planned, though not proven."""
    more = {"hat": "open", "excluded": {1: "L"}, "repeat": repeat}
    found = cheapest_stickings(parse("/8 ? ?@hh ?@ft ?"), FIVE, PLAYER, 100, **more)
    rest = cheapest_stickings(parse("/8 ? - ?@ft ?"), FIVE, PLAYER, 100, repeat=repeat)
    assert [moment.strokes for moment in found.open] == [(1,)] and not found.proven
    first = rest.best[0]
    assert found.best[0].hands == (first.hands[0], "?", *first.hands[1:])
    assert found.best[0].cost == pytest.approx(first.cost)


def test_a_wish_that_leaves_no_hand_is_named():
    found = cheapest_stickings(parse("R+?@c1 ? ?"), FIVE, PLAYER, 100, excluded={1: "L"})
    assert [moment.strokes for moment in found.open] == [(1,)]
    assert found.open[0].why == "what is asked for leaves no hand for the left crash"


@pytest.mark.parametrize(
    ("text", "more", "words"),
    [
        ("? ?", {"school": "jazz"}, "unknown school 'jazz'"),
        ("? ?", {"hat": "shut"}, "unknown hi-hat choice"),
        ("? ?", {"max_run": 0}, "longest run is 0"),
        ("?@hh ?@hh", {"hat": "open", "school": "alternate"}, "no sticking satisfies"),
        ("? ? ?", {"school": "alternate", "repeat": True}, "does not come round"),
    ],
)
def test_questions_without_an_answer_are_refused_in_words(text, more, words):
    with pytest.raises(PlanError, match=words):
        cheapest_stickings(parse(text), FIVE, PLAYER, 100, **more)


@pytest.mark.parametrize(
    ("text", "player", "kit", "last"),
    [
        ("/16 ?@t1 ?@t1 ?@ft ?@ft | ?@c2+K", PLAYER, FIVE, "R"),
        ("/16 ?@t1 ?@t1 ?@ft ?@ft | ?@c2+K", replace(PLAYER, handedness="left"), FIVE.mirror(), "L"),
    ],
)
def test_a_fill_lands_over_there_with_the_leading_hand(text, player, kit, last):
    """Common practice; a crash on the other hand's own side may be either's."""
    found = cheapest_stickings(parse(text), kit, player, 110, best=1).best[0]
    assert next(s.limb for s in found.pattern.strokes if s.voice == "c2") == last
    far = analyse(parse("/4 L@c2+K"), FIVE, PLAYER, 110).summary.terms["switch"]
    near = analyse(parse("/4 L@c1+K"), FIVE, PLAYER, 110).summary.terms["switch"]
    assert far - near == pytest.approx(FAR_LANDING_COST)
    # Keeping time over there is no landing.
    kept = analyse(parse("/4 L@c2 L@c2 L@c2 L@c2"), FIVE, PLAYER, 110, repeat=True).summary.terms["switch"]
    assert kept == pytest.approx(4 * OTHER_LEAD_COST)


def test_an_odd_bar_begins_with_the_leading_hand_anew():
    """Common practice: hand to hand, and the bar begins as it began."""
    found = cheapest_stickings(parse("meter 9/8 /8 ?> ? ? ?> ? ? ?> ? ?"), FIVE, PLAYER, 150, best=1, repeat=True)
    assert "".join(found.best[0].hands) == "RLRLRLRLR"


HATS = "/16 ?@hh+K ?@hh ?@hh ?@hh ?@sn> ?@hh ?@hh ?@hh"


@pytest.mark.parametrize(("tempo", "hands"), [(60, "RRRRLRRR"), (120, "RLRLRLRL")])
def test_one_line_on_the_hats_is_shared_where_one_hand_is_hurried(tempo, hands):
    """Common practice: slow sixteenths stay in one hand; fast ones go hand to hand, the backbeat by the right."""
    found = cheapest_stickings(parse(HATS), FIVE, PLAYER, tempo, best=1, repeat=True)
    assert "".join(found.best[0].hands) == hands


def test_a_hat_under_backbeats_stays_in_one_hand_at_any_tempo_it_can_be_played_at():
    """The hands strike together there, so it is no line."""
    text = "/16 ?@hh+K ?@hh ?@hh ?@hh ?@hh+?> ?@hh ?@hh ?@hh"
    strokes = cheapest_stickings(parse(text), FIVE, PLAYER, 84, best=1, repeat=True).best[0].pattern.strokes
    assert len({s.limb for s in strokes if s.voice == "hh"}) == 1


@pytest.mark.parametrize("tempo", [80, 120])
def test_ghosts_between_the_hats_are_the_other_hands(tempo):
    """Common practice: the leading hand has hat and backbeat, the other one the ghosts between."""
    text = "/16 ?@hh+K ?. ?@hh ?. ?@sn> ?. ?@hh ?. ?@hh ?. ?@hh+K ?. ?@sn> ?. ?@hh ?."
    found = cheapest_stickings(parse(text), FIVE, PLAYER, tempo, best=1, repeat=True)
    assert "".join(found.best[0].hands) == "RL" * 8
