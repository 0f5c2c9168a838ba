"""Crossings as a teacher tells them: whose move it is, in which stroke it ends, and who is told to go over.

What is asked here is common practice unless a source is named.
"""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.limbs import HANDS, other_hand
from tests.strategies import kits, texts

FIVE = layout("five")
CROSSED = ("crossover", "crossed-hold")


def told(text: str, repeat: bool = False, kit=FIVE, tempo: float = 80.0):
    """Every crossing: kind, whose move, strokes and who is over."""
    report = analyse(parse(text), kit, Player(), tempo, repeat=repeat)
    return [(f.kind, f.limb, f.strokes, f.over) for f in report.findings if f.kind in CROSSED]


def crossing(text: str, **options):
    report = analyse(parse(text), options.pop("kit", FIVE), Player(), options.pop("tempo", 80.0), **options)
    (found,) = [f for f in report.findings if f.kind in CROSSED]
    return found


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize(
    ("text", "limb", "strokes"),
    [
        # The hand that travels to the floor tom, not the one that stays on the snare.
        ("/4 R@sn L@sn R@sn L@ft", "L", (3,)),
        # The other way about, on its second stroke: both stand at the floor tom before.
        ("/4 R@ft L@ft R@t1 L@ft", "R", (2, 3)),
        # A hand that comes across one that keeps its place.
        ("/4 R@t2 L@sn R@t2 L@rd", "L", (3,)),
    ],
)
def test_the_hand_that_travels_is_named_on_its_own_stroke(text, limb, strokes, repeat):
    (found,) = told(text, repeat)
    assert found[:3] == ("crossover", limb, strokes)


def test_up_the_kit_by_singles_the_right_crosses_on_the_first_stroke_of_each_drum():
    rows = told("/16 R@ft L@ft R@ft L@ft R@t2 L@t2 R@t2 L@t2 R@t1 L@t1 R@t1 L@t1 R@sn L R L")
    assert [(limb, strokes[0]) for _, limb, strokes, _ in rows] == [("R", 4), ("R", 8)]
    down = told("/16 R L R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft")
    assert not down, "down the kit nobody crosses"


def test_a_crossing_between_two_moments_is_found_and_its_mark_counts():
    with_rest, without = crossing("/16 R@ft L - R@hh L@hh"), crossing("/16 R@ft L R@hh L@hh")
    assert (with_rest.limb, with_rest.strokes, with_rest.over) == (without.limb, without.strokes, without.over)
    assert (with_rest.limb, with_rest.strokes) == ("R", (2,))
    for marked in ("/16 R@ft L - R@hh, L@hh", "/16 R@ft L - R@hh L@hh'"):
        found = crossing(marked)
        assert found.over == "L" and "you let the left hand go over" in found.message


def test_hands_that_go_the_same_way_together_do_not_cross():
    assert not told("/8 fR fL fR@t1 fL@t1 fR@t2 fL@t2 fR@ft fL@ft", tempo=100)


@pytest.mark.parametrize("mark", ["'", ","])
def test_marks_count_in_a_loop_as_they_do_in_what_is_played_once(mark):
    figure = f"R L L K K R L@ft{mark} K K"
    looped = told(f"/16t {figure} {figure}", repeat=True)
    assert looped == told(f"/16t {figure} {figure}")
    assert {over for _, _, _, over in looped} == {"L" if mark == "'" else "R"}


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize(("first", "second"), [("'", ""), ("", ","), (",", ""), ("", "'")])
def test_a_mark_counts_on_either_stroke_of_a_crossing(first, second, repeat):
    over = {"'": "R", ",": "L"}[first] if first else {"'": "L", ",": "R"}[second]
    found = crossing(f"/4 R@sn L@sn R@sn{first} L@ft{second}", repeat=repeat)
    assert found.over == over and f"you let the {'right' if over == 'R' else 'left'} hand" in found.message


def test_a_mark_that_decides_nothing_is_said():
    def remarks(text):
        return [(r.strokes, r.message) for r in analyse(parse(text), FIVE, Player(), 80).remarks]

    ((strokes, words),) = remarks("/16 R' L R L,")
    assert strokes == (0, 3) and "decides nothing" in words and "on 1 " in words.lower()
    assert not remarks("/4 R@sn L@sn R@sn L@ft'") and not remarks("/16 R L R L")
    assert not remarks("/16t R L L K K R L@ft' K K")


def test_coming_into_a_crossing_costs_and_staying_there_hardly():
    report = analyse(parse("/8 R@hh L R@hh L R@hh L R@hh L"), FIVE, Player(), 80)
    costs = [s.cost["cross"] for s in report.strokes]
    brought = next(iter(report.arrivals))
    assert costs[brought] > 5 * max(cost for i, cost in enumerate(costs) if i != brought) > 0


def test_struck_together_nobody_comes_second():
    found = crossing("/4 R@hh+L@t1 R+L")
    assert "either may go over" in found.message and "second" not in found.message
    assert "comes second" in crossing("/4 R@sn L@sn R@sn L@ft").message


def test_no_hint_sends_a_hand_where_it_is():
    for text in ("/4 R@ft L@ft R@t1 L@ft", "/4 R@t1 L@t1 R@ft L@t1 R@hh L@t1"):
        report = analyse(parse(text), FIVE, Player(), 80)
        for f in report.findings:
            if f.kind == "crossover" and "let it take the" in f.advice:
                under = other_hand(f.over)
                posture = report.postures[report.posture_of[f.strokes[0]]]
                names = {p.code: p.name for p in FIVE.pieces}
                assert names[posture.voice(under)] not in f.advice.partition("take the")[2]


@given(texts(), kits(), st.booleans(), st.sampled_from([60, 140, 240]))
@settings(max_examples=120, deadline=None)
def test_whoever_crosses_comes_from_somewhere_else(text, kit, repeat, tempo):
    """The hand that is named moves, at its stroke or to a grace before it; only a first stroke comes from nowhere."""
    report = analyse(parse(text), kit, Player(), tempo, repeat=repeat)
    for f in report.findings:
        if f.kind != "crossover":
            continue
        stroke = report.strokes[f.strokes[0]]
        assert f.limb in HANDS and (stroke.limb == f.limb or stroke.grace)
        if stroke.limb == f.limb and stroke.came_from is not None:
            assert stroke.travel_mm > 0 or stroke.graces or _graced(report, f.limb), (text, f.message)
        assert list(f.strokes[1:]) == [i for i in f.strokes[1:] if i != f.strokes[0]]


def _graced(report, limb) -> bool:
    """Whether a hand also plays graces, which move it between its strokes."""
    return any(s.grace and s.limb != limb for s in report.pattern.strokes)
