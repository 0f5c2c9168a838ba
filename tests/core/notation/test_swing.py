"""Swing: the second of a pair comes later, everything else stays where it is."""

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.notation.stroke_text import StrokeTextError, write
from deft_reach.core.notation.swing import straight
from deft_reach.core.notation.transform_tools import TransformError
from deft_reach.core.notation.transforms import TRANSFORMS
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()


def starts(text):
    return [s.start for s in parse(text).strokes]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("swing 66 /8 /8 R L R L", [0, "33/200", "1/4", "83/200"]),
        ("swing 50 /8 /8 R L R L", [0, "1/8", "1/4", "3/8"]),
        ("swing 75 /16 /16 R L R L", [0, "3/32", "1/8", "7/32"]),
        # What divides the pair further moves along, triplets do not, nor what shares a pair with one.
        ("swing 60 /8 /16 R L R L", [0, "3/40", "3/20", "1/5"]),
        ("swing 60 /8 /8t R L R", [0, "1/12", "1/6"]),
        ("swing 75 /8 /8 R /16t L R L /8 R L", [0, "1/8", "1/6", "5/24", "1/4", "7/16"]),
        # Pairs begin at bar lines, the short first bar included; a last note without a partner stays.
        ("swing 60 /8 /8 L | /4 R L R L |", ["1/40", "1/8", "3/8", "5/8", "7/8"]),
        ("swing 60 /8 meter 7/8 /8 R L R L R L R |", [0, "3/20", "1/4", "2/5", "1/2", "13/20", "3/4"]),
    ],
)
def test_where_the_strokes_fall(text, wanted):
    assert starts(text) == [Fraction(place) for place in wanted]


def test_two_thirds_is_the_triplet_feel():
    """Common practice: swung eighths at two thirds are the first and the last of each triplet."""
    swung = starts("swing 66.667 /8 /8 R L R L R L R L |")
    triplets = starts("/8t R - L R - L R - L R - L |")
    assert [float(x) for x in swung] == pytest.approx([float(x) for x in triplets], abs=1e-5)


def test_places_are_counted_as_they_are_written_and_times_as_they_are_played():
    report = analyse(parse("swing 66 /8 /8 R@hh L R@hh L"), FIVE, PLAYER, 100)
    assert [s.beat for s in report.strokes] == [1, 1.5, 2, 2.5]
    assert [s.time for s in report.strokes] == pytest.approx([0, 0.396, 0.6, 0.996])
    way = "/8 R@hh R@ft R@hh R@ft"
    plain = analyse(parse(way), FIVE, PLAYER, 100).summary.tempo_limit
    late = analyse(parse(f"swing 66 /8 {way}"), FIVE, PLAYER, 100).summary.tempo_limit
    assert late < plain, "the short gap after the late note decides"


@given(texts(), st.sampled_from([52, 60, 66, 75]), st.sampled_from([8, 16]))
def test_swing_keeps_order_beats_and_text_and_goes_away_again(text, percent, value):
    plain = parse(text[text.index("/", 12) :] if text.startswith("swing") else text)
    pattern = parse(f"swing {percent} /{value} {plain.text}")
    assert [s.start for s in pattern.strokes] == sorted(s.start for s in pattern.strokes)
    assert all(s.length > 0 for s in pattern.strokes)
    assert [(s.bar, s.beat, s.limb, s.marks) for s in pattern.strokes] == [
        (s.bar, s.beat, s.limb, s.marks) for s in plain.strokes
    ]
    for a, b in zip(plain.strokes, pattern.strokes):
        if b.beat.denominator == 1:
            assert a.start == b.start, "beats stay"
    back = straight(pattern)
    assert [(s.start, s.length) for s in back.strokes] == [(s.start, s.length) for s in plain.strokes]
    assert [g[:2] for g in back.groups] == [g[:2] for g in plain.groups]
    assert parse(write(pattern.elements)) == pattern


