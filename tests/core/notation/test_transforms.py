"""Changes of whole patterns, and the shelf of cells."""

from fractions import Fraction

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.notation.cells import Cell, find_cells, in_place_of, shelf
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.core.notation.swing import straight
from deft_reach.core.notation.transform_tools import TransformError
from deft_reach.core.notation.transforms import TRANSFORMS, feet_under, ostinato, rotate
from tests.strategies import texts

FIGURE = "/16 (R> L. K R@t2) # low tide\n(L@t1 K R. L) |".replace(" |", "")


def change(name: str, text: str):
    return TRANSFORMS[name][1](parse(text))


@pytest.mark.parametrize(
    ("name", "before", "after"),
    [
        ("rotate", "R L K -", "L K - R"),
        ("displace", "R L K -", "- R L K"),
        ("reverse", "R> L = (K R@t1)", "R@t1 K (L = R>)"),
        ("exchange-hands", "fR>@x L. K ?".replace("@x", ""), "fL> R. K ?"),
        ("exchange-feet", "R K H+R K", "R H K+R H"),
        ("exchange-feet", "R K J H", "R J K H"),
        ("feet-first", "R L K K R L", "K K R L R L"),
        ("on-8t", "/16 R L R L | R", "/8t R L R L R"),
        ("on-5", "# a\nR L", "# a\n/5:4/16 R L"),
        ("faster", "R L /8 R", "/32 R L /16 R"),
        ("slower", "/16t R L | R", "/8t R L R"),
        ("without-ghosts", "R L. K+L. R", "R - K R"),
        ("accents-only", "R> L K R", "R> - K -"),
        ("every-other", "R> L R L R K", "R> L - L - K"),
        ("hat-quarters", "R L R L K - - -", "R+H L R L K+H - - -"),
        ("hat-off-beats", "R L R L", "R L R+H L"),
        ("hat-eighths", "/8 R = - L", "/8 R+H H H L+H"),
        ("kick-quarters", "/4 R+K L", "/4 R+K L+K"),
    ],
)
def test_each_change_does_what_it_is_called(name, before, after):
    assert change(name, before).text == after


def test_the_tempo_that_keeps_the_speed():
    """Thirty-seconds at half the tempo are as fast as sixteenths (arithmetic)."""
    found = change("faster", "R L R L")
    assert found.tempo == 0.5
    assert parse(found.text).strokes[1].start / Fraction(found.tempo) == parse("R L").strokes[1].start


def test_remarks_groups_and_bar_lines_stay():
    found = change("exchange-hands", FIGURE).text
    assert found == "/16 (L> R. K L@t2) # low tide\n(R@t1 K L. R)"


@given(texts())
def test_undoing_changes_give_the_strokes_back(text):
    pattern = parse(text)
    if len(pattern.moments) > 1:
        for name in ("reverse", "exchange-hands"):
            again = TRANSFORMS[name][1](parse(change(name, text).text, lenient=True))
            assert again.text == text
        assert rotate(parse(rotate(pattern, 2).text, lenient=True), -2).text == text


@given(texts(), st.sampled_from(sorted(TRANSFORMS)))
def test_every_change_leaves_text_that_can_be_read_or_says_why_not(text, name):
    try:
        found = change(name, text)
    except TransformError as error:
        assert str(error)
    else:
        parse(found.text, lenient=True)


def test_an_ostinato_says_what_falls_between_the_steps():
    found = ostinato(parse("/4t R L R /4 R R"), "H", Fraction(1, 4))
    assert found.text == "/4t R+H L R /4 R+H R+H" and found.remark == "1 of 4 fall between steps and are left out"
    with pytest.raises(TransformError, match="between steps"):
        ostinato(parse("/4 R L"), "H", Fraction(1, 4), Fraction(1, 8))


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("rotate", "R", "not enough steps"), ("exchange-feet", "R L", "no foot strokes"),
        ("feet-first", "R L", "none to begin with"), ("faster", "/32 R", "cannot be written twice as fast"),
        ("slower", "/4 R", "half as fast"), ("without-ghosts", "R", "no ghost"), ("hat-quarters", "", "nothing to"),
    ],
)  # fmt: skip
def test_what_cannot_be_changed_says_why(name, text, words):
    with pytest.raises(TransformError, match=words):
        change(name, text)


def test_the_shelf_has_the_rudiments_and_the_linear_figures():
    names = {cell.name for cell in shelf()}
    assert {r.name for r in RUDIMENTS} <= names and {"R L K", "L R K", "R L R R L K", "R L K J"} <= names
    for cell in shelf():
        assert cell.pattern.strokes
        if cell.family == "hands and foot":
            assert all(len(m.strokes) == 1 for m in cell.pattern.moments), "one limb at a time"


