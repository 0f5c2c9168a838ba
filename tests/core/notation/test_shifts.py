"""Late and early on purpose: heard and judged where it is meant, while what it asks of the hand stays."""

import io
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.document import new_document
from deft_reach.core.model.elements import shift_words
from deft_reach.core.notation.stroke_text import StrokeTextError, write
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.core.practice.take import check_take
from deft_reach.core.session import Session
from deft_reach.formats.general_midi import kit_keys, pattern_keys
from deft_reach.formats.midi import dump_midi, load_midi
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.patterns import load_pattern
from deft_reach.formats.strokes_csv import dump_strokes
from deft_reach.sound.playback import Playback
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()
BACKBEAT = "/8 R@hh+K R@hh R@hh+L>_25 R@hh R@hh+K R@hh R@hh+L>_25 R@hh |"


def plain(text):
    return re.sub(r"[_*]\d*", "", text)


@pytest.mark.parametrize(
    ("text", "shifts"),
    [
        ("R_ L*", [15, -15]),
        ("R_25 L*8@t1 R@t1>_", [25, -8, 15]),
        ("(R L*5)_20 R", [20, -5, 0]),
        ("(R L)* K", [-15, -15, 0]),
        ("fR_ R_5L*5", [15, 5, -5]),
    ],
)
def test_strokes_and_groups_are_moved_by_15_ms_or_as_many_as_said(text, shifts):
    pattern = parse(text)
    assert [stroke.shift for stroke in pattern.strokes] == shifts
    assert [s.start for s in pattern.strokes] == [s.start for s in parse(plain(text)).strokes]
    assert parse(write(pattern.elements)) == pattern
    assert shift_words(25) == "laid back by 25 ms" and shift_words(-8) == "pushed by 8 ms"


@pytest.mark.parametrize(
    ("text", "column", "words"),
    [
        ("R_*", 3, "a second '*'"), ("R__", 3, "a second '_'"), ("R_200", 2, "laid back by 1 to 80 ms"),
        ("R*0", 2, "pushed by 1 to 80 ms"), ("f[t1_]R", 5, "graces go with it"), ("-_", 2, "expected a stroke"),
        ("(R L)_99", 6, "laid back by 1 to 80 ms"),
    ],
)  # fmt: skip
def test_what_cannot_be_moved_says_so_at_its_place(text, column, words):
    with pytest.raises(StrokeTextError) as caught:
        parse(text)
    assert caught.value.column == column and words in str(caught.value)


@settings(max_examples=60, deadline=None)
@given(texts(), st.integers(60, 200))
def test_gaps_limits_costs_and_findings_stay_those_of_the_written_places(text, tempo):
    moved, written = (analyse(parse(t), FIVE, PLAYER, tempo) for t in (text, plain(text)))
    assert moved.summary == written.summary
    assert [s.gap for s in moved.strokes] == [s.gap for s in written.strokes]
    assert [s.tempo_limit for s in moved.strokes] == [s.tempo_limit for s in written.strokes]
    said = [[(f.kind, f.strokes, f.severity, str(f.message)) for f in r.findings] for r in (moved, written)]
    assert said[0] == said[1]


def test_it_is_heard_where_it_is_meant():
    pattern = parse("/8 R L_30 R*20 L")
    hits = Playback(pattern, FIVE, 120.0, count_in=False, click=False).hits
    assert [round(hit.time, 4) for hit in hits] == [0.0, 0.28, 0.48, 0.75]


def test_midi_carries_it_both_ways_and_a_foreign_file_is_never_read_so():
    pattern = parse(BACKBEAT)
    data = dump_midi(pattern, FIVE, 100.0)
    assert load_midi(data, FIVE).text.strip().endswith(BACKBEAT.strip())
    file = open_midi(data)
    tick, times = 0, []
    for message in file.tracks[1]:
        tick += message.time
        if message.type == "note_on" and message.velocity and message.note == 38:
            times.append(tick / file.ticks_per_beat * 0.6)
    assert times == pytest.approx([0.6 + 0.025, 1.8 + 0.025], abs=0.001)
    # Without our own text: the events beside the notes say it, and where the grid was.
    for track in file.tracks:
        track[:] = [m for m in track if not (m.type == "text" and m.text.startswith("deft-reach"))]
    out = io.BytesIO()
    file.save(file=out)
    again = parse(load_midi(out.getvalue(), FIVE).text)
    assert [(s.start, s.voice, s.shift) for s in again.strokes] == [
        (s.start, s.voice, s.shift) for s in pattern.strokes
    ]
    for track in file.tracks:
        track[:] = [m for m in track if m.type != "text"]
    out = io.BytesIO()
    file.save(file=out)
    assert all(s.shift == 0 for s in parse(load_midi(out.getvalue(), FIVE).text).strokes)


def test_a_table_keeps_it_without_the_text_beside_it():
    pattern = parse("/8 R_ L>*25 (R L)_10")
    rows = dump_strokes(pattern).decode().splitlines()
    bare = "\n".join(",".join(row.split(",")[:10]) for row in rows).encode()
    read = parse(load_pattern(bare, ".csv", FIVE).text)
    assert [s.shift for s in read.strokes] == [15, -25, 10, 10] and read.strokes[1].marks == ">"


def checked(written, played_as, seed):
    """What a check says of a take of one text held against another."""
    other = parse(played_as)
    take = simulate(other, pattern_keys(FIVE, other)[0], 100.0, Faults(jitter=0.006, seed=seed), 8)
    pattern = parse(written)
    keys, graces = pattern_keys(FIVE, pattern)
    return check_take(pattern, keys, take.hits, 100.0, FIVE, repeat=True, kit_keys=kit_keys(FIVE), grace_keys=graces)


KICKS = "/8 R@hh+K_20 R@hh R@hh+L R@hh R@hh+K_20 R@hh R@hh+L R@hh |"
GROUPS = "/16 (R L R L)_30 R L R L (R L R L)*30 R L R L |"


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("text", [BACKBEAT, GROUPS, KICKS])
def test_a_take_is_judged_against_where_it_is_meant(text, seed):
    assert checked(text, text, seed).verdict == "clean"
    assert checked(text, plain(text), seed).verdict != "clean", "on the grid it is not what was meant"


def test_a_laid_back_backbeat_on_time_is_told_early():
    found = checked(BACKBEAT, plain(BACKBEAT), 1)
    assert any("left hand" in line and ("early" in line or "apart" in line) for line in found.advice)


def test_the_lane_types_it_and_takes_it_off_again():
    session = Session(new_document())
    session.strokes.set_text("/8 R L R L", "Text", None)
    session.strokes.toggle_shift(1, "_")
    assert session.text == "/8 R L_ R L"
    session.strokes.toggle_shift(1, "*")
    assert session.text == "/8 R L* R L"
    session.strokes.toggle_shift(1, "*")
    assert session.text == "/8 R L R L"
    session.undo()
    assert session.text == "/8 R L* R L"
    assert np.isclose(session.pattern().shifts[1], -0.015)
