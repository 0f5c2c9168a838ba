"""What drum notes of foreign files mean: what is late throughout, swing, graces, loudness, and whose voice a key is.

Everything here is a guess from the notes alone; what was guessed is said in remarks, so that it can be put right.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Sequence
from fractions import Fraction
from itertools import pairwise
from statistics import median
from typing import Final, NamedTuple

from deft_reach.core.model.elements import Swing
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.limbs import HAT_FOOT, KICK
from deft_reach.core.notation.compose import place_on, place_played
from deft_reach.core.notation.swing import straight_part, swung_part
from deft_reach.formats.general_midi import FOOT_KEYS, Sound, sound_of


class Note(NamedTuple):
    """A drum note: when (beats, exact), key, velocity, and the text event beside it."""

    beat: Fraction
    key: int
    velocity: int
    said: str = ""


#: What comes so soon (seconds) before a stroke on the same voice, and not sooner, is its grace. Common practice.
GRACE_FROM, GRACE_UNTIL = 0.006, 0.055
#: A grace is no louder than so much of its stroke, or it is a stroke of a roll.
GRACE_LOUDNESS: Final = 1.05
#: A note is late or early throughout only from here on (seconds).
LATE_FROM: Final = 0.004
#: Strokes moved by more than this (seconds) to where they can be written are said.
MOVED_FROM: Final = 0.005
#: Loudness falls into two kinds where their means are so far apart (velocity).
TWO_KINDS: Final = 18
#: The lower kind is ghosts where it is at most so much of the upper one.
GHOSTS_BELOW: Final = 0.6
#: What a swung note may be late by, as a part of the pair (50 is straight).
_SWUNG: Final = (0.54, 0.72)
_LEAST_SWUNG: Final = 8

#: The keys of snares and toms, which can be ghosted.
_DRUM_KEYS: Final = frozenset((37, 38, 40, 41, 43, 45, 47, 48, 50))

#: Percussion keys that a drum kit seldom has, by what a drummer plays instead: kinds of piece in order, and marks.
#: Common practice; key names from the General MIDI Level 1 percussion map.
SUBSTITUTES: Final[dict[int, tuple[str, tuple[str, ...], str]]] = {
    22: ("hi-hat edge", ("hi-hat",), ""),
    26: ("open hi-hat edge", ("hi-hat",), "o"),
    **dict.fromkeys((27, 28, 29, 30), ("scratch or whip", ("snare",), "x")),
    31: ("sticks", ("snare",), "x"),
    32: ("square click", ("snare",), "x"),
    33: ("metronome click", ("snare",), "x"),
    34: ("metronome bell", ("ride",), ""),
    39: ("hand clap", ("snare",), ""),
    54: ("tambourine", ("hi-hat",), ""),
    56: ("cowbell", ("block", "ride"), ""),
    58: ("vibraslap", ("crash", "ride"), ""),
    **dict.fromkeys((60, 62, 63), ("high bongo or conga", ("tom", "floor-tom"), "")),
    **dict.fromkeys((61, 64), ("low bongo or conga", ("floor-tom", "tom"), "")),
    65: ("high timbale", ("tom", "floor-tom"), ""),
    66: ("low timbale", ("floor-tom", "tom"), ""),
    67: ("high agogo", ("block", "ride"), ""),
    68: ("low agogo", ("block", "ride"), ""),
    69: ("cabasa", ("hi-hat",), ""),
    70: ("maracas", ("hi-hat",), ""),
    **dict.fromkeys((71, 72), ("whistle", ("ride",), "")),
    **dict.fromkeys((73, 74), ("guiro", ("hi-hat",), "")),
    75: ("claves", ("snare",), "x"),
    76: ("high wood block", ("block", "snare"), "x"),
    77: ("low wood block", ("block", "snare"), "x"),
    78: ("mute cuica", ("tom", "floor-tom"), ""),
    79: ("open cuica", ("floor-tom", "tom"), ""),
    80: ("mute triangle", ("ride", "crash"), ""),
    81: ("open triangle", ("ride", "crash"), ""),
    82: ("shaker", ("hi-hat",), ""),
    83: ("jingle bell", ("hi-hat",), ""),
    84: ("bell tree", ("ride", "crash"), ""),
    85: ("castanets", ("snare",), "x"),
    86: ("mute surdo", ("floor-tom", "tom"), ""),
    87: ("open surdo", ("floor-tom", "tom"), ""),
    52: ("china cymbal", ("china", "crash", "ride"), ""),
    55: ("splash cymbal", ("splash", "crash", "ride"), ""),
}


def merged(notes: Sequence[Note]) -> list[Note]:
    """In order, and each key once at a time: of two the louder."""
    loudest: dict[tuple[Fraction, int], Note] = {}
    for note in notes:
        before = loudest.get((note.beat, note.key))
        if before is None or note.velocity > before.velocity:
            loudest[note.beat, note.key] = note
    return sorted(loudest.values(), key=lambda note: note.beat)


# --- keys -----------------------------------------------------------------------------------------------------------


def voices_of(kit: Kit, keys: set[int]) -> tuple[dict[int, Sound], list[str]]:
    """What each key is played on, and in words which of them the kit does not have.

    Key 40 is the snare; only where both snare keys occur it is the louder, rimshot one.
    """
    found: dict[int, Sound] = {}
    remarks: list[str] = []
    for key in sorted(keys):
        sound = sound_of(kit, key)
        if key == 40 and 38 not in keys:
            sound = sound_of(kit, 38)
        elif key in (22, 26) and kit.of_kind("hi-hat") is not None:
            edge = "hh:edge" if "hh:edge" in kit.voices else "hh"
            sound = Sound(edge, "o" if key == 26 else "")
        elif key in SUBSTITUTES and piece_of(sound.voice) not in kit:
            name, kinds, marks = SUBSTITUTES[key]
            piece = next((piece for kind in kinds if (piece := kit.of_kind(kind)) is not None), None)
            if piece is not None:
                sound = Sound(piece.code, marks if piece.kind == "snare" or marks == "o" else "")
                remarks.append(f"{name} (key {key}) on the {piece.name}")
        found[key] = sound
    return found, remarks


def replace_voice(sound: Sound, voice: str) -> Sound:
    """A key's sound on another voice: by hand, except for the bass drum and the hi-hat pedal."""
    if voice == "bd":
        return Sound("bd", limb=KICK)
    if voice.endswith(":foot"):
        return Sound(voice, limb=HAT_FOOT)
    return Sound(voice, sound.marks)


