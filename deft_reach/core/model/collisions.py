"""Pieces that stand inside each other."""

from __future__ import annotations

import math
from itertools import combinations
from typing import Final, NamedTuple

from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.piece_kinds import CYMBALS

#: Hardware gives and measures are taken by hand: this much overlap (mm) is none.
GIVE_MM: Final = 8.0


class Collision(NamedTuple):
    """Two pieces that would stand inside each other, and by how much (mm) they would have to part sideways."""

    a: str
    b: str
    depth: float


def collisions(kit: Kit) -> tuple[Collision, ...]:
    """Every pair that overlaps, seen from above and in height, by more than a little give."""
    solid = [piece for piece in kit if not piece.is_pedal]
    found = []
    for a, b in combinations(solid, 2):
        depth = min(_sideways(a, b), _upright(a, b))
        if depth > GIVE_MM:
            found.append(Collision(a.code, b.code, depth))
    return tuple(found)


def trouble(kit: Kit, piece: Piece) -> float:
    """How much overlap (mm, summed) a piece would have with the rest of the kit if it stood like this."""
    if piece.is_pedal:
        return 0.0
    others = (other for other in kit if other.code != piece.code and not other.is_pedal)
    depths = (min(_sideways(piece, other), _upright(piece, other)) for other in others)
    return sum(depth for depth in depths if depth > GIVE_MM)


def covered(kit: Kit, piece: Piece) -> float:
    """How much (mm, summed) a piece would lie over or under others, seen from above."""
    others = (other for other in kit if other.code != piece.code and not other.is_pedal)
    return sum(depth for depth in (_sideways(piece, other) for other in others) if depth > GIVE_MM)


def heights(piece: Piece) -> tuple[float, float]:
    """Lowest and highest point of a piece's body, mm."""
    radius = piece.diameter / 2
    if piece.kind == "bass":
        return piece.z - radius, piece.z + radius
    rise = abs(radius * math.sin(math.radians(piece.tilt)))
    if piece.kind in CYMBALS:
        return piece.z - rise - 8, piece.z + rise + 8
    return piece.z - piece.depth - rise * 0.5, piece.z + rise * 0.5


def _upright(a: Piece, b: Piece) -> float:
    """How far the two reach into each other in height."""
    (low, high), (lower, higher) = heights(a), heights(b)
    return min(high, higher) - max(low, lower)


def _sideways(a: Piece, b: Piece) -> float:
    """How far the two reach into each other seen from above."""
    if b.kind == "bass":
        a, b = b, a
    if a.kind == "bass":
        # A bass drum lies on its side: a box from above.
        dx = abs(a.body[0] - b.body[0]) - a.diameter / 2
        dy = abs(a.body[1] - b.body[1]) - a.depth / 2
        outside = math.hypot(max(dx, 0.0), max(dy, 0.0))
        inside = min(max(dx, dy), 0.0)
        return b.diameter / 2 - outside - inside
    return (a.diameter + b.diameter) / 2 - math.dist(a.body, b.body)
