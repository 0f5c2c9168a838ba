"""What is not understood of a file is never guessed in silence: it is refused with its place, or remarked on."""

import io

import mido
import pytest

from deft_reach.core import layout, parse
from deft_reach.formats.midi import load_midi
from deft_reach.formats.midi_take import load_performance
from deft_reach.formats.musicxml import load_musicxml
from deft_reach.formats.reading import DocumentError
from deft_reach.formats.strokes_csv import load_strokes

FIVE = layout("five")
TIME = "<time><beats>4</beats><beat-type>4</beat-type></time>"


SNARE = "<unpitched><display-step>C</display-step><display-octave>5</display-octave></unpitched>"


def note(duration=4, *, more="", inside=SNARE):
    length = "" if duration is None else f"<duration>{duration}</duration>"
    return f"<note>{inside}{length}{more}</note>"


def score(*measures, divisions=4, time=TIME, head=""):
    first = f"<attributes><divisions>{divisions}</divisions>{time}</attributes>"
    bars = "".join(
        f'<measure number="{k}">{first if k == 1 else ""}{notes}</measure>' for k, notes in enumerate(measures, 1)
    )
    parts = '<part-list><score-part id="P1"><part-name>Kit</part-name></score-part></part-list>'
    return f'<score-partwise>{head}{parts}<part id="P1">{bars}</part></score-partwise>'.encode()


FULL = note(4) * 4


@pytest.mark.parametrize(
    ("measures", "words"),
    [
        ((FULL, note(4) * 3, FULL), "measure 2: it holds 3/4, and its meter is 4/4: read as a bar of its own"),
        ((FULL, note(4) * 5, FULL), "measure 2: it holds 5/4, and its meter is 4/4: read as a bar of its own"),
        ((FULL, FULL + note(1), FULL), "measure 2: it holds 17/16, and its meter is 4/4: read as a bar of its own"),
        ((FULL, note("4.001"), FULL), "measure 2: it does not fill 4/4: the bars after it begin elsewhere"),
        ((FULL, "", FULL), "measure 2: an empty bar of 4/4 is left out"),
        ((note(4, more="<cue/>") + note(4) * 3,), "measure 1: cue notes are left out"),
        (
            (note(4, inside="<pitch><step>C</step><octave>4</octave></pitch>") + note(4) * 3,),
            "measure 1: notes with a pitch are no drums: left out",
        ),
        ((FULL + note(None, more="<grace/>"),), "measure 1: grace notes without a note after them are left out"),
        ((note(None, more="<grace/>") * 5 + FULL,), "measure 1: 5 grace notes before one note are read as 3"),
        ((note(4, more='<tie type="stop"/>') + note(4) * 3,), "measure 1: a tie ends that never began"),
        (
            (note(4, more="<lyric><text>R</text></lyric>") + note(4, more="<chord/><lyric><text>R</text></lyric>")
             + note(4) * 3,),
            "measure 1: several notes for one hand on one voice at one moment are one stroke",
        ),
        ((note(4, more="<notehead>gong</notehead>") + note(4) * 3,), "heads “gong” are read as ordinary ones"),
        (('<barline><repeat direction="backward"/></barline>' + FULL, FULL), "repeat signs are not followed"),
        (("<direction><sound tempo='abc'/></direction>" + FULL,), "a tempo of “abc” is left out"),
        (("<direction><sound tempo='1e9'/></direction>" + FULL,), "a tempo of “1e9” is left out"),
        (
            tuple(f"<direction><sound tempo='{bpm}'/></direction>" + FULL for bpm in (90, 95)),
            "the tempo changes: all is read at 90 BPM",
        ),
        (
            ("<direction><sound><swing><first>1</first><second>0</second></swing></sound></direction>" + FULL,),
            "a swing that cannot be written is left out",
        ),
    ],
)  # fmt: skip
def test_what_is_odd_in_a_score_is_said_with_its_measure(measures, words):
    found = load_musicxml(score(*measures), FIVE)
    assert [remark for remark in found.remarks if words in remark], found.remarks
    parse(found.text)


@pytest.mark.parametrize(
    ("time", "words"),
    [
        ("<time><beats>4</beats><beat-type>3</beat-type></time>", "a meter of 4/3 cannot be written and is left out"),
        ("<time><beats>x</beats><beat-type>4</beat-type></time>", "a meter of x/4 cannot be written and is left out"),
        ("<time><beats>99</beats><beat-type>4</beat-type></time>", "a meter of 99/4 cannot be written"),
    ],
)
def test_meters_that_cannot_be_written_are_said(time, words):
    assert words in load_musicxml(score(FULL, time=time), FIVE).remarks[0]


