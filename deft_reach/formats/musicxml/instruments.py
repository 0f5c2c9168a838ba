"""What a score's instruments are on a kit: by their standard sound, or else by their names."""

from __future__ import annotations

import re
from itertools import chain
from typing import Final

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import EITHER, HAT_FOOT, KICK
from deft_reach.core.model.piece_kinds import kind_by_name, piece_kind
from deft_reach.formats.general_midi import Sound

#: Words of a name or a sound id (MusicXML 4.0, sounds.xml), the kind of piece they mean, and its marks; the first
#: that fits counts.
_WORDS: Final = (
    (r"bass[ .-]?drum|kick|grosse? ?(trommel|caisse)", "bass", ""),
    (r"(hi[ -]?hat|charleston).*(foot|pedal)|(foot|pedal).*hi[ -]?hat", "foot", ""),
    (r"open.*hi[ -]?hat|hi[ -]?hat.*open", "hi-hat", "o"),
    (r"hi[ -]?hat|charleston", "hi-hat", ""),
    (r"side[ -]?stick|cross[ -]?stick|rim[ -]?(click|knock)", "snare", "x"),
    (r"snare|caisse claire|kleine trommel", "snare", ""),
    (r"ride.*bell|bell.*ride", "ride bell", ""),
    (r"ride", "ride", ""),
    (r"splash", "splash", ""),
    (r"china|chinese", "china", ""),
    (r"crash|cymbal", "crash", ""),
    (r"cow ?bell|agogo", "bell", ""),
    (r"wood ?block|block|temple", "block", ""),
    (r"floor|(low|bass)[ -]?tom.*2", "floor-tom", ""),
    (r"tom", "tom", ""),
)


def voice_by_words(kit: Kit, words: str) -> Sound | None:
    """The voice that an instrument's name or sound means on a kit; None where nothing is known of it."""
    words = words.lower()
    for pattern, kind, marks in _WORDS:
        if re.search(pattern, words):
            return _on_kit(kit, kind, marks, words)
    return None


def _on_kit(kit: Kit, kind: str, marks: str, words: str) -> Sound | None:
    if kind == "bass":
        return Sound("bd", limb=KICK)
    if kind == "foot":
        hat = kit.of_kind("hi-hat")
        return None if hat is None else Sound(f"{hat.code}:foot", limb=HAT_FOOT)
    if kind == "ride bell":
        ride = kit.of_kind("ride")
        return None if ride is None else Sound(f"{ride.code}:bell")
    if kind == "tom":
        return _tom(kit, words)
    alike = (p for p in kit if kind_by_name(p.kind, p.name) == kind)
    others = (p for one in piece_kind(kind).instead if (p := kit.of_kind(one)) is not None)
    piece = next(chain(alike, others), None)
    return None if piece is None else Sound(piece.code, marks, EITHER)


def _tom(kit: Kit, words: str) -> Sound | None:
    """A tom by how high it is said to be, or by its number."""
    toms = sorted((p for p in kit if p.kind in ("tom", "floor-tom")), key=lambda p: (p.kind != "tom", p.diameter))
    if not toms:
        return None
    number = re.search(r"(\d)", words)
    if number is not None:
        place = min(int(number.group(1)), len(toms)) - 1
    else:
        share = 0.0 if re.search(r"hi|small|1st", words) else 1.0 if re.search(r"low|large", words) else 0.5
        place = round(share * (len(toms) - 1))
    return Sound(toms[max(0, place)].code)
