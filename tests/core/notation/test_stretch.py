"""A stretch of a pattern cut out, changed and put back: what is outside it never changes."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import Player, layout, parse
from deft_reach.core.document import read_unfinished
from deft_reach.core.notation.stretch import cut_out, put_back
from deft_reach.core.search.variations import SORTS, variations
from deft_reach.core.search.voicing import VoicingError, find_voicings
from tests.strategies import texts


def strokes(pattern):
    return [(s.start, s.limb, s.voice, s.marks, s.grace_text) for s in pattern.strokes]


@given(texts(max_steps=10), st.data())
def test_what_is_cut_out_and_put_back_is_the_same(text, data):
    pattern = read_unfinished(text, layout("five"))
    if not pattern.moments:
        return
    low = data.draw(st.integers(0, len(pattern.moments) - 1))
    high = data.draw(st.integers(low + 1, len(pattern.moments)))
    piece = cut_out(pattern, low, high)
    again = read_unfinished(put_back(pattern, low, high, piece), layout("five"))
    assert strokes(again) == strokes(pattern)
    inside = [k for m in pattern.moments[low:high] for k in m.strokes]
    alone = read_unfinished(piece, layout("five"))
    assert [s.limb for s in alone.strokes] == [pattern.strokes[k].limb for k in inside]


@pytest.mark.parametrize(
    ("low", "high", "wanted"),
    [
        (0, 2, "/16 R L"),
        (2, 5, "/16 (R L) | /8 R"),  # the second group is cut in two: it is none
        (4, 6, "/8 (R L)"),
    ],
)
def test_grid_bar_lines_and_whole_groups_come_along(low, high, wanted):
    assert cut_out(parse("meter 1/4 /16 R L (R L) | /8 (R L) |"), low, high) in (wanted, f"meter 1/4 {wanted}")


def test_what_follows_keeps_its_grid():
    pattern = parse("/16 R L R L R L R L")
    assert parse(put_back(pattern, 0, 4, "/8 R L")).length == pattern.length
    assert put_back(pattern, 0, 4, "/8 R L").endswith("/16 R L R L")


BAR = "/16 (R L R R) (L R L L) (R@t1 L@t1 R@t1 L@t1) R@ft L@ft R@ft K |"


@pytest.mark.parametrize("sort", SORTS)
def test_only_the_chosen_stretch_is_varied(sort):
    seed = parse(BAR)
    found = list(variations(seed, layout("five"), Player(), 90, sorts=[sort], stretch=(4, 8)))
    for variation in found:
        assert variation.sort == sort
        new = parse(variation.text)
        outside = [row for row in strokes(new) if not 1 / 4 <= row[0] < 1 / 2]
        assert outside == [row for row in strokes(seed) if not 1 / 4 <= row[0] < 1 / 2], variation.name
        assert new.length == seed.length and strokes(new) != strokes(seed)
    assert found or sort in ("feet", "grid"), "there are no feet there, and grids change the length"


def test_only_the_sorts_that_are_wanted():
    assert {v.sort for v in variations(parse(BAR), layout("five"), Player(), 90, sorts=["hands", "feet"])} == {
        "hands", "feet",
    }  # fmt: skip


@pytest.mark.parametrize("contour", ["free", "down", "pairs", "home"])
def test_a_voicing_of_chosen_strokes_leaves_the_others_where_they_are(contour):
    seed = parse(BAR)
    only = range(8)
    found = find_voicings(seed, layout("five"), Player(), 90, ["t1", "ft"], contour=contour, best=4, only=only)
    for row in found.best:
        assert row.voices[8:] == tuple(s.voice for s in seed.strokes[8:])
        assert set(row.voices[:8]) <= {"t1", "ft"}
    if contour == "down":
        first = found.best[0].voices[:8]
        assert first[0] == "t1" and first[-1] == "ft", "the whole way lies in what was chosen"


def test_nothing_chosen_for_the_hands_is_refused():
    with pytest.raises(VoicingError, match="no hand strokes"):
        find_voicings(parse(BAR), layout("five"), Player(), 90, ["t1"], only=[15])
