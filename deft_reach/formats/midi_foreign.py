"""Drums in MIDI files that other programs wrote: which notes they are, and what they mean as a pattern."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any, Final

from deft_reach.core.model.counting import counted, place
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import EITHER
from deft_reach.core.notation.compose import Frame, Onset
from deft_reach.formats.drum_notes import (
    MOVED_FROM,
    Note,
    Timing,
    graces_of,
    loudness_marks,
    replace_voice,
    tempo_words,
    timing_of,
    voices_of,
)
from deft_reach.formats.imported import Choices, Imported
from deft_reach.formats.reading import DocumentError
from deft_reach.formats.writing_down import written_down

#: General MIDI's channel for percussion, from 0.
DRUMS: Final = 9
#: What tracks of drums are called, where their channel does not say it.
_DRUM_NAMES: Final = re.compile(r"drum|perc|kit\b|beat|schlagzeug|batter|bateria|trommel", re.IGNORECASE)
#: The tempo of a file that says none (Standard MIDI Files 1.0).
DEFAULT_BPM: Final = 120.0


def drum_parts(file: Any) -> list[tuple[str, list[Note]]]:
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


def foreign_pattern(
    notes: Sequence[Note],
    kit: Kit,
    tempi: Sequence[tuple[Fraction, float]],
    meters: Sequence[tuple[Fraction, tuple[int, int]]],
    tracks: tuple[tuple[str, int], ...],
    track: int | None,
    choices: Choices,
) -> Imported:
    """Notes that another program wrote: everything but keys, times and loudness has to be found out."""
    tempo, changes = tempo_words(tempi, notes[-1].beat)
    second = (tempo or DEFAULT_BPM) / 60
    voices, remarks = voices_of(kit, {note.key for note in notes})
    for key, voice in choices.voices.items():
        if key in voices:
            voices[key] = replace_voice(voices[key], voice)
    remarks = [f"the kit lacks some sounds: {', '.join(remarks)}"] if remarks else []
    graces = graces_of(notes, second)
    small = {k for rows in graces.values() for k in rows}
    kept = [k for k in range(len(notes)) if k not in small]
    marks = loudness_marks(notes)
    timing = timing_of([notes[k].beat for k in kept], second, choices.swing, choices.grid)
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
    frame, misplaced = frame_of(frame_meters, max(rows, default=Fraction(0)))
    frame = replace(frame, tempo=None if tempo is None else round(tempo, 2), swing=timing.swing)
    text, moved = written_down([Onset(start, tuple(row)) for start, row in sorted(rows.items())], frame)
    remarks += filter(None, [misplaced, *moved])
    unknown = sorted(key for key, sound in voices.items() if sound.voice.startswith("gm"))
    if unknown:
        keys = ", ".join(map(str, unknown))
        remarks.append(f"no voice for key {keys}: written as gm and the number, to be put somewhere")
    if doubled:
        remarks.append(f"{counted(doubled, 'note')} on a voice that sounds at that moment already: one stroke")
    remarks = [*_time_remarks(timing, begin, changes), *remarks, *_hand_remarks(rows, frame)]
    heard = tuple((key, sound.voice) for key, sound in voices.items())
    changing = _changes_of(tempi, shift, max(rows, default=Fraction(0))) if changes else ()
    return Imported(text, tempo, tracks, track, tuple(remarks), heard, changing)


def _changes_of(
    tempi: Sequence[tuple[Fraction, float]], shift: Fraction, end: Fraction
) -> tuple[tuple[Fraction, float], ...]:
    """Tempo changes (beats, BPM) by when they begin in a text that begins ``shift`` beats later, in whole notes."""
    rows = [(Fraction(0), DEFAULT_BPM), *tempi]
    first = [bpm for beat, bpm in rows if beat <= shift][-1]
    later = [((beat - shift) / 4, round(bpm, 2)) for beat, bpm in rows if shift < beat and (beat - shift) / 4 <= end]
    return ((Fraction(0), round(first, 2)), *later)


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


def frame_of(meters: Sequence[tuple[Fraction, tuple[int, int]]], last: Fraction) -> tuple[Frame, str]:
    """Meters that begin where a bar ends, and in words whether there are others: those are left out, as a bar that
    does not add up could not be read.
    """
    kept: list[tuple[Fraction, tuple[int, int]]] = [(Fraction(0), (4, 4))]
    misplaced: list[tuple[int, int]] = []
    for beat, meter in meters:
        start = beat / 4
        if start == 0:
            kept[0] = (start, meter)
        elif start <= last and meter != kept[-1][1]:
            if (start - kept[-1][0]) % Fraction(*kept[-1][1]) == 0:
                kept.append((start, meter))
            else:
                misplaced.append(meter)
    begin, meter = kept[-1]
    bar = Fraction(*meter)
    whole = math.floor((last - begin) / bar) + 1
    names = ", ".join(f"{beats}/{value}" for beats, value in dict.fromkeys(misplaced))
    words = f"changes of the meter inside a bar are left out: {names}" if misplaced else ""
    return Frame(tuple(kept), begin + whole * bar), words
