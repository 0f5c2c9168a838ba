"""Standard MIDI Files, both ways.

Our own files carry each stroke's limb as a text event beside its note, and the stroke text they were made from with a
checksum of the notes. As long as the notes are untouched the text comes back to the letter; after that limbs and
graces still come back from the text events. Foreign files have neither: hands come back as ``?``.
"""

from __future__ import annotations

import io
import math
import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Final

from deft_reach.core.model.counting import counted, place
from deft_reach.core.model.elements import GRACE_NOTES, GRACES, Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import EITHER, HANDS, LIMBS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.timing import GRACE_APART, GRACE_LEAD
from deft_reach.core.notation.compose import Frame, Onset, compose, place_played
from deft_reach.core.notation.stroke_text import (
    MAX_TEXT,
    METER_VALUES,
    TEMPO_RANGE,
    StrokeTextError,
    parse,
    write_strike,
)
from deft_reach.formats.drum_notes import (
    MOVED_FROM,
    Note,
    Timing,
    graces_of,
    loudness_marks,
    merged,
    tempo_words,
    timing_of,
    voices_of,
)
from deft_reach.formats.general_midi import key_of, sound_of
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.plain_text import DocumentError, reader

DRUMS: Final = 9
MAX_NOTES: Final = 40_000
#: A thousand bars of four beats.
MAX_BEATS: Final = 4000
GHOST, PLAIN, ACCENT = 38, 80, 115
#: What tracks of drums are called, where their channel does not say it.
_DRUM_NAMES: Final = re.compile(r"drum|perc|kit\\b|beat|schlagzeug|batter|bateria|trommel", re.IGNORECASE)
_TEXT: Final = "deft-reach strokes "
_TICKS: Final = 480
#: The tempo of a file that says none (Standard MIDI Files 1.0).
DEFAULT_BPM: Final = 120.0


@dataclass(frozen=True)
class Imported:
    """A pattern from elsewhere: its stroke text, tempo (None if the file says nothing), and remarks for the player.

    ``tracks`` names every part that could have been read, with its number of notes; ``track`` is the one that was,
    None where all were read as one. ``keys`` says what each MIDI key was taken for.
    """

    text: str
    tempo: float | None
    tracks: tuple[tuple[str, int], ...] = ()
    track: int | None = None
    remarks: tuple[str, ...] = ()
    keys: tuple[tuple[int, str], ...] = ()


