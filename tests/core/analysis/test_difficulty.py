"""Difficulty against judged figures (general drumming knowledge, no published source), and its laws."""

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calibration.fit import (
    Fitter,
    agreement,
    cross_validated,
    judged_figures,
    lean,
    rank_correlation,
    shipped,
)
from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.demands import DEMAND_KINDS, PARTS, WINDOW, moments_of
from deft_reach.core.analysis.difficulty import LEVELS, WEIGHTS, amounts, ease_at, learned, level_at, paces
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.follow import voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.walk import full_walk
from tests.strategies import kits, texts

FIVE, PLAYER = layout("five"), Player()


@pytest.fixture(scope="module")
def fitter():
    return Fitter(judged_figures())


def test_verdicts_agree_with_drummers_judgements(fitter):
    """What a fresh judgement would reach is 83 to 94 %."""
    figures, own = fitter.figures, shipped(fitter)
    levels = fitter.levels(own)
    assert len(figures) == 365
    assert agreement(figures, levels) >= 0.84
    assert sum(abs(figure.off(int(level))) > 1 for figure, level in zip(figures, levels)) <= 1
    for skill in (1.0, 0.75, 0.55):
        assert abs(lean(figures, levels, skill)) <= 0.1, "no skill leans"
    assert rank_correlation(figures, fitter.difficulties(own)) >= 0.88


def test_a_fit_holds_for_families_it_has_not_seen(fitter):
    levels, z = cross_validated(fitter, 0)
    assert agreement(fitter.figures, levels) >= 0.81
    assert rank_correlation(fitter.figures, z) >= 0.86


def test_what_is_shipped_is_what_the_fit_finds(fitter):
    own, found = shipped(fitter), fitter.fit(np.ones(len(fitter.figures), dtype=bool))
    assert found.weights / fitter.unit == pytest.approx(own.weights / fitter.unit, rel=0.01, abs=1e-3)
    assert found.skills == pytest.approx(own.skills, abs=0.02)
    assert found.borders[:2] == pytest.approx(own.borders[:2], abs=0.005)
    assert all(part.weight >= 0.0 for part in WEIGHTS.values())


def test_impossible_is_what_has_no_time_and_nothing_else():
    assert level_at(5.0) == "hard" and level_at(0.1, impossible=True) == "impossible"
    assert level_at(0.1, 1.01) == "impossible" and level_at(0.1, 0.95) == "hard" and level_at(0.1, 0.9) == "easy"
    for text, tempo, level in (("R R@ft", 300, "impossible"), ("R+R", 60, "impossible"), ("R L R L", 60, "easy")):
        assert analyse(parse(text), FIVE, PLAYER, tempo).summary.level == level
    assert LEVELS == ("easy", "busy", "hard", "impossible")


@given(texts(max_steps=10), st.booleans(), st.floats(60, 200))
@settings(max_examples=60, deadline=None)
def test_the_sum_is_what_the_formula_says(text, repeat, tempo):
    """Moment by moment in plain Python."""
    pattern = parse(text)
    report = analyse(pattern, FIVE, PLAYER, tempo, repeat=repeat)
    moments, total = report.moments, 0.0
    for rates, time, skill in zip(moments.rates.tolist(), moments.time.tolist(), moments.skill.tolist()):
        cubes = 0.0
        for part, rate, own in zip(PARTS, rates, skill):
            weight, power, trained = WEIGHTS[part]
            if rate > 0:
                cubes += (weight * math.exp(trained * float(learned(own))) * rate**power) ** 3
        total += time * cubes ** (5 / 3)
    expected = (total / report.summary.duration) ** 0.2 if report.summary.duration else 0.0
    assert report.summary.difficulty == pytest.approx(expected, rel=1e-9, abs=1e-12)


@given(st.lists(st.sampled_from("RLKJ"), min_size=1, max_size=40), st.booleans())
@settings(max_examples=60, deadline=None)
def test_kinds_of_moments_are_counted_over_a_window(limbs, repeat):
    pattern = parse(" ".join(limbs))
    kit = layout("five-double")
    table = reach_table(kit, PLAYER, voices_of(pattern))
    moments = moments_of(pattern, full_walk(pattern, table, 2.0, repeat, Weights()), table, 2.0, repeat)
    rows = limbs[-(WINDOW - 1) :] + limbs if repeat else limbs
    for k in range(len(limbs)):
        at = k + len(rows) - len(limbs)
        kinds = len(set(rows[max(0, at - WINDOW + 1) : at + 1]))
        wanted = math.log2(kinds) / moments.time[k] if moments.time[k] > 0 else 0.0
        assert moments.rates[k, PARTS.index("variety")] == pytest.approx(wanted)


@given(texts(max_steps=12), kits(), st.booleans())
@settings(max_examples=60, deadline=None)
def test_shares_add_up_and_name_strokes_that_are_there(text, kit, repeat):
    report = analyse(parse(text), kit, PLAYER, 100, repeat=repeat)
    demands = report.demands
    assert not demands or sum(row.share for row in demands) == pytest.approx(1.0)
    assert [row.share for row in demands] == sorted((row.share for row in demands), reverse=True)
    for row in demands:
        assert row.kind in DEMAND_KINDS and row.words and row.strokes
        assert all(0 <= i < len(report.strokes) for i in row.strokes) and list(row.strokes) == sorted(row.strokes)
    assert report.as_dict()["summary"]["demands"] == [row.as_dict() for row in demands]
    assert report.as_dict()["summary"]["difficulty"] == report.summary.difficulty


