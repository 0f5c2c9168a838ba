"""General MIDI Level 1 percussion keys: which one each voice sounds, and which voice each one is.

Key numbers from the General MIDI System Level 1 percussion map (MIDI Manufacturers Association, 1991).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final, NamedTuple

from deft_reach.core.model.kit import Kit, Piece, piece_of
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.limbs import EITHER, HAT_FOOT, KICK, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.piece_kinds import MidiKey, all_kinds, kind_by_name

BASS, BASS_2, HAT_PEDAL = 36, 35, 44
#: Sticks struck together: a count-in.
STICKS = 31
#: The keys that feet play, and which foot: both of the left one's pedals are one foot.
FOOT_KEYS: Final = {BASS: KICK, BASS_2: HAT_FOOT, HAT_PEDAL: HAT_FOOT}


class Key(NamedTuple):
    """A key of a kind of piece (None: any)."""

    kind: str | None
    key: MidiKey

    @property
    def number(self) -> int:
        return self.key.number


#: Rims and shells of whatever has no key of its own for them.
_ANY: Final = (
    Key(None, MidiKey(75, "rim", only_written=True)),
    Key(None, MidiKey(75, "shell", only_written=True)),
)


def keys() -> Iterator[Key]:
    """The hands' keys but for toms; of those that fit a stroke the first one is written, of those of a number the
    first one is read.
    """
    for kind in all_kinds():
        yield from (Key(kind.name, key) for key in kind.keys)
        if kind.name == "hi-hat":
            yield from _ANY


#: What is written for a piece that nothing is known of.
UNKNOWN: Final = 56
#: What a kind is called on a kit that has none of it; snare, hi-hat and ride are so on every kit.
CODES: Final = {"snare": "sn", "hi-hat": "hh", "ride": "rd", "crash": "c1", "splash": "sp", "china": "ch"}
_ALWAYS: Final = ("snare", "hi-hat", "ride")
#: Toms from high to low.
TOMS: Final = (50, 48, 47, 45, 43, 41)
#: Rack toms from high to low for so many of them, and floor toms.
TOM_KEYS: Final = {
    "tom": {1: (48,), 2: (48, 45), 3: (50, 48, 45), 4: (50, 48, 47, 45)},
    "floor-tom": {1: (43,), 2: (43, 41)},
}


#: What the keys are called (General MIDI Level 1 percussion map; 22 and 26 common practice of electronic kits).
NAMES: Final = {
    22: "hi-hat edge", 26: "open hi-hat edge", 27: "high Q", 28: "slap", 29: "scratch push", 30: "scratch pull",
    31: "sticks", 32: "square click", 33: "metronome click", 34: "metronome bell",
    35: "bass drum 2", 36: "bass drum 1",
    37: "side stick", 38: "snare 1", 39: "hand clap", 40: "snare 2", 41: "low floor tom", 42: "closed hi-hat",
    43: "high floor tom", 44: "pedal hi-hat", 45: "low tom", 46: "open hi-hat", 47: "low-mid tom", 48: "high-mid tom",
    49: "crash 1", 50: "high tom", 51: "ride 1", 52: "china cymbal", 53: "ride bell", 54: "tambourine", 55: "splash",
    56: "cowbell", 57: "crash 2", 58: "vibraslap", 59: "ride 2", 60: "high bongo", 61: "low bongo",
    62: "mute high conga", 63: "open high conga", 64: "low conga", 65: "high timbale", 66: "low timbale",
    67: "high agogo", 68: "low agogo", 69: "cabasa", 70: "maracas", 71: "short whistle", 72: "long whistle",
    73: "short guiro", 74: "long guiro", 75: "claves", 76: "high wood block", 77: "low wood block", 78: "mute cuica",
    79: "open cuica", 80: "mute triangle", 81: "open triangle", 82: "shaker", 83: "jingle bell", 84: "bell tree",
    85: "castanets", 86: "mute surdo", 87: "open surdo",
}  # fmt: skip


def key_name(key: int) -> str:
    """What a percussion key is called."""
    return NAMES.get(key, f"key {key}")


class Sound(NamedTuple):
    """What a key stands for: voice, marks, and the limb where only one can play it (else ``?``)."""

    voice: str
    marks: str = ""
    limb: str = EITHER


_PEDALS: Final = {
    BASS: Sound("bd", limb=KICK),
    BASS_2: Sound("bd", limb=KICK),
    HAT_PEDAL: Sound("hh:foot", limb=HAT_FOOT),
}


def key_of(kit: Kit, voice: str, limb: str, marks: str) -> int:
    """The key that a stroke sounds; for what General MIDI has no key for, the nearest thing it has."""
    code, _, zone = voice.partition(":")
    piece = kit.piece(code) or layout("large").piece(code)
    if limb == SECOND_KICK:
        return BASS_2
    if limb == KICK or code == "bd":
        return BASS
    if limb == HAT_FOOT or zone == "foot":
        return HAT_PEDAL
    if piece is None:
        return _of_unknown(code)
    kind, row = _kind(piece), _alike(kit, piece)
    place = row.index(piece.code)
    for of, key in keys():
        if (
            not key.only_read
            and of in (None, kind)
            and key.zone in ("", zone)
            and (not key.mark or key.mark in marks)
            and key.place in (None, place)
        ):
            return key.number
    table = TOM_KEYS.get(kind)
    if table is None:
        return UNKNOWN
    by_size = table.get(len(row), table[max(table)])
    return by_size[min(place, len(by_size) - 1)]


def sound_of(kit: Kit, key: int) -> Sound:
    """The voice that a key stands for on a kit; a sound the kit has nothing like is called by its key (``gm54``)."""
    if key in _PEDALS:
        return _PEDALS[key]
    if key in TOMS:
        return Sound(_tom(kit, key))
    for kind, row in keys():
        if row.number == key and kind is not None and not row.only_written:
            code = _code(kit, kind, row.place or 0)
            return Sound(f"gm{key}" if code is None else f"{code}:{row.zone}" if row.zone else code, row.mark)
    return Sound(f"gm{key}")


def _kind(piece: Piece) -> str:
    return kind_by_name(piece.kind, piece.name)


def _code(kit: Kit, kind: str, place: int) -> str | None:
    """The piece of a kind at a place, or the last one there is; None for blocks that a kit does not have."""
    if kind in _ALWAYS:
        return CODES[kind]
    found = [p for p in kit if _kind(p) == kind]
    if kind == "crash":
        found.sort(key=lambda p: p.x)
    return found[min(place, len(found) - 1)].code if found else CODES.get(kind)


def kit_keys(kit: Kit) -> frozenset[int]:
    """The keys that something on a kit sounds; keys of pieces that it does not have are no part of its playing."""
    found = {BASS, BASS_2, STICKS}
    for key in (HAT_PEDAL, *TOMS, *(row.number for row in keys())):
        code = piece_of(sound_of(kit, key).voice)
        if code in kit:
            found.add(key)
    return frozenset(found)


def pattern_keys(kit: Kit, pattern: Pattern) -> tuple[list[int], dict[int, int]]:
    """The key of each stroke, and by stroke that of its graces where they fall on another voice."""
    keys = [key_of(kit, s.voice, s.limb, s.marks) for s in pattern.strokes]
    graces = {
        s.index: key_of(kit, s.grace_voice, RIGHT, s.grace_marks)
        for s in pattern.strokes
        if s.grace and s.grace_voice
    }
    return keys, graces


def hand_test_keys(kit: Kit) -> dict[str, int]:
    """The key of every voice that a hand test can use, by its code, and of the feet by their limbs."""
    voices = dict.fromkeys(["sn", *(piece.code for piece in kit.pieces)])
    return {**{code: key_of(kit, code, RIGHT, "") for code in voices}, KICK: BASS, HAT_FOOT: HAT_PEDAL}


def _of_unknown(code: str) -> int:
    """A voice read from a key that the kit has nothing like keeps that key."""
    if code.startswith("gm") and code[2:].isdigit() and 0 <= int(code[2:]) <= 127:
        return int(code[2:])
    return UNKNOWN


def _alike(kit: Kit, piece: Piece) -> list[str]:
    """Codes of the pieces of one kind: drums from small to large, cymbals and blocks from left to right."""
    row = [p for p in kit if _kind(p) == _kind(piece)] if piece.code in kit else [piece]
    drums = piece.kind in TOM_KEYS
    return [p.code for p in sorted(row, key=lambda p: (p.diameter, p.x) if drums else (p.x, p.y))]


def _tom(kit: Kit, key: int) -> str:
    """The tom that a key is, by its place between high and low among those there are."""
    for kind, table in TOM_KEYS.items():
        row = [p.code for p in sorted((p for p in kit if p.kind == kind), key=lambda p: (p.diameter, p.x))]
        by_size = table.get(len(row), table[max(table)]) if row else ()
        if key in by_size:
            return row[by_size.index(key)]
    toms = sorted((p for p in kit if p.kind in TOM_KEYS), key=lambda p: (p.kind != "tom", p.diameter))
    if not toms:
        return "t1" if key >= 45 else "ft"
    return toms[round(TOMS.index(key) / 5 * (len(toms) - 1))].code
