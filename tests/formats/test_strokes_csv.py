"""The table of strokes, out and in."""

import csv
import io

import pytest
from hypothesis import example, given

from deft_reach.core import parse
from deft_reach.core.notation.swing import straight
from deft_reach.formats.reading import DocumentError
from deft_reach.formats.strokes_csv import dump_strokes, load_strokes
from tests.formats.test_midi import FIGURE
from tests.strategies import texts


def rows(pattern):
    return [(s.start, s.limb, s.voice, "".join(sorted(s.marks)), s.grace) for s in pattern.strokes]


@given(texts())
@example("swing 66 /8 /16 - K /8t -")
def test_strokes_come_back(text):
    pattern = parse(text)
    written = straight(pattern)
    if pattern.strokes and all((s.start * 4 % 1).denominator <= 64 for s in written.strokes):
        again = parse(load_strokes(dump_strokes(pattern)).text)
        # A table has no rests, and so not the triplet rest that keeps a pair from swinging: places are as written.
        assert rows(straight(again)) == rows(written) and again.swing == pattern.swing


def test_bars_and_lengths_come_back():
    pattern = parse("meter 3/4\n" + "/8 R = L R+K - H |" + "/4 R L R |")
    again = parse(load_strokes(dump_strokes(pattern)).text)
    assert [(s.start, s.length, s.bar) for s in again.strokes] == [
        (s.start, s.length, s.bar) for s in pattern.strokes
    ]
    assert again.meter == (3, 4)


def test_only_start_and_limb_are_needed():
    found = parse(load_strokes(b"limb,start\nR,0\nL,1/8\nK,1/4\n").text)
    assert [(s.start * 8, s.limb, s.voice) for s in found.strokes] == [(0, "R", "sn"), (1, "L", "sn"), (2, "K", "bd")]


def test_marks_that_look_like_a_formula_are_quoted():
    for text in (FIGURE, "- R L", "R=L'"):
        cells = [cell for row in csv.reader(io.StringIO(dump_strokes(parse(text)).decode())) for cell in row]
        assert not [cell for cell in cells if cell[:1] in tuple("=+-@")]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "the heading lacks start and limb"),
        (b"start\n", "lacks limb"),
        (b"start,limb\n0\n", "line 2, column 1: 1 values; expected 2"),
        (b"start,limb\nx,R\n", "line 2: start is 'x'"),
        (b"start,limb\n1/0,R\n", "line 2: start is '1/0'"),
        (b"start,limb\n-1,R\n", "line 2: start is -1; expected 0 to 1000"),
        (b"start,limb\n0,Q\n", "line 2: limb is 'Q'; expected one of"),
        (b"start,limb,marks\n0,R,!\n", "line 2: marks are '!'"),
        (b"start,limb,grace\n0,K,f\n", "line 2: this is no stroke"),
        (b"start,limb,voice\n0,R,UP\n", "line 2: this is no stroke"),
        (b"start,limb\n0,\xff\n", "not UTF-8"),
    ],
)
def test_a_table_that_cannot_be_read_says_where(data, words):
    with pytest.raises(DocumentError, match=words):
        load_strokes(data)


def test_a_voice_that_would_be_two_strokes_is_refused():
    with pytest.raises(DocumentError, match=r"voice is 'rdR'; expected one such as sn, hh or rd:bell"):
        load_strokes(b"limb,start,voice\nR,0,rdR\n")
    assert load_strokes(b"limb,start,voice\nR,0,rd\n").text.endswith("R@rd")
