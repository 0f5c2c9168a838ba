"""Schools of set-up, and other changes of whole kits and pieces."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import Player, check_kit, layout
from deft_reach.core.model.collisions import collisions
from deft_reach.core.model.kit import gaps
from deft_reach.core.model.kit_difference import kit_difference
from deft_reach.core.model.layouts import LAYOUTS, exchanged, resized, usual_zone
from deft_reach.core.model.message import message
from deft_reach.core.model.piece_kinds import PIECE_KINDS
from deft_reach.core.model.setups import SETUPS, SetUpError, place_near
from deft_reach.core.motion.crossing import crossings
from deft_reach.core.motion.reach_table import reach_table

RIGHT, LEFT = Player(), Player().mirror()


@pytest.mark.parametrize("name", LAYOUTS)
@pytest.mark.parametrize("school", SETUPS)
def test_every_school_keeps_the_pieces_and_none_overlap(name, school):
    kit = layout(name)
    changed, _ = SETUPS[school][1](kit, RIGHT)
    check_kit(changed)
    assert [p.code for p in changed] == [p.code for p in kit]
    assert collisions(changed) == ()


@pytest.mark.parametrize("name", LAYOUTS)
def test_an_open_handed_kit_uncrosses_the_hat_and_a_crossed_one_crosses_it(name):
    """Common practice: right hand on the hi-hat with the left on the snare is crossed only where it stands across."""
    kit = layout(name)
    opened, _ = SETUPS["hat-lead-side"][1](kit, RIGHT)
    assert opened.hat_side == 1 and opened.of_kind("hat-pedal") == kit.of_kind("hat-pedal")
    back, _ = SETUPS["hat-across"][1](opened, RIGHT)
    assert back.hat_side == -1
    for which, crossed in ((kit, True), (opened, False)):
        table = reach_table(which, RIGHT, ["hh", "sn"])
        found = crossings(table.pose("R", "hh", "sn")[None], table.pose("L", "sn", "hh")[None])
        assert bool(found.crossed[0]) is crossed
    for_left, _ = SETUPS["hat-lead-side"][1](kit.mirror(), LEFT)
    assert for_left.hat_side == -1, "a left-handed player leads on the other side"


@pytest.mark.parametrize("name", LAYOUTS)
def test_the_ride_goes_to_either_side(name):
    kit = layout(name)
    beside, _ = SETUPS["ride-beside-hat"][1](kit, RIGHT)
    assert beside.piece("rd").x < 0 and beside.piece("hh") == kit.piece("hh")
    assert SETUPS["ride-opposite-hat"][1](beside, RIGHT)[0].piece("rd").x > 0
    assert SETUPS["ride-opposite-hat"][1](kit, RIGHT)[0] == kit, "where it stands so already, nothing moves"


@pytest.mark.parametrize("name", LAYOUTS)
def test_a_symmetric_kit_stands_in_mirrored_pairs(name):
    kit, _ = SETUPS["symmetric"][1](layout(name), RIGHT)
    assert kit.of_kind("snare").x == 0 == kit.of_kind("bass").x
    hat, ride = kit.piece("hh"), kit.piece("rd")
    assert (hat.x, hat.y) == (-ride.x, ride.y)
    for kind in ("tom", "crash", "floor-tom"):
        row = sorted((p for p in kit if p.kind == kind), key=lambda p: p.x)
        for k in range(len(row) // 2):
            assert (row[k].x, row[k].y) == (-row[-1 - k].x, row[-1 - k].y)


def test_a_kit_without_the_piece_it_turns_about_is_refused_in_words():
    kit = layout("five")
    bare = replace(kit, pieces=tuple(p for p in kit if p.kind not in ("hi-hat", "ride")))
    with pytest.raises(SetUpError, match="has no hi-hat"):
        SETUPS["hat-lead-side"][1](bare, RIGHT)
    with pytest.raises(SetUpError, match="no ride cymbal"):
        SETUPS["ride-beside-hat"][1](bare, RIGHT)


def test_the_nearest_free_place_is_the_place_itself_when_it_is_free():
    kit = layout("five")
    assert place_near(kit, kit.piece("c1"), -360, 800, 1070) == kit.piece("c1")


@given(st.floats(50, 800), st.sampled_from(["sn", "t1", "ft", "rd", "c2"]))
def test_a_resized_piece_keeps_its_place_and_its_proportions(diameter, code):
    piece = layout("five").piece(code)
    again = resized(piece, diameter)
    ratio = diameter / piece.diameter
    assert (again.x, again.y, again.z) == (piece.x, piece.y, piece.z)
    assert again.body_dx == pytest.approx(piece.body_dx * ratio)
    for old, new in zip(piece.zones, again.zones):
        assert (new.dx, new.dy, new.width) == pytest.approx((old.dx * ratio, old.dy * ratio, old.width))
    back = resized(again, piece.diameter)
    assert back.body_dy == pytest.approx(piece.body_dy) and back.width == pytest.approx(piece.width, abs=1.0)


@pytest.mark.parametrize("kind", [k for k in PIECE_KINDS if "pedal" not in k])
def test_any_piece_can_be_exchanged_for_any_kind(kind):
    kit = layout("five")
    for piece in kit:
        if not piece.is_pedal:
            there = exchanged(kit, piece, kind)
            check_kit(kit.with_piece(there))
            assert (there.code, there.kind, there.x, there.y) == (piece.code, kind, piece.x, piece.y)


def test_an_exchanged_cymbal_keeps_its_height_and_a_drum_in_its_place_gets_its_own():
    kit = layout("five")
    crash = replace(kit.piece("c2"), z=1010.0)
    assert exchanged(kit, crash, "china").z == 1010
    assert exchanged(kit, crash, "tom").z == 850


def test_a_lost_zone_comes_back_where_it_was():
    piece = layout("five").piece("rd")
    for name in ("bell", "edge"):
        found = usual_zone(piece, name)
        known = piece.zone(name)
        assert (found.dx, found.dy) == pytest.approx((known.dx, known.dy))
    assert usual_zone(piece, "rim").name == "rim"


def test_what_a_kit_lacks_is_said():
    kit = layout("five")
    without = lambda *codes: replace(kit, pieces=tuple(p for p in kit if p.code not in codes))  # noqa: E731
    assert gaps(kit) == []
    assert "There is no snare" in gaps(without("sn"))[0]
    assert "no pedal" in gaps(without("kp"))[0] and "no drum" in gaps(without("bd"))[0]
    assert "no hi-hat" in gaps(without("hh"))[0]


def test_kits_are_compared_piece_by_piece():
    kit = layout("five")
    now = kit.with_piece(resized(kit.piece("ft").moved(460, 490, 620), 360))
    now = replace(now, pieces=tuple(p for p in now if p.code != "c2"))
    assert kit_difference(kit, kit) == []
    found = {name: str(what) for name, what in kit_difference(kit, now)}
    assert found["floor tom"].startswith("20 mm left, 10 mm up; across 360 mm instead of 406 mm")
    assert found["right crash"] == "removed"
    assert ("right crash", message("added")) in kit_difference(now, kit)
