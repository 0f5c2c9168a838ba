"""Ramps: where a simulated player gives out is found again."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.ramp import Ramp, RampError, check_ramp, parse_ramp
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.core.practice.take_report import TakeError
from deft_reach.formats.general_midi import key_of

FIVE = layout("five")
FIGURE = "/16 R@hh+K L R@hh L R@ft L@t1 R@hh L"


def ramped(text, ramp, strain=True, keep=lambda k: True, **faults):
    pattern = parse(text)
    keys = [key_of(FIVE, s.voice, s.limb, s.marks) for s in pattern.strokes]
    report = analyse(pattern, FIVE, Player(), ramp.start, repeat=True)
    limits = [s.tempo_limit for s in report.strokes]
    played = simulate(
        pattern, keys, ramp.start, Faults(**faults), ramp.rounds, ramp.tempi.tolist(), limits if strain else None
    )
    hits = [hit for k, hit in enumerate(played.hits) if keep(k)]
    return limits, check_ramp(pattern, keys, hits, ramp)


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("text", [FIGURE, "/16 R R L L R R L L", "/8 R@hh R@ft R@hh R@ft L L"])
def test_strokes_give_out_a_step_or_two_above_their_limits(text, seed):
    ramp = Ramp(80, 260, 19)
    limits, found = ramped(text, ramp, jitter=0.002, seed=seed)
    step = 10
    for row, limit in zip(found.strokes, limits):
        if limit is not None and limit < ramp.end - 2 * step:
            # So long as it is late by less than what is tolerated, it holds.
            assert row.tempo is not None and limit - 1 <= row.tempo <= 1.1 * limit + step, (row, limit)
        elif limit is None or limit > ramp.end:
            assert row.tempo is None
    lost = [row.tempo for row in found.strokes if row.tempo is not None]
    assert found.held == pytest.approx(min(lost) - step, abs=0.2)
    assert f"Everything holds up to {found.held:g} BPM." in found.advice


@pytest.mark.parametrize("ramp", [Ramp(70, 150, 9), Ramp(160, 90, 8), Ramp(100, 100, 4)])
def test_what_is_played_well_holds_to_the_end(ramp):
    _, found = ramped(FIGURE, ramp, strain=False, jitter=0.003)
    assert found.held == ramp.end and all(row.tempo is None for row in found.strokes)


def test_a_first_stroke_that_was_missed_moves_nothing():
    _, found = ramped(FIGURE, Ramp(80, 140, 8), strain=False, keep=lambda k: k > 1)
    assert found.held == 140


def test_a_ramp_that_was_broken_off_says_how_far_it_went():
    _, found = ramped(FIGURE, Ramp(80, 140, 13), strain=False, keep=lambda k: k < 9 * 8)
    assert found.advice[0] == "8 of 13 rounds were played." and found.held == 115


@given(st.floats(40, 200), st.floats(40, 200), st.integers(2, 30), st.lists(st.floats(-1, 40), min_size=1))
def test_places_and_seconds_are_each_others_inverse(start, end, rounds, places):
    ramp = Ramp(start, end, rounds)
    at = np.array(places)
    seconds = ramp.seconds_at(at, 1.0)
    assert ramp.places_at(seconds, 1.0) == pytest.approx(at, abs=1e-6)
    order = np.argsort(at)
    assert (np.diff(seconds[order]) >= -1e-9).all()


def test_a_round_lasts_as_long_as_its_tempo_says():
    ramp = Ramp(60, 120, 2)
    assert ramp.seconds_at(np.array([0.0, 1.0, 2.0]), 1.0).tolist() == [0.0, 4.0, 6.0]


@pytest.mark.parametrize("text", ["80-140x12", "80–140×12", " 80 - 140 x 12 "])
def test_a_ramp_is_read(text):
    assert parse_ramp(text) == Ramp(80, 140, 12)


@pytest.mark.parametrize("text", ["", "80", "80-140", "80-140x1", "5-140x12", "a-bxc", "80-140x1e9", "nan-140x4"])
def test_ramps_that_are_none_are_refused(text):
    with pytest.raises(RampError):
        parse_ramp(text)


def test_nothing_to_hold_is_refused():
    with pytest.raises(TakeError):
        check_ramp(parse("R"), [38], [], Ramp(80, 100, 4))
    with pytest.raises(TakeError):
        check_ramp(parse("- -"), [], [Hit(0.5, 38, 80)], Ramp(80, 100, 4))
    with pytest.raises(TakeError, match="check the plan"):
        check_ramp(parse(FIGURE), [42] * 9, [Hit(0.1 * k, 49, 80) for k in range(40)], Ramp(80, 100, 4))