def dump_midi(pattern: Pattern, kit: Kit, tempo: float) -> bytes:
    """The pattern as a type 1 file: a conductor track and a drum track on channel 10."""
    import mido

    ticks = _ticks(pattern)
    notes = _notes(pattern, kit, tempo, ticks)
    file = mido.MidiFile(type=1, ticks_per_beat=ticks, charset="utf-8")
    conductor = mido.MidiTrack()
    file.tracks.append(conductor)
    checksum = _checksum([(tick, key, velocity) for tick, key, velocity, _ in notes])
    conductor.append(mido.MetaMessage("track_name", name="Deft Reach", time=0))
    conductor.append(mido.MetaMessage("text", text=f"{_TEXT}{checksum:08x}\n{pattern.text}", time=0))
    conductor.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo), time=0))
    last, meter = 0, None
    for bar in pattern.bar_rows:
        if bar.meter != meter:
            tick = round(bar.start * 4 * ticks)
            beats, value = bar.meter
            conductor.append(mido.MetaMessage("time_signature", numerator=beats, denominator=value, time=tick - last))
            last, meter = tick, bar.meter
    end = round(pattern.length * 4 * ticks)
    conductor.append(mido.MetaMessage("end_of_track", time=max(0, end - last)))
    drums = mido.MidiTrack()
    file.tracks.append(drums)
    drums.append(mido.MetaMessage("track_name", name="Drums", time=0))
    rows: list[tuple[int, int, Any]] = []
    sounding = max(1, ticks // 8)
    following: dict[int, int] = {}
    for tick, key, velocity, said in reversed(notes):
        off = min(tick + sounding, following.get(key, tick + sounding))
        following[key] = tick
        rows.append((max(off, tick + 1), 0, mido.Message("note_off", channel=DRUMS, note=key, velocity=0)))
        rows.append((tick, 2, mido.Message("note_on", channel=DRUMS, note=key, velocity=velocity)))
        if said:
            rows.append((tick, 1, mido.MetaMessage("text", text=said)))
    # Each text event stands right before its note, so their order in a tick has to stay.
    rows.reverse()
    rows.sort(key=lambda row: (row[0], row[1] != 0))
    last = 0
    for tick, _, message in rows:
        drums.append(message.copy(time=tick - last))
        last = tick
    drums.append(mido.MetaMessage("end_of_track", time=max(0, end - last)))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


@reader
def load_midi(data: bytes, kit: Kit, track: int | None = None) -> Imported:
    """The drums of a file as stroke text for a kit.

    ``track`` chooses among several drum parts, from 0; None takes all of them as one. Raises DocumentError for what
    is no MIDI file, is too large, or holds no drums.
    """
    file = open_midi(data)
    tempi, meters, own = _conductor(file)
    parts = _parts(file)
    names = tuple((name, len(notes)) for name, notes in parts)
    if track is not None and not 0 <= track < len(parts):
        raise DocumentError(f"there is no drum track {track + 1}; there are {len(parts)}")
    if len(parts) == 1:
        track = 0
    notes = parts[track][1] if track is not None else merged([note for _, rows in parts for note in rows])
    if len(notes) > MAX_NOTES:
        raise DocumentError(f"{len(notes):,} drum notes; at most {MAX_NOTES:,} are read")
    if notes[-1].beat > MAX_BEATS:
        raise DocumentError(
            f"the last drum note is at beat {float(notes[-1].beat):,.0f}; at most {MAX_BEATS:,} are read"
        )
    beats = file.ticks_per_beat
    tempo = tempi[0][1] if tempi else None
    if own is not None and own[0] == _checksum([(round(n.beat * beats), n.key, n.velocity) for n in notes]):
        try:
            parse(own[1])
            return Imported(own[1], tempo, names, track)
        except StrokeTextError:
            pass  # written by a newer version: the notes still say what they say
    if not any(note.said for note in notes):
        return _foreign(notes, kit, tempi, meters, names, track)
    return _from_notes(notes, kit, tempo, meters, names, track)


# --- writing --------------------------------------------------------------------------------------------------------


def _ticks(pattern: Pattern) -> int:
    """Ticks in a beat on which every onset falls exactly, if there is such a number."""
    need = 1
    for stroke in pattern.strokes:
        need = math.lcm(need, (stroke.start * 4).denominator)
        if need > 30_000:
            return _TICKS * 28
    return need * -(-_TICKS // need)


def _notes(pattern: Pattern, kit: Kit, tempo: float, ticks: int) -> list[tuple[int, int, int, str]]:
    """(tick, key, velocity, text event) of every stroke and grace, in order."""
    second = ticks * tempo / 60
    found = []
    for stroke in pattern.strokes:
        tick = round(stroke.start * 4 * ticks)
        key = key_of(kit, stroke.voice, stroke.limb, stroke.marks)
        velocity = ACCENT if ">" in stroke.marks else GHOST if "." in stroke.marks else PLAIN
        count = GRACE_NOTES[stroke.grace]
        grace_key = key_of(kit, stroke.grace_voice or stroke.voice, stroke.limb, stroke.grace_marks)
        for k in range(count, 0, -1):
            early = tick - max(1, round((GRACE_LEAD + (k - 1) * GRACE_APART) * second))
            # A file begins at 0: graces before the very beginning are drawn together there, each a tick apart.
            found.append((max(early, min(count - k, tick - 1), 0), grace_key, GHOST, "grace"))
        found.append((tick, key, velocity, write_strike(stroke.strike())))
    return sorted(found, key=lambda row: row[0])


def _checksum(notes: Sequence[tuple[int, int, int]]) -> int:
    return zlib.crc32(repr(sorted(notes)).encode())


# --- reading --------------------------------------------------------------------------------------------------------


def _conductor(
    file: Any,
) -> tuple[list[tuple[Fraction, float]], list[tuple[Fraction, tuple[int, int]]], tuple[int, str] | None]:
    """Every tempo and every meter with where it begins (beats), and our own text with its checksum."""
    import mido

    tempi: dict[Fraction, float] = {}
    meters: list[tuple[Fraction, tuple[int, int]]] = []
    own: tuple[int, str] | None = None
    low, high = TEMPO_RANGE
    for track in file.tracks:
        tick = 0
        for message in track:
            tick += message.time
            beat = Fraction(tick, file.ticks_per_beat)
            if message.type == "set_tempo" and message.tempo > 0:
                tempi[beat] = min(high, max(low, round(mido.tempo2bpm(message.tempo), 3)))
            elif message.type == "time_signature":
                beats, value = message.numerator, message.denominator
                if 1 <= beats <= 64 and value in METER_VALUES:
                    meters.append((beat, (beats, value)))
            elif message.type == "text" and message.text.startswith(_TEXT) and own is None:
                head, _, text = message.text.partition("\n")
                try:
                    own = (int(head[len(_TEXT) :], 16), text)
                except ValueError:
                    own = None
    return sorted(tempi.items()), sorted(meters), own


def _parts(file: Any) -> list[tuple[str, list[Note]]]:
    """Every drum part: the notes of channel 10; without any those of tracks that are called drums, or whose keys are
    those of drums. Raises DocumentError where there is none.
    """
    tracks: list[tuple[str, dict[int, list[Note]]]] = []
    for number, track in enumerate(file.tracks):
        tick, said, name = 0, "", f"track {number + 1}"
        by_channel: dict[int, list[Note]] = {}
        for message in track:
            tick += message.time
            if message.type == "track_name" and message.name.strip():
                name = "".join(c for c in message.name.strip() if c.isprintable())[:60]
            elif message.type == "text":
                said = message.text
            elif message.type == "note_on" and message.velocity > 0:
                note = Note(Fraction(tick, file.ticks_per_beat), message.note, message.velocity, said)
                by_channel.setdefault(message.channel, []).append(note)
                said = ""
        if by_channel:
            tracks.append((name, by_channel))
    found = [(name, rows[DRUMS]) for name, rows in tracks if DRUMS in rows]
    if not found:
        rows = [(name, [note for notes in rows.values() for note in notes]) for name, rows in tracks]
        found = [row for row in rows if _DRUM_NAMES.search(row[0])] or [row for row in rows if _like_drums(row[1])]
    if not found:
        named = ", ".join(f"“{name}”" for name, _ in tracks[:4]) + (" and others" if len(tracks) > 4 else "")
        holds = f"what it holds ({named}) is melody" if tracks else "it holds no notes at all"
        raise DocumentError(
            f"the file holds no drum notes: {holds}. Drums are looked for on channel 10, in tracks that are called "
            "drums or percussion, and among the keys that drum kits use"
        )
    return [(name, sorted(notes, key=lambda note: note.beat)) for name, notes in found]


def _like_drums(notes: Sequence[Note]) -> bool:
    """Whether a track's keys are those of a drum kit: bass, snare and a cymbal among few other keys."""
    keys = {note.key for note in notes}
    inside = sum(35 <= note.key <= 59 for note in notes)
    kit = keys & {35, 36} and keys & {37, 38, 40} and keys & {42, 44, 46, 49, 51, 57, 59}
    return bool(kit) and inside >= 0.95 * len(notes) and len(keys) >= 3


def _foreign(
    notes: Sequence[Note],
    kit: Kit,
    tempi: Sequence[tuple[Fraction, float]],
    meters: Sequence[tuple[Fraction, tuple[int, int]]],
    tracks: tuple[tuple[str, int], ...],
    track: int | None,
) -> Imported:
    """Notes that another program wrote: everything but keys, times and loudness has to be found out."""
    tempo, changes = tempo_words(tempi, notes[-1].beat)
    second = (tempo or DEFAULT_BPM) / 60
    voices, remarks = voices_of(kit, {note.key for note in notes})
    remarks = [f"the kit lacks some sounds: {', '.join(remarks)}"] if remarks else []
    graces = graces_of(notes, second)
    small = {k for rows in graces.values() for k in rows}
    kept = [k for k in range(len(notes)) if k not in small]
    marks = loudness_marks(notes)
    timing = timing_of([notes[k].beat for k in kept], second)
    shift, frame_meters, begin = _begun(timing.places, meters)
    rows: dict[Fraction, list[Strike]] = {}
    doubled = 0
    for k, at in zip(kept, timing.places):
        sound = voices[notes[k].key]
        hand = sound.limb == EITHER
        grace = "" if k not in graces or not hand else "f" if len(graces[k]) == 1 else "d"
        strike = Strike(sound.limb, sound.voice, sound.marks + marks[k], grace)
        row = rows.setdefault((at - shift) / 4, [])
        if all((other.limb, other.voice) != (strike.limb, strike.voice) for other in row):
            row.append(strike)
        else:
            doubled += 1
    frame = _frame(frame_meters, max(rows, default=Fraction(0)))
    frame = replace(frame, tempo=None if tempo is None else round(tempo, 2), swing=timing.swing)
    text = checked(compose([Onset(start, tuple(row)) for start, row in sorted(rows.items())], frame))
    unknown = sorted(key for key, sound in voices.items() if sound.voice.startswith("gm"))
    if unknown:
        keys = ", ".join(map(str, unknown))
        remarks.append(f"no voice for key {keys}: written as gm and the number, to be put somewhere")
    if doubled:
        remarks.append(f"{counted(doubled, 'note')} on a voice that sounds at that moment already: one stroke")
    remarks = [*_time_remarks(timing, begin, changes), *remarks, *_hand_remarks(rows, frame)]
    heard = tuple((key, sound.voice) for key, sound in voices.items())
    return Imported(text, tempo, tracks, track, tuple(remarks), heard)


def _begun(
    places: Sequence[Fraction], meters: Sequence[tuple[Fraction, tuple[int, int]]]
) -> tuple[Fraction, list[tuple[Fraction, tuple[int, int]]], int]:
    """How many beats of empty bars there are before the first stroke, the meters from there on, and those bars."""
    first = min(places, default=Fraction(0))
    at, meter, bars = Fraction(0), (4, 4), 0
    changes = [row for row in meters if row[0] > 0]
    for beat, one in meters:
        if beat <= 0:
            meter = one
    while True:
        bar = Fraction(*meter) * 4
        following = changes[0][0] if changes else None
        if at + bar > first or (following is not None and at + bar > following):
            break
        at, bars = at + bar, bars + 1
        if following is not None and at == following:
            meter = changes.pop(0)[1]
    return at, [(Fraction(0), meter), *((beat - at, one) for beat, one in changes)], bars


def _time_remarks(timing: Timing, begin: int, changes: str) -> list[str]:
    """What was done to the times, in words."""
    found = [changes] if changes else []
    if begin:
        found.append(f"{counted(begin, 'empty bar')} at the beginning left out")
    if timing.late:
        way = "late" if timing.late > 0 else "early"
        found.append(f"everything was {abs(timing.late) * 1000:.0f} ms {way}: taken out")
    if timing.swing is not None:
        found.append(f"it swings: written straight, with {timing.swing.text}")
    moved = [x for x in timing.moved if x > MOVED_FROM]
    if moved:
        found.append(
            f"{len(moved)} of {counted(len(timing.moved), 'stroke')} lie more than 5 ms from where they are written, "
            f"at most {max(moved) * 1000:.0f} ms"
        )
    return found


def _hand_remarks(rows: dict[Fraction, list[Strike]], frame: Frame) -> list[str]:
    """What is left to do for the hands, in words."""
    found = []
    full = [start for start, row in sorted(rows.items()) if sum(s.limb == EITHER for s in row) > 2]
    if full:
        bar, beat = _place_in(full[0], frame)
        voices = ", ".join(str(s.voice) for s in rows[full[0]] if s.limb == EITHER)
        found.append(
            f"more than two sounds for two hands in {counted(len(full), 'place')}, first in bar {bar} on {beat}: "
            f"{voices}; all are kept, and something has to go to a foot or be left out"
        )
    if any(s.limb == EITHER for row in rows.values() for s in row):
        found.append("hands are not in the file: they are written as ? and still to be chosen")
    return found


def _place_in(start: Fraction, frame: Frame) -> tuple[int, str]:
    """A time as bar and beat, from 1."""
    number, at = 1, Fraction(0)
    meters = list(frame.meters)
    meter = meters[0][1]
    while True:
        for begin, one in meters:
            if begin == at:
                meter = one
        if start < at + Fraction(*meter):
            break
        at, number = at + Fraction(*meter), number + 1
    return number, place(1 + (start - at) * meter[1])


def _from_notes(
    notes: Sequence[Note],
    kit: Kit,
    tempo: float | None,
    meters: Sequence[tuple[Fraction, tuple[int, int]]],
    tracks: tuple[tuple[str, int], ...],
    track: int | None,
) -> Imported:
    """Notes of a file of ours that was changed elsewhere: limbs and graces are in its text events."""
    remarks = []
    strikes: list[tuple[Fraction, Strike]] = []
    unknown: set[int] = set()
    marks = loudness_marks(notes)
    for k, note in enumerate(notes):
        if note.said == "grace":
            continue
        strike = _said_strike(note)
        if strike is None:
            sound = sound_of(kit, note.key)
            if sound.voice.startswith("gm"):
                unknown.add(note.key)
            strike = Strike(sound.limb, sound.voice, sound.marks + marks[k])
        strikes.append((note.beat, strike))
    if unknown:
        keys = ", ".join(map(str, sorted(unknown)))
        remarks.append(f"no voice for key {keys}: written as gm and the number, to be put somewhere")
    places = _places([beat for beat, _ in strikes])
    rows: dict[Fraction, list[Strike]] = {}
    for at, (_, strike) in zip(places, strikes):
        row = rows.setdefault(at / 4, [])
        if strike not in row:
            row.append(strike)
    frame = _frame(meters, max(rows, default=Fraction(0)))
    text = compose([Onset(start, tuple(row)) for start, row in sorted(rows.items())], frame)
    if any(s.limb == EITHER for row in rows.values() for s in row):
        remarks.append("hands are not in the file: they are written as ? and still to be chosen")
    return Imported(checked(text), tempo, tracks, track, tuple(remarks))


def checked(text: str) -> str:
    """Stroke text of a size that can be read. Raises DocumentError for more."""
    if len(text) > MAX_TEXT:
        raise DocumentError(f"that would be {len(text):,} characters of stroke text; at most {MAX_TEXT:,} are read")
    return text


def _places(beats: Sequence[Fraction]) -> list[Fraction]:
    """Exact places where they can be written as they are, else the nearest grid."""
    if all((beat % 1).denominator <= 32 for beat in beats):
        return list(beats)
    return place_played([float(beat) for beat in beats])


def _said_strike(note: Note) -> Strike | None:
    """The stroke that a text event beside a note says, if that is what it says."""
    if not note.said or note.said[0] not in (*LIMBS, *GRACES) or len(note.said) > 40:
        return None
    try:
        pattern = parse(note.said)
    except StrokeTextError:
        return None
    if len(pattern.strokes) != 1:
        return None
    stroke = pattern.strokes[0]
    plain = stroke.limb in HANDS or stroke.limb == EITHER
    return stroke.strike(plain)


def _frame(meters: Sequence[tuple[Fraction, tuple[int, int]]], last: Fraction) -> Frame:
    """Meters that begin where a bar ends; others are left out, as a bar that does not add up could not be read."""
    kept: list[tuple[Fraction, tuple[int, int]]] = [(Fraction(0), (4, 4))]
    for beat, meter in meters:
        start = beat / 4
        if start == 0:
            kept[0] = (start, meter)
        elif (start - kept[-1][0]) % Fraction(*kept[-1][1]) == 0 and start <= last and meter != kept[-1][1]:
            kept.append((start, meter))
    begin, meter = kept[-1]
    bar = Fraction(*meter)
    whole = math.floor((last - begin) / bar) + 1
    return Frame(tuple(kept), begin + whole * bar)
