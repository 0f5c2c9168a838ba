"""What stands in for a voice that a kit lacks: the nearest by role, among drums by their order of height."""

from __future__ import annotations

import math
from typing import Final

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.piece_kinds import PEDAL, all_kinds, piece_kind

#: Codes that are no kind's own.
_CODES: Final = {"ft": "floor-tom", "gm": "block"}


def like(kind: str) -> tuple[str, ...]:
    """Which kinds can stand in for one, the likest first, and itself before them; none for what feet play."""
    instead = piece_kind(kind).instead
    return (kind, *instead) if instead else ()


def substitute(kit: Kit, voice: str) -> str | None:
    """The voice that would be used where the kit lacks ``voice``; None if nothing could stand in.

    A missing zone is played on its piece. A missing drum goes to the drum at the same place in the order from high
    to low; a missing cymbal to the one nearest to where it stands on the large kit.
    """
    if kit.voice_point(voice) is not None:
        return voice
    code, _, zone = voice.partition(":")
    if zone and kit.piece(code) is not None:
        return None if zone == "foot" else code
    model = layout("large").piece(code)
    stem = code.rstrip("0123456789")
    by_code = {**{kind.code: kind.name for kind in all_kinds() if kind.family != PEDAL}, **_CODES}
    kind = model.kind if model is not None else by_code.get(code, by_code.get(stem))
    if kind is None:
        return None
    for other in like(kind):
        row = [piece for piece in kit if piece.kind == other]
        if not row:
            continue
        if kind in ("tom", "floor-tom"):
            row.sort(key=lambda piece: piece.diameter)
            number = int(code[len(stem) :] or 1) if code[len(stem) :].isdigit() or code == stem else 1
            at = min(number, len(row)) - 1 if other == kind else (len(row) - 1 if kind == "floor-tom" else 0)
            found = row[at]
        elif model is not None:
            found = min(row, key=lambda piece: abs(piece.x - model.x) + abs(piece.y - model.y))
        else:
            found = row[0]
        full = f"{found.code}:{zone}" if zone else found.code
        return full if kit.voice_point(full) is not None else found.code
    return None


def pieces_like(kit: Kit, code: str) -> tuple[str, ...]:
    """Other pieces that can stand in for one by their kind, the nearest first; then the others that hands strike."""
    piece = kit.piece(code)
    if piece is None:
        return ()
    here, kinds = (piece.x, piece.y, piece.z), like(piece.kind)
    others = [p for p in kit if p.code in kit.struck and p.code != code]
    others.sort(key=lambda p: (p.kind not in kinds, math.dist(here, (p.x, p.y, p.z))))
    return tuple(p.code for p in others)


def missing_voices(kit: Kit, voices: tuple[str, ...]) -> dict[str, str | None]:
    """Every voice that the kit lacks with what would stand in for it."""
    lacking = [voice for voice in dict.fromkeys(voices) if voice != "bd" and kit.voice_point(voice) is None]
    return {voice: substitute(kit, voice) for voice in lacking}
