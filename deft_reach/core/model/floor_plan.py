"""The kit as marks on a rug: every point by its distances from two fixed marks, so that one tape lays it out."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from deft_reach.core.model.kit import Kit

#: The two marks: A under the seat's centre, B so far straight ahead (mm).
MARK_B_MM: Final = 1000.0


@dataclass(frozen=True)
class RugMark:
    """One point to mark.

    ``what`` is ``strike`` (straight below a strike centre), ``foot`` or ``pedal``; ``label`` is unique on the plan.
    ``from_a`` and ``from_b`` are level distances from the two marks in mm; ``side`` says on which side of the line
    from A to B it lies; ``height`` is the strike centre's, None for what stands on the floor.
    """

    label: str
    code: str
    name: str
    what: str
    x: float
    y: float
    from_a: float
    from_b: float
    side: str
    height: float | None


def rug_marks(kit: Kit) -> tuple[RugMark, ...]:
    """Everything to mark, piece by piece: strike centres, stand feet, pedals."""
    found: list[RugMark] = []
    for piece in kit:
        if piece.is_pedal:
            found.append(_mark(piece.code, piece.code, piece.name, "pedal", piece.x, piece.y, None))
            continue
        found.append(_mark(piece.code, piece.code, piece.name, "strike", piece.x, piece.y, piece.z))
        for number, foot in enumerate(piece.feet, 1):
            at = (piece.x + foot.dx, piece.y + foot.dy)
            found.append(_mark(f"{piece.code}.{number}", piece.code, f"{piece.name} foot", "foot", *at, None))
    return tuple(found)


def place_from_distances(from_a: float, from_b: float, side: str) -> tuple[float, float]:
    """Back from the two distances to (x, y) in mm: where the two arcs of the tape cross on that side."""
    y = (from_a**2 - from_b**2 + MARK_B_MM**2) / (2 * MARK_B_MM)
    x = math.sqrt(max(from_a**2 - y**2, 0.0))
    return (-x if side == "left" else x), y


def _mark(label: str, code: str, name: str, what: str, x: float, y: float, height: float | None) -> RugMark:
    side = "left" if x < -0.5 else "right" if x > 0.5 else "on the line"
    return RugMark(label, code, name, what, x, y, math.hypot(x, y), math.hypot(x, y - MARK_B_MM), side, height)
