"""Rhythms tapped in."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.notation.tapping import Tap, write_taps


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


@given(st.lists(st.tuples(st.floats(0, 30), st.sampled_from("RLK")), max_size=60), st.floats(40, 240))
def test_any_taps_can_be_written(rows, tempo):
    text = write_taps([Tap(*row) for row in rows], tempo)
    assert (text == "") == (not rows)
    assert len(parse(text).strokes) <= len(rows)
