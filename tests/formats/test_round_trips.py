"""Formats and what they carry: the table of docs/file-formats.md, row by row, for random patterns."""

import re
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_reach.core import layout, parse
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.notation.swing import straight
from deft_reach.formats.patterns import dump_pattern, load_pattern, lost_in
from tests.strategies import texts

KIT = layout("five")
FORMATS = (".txt", ".mid", ".musicxml", ".csv")
CARRIED = {
    "limbs, voices, marks and graces": FORMATS,
    "tuplets, mixed ones too": FORMATS,
    "meter, its changes and a pickup": FORMATS,
    "swing": FORMATS,
    "groups, remarks and spacing": FORMATS,
    "two strokes of one limb at a moment": FORMATS,
    "tempo": FORMATS,
    "loop": (".mid", ".musicxml", ".csv"),
    "rests alone": (".txt", ".mid", ".musicxml"),
}
#: Patterns that were lost on the way, and what else a row of the table stands for.
KNOWN = (
    "/5:4/16 R L /7:4/16 R L R L R L R /5:4/16 R L R |",
    "/5:4/8 R L R L R /7:4/8 R L R L R L R |",
    "/16 R+R L+L K |",
    "/16 R@t1+R@t2 - L",
    "meter 3/4 /8 R L | R L R L R L | meter 5/8 R L R L R |",
    "swing 66 /8 /8 R L R L R L R L |",
    '# the boom\n("first" R  L)   (K d[t1.]L>) /8t R = L |',
    "/16 - - R R",
    "tempo 97.5 R L'@ft R,@hh",
)


def came_back(text, suffix, tempo=None, repeat=False):
    pattern = parse(text)
    return load_pattern(dump_pattern(pattern, suffix, KIT, tempo, repeat=repeat), suffix, KIT)


def strokes(pattern):
    return [
        (s.start, s.limb, s.voice, "".join(sorted(s.marks)), s.grace_text, s.length)
        for s in straight(pattern).strokes
    ]


@pytest.mark.parametrize("suffix", FORMATS)
@given(texts(), st.integers(200, 4000).map(lambda tenths: tenths / 10), st.booleans())
@settings(max_examples=60)
@example(KNOWN[0], 132.0, True)
@example(KNOWN[1], 132.0, True)
@example(KNOWN[2], 132.0, True)
@example(KNOWN[3], 132.0, True)
@example(KNOWN[4], 132.0, True)
@example(KNOWN[5], 132.0, True)
@example(KNOWN[6], 132.0, True)
@example(KNOWN[7], 132.0, True)
@example(KNOWN[8], 132.0, True)
def test_what_is_written_comes_back(suffix, text, tempo, repeat):
    pattern = parse(text)
    if suffix == ".csv" and not pattern.strokes:
        return
    found = came_back(text, suffix, tempo, repeat)
    again = parse(found.text)
    assert (again.tempo or found.tempo) == pytest.approx(tempo, abs=0.01)
    assert strokes(again) == strokes(pattern) and again.swing == pattern.swing
    assert [bar.meter for bar in again.bar_rows] == [bar.meter for bar in pattern.bar_rows]
    assert not found.remarks
    if pattern.tempo is None and suffix != ".txt":
        assert found.text == text, "to the letter"
    assert found.repeat == (repeat and suffix != ".txt")
    assert bool(lost_in(suffix, pattern, repeat)) == (repeat and suffix == ".txt")


@pytest.mark.parametrize("suffix", [".mid", ".musicxml", ".csv"])
def test_a_tempo_that_was_changed_elsewhere_is_the_tempo(suffix):
    """The text in the file has another one."""
    found = came_back("tempo 90 R L R L", suffix, 132.0)
    assert parse(found.text).tempo == 132.0 and parse(found.text).sticking == "R L R L"


@pytest.mark.parametrize("suffix", [".txt", ".mid", ".musicxml"])
def test_rests_alone_come_back(suffix):
    assert came_back("/8 - - - - |\n", suffix).text == "/8 - - - - |\n"
    assert lost_in(".csv", parse("- -"), False) == ("a table of strokes holds nothing of a pattern without any",)


@pytest.mark.parametrize("suffix", [".MID", ".MusicXML", ".CSV", ".TXT", ".XML", ".Midi"])
def test_endings_in_capitals_mean_the_same(suffix):
    assert parse(came_back("R L K", suffix, 90.0).text).sticking == "R L K"


def test_a_table_that_was_edited_says_what_had_to_be_moved():
    table = dump_pattern(parse("/16 R L R L"), ".csv", KIT, 90.0).decode()
    moved = table.replace(",1/16,1/16,", ",101/1601,1/16,", 1)
    found = load_pattern(moved.encode(), ".csv", KIT)
    assert "1 place lies on no grid that can be written" in found.remarks[0]
    assert found.tempo == 90 and parse(found.text).sticking == "R L R L"


def test_bars_that_nobody_closed_survive_a_score_without_our_text():
    text = "/8 R /4 L R L R"
    data = dump_pattern(parse(text), ".musicxml", KIT, 90.0).replace(b"deft-reach-checksum", b"x")
    assert [s.start for s in parse(load_pattern(data, ".musicxml", KIT).text).strokes] == [
        s.start for s in parse(text).strokes
    ]


def test_the_table_of_the_documentation_is_this_one():
    lines = Path("docs/file-formats.md").read_text().splitlines()
    tables = [line.strip("|").split("|") for line in lines if re.match(r"\|.*\|.*\|.*\|", line)]
    rows = [[cell.strip() for cell in cells] for cells in tables]
    heading = next(row for row in rows if row[1:] == [f"`{suffix}`" for suffix in (".reach", *FORMATS, ".wav")])
    listed = {row[0]: row[1:] for row in rows[rows.index(heading) + 2 :] if row[0] in CARRIED}
    assert set(listed) == set(CARRIED)
    for what, marks in listed.items():
        carried = {suffix for suffix, mark in zip((".reach", *FORMATS), marks) if mark == "yes"}
        assert carried == {".reach", *CARRIED[what]}, what


def test_every_known_pattern_can_be_read():
    for text in KNOWN:
        try:
            parse(text)
        except StrokeTextError as error:
            pytest.fail(f"{text}: {error}")