# --- loudness -------------------------------------------------------------------------------------------------------


def loudness_marks(notes: Sequence[Note]) -> list[str]:
    """``>``, ``.`` or nothing for each note, from how loud its own key is played in this file.

    Where a key has two clearly different loudnesses the lower one is ghosts, if it is a drum's and much softer; else
    the upper one is accents, if that is the smaller part. Cymbals and feet have no ghosts.
    """
    by_key: dict[int, list[int]] = {}
    for note in notes:
        by_key.setdefault(note.key, []).append(note.velocity)
    rules = {key: _levels(velocities, key in _DRUM_KEYS) for key, velocities in by_key.items()}
    marks = []
    for note in notes:
        ghost_to, accent_from = rules[note.key]
        marks.append(">" if note.velocity >= accent_from else "." if note.velocity <= ghost_to else "")
    return marks


def _levels(velocities: Sequence[int], drum: bool) -> tuple[float, float]:
    """Up to which velocity a stroke is a ghost, and from which an accent."""
    cut = _cut(sorted(velocities))
    if cut is None:
        return -math.inf, math.inf
    low = [v for v in velocities if v < cut]
    high = [v for v in velocities if v >= cut]
    if drum and sum(low) / len(low) <= GHOSTS_BELOW * sum(high) / len(high):
        # Ghosts below; among the others there may be accents again.
        above = _cut(sorted(high))
        accents = [v for v in high if above is not None and v >= above]
        return max(low), above if above is not None and len(accents) < len(high) / 2 else math.inf
    return -math.inf, cut if len(high) <= len(velocities) / 2 else math.inf


def _cut(velocities: Sequence[int]) -> float | None:
    """The velocity that parts two kinds of loudness best (Otsu 1979: the greatest variance between them); None where
    there is one kind.
    """
    count, total = len(velocities), sum(velocities)
    best, cut = 0.0, None
    below = 0
    for k in range(1, count):
        below += velocities[k - 1]
        if velocities[k] == velocities[k - 1]:
            continue
        low, high = below / k, (total - below) / (count - k)
        spread = k * (count - k) * (high - low) ** 2
        if high - low >= TWO_KINDS and spread > best:
            best, cut = spread, (velocities[k] + velocities[k - 1]) / 2
    if cut is None:
        return None
    inside = sum((v - _mean_side(velocities, cut, v)) ** 2 for v in velocities) / count
    # Two kinds are further apart than each is wide.
    return cut if best / count**2 > 1.5 * inside else None


def _mean_side(velocities: Sequence[int], cut: float, of: int) -> float:
    at = bisect_left(velocities, cut)
    side = velocities[:at] if of < cut else velocities[at:]
    return sum(side) / len(side)


# --- graces ---------------------------------------------------------------------------------------------------------


def graces_of(notes: Sequence[Note], second: float) -> dict[int, list[int]]:
    """For each main note its one or two graces: notes no louder, on the same key, very shortly before it.

    ``second`` is how many beats it has. Even strokes that go on as fast are a roll, and no graces.
    """
    found: dict[int, list[int]] = {}
    by_key: dict[int, list[int]] = {}
    for k, note in enumerate(notes):
        by_key.setdefault(note.key, []).append(k)
    for rows in by_key.values():
        if notes[rows[0]].key in FOOT_KEYS:
            continue
        gaps = [float(notes[b].beat - notes[a].beat) / second for a, b in pairwise(rows)]
        close = [GRACE_FROM <= gap <= GRACE_UNTIL for gap in gaps]
        at = 0
        while at < len(close):
            if not close[at]:
                at += 1
                continue
            end = at
            while end + 1 < len(close) and close[end + 1]:
                end += 1
            before = rows[at : end + 1]
            main = rows[end + 1]
            quiet = all(notes[k].velocity <= notes[main].velocity * GRACE_LOUDNESS for k in before)
            if len(before) <= 2 and quiet:
                found[main] = list(before)
            at = end + 1
    return found


