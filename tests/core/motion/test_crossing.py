"""Crossing arms: the geometry of the trade (common practice), and an independent check of every crossing."""

import math

import numpy as np
import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.motion.reach_table import reach_table

FIVE = layout("five")
VOICES = [p.code for p in FIVE if not p.is_pedal and p.kind != "bass"]
TABLE = reach_table(FIVE, Player(), VOICES)


def crossed(right: str, left: str):
    return TABLE.cross.get((right, left))


def test_what_the_default_five_piece_is_said_to_do():
    assert crossed("sn", "ft") is not None
    hat = crossed("hh", "sn")
    assert hat is not None and hat.over == "R"
    assert hat.clearance == pytest.approx(240, abs=25)
    assert crossed("t1", "sn") is None
    assert crossed("c2", "ft") is not None, "upper arms count too"


def test_hi_hat_by_the_left_and_snare_by_the_right_is_open():
    assert crossed("sn", "hh") is None


def independent(right: np.ndarray, left: np.ndarray) -> set[tuple[int, int]]:
    """Segment pairs that meet, by orientation tests instead of solving for the place."""

    def turn(a, b, c):
        return np.sign((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))

    return {
        (i, j)
        for i in range(3)
        for j in range(3)
        if turn(right[i], right[i + 1], left[j]) != turn(right[i], right[i + 1], left[j + 1])
        and turn(left[j], left[j + 1], right[i]) != turn(left[j], left[j + 1], right[i + 1])
    }


def test_every_pair_agrees_with_orientation_tests():
    for a in VOICES:
        for b in VOICES:
            if a == b:
                continue
            right, left = TABLE.pose("R", a, b), TABLE.pose("L", b, a)
            meets = independent(right, left)
            found = crossed(a, b)
            if found is None:
                # They may still meet within 30 mm of a tip, which does not count.
                for i, j in meets:
                    point = meeting(right[i], right[i + 1], left[j], left[j + 1])
                    assert min(math.dist(point, right[3][:2]), math.dist(point, left[3][:2])) <= 30.001
            else:
                assert meets


def meeting(p, p2, q, q2):
    matrix = np.array([[p2[0] - p[0], q[0] - q2[0]], [p2[1] - p[1], q[1] - q2[1]]])
    t, _ = np.linalg.solve(matrix, np.array([q[0] - p[0], q[1] - p[1]]))
    return p[0] + t * (p2[0] - p[0]), p[1] + t * (p2[1] - p[1])


def kinds(text: str, kit=FIVE, **options) -> list[str]:
    return [f.kind for f in analyse(parse(text), kit, Player(), 90, **options).findings]


CLOCKWISE = "R L R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft"
ANTICLOCKWISE = "R@ft L@ft R@ft L@ft R@t2 L@t2 R@t2 L@t2 R@t1 L@t1 R@t1 L@t1 R L R L"


def test_singles_clockwise_never_cross_and_anticlockwise_they_do():
    assert "crossover" not in kinds(CLOCKWISE) and "crossed-hold" not in kinds(CLOCKWISE)
    assert "crossover" in kinds(ANTICLOCKWISE)


def test_on_a_mirrored_kit_it_is_the_other_way_round():
    mirrored = FIVE.mirror()
    swap = str.maketrans("RL", "LR")
    assert "crossover" not in kinds(CLOCKWISE.translate(swap), mirrored)
    assert "crossover" in kinds(ANTICLOCKWISE.translate(swap), mirrored)


def test_two_hands_on_one_voice_do_not_cross_and_stand_beside_each_other():
    for voice in VOICES:
        assert crossed(voice, voice) is None
        right, left = TABLE.pose("R", voice, voice)[3], TABLE.pose("L", voice, voice)[3]
        assert right[0] - left[0] == pytest.approx(50)


def test_a_crossover_says_who_crosses_whom():
    report = analyse(parse("/8 R L@ft L"), FIVE, Player(), 90)
    (found,) = [f for f in report.findings if f.kind == "crossover"]
    assert found.strokes[0] == 1 and found.limb == "L" and found.over in ("R", "L")
    assert "left hand crosses" in found.message and "mm clear" in found.message
    assert report.postures[1].cross is not None and report.postures[2].cross is None
