"""Rhythms tapped in."""

import random
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.notation.tapping import GRIDS, Tap, write_taps


def tapped(text: str, tempo: float, spread: float = 0.0, late: float = 0.0, seed: int = 0) -> list[Tap]:
    """A pattern as someone taps it: a little off, and late on the whole."""
    rng = random.Random(seed)
    return [
        Tap(max(0.0, float(s.start) * 240 / tempo + late + rng.gauss(0, spread)), s.limb) for s in parse(text).strokes
    ]


RHYTHMS = ("/16 R L R R L R L L K - R - L - - -", "/8t R L R L R L R L R L K K", "/8 R+K L R+K L /16 R L R L R - K -")


@pytest.mark.parametrize("text", RHYTHMS)
@pytest.mark.parametrize("seed", range(4))
def test_a_rhythm_comes_out_as_it_was_meant(text, seed):
    """Tapped with 10 ms of spread and 20 ms behind the click (common practice) at 90 BPM."""
    found = parse(write_taps(tapped(text, 90, 0.010, 0.020, seed), 90))
    wanted = parse(text)
    assert [(s.start, s.limb) for s in found.strokes] == [(s.start, s.limb) for s in wanted.strokes]
    assert found.bars == 1


def test_bounces_are_no_strokes_and_two_keys_at_once_are_one_moment():
    text = write_taps([Tap(0.0, "R"), Tap(0.012, "R"), Tap(0.02, "K"), Tap(0.6, "L")], 100)
    assert [(s.start * 4, s.limb) for s in parse(text).strokes] == [(0, "R"), (0, "K"), (1, "L")]


def test_nothing_tapped_is_nothing_and_the_meter_counts():
    assert write_taps([], 100) == ""
    pattern = parse(write_taps([Tap(0.0, "R"), Tap(1.8, "L")], 100, (3, 4)))
    assert pattern.meter == (3, 4) and pattern.bars == 2


@given(
    st.lists(st.tuples(st.floats(-8, 30), st.sampled_from("RLK?")), max_size=60),
    st.floats(40, 240),
    st.sampled_from(list(GRIDS.values())),
    st.booleans(),
)
def test_any_taps_can_be_written(rows, tempo, grid, pickup):
    text = write_taps([Tap(*row) for row in rows], tempo, grid=grid, pickup=pickup)
    assert (text == "") == (not rows)
    pattern = parse(text)
    assert len(pattern.strokes) <= len(rows) and not pattern.faults


def test_voices_and_loudness_come_along_and_two_open_hands_strike_two_voices():
    taps = [
        Tap(0, "R", "hh", ">"),
        Tap(0.01, "L", None, "."),
        Tap(0.6, "?", "sn"),
        Tap(0.61, "?", "hh"),
        Tap(0.62, "?", "t1"),
    ]
    assert write_taps(taps, 100).startswith("R@hh>+L. - - - ?+?@hh - ")


@pytest.mark.parametrize(
    ("grid", "wanted"),
    [("sixteenths", [0, 0.25, 0.75]), ("eighths", [0, 0.5]), ("eighth triplets", [0, 1 / 3, 2 / 3])],
)
def test_a_chosen_grid_is_kept_to(grid, wanted):
    taps = [Tap(time * 0.6, limb) for time, limb in ((0, "R"), (0.3, "L"), (0.7, "R"))]
    found = parse(write_taps(taps, 100, grid=GRIDS[grid]))
    assert sorted({float(s.start * 4) for s in found.strokes if s.start * 4 < 1}) == pytest.approx(wanted)


def test_what_is_tapped_before_the_first_beat_is_a_pickup_or_a_bar_of_its_own():
    # At 120 a beat is half a second: the last half beat of the count-in, and the first beat.
    taps = [Tap(-0.25, "L"), Tap(0.0, "R"), Tap(0.5, "L")]
    with_pickup, without = parse(write_taps(taps, 120, pickup=True)), parse(write_taps(taps, 120))
    assert with_pickup.pickup == Fraction(1, 8) and with_pickup.bars == Fraction(9, 8)
    assert [s.start for s in with_pickup.strokes] == [0, Fraction(1, 8), Fraction(3, 8)]
    assert without.pickup == 0 and without.bars == 2
    assert [s.start for s in without.strokes] == [Fraction(7, 8), 1, Fraction(5, 4)]
    assert parse(write_taps([Tap(-0.1, "R")], 120, pickup=True)).pickup == 0, "a little early is on the beat"
    along = parse(write_taps([Tap(-2.0 + 0.5 * k, "R") for k in range(5)], 120, pickup=True))
    assert along.pickup == 0 and along.bars == 2, "a whole bar tapped along is a bar"
