"""Writing by keys: what each key does to the stroke text."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.document import new_document
from deft_reach.core.session import Session
from deft_reach.core.session.lane import Lane
from deft_reach.core.session.lane_groups import group, group_words, ungroup


def start(text: str = "") -> Lane:
    session = Session(new_document())
    session.strokes.set_text(text, "Text", None)
    session.end_merge()
    lane = Lane(session)
    lane.go(lane.steps)
    return lane


def keys(lane: Lane, text: str) -> Lane:
    for char in text:
        assert lane.type(char), char
    lane.finish_pending()
    return lane


def text(lane: Lane) -> str:
    return lane.session.text


@pytest.mark.parametrize(
    ("typed", "written"),
    [
        ("rlrr", "R L R R"),
        ("rl>r.k", "R L> R. K"),
        ("frdlur", "fR dL uR"),
        ("r+kl", "R+K L"),
        ("r+kl+h>", "R+K L+H>"),
        ("r@t1 l@ft>k", "R@t1 L@ft> K"),
        ("rx l^r~kho".replace(" ", ""), "Rx L^ R~ K Ho"),
        ("r-l=", "R - L ="),
        ("/8trlr/16rl", "/8t R L R /16 R L"),
        ("/5:4/16 rlrlr", "/5:4/16 R L R L R"),
        ("r?", "R ?"),
        ("/4rlrl|r", "/4 R L R L | R"),
    ],
)
def test_typing_writes_what_is_said(typed, written):
    assert text(keys(start(), typed)) == written


def test_typing_over_a_rhythm_keeps_voices_and_accents():
    lane = start("/16 (R@ft> L. K R@t2) R - L L |".replace(" |", ""))
    lane.go(0)
    keys(lane, "lrkl")
    assert text(lane) == "/16 (L@ft> R K L@t2) R - L L" and lane.at == 4
    keys(lane, "-r")
    assert text(lane) == "/16 (L@ft> R K L@t2) - R L L"


def test_inserting_pushes_the_rest_along_and_bars_say_what_is_over():
    lane = start("/4 R L R L | R L R L |")
    lane.go(1)
    lane.inserting = True
    keys(lane, "k")
    assert text(lane) == "/4 R K L R L | R L R L |"
    fault = lane.pattern.faults[0]
    assert (fault.number, fault.missing) == (1, Fraction(-1, 4))
    assert lane.session.report.pattern is lane.pattern, "the analysis goes on"
    assert "bar 1 too long" in str(lane.session.error)
    lane.go(0)
    lane.delete()
    lane.go(4)
    lane.delete()
    assert lane.pattern.faults[0].missing == Fraction(1, 4)


def test_marks_go_to_the_stroke_just_typed_or_under_the_cursor():
    lane = keys(start(), "rl>")
    assert text(lane) == "R L>"
    lane.go(0)
    keys(lane, ".")
    assert text(lane) == "R. L>"
    keys(lane, ">")
    assert text(lane) == "R> L>"


def test_deleting_steps_takes_their_holds_and_empty_groups_along():
    lane = start("R = = (L R) K")
    lane.backspace()
    assert text(lane).strip() == "R = = (L R)"
    lane.go(0)
    lane.delete()
    assert text(lane).strip() == "(L R)"
    lane.select_all()
    lane.delete()
    assert lane.steps == 0 and not lane.session.error


def test_copy_paste_and_repeat_keep_grids():
    lane = start("/8t R L R /16 R. L K -")
    lane.go(0)
    lane.go(3, extend=True)
    assert lane.copy() == "/8t R L R"
    lane.repeat()
    assert [s.start for s in lane.pattern.strokes] == [Fraction(k, 12) for k in range(6)] + [
        Fraction(1, 2), Fraction(9, 16), Fraction(5, 8)
    ]  # fmt: skip
    assert lane.selection == (3, 6)
    lane.go(lane.steps)
    assert lane.paste("/8t R L R")
    assert text(lane).endswith("- /8t R L R")
    lane.go(0)
    assert lane.paste("K K")
    assert [s.start for s in lane.pattern.strokes][:3] == [0, Fraction(1, 16), Fraction(1, 8)]
    assert not lane.paste("R (") and "cannot be pasted" in lane.problem


def test_cut_and_paste_over_a_selection():
    lane = start("R L K K")
    lane.go(0)
    lane.go(2, extend=True)
    assert lane.cut() == "/16 R L" and text(lane).strip() == "K K"
    lane.select_all()
    lane.paste("H H H")
    assert text(lane).strip() == "H H H"


def test_a_selection_moves_by_a_step_and_by_a_beat():
    lane = start("/16 R> L K - (H H) | ".replace(" | ", ""))
    lane.go(0)
    lane.shift(1)
    assert text(lane) == "/16 L R> K - (H H)" and lane.at == 1
    lane.shift(-1)
    assert text(lane) == "/16 R> L K - (H H)"
    lane.shift(1, beat=True)
    assert text(lane) == "/16 L K - H (R> H)"


def test_a_grid_for_a_selection_only():
    lane = start("/16 R L R L R L")
    lane.go(1)
    lane.go(4, extend=True)
    keys(lane, "/16t ")
    assert text(lane) == "/16 R /16t L R L /16 R L"


def test_groups_are_bracketed_named_counted_and_opened_again():
    lane = start("R L R L R L")
    lane.go(0)
    lane.go(3, extend=True)
    assert group_words(lane) == "3 steps: fits 5 times in a bar, 1 step left over; on a beat again after 3 beats"
    group(lane, "low tide")
    assert text(lane) == '("low tide" R L R) L R L'
    lane.go(2)
    lane.go(5, extend=True)
    group(lane)
    assert "inside a group" in lane.problem and text(lane) == '("low tide" R L R) L R L'
    lane.go(1)
    ungroup(lane)
    assert text(lane) == "R L R L R L"


def test_a_bar_is_filled_with_a_group_and_a_tail():
    lane = start("R L K")
    lane.select_all()
    lane.fill_bar()
    assert lane.pattern.sticking == "R L K " * 5 + "R" and lane.pattern.bars == 1
    lane = start("R L K")
    lane.select_all()
    lane.fill_bar("R> - - -")
    assert lane.pattern.sticking == "R L K R L K R L K R L K R" and lane.pattern.bars == 1


@pytest.mark.parametrize(
    ("first", "typed", "words"),
    [("", ">", "no stroke here"), ("", "=", "nothing before it"), ("", "+", "type a stroke first"),
     ("R", "(", "select the steps"), ("R", "fk", "before a hand's stroke")],
)  # fmt: skip
def test_keys_that_make_no_sense_say_why_and_change_nothing(first, typed, words):
    lane = start(first)
    for char in typed:
        lane.type(char)
    assert words in lane.problem and text(lane) == first


def test_moving_by_beats():
    lane = start("/16 R L R L R L R L /8t K K K")
    lane.go(1)
    lane.move_beat(1)
    assert lane.at == 4
    lane.move_beat(1)
    assert lane.at == 8
    lane.move_beat(-1)
    assert lane.at == 4
    lane.move_beat(-1)
    assert lane.at == 0


def test_the_cursor_and_the_selected_stroke_go_together():
    lane = start("R+K L - R")
    lane.go(1)
    assert lane.session.stroke == 2
    lane.session.select_stroke(3)
    assert lane.at == 3


def test_another_plan_is_begun_where_it_is_looked_at():
    lane = start("R L R L")
    lane.go(3)
    lane.type("/")
    lane.session.plans.new_plan("Other", "K K")
    assert lane.at in (0, 1) and lane.pending == ""
    lane.session.plans.step_plan(1)
    assert lane.at == (lane.session.stroke or 0)


@given(st.text(alphabet="rlkjh?fdu+-=|/816t:@n>.xo^~() g", max_size=40), st.booleans())
def test_any_keys_leave_a_text_that_can_be_read(typed, inserting):
    lane = start("R L")
    lane.inserting = inserting
    for k, char in enumerate(typed):
        if char != "n":
            lane.type(char)
        if k % 7 == 3:
            lane.move(-2, extend=k % 2 == 0)
    lane.finish_pending()
    parse(text(lane), lenient=True)
    assert 0 <= lane.at <= lane.steps
    while lane.session.undo_label is not None and lane.session.undo_label != "Text":
        lane.session.undo()
    assert text(lane) == "R L"


@pytest.mark.parametrize(
    ("before", "step", "after"),
    [
        ("/8 R L R L R L R", 2, "meter 7/8 /8 R L R L R L R"),
        ("/4 R L R L | /8 R L R L R L R |", 5, "/4 R L R L | meter 7/8 /8 R L R L R L R |"),
        ("/4 R L R L /8 (R L) R L R L R", 4, "/4 R L R L | meter 7/8 /8 (R L) R L R L R"),
        ("meter 3/4 /4 R L R | L", 1, "meter 7/8 /4 R L R | L"),
        ("/4 R L R L | meter 3/4 R L R", 6, "/4 R L R L | meter 7/8 R L R"),
        ("/4 R L R L", 4, "/4 R L R L | meter 7/8"),
        ("/4 R L R L |", 4, "/4 R L R L | meter 7/8"),
    ],
)
def test_a_meter_by_keys_begins_with_the_bar_of_the_cursor(before, step, after):
    lane = start(before)
    lane.go(step)
    keys(lane, "m7/8")
    assert text(lane).split() == after.split() and not lane.problem
    lane.session.undo()
    assert text(lane) == before


def test_a_meter_within_a_bar_says_where_it_can_be():
    lane = start("/4 R L")
    keys(lane, "m3/4")
    assert "finish this one" in lane.problem and text(lane) == "/4 R L"
    lane = start("/4 R L R L")
    keys(lane, "m9/9")
    assert lane.problem and text(lane) == "/4 R L R L"


@pytest.mark.parametrize(
    ("written", "typed", "stands"),
    [
        ("R+K L", "l", "L+K L"),
        ("R@hh+K L", "r", "R@hh+K L"),
        ("R+L R", "r", "R R"),
        ("R@ft>+H L", "l", "L@ft>+H L"),
        ("R+K L", "h", "R+H L"),
        ("L. R", "r", "R R"),
        ("L. R", "l", "L. R"),
        ("R' L", "l", "L L"),
        ("fR@t1> L", "l", "fL@t1> L"),
        ("R@ft> L", "k", "K> L"),
        ("K L", "r", "R L"),
        ("R+L R", "k", "K R"),
    ],
)
def test_typing_over_strokes_keeps_what_was_not_typed_and_drops_the_old_ones_ghost(written, typed, stands):
    session = Session()
    session.strokes.set_text(written, "Text", None)
    lane = Lane(session)
    lane.go(0)
    keys(lane, typed)
    assert session.text == stands
