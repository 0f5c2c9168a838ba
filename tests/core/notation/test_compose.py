"""Strokes in time, written down as stroke text."""

import random
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.model.elements import Strike
from deft_reach.core.notation.compose import PLAYED, Frame, Onset, compose, place_played
from deft_reach.core.notation.rudiments import RUDIMENTS
from tests.strategies import texts


def rows(pattern):
    return [(s.start, s.length, s.limb, s.voice, s.marks, s.grace) for s in pattern.strokes]


def again(pattern):
    """The pattern's strokes, written down anew."""
    onsets = [
        Onset(
            moment.start,
            tuple(Strike(s.limb, s.voice, s.marks, s.grace) for s in (pattern.strokes[i] for i in moment.strokes)),
            moment.length,
        )
        for moment in pattern.moments
        if moment.strokes
    ]
    meters = [(Fraction(0), pattern.meter)]
    return compose(onsets, Frame(tuple(meters), pattern.length, pattern.pickup))


@pytest.mark.parametrize("rudiment", RUDIMENTS, ids=lambda r: r.name)
def test_rudiments_come_back(rudiment):
    pattern = rudiment.pattern
    assert rows(parse(again(pattern))) == rows(pattern)


@given(texts())
def test_any_strokes_come_back(text):
    pattern = parse(text)
    if all((s.start * 4 % 1).denominator <= 64 and (s.length * 4 % 1).denominator <= 64 for s in pattern.strokes):
        found = rows(parse(again(pattern)))
        assert [(r[0], *r[2:]) for r in found] == [(r[0], *r[2:]) for r in rows(pattern)]


def test_bars_pickups_and_meters_are_written():
    hand = (Strike("R"),)
    meters = ((Fraction(0), (3, 4)), (Fraction(1), (7, 8)))
    onsets = [Onset(Fraction(k, 8), hand) for k in range(2)] + [Onset(Fraction(1, 4), hand), Onset(Fraction(1), hand)]
    text = compose(onsets, Frame(meters, Fraction(15, 8), Fraction(1, 4)))
    pattern = parse(text)
    assert pattern.pickup == Fraction(1, 4) and [b.meter for b in pattern.bar_rows] == [(3, 4), (3, 4), (7, 8)]
    assert [s.start for s in pattern.strokes] == [0, Fraction(1, 8), Fraction(1, 4), 1]
    assert text.count("|") == 3


@pytest.mark.parametrize(
    ("beats", "grid"),
    [
        ([0, 0.5, 1, 1.5], 2),
        ([0, 0.25, 0.5, 0.75, 1], 4),
        ([0, 1 / 3, 2 / 3, 1, 4 / 3, 5 / 3], 3),
        ([k / 6 for k in range(12)], 6),
        ([k / 8 for k in range(16)], 8),
        ([k / 5 for k in range(10)], 5),
    ],
)
@pytest.mark.parametrize("seed", range(5))
def test_the_grid_of_a_played_rhythm_is_found(beats, grid, seed):
    """Played a little off, as people do: some 10 ms at 100 BPM (common practice)."""
    rng = random.Random(seed)
    played = [max(0.0, beat + rng.gauss(0, 0.012)) for beat in beats]
    found = place_played(played, PLAYED if grid < 5 else 0.012)
    assert found == [Fraction(round(beat * grid), grid) for beat in beats]


def test_written_times_are_exact_and_strokes_that_are_apart_stay_apart():
    assert place_played([0.0, 0.2501, 0.5, 1.3333, 1.6667]) == [
        0, Fraction(1, 4), Fraction(1, 2), Fraction(4, 3), Fraction(5, 3)
    ]  # fmt: skip
    assert len(set(place_played([0.0, 0.06, 0.12, 0.2]))) == 4


@given(st.lists(st.floats(0, 40), max_size=60))
def test_any_played_times_find_places_in_order(beats):
    beats = sorted(beats)
    found = place_played(beats)
    assert len(found) == len(beats) and found == sorted(found)
    assert all(abs(float(place) - beat) <= 0.5 for place, beat in zip(found, beats))
