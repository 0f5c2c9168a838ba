"""Stroke text: the whole grammar, every error with its place, and nothing lost on the way there and back."""

import re
from fractions import Fraction

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from deft_reach.core.model.elements import Strike
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.core.notation.stroke_text import StrokeTextError, parse, replace_strike, strike_of, tempo_of, write
from tests.strategies import texts

EXAMPLE = "/16 (R@ft> L. K R@t2) (L@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |"


def test_the_example_of_the_format_fills_a_bar():
    pattern = parse(EXAMPLE)
    assert pattern.length == 1 and pattern.pickup == 0
    assert [g.steps for g in pattern.groups] == [4, 4, 3, 3]
    assert pattern.sticking == "R L K R L K R L R K L R K L R R"
    first, accented = pattern.strokes[0], pattern.strokes[4]
    assert (first.voice, first.marks, first.bar, first.beat) == ("ft", ">", 1, 1)
    assert (accented.voice, accented.beat) == ("t1", 2)
    unison = [s for s in pattern.strokes if s.start == Fraction(8, 16)]
    assert [(s.limb, s.voice) for s in unison] == [("R", "c2"), ("K", "bd")]


@pytest.mark.parametrize(
    ("text", "voices"),
    [("R", "sn"), ("L", "sn"), ("?", "sn"), ("K", "bd"), ("J", "bd"), ("H", "hh:foot"), ("R@rd:bell", "rd:bell")],
)
def test_a_limb_without_a_voice_plays_its_usual_one(text, voices):
    assert parse(text).strokes[0].voice == voices


@pytest.mark.parametrize(
    ("text", "step"),
    [
        ("/4 R", Fraction(1, 4)),
        ("/32 R", Fraction(1, 32)),
        ("/8t R", Fraction(1, 12)),
        ("/16t R", Fraction(1, 24)),
        ("/5:4/16 R", Fraction(1, 20)),
        ("/7:4/8 R", Fraction(1, 14)),
        ("R", Fraction(1, 16)),
    ],
)
def test_grids(text, step):
    assert parse(text).length == step


def test_ties_lengthen_what_came_before_by_the_grid_in_force():
    pattern = parse("/16 R = /8 = L")
    assert [s.start for s in pattern.strokes] == [0, Fraction(1, 4)]
    assert pattern.strokes[0].length == Fraction(1, 4)


def test_marks_graces_and_letters_that_could_be_either():
    pattern = parse("fR@snx dL@hho. uR^> ?~ R@box")
    assert [(s.grace, s.voice, s.marks) for s in pattern.strokes] == [
        ("f", "sn", "x"),
        ("d", "hh", "o."),
        ("u", "sn", "^>"),
        ("", "sn", "~"),
        ("", "box", ""),
    ]
    assert parse("R@box", voices={"bo"}).strokes[0].marks == "x"
    assert parse("R@box", voices={"bo", "box"}).strokes[0].marks == ""


def test_strokes_may_stand_close_together():
    assert parse("RLRR LRLL").sticking == "R L R R L R L L"
    assert parse("R@hhL@t1-K").sticking == "R L K"


def test_a_short_first_bar_is_a_pickup_and_counts_from_the_end():
    pattern = parse("R L | " + "R " * 16 + "|")
    assert pattern.pickup == Fraction(1, 8)
    assert [(s.bar, s.beat) for s in pattern.strokes[:3]] == [(0, Fraction(9, 2)), (0, Fraction(19, 4)), (1, 1)]


def test_without_bar_lines_bars_are_counted_by_the_meter():
    pattern = parse("meter 3/4 /4 R L R L R")
    assert [(s.bar, s.beat) for s in pattern.strokes] == [(1, 1), (1, 2), (1, 3), (2, 1), (2, 2)]


def test_settings():
    pattern = parse("meter 7/8 tempo 96.5 # slow\n/8 " + "R " * 7 + "|")
    assert pattern.meter == (7, 8) and pattern.tempo == 96.5 and pattern.bars == 1


SIXTEEN = "R " * 16


