"""The session runner, cautions and calibration."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import optimize

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.practice.calibration import (
    EASY,
    GROUP_SPREAD,
    PRIOR_SPREAD,
    STEEPNESS,
    Evidence,
    calibrate,
    chance_of_clean,
    evidence_from,
    evidence_of,
)  # fmt: skip
from deft_reach.core.practice.cautions import daily_dose, hearing_words, rung_words, safe_minutes
from deft_reach.core.practice.ladder import Rung, build_ladder
from deft_reach.core.practice.runner import HIGH_LOAD_S, UNBROKEN_S, Rule, Runner, efforts
from deft_reach.core.practice.stages import build_up

FIVE, PLAYER = layout("five"), Player()
FIGURE = parse("/16 (R@ft> L. K R@t2) (L@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |")
STAGES = build_up(FIGURE, FIVE, PLAYER, 100)
RUNGS = build_ladder(STAGES, 100, start=60)


def test_three_clean_in_a_row_go_up_and_two_not_yet_go_back_two():
    runner = Runner(RUNGS, STAGES, at=8)
    assert [runner.take("clean", 10).kind for _ in range(3)] == ["hold", "hold", "up"] and runner.at == 9
    runner.take("clean", 10)
    assert runner.take("rough", 10).kind == "hold" and runner.cleans == 0, "rough breaks the row and goes nowhere"
    runner.take("not-yet", 10)
    move = runner.take("not-yet", 10)
    assert move.kind == "back" and runner.at == 7 and f"{RUNGS[7].tempo:g}" in move.why
    runner.go_to(0)
    assert [runner.take("not-yet", 5).kind for _ in range(2)] == ["hold", "hold"] and runner.at == 0


def test_the_top_is_done_and_the_rule_can_be_changed():
    runner = Runner(RUNGS, STAGES, Rule(up_after=1), at=len(RUNGS) - 1)
    assert runner.take("clean", 10).kind == "done" and runner.done
    assert Rule(up_after=2, back_by=1).in_words() == "Up after 2 clean in a row; back 1 rung after 2 times not yet."
    quick = Runner(RUNGS, STAGES, Rule(adaptive=True))
    assert RUNGS[0].pace < 0.75 and quick.take("clean", 10).kind == "up"
    with pytest.raises(ValueError, match="no verdict"):
        runner.take("perfect", 1)
    with pytest.raises(ValueError, match="rung"):
        Runner([], STAGES)


@given(st.lists(st.sampled_from(["clean", "rough", "not-yet"]), max_size=60))
def test_any_session_stays_on_the_ladder(verdicts):
    runner = Runner(RUNGS, STAGES)
    for verdict in verdicts:
        before = runner.at
        move = runner.take(verdict, 8)
        assert 0 <= runner.at < len(RUNGS) and move.rung == runner.at
        assert {"up": runner.at == before + 1, "back": runner.at < before}.get(move.kind, runner.at == before)
    assert len(runner.tried) == len(verdicts)


def test_breaks_come_from_load_and_not_from_a_clock_alone():
    hard = parse("/16 " + "R@hh " * 16 + "|")
    stages = build_up(hard, FIVE, PLAYER, 104)
    fast = Runner([Rung(104, 0, 0.9, 4, "")], stages)
    slow = Runner([Rung(50, 0, 0.4, 4, "")], stages)
    assert fast.effort() > 0 and slow.effort() == 0
    for runner in (fast, slow):
        for _ in range(4):
            runner.take("rough", HIGH_LOAD_S / 4)
    assert "high load" in fast.break_due() and slow.break_due() is None
    fast.rest(20)
    assert fast.break_due(), "a short one is none"
    fast.rest(90)
    assert fast.break_due() is None
    slow.take("rough", UNBROKEN_S)
    assert "without a break" in slow.break_due()
    one = efforts(stages[0].report, 52)[0]
    two = efforts(stages[0].report, 104)[0]
    assert two.effort == pytest.approx(2 * one.effort)


def test_hearing_follows_the_published_limit():
    """NIOSH 1998: 85 dBA for 8 hours, 3 dB exchange rate."""
    assert safe_minutes(85) == 480 and safe_minutes(88) == 240 and safe_minutes(94) == 60 and safe_minutes(100) == 15
    assert daily_dose(85, 480) == 1 and daily_dose(91, 60) == pytest.approx(0.5)
    assert "protect your ears" in hearing_words(100, 30) and "200 %" in hearing_words(100, 30)
    assert "protect" not in hearing_words(75, 60)
    with pytest.raises(ValueError, match="no sense"):
        safe_minutes(math.nan)


def test_cautions_stand_where_a_rung_is_hard():
    assert rung_words(Rung(60, 0, 0.6, 4, "")) == "" == rung_words(Rung(60, 0, None, 4, ""))
    assert "loose grip" in rung_words(Rung(60, 0, 0.95, 4, ""))
    assert "pain" in rung_words(Rung(60, 0, 1.1, 4, ""))


# --- calibration ------------------------------------------------------------------------------------------------


def attempts(skill, count, seed=1, group="right", spread=0.25, moves=False):
    """Made by a player of this skill."""
    random = np.random.default_rng(seed)
    found = []
    for _ in range(count):
        pace = math.exp(random.normal(-math.log(skill), spread))
        found.append(Evidence(group, pace, bool(random.random() < chance_of_clean(pace * skill)), moves))
    return found


@pytest.mark.parametrize("skill", [0.55, 0.75, 0.95])
def test_a_players_speed_is_recovered_from_many_attempts(skill):
    found = calibrate(Player(skill=0.75), attempts(skill, 400))
    assert found.overall.skill == pytest.approx(skill, rel=0.05)
    assert found.overall.low < skill < found.overall.high
    assert found.limits_change == pytest.approx(0.75 / found.overall.skill)


def test_few_attempts_say_little_and_none_say_nothing():
    none = calibrate(Player(skill=0.75), [])
    assert none.overall.skill == pytest.approx(0.75) and none.groups == {}
    few = calibrate(Player(skill=0.75), attempts(0.5, 2))
    many = calibrate(Player(skill=0.75), attempts(0.5, 200))
    assert abs(math.log(few.overall.skill / 0.75)) < abs(math.log(many.overall.skill / 0.75))
    assert few.overall.high / few.overall.low > many.overall.high / many.overall.low


def test_limbs_and_moves_have_their_own_and_differ_as_they_should():
    rows = [
        *attempts(0.6, 150, 2, "right"), *attempts(0.7, 150, 7, "left"), *attempts(0.85, 150, 3, "feet"),
        *attempts(0.8, 150, 8, "right", moves=True),
    ]  # fmt: skip
    found = calibrate(Player(skill=0.75), rows)
    skills = {name: row.skill for name, row in found.groups.items()}
    assert skills["right"] == pytest.approx(0.6, rel=0.08) and skills["left"] == pytest.approx(0.7, rel=0.08)
    assert skills["feet"] == pytest.approx(0.85, rel=0.08) and skills["moves"] == pytest.approx(0.8, rel=0.08)
    assert found.groups["right"].attempts >= 250
    few = calibrate(Player(skill=0.75), [*rows[:150], *attempts(0.8, 2, 9, "feet")])
    assert set(few.groups) == {"right"}, "two attempts are too few to stand alone"


def test_what_is_applied_makes_limits_speak_for_each_limb():
    rows = [*attempts(0.6, 200, 2, "right"), *attempts(0.9, 200, 7, "left")]
    new = calibrate(Player(skill=0.75), rows).player
    assert new.skill_of("R") == pytest.approx(0.6, rel=0.08) and new.skill_of("L") == pytest.approx(0.9, rel=0.08)
    assert new.skill_of("K") == pytest.approx(0.75, rel=0.01), "nothing was said of the feet"
    right, left = (analyse(parse(f"/16 {hand} {hand} {hand}"), FIVE, new, 60).summary.tempo_limit for hand in "RL")
    assert right / left == pytest.approx(new.skill_of("L") / new.skill_of("R"))
    # Asked again with the same attempts, it stays about where it is: what was learned is not learned twice.
    again = calibrate(new, rows).player
    assert [again.skill_of(x) for x in "RLK"] == pytest.approx([new.skill_of(x) for x in "RLK"], rel=0.01)


def test_which_failures_count_is_asked_of_what_is_found_and_not_of_what_was_set():
    """A slow player set as an advanced one: failures that looked easy for those hands were not easy."""
    rows = attempts(1.2, 300, 5, "right")
    found = calibrate(Player(skill=0.55), rows)
    assert found.attempts == calibrate(Player(skill=1.2), rows).attempts
    assert found.overall.skill == pytest.approx(1.2, rel=0.06)


def test_failing_well_below_the_limit_says_nothing_of_speed():
    good = attempts(0.75, 60)
    tripped = [Evidence("right", 0.4, False)] * 20
    one, two = calibrate(Player(skill=0.75), good), calibrate(Player(skill=0.75), [*good, *tripped])
    assert two.overall.skill == pytest.approx(one.overall.skill) and two.attempts <= one.attempts


@pytest.mark.parametrize("spread", [0.05, 0.25])
@pytest.mark.parametrize("now", [0.3, 0.55, 0.75, 1.6])
def test_the_fit_is_the_best_there_is(now, spread):
    """Against SciPy's minimiser on the same sum, from near and far, tried all about the limit or at any tempo."""
    rows = [*attempts(0.6, 200, 5, "right", spread), *attempts(0.9, 150, 6, "feet", spread)]
    rows = [r for r in rows if r.clean or r.pace >= EASY / 0.5]
    x = np.array([math.log(r.pace) for r in rows])
    y = np.array([r.clean for r in rows], dtype=float)
    feet = np.array([r.group == "feet" for r in rows], dtype=float)
    prior = np.array([math.log(now), 0.0, 0.0])
    widths = np.array([PRIOR_SPREAD, GROUP_SPREAD, GROUP_SPREAD])

    def loss(u):
        z = STEEPNESS * (x + u[0] + u[1] * (1 - feet) + u[2] * feet)
        return 0.5 * (((u - prior) / widths) ** 2).sum() + (np.logaddexp(0, z) - (1 - y) * z).sum()

    best = optimize.minimize(loss, prior, method="BFGS", options={"gtol": 1e-9})
    whole = best.x[0] + best.x[1] * (1 - feet).mean() + best.x[2] * feet.mean()
    assert calibrate(Player(skill=now), rows).overall.skill == pytest.approx(math.exp(whole), rel=1e-4)


def test_evidence_comes_from_the_stroke_that_limits():
    report = analyse(FIGURE, FIVE, PLAYER, 100)
    found = evidence_of(report, 120, True)
    assert found.pace == pytest.approx(120 / report.summary.tempo_limit / PLAYER.skill)
    assert found.group in ("right", "left", "feet")
    assert evidence_from(found.held_by, found.pace, True) == found
    assert evidence_from("", 1.0, True) is None and evidence_from("right", None, True) is None
    feet = evidence_of(analyse(parse("/16 K K K K"), FIVE, PLAYER, 100), 100, False)
    assert feet.group == "feet" and not feet.clean
    assert evidence_of(analyse(parse("R"), FIVE, PLAYER, 100), 100, True) is None
    with pytest.raises(ValueError, match="no pace"):
        calibrate(PLAYER, [Evidence("right", math.nan, True)])
