"""Pieces that stand inside each other, and new pieces that do not."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import LAYOUTS, check_kit, layout
from deft_reach.core.model.collisions import collisions, covered, heights
from deft_reach.core.model.layouts import beside, free_code, new_piece
from deft_reach.core.model.piece_kinds import PEDALS, PIECE_KINDS

FIVE = layout("five")


@pytest.mark.parametrize("name", LAYOUTS)
def test_nothing_overlaps_in_the_shipped_kits(name):
    assert collisions(layout(name)) == ()
    assert collisions(layout(name).mirror()) == ()


def test_a_drum_moved_into_another_is_found_and_apart_again_is_not():
    snare, tom = FIVE.piece("sn"), FIVE.piece("ft")
    into = FIVE.with_piece(tom.moved(snare.x + 200, snare.y))
    depths = {frozenset((c.a, c.b)): c.depth for c in collisions(into)}
    assert depths[frozenset(("sn", "ft"))] > 100
    clear = FIVE.with_piece(tom.moved(snare.x + (snare.diameter + tom.diameter) / 2 + 1, snare.y - 150))
    assert collisions(clear) == ()


def test_a_cymbal_above_a_drum_is_not_in_it():
    snare, crash = FIVE.piece("sn"), FIVE.piece("c1")
    assert collisions(FIVE.with_piece(crash.moved(snare.x, snare.y))) == ()
    assert collisions(FIVE.with_piece(crash.moved(snare.x, snare.y, 640)))


def test_a_tom_hung_too_low_stands_in_the_bass_drum():
    tom = FIVE.piece("t1")
    found = collisions(FIVE.with_piece(tom.moved(tom.x, tom.y, 650)))
    assert {"bd", "t1"} in [{c.a, c.b} for c in found]


@given(st.integers(-400, 400), st.integers(-400, 400), st.sampled_from([p.code for p in FIVE if not p.is_pedal]))
def test_it_is_the_same_for_the_mirrored_kit(dx, dy, code):
    piece = FIVE.piece(code)
    kit = FIVE.with_piece(piece.moved(piece.x + dx, piece.y + dy))
    one = {(c.a, c.b, c.depth) for c in collisions(kit)}
    assert one == {(c.a, c.b, c.depth) for c in collisions(kit.mirror())}


def test_heights_of_bodies():
    low, high = heights(FIVE.piece("bd"))
    assert (low, high) == pytest.approx((300 - 279.4, 300 + 279.4))
    low, high = heights(FIVE.piece("ft"))
    assert high == pytest.approx(610, abs=10) and low == pytest.approx(210, abs=10)


@pytest.mark.parametrize("kind", [kind for kind in PIECE_KINDS if kind not in PEDALS])
def test_a_new_piece_stands_free_and_has_a_code_of_its_own(kind):
    piece = new_piece(FIVE, kind)
    kit = FIVE.with_piece(piece)
    check_kit(kit)
    assert len(kit.pieces) == len(FIVE.pieces) + 1 and piece.kind == kind
    assert collisions(kit) == () and covered(FIVE, piece) == 0, "free from above, too"
    assert math.hypot(piece.x, piece.y) <= 900, "and within reach"


def test_a_missing_pedal_comes_back_where_it_belongs():
    piece = new_piece(FIVE, "second-bass-pedal")
    assert piece.code == "jp" and piece.x < 0
    assert new_piece(FIVE.mirror(), "second-bass-pedal").x > 0


def test_a_twin_stands_beside_its_model():
    twin = beside(FIVE, FIVE.piece("c1"))
    kit = FIVE.with_piece(twin)
    check_kit(kit)
    assert twin.code == "c3" and twin.z == FIVE.piece("c1").z and collisions(kit) == ()


def test_codes_are_free_and_every_kind_has_its_usual_size():
    assert free_code(FIVE, "sn") == "sn1" and free_code(FIVE, "t1") == "t3" and free_code(FIVE, "sp") == "sp"
