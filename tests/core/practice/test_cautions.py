"""Cautions: hearing by the published limit, loose grip and pain where a rung is hard."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core.practice.cautions import ALWAYS, BEFORE, daily_dose, hearing_words, rung_words, safe_minutes
from deft_reach.core.practice.ladder import Rung

#: NIOSH (1998), Criteria for a recommended standard, publication 98-126, table 1-1: level (dBA) and seconds a day.
#: Values from memory.
TABLE = {
    80: (25 * 60 + 24) * 60, 82: 16 * 3600, 85: 8 * 3600, 88: 4 * 3600, 91: 2 * 3600, 94: 3600, 97: 1800, 100: 900,
    103: 450, 106: 225, 109: 113, 112: 56, 115: 28,
}  # fmt: skip


@pytest.mark.parametrize(("level", "seconds"), TABLE.items())
def test_hearing_follows_the_published_table(level, seconds):
    assert safe_minutes(level) * 60 == pytest.approx(seconds, rel=0.012)
    assert daily_dose(level, seconds / 60) == pytest.approx(1, rel=0.012), "that long is a whole day's dose"


@given(st.floats(70, 120), st.floats(0, 600), st.floats(0, 600))
def test_doses_add_up_and_double_with_three_decibels(level, one, two):
    assert daily_dose(level, one) + daily_dose(level, two) == pytest.approx(daily_dose(level, one + two))
    assert daily_dose(level + 3, one) == pytest.approx(2 * daily_dose(level, one))


@pytest.mark.parametrize("level", [math.nan, math.inf, -math.inf])
def test_a_level_that_is_none_is_refused(level):
    with pytest.raises(ValueError, match="no sense"):
        safe_minutes(level)


def test_what_is_said_goes_with_the_dose():
    assert "protect your ears" in hearing_words(100, 30) and "200 %" in hearing_words(100, 30)
    assert "protect" not in hearing_words(75, 60)


def test_cautions_defer_to_those_who_know():
    assert "clinician" in ALWAYS and "Local rules" in ALWAYS and "Warm up" in BEFORE and "loosely" in BEFORE


def test_cautions_stand_where_a_rung_is_hard():
    assert rung_words(Rung(60, 0, 0.6, 4, "")) == "" == rung_words(Rung(60, 0, None, 4, ""))
    assert "loose grip" in rung_words(Rung(60, 0, 0.95, 4, ""))
    assert "pain" in rung_words(Rung(60, 0, 1.1, 4, ""))
