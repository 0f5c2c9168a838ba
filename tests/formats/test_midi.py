"""Standard MIDI Files: to the tick by two readers, lossless there and back, and safe against anything else."""

import io

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import layout, parse
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.formats.general_midi import key_of, sound_of
from deft_reach.formats.midi import dump_midi, load_midi
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.reading import DocumentError
from tests.machine import within
from tests.strategies import texts

FIVE = layout("five")
FIGURE = """meter 4/4 tempo 96  # the fill
/16 (R@ft> L. K R@t2) (L@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |
/8t fR L R /5:4/16 R L dR L R /16 K - H Lx R@hho+K = = - |"""


def rows(pattern):
    return [(s.start, s.limb, s.voice, "".join(sorted(s.marks)), s.grace) for s in pattern.strokes]


def without_text(data: bytes) -> bytes:
    """The same file as if nothing were known of the text it was made from."""
    return data.replace(b"deft-reach strokes", b"something else    ")


@pytest.mark.parametrize(
    ("limb", "voice", "marks", "key"),
    [
        ("K", "bd", "", 36), ("J", "bd", "", 35), ("R", "sn", "", 38), ("R", "sn", "x", 37), ("R", "sn", "^", 40),
        ("R", "hh", "", 42), ("H", "hh:foot", "", 44), ("R", "hh", "o", 46), ("R", "t1", "", 48),
        ("R", "t2", "", 45), ("R", "ft", "", 43), ("R", "c1", "", 49), ("R", "c2", "", 57), ("R", "rd", "", 51),
        ("R", "rd:bell", "", 53),
    ],
)  # fmt: skip
def test_keys_are_those_of_general_midi(limb, voice, marks, key):
    """General MIDI Level 1 percussion map, from memory: 36 bass, 38 snare, 42 closed hi-hat, 49 crash, 51 ride …"""
    assert key_of(FIVE, voice, limb, marks) == key
    if key not in (35, 40):
        found = sound_of(FIVE, key)
        assert found.voice == voice


def test_splash_china_and_the_toms_of_a_large_kit():
    large = layout("large")
    assert [key_of(large, v, "R", "") for v in ("t1", "t2", "t3", "ft", "f2", "sp", "ch")] == [
        50, 48, 45, 43, 41, 55, 52
    ]  # fmt: skip
    assert [sound_of(large, k).voice for k in (50, 48, 47, 45, 43, 41)] == ["t1", "t2", "t3", "t3", "ft", "f2"]


@given(st.integers(0, 127))
def test_every_key_has_a_voice_that_can_be_written_and_comes_back(key):
    for name in ("compact", "five", "large", "pit"):
        found = sound_of(layout(name), key)
        assert parse(f"?@{found.voice}").strokes[0].voice == found.voice
        if found.voice.startswith("gm"):
            assert key_of(layout(name), found.voice, "?", "") == key


def test_onsets_are_exact_for_mido():
    pattern = parse(FIGURE)
    file = mido.MidiFile(file=io.BytesIO(dump_midi(pattern, FIVE, 96)))
    tick, found = 0, []
    for message in file.tracks[1]:
        tick += message.time
        if message.type == "note_on" and message.velocity > 40:
            found.append((tick, message.note))
    assert all((s.start * 4 * file.ticks_per_beat).denominator == 1 for s in pattern.strokes)
    wanted = [
        (int(s.start * 4 * file.ticks_per_beat), key_of(FIVE, s.voice, s.limb, s.marks))
        for s in pattern.strokes
        if "." not in s.marks
    ]
    assert sorted(found) == sorted(wanted)
    tempo = next(m for m in file.tracks[0] if m.type == "set_tempo")
    assert mido.tempo2bpm(tempo.tempo) == pytest.approx(96, abs=0.001)


def test_onsets_are_exact_for_a_second_reader():
    """music21's own MIDI parser shares no code with mido."""
    from music21 import midi as other

    pattern = parse(FIGURE)
    file = other.MidiFile()
    file.readstr(dump_midi(pattern, FIVE, 96))
    tick, found = 0, []
    for event in file.tracks[1].events:
        if isinstance(event, other.DeltaTime):
            tick += event.time
        elif event.type == other.ChannelVoiceMessages.NOTE_ON and event.velocity > 40:
            found.append((tick, event.pitch))
    wanted = [
        (int(s.start * 4 * file.ticksPerQuarterNote), key_of(FIVE, s.voice, s.limb, s.marks))
        for s in pattern.strokes
        if "." not in s.marks
    ]
    assert sorted(found) == sorted(wanted)


