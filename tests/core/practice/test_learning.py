"""Twenty sessions of a learner apart from the app's own model, with and without the player's own speed in use."""

from datetime import date, timedelta

import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.practice.own_speed import LEARNING_DAYS, Evidence, calibrate, evidence_of, settled
from tests.core.practice.simulated_learner import FIRST, Learner, practise

FIVE = layout("five")
SINGLES = "/16 R L R L R L R L R L R L R L R L |"
FILL = "/16 R> L K R@t1 L@t1 K R L R@t1 R@ft K L R@c1+K - - - |"


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.parametrize("set_to", [0.75, 1.0])
@pytest.mark.parametrize("text", [SINGLES, FILL], ids=["singles", "fill"])
def test_with_own_speed_nobody_ends_lower_and_the_hands_are_found(text, set_to, seed):
    """A slow learner of quick hands: what is not learned yet was taken for slow, and the ladder then ended there."""
    learner = Learner(0.75, slower=0.4, minutes=90.0, seed=seed)
    without = practise(text, FIVE, learner, set_to, own_speed=False)
    used = practise(text, FIVE, learner, set_to, own_speed=True)
    assert used.reached >= without.reached, "the same seeds"
    assert used.reached >= 0.97 * used.home
    found = calibrate(Player(skill=set_to), used.evidence)
    assert found.overall.low <= learner.skill <= found.overall.high and found.overall.skill < 1.2 * learner.skill


def test_the_first_days_of_a_figure_say_nothing_of_speed():
    rows = [
        Evidence("right", 1.1, False, day=FIRST + timedelta(days=k), figure="storm")
        for k in range(LEARNING_DAYS) for _ in range(8)
    ]  # fmt: skip
    found = calibrate(Player(skill=0.75), rows)
    assert found.attempts == 0 and found.learning == len(rows) and found.player == Player(skill=0.75)
    later = [replace_day(row, 20) for row in rows]
    assert len(settled([*rows, *later])) == len(later)
    assert calibrate(Player(skill=0.75), [*rows, *later]).overall.skill > 0.8


def replace_day(row, days):
    return row._replace(day=FIRST + timedelta(days=days))


def test_no_limit_is_put_below_a_tempo_that_was_clean_in_whichever_session():
    pattern = parse("/16 R R R R R R R R |")
    player = Player(skill=0.75)
    report = analyse(pattern, FIVE, player, 100.0, repeat=True)
    best = report.summary.tempo_limit * 1.1
    clean = evidence_of(report, best, True)._replace(day=FIRST, figure="storm")
    failed = [
        evidence_of(report, report.summary.tempo_limit * 0.9, False)._replace(
            day=FIRST + timedelta(days=k), figure="storm"
        )
        for k in range(30)
    ]
    new = calibrate(player, [clean, *failed]).player
    assert analyse(pattern, FIVE, new, 100.0, repeat=True).summary.tempo_limit >= best * 0.999
    assert calibrate(player, failed).player.skill > 0.8


def test_what_is_newer_weighs_more():
    old = [Evidence("right", 1.2, False, day=date(2025, 1, 1))] * 40
    new = [Evidence("right", 1.2, True, day=date(2026, 1, 1))] * 20
    undated = [row._replace(day=None) for row in (*old, *new)]
    fresh, alike = (calibrate(Player(skill=0.75), rows).overall.skill for rows in ([*old, *new], undated))
    assert fresh < 0.97 * alike
