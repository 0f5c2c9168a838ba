"""Needed time against published movement and tapping times."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.timing import A0, B0, level_factors, restrike, travel_time, travel_times

#: Fitts (1954), *J. Exp. Psych.* 47: movement times in seconds, 1-oz stylus, by target width and amplitude in inches.
#: Values from memory.
FITTS_1954 = {
    0.25: {2: 0.392, 4: 0.484, 8: 0.580, 16: 0.731},
    0.5: {2: 0.281, 4: 0.372, 8: 0.469, 16: 0.595},
    1: {2: 0.212, 4: 0.260, 8: 0.357, 16: 0.481},
    2: {2: 0.180, 4: 0.203, 8: 0.279, 16: 0.388},
}


def table(index) -> tuple[list[float], list[float]]:
    """The table as (index of difficulty, movement time) for some form of the index."""
    cells = [(index(a, w), t) for w, row in FITTS_1954.items() for a, t in row.items()]
    return [x for x, _ in cells], [t for _, t in cells]


def test_our_constants_are_the_published_line_for_the_original_index():
    """12.8 ms + 94.7 ms/bit, r = .983, as given by MacKenzie (1992), *Human-Computer Interaction* 7.

    Refitting the table shows that this line belongs to the original index log2(2A/W).
    """
    fit = stats.linregress(*table(lambda a, w: math.log2(2 * a / w)))
    assert fit.slope == pytest.approx(B0, abs=0.0002)
    assert fit.intercept == pytest.approx(A0, abs=0.0002)
    assert fit.rvalue == pytest.approx(0.983, abs=0.001)


def test_the_shannon_form_fits_the_table_best_and_ours_is_its_optimistic_neighbour():
    """In the Shannon form the table gives 27.7 ms + 111.5 ms/bit, r = .994: better in shape, slower in time."""
    index, times = table(lambda a, w: math.log2(a / w + 1))
    fit = stats.linregress(index, times)
    assert fit.rvalue > 0.99
    assert fit.slope == pytest.approx(0.1115, abs=0.0005) and fit.intercept == pytest.approx(0.0277, abs=0.0005)
    ours = [travel_time(a * 25.4, w * 25.4) for w, row in FITTS_1954.items() for a in row]
    assert all(our < measured for our, measured in zip(ours, times)), "never slower than people were"
    assert stats.spearmanr(ours, times).statistic > 0.97


def test_an_untrained_hand_taps_five_to_seven_times_a_second():
    """Fujii et al. (2009), *Neuroscience Letters*; from memory."""
    assert 5 <= 1 / restrike(Player(skill=1.0), "R") <= 7


def rate(text: str, skill: float, notes: int = 4) -> float:
    """Strokes a second at the limit, ``notes`` to the quarter."""
    found = analyse(parse(text), layout("five"), Player(skill=skill), 100, repeat=True).summary.tempo_limit
    assert found is not None
    return found * notes / 60


SINGLES, DOUBLES = "R L R L R L R L", "R R L L R R L L"


@pytest.mark.parametrize("skill", [0.2, 0.4, 0.55, 0.75, 1.0])
def test_no_skill_beats_the_fastest_ever_measured(skill):
    """Fujii et al. (2009): about 10 strokes a second with one hand; hands together about 20 (common practice)."""
    assert rate("R R R R R R R R", skill) <= 10
    assert rate(SINGLES, skill) <= 20 and rate(DOUBLES, skill) <= 21.5


@pytest.mark.parametrize("skill", [0.4, 0.55, 0.75])
def test_doubles_end_above_singles(skill):
    """Common practice: on the rebound two hands play more strokes a second than hand to hand."""
    assert rate(DOUBLES, skill) > rate(SINGLES, skill)


def test_untrained_doubles_end_below_untrained_singles():
    """Common practice: to let a stick bounce twice has to be learned."""
    assert 0.75 * rate(SINGLES, 1.0) < rate(DOUBLES, 1.0) < rate(SINGLES, 1.0)


def test_single_stroke_sixteenths_on_one_drum():
    """Common practice: a working player ends well above 200 BPM, an advanced one below 280."""
    assert 205 <= rate(SINGLES, 0.75) * 15 <= 240
    assert 250 <= rate(SINGLES, 0.55) * 15 <= 280


def test_the_hand_that_does_not_lead_is_five_to_ten_percent_slower():
    """Common practice."""
    for player, other in ((Player(), "L"), (Player().mirror(), "R")):
        leading = "R" if other == "L" else "L"
        assert 1.05 <= restrike(player, other) / restrike(player, leading) <= 1.10


@given(st.floats(1, 2000), st.floats(20, 400), st.floats(0.2, 1.5))
def test_no_move_throws_the_tip_harder_than_fifteen_times_gravity(distance, width, skill):
    """Peak acceleration of a minimum-jerk move is 5.77 D/T² (Flash & Hogan 1985)."""
    time = float(travel_times(distance, width, skill))
    assert 5.77 * distance / 1000 / time**2 <= 15.5 * 9.81


def test_dynamics_order_the_times():
    accent, plain, ghost = (float(level_factors(1.0, level, 1)) for level in (2, 1, 0))
    assert accent > plain > ghost
    assert level_factors(0.44, 0, 2) > level_factors(0.44, 1, 2), "a ghost after an accent has to be dropped"


@given(st.floats(1, 2000), st.floats(1, 2000), st.floats(20, 400))
def test_a_shorter_move_never_takes_longer(a, b, width):
    near, far = sorted((a, b))
    assert travel_times(near, width, 0.75) <= travel_times(far, width, 0.75)


def test_a_sweep_downhill_shares_its_motion_and_the_way_home_is_shorter_than_leading_across():
    """One hand from the mid tom to the floor tom: in a run, out of one, and back."""
    table = reach_table(layout("five"), Player(), ["t2", "ft"])
    t2, ft = (table.names.index(voice) for voice in ("t2", "ft"))
    assert table.sweep_times[0, t2, ft] < table.travel_times[0, t2, ft] < table.travel_times[0, ft, t2]
    assert table.travel_times[1, ft, t2] < table.travel_times[1, t2, ft], "the left hand's home is the other way"
