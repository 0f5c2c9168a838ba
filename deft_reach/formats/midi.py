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
from contextlib import suppress
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Final

from deft_reach.core.model.elements import GRACE_NOTES, GRACES, Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import EITHER, HANDS, LIMBS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.timing import GRACE_APART, GRACE_LEAD
from deft_reach.core.notation.compose import Onset, place_played
from deft_reach.core.notation.stroke_text import (
    METER_VALUES,
    TEMPO_RANGE,
    StrokeTextError,
    parse,
    write_strike,
)
from deft_reach.formats.drum_notes import Note, loudness_marks, merged
from deft_reach.formats.general_midi import key_of, sound_of
from deft_reach.formats.imported import AS_FOUND, Choices, Imported, as_written
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.midi_foreign import DEFAULT_BPM, DRUMS, drum_parts, foreign_pattern, frame_of
from deft_reach.formats.reading import DocumentError, reader
from deft_reach.formats.writing_down import written_down

MAX_NOTES: Final = 40_000
#: A thousand bars of four beats.
MAX_BEATS: Final = 4000
GHOST, PLAIN, ACCENT = 38, 80, 115
#: Things of one kind that were not understood are said of so many.
MOST_SAID: Final = 4
#: What our own text events begin with.
OWN_TEXT: Final = "deft-reach strokes "
#: Our own text where the pattern is a loop.
LOOP: Final = "deft-reach loop"
#: Our own marker where a file begins after an empty bar.
BEGINS: Final = "deft-reach begins"
_TICKS: Final = 480


def dump_midi(pattern: Pattern, kit: Kit, tempo: float, repeat: bool = False) -> bytes:
    """The pattern as a type 1 file: a conductor track and a drum track on channel 10."""
    import mido

    ticks = _ticks(pattern)
    notes, lead = _notes(pattern, kit, tempo, ticks)
    file = mido.MidiFile(type=1, ticks_per_beat=ticks, charset="utf-8")
    conductor = mido.MidiTrack()
    file.tracks.append(conductor)
    checksum = _checksum([(tick, key, velocity) for tick, key, velocity, _ in notes])
    conductor.append(mido.MetaMessage("track_name", name="Deft Reach", time=0))
    conductor.append(mido.MetaMessage("text", text=f"{OWN_TEXT}{checksum:08x}\n{pattern.text}", time=0))
    if repeat:
        conductor.append(mido.MetaMessage("text", text=LOOP, time=0))
    conductor.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo), time=0))
    last, meter = 0, None
    for bar in pattern.bar_rows:
        if bar.meter != meter:
            tick = round(bar.start * 4 * ticks) + lead if bar.start else 0
            beats, value = bar.meter
            conductor.append(mido.MetaMessage("time_signature", numerator=beats, denominator=value, time=tick - last))
            last, meter = tick, bar.meter
        if lead and bar is pattern.bar_rows[0]:
            conductor.append(mido.MetaMessage("marker", text=BEGINS, time=lead - last))
            last = lead
    end = round(pattern.length * 4 * ticks) + lead
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
def load_midi(data: bytes, kit: Kit, track: int | None = None, choices: Choices = AS_FOUND) -> Imported:
    """The drums of a file as stroke text for a kit.

    ``track`` chooses among several drum parts, from 0; None takes all of them as one. ``choices`` count for files
    that other programs wrote. Raises DocumentError for what is no MIDI file, is too large, or holds no drums.
    """
    file = open_midi(data)
    said = _conductor(file)
    tempo = said.tempi[0][1] if said.tempi else None
    if said.own is not None and said.own[0] == _checksum([]) and not _sounds(file):
        # A pattern of rests alone.
        return Imported(said.own[1], tempo, repeat=said.loop)
    parts = drum_parts(file)
    names = tuple((name, len(notes)) for name, notes in parts)
    if track is not None and not 0 <= track < len(parts):
        raise DocumentError(f"there is no drum track {track + 1}; there are {len(parts)}")
    if file.type == 2 and track is None and len(parts) > 1:
        # Tracks of this type do not sound together.
        track = max(range(len(parts)), key=lambda k: names[k][1])
        said.remarks.append(f"the file holds {len(parts)} patterns of their own: the fullest is read")
    if file.clip:
        said.remarks.append("the file is damaged in places: keys and velocities above 127 are read as 127")
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
    if said.own is not None and said.own[0] == _checksum([(round(n.beat * beats), n.key, n.velocity) for n in notes]):
        text = as_written(said.own[1], tempo)
        if text is not None:
            return Imported(text, tempo, names, track, repeat=said.loop)
    if not any(note.said for note in notes):
        meters = said.meters
        if choices.meter is not None:
            meters = [(Fraction(0), choices.meter)]
        found = foreign_pattern(notes, kit, said.tempi, meters, names, track, choices)
    else:
        found = _from_notes(notes, kit, tempo, said.meters, names, track, said.begin, beats)
    return replace(found, remarks=(*said.remarks, *found.remarks), repeat=said.loop)


# --- writing --------------------------------------------------------------------------------------------------------


