"""The order of measuring: three readings a piece, which place it; then what the tape says helps most."""

import math

import pytest

from deft_reach.core import LAYOUTS, Player, layout
from deft_reach.core.model.kit import FLOOR, SEAT, Reading
from deft_reach.core.model.tape import measure
from deft_reach.core.model.tape_guide import next_pair, pair_key, usual_pairs


def reading(kit, pair, seat=520.0):
    """What a tape would show between two points, from their coordinates alone."""

    def place(end):
        piece = kit.piece(end)
        return (0.0, 0.0, seat) if end == SEAT else (piece.x, piece.y, piece.z)

    a, b = pair
    return Reading(a, b, place(a)[2] if b == FLOOR else math.dist(place(a), place(b)))


@pytest.mark.parametrize("name", LAYOUTS)
def test_the_usual_readings_place_every_piece(name):
    """Read off a kit that stands elsewhere than the base, they give its places back to a tenth of a millimetre."""
    base = layout(name)
    true = base
    for k, piece in enumerate(p for p in base if not p.is_pedal and p.kind != "bass"):
        true = true.with_piece(
            piece.moved(piece.x + 7 * (k % 3) - 6, piece.y + 9 - 5 * (k % 4), piece.z + 4 * (k % 5))
        )
    found = measure([reading(true, pair) for pair in usual_pairs(base)], base, Player())
    assert found.undetermined == () and found.fits
    turn = math.atan2(found.kit.piece("sn").x, found.kit.piece("sn").y) - math.atan2(
        true.piece("sn").x, true.piece("sn").y
    )
    for piece in true:
        if piece.is_pedal or piece.kind == "bass":
            continue
        there = found.kit.piece(piece.code)
        # Distances cannot say how the kit is turned about the seat.
        x = there.x * math.cos(turn) - there.y * math.sin(turn)
        y = there.x * math.sin(turn) + there.y * math.cos(turn)
        assert math.dist((x, y, there.z), (piece.x, piece.y, piece.z)) < 0.5, piece.code


def test_pairs_are_asked_in_order_skipped_and_then_suggested():
    kit = layout("compact")
    readings = []
    asked = []
    while (pair := next_pair(kit, readings)) is not None:
        asked.append(pair)
        readings.append(reading(kit, pair))
    assert tuple(asked) == usual_pairs(kit) and asked[0] == (SEAT, FLOOR) and asked[1] == ("sn", FLOOR)
    assert next_pair(kit, readings, ("hh", "t1")) == ("hh", "t1")
    assert next_pair(kit, readings, ("hh", "t1"), [pair_key(("t1", "hh"))]) is None
    assert next_pair(kit, [], None, [pair_key(asked[0])]) == asked[1]


def test_a_kit_without_drums_has_nothing_to_measure():
    from dataclasses import replace

    kit = layout("compact")
    assert next_pair(replace(kit, pieces=tuple(p for p in kit if p.is_pedal)), []) is None
