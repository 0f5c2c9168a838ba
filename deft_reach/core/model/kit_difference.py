"""How one kit differs from another, piece by piece, in words."""

from __future__ import annotations

import math

from deft_reach.core.model.kit import KINDS, Kit, Piece


def kit_difference(before: Kit, now: Kit) -> list[tuple[str, str]]:
    """(piece, what is different now) for every piece that differs; pieces are matched by code. Lengths in mm."""
    found = []
    for piece in now:
        was = before.piece(piece.code)
        if was is None:
            found.append((piece.name, "added"))
        elif words := _piece_difference(was, piece):
            found.append((piece.name, words))
    found += [(piece.name, "removed") for piece in before if now.piece(piece.code) is None]
    return found


def _piece_difference(was: Piece, now: Piece) -> str:
    words = []
    moves = (
        (now.x - was.x, "right", "left"),
        (now.y - was.y, "forward", "back"),
        (now.z - was.z, "up", "down"),
    )
    if distance := math.dist((was.x, was.y, was.z), (now.x, now.y, now.z)):
        parts = [f"{abs(d):.0f} mm {plus if d > 0 else minus}" for d, plus, minus in moves if abs(d) >= 0.5]
        words.append(", ".join(parts) or f"{distance:.1f} mm away")
    if was.kind != now.kind:
        words.append(f"a {KINDS[now.kind]} instead of a {KINDS[was.kind]}")
    for field, name, unit in (
        ("diameter", "across", " mm"),
        ("depth", "deep", " mm"),
        ("width", "struck within", " mm"),
        ("tilt", "tilted", "°"),
    ):
        a, b = getattr(was, field), getattr(now, field)
        if a != b:
            words.append(f"{name} {b:.0f}{unit} instead of {a:.0f}{unit}")
    gone = {z.name for z in was.zones} - {z.name for z in now.zones}
    new = {z.name for z in now.zones} - {z.name for z in was.zones}
    words += [f"zone {name} added" for name in sorted(new)] + [f"zone {name} removed" for name in sorted(gone)]
    if was.zones != now.zones and not gone and not new and was.diameter == now.diameter:
        words.append("zones moved")
    if was.name != now.name:
        words.append(f"called {now.name} instead of {was.name}")
    return "; ".join(words)
