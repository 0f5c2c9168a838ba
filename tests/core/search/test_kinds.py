"""Hands of every kind: what players would write first."""

import re
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.ranking import merit_of
from deft_reach.core.search.planner import HAND_KINDS, PlanError, cheapest_stickings, find_stickings
from deft_reach.core.search.planner.assign import with_hands
from deft_reach.core.search.planner.kinds import kind_of, written

FIVE, PLAYER = layout("five"), Player()
#: What figures are made of whose hands are open.
OPEN = ["?", "?", "?@t1", "?@ft", "?@hh", "?@hh+K", "?>", "?.", "K", "-"]


def hands(pattern):
    return "".join(s.limb for s in pattern.strokes if s.limb in "RL")


def first(text, tempo, repeat=False):
    return hands(find_stickings(parse(text), FIVE, PLAYER, tempo, repeat=repeat).best[0].pattern)


def kind(text, repeat=True, tempo=100):
    return kind_of(parse(text), repeat, 240 / tempo, "R")


def test_kinds_are_told_apart():
    for wanted, text in (
        ("hand to hand", "/16 RLRL RLRL"),
        ("doubles", "/16 RRLL RRLL"),
        ("paradiddle", "/16 RLRR LRLL"),
        ("leading hand", "/8t RLL RLL"),
        ("one hand", "/8 RRRR"),
        ("kept", "/8 R@hh R@hh R@hh+L R@hh R@hh R@hh R@hh+L R@hh"),
        ("open", "/8 L@hh L@hh L@hh+R L@hh L@hh L@hh L@hh+R L@hh"),
        ("handed over", "/8 R@hh R@hh R@hh R@hh R@hh L@hh L@hh L@hh"),
        ("by pieces", "/8 R@ft R@ft L R@ft R@ft R@ft L R@ft"),
        ("mixed", "/16 RLRL RLRL LRRL RRLR"),
    ):
        assert kind(text) == wanted, text
        assert wanted in HAND_KINDS
    assert kind("/4 R+L R+L") == "by pieces"


@pytest.mark.parametrize(
    "text, tempo, repeat, wanted",
    [
        # Common practice, no source. Three a drum, hand to hand:
        ("/8t ? ? ? ?@t1 ?@t1 ?@t1 ?@t2 ?@t2 ?@t2 ?@ft ?@ft ?@ft", 140, False, "(RL){6}"),
        # Thirty-seconds beyond single strokes are an even roll, and rolls go into their accents:
        ("/32 ???? ???? ???? ????", 120, True, "(RRLL){4}"),
        ("meter 2/4 /32 ???? /8 ?> /32 ???? /8 ?> |", 105, True, "RRLLRLLRRL|(RRLLR){2}"),
        ("/32 ?????? /8 ?> /16 - - |", 95, True, "RRLLRRL|RLLRRLR"),
        # What is dotted or syncopated takes the hand of its place, or alternates beginning right:
        ("/16 ? - - ? ? - - ?", 100, True, "RLRL"),
        # Pairs after a foot alternate, whichever hand begins the next pair:
        ("/16 K ? ? K ? ? K ?", 100, True, "RLRLR|RLLRL|RLRRL|RLLRR"),
        # The hand that keeps the hat leaves the backbeat to the other:
        ("/8 ?@hh+K ?@hh ?@hh+?> ?@hh ?@hh+K ?@hh ?@hh+?> ?@hh", 110, True, "RR(LR|RL)RRR(LR|RL)R"),
        ("/8 ?@ft+K ?@ft ?@ft+?> ?@ft ?@ft+K ?@ft ?@ft+?> ?@ft", 115, True, "RR(LR|RL)RRR(LR|RL)R"),
    ],
)  # fmt: skip
def test_classes_of_figures_come_as_a_teacher_writes_them(text, tempo, repeat, wanted):
    found = first(text, tempo, repeat)
    assert re.fullmatch(wanted, found), found


@given(
    st.lists(
        st.sampled_from(["?", "?@t1", "?@ft", "?@hh", "?@hh+K", "?+?@ft", "?>", "R", "L@t1", "K", "-"]),
        min_size=2,
        max_size=9,
    ),
    st.booleans(),
)
@settings(max_examples=40, deadline=None)
def test_hands_that_are_written_keep_what_is_there(steps, repeat):
    pattern = parse("/16 " + " ".join(steps))
    try:
        cheapest = cheapest_stickings(pattern, FIVE, PLAYER, 100, best=1, repeat=repeat).best[0]
    except PlanError:
        return
    names = dict(zip(pattern.unassigned, cheapest.hands))
    rows = written(pattern, names, repeat, 2.4, "R")
    assert len({tuple(row.values()) for row in rows}) == len(rows)
    for row in rows:
        assert list(row) == list(names) and set(row.values()) <= set("RL?")
    for answer in find_stickings(pattern, FIVE, PLAYER, 100, best=6, repeat=repeat).best:
        fixed = [s.limb for s in pattern.strokes if s.limb != "?"]
        assert [s.limb for s, t in zip(answer.pattern.strokes, pattern.strokes) if t.limb != "?"] == fixed
        assert answer.kind in HAND_KINDS


