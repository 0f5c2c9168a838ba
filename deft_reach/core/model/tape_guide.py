"""The order in which a kit is measured: every piece's height, and how far it is from the seat and from the snare."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from deft_reach.core.model.kit import FLOOR, SEAT, Kit, Reading

Pair = tuple[str, str]


def pair_key(pair: Pair) -> frozenset[str]:
    """A pair whichever end the tape begins at."""
    return frozenset(pair)


def measured(readings: Sequence[Reading]) -> set[frozenset[str]]:
    """The pairs that have a reading."""
    return {pair_key((r.a, r.b)) for r in readings}


def usual_pairs(kit: Kit) -> tuple[Pair, ...]:
    """What is measured of a kit, in order: the seat, then three readings a piece, the nearest to the snare first.

    Three readings place a piece, to its height, the seat and the snare; pedals and the bass drum can be left out.
    Common practice.
    """
    pieces = [piece for piece in kit if not piece.is_pedal and piece.kind != "bass"]
    if not pieces:
        return ()
    first = next((piece for piece in pieces if piece.kind == "snare"), pieces[0])
    others = sorted((p for p in pieces if p is not first), key=lambda p: (p.x - first.x) ** 2 + (p.y - first.y) ** 2)
    found = [(SEAT, FLOOR), (first.code, FLOOR), (first.code, SEAT)]
    for piece in others:
        found += [(piece.code, FLOOR), (piece.code, SEAT), (piece.code, first.code)]
    return tuple(found)


def next_pair(
    kit: Kit,
    readings: Sequence[Reading],
    suggestion: Pair | None = None,
    skipped: Collection[frozenset[str]] = (),
) -> Pair | None:
    """What to measure next: the first of the usual pairs without a reading, then what helps most (``suggestion``).

    ``skipped`` pairs are not asked for again. None where there is nothing worth measuring.
    """
    done = measured(readings) | set(skipped)
    for pair in usual_pairs(kit):
        if pair_key(pair) not in done:
            return pair
    return suggestion if suggestion is not None and pair_key(suggestion) not in done else None
