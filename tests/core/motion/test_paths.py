"""Paths between strikes: facts of minimum jerk, and where tips start, end and rise."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import BPoly

from deft_reach.core import Player
from deft_reach.core.motion.paths import (
    ACCENT_MM,
    TRAVEL_TIMINGS,
    arms_at,
    lift,
    lift_height,
    minimum_jerk,
    minimum_jerk_speed,
    tip_at,
)
from deft_reach.core.motion.pose import strike_poses, trunk_turn

U = np.linspace(0, 1, 2001)


def test_minimum_jerk_is_the_published_curve():
    """Flash & Hogan (1985): peak speed 1.875 of the mean, peak acceleration 5.77 D/T², symmetric."""
    way, speed = minimum_jerk(U), minimum_jerk_speed(U)
    assert way[0] == 0 and way[-1] == 1
    assert speed.max() == pytest.approx(1.875) and U[speed.argmax()] == pytest.approx(0.5)
    acceleration = np.gradient(speed, U)
    assert np.abs(acceleration).max() == pytest.approx(5.77, abs=0.01)
    assert way + way[::-1] == pytest.approx(1), "symmetric"
    assert np.gradient(way, U)[1:-1] == pytest.approx(speed[1:-1], abs=1e-3), "speed is the way's slope"


def test_minimum_jerk_is_the_only_fifth_degree_curve_that_starts_and_ends_at_rest():
    """The same through SciPy's Hermite interpolation: place, speed and acceleration given at both ends."""
    curve = BPoly.from_derivatives([0, 1], [[0, 0, 0], [1, 0, 0]])
    assert minimum_jerk(U) == pytest.approx(curve(U), abs=1e-12)


@pytest.mark.parametrize("travel", TRAVEL_TIMINGS)
@given(st.floats(0, 300), st.floats(-400, 400), st.floats(200, 900))
def test_a_tip_leaves_one_strike_and_lands_on_the_other(travel, height, x, y):
    start, end = np.array([[0.0, 400.0, 650.0]]), np.array([[x, y, 800.0]])
    for u, place in ((0.0, start), (1.0, end)):
        way, above = tip_at(np.array([u]), start, end, np.array([height]), travel)
        assert way[0] == pytest.approx(place[0]) and above[0] == pytest.approx(0, abs=1e-9)
    path = lift(U, height, travel)
    assert path.max() == pytest.approx(height, rel=1e-3) and path.min() >= 0


def test_early_goes_at_once_and_late_at_the_last():
    start, end = np.zeros((1, 3)), np.array([[100.0, 0.0, 0.0]])
    ends, at = (start, end, np.array([50.0])), np.array([0.5])
    half = {travel: tip_at(at, *ends, travel)[0][0, 0] for travel in TRAVEL_TIMINGS}
    assert half["early"] > 80 and half["late"] < 20


def test_what_is_louder_comes_from_higher():
    ghost, tap, plain, accent = (float(lift_height(*x, 0.0)) for x in ((0, True), (1, False), (1, True), (2, True)))
    assert ghost < tap < plain < accent == ACCENT_MM
    assert lift_height(0, False, 400.0) > ghost, "a tip on its way clears the rims"


def test_an_arm_without_lift_is_the_strike_pose_and_with_it_the_tip_is_above():
    tips = np.array([[-30.0, 430.0, 650.0], [400.0, 330.0, 640.0]])
    other = np.array([[-300.0, 600.0, 850.0], [0.0, 500.0, 650.0]])
    still, left = arms_at(Player(), tips, other, (np.zeros(2), np.zeros(2)))
    turn = trunk_turn(tips, other)
    assert still == pytest.approx(strike_poses(Player(), 1, tips, turn).joints)
    assert left == pytest.approx(strike_poses(Player(), -1, other, turn).joints)
    raised, _ = arms_at(Player(), tips, other, (np.array([200.0, 100.0]), np.zeros(2)))
    assert raised[:, 3, 2] - still[:, 3, 2] == pytest.approx([200, 100])
    assert (raised[:, 2, 2] > still[:, 2, 2]).all(), "the grip comes up with it, but less"
    assert (raised[:, 2, 2] - still[:, 2, 2] < 100).all()