@pytest.mark.parametrize(
    "question", [{"school": "alternate"}, {"max_run": 1}, {"hat": "open"}, {"school": "natural"}]
)
def test_what_is_asked_for_holds_for_every_kind(question):
    pattern = parse("/16 ?@hh ? ?@hh ? ? ?@t1 ?@hh ?")
    for row in find_stickings(pattern, FIVE, PLAYER, 90, best=8, **question).best:
        found = hands(row.pattern)
        if "hat" in question:
            assert all(s.limb == "L" for s in row.pattern.strokes if s.voice == "hh")
        else:
            assert not re.search("RR|LL", found) or question.get("school") == "natural"


@given(st.lists(st.sampled_from(["?", "?@t1", "?@ft", "?@hh", "?>"]), min_size=3, max_size=7))
@settings(max_examples=20, deadline=None)
def test_what_stands_apart_is_easier_than_the_first_and_less_likely(steps):
    found = find_stickings(parse("/16 " + " ".join(steps)), FIVE, PLAYER, 120)
    if found.easier is not None:
        own, other = merit_of(found.best[0].report), merit_of(found.easier.report)
        assert own.clearly_behind(other) and other.weight > own.weight
        assert found.easier.hands not in [row.hands for row in found.best]


@pytest.mark.parametrize(
    "text", ["/16 ? ? ? ? ?", "meter 7/8 /8 (? ? ?) (? ? ? ?) |", "meter 5/8 /8 ?@hh+K ? ?@t1 ? ?@ft"]
)
def test_an_odd_loop_hand_to_hand_is_answered_written_twice(text):
    pattern = parse(text)
    found = find_stickings(pattern, FIVE, PLAYER, 100, school="alternate", repeat=True)
    assert found.twice
    for row in found.best:
        assert row.pattern.length == 2 * pattern.length and row.report.summary.strokes == 2 * len(pattern.strokes)
        assert not re.search("RR|LL", hands(row.pattern) * 2)
    assert not find_stickings(pattern, FIVE, PLAYER, 100, school="alternate").twice
    with pytest.raises(PlanError, match="no sticking satisfies"):
        find_stickings(parse("/16 ? R R ?"), FIVE, PLAYER, 100, school="alternate", repeat=True)


@given(
    st.lists(st.sampled_from(OPEN), min_size=3, max_size=7),
    st.booleans(),
    st.sampled_from([80, 120, 160]),
    st.sampled_from(["free", "right-lead"]),
)
@settings(max_examples=25, deadline=None)
def test_short_figures_are_answered_as_trying_every_hand_answers_them(steps, repeat, tempo, school):
    """Whatever is likelier than the first answer is clearly harder: its level, its ease or its limit is worse."""
    pattern = parse("/16 " + " ".join(steps))
    if not pattern.unassigned:
        return
    found = find_stickings(pattern, FIVE, PLAYER, tempo, repeat=repeat, school=school)
    assert found.proven
    first = merit_of(found.best[0].report)
    for way in product("RL", repeat=len(pattern.unassigned)):
        chosen = dict(zip(pattern.unassigned, way))
        if school == "right-lead" and any(
            chosen[i] == "L" for event in pattern.events if event.on_beat for i in event.indices if i in chosen
        ):
            continue
        merit = merit_of(analyse(with_hands(pattern, chosen), FIVE, PLAYER, tempo, repeat=repeat))
        assert merit.weight >= first.weight or merit.clearly_behind(first)


@given(st.lists(st.sampled_from(OPEN), min_size=3, max_size=9), st.booleans())
@settings(max_examples=15, deadline=None)
def test_a_left_handed_player_on_the_mirrored_kit_is_offered_the_mirror_image(steps, repeat):
    pattern = parse("/16 " + " ".join(steps))
    if not pattern.unassigned:
        return
    one = find_stickings(pattern, FIVE, PLAYER, 110, best=8, repeat=repeat)
    two = find_stickings(pattern, FIVE.mirror(), PLAYER.mirror(), 110, best=8, repeat=repeat)
    other = {"R": "L", "L": "R"}
    assert [row.hands for row in one.best] == [tuple(other[hand] for hand in row.hands) for row in two.best]
    assert [row.kind for row in one.best] == [row.kind for row in two.best]


def test_the_near_hand_takes_the_hat_over_while_the_other_is_away():
    """Common practice, no source: the hat goes on beside a tom that the leading hand plays."""
    text = "/8 ?@hh+K ?@hh ? ?@hh ?@ft ?@hh ? ?@hh"
    found = [hands(row.pattern) for row in find_stickings(parse(text), FIVE, PLAYER, 95, repeat=True).best]
    assert "RRLLRLRL" in found or "RRLLRLLL" in found or "RLRLRLRL" in found
    question = parse("/16 ?@hh ?@hh ?@hh ? ?@hh ?@hh ?@hh ?@ft")
    every = ["".join(way.values()) for way in written(question, dict.fromkeys(range(8), "R"), False, 2.4, "R")]
    assert "RRRLRRLR" in every and "LLLRLLRL" not in every