def test_an_untouched_file_gives_the_text_back_to_the_letter():
    found = load_midi(dump_midi(parse(FIGURE), FIVE, 96), FIVE)
    assert found.text == FIGURE and found.tempo == 96 and found.tracks == (("Drums", 32),)


@given(texts())
def test_text_and_midi_and_back(text):
    pattern = parse(text)
    if pattern.strokes:
        assert load_midi(dump_midi(pattern, FIVE, 100), FIVE).text == text


@pytest.mark.parametrize("rudiment", RUDIMENTS, ids=lambda r: r.name)
def test_limbs_marks_and_graces_survive_without_the_text(rudiment):
    data = without_text(dump_midi(rudiment.pattern, FIVE, 90))
    assert rows(parse(load_midi(data, FIVE).text)) == rows(rudiment.pattern)


def test_a_note_moved_elsewhere_makes_the_notes_count_and_not_the_old_text():
    file = mido.MidiFile(file=io.BytesIO(dump_midi(parse("R L R L |" * 1 + " R L R L"), FIVE, 100)))
    for message in file.tracks[1]:
        if message.type == "note_on":
            message.note = 43
            break
    out = io.BytesIO()
    file.save(file=out)
    found = parse(load_midi(out.getvalue(), FIVE).text)
    assert len(found.strokes) == 8


def foreign(notes, ticks=480, tracks=1, name="Kit", meter=(4, 4)) -> bytes:
    """A file as another program writes it: (beat, key, velocity)."""
    file = mido.MidiFile(type=1, ticks_per_beat=ticks)
    head = mido.MidiTrack([mido.MetaMessage("time_signature", numerator=meter[0], denominator=meter[1])])
    head.append(mido.MetaMessage("set_tempo", tempo=500_000))
    file.tracks.append(head)
    for k in range(tracks):
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=f"{name} {k + 1}")])
        last = 0
        for beat, key, velocity in sorted(notes)[: None if k == 0 else 2]:
            tick = round(beat * ticks)
            track.append(mido.Message("note_on", channel=9, note=key, velocity=velocity, time=tick - last))
            last = tick
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_a_foreign_groove_comes_with_open_hands_and_its_own_grid():
    groove = [(b / 2, 42, 80) for b in range(8)] + [(0, 36, 100), (1, 38, 120), (2, 36, 100), (3, 38, 120)]
    groove += [(1.75, 38, 30)]
    found = load_midi(foreign(groove), FIVE)
    pattern = parse(found.text)
    assert found.tempo == 120 and "hands are not in the file" in found.remarks[-1]
    assert found.text.startswith("tempo 120"), "the file's tempo is in the text"
    assert {s.limb for s in pattern.strokes} == {"?", "K"}
    assert [(s.start * 4, s.voice, s.marks) for s in pattern.strokes if s.voice == "sn"] == [
        (1, "sn", ""), (1.75, "sn", "."), (3, "sn", "")
    ]  # fmt: skip
    assert pattern.bars == 1 and found.text.endswith("|")


def test_triplets_loose_timing_and_flams_are_found():
    played = [(k / 3 + 0.012 * (-1) ** k, 38, 80) for k in range(1, 12)] + [(0, 38, 80)]
    pattern = parse(load_midi(foreign(played), FIVE).text)
    assert [s.start * 12 for s in pattern.strokes] == list(range(12))
    flam = [(1 - 0.05, 38, 40), (1, 38, 100), (2, 38, 100)]
    pattern = parse(load_midi(foreign(flam), FIVE).text)
    assert [(s.start * 4, s.grace) for s in pattern.strokes] == [(1, "f"), (2, "")]


def test_meters_and_keys_that_the_kit_lacks():
    found = load_midi(foreign([(k / 2, 54, 80) for k in range(7)], meter=(7, 8)), FIVE)
    pattern = parse(found.text)
    assert pattern.meter == (7, 8) and pattern.strokes[0].voice == "hh"
    assert any("tambourine (key 54) on the hi-hat" in remark for remark in found.remarks)
    assert (54, "hh") in found.keys
    found = load_midi(foreign([(0, 90, 80)]), FIVE)
    assert parse(found.text).strokes[0].voice == "gm90" and "no voice for key 90" in " ".join(found.remarks)


