"""How one kit differs from another, piece by piece, in words."""

from __future__ import annotations

import math

from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.message import Length, Message, joined, message
from deft_reach.core.model.piece_kinds import PIECE_KINDS


def kit_difference(before: Kit, now: Kit) -> list[tuple[str, Message]]:
    """(piece, what is different now) for every piece that differs; pieces are matched by code."""
    found: list[tuple[str, Message]] = []
    for piece in now:
        was = before.piece(piece.code)
        if was is None:
            found.append((piece.name, message("added")))
        elif words := _piece_difference(was, piece):
            found.append((piece.name, words))
    found += [(piece.name, message("removed")) for piece in before if now.piece(piece.code) is None]
    return found


def _piece_difference(was: Piece, now: Piece) -> Message:
    words: list[Message] = []
    moves = (
        (now.x - was.x, "right", "left"),
        (now.y - was.y, "forward", "back"),
        (now.z - was.z, "up", "down"),
    )
    if distance := math.dist((was.x, was.y, was.z), (now.x, now.y, now.z)):
        parts = [
            message(f"{{by}} {plus if d > 0 else minus}", by=Length(abs(d)))
            for d, plus, minus in moves
            if abs(d) >= 0.5
        ]
        words.append(joined(parts) if parts else message("{distance:.1f} away", distance=Length(distance)))
    if was.kind != now.kind:
        words.append(message("a {now} instead of a {was}", now=PIECE_KINDS[now.kind], was=PIECE_KINDS[was.kind]))
    for field, template in (
        ("diameter", "across {now} instead of {was}"),
        ("depth", "deep {now} instead of {was}"),
        ("width", "struck within {now} instead of {was}"),
    ):
        a, b = getattr(was, field), getattr(now, field)
        if a != b:
            words.append(message(template, now=Length(b), was=Length(a)))
    if was.tilt != now.tilt:
        words.append(message("tilted {now:.0f}° instead of {was:.0f}°", now=now.tilt, was=was.tilt))
    gone = {z.name for z in was.zones} - {z.name for z in now.zones}
    new = {z.name for z in now.zones} - {z.name for z in was.zones}
    words += [message("zone {name} added", name=name) for name in sorted(new)]
    words += [message("zone {name} removed", name=name) for name in sorted(gone)]
    if was.zones != now.zones and not gone and not new and was.diameter == now.diameter:
        words.append(message("zones moved"))
    if was.name != now.name:
        words.append(message("called {now} instead of {was}", now=now.name, was=was.name))
    return joined(words, "; ")