def test_meters_in_the_words_of_scores_are_understood():
    sums = "<time><beats>3+2</beats><beat-type>8</beat-type></time>"
    assert parse(load_musicxml(score(note(2) * 5, time=sums), FIVE).text).meter == (5, 8)
    pair = "<time><beats>3</beats><beat-type>4</beat-type><beats>1</beats><beat-type>8</beat-type></time>"
    assert parse(load_musicxml(score(note(2) * 7, time=pair), FIVE).text).meter == (7, 8)
    free = "<time><senza-misura/></time>"
    assert not [r for r in load_musicxml(score(note(4) * 3, note(4) * 5, time=free), FIVE).remarks if "meter" in r]


def test_a_metronome_mark_says_the_tempo_where_no_sound_does():
    mark = (
        "<direction><direction-type><metronome><beat-unit>quarter</beat-unit><beat-unit-dot/>"
        "<per-minute>80</per-minute></metronome></direction-type></direction>"
    )
    assert load_musicxml(score(mark + FULL), FIVE).tempo == 120


def test_a_repeat_of_all_of_it_is_a_loop():
    ends = '<barline location="right"><repeat direction="backward"/></barline>'
    found = load_musicxml(score(FULL, FULL + ends), FIVE)
    assert found.repeat and not [remark for remark in found.remarks if "repeat" in remark]


@pytest.mark.parametrize(
    ("measures", "words"),
    [
        ((FULL, note(None)), "measure 2 of “Kit”: a note has no duration"),
        (
            (FULL, "<backup><duration>4</duration></backup>" + FULL),
            "measure 2 of “Kit”: it goes back beyond",
        ),
        ((FULL, note(0)), "measure 2 of “Kit”: a duration is '0'"),
        ((FULL, "<forward><duration>-1</duration></forward>" + FULL), "measure 2 of “Kit”: a duration is '-1'"),
        ((FULL, note(99_999_999)), "10,000 quarter notes at most"),
        ((FULL, "<attributes><divisions>0</divisions></attributes>" + FULL), "divisions is '0'"),
    ],
)
def test_times_that_no_score_can_have_are_refused_with_measure_and_part(measures, words):
    with pytest.raises(DocumentError, match=words.replace("(", r"\(")):
        load_musicxml(score(*measures), FIVE)


# --- MIDI -----------------------------------------------------------------------------------------------------------


def midi(*messages, type=1, tracks=1):
    file = mido.MidiFile(type=type, ticks_per_beat=480)
    for k in range(tracks):
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=f"Drums {k}"), *(messages if not k else ())])
        track += [mido.Message("note_on", channel=9, note=38, velocity=90, time=480) for _ in range(8 + k)]
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_what_is_odd_in_a_midi_file_is_said():
    found = load_midi(midi(mido.MetaMessage("set_tempo", tempo=16_000_000)), FIVE)
    assert "a tempo of 3.75 BPM is read as 10" in found.remarks
    found = load_midi(midi(mido.MetaMessage("time_signature", numerator=100, denominator=4)), FIVE)
    assert "a meter of 100/4 cannot be written and is left out" in found.remarks
    inside = mido.MetaMessage("time_signature", numerator=3, denominator=4, time=720)
    assert "changes of the meter inside a bar are left out: 3/4" in load_midi(midi(inside), FIVE).remarks
    found = load_midi(midi(type=2, tracks=2), FIVE)
    assert "the file holds 2 patterns of their own: the fullest is read" in found.remarks and found.track == 1


def test_numbers_that_no_midi_file_can_hold_are_said_and_no_take():
    data = midi().replace(bytes([0x99, 38, 90]), bytes([0x99, 38, 200]), 1)
    found = load_midi(data, FIVE)
    assert "the file is damaged in places: keys and velocities above 127 are read as 127" in found.remarks
    with pytest.raises(DocumentError, match="above 127"):
        load_performance(data)


# --- tables ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("table", "words"),
    [
        ("start,limb,start\n0,R,0\n", "line 1, column 1: the heading has start twice"),
        ("start,limb,meter\n0,R,4/3\n", "line 2: meter is '4/3'; expected one such as 4/4 or 7/8"),
        ("start,limb,tempo\n0,R,fast\n", "line 2: tempo is 'fast'; expected 10 to 1000 BPM"),
        ("start,limb,loop\n0,R,maybe\n", "line 2: loop is 'maybe'; expected yes or no"),
    ],
)
def test_what_a_table_cannot_say_is_refused_with_its_line(table, words):
    with pytest.raises(DocumentError, match=words):
        load_strokes(table.encode())


def test_a_table_may_change_its_meter_and_says_where_lengths_differ():
    rows = "".join(f"{k}/4,R,{'4/4' if k < 4 else '3/4'},1/4\n" for k in range(10))
    found = load_strokes(f"start,limb,meter,length\n{rows}0,K,4/4,1/2\n".encode())
    assert [bar.meter for bar in parse(found.text).bar_rows] == [(4, 4), (3, 4), (3, 4)]
    assert "1 stroke of another length" in found.remarks[0]
