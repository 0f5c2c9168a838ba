"""Comfort of each hand at a piece."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given

from deft_reach.core import Player, layout
from deft_reach.core.motion.comfort import comfort, easier
from deft_reach.core.motion.pose import elbow_degrees
from tests.strategies import kits

FIVE = layout("five")
PLAYER = Player()


def test_the_elbow_angle_is_what_the_law_of_cosines_says():
    for code in ("sn", "hh", "ft", "rd"):
        found = comfort(FIVE, PLAYER, code)
        for each in found.values():
            if each.lean == 0:
                span, a, b = each.reach * PLAYER.arm_mm, PLAYER.upper_arm_mm, PLAYER.forearm_mm
                cosine = (a * a + b * b - span * span) / (2 * a * b)
                assert each.elbow == pytest.approx(math.degrees(math.acos(cosine)), abs=1e-6)


def test_a_straight_arm_has_180_degrees_and_a_right_angle_90():
    assert elbow_degrees(np.array([[0, 0, 3], [0, 0, 2], [0, 0, 1], [0, 0, 0.0]])) == pytest.approx(180)
    assert elbow_degrees(np.array([[0, 0, 3], [0, 0, 2], [0, 1, 2], [0, 2, 2.0]])) == pytest.approx(90)


def test_a_higher_seat_puts_the_drum_lower_against_the_elbow():
    low, high = (comfort(FIVE, replace(PLAYER, seat_height_mm=h), "sn")["R"].above_elbow for h in (450, 550))
    assert low - high == pytest.approx(100)


def test_each_side_of_the_kit_is_easier_for_its_own_hand():
    """Common practice on a right-handed kit: floor tom and ride to the right, left crash to the left."""
    assert easier(comfort(FIVE, PLAYER, "ft")) == "R"
    assert easier(comfort(FIVE, PLAYER, "rd")) == "R"
    assert easier(comfort(FIVE, PLAYER, "c1")) == "L"
    assert easier(comfort(FIVE.with_piece(FIVE.piece("sn").moved(0, 430)), PLAYER, "sn")) is None


def test_what_feet_play_or_the_kit_lacks_has_no_comfort():
    assert comfort(FIVE, PLAYER, "bd") == {} == comfort(FIVE, PLAYER, "zz")
    assert easier({}) is None


@given(kits())
def test_the_mirrored_kit_is_as_comfortable_for_the_other_hand(kit):
    for piece in kit:
        one, two = comfort(kit, PLAYER, piece.code), comfort(kit.mirror(), PLAYER.mirror(), piece.code)
        if one:
            turned = {hand: row._replace(turn=-row.turn) for hand, row in two.items()}
            assert one["R"] == turned["L"] and one["L"] == turned["R"]