def test_a_part_split_over_tracks_is_read_as_one_and_each_can_be_chosen():
    data = foreign([(k / 4, 38, 80) for k in range(8)], tracks=3)
    found = load_midi(data, FIVE)
    assert [name for name, _ in found.tracks] == ["Kit 1", "Kit 2", "Kit 3"] and found.track is None
    assert len(parse(found.text).strokes) == 8, "what is there twice is one stroke"
    assert len(parse(load_midi(data, FIVE, 2).text).strokes) == 2
    with pytest.raises(DocumentError, match="no drum track 9; there are 3"):
        load_midi(data, FIVE, 8)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no MIDI file"),
        (b"RIFF....", "no MIDI file"),
        (b"MThd", "broken"),
        (dump_midi(parse("R L"), FIVE, 100)[:-9], "broken"),
        (b"MThd" + bytes(MAX_BYTES), "at most 1,500,000 are read"),
        (b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\xe7\x28MTrk\x00\x00\x00\x04\x00\xff\x2f\x00", "film frames"),
        (b"MThd\x00\x00\x00\x06\x00\x01\x00\x01\x01\xe0MTrk\x00\x00\x00\x04\x00\xff\x2f\x00", "no drum notes"),
    ],
)
def test_what_is_no_drum_file_is_refused_in_words(data, words):
    with pytest.raises(DocumentError, match=words):
        load_midi(data, FIVE)


@given(st.integers(0, 400), st.binary(min_size=1, max_size=6))
def test_a_damaged_file_is_read_or_refused_but_never_crashes(at, junk):
    data = bytearray(dump_midi(parse(FIGURE), FIVE, 96))
    data[at : at + len(junk)] = junk
    try:
        found = load_midi(bytes(data), FIVE)
    except DocumentError as error:
        assert str(error)
    else:
        parse(found.text)


def test_ten_thousand_notes_are_read_in_little_time():
    data = foreign([(k / 4, 38 if k % 3 else 42, 80) for k in range(10_000)])
    # The budget is a second on a quiet machine; here it only must not run away.
    with within(10):
        found = load_midi(data, FIVE)
    assert len(parse(found.text).strokes) == 10_000


def test_a_flam_on_the_very_first_beat_and_graces_on_other_drums_are_written_and_come_back():
    text = "/8 fR L f[t1~]R@ft L |"
    data = dump_midi(parse(text), layout("five"), 120)
    notes = [m for m in mido.MidiFile(file=io.BytesIO(data)).tracks[-1] if m.type == "note_on" and m.velocity]
    assert len(notes) == 6, "four strokes and two graces"
    assert load_midi(data, layout("five")).text == text
    keys = [m.note for m in notes]
    assert keys[0] == keys[1] and keys[3] != keys[4], "the second grace is on the small tom"


@pytest.mark.parametrize("text", ["fR> L R L |", "meter 3/4 /8 dR@t1 L R L R L |", "R@sn L |"])
def test_graces_sound_before_the_very_first_stroke(text):
    """A file begins at 0, so an empty bar goes before it; read again, in whatever state, it is not there."""
    data = dump_midi(parse(text), FIVE, 100)
    file = mido.MidiFile(file=io.BytesIO(data))
    now, onsets = 0.0, []
    for message in file:
        now += message.time
        if message.type == "note_on" and message.velocity:
            onsets.append(now)
    graced = text.startswith(("fR", "meter 3/4 /8 dR"))
    if graced:
        assert onsets[1] - onsets[0] >= 0.02, "heard apart"
        assert onsets[0] > 1, "after most of a bar of nothing"
    else:
        assert onsets[0] == 0
    assert load_midi(data, FIVE).text == text
    changed = next(m for m in file.tracks[1] if m.type == "note_on" and m.velocity > 1)
    changed.velocity -= 1
    out = io.BytesIO()
    file.save(file=out)
    again = parse(load_midi(out.getvalue(), FIVE).text)
    assert strikes(again) == strikes(parse(text))


def strikes(pattern):
    return [(s.start, s.limb, s.voice, s.grace) for s in pattern.strokes]
