"""The player's own speed from attempts and takes: constructed players are recovered, and the fit is the best one."""

import math

import numpy as np
import pytest
from scipy import optimize

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.player import Constants
from deft_reach.core.motion.timing import restrike
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.own_speed import (
    EASY,
    GROUP_SPREAD,
    PRIOR_SPREAD,
    STEEPNESS,
    Evidence,
    calibrate,
    chance_of_clean,
    evidence_from,
    evidence_of,
    evidence_of_take,
)  # fmt: skip
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.core.practice.take import check_take
from deft_reach.formats.general_midi import key_of

FIVE, PLAYER = layout("five"), Player()
FIGURE = parse("/16 (R@ft> L. K R@t2) (L@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |")


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
    rows = [*attempts(0.58, 200, 2, "right"), *attempts(0.68, 200, 7, "left")]
    new = calibrate(Player(skill=0.75), rows).player
    assert new.skill_of("R") == pytest.approx(0.58, rel=0.08) and new.skill_of("L") == pytest.approx(0.68, rel=0.08)
    assert new.skill_of("K") == pytest.approx(0.75, rel=0.01), "nothing was said of the feet"
    right, left = (analyse(parse(f"/16 {hand} {hand} {hand}"), FIVE, new, 60).summary.tempo_limit for hand in "RL")
    assert right / left == pytest.approx(restrike(new, "L") / restrike(new, "R"))
    # Asked again with the same attempts, it stays about where it is: what was learned is not learned twice.
    again = calibrate(new, rows).player
    assert [again.skill_of(x) for x in "RLK"] == pytest.approx([new.skill_of(x) for x in "RLK"], rel=0.01)


def test_failures_on_rungs_that_are_easy_as_set_count_only_when_the_player_says_so():
    """A slow player set as an advanced one: failures that look easy for those hands were not easy."""
    rows = attempts(1.2, 300, 5, "right")
    found = calibrate(Player(skill=0.55), rows)
    assert found.left_out > 100 and found.attempts + found.left_out == 300
    counted = calibrate(Player(skill=0.55), rows, count_easy=True)
    assert counted.attempts == 300 and counted.left_out == 0
    assert counted.overall.skill == pytest.approx(1.2, rel=0.06) and not counted.is_likely


def test_a_burst_of_failures_on_easy_rungs_fools_nobody():
    rows = [Evidence("right", 0.5, False)] * 10
    found = calibrate(Player(skill=0.75), rows)
    assert found.left_out == 10 and found.attempts == 0 and found.player == Player(skill=0.75)
    assert found.limits_change == pytest.approx(1, rel=1e-3) and found.is_likely
    wild = calibrate(Player(skill=0.75), rows, count_easy=True)
    assert wild.limits_change < 0.75 and not wild.is_likely


def test_who_was_measured_keeps_constants_and_skill():
    player = Player(constants=Constants(right=0.11, left=0.13))
    rows = [*attempts(0.6, 200, 2, "right"), *attempts(0.9, 200, 7, "left")]
    new = calibrate(player, rows, count_easy=True).player
    assert new.constants == player.constants and new.skill == player.skill
    ratio = restrike(new, "L") / restrike(new, "R") / (0.13 / 0.11)
    assert ratio == pytest.approx(0.9 / 0.6, rel=0.12)
    again = calibrate(new, rows, count_easy=True).player
    assert [again.skill_of(x) for x in "RL"] == pytest.approx([new.skill_of(x) for x in "RL"], rel=0.02)


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
    assert calibrate(Player(skill=now), rows, count_easy=True).overall.skill == pytest.approx(
        math.exp(whole), rel=1e-4
    )


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
    with pytest.raises(ValueError, match="no usable pace"):
        calibrate(PLAYER, [Evidence("right", math.nan, True)])


# --- takes ------------------------------------------------------------------------------------------------------

TWO_HANDS = parse("/16 R@hh R@hh L L R@hh R@hh L L K K R@hh L K K R@hh L |")
ROUNDS = 6


def take_of(tempo, spoilt=(), free=(), pattern=TWO_HANDS, **faults):
    """A take in which the hurried strokes of some limbs come too late, and what it says."""
    report = analyse(pattern, FIVE, PLAYER, 100, repeat=True)
    keys = [key_of(FIVE, s.voice, s.limb, s.marks) for s in pattern.strokes]
    hits = list(simulate(pattern, keys, tempo, Faults(**{"jitter": 0.002, **faults}), ROUNDS).hits)
    random = np.random.default_rng(round(tempo * 10))
    for limb in spoilt:
        mine = [s for s in report.strokes if s.limb == limb and s.tempo_limit]
        least = min(s.tempo_limit for s in mine)
        hurried = {s.index for s in mine if s.tempo_limit <= least * 1.1}
        for k, hit in enumerate(hits):
            index = k % len(pattern.strokes)
            if index in hurried:
                hits[k] = Hit(hit.time + random.uniform(0.3, 0.45) * 15 / tempo, hit.key, hit.velocity)
    take = check_take(pattern, keys, sorted(hits), tempo, FIVE, repeat=True, free=free)
    return report, take, {row.group: row for row in evidence_of_take(report, take, free)}


def test_a_take_speaks_for_each_limb():
    report, take, found = take_of(120, spoilt="L")
    assert take.rounds == ROUNDS
    assert (found["right"].clean, found["left"].clean, found["feet"].clean) == (True, False, True)
    least = min(s.tempo_limit for s in report.strokes if s.limb == "L" and s.tempo_limit)
    assert found["left"].pace == pytest.approx(take.tempo / least / PLAYER.skill)
    _, _, clean = take_of(120)
    assert all(row.clean for row in clean.values())


def test_a_limb_that_is_late_everywhere_is_no_slow_one():
    _, take, found = take_of(100, late_left=0.03)
    assert take.verdict != "clean" and found["left"].clean, "a habit, not a want of speed"


def test_groups_that_may_be_laid_back_say_nothing():
    chunked = parse("/16 (R@hh R@hh K K) (R@hh R@hh L L) (R@hh R@hh R@hh L) (K - R@hh L) |")
    _, _, found = take_of(100, spoilt="L", pattern=chunked)
    _, _, free = take_of(100, spoilt="L", pattern=chunked, free=[1])
    assert not found["left"].clean and free["left"].clean and free["left"].pace < found["left"].pace
    assert take_of(100, pattern=chunked, free=range(4))[2] == {}


def test_a_constructed_player_is_recovered_from_takes():
    skills = {"R": 0.6, "L": 0.9, "K": 0.75}
    report = analyse(TWO_HANDS, FIVE, PLAYER, 100, repeat=True)
    limits = {limb: min(s.tempo_limit for s in report.strokes if s.limb == limb and s.tempo_limit) for limb in skills}
    random = np.random.default_rng(3)
    rows = []
    for _ in range(24):
        tempo = limits["L"] * math.exp(random.normal(0.0, 0.2))
        # How likely each limb holds at this tempo, by its own skill.
        held = {x: chance_of_clean(tempo / limits[x] * skills[x] / PLAYER.skill) for x in skills}
        spoilt = [x for x in skills if random.random() > held[x]]
        rows += take_of(tempo, spoilt)[2].values()
    found = {name: row.skill for name, row in calibrate(PLAYER, rows).groups.items()}
    assert found["left"] == pytest.approx(0.9, rel=0.1) and found["right"] < 0.75