@pytest.mark.parametrize(
    ("text", "found", "expected"),
    [
        ("swing 90 /8 R", "'90'", "from 50 to 80"),
        ("swing R", "'R'", "such as swing 66 /8"),
        ("swing 66 R", "'66'", "such as swing 66 /8"),
        ("swing 66 /4 R", "'66'", "such as swing 66 /8"),
        ("R swing 66 /8", "after the first step", "at the very start"),
        ("swing 66 /8 swing 58 /8 R", "a second swing", "one swing"),
    ],
)
def test_mistakes_are_named(text, found, expected):
    with pytest.raises(StrokeTextError) as caught:
        parse(text)
    assert found in caught.value.found and expected in caught.value.expected


def test_swing_is_a_change():
    swing = TRANSFORMS["swing-8"][1]
    assert swing(parse("# a\n/8 R L")).text == "# a\nswing 66 /8 /8 R L"
    assert swing(parse("swing 58 /16 /8 R L")).text == "swing 66 /8 /8 R L"
    assert TRANSFORMS["straight"][1](parse("swing 58 /16 /8 R L")).text == "/8 R L"
    assert TRANSFORMS["faster"][1](parse("swing 58 /8 /8 R L")).text == "swing 58 /16 /16 R L"
    with pytest.raises(TransformError, match="does not swing"):
        TRANSFORMS["straight"][1](parse("/8 R L"))
    with pytest.raises(TransformError, match="no swing of /4"):
        TRANSFORMS["slower"][1](parse("swing 58 /8 /8 R L"))


def test_a_pair_that_the_end_cuts_off_is_played_as_written():
    """Swung, its second half would come after the end, and in a loop after its own beginning."""
    cut = parse("swing 66 /8 /32 R R = R R")
    assert [s.start for s in cut.strokes] == [0, Fraction(1, 32), Fraction(3, 32), Fraction(1, 8)]
    whole = parse("swing 66 /8 /32 R R = R R - - -")
    assert whole.strokes[3].start == Fraction(66, 100) / 4
    for text in ("swing 66 /8 /32 R R = R R", "swing 75 /16 /32 R R R", "swing 80 /8 /8 R R /16 R R R"):
        pattern = parse(text)
        assert all(s.start + s.length <= pattern.length for s in pattern.strokes)
        rows = analyse(pattern, layout("five"), Player(), 60, repeat=True).strokes
        assert all(row.gap is None or row.gap > 0 for row in rows)


def test_without_a_grid_of_its_own_a_text_goes_on_in_the_value_that_swings():
    assert parse("swing 66 /8 R L R L").length == Fraction(1, 2)
    assert parse("swing 66 /16 R L R L").length == Fraction(1, 4)
    assert parse("tempo 96 swing 66 /8 meter 3/4 R L R L R L |").bars == 1
    assert parse("/16 swing 66 /8 R L R L").length == Fraction(1, 4), "a grid that is written holds"
    assert parse("swing 66 /8 /16 R L R L").length == Fraction(1, 4)
    assert parse("swing 66 /8 R L R L").starts == parse("swing 66 /8 /8 R L R L").starts


@given(texts(), st.sampled_from([8, 16]), st.sampled_from([None, 8, 16]))
@settings(max_examples=60, deadline=None)
def test_changes_of_a_swing_leave_every_step_as_long_as_it_was(text, value, before):
    """Whatever sets the grid: putting swing in, changing and removing it moves strokes inside their pairs only."""
    try:
        pattern = parse(text if before is None else f"swing 60 /{before} {text}")
    except StrokeTextError:
        return
    if not pattern.moments:
        return
    swung = parse(TRANSFORMS[f"swing-{value}"][1](pattern).text)
    assert [m[:2] for m in straight(swung).moments] == [m[:2] for m in straight(pattern).moments]
    again = parse(TRANSFORMS["straight"][1](swung).text)
    assert [m[:2] for m in again.moments] == [m[:2] for m in straight(pattern).moments]
