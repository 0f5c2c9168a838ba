"""The body and its poses, against published fractions and independent solutions."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from deft_reach.core import LAYOUTS, Player, PlayerError, check_player, layout
from deft_reach.core.model.player import Segments
from deft_reach.core.motion.pose import (
    MAX_LEAN_MM,
    elbow_degrees,
    reach_contours,
    solve_elbow,
    strike_poses,
    trunk_turn,
    turn_alone,
    upper_arm_degrees,
)

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
    with pytest.raises(PlayerError, match=r"upper arm is .*expected 120 mm to 500 mm"):
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
    normal = np.cross(grip[0] - shoulder[0], np.array([0.1, -0.05, -1.0]))
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
    shoulder = poses.joints[0, 0]
    line = math.degrees(math.atan2(tip[0] - shoulder[0], tip[1] - shoulder[1]))
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
    """Brute force: of the tips sampled in the contour's own directions the farthest within the reach lies on it."""
    player = Player()
    sx, sy, _ = player.shoulder
    contour, _ = reach_contours(player, ((height, reach), (700.0, 0.7)))
    assert len(contour) > 40
    for x, y in contour[:: len(contour) // 6]:
        direction = np.array([x - sx, y - sy]) / math.hypot(x - sx, y - sy)
        distances = np.arange(250.0, 1300.0, 1.0)
        tips = np.column_stack([sx + distances * direction[0], sy + distances * direction[1], np.full(1050, height)])
        inside = distances[strike_poses(player, 1, tips).reach <= reach]
        assert inside.max() == pytest.approx(math.hypot(x - sx, y - sy), abs=1.5)


@given(coordinates, coordinates)
def test_the_trunk_turns_towards_where_both_hands_work_and_no_further_than_it_can(one, other):
    right, left = np.array([one], dtype=float), np.array([other], dtype=float)
    turn = float(trunk_turn(right, left)[0])
    bearing = math.atan2((one[0] + other[0]) / 2, (one[1] + other[1]) / 2)
    assert abs(turn) <= math.radians(35) + 1e-9 and turn * bearing >= 0 and abs(turn) <= abs(bearing) + 1e-9
    for side in (1, -1):
        shoulder = strike_poses(Player(), side, right, np.array([turn])).joints[0, 0]
        half, middle, height = Player().shoulder
        if strike_poses(Player(), side, right, np.array([turn])).lean[0] == 0:
            assert math.hypot(shoulder[0], shoulder[1] - middle) == pytest.approx(half) and shoulder[2] == height


@given(coordinates)
def test_the_elbow_stays_out_of_the_trunk_and_no_higher_than_it_must(point):
    """Sampled all round the circle, for places in front of the body or on the hand's side: none outside is lower."""
    if point[1] < 300 and point[0] < 100:
        return
    player = Player()
    tips = np.array([point], dtype=float)
    shoulder, elbow, grip, _ = strike_poses(player, 1, tips).joints[0]
    span = np.linalg.norm(grip - shoulder)
    if not abs(player.upper_arm_mm - player.forearm_mm) + 20 < span < player.arm_mm - 10:
        return
    breadth, depth = 0.112 * player.stature_mm, 0.085 * player.stature_mm

    def free(e):
        part = (e[1] - 60.0) / depth
        return abs(part) >= 1 or e[0] >= breadth * math.sqrt(1 - part * part) - 12

    axis = (grip - shoulder) / span
    along = axis @ (elbow - shoulder)
    spoke = elbow - shoulder - along * axis
    other = np.cross(axis, spoke)
    ring = [
        shoulder + along * axis + math.cos(a) * spoke + math.sin(a) * other for a in np.radians(np.arange(0, 360, 3))
    ]
    assert free(elbow) or not any(free(e) for e in ring)
    assert elbow[2] <= shoulder[2] + 1 or point[2] > 1000 or not any(free(e) for e in ring if e[2] < elbow[2] - 40)


#: The hand that usually plays a piece: the far one its hi-hat, else the one on its side. Common practice.
def usual_hand(piece) -> str:
    if piece.kind == "hi-hat":
        return "R" if piece.x < 0 else "L"
    return "R" if piece.x >= 0 else "L"


def rula_upper_arm(degrees: float) -> int:
    """RULA's score of the upper arm (McAtamney & Corlett 1993, *Applied Ergonomics* 24; from memory)."""
    return 1 if degrees <= 20 else 2 if degrees <= 45 else 3 if degrees <= 90 else 4


@pytest.mark.parametrize("name", LAYOUTS)
@pytest.mark.parametrize("turned", [False, True], ids=["as shipped", "mirrored"])
def test_nobody_sits_badly_at_a_shipped_kit(name, turned):
    """RULA: the upper arm 1 or 2 at the snare and no more than 3 anywhere; the lower arm 1 (60 to 100° bent) at the
    snare, the floor tom and the usual toms."""
    kit = layout(name).mirror() if turned else layout(name)
    player = Player().mirror() if turned else Player()
    for piece in kit:
        if piece.is_pedal or piece.kind == "bass":
            continue
        hands = "RL" if piece.kind == "snare" else usual_hand(piece)
        for hand in hands:
            joints = strike_poses(player, 1 if hand == "R" else -1, np.array([[piece.x, piece.y, piece.z]])).joints
            upper, bent = float(upper_arm_degrees(joints)[0]), 180 - float(elbow_degrees(joints)[0])
            assert rula_upper_arm(upper) <= (2 if piece.kind == "snare" else 3), (piece.code, hand, upper)
            if piece.kind in ("snare", "tom"):
                assert 60 <= bent <= 105, (piece.code, hand, bent)


@pytest.mark.parametrize("name", LAYOUTS)
def test_the_snare_stands_between_the_knees_with_room_for_the_seat(name):
    """520 to 620 mm in front of the seat's centre, forearms about level, elbows beside the trunk."""
    snare = layout(name).of_kind("snare")
    assert 520 <= snare.y <= 620 and abs(snare.x) <= 60
    for side in (1, -1):
        _, elbow, grip, _ = strike_poses(Player(), side, np.array([[snare.x, snare.y, snare.z]])).joints[0]
        assert abs(grip[2] - elbow[2]) < 60 and elbow[0] * side > 200


def test_alone_a_hand_turns_the_trunk_less_than_both():
    tips = np.array([[480.0, 490.0, 610.0]])
    assert 0 < turn_alone(tips)[0] < trunk_turn(tips, tips)[0]


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
