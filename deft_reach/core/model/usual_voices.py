"""The voices each hand usually plays on a kit: what a pad is offered for."""

from __future__ import annotations

from typing import Final

from deft_reach.core.model.kit import Kit, Piece
from deft_reach.core.model.limbs import LEFT, RIGHT

#: A hand has so many at most.
MOST: Final = 4
_STRUCK: Final = ("snare", "hi-hat", "ride", "tom", "floor-tom", "crash", "splash", "china", "block")


def usual_voices(kit: Kit, hand: str) -> tuple[str, ...]:
    """Up to four voices for a hand, the nearest to the middle first: snare and hi-hat, then what stands on its side.

    The ride comes first, then the floor tom, other toms, and crashes. Common practice.
    """
    pieces = [piece for piece in kit if piece.kind in _STRUCK]
    snare = next((piece for piece in pieces if piece.kind == "snare"), None)
    middle = snare.x if snare is not None else 0.0
    both = [piece for kind in ("snare", "hi-hat") for piece in pieces if piece.kind == kind][:2]

    def on_this_side(piece: Piece) -> bool:
        return piece.x > middle if hand == RIGHT else piece.x <= middle

    order = {"ride": 0, "floor-tom": 1, "tom": 2, "crash": 3}
    own = sorted((p for p in pieces if p not in both and on_this_side(p)), key=lambda p: order.get(p.kind, 4))
    if hand == LEFT and not any(p.kind == "tom" for p in own):
        # A tom in front of the snare is the left hand's as well.
        toms = sorted((p for p in pieces if p.kind == "tom"), key=lambda p: abs(p.x - middle))
        own = [*toms[:1], *own]
    return tuple(piece.code for piece in [*both, *own][:MOST])
