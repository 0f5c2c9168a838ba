"""The cost terms one by one: never negative, and growing with what they stand for."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core.motion import cost as price
from deft_reach.core.motion.pose import MAX_LEAN_MM

paces = st.floats(0.01, 3.0)


@given(paces, paces)
def test_hurry_grows_with_pace(a, b):
    low, high = sorted((a, b))
    assert 0 <= price.pace_cost(low) <= price.pace_cost(high)


def test_hurry_has_a_wall_above_nine_tenths():
    gentle = price.pace_cost(0.9) - price.pace_cost(0.8)
    steep = price.pace_cost(1.1) - price.pace_cost(1.0)
    assert steep > 10 * gentle
    assert price.pace_cost(1.0) == pytest.approx(1 + 1), "one unit on top by 1.0"
    assert price.pace_cost(1.2) == pytest.approx(1.44 + 9), "nine by 1.2"
    assert price.pace_cost(math.nan) == 0


@pytest.mark.parametrize("reach", [0.35, 0.5, 0.65, 0.8])
def test_comfortable_reach_is_free(reach):
    assert price.reach_costs(reach, 0.0) == 0


def test_stretching_folding_and_leaning_cost_more_and_more():
    stretched = [price.reach_costs(r, 0.0) for r in (0.8, 0.85, 0.9, 1.0)]
    folded = [price.reach_costs(r, 0.0) for r in (0.35, 0.3, 0.2, 0.05)]
    leaning = [price.reach_costs(1.1, lean) for lean in (1.0, 60.0, 150.0, MAX_LEAN_MM)]
    beyond = price.reach_costs(1.4, MAX_LEAN_MM + 1)
    for row in (stretched, folded, leaning):
        assert row == sorted(row) and len(set(row)) == len(row)
    assert stretched[-1] == pytest.approx(0.4) and leaning[0] > stretched[-1] and beyond > 10 * leaning[-1]
    assert math.isfinite(price.reach_costs(2.0, math.inf))


@given(st.floats(0, 600), st.floats(0, 600))
def test_the_tighter_the_arms_pass_the_more_it_costs(a, b):
    near, far = sorted((a, b))
    for entering in (True, False):
        assert price.cross_cost(near, entering) >= price.cross_cost(far, entering) > 0
    assert price.cross_cost(near, True) > price.cross_cost(near, False)


@given(st.floats(-math.pi, math.pi), st.floats(20, 900), st.floats(20, 900))
def test_turning_back_costs_most_and_going_on_nothing(angle, size, last):
    before = np.array([last, 0.0])
    value = price.turn_cost(before, size * np.array([math.cos(angle), math.sin(angle)]))
    assert 0 <= value <= price.turn_cost(before, np.array([-size, 0.0])) + 1e-12
    assert price.turn_cost(before, np.array([size, 0.0])) == pytest.approx(0, abs=1e-12)
    assert price.turn_cost(np.zeros(2), before) == 0, "a hand that stayed has no direction to turn from"


def test_turning_the_trunk_costs_with_its_angle_either_way():
    small, large = price.twist_cost(0.2), price.twist_cost(0.6)
    assert 0 < small < large
    assert price.twist_cost(-0.6) == large and price.twist_cost(math.nan) == 0


@given(st.sampled_from([0, 1, 2]), st.sampled_from([0, 1, 2]), paces, paces)
def test_height_changes(level, previous, a, b):
    slow, fast = sorted((a, b))
    assert 0 <= price.lift_cost(level, previous, slow) <= price.lift_cost(level, previous, fast)
    assert price.lift_cost(level, previous, slow) == price.lift_cost(previous, level, slow)
    assert price.lift_cost(level, level, fast) == 0
    assert price.lift_cost(0, 2, slow) > price.lift_cost(0, 1, slow) > 0


@given(st.integers(1, 60), st.integers(1, 60), paces, st.booleans())
def test_long_runs(a, b, pace, foot):
    short, long = sorted((a, b))
    assert 0 <= price.load_cost(short, pace, foot) <= price.load_cost(long, pace, foot)
    assert price.load_cost(2, pace, foot) == 0 and price.load_cost(long, math.nan, foot) == 0
    if long > 2 and pace < price.TIRING_PACE:
        assert price.load_cost(long, pace, True) > price.load_cost(long, pace, False)
    if pace > price.TIRING_PACE and long > 2:
        easy = price.load_cost(long, price.TIRING_PACE, False)
        assert price.load_cost(long, pace, False) > easy * (pace / price.TIRING_PACE) ** 2, "a run in a hurry tires"


def test_ease():
    assert price.ease(0.0, 16) == 100 and price.ease(5.0, 0) == 100
    assert price.ease(16 * price.EASE_SCALE, 16) == pytest.approx(100 / math.e)
    assert price.ease(8.0, 16) == pytest.approx(price.ease(4.0, 8)), "a matter of the mean, not of the length"


def test_every_term_has_a_name_people_understand():
    assert set(price.TERM_NAMES) == set(price.TERMS)
    assert not set(price.TERM_NAMES.values()) & {"", *price.TERMS}
