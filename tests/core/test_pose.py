"""The body and its poses, against published fractions and independent solutions."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from deft_reach.core import Player, PlayerError, check_player, layout
from deft_reach.core.motion.pose import MAX_LEAN_MM, reach_radius, solve_elbow, strike_poses
from deft_reach.core.player import Segments

FIVE = layout("five")
coordinates = st.tuples(st.integers(-900, 900), st.integers(80, 1200), st.integers(300, 1300))


def test_segments_are_the_published_fractions_of_stature():
    """Drillis & Contini (1966), as tabulated in Winter: upper arm .186 H, forearm .146 H, hand .108 H."""
    player = Player(stature_mm=1000)
    assert player.upper_arm_mm == pytest.approx(186)
    assert player.forearm_mm == pytest.approx(146 + 54), "the grip lies half-way along the hand"
    assert player.shoulder[0] == pytest.approx(129)
    assert player.shoulder[2] - player.seat_height_mm == pytest.approx(288)


def test_measured_segments_stand_instead_of_the_fractions():
    own = replace(Player(), segments=Segments(upper_arm=350, shoulders=400, hand=200))
    assert own.upper_arm_mm == 350 and own.shoulder[0] == 200
    assert own.forearm_mm == pytest.approx(Player().segment("forearm") + 100)
    assert own.leg_mm == Player().leg_mm, "what was not measured goes by stature"
    assert own.resting_elbow_mm == own.shoulder[2] - 350
    poses = strike_poses(own, 1, np.array([[300.0, 400.0, 700.0]]))
    shoulder, elbow, grip, _ = poses.joints[0]
    assert np.linalg.norm(elbow - shoulder) == pytest.approx(350)
    assert np.linalg.norm(grip - elbow) == pytest.approx(own.forearm_mm)


@pytest.mark.parametrize("value", [float("nan"), -1, 0, 5000])
def test_segments_nobody_can_have_are_refused(value):
    with pytest.raises(PlayerError, match=r"upper arm is .*expected 120 to 500 mm"):
        check_player(replace(Player(), segments=Segments(upper_arm=value)))


def test_arm_length_agrees_with_published_reach():
    """Grip reach of adults, acromion to grip, is about .36 to .42 of stature (from memory)."""
    player = Player()
    assert 0.36 <= player.arm_mm / player.stature_mm <= 0.42


@given(coordinates, st.sampled_from([1, -1]))
def test_forward_kinematics_gives_back_the_segments(point, side):
    player = Player()
    poses = strike_poses(player, side, np.array([point], dtype=float))
    shoulder, elbow, grip, tip = poses.joints[0]
    assert np.linalg.norm(grip - tip) == pytest.approx(player.grip_mm)
    assert tuple(tip) == pytest.approx(point)
    assert grip[2] - tip[2] == pytest.approx(player.grip_mm * math.sin(math.radians(15)))
    span = np.linalg.norm(grip - shoulder)
    if abs(player.upper_arm_mm - player.forearm_mm) < span <= player.arm_mm:
        assert np.linalg.norm(elbow - shoulder) == pytest.approx(player.upper_arm_mm)
        assert np.linalg.norm(grip - elbow) == pytest.approx(player.forearm_mm)


@given(coordinates)
def test_the_elbow_agrees_with_a_numeric_solver(point):
    """SciPy least squares on the two lengths and the plane in which the elbow hangs."""
    player = Player()
    shoulder = np.array([player.shoulder])
    grip = np.array([point], dtype=float) * 0.6
    span = np.linalg.norm(grip - shoulder)
    if not abs(player.upper_arm_mm - player.forearm_mm) + 30 < span < player.arm_mm - 10:
        return
    elbow = solve_elbow(shoulder, grip, player.upper_arm_mm, player.forearm_mm)[0]
    normal = np.cross(grip[0] - shoulder[0], np.array([0.5, 0.0, -1.0]))
    if np.linalg.norm(normal) < 60:
        return
    normal /= np.linalg.norm(normal)

    def miss(e):
        return [
            np.linalg.norm(e - shoulder[0]) - player.upper_arm_mm,
            np.linalg.norm(grip[0] - e) - player.forearm_mm,
            normal @ (e - shoulder[0]),
        ]

    solved = least_squares(miss, elbow + np.array([7.0, -5.0, -11.0]), xtol=1e-12, ftol=1e-12, gtol=1e-12)
    assert solved.x == pytest.approx(elbow, abs=0.5)


def test_the_stick_is_toed_in_twelve_degrees_from_the_line_to_the_shoulder():
    player = Player()
    poses = strike_poses(player, 1, np.array([[100.0, 700.0, 800.0]]))
    _, _, grip, tip = poses.joints[0]
    stick = math.degrees(math.atan2(tip[0] - grip[0], tip[1] - grip[1]))
    line = math.degrees(math.atan2(tip[0] - player.shoulder[0], tip[1] - player.shoulder[1]))
    assert line - stick == pytest.approx(12)


@given(coordinates)
def test_left_is_right_mirrored_to_the_last_bit(point):
    right = strike_poses(Player(), 1, np.array([point], dtype=float))
    mirrored = np.array([(-point[0], point[1], point[2])], dtype=float)
    left = strike_poses(Player(), -1, mirrored)
    assert (right.joints * [-1, 1, 1] == left.joints).all()
    assert (right.reach == left.reach).all() and (right.lean == left.lean).all()


def test_beyond_a_straight_arm_the_trunk_leans_just_enough():
    player = Player()
    tips = np.array([[226.0, y, 950.0] for y in range(900, 1500, 50)])
    poses = strike_poses(player, 1, tips)
    for reach, lean, joints in zip(poses.reach, poses.lean, poses.joints):
        assert (lean > 0) == (reach > 1)
        if 0 < lean <= MAX_LEAN_MM:
            assert np.linalg.norm(joints[2] - joints[0]) == pytest.approx(player.arm_mm)
    assert poses.lean[-1] > MAX_LEAN_MM


@pytest.mark.parametrize("height", [650.0, 1000.0], ids=["drums", "cymbals"])
@pytest.mark.parametrize("reach", [0.6, 0.8, 1.0])
def test_reach_contours_agree_with_sampled_poses(reach, height):
    """Brute force: the farthest sampled tip within the reach lies on the contour."""
    player = Player()
    sx, sy, _ = player.shoulder
    radius = reach_radius(player, height, reach)
    for angle in (-60, -20, 0, 30, 70):
        direction = np.array([math.sin(math.radians(angle)), math.cos(math.radians(angle))])
        distances = np.arange(350.0, 1100.0, 1.0)
        tips = np.column_stack([sx + distances * direction[0], sy + distances * direction[1], np.full(750, height)])
        inside = distances[strike_poses(player, 1, tips).reach <= reach]
        assert inside.max() == pytest.approx(radius, abs=1.5)


def test_every_piece_of_the_shipped_kits_is_in_reach_of_a_hand():
    for name in ("compact", "five", "five-double", "large", "pit"):
        kit = layout(name)
        for piece in kit:
            if piece.is_pedal or piece.kind == "bass":
                continue
            tip = np.array([[piece.x, piece.y, piece.z]])
            assert min(strike_poses(Player(), side, tip).lean[0] for side in (1, -1)) <= MAX_LEAN_MM, (
                name,
                piece.code,
            )


@pytest.mark.parametrize(
    ("field", "value", "word"),
    [
        ("stature_mm", 3000, "stature"),
        ("stature_mm", float("nan"), "stature"),
        ("seat_height_mm", 0, "seat height"),
        ("skill", -1, "skill"),
        ("grip_mm", 450, "grip"),
        ("handedness", "both", "handedness"),
    ],
)
def test_absurd_players_are_refused_by_name(field, value, word):
    with pytest.raises(PlayerError, match=word):
        check_player(Player(**{field: value}))