@pytest.mark.parametrize(
    ("text", "line", "column", "found", "expected"),
    [
        ("R Q", 1, 3, "'Q'", "a stroke"),
        ("R L\nR  L  %", 2, 7, "'%'", "a stroke"),
        ("R+", 1, 3, "end of the text", "after +"),
        ("R+ +L", 1, 4, "'+L'", "after +"),
        ("R@", 1, 3, "end of the text", "a voice"),
        ("R@9", 1, 3, "'9'", "a voice"),
        ("R>>", 1, 3, "second '>'", "each mark once"),
        ("R>.", 1, 3, "accent and a ghost", "one of"),
        ("fK", 1, 1, "a flam before K", "a hand"),
        ("f", 1, 2, "end of the text", "a hand"),
        ("= R", 1, 1, "nothing before it", "lengthen"),
        ("()", 1, 1, "empty group", "at least one"),
        (")", 1, 1, "without a group", "a stroke"),
        ("(R L", 1, 1, "never closed", "closing )"),
        ("(R (L))", 1, 4, "inside a group", "closing )"),
        ('("" R)', 1, 2, "a name that is not one", "up to 60 characters"),
        ('("low tide R)', 1, 2, "a name that is not one", "up to 60 characters"),
        ("(R meter 3/4 L)", 1, 4, "'meter' after the first step", "right after a bar line"),
        (f"{SIXTEEN}| R meter 3/4 L", 1, 37, "'meter' after the first step", "right after a bar line"),
        (f"{SIXTEEN}| meter 3/4 {SIXTEEN}|", 1, 77, "bar 2 too long at 16/16", "12/16 for a bar of 3/4"),
        ("/17 R", 1, 1, "'/17'", "/4 /8 /16 /32"),
        ("/5:0/16 R", 1, 1, "'/5:0/16'", "a tuplet"),
        ("/ R", 1, 1, "'/'", "a grid"),
        ("meter 4", 1, 7, "'4'", "a meter"),
        ("meter 4/3 R", 1, 7, "'4/3'", "a meter"),
        ("meter 4/4 meter 3/4", 1, 11, "a second meter", "one meter at a time"),
        ("tempo 0 R", 1, 7, "'0'", "a tempo"),
        ("R tempo 90", 1, 3, "after the first step", "at the very start"),
        ("metre 4/4", 1, 1, "'metre'", "meter, tempo or swing"),
        (f"{SIXTEEN}| R L |", 1, 39, "bar 2 too short at 2/16", "16/16 for a bar of 4/4"),
        (f"{SIXTEEN} R |", 1, 36, "bar 1 too long at 17/16", "16/16"),
        ("| R |", 1, 5, "bar 1 too short at 1/16", "16/16"),
        (f"R | {SIXTEEN}| /8t R |", 1, 45, "bar 2 too short", "48/48 for a bar of 4/4"),
        ("R\u00e9", 1, 2, "'\u00e9'", "a mark"),
        ("R\x00", 1, 2, "'\\x00'", "a mark"),
    ],
)
def test_errors_say_where_what_was_found_and_what_was_expected(text, line, column, found, expected):
    with pytest.raises(StrokeTextError) as caught:
        parse(text)
    error = caught.value
    assert (error.line, error.column) == (line, column)
    assert found in error.found and expected in error.expected
    assert str(error).startswith(f"line {line}, column {column}: found ")


@given(st.text(max_size=60))
def test_any_text_is_read_or_refused_with_a_place_inside_it(text):
    try:
        pattern = parse(text)
    except StrokeTextError as error:
        assert 1 <= error.line <= text.count("\n") + 1
        assert 0 <= error.span.start <= len(text)
    else:
        assert pattern.text == text


@given(st.text(alphabet="RLK?@sntf/816>.x|()-=+ \n", max_size=60))
@example("?x@n")
def test_near_misses_of_the_grammar_never_break_the_reader(text):
    try:
        assert parse(write(parse(text).elements)) == parse(text)
    except StrokeTextError as error:
        assert error.found and error.expected


@given(texts())
def test_text_to_pattern_to_text_loses_nothing(text):
    pattern = parse(text)
    assert pattern.text == text
    again = parse(write(pattern.elements))
    assert again == pattern
    assert again.strokes == tuple(s._replace(span=again.strokes[i].span) for i, s in enumerate(pattern.strokes))
    assert write(again.elements) == write(pattern.elements)


def test_comments_and_line_breaks_survive():
    text = "# the boom opens\nmeter 3/4\n/16 (R L R L) - - # rest\n  R L |"
    assert (
        write(parse("# a\n" + text).elements) == "# a\n# the boom opens\nmeter 3/4\n/16 (R L R L) - - # rest\nR L |"
    )


def test_one_stroke_is_rewritten_and_the_rest_left_to_the_letter():
    text = "/16  R@ft>   L.  # keep me\n K+R@c1 |"
    pattern = parse(text)
    changed = replace_strike(pattern, 1, Strike("R", "t1", "^", "f"))
    assert changed == "/16  R@ft>   fR@t1^  # keep me\n K+R@c1 |"
    assert strike_of(parse(changed), 1) == Strike("R", "t1", "^", "f")
    assert strike_of(pattern, 2) == Strike("K")


