"""Standard MIDI Files, both ways.

Our own files carry each stroke's limb as a text event beside its note, and the stroke text they were made from with a
checksum of the notes. As long as the notes are untouched the text comes back to the letter; after that limbs and
graces still come back from the text events. Foreign files have neither: hands come back as ``?``.
"""

from __future__ import annotations

import io
import math
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Final, NamedTuple

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
from deft_reach.formats.general_midi import key_of, sound_of
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.plain_text import DocumentError, reader

DRUMS: Final = 9
MAX_NOTES: Final = 40_000
#: A thousand bars of four beats.
MAX_BEATS: Final = 4000
GHOST, PLAIN, ACCENT = 38, 80, 115
#: Foreign strokes at most this loud are ghosts, at least this loud accents.
GHOST_UNTIL, ACCENT_FROM = 48, 108
#: A note so much earlier (beats) than a louder one on the same voice is its grace.
GRACE_WITHIN: Final = 0.09
_TEXT: Final = "deft-reach strokes "
_TICKS: Final = 480


class Note(NamedTuple):
    """A drum note: when (beats, exact), key, velocity, and the text event beside it."""

    beat: Fraction
    key: int
    velocity: int
    said: str = ""


@dataclass(frozen=True)
class Imported:
    """A pattern from elsewhere: its stroke text, tempo (None if the file says nothing), and remarks for the player.

    ``tracks`` names every part that could have been read, with its number of notes; ``track`` is the one that was.
    """

    text: str
    tempo: float | None
    tracks: tuple[tuple[str, int], ...] = ()
    track: int = 0
    remarks: tuple[str, ...] = ()


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
    """The drum part of a file as stroke text for a kit.

    ``track`` chooses among several drum parts, from 0; None takes the one with the most notes. Raises DocumentError
    for what is no MIDI file, is too large, or holds no drums.
    """
    file = open_midi(data)
    tempo, meters, own = _conductor(file)
    parts = _parts(file)
    if not parts:
        raise DocumentError("the file holds no drum notes (channel 10, keys 27 to 87)")
    names = tuple((name, len(notes)) for name, notes in parts)
    if track is None:
        track = max(range(len(parts)), key=lambda k: names[k][1])
    if not 0 <= track < len(parts):
        raise DocumentError(f"there is no drum track {track + 1}; there are {len(parts)}")
    notes = parts[track][1]
    if len(notes) > MAX_NOTES:
        raise DocumentError(f"{len(notes):,} drum notes; at most {MAX_NOTES:,} are read")
    if notes[-1].beat > MAX_BEATS:
        raise DocumentError(
            f"the last drum note is at beat {float(notes[-1].beat):,.0f}; at most {MAX_BEATS:,} are read"
        )
    beats = file.ticks_per_beat
    if own is not None and own[0] == _checksum([(round(n.beat * beats), n.key, n.velocity) for n in notes]):
        try:
            parse(own[1])
            return Imported(own[1], tempo, names, track)
        except StrokeTextError:
            pass  # written by a newer version: the notes still say what they say
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
) -> tuple[float | None, list[tuple[Fraction, tuple[int, int]]], tuple[int, str] | None]:
    """The first tempo, every meter with where it begins (beats), and our own text with its checksum."""
    import mido

    tempo: float | None = None
    meters: list[tuple[Fraction, tuple[int, int]]] = []
    own: tuple[int, str] | None = None
    for track in file.tracks:
        tick = 0
        for message in track:
            tick += message.time
            if message.type == "set_tempo" and tempo is None and message.tempo > 0:
                low, high = TEMPO_RANGE
                tempo = min(high, max(low, round(mido.tempo2bpm(message.tempo), 3)))
            elif message.type == "time_signature":
                beats, value = message.numerator, message.denominator
                if 1 <= beats <= 64 and value in METER_VALUES:
                    meters.append((Fraction(tick, file.ticks_per_beat), (beats, value)))
            elif message.type == "text" and message.text.startswith(_TEXT) and own is None:
                head, _, text = message.text.partition("\n")
                try:
                    own = (int(head[len(_TEXT) :], 16), text)
                except ValueError:
                    own = None
    return tempo, sorted(meters), own


def _parts(file: Any) -> list[tuple[str, list[Note]]]:
    """Every track's drum notes, those of channel 10; without any, of tracks named after drums."""
    found = []
    for number, track in enumerate(file.tracks):
        tick, said, name = 0, "", f"track {number + 1}"
        notes: list[Note] = []
        for message in track:
            tick += message.time
            if message.type == "track_name" and message.name.strip():
                name = "".join(c for c in message.name.strip() if c.isprintable())[:60]
            elif message.type == "text":
                said = message.text
            elif message.type == "note_on" and message.velocity > 0 and message.channel == DRUMS:
                notes.append(Note(Fraction(tick, file.ticks_per_beat), message.note, message.velocity, said))
                said = ""
        if notes:
            found.append((name, sorted(notes, key=lambda note: note.beat)))
    return found


def _from_notes(
    notes: Sequence[Note],
    kit: Kit,
    tempo: float | None,
    meters: Sequence[tuple[Fraction, tuple[int, int]]],
    tracks: tuple[tuple[str, int], ...],
    track: int,
) -> Imported:
    remarks = []
    strikes: list[tuple[Fraction, Strike]] = []
    unknown: set[int] = set()
    graces = _graces(notes)
    for k, note in enumerate(notes):
        if k in graces.values() or note.said == "grace":
            continue
        strike = _said_strike(note)
        if strike is None:
            sound = sound_of(kit, note.key)
            if sound.voice.startswith("gm"):
                unknown.add(note.key)
            marks = sound.marks + (
                "." if note.velocity <= GHOST_UNTIL else ">" if note.velocity >= ACCENT_FROM else ""
            )
            grace = "f" if k in graces and sound.limb == EITHER else ""
            strike = Strike(sound.limb, sound.voice, marks, grace)
        strikes.append((note.beat, strike))
    if unknown:
        keys = ", ".join(map(str, sorted(unknown)))
        remarks.append(f"no voice for key {keys}: written as gm and the number, to be put somewhere")
    places = _places([beat for beat, _ in strikes])
    rows: dict[Fraction, list[Strike]] = {}
    for place, (_, strike) in zip(places, strikes):
        row = rows.setdefault(place / 4, [])
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


def _graces(notes: Sequence[Note]) -> dict[int, int]:
    """For each main note its grace: a quieter note on the same key just before it."""
    found = {}
    for k, note in enumerate(notes):
        for before in range(k - 1, max(-1, k - 6), -1):
            other = notes[before]
            if note.beat - other.beat > GRACE_WITHIN:
                break
            if other.key == note.key and note.beat - other.beat > 0 and other.velocity < note.velocity * 0.75:
                found[k] = before
                break
    return found


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