@given(texts(max_steps=12), st.floats(0.2, 2.9), st.floats(1.001, 1.5), st.booleans())
@settings(max_examples=60, deadline=None)
def test_less_skill_and_more_tempo_are_never_easier(text, skill, factor, repeat):
    """Strictly so wherever anything is demanded; and whatever can be played has some ease."""
    pattern = parse(text)

    def ease(skill, tempo):
        summary = analyse(pattern, FIVE, replace(PLAYER, skill=skill), tempo, repeat=repeat).summary
        return summary.ease, summary.difficulty

    (now, hard), (worse, _), (faster, _) = (
        ease(skill, 80),
        ease(min(3.0, skill * factor), 80),
        ease(skill, 80 * factor),
    )
    if hard > 1e-6 and now > 0:
        assert faster < now and worse < now
    assert now == 0.0 or ease_at(hard) > 0.0


def test_what_makes_it_hard_is_said_with_limb_and_place():
    def first(text, tempo, kit="five"):
        return analyse(parse(text), layout(kit), PLAYER, tempo, repeat=True).demands[0]

    assert first("R R R R R R R R", 110).words == "the right hand's stamina, 1 to 2 a"
    assert first("/8 fR> L R fL> R L", 200).kind == "graces"
    assert first("meter 7/8 /8 R@hh R@hh R@hh R@hh R@hh R@hh R@hh |", 60).kind == "rhythm"
    around = first("/16 L@hh R@ft L@hh R@hh L@ft R@hh", 90)
    assert around.kind in ("moves", "crossing")
    report = analyse(parse("/32 R L K J R@t1 L@t1 K J"), layout("five-double"), PLAYER, 100, repeat=True)
    assert report.demands[0].kind == "coordination" and report.summary.ease > 0


def test_bouncing_has_to_be_learned():
    """Common practice: who begins plays singles faster than doubles, working players the other way round."""

    def limit(text, skill):
        return analyse(parse(text), FIVE, replace(PLAYER, skill=skill), 100, repeat=True).summary.tempo_limit

    singles, doubles = "/16 R L R L R L R L", "/16 R R L L R R L L"
    assert limit(doubles, 1.0) < limit(singles, 1.0)
    assert limit(doubles, 0.75) > limit(singles, 0.75)


@pytest.mark.parametrize("away", [60, 120, 240])
def test_a_drum_that_goes_away_makes_the_fill_over_it_harder(away):
    fill = parse("/16 R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2")
    tom = FIVE.piece("t1")
    near = analyse(fill, FIVE, PLAYER, 112, repeat=True).summary
    far = analyse(fill, FIVE.with_piece(tom.moved(tom.x, tom.y + away)), PLAYER, 112, repeat=True).summary
    assert far.ease < near.ease - (1.0 if away == 240 else 0.0)


def test_hats_that_are_raised_make_a_groove_harder():
    groove = parse("/8 R@hh+K R@hh R@hh+L> R@hh")
    hat = FIVE.piece("hh")
    eases = [
        analyse(groove, FIVE.with_piece(hat.moved(hat.x, hat.y, hat.z + up)), PLAYER, 100, repeat=True).summary.ease
        for up in (0, 100, 200, 300)
    ]
    assert eases == sorted(eases, reverse=True) and eases[3] < eases[0] - 1


def test_what_does_not_come_round_with_the_beat_is_harder():
    """Common practice: the same hands and feet at the same speed, but across the beat."""

    def summary(text, tempo, kit="five"):
        return analyse(parse(text), layout(kit), PLAYER, tempo, repeat=True)

    triplets = summary("/8t " + "R L K J " * 3, 130, "five-double")
    sixteenths = summary("/16 " + "R L K J " * 3, 97.5, "five-double")
    assert triplets.summary.notes_per_second == pytest.approx(sixteenths.summary.notes_per_second)
    assert triplets.summary.ease < sixteenths.summary.ease - 5
    assert any(demand.kind == "rhythm" for demand in triplets.demands)
    assert not any(demand.kind == "rhythm" for demand in sixteenths.demands)
    groups = summary("/16 (R L K) (R L R K) (R L K) (R L R K) (R K)", 120)
    fours = summary("/16 (R L R K) (R L R K) (R L R K) (R L R K)", 120)
    assert groups.summary.difficulty > fours.summary.difficulty


def test_nothing_that_can_be_played_has_no_ease():
    eases = [
        analyse(parse("/32 R L K J R@t1 L@t1 K J"), layout("five-double"), PLAYER, tempo, repeat=True).summary
        for tempo in range(60, 150, 10)
    ]
    assert all(a.ease > b.ease > 0 for a, b in pairwise(eases))


def test_amounts_are_parts_of_the_sum():
    report = analyse(parse("/16 R L K R@ft fL R. L>"), FIVE, PLAYER, 100, repeat=True)
    total = amounts(report.moments).sum()
    assert (total / report.summary.duration) ** 0.2 == pytest.approx(report.summary.difficulty)
    assert (paces(report.moments) >= 0).all()
