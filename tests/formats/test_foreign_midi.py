"""MIDI files of others: what their keys, times and loudness mean, on files whose answer is known beforehand."""

import io
import os
from fractions import Fraction
from pathlib import Path

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import layout, parse
from deft_reach.core.document import read_unfinished
from deft_reach.formats.midi import load_midi
from deft_reach.formats.reading import DocumentError
from tests.formats.test_midi import foreign

FIVE = layout("five")
#: A bar of sixteenths on the hi-hat with backbeats (beats, key), eight times.
BARS = [(bar * 4 + k / 4, 42) for bar in range(8) for k in range(16)]
BEATS = [(bar * 4 + k, 36 if k % 2 == 0 else 38) for bar in range(8) for k in range(4)]


def starts(found):
    return sorted({float(s.start * 4) for s in parse(found.text).strokes})


@pytest.mark.parametrize("late", [-0.02, 0.015, 0.03])
def test_what_is_late_throughout_is_taken_out_and_said(late):
    rows = [(beat + 1 + late * 2, key, 90) for beat, key in BARS + BEATS]
    found = load_midi(foreign([(max(0, b), k, v) for b, k, v in rows]), FIVE)
    assert starts(found)[:4] == [1, 1.25, 1.5, 1.75]
    way = "late" if late > 0 else "early"
    assert any(f"everything was {abs(late) * 1000:.0f} ms {way}" in remark for remark in found.remarks)


@pytest.mark.parametrize(("percent", "value"), [(66.7, 8), (60, 8), (62, 16), (57, 16)])
def test_swing_is_recognised_and_written_straight(percent, value):
    pair = 8 / value
    swung = [
        (k * pair + (pair * percent / 100 if half else 0), 42, 80) for k in range(int(32 / pair)) for half in (0, 1)
    ]
    found = load_midi(foreign(swung + [(b, k, 100) for b, k in BEATS]), FIVE)
    pattern = parse(found.text)
    assert pattern.swing is not None and pattern.swing.value == value
    assert pattern.swing.percent == pytest.approx(percent, abs=0.6)
    played = sorted({float(s.start * 4) for s in pattern.strokes})
    wanted = sorted({beat for beat, _, _ in swung})
    assert played == pytest.approx(wanted, abs=0.01), "and it still sounds where it did"
    assert f"swing {round(percent)} /{value}" in " ".join(found.remarks)


def test_real_triplets_are_no_swing():
    found = load_midi(foreign([(k / 3, 42, 80) for k in range(48)] + [(b, k, 100) for b, k in BEATS]), FIVE)
    assert parse(found.text).swing is None and len(starts(found)) >= 48


def test_accents_and_ghosts_go_by_the_files_own_loudness():
    hats = [(beat, key, 110 if beat % 0.5 == 0.25 else 100) for beat, key in BARS]
    loud = load_midi(foreign(hats + [(b, k, 125) for b, k in BEATS]), FIVE)
    marks = [s.marks for s in parse(loud.text).strokes]
    assert ">" not in "".join(marks), "what is loud throughout is not accented"
    soft = [(b, k, 60) for b, k in BEATS] + [(bar * 4 + 1.75, 38, 18) for bar in range(8)]
    accented = [(beat, key, 75 if beat % 1 == 0 else 50) for beat, key in BARS]
    found = parse(load_midi(foreign(accented + soft), FIVE).text)
    hat = {float(s.start * 4) % 1: s.marks for s in found.strokes if s.voice == "hh"}
    assert hat == {0.0: ">", 0.25: "", 0.5: "", 0.75: ""}
    snare = {float(s.start * 4) % 4: s.marks for s in found.strokes if s.voice == "sn"}
    assert snare == {1.0: "", 1.75: ".", 3.0: ""}


def test_very_close_strokes_are_flams_and_drags_and_rolls_are_neither():
    # At 120 a beat has 500 ms: a grace 25 ms before, two graces 50 and 25 ms before, thirty-seconds in a row.
    flam = load_midi(foreign([(0.95, 38, 90), (1, 38, 100), (2, 38, 100)]), FIVE)
    assert [(float(s.start * 4), s.grace) for s in parse(flam.text).strokes] == [(1, "f"), (2, "")]
    drag = load_midi(foreign([(0.9, 38, 60), (0.95, 38, 60), (1, 38, 100), (2, 38, 100)]), FIVE)
    assert [(float(s.start * 4), s.grace) for s in parse(drag.text).strokes] == [(1, "d"), (2, "")]
    roll = load_midi(foreign([(k / 16, 38, 90) for k in range(32)]), FIVE)
    assert len(parse(roll.text).strokes) == 32


def test_key_40_is_the_snare_unless_both_are_there():
    alone = load_midi(foreign([(k, 40, 90) for k in range(4)]), FIVE)
    both = load_midi(foreign([(k, 40 if k % 2 else 38, 90) for k in range(4)]), FIVE)
    assert {(s.voice, s.marks) for s in parse(alone.text).strokes} == {("sn", "")}
    assert {(s.voice, s.marks) for s in parse(both.text).strokes} == {("sn", ""), ("sn", "^")}


