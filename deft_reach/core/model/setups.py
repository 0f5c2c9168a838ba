"""Schools of set-up: a kit turned into another school's in one step.

Whoever leads with one hand may still play the hi-hat crossed or open-handed, the ride on either side, or everything
in pairs. Each of these keeps the pieces and moves as few of them as it can, to the nearest place where they fit.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

from deft_reach.core.model.collisions import trouble
from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.player import Player

SetUp = Callable[[Kit, Player], tuple[Kit, Player]]


class SetUpError(ValueError):
    """A school that this kit cannot follow: says what is missing."""


def mirrored(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """Everything the other way round, for a player who leads with the other hand."""
    return kit.mirror(), player.mirror()


def hat_on_lead_side(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """The hi-hat beside the lead hand, so that it is played open-handed. Its pedal stays: a cable stand."""
    return _hat_to(kit, _lead(player)), player


def hat_across(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """The hi-hat on the far side of the snare, where the lead hand crosses over to it."""
    return _hat_to(kit, -_lead(player)), player


def ride_beside_hat(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """The ride on the hi-hat's side."""
    return _ride_to(kit, kit.hat_side), player


def ride_opposite_hat(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """The ride across the kit from the hi-hat."""
    return _ride_to(kit, -kit.hat_side), player


def symmetric(kit: Kit, player: Player) -> tuple[Kit, Player]:
    """Snare and bass drum in the middle, and everything there are two of in mirrored pairs about them."""
    for piece in kit:
        if piece.kind in ("snare", "bass"):
            kit = kit.with_piece(piece.moved(0.0, piece.y))
    for pair in _pairs(kit):
        kit = _set_pair(kit, *pair)
    toms = [p for p in kit if p.kind == "tom"]
    if len(toms) % 2:
        middle = sorted(toms, key=lambda p: p.x)[len(toms) // 2]
        kit = kit.with_piece(place_near(kit, middle, 0.0, middle.y, middle.z, on_line=True))
    return kit, player


#: By id: what a player calls it, and the change.
SETUPS: Final[dict[str, tuple[str, SetUp]]] = {
    "mirrored": ("Mirrored, for the other lead hand", mirrored),
    "hat-lead-side": ("Hi-hat on the lead side (open-handed)", hat_on_lead_side),
    "hat-across": ("Hi-hat across (crossed hands)", hat_across),
    "ride-beside-hat": ("Ride beside the hi-hat", ride_beside_hat),
    "ride-opposite-hat": ("Ride opposite the hi-hat", ride_opposite_hat),
    "symmetric": ("Symmetric, in pairs", symmetric),
}


def place_near(kit: Kit, piece: Piece, x: float, y: float, z: float, on_line: bool = False) -> Piece:
    """The piece at the free place nearest to (x, y, z), mm; ``on_line`` keeps x.

    Where nothing is free within 400 mm it stands where it overlaps least.
    """
    best: tuple[float, float, Piece] | None = None
    for dx, dy, dz in _spiral(on_line):
        there = piece.moved(float(round(x + dx)), float(round(y + dy)), float(round(z + dz)))
        found = (trouble(kit, there), math.hypot(dx, dy) + 1.5 * abs(dz), there)
        if best is None or found[:2] < best[:2]:
            best = found
        if found[0] == 0.0 and best[2] is there:
            break
    assert best is not None
    return best[2]


def _spiral(on_line: bool) -> list[tuple[float, float, float]]:
    """Offsets from nothing to 400 mm away and 150 mm up or down, the smallest first."""
    steps = [(0.0, 0.0, float(dz)) for dz in range(-150, 151, 30)]
    for radius in range(30, 421, 30):
        for k in range(16):
            angle = math.tau * k / 16
            dx, dy = radius * math.sin(angle), radius * math.cos(angle)
            if not on_line or k % 8 == 0:
                steps += [(0.0 if on_line else dx, dy, float(dz)) for dz in range(-150, 151, 30)]
    return sorted(steps, key=lambda s: (math.hypot(s[0], s[1]) + 1.5 * abs(s[2]), s))


def _lead(player: Player) -> int:
    return 1 if player.handedness == "right" else -1


def _hat_to(kit: Kit, side: int) -> Kit:
    hat, snare = kit.of_kind("hi-hat"), kit.of_kind("snare")
    if hat is None or snare is None:
        raise SetUpError(f"the kit '{kit.name}' has no {'hi-hat' if hat is None else 'snare'} to set up by")
    if kit.hat_side == side:
        return kit
    return kit.with_piece(place_near(kit, hat.mirror(), 2 * snare.x - hat.x, hat.y, hat.z))


def _ride_to(kit: Kit, side: int) -> Kit:
    ride = kit.of_kind("ride")
    if ride is None:
        raise SetUpError(f"the kit '{kit.name}' has no ride cymbal")
    if (1 if ride.x >= 0 else -1) == side:
        return kit
    return kit.with_piece(place_near(kit, ride.mirror(), -ride.x, ride.y, ride.z))


def _pairs(kit: Kit) -> list[tuple[Piece, Piece]]:
    """What belongs together left and right: hi-hat and ride, and two of a kind, the outer ones with each other."""
    found = []
    hat, ride = kit.of_kind("hi-hat"), kit.of_kind("ride")
    if hat is not None and ride is not None:
        found.append((hat, ride) if kit.hat_side < 0 else (ride, hat))
    for kind in ("tom", "floor-tom", "crash", "splash", "china"):
        row = sorted((p for p in kit if p.kind == kind), key=lambda p: p.x)
        found += [(row[k], row[-1 - k]) for k in range(len(row) // 2)]
    return found


def _set_pair(kit: Kit, left: Piece, right: Piece) -> Kit:
    """Two pieces at mirrored places, as near as can be to where they are on the whole, free of the others."""
    x, y = (abs(left.x) + abs(right.x)) / 2, (left.y + right.y) / 2
    # Two that stand side by side in the middle need room for both.
    x = max(x, (left.diameter + right.diameter) / 4 + 5) if left.kind == right.kind else max(x, 200.0)
    best: tuple[float, Kit] | None = None
    for dx, dy, dz in _spiral(False):
        two = [
            left.moved(-float(round(x + dx)), float(round(y + dy)), float(round(left.z + dz))),
            right.moved(float(round(x + dx)), float(round(y + dy)), float(round(right.z + dz))),
        ]
        there = kit.with_piece(two[0]).with_piece(two[1])
        hidden = sum(trouble(there, piece) for piece in two)
        if best is None or hidden < best[0]:
            best = (hidden, there)
        if hidden == 0.0:
            break
    assert best is not None
    return best[1]
