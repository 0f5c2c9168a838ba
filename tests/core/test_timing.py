"""Needed time against published movement and tapping times."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.motion.timing import A0, B0, HAND_RESTRIKE, needed_time, restrike_time, travel_time

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
    assert 5 <= 1 / restrike_time("R", "", False) <= 7


def test_the_fastest_trained_hand_is_near_ten_a_second():
    """Fujii et al. (2009): a world-class drummer about 10 Hz with one hand; from memory."""
    assert 9 <= 1 / (HAND_RESTRIKE * 0.6) <= 11


def limit(text: str, skill: float, repeat: bool = True) -> float:
    found = analyse(parse(text), layout("five"), Player(skill=skill), 100, repeat=repeat).summary.tempo_limit
    assert found is not None
    return found


def test_single_stroke_sixteenths_on_one_drum():
    """Common practice: a working player ends near 240 BPM, the fastest trained near 300."""
    assert limit("R L R L R L R L", 0.75) == pytest.approx(240, rel=0.03)
    assert 285 <= limit("R L R L R L R L", 0.6) <= 330


def test_350_mm_in_one_hand_takes_an_advanced_player_about_85_ms():
    """Common practice."""
    assert needed_time("R", "", 350.0, 180.0, 0.55, False) == pytest.approx(0.085, abs=0.01)


def test_dynamics_and_doubles_order_the_times():
    accent, plain, ghost, bounced = (
        restrike_time("R", m, b) for m, b in ((">", False), ("", False), (".", False), ("", True))
    )
    assert accent > plain > ghost > bounced
    assert restrike_time("R", ">", True) == accent, "an accent cannot be bounced"
    assert restrike_time("K", "", False) == pytest.approx(0.22)


@given(st.floats(1, 2000), st.floats(1, 2000), st.floats(20, 400))
def test_a_shorter_move_never_takes_longer(a, b, width):
    near, far = sorted((a, b))
    assert needed_time("R", "", near, width, 0.75, False) <= needed_time("R", "", far, width, 0.75, False)