def test_hi_hat_edges_and_three_sounds_at_once():
    found = load_midi(foreign([(0, 22, 90), (1, 26, 90), (2, 42, 90), (2, 38, 90), (2, 49, 90), (2, 36, 90)]), FIVE)
    strokes = parse(found.text).strokes
    assert [(s.voice, s.marks) for s in strokes][:2] == [("hh:edge", ""), ("hh:edge", "o")]
    assert sum(s.limb == "?" for s in strokes if s.start == Fraction(1, 2)) == 3
    assert any("first in bar 1 on 3: sn, hh, c1" in remark for remark in found.remarks)


def test_drums_elsewhere_are_found_by_name_or_by_keys_and_melody_is_refused():
    def file(name, keys, channel=2):
        out = mido.MidiFile(type=1, ticks_per_beat=480)
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
        for k in range(16):
            track.append(mido.Message("note_on", channel=channel, note=keys[k % len(keys)], velocity=90, time=240))
        out.tracks.append(track)
        data = io.BytesIO()
        out.save(file=data)
        return data.getvalue()

    assert load_midi(file("Drumset", [36, 60]), FIVE).tracks[0] == ("Drumset", 16)
    assert load_midi(file("The Kit", [36, 60]), FIVE).tracks[0] == ("The Kit", 16)
    assert load_midi(file("Track", [36, 42, 38, 42]), FIVE).tracks[0][1] == 16
    with pytest.raises(DocumentError, match=r"no drum notes: what it holds \(“Piano”\) is melody"):
        load_midi(file("Piano", [60, 64, 67]), FIVE)
    for name, keys in (("Bass", [36, 38, 40, 41, 43]), ("Kitchen piano", [36, 60])):
        with pytest.raises(DocumentError, match="melody"):
            load_midi(file(name, keys), FIVE)


def test_the_tempo_that_holds_longest_is_taken_and_changes_are_said():
    data = mido.MidiFile(file=io.BytesIO(foreign([(b, k, 90) for b, k in BEATS])))
    data.tracks[0].append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(90), time=480 * 8))
    out = io.BytesIO()
    data.save(file=out)
    found = load_midi(out.getvalue(), FIVE)
    assert found.tempo == pytest.approx(90, abs=0.01) and "from 90 to 120 BPM" in found.remarks[0]


def test_strokes_moved_further_than_five_milliseconds_are_said():
    odd = [(beat + (0.03 if k % 7 == 3 else 0), key, 90) for k, (beat, key) in enumerate(BARS)]
    found = load_midi(foreign(odd), FIVE)
    said = next(remark for remark in found.remarks if "more than 5 ms" in remark)
    assert "at most 15 ms" in said


def test_empty_bars_at_the_beginning_are_left_out():
    found = load_midi(foreign([(b + 8, k, 90) for b, k in BEATS]), FIVE)
    assert starts(found)[0] == 0 and "2 empty bars at the beginning" in " ".join(found.remarks)


@given(
    st.lists(st.tuples(st.integers(0, 64 * 480), st.integers(27, 87), st.integers(1, 127)), min_size=1, max_size=60)
)
@settings(max_examples=60, deadline=None)
def test_any_drum_notes_are_read_and_none_is_far_away(rows):
    """Whatever is in the file, each note is a stroke or a grace near its place, and the text can be read."""
    found = load_midi(foreign([(tick / 480, key, velocity) for tick, key, velocity in rows]), FIVE)
    pattern = parse(found.text)
    notes = {(tick, key) for tick, key, _ in rows}
    assert 1 <= len(pattern.strokes) <= len(notes)


def files_of_others():
    """MIDI files that ship with an installed package, and those in a folder named in DEFT_REACH_MIDI_FILES."""
    import music21

    folders = [Path(music21.__file__).parent]
    if os.environ.get("DEFT_REACH_MIDI_FILES"):
        folders.append(Path(os.environ["DEFT_REACH_MIDI_FILES"]))
    return sorted({path for folder in folders for path in folder.rglob("*.mid")})


@pytest.mark.parametrize("path", files_of_others(), ids=lambda path: path.stem)
def test_files_of_others_are_read_or_refused_helpfully(path):
    """Those with drums give a text that can be read and a tempo; the others say what they are."""
    try:
        found = load_midi(path.read_bytes(), FIVE)
    except DocumentError as error:
        assert any(word in str(error) for word in ("melody", "no notes", "broken", "at most", "film frames")), error
        return
    pattern = read_unfinished(found.text, FIVE)
    assert pattern.strokes and found.tempo is not None


def test_at_least_twenty_files_of_others_are_looked_at():
    assert len(files_of_others()) >= 20
