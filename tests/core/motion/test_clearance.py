"""Clearance of the arms: distances against a minimiser, near misses on figures every drummer knows."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.motion.clearance import RADII, arm_clearances, segment_distances
from deft_reach.core.notation.rudiments import RUDIMENTS

FIVE, PLAYER = layout("five"), Player()


def by_minimising(p, p_end, q, q_end):
    """Distance of two segments through SciPy's bounded minimiser, from several beginnings."""

    def apart(x):
        return float(np.sum((p + x[0] * (p_end - p) - q - x[1] * (q_end - q)) ** 2))

    best = min(
        minimize(apart, start, bounds=[(0, 1), (0, 1)], tol=1e-12).fun
        for start in ([0.5, 0.5], [0, 0], [1, 1], [0, 1], [1, 0])
    )
    return best**0.5


@given(st.integers(0, 10**6))
@settings(max_examples=25, deadline=None)
def test_distances_against_scipy(seed):
    chains = np.random.default_rng(seed).uniform(-500, 500, (2, 4, 3))
    found = segment_distances(chains[0][:, :, None], chains[1][:, :, None])[:, :, 0]
    for i in range(3):
        for j in range(3):
            expected = by_minimising(chains[0][i], chains[0][i + 1], chains[1][j], chains[1][j + 1])
            assert found[i, j] == pytest.approx(expected, abs=0.05)


def test_parallel_and_touching_segments():
    right = np.array([[0.0, 0, 0], [100, 0, 0], [100, 100, 0], [0, 100, 0]])
    left = right + np.array([0.0, 0.0, 30.0])
    assert segment_distances(right[:, :, None], left[:, :, None])[0, 0, 0] == pytest.approx(30)
    assert segment_distances(right[:, :, None], right[:, :, None])[1, 1, 0] == pytest.approx(0, abs=1e-6)


def test_the_clearance_is_between_surfaces_and_says_which():
    right = np.array([[[200.0, 0, 1000], [250, 150, 800], [150, 400, 750], [0, 600, 700]]])
    left = right * np.array([-1.0, 1.0, 1.0])
    left[:, 3] = [5.0, 600.0, 750.0]
    clearance, parts = arm_clearances(right, left)
    assert parts[0] == 8, "stick and stick"
    assert clearance[0] < 50 - 2 * RADII[2] + 1
    mirrored, _ = arm_clearances(left * [-1.0, 1.0, 1.0], right * [-1.0, 1.0, 1.0])
    assert mirrored[0] == clearance[0]


def kinds(text, tempo=90, kit=FIVE, repeat=True):
    return analyse(parse(text), kit, PLAYER, tempo, repeat=repeat).findings


@pytest.mark.parametrize(
    "text",
    [
        "R L R R L R L L",
        "R> L. R R L> R. L L",
        "/8 fR fL dR dL uR uL",
        "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh+K R@hh+L> R@hh",
        "/8 R@rd+K R@rd R@rd+L> R@rd",
        "/8 L@hh+K L@hh L@hh+R> L@hh",
    ],
)
def test_ordinary_figures_pass_nothing(text):
    assert not [f for f in kinds(text) if f.kind == "near-miss" or f.severity != "note"]


def test_singles_clockwise_round_the_kit_raise_no_more_than_notes():
    found = kinds("R L R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft", repeat=False)
    assert all(f.severity == "note" for f in found)


def test_the_rudiments_on_one_drum_pass_nothing():
    assert RUDIMENTS
    for rudiment in RUDIMENTS:
        assert not [f for f in kinds(rudiment.text, tempo=70) if f.kind == "near-miss"], rudiment.name


def test_hands_that_change_places_pass_close_and_it_costs():
    """Each hand goes where the other one comes from: common practice calls for one to go over."""

    def squeezed(text):
        return analyse(parse(text), FIVE, PLAYER, 60, repeat=True).summary.terms["squeeze"]

    assert squeezed("/8 R@ft L@t2 R@t1 L@sn") > squeezed("/8 R@ft L@sn R@rd L@t1") == 0


def test_a_near_miss_says_when_how_close_and_who_goes_over():
    misses = [f for f in kinds("R@ft L@sn R@sn L@t2 R@hh L@t1 R@sn L@t2") if f.kind == "near-miss"]
    assert misses
    for miss in misses:
        assert miss.over in ("R", "L") and "go over" in miss.advice
        assert "mm apart" in miss.message or "touch" in miss.message


def test_a_near_miss_in_a_hurry_is_a_caution():
    text = "R L R@t1 L@t1 R@t2 L@t2 R@ft L@ft"
    slow = [f.severity for f in kinds(text, 60, layout("compact")) if f.kind == "near-miss"]
    found = {f.severity for f in kinds(text, 260) if f.kind == "near-miss"}
    assert "caution" not in slow and found <= {"note", "caution"}


@given(st.sampled_from([60, 120, 240]))
def test_passing_does_not_depend_on_the_tempo(tempo):
    text = "R@ft L@t2 R@t1 L@sn R@rd L@hh"
    first = analyse(parse(text), FIVE, PLAYER, 80, repeat=True).summary.terms["squeeze"]
    assert analyse(parse(text), FIVE, PLAYER, tempo, repeat=True).summary.terms["squeeze"] == pytest.approx(first)


def test_feet_by_turns_faster_than_one_alone():
    double = layout("five-double")
    fast = kinds("/16 K J K J K J K J", 130, double)
    assert [f for f in fast if f.kind == "uneven-feet"]
    assert not [f for f in kinds("/16 K J K J K J K J", 60, double) if f.kind == "uneven-feet"]
    assert not [f for f in kinds("/16 K K K K", 130, double) if f.kind == "uneven-feet"]


def test_a_run_of_feet_into_the_landing():
    found = [
        f
        for f in kinds("R L R L R L R L R L R L - K K K | R@c2+K - - - - - - - - - - - - - - - |")
        if f.kind == "exit-run"
    ]
    assert len(found) == 1 and "1 of bar 2" in found[0].message and len(found[0].strokes) == 4
    none = kinds("R L R L R L R L R L R L - R L K | R@c2+K - - - - - - - - - - - - - - - |")
    assert not [f for f in none if f.kind == "exit-run"]
    looped = [f for f in kinds("R@c2+K R L R L R L R L R L R L K K K |") if f.kind == "exit-run"]
    assert len(looped) == 1, "the end of a loop runs into its beginning"
