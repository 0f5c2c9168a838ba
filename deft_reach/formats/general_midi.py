"""General MIDI Level 1 percussion keys: which one each voice sounds, and which voice each one is.

Key numbers from the General MIDI System Level 1 percussion map (MIDI Manufacturers Association, 1991).
"""

from __future__ import annotations

from typing import Final, NamedTuple

from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.limbs import EITHER, HAT_FOOT, KICK, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern

BASS, BASS_2 = 36, 35
SNARE, SIDE_STICK, SNARE_2, CLAVES = 38, 37, 40, 75
HAT_CLOSED, HAT_PEDAL, HAT_OPEN = 42, 44, 46
RIDE, RIDE_BELL, RIDE_2 = 51, 53, 59
CRASHES: Final = (49, 57)
SPLASH, CHINA, COWBELL = 55, 52, 56
BLOCKS: Final = (76, 77)
#: Toms from high to low.
TOMS: Final = (50, 48, 47, 45, 43, 41)
#: Sticks struck together: a count-in.
STICKS = 31
#: Rack toms from high to low for so many of them, and floor toms.
RACK: Final = {1: (48,), 2: (48, 45), 3: (50, 48, 45), 4: (50, 48, 47, 45)}
FLOOR: Final = {1: (43,), 2: (43, 41)}


#: The keys that feet play, and which foot: both of the left one's pedals are one foot.
FOOT_KEYS: Final = {BASS: KICK, BASS_2: HAT_FOOT, HAT_PEDAL: HAT_FOOT}


class Sound(NamedTuple):
    """What a key stands for: voice, marks, and the limb where only one can play it (else ``?``)."""

    voice: str
    marks: str = ""
    limb: str = EITHER


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
    if piece.kind == "snare":
        if "x" in marks or zone == "rim":
            return SIDE_STICK
        return CLAVES if zone == "shell" else SNARE_2 if "^" in marks else SNARE
    if piece.kind == "hi-hat":
        return HAT_OPEN if "o" in marks else HAT_CLOSED
    if zone in ("rim", "shell"):
        return CLAVES
    if piece.kind == "ride":
        return {"bell": RIDE_BELL, "edge": RIDE_2}.get(zone, RIDE)
    if piece.kind == "block":
        row = _alike(kit, piece)
        return COWBELL if "bell" in piece.name else BLOCKS[min(row.index(piece.code), 1)]
    if piece.kind in ("splash", "china"):
        return SPLASH if piece.kind == "splash" else CHINA
    row = _alike(kit, piece)
    at = row.index(piece.code)
    if piece.kind == "crash":
        return CRASHES[min(at, 1)]
    keys = (RACK if piece.kind == "tom" else FLOOR).get(len(row), RACK[4] if piece.kind == "tom" else FLOOR[2])
    return keys[min(at, len(keys) - 1)]


def sound_of(kit: Kit, key: int) -> Sound:
    """The voice that a key stands for on a kit; a sound the kit has nothing like is called by its key (``gm54``)."""
    if key in (BASS, BASS_2):
        return Sound("bd", limb=KICK)
    if key == HAT_PEDAL:
        return Sound("hh:foot", limb=HAT_FOOT)
    if key in (SNARE, SNARE_2):
        return Sound("sn", "^" if key == SNARE_2 else "")
    if key == SIDE_STICK:
        return Sound("sn", "x")
    if key in (HAT_CLOSED, HAT_OPEN):
        return Sound("hh", "o" if key == HAT_OPEN else "")
    if key == RIDE_BELL:
        return Sound("rd:bell")
    if key in (RIDE, RIDE_2):
        return Sound("rd")
    if key in TOMS:
        return Sound(_tom(kit, key))
    if key in CRASHES:
        crashes = [p.code for p in sorted((p for p in kit if p.kind == "crash"), key=lambda p: p.x)]
        return Sound(crashes[min(CRASHES.index(key), len(crashes) - 1)] if crashes else "c1")
    named = {SPLASH: ("splash", "sp"), CHINA: ("china", "ch")}
    if key in named:
        found = kit.of_kind(named[key][0])
        return Sound(found.code if found is not None else named[key][1])
    if key in (*BLOCKS, COWBELL):
        blocks = [p.code for p in kit if p.kind == "block" and ("bell" in p.name) == (key == COWBELL)]
        if blocks:
            return Sound(blocks[min(max(0, key - BLOCKS[0]), len(blocks) - 1)])
    return Sound(f"gm{key}")


def kit_keys(kit: Kit) -> frozenset[int]:
    """The keys that something on a kit sounds; keys of pieces that it does not have are no part of its playing."""
    found = {BASS, BASS_2, STICKS}
    for key in (SNARE, SNARE_2, SIDE_STICK, HAT_CLOSED, HAT_OPEN, HAT_PEDAL, RIDE, RIDE_BELL, RIDE_2, *TOMS, *CRASHES,
                SPLASH, CHINA, COWBELL, *BLOCKS, CLAVES):  # fmt: skip
        code = sound_of(kit, key).voice.partition(":")[0]
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
    return COWBELL


def _alike(kit: Kit, piece: Piece) -> list[str]:
    """Codes of the pieces of one kind: drums from small to large, cymbals from left to right."""
    row = [p for p in kit if p.kind == piece.kind] if piece.code in kit else [piece]
    if piece.kind == "block":
        row = [p for p in row if ("bell" in p.name) == ("bell" in piece.name)]
    drums = piece.kind in ("tom", "floor-tom")
    return [p.code for p in sorted(row, key=lambda p: (p.diameter, p.x) if drums else (p.x, p.y))]


def _tom(kit: Kit, key: int) -> str:
    """The tom that a key is, by its place between high and low among those there are."""
    for kind, table in (("tom", RACK), ("floor-tom", FLOOR)):
        row = [p.code for p in sorted((p for p in kit if p.kind == kind), key=lambda p: (p.diameter, p.x))]
        keys = table.get(len(row), table[max(table)]) if row else ()
        if key in keys:
            return row[keys.index(key)]
    toms = sorted((p for p in kit if p.kind in ("tom", "floor-tom")), key=lambda p: (p.kind != "tom", p.diameter))
    if not toms:
        return "t1" if key >= 45 else "ft"
    return toms[round(TOMS.index(key) / 5 * (len(toms) - 1))].code