def _ticks(pattern: Pattern) -> int:
    """Ticks in a beat on which every onset falls exactly, if there is such a number."""
    need = 1
    for stroke in pattern.strokes:
        need = math.lcm(need, (stroke.start * 4).denominator)
        if need > 30_000:
            return _TICKS * 28
    return need * -(-_TICKS // need)


def _notes(pattern: Pattern, kit: Kit, tempo: float, ticks: int) -> tuple[list[tuple[int, int, int, str]], int]:
    """(tick, key, velocity, text event) of every stroke and grace, in order; and how many ticks later all of it is.

    A file begins at 0: where graces come before the very beginning, an empty bar does.
    """
    second = ticks * tempo / 60
    found = []
    for stroke in pattern.strokes:
        tick = round(stroke.start * 4 * ticks) + round(stroke.shift / 1000 * second)
        key = key_of(kit, stroke.voice, stroke.limb, stroke.marks)
        velocity = ACCENT if ">" in stroke.marks else GHOST if "." in stroke.marks else PLAIN
        count = GRACE_NOTES[stroke.grace]
        grace_key = key_of(kit, stroke.grace_voice or stroke.voice, stroke.limb, stroke.grace_marks)
        for k in range(count, 0, -1):
            early = tick - max(1, round((GRACE_LEAD + (k - 1) * GRACE_APART) * second))
            found.append((early, grace_key, GHOST, "grace"))
        found.append((tick, key, velocity, write_strike(stroke.strike())))
    found.sort(key=lambda row: row[0])
    bar = round(Fraction(*pattern.bar_rows[0].meter) * 4 * ticks) if pattern.bar_rows else ticks * 4
    lead = 0
    while found and found[0][0] + lead < 0:
        lead += bar
    return [(tick + lead, *rest) for tick, *rest in found], lead  # type: ignore[misc]


def _checksum(notes: Sequence[tuple[int, int, int]]) -> int:
    return zlib.crc32(repr(sorted(notes)).encode())


# --- reading --------------------------------------------------------------------------------------------------------


def _sounds(file: Any) -> bool:
    """Whether anything is struck."""
    return any(message.type == "note_on" and message.velocity for track in file.tracks for message in track)


@dataclass
class _Said:
    """What a file says beside its notes: every tempo and meter with where it begins (beats), our own text with its
    checksum, whether it is a loop, and the beat on which we said that it begins.
    """

    tempi: list[tuple[Fraction, float]] = field(default_factory=list)
    meters: list[tuple[Fraction, tuple[int, int]]] = field(default_factory=list)
    own: tuple[int, str] | None = None
    loop: bool = False
    begin: Fraction = Fraction(0)
    #: What was not understood, in words.
    remarks: list[str] = field(default_factory=list)


def _conductor(file: Any) -> _Said:
    """What the tracks say of time, and of themselves."""
    import mido

    said = _Said()
    tempi: dict[Fraction, float] = {}
    low, high = TEMPO_RANGE
    strange: list[str] = []
    for track in file.tracks:
        tick = 0
        for message in track:
            tick += message.time
            beat = Fraction(tick, file.ticks_per_beat)
            if message.type == "set_tempo":
                bpm = round(mido.tempo2bpm(message.tempo), 3) if message.tempo > 0 else math.inf
                tempi[beat] = min(high, max(low, bpm))
                if not low <= bpm <= high:
                    strange.append(f"a tempo of {bpm:.4g} BPM is read as {tempi[beat]:g}")
            elif message.type == "time_signature":
                beats, value = message.numerator, message.denominator
                if 1 <= beats <= 64 and value in METER_VALUES:
                    said.meters.append((beat, (beats, value)))
                else:
                    strange.append(f"a meter of {beats}/{value} cannot be written and is left out")
            elif message.type == "marker" and message.text == BEGINS:
                said.begin = beat
            elif message.type == "text" and message.text == LOOP:
                said.loop = True
            elif message.type == "text" and message.text.startswith(OWN_TEXT) and said.own is None:
                head, _, text = message.text.partition("\n")
                with suppress(ValueError):
                    said.own = (int(head[len(OWN_TEXT) :], 16), text)
    said.tempi, said.meters = sorted(tempi.items()), sorted(said.meters)
    said.remarks = list(dict.fromkeys(strange))[:MOST_SAID]
    return said


def _from_notes(
    notes: Sequence[Note],
    kit: Kit,
    tempo: float | None,
    meters: Sequence[tuple[Fraction, tuple[int, int]]],
    tracks: tuple[tuple[str, int], ...],
    track: int | None,
    begin: Fraction,
    ticks: int,
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
        # A stroke of ours that is late or early on purpose says so: it is written where it was.
        late = Fraction(round(strike.shift / 1000 * (tempo or DEFAULT_BPM) / 60 * ticks), ticks)
        strikes.append((max(note.beat - begin - late, Fraction(0)), strike))
    if unknown:
        keys = ", ".join(map(str, sorted(unknown)))
        remarks.append(f"no voice for key {keys}: written as gm and the number, to be put somewhere")
    places = _places([beat for beat, _ in strikes])
    rows: dict[Fraction, list[Strike]] = {}
    for at, (_, strike) in zip(places, strikes):
        row = rows.setdefault(at / 4, [])
        if strike not in row:
            row.append(strike)
    meters = [(max(beat - begin, Fraction(0)), meter) for beat, meter in meters]
    frame, misplaced = frame_of(meters, max(rows, default=Fraction(0)))
    text, moved = written_down([Onset(start, tuple(row)) for start, row in sorted(rows.items())], frame)
    remarks += filter(None, [misplaced, *moved])
    if any(s.limb == EITHER for row in rows.values() for s in row):
        remarks.append("hands are not in the file: they are written as ? and still to be chosen")
    return Imported(text, tempo, tracks, track, tuple(remarks))


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