# --- time -----------------------------------------------------------------------------------------------------------


class Timing(NamedTuple):
    """Where notes were meant to fall (beats), what all are late by (seconds), their swing, and how far each is off
    (seconds).
    """

    places: list[Fraction]
    late: float
    swing: Swing | None
    moved: list[float]


def timing_of(
    beats: Sequence[Fraction], second: float, may_swing: bool = True, grid: Fraction | None = None
) -> Timing:
    """Take out what is late throughout, find swing, and place the rest on grids.

    ``second`` is how many beats it has; ``grid``, a step in beats, is taken in place of those that are found.
    """
    late = _late(beats, second)
    played = [float(beat) - late for beat in beats]
    swing = swing_of(played) if may_swing and grid is None else None
    if grid is not None:
        places = place_on(grid, played)
        return Timing(places, late / second, None, [abs(a - float(b)) / second for a, b in zip(played, places)])
    if swing is None and not late and all((beat % 1).denominator <= 32 for beat in beats):
        return Timing(list(beats), 0.0, None, [0.0] * len(beats))
    if swing is None:
        places = place_played([max(0.0, beat) for beat in played])
        meant = [float(place) for place in places]
    else:
        places = place_played([max(0.0, _in_pairs(beat, swing, straight_part)) for beat in played], binary=True)
        meant = [_in_pairs(float(place), swing, swung_part) for place in places]
    return Timing(places, late / second, swing, [abs(a - b) / second for a, b in zip(played, meant)])


def _late(beats: Sequence[Fraction], second: float) -> float:
    """How much later than the beats everything is (beats), 0 where that is not so."""
    off = [float(beat) - round(beat) for beat in beats]
    near = sorted(x for x in off if abs(x) < 0.15)
    if len(near) < 4 or len(near) < len(beats) * 0.2:
        return 0.0
    middle = median(near)
    spread = median(abs(x - middle) for x in near)
    return middle if abs(middle) > max(LATE_FROM * second, 2 * spread) else 0.0


def swing_of(beats: Sequence[float]) -> Swing | None:
    """The swing that beats are played with: the second notes of pairs of eighths or sixteenths, all as late."""
    for value, pairs in ((8, 1.0), (16, 2.0)):
        inside = [(beat * pairs) % 1.0 for beat in beats]
        late = sorted(x for x in inside if _SWUNG[0] <= x <= _SWUNG[1])
        others = sum(0.2 <= x < _SWUNG[0] or _SWUNG[1] < x <= 0.8 for x in inside)
        if len(late) < max(_LEAST_SWUNG, 0.1 * len(beats)) or others > 0.1 * len(late):
            continue
        middle = median(late)
        if median(abs(x - middle) for x in late) <= 0.04:
            return Swing(float(round(middle * 100)), value)
    return None


def _in_pairs(beat: float, swing: Swing, moved: Callable[[float, float], float]) -> float:
    """A time (beats) moved inside its pair of notes that swing."""
    pair = 8 / swing.value
    begin = math.floor(beat / pair + 1e-9) * pair
    return begin + pair * moved((beat - begin) / pair, float(swing.second))


def tempo_words(tempi: Sequence[tuple[Fraction, float]], end: Fraction) -> tuple[float | None, str]:
    """The tempo that holds longest up to ``end`` (beats), None for none; and in words whether there are more."""
    if not tempi:
        return None, ""
    # From time 0 on the tempo is that of the first change at 0, else 120 (Standard MIDI Files 1.0).
    rows = list(tempi) if tempi[0][0] == 0 else [(Fraction(0), 120.0), *tempi]
    held: dict[float, float] = {}
    stops: list[Fraction] = [begin for begin, _ in rows[1:]]
    stops.append(max(end, rows[-1][0]) + 1)
    for (begin, bpm), stop in zip(rows, stops):
        length = float(min(stop, end + 1) - begin) / bpm
        held[bpm] = held.get(bpm, 0.0) + max(length, 0.0)
    heard = {bpm for bpm, length in held.items() if length > 0}
    chosen = max(held, key=lambda bpm: held[bpm])
    if len(heard) < 2 or max(heard) - min(heard) < 0.5:
        return chosen, ""
    span = f"from {min(heard):.4g} to {max(heard):.4g} BPM"
    return (
        chosen,
        f"the tempo changes, {span}: a plan has {chosen:.4g} BPM, which holds longest; a song keeps them",
    )