def test_rudiments_are_read_back_as_written():
    for rudiment in RUDIMENTS:
        assert parse(write(rudiment.pattern.elements)) == rudiment.pattern


def test_text_that_is_too_long_is_refused_at_once():
    with pytest.raises(StrokeTextError, match="at most"):
        parse("R " * 150_000)


def test_the_meter_changes_at_a_bar_line():
    pattern = parse("meter 3/4 /4 R L R | meter 7/8 /8 R L R L R L R | meter 4/4 /4 R L R L R L")
    rows = [(bar.number, bar.start, bar.length, bar.meter) for bar in pattern.bar_rows]
    assert rows == [
        (1, 0, Fraction(3, 4), (3, 4)),
        (2, Fraction(3, 4), Fraction(7, 8), (7, 8)),
        (3, Fraction(13, 8), 1, (4, 4)),
        (4, Fraction(21, 8), Fraction(1, 2), (4, 4)),
    ]
    assert pattern.meter == (3, 4) and pattern.bars == Fraction(7, 2)
    assert [(s.bar, s.beat) for s in pattern.strokes][3:12] == [(2, b) for b in range(1, 8)] + [(3, 1), (3, 2)]
    assert parse(write(pattern.elements)) == pattern


def test_groups_have_names_and_may_cross_bar_lines_and_change_the_grid():
    pattern = parse('/4 R L ("low tide" R L | /8 R L R L) /4 R L |')
    (group,) = pattern.groups
    assert (group.name, group.steps, group.start, group.length) == ("low tide", 6, Fraction(1, 2), 1)
    assert [s.group for s in pattern.strokes] == [-1, -1, 0, 0, 0, 0, 0, 0, -1, -1]
    assert parse(write(pattern.elements)) == pattern


@pytest.mark.parametrize(
    ("text", "voice", "marks", "tidy"),
    [
        ("f[t1~]R@ft", "t1", "~", "f[t1~]R@ft"),
        ("d[sn.]L>@t1", "sn", ".", "d[sn.]L@t1>"),
        ("f[~]R", None, "~", "f[~]R"),
        ("u[rd:bell]R@rd", "rd:bell", "", "u[rd:bell]R@rd"),
        ("fR", None, "", "fR"),
    ],
)
def test_graces_have_a_voice_and_marks_of_their_own(text, voice, marks, tidy):
    pattern = parse(text)
    stroke = pattern.strokes[0]
    assert (stroke.grace_voice, stroke.grace_marks) == (voice, marks)
    assert write(pattern.elements) == tidy and parse(tidy) == pattern


def test_marks_may_stand_before_the_voice():
    assert parse("L>@t1 R.@hh K>") == parse("L@t1> R@hh. K>")
    assert parse("R>@t1o").strokes[0].marks == ">o"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("f[R", "the flam's voice, its marks and ]"),
        ("f[]R", "the flam's voice, its marks and ]"),
        ("f[t1", "the flam's voice, its marks and ]"),
        ("f[t1>.]R", "one of > and ."),
        ("R',", "over and under on one stroke"),
        ("R''", "each mark once"),
    ],
)
def test_graces_and_choices_that_cannot_be_are_refused_in_words(text, words):
    with pytest.raises(StrokeTextError, match=re.escape(words)):
        parse(text)


@pytest.mark.parametrize(
    ("text", "tempo"),
    [
        ("tempo 96 R L", 96.0),
        ("# at the quay\nmeter 3/4 swing 66 /8 tempo 72.5 /8 R L", 72.5),
        ("tempo 96 R L Q", 96.0),
        ("R L", None),
        ("", None),
        ("tempo 9999 R L", None),
        ("Q tempo 96 R L", None),
        ("tempo 90 tempo 96 R L", 90.0),
    ],
)
def test_the_tempo_is_known_from_the_head_alone(text, tempo):
    assert tempo_of(text) == tempo


@given(texts())
def test_the_head_says_the_tempo_that_the_whole_text_has(text):
    assert tempo_of(text) == parse(text, lenient=True).tempo
    assert tempo_of("tempo 77 " + text.replace("tempo", "# tempo")) == 77


@given(texts(), st.floats(-1, 9), st.floats(0, 5))
def test_bars_between_two_times(text, start, length):
    pattern, end = parse(text, lenient=True), start + length
    wanted = [bar for bar in pattern.bar_rows if bar.start <= end and bar.start + bar.length > start]
    found = list(pattern.bars_between(start, end))
    assert [bar for bar in found if bar in wanted] == wanted
    assert len(found) <= len(wanted) + 1, "at most the last bar before them"