@pytest.mark.parametrize(
    ("above", "below", "wanted"),
    [
        ("/8 R@hh L R@hh L |", "/4 K K |", "/8 R@hh+K L R@hh+K L |"),
        ("/8 R@hh+K L R@hh+K L", "/8 - K - K", "/8 R@hh L+K R@hh L+K"),
        ("/8 R L R L", "/16 K - - K", "/8 R+K /16 L K /8 R+K /16 L K /8"),
        ("/4 R - R =", "/8 - K", "/8 R K /8 - K /8 R K /8 = K /4"),
        ("/4 R L", "/8t K - K", "/8t R+K = K /8t L+K = K /4"),
        ("R@c1 | /4 R L R L |", "/4 K - K - |", "R@c1 | /4 R+K L R+K L |"),
        ("/4 R+K+H L+H", "/4 - K", "/4 R+H L+H+K"),
    ],
)
def test_the_feet_of_another_plan_go_under_it(above, below, wanted):
    assert feet_under(parse(above), parse(below)).text == wanted


@given(texts(), texts())
@example("swing 66 /8 /8 R R", "/8t R K")
def test_feet_under_are_the_other_ones_feet_and_the_hands_stay(above, below):
    top, bottom = parse(above), parse(below)
    try:
        changed = feet_under(top, bottom)
    except TransformError:
        return
    new = parse(changed.text)

    def hands(pattern):
        # As written: a pair with a triplet in it does not swing, whoever plays the triplet.
        return [(s.start, s.limb, s.voice, s.marks, s.grace) for s in straight(pattern).strokes if s.limb in "RL"]

    assert hands(new) == hands(top) and new.length == top.length
    theirs = {(s.start % bottom.length, s.limb, s.voice) for s in straight(bottom).strokes if s.limb in "KJH"}
    kicks = {(s.start % bottom.length, s.limb, s.voice) for s in straight(new).strokes if s.limb == "K"}
    assert kicks <= theirs
    if not changed.remark:
        wanted = sum(
            time < top.length
            for s in straight(bottom).strokes
            if s.limb == "K"
            for time in (s.start + n * bottom.length for n in range(int(top.length / bottom.length) + 1))
        )
        assert sum(s.limb == "K" for s in new.strokes) == wanted


def test_each_group_begins_with_the_feet():
    change = TRANSFORMS["feet-first-by-groups"][1]
    assert change(parse("(R L K) (R K K L) (R L)")).text == "(K R L) (K K L R) (R L)"
    for text, words in (("R L K", "no groups"), ("(R L) (K R)", "in no group")):
        with pytest.raises(TransformError, match=words):
            change(parse(text))


def test_bass_pedals_are_exchanged():
    change = TRANSFORMS["exchange-pedals"][1]
    assert change(parse("R L K> J H")).text == "R L J> K H"
    with pytest.raises(TransformError, match="no bass drum strokes"):
        change(parse("R H"))


@pytest.mark.parametrize(
    ("before", "cell", "after"),
    [
        ("R@t1> L@t1 R@t2 L@ft", "R L L R", "R@t1> L@t1 L@t2 R@ft"),
        ("R@t1> L@t1 R@t2 L@ft", "R L R K", "R@t1> L@t1 R@t2 K"),
        ("R@hh L. R@hh L>", "R R L L", "R@hh R. L@hh L>"),
        ("R@hh+K L R@hh L", "R L L R", "R@hh+K L L@hh R"),
        ("K K R@t1 L@t2", "R L R> L", "R L R@t1> L@t2"),
        ("R@ft> L R L", "/8t R L R", "/8t R@ft> L R"),
    ],
)
def test_a_cell_takes_over_voices_and_accents(before, cell, after):
    pattern, new = parse(before), parse(cell)
    assert in_place_of(Cell("", "", new.text), pattern, 0, 4) == after


def test_the_sixes_of_singles_and_doubles_are_there():
    names = {cell.name for cell in shelf()}
    assert {"R L R R L L", "R L L R R L"} <= names


def test_cells_are_found_by_length_ends_and_feet():
    found = find_cells(family="hands and foot", steps=4)
    assert found and {cell.steps for cell in found} == {4}
    first_others = [cell.hands_over_to_right for cell in found]
    assert first_others == sorted(first_others, reverse=True), "those that hand over to the right come first"
    assert {cell.starts_on for cell in find_cells(starts_on="K")} == {"K"}
    assert {cell.ends_on for cell in find_cells(ends_on="L")} == {"L"}
    assert {(c.count("K"), c.count("R")) for c in find_cells(counts={"K": 2, "R": 1})} == {(2, 1)}
