"""Where the next session begins: by the rule of the ladder, by what was forgotten, and after a warm-up."""

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import Player, layout, parse
from deft_reach.core.practice.ladder import build_ladder
from deft_reach.core.practice.progress_log import LAPSES
from deft_reach.core.practice.resuming import WARM_UP, Resume, RungTry, resume
from deft_reach.core.practice.stages import build_up
from deft_reach.core.practice.verdicts import VERDICTS, Rule

TODAY = date(2026, 3, 10)
STAGES = build_up(parse("/16 R L R L R L R L R L R L R L R L |"), layout("five"), Player(), 120)
RUNGS = build_ladder(STAGES, 120)
NAME = STAGES[-1].name
TEMPI = [rung.tempo for rung in RUNGS if rung.stage == len(STAGES) - 1]


def tries(tempo, verdicts, days=1, stage=NAME):
    return [RungTry(stage, tempo, verdict, TODAY - timedelta(days=days)) for verdict in verdicts]


def number(tempo):
    return next(k for k, rung in enumerate(RUNGS) if rung.stage == len(STAGES) - 1 and rung.tempo == tempo)


CLEAN = ["clean"] * 3


def test_without_practice_it_begins_at_the_first_rung():
    assert resume(RUNGS, STAGES, [], TODAY) == Resume()


def test_one_clean_verdict_does_not_skip_the_rule_of_three():
    once = resume(RUNGS, STAGES, tries(TEMPI[4], ["clean"]), TODAY)
    thrice = resume(RUNGS, STAGES, tries(TEMPI[4], CLEAN), TODAY)
    assert once.at == 0 and thrice.warm_up_to == number(TEMPI[4]) + 1 and thrice.at == thrice.warm_up_to - WARM_UP
    broken = tries(TEMPI[4], ["clean", "rough", "clean", "clean"])
    assert resume(RUNGS, STAGES, broken, TODAY).at == 0
    assert resume(RUNGS, STAGES, broken, TODAY, Rule(up_after=2)).warm_up_to == number(TEMPI[4]) + 1


def test_the_whole_figure_holds_in_whichever_frame_it_was_played():
    framed = resume(RUNGS, STAGES, tries(TEMPI[4], CLEAN, stage="everything"), TODAY)
    assert framed == resume(RUNGS, STAGES, tries(TEMPI[4], CLEAN, stage="between grooves"), TODAY)
    assert framed.warm_up_to == number(TEMPI[4]) + 1
    assert resume(RUNGS, STAGES, tries(TEMPI[4], CLEAN, stage="skeleton"), TODAY).warm_up_to < framed.warm_up_to


def test_each_day_warms_up_and_the_same_day_goes_on():
    same = resume(RUNGS, STAGES, tries(TEMPI[4], CLEAN, days=0), TODAY)
    assert same.at == same.warm_up_to == number(TEMPI[4]) + 1


def test_after_a_pause_it_begins_lower_and_says_so():
    at = [resume(RUNGS, STAGES, tries(TEMPI[6], CLEAN, days=days), TODAY).at for days in (1, 10, 40, 90)]
    assert at[0] == at[1] > at[2] > at[3] >= 0
    assert "Last played 40 days ago" in resume(RUNGS, STAGES, tries(TEMPI[6], CLEAN, days=40), TODAY).why


def test_what_fails_on_later_days_has_lapsed():
    had = [*tries(TEMPI[2], CLEAN, days=30), *tries(TEMPI[5], CLEAN, days=20)]
    failed = [*had, *tries(TEMPI[5], ["not-yet"] * LAPSES, days=3)]
    assert resume(RUNGS, STAGES, had, TODAY).warm_up_to > resume(RUNGS, STAGES, failed, TODAY).warm_up_to
    again = [*failed, *tries(TEMPI[5], CLEAN, days=1)]
    assert resume(RUNGS, STAGES, again, TODAY).warm_up_to == number(TEMPI[5]) + 1


@given(st.lists(st.tuples(st.sampled_from(TEMPI), st.sampled_from(VERDICTS), st.integers(0, 60)), max_size=30))
def test_one_more_clean_round_never_sends_one_back(rows):
    had = [RungTry(NAME, tempo, verdict, TODAY - timedelta(days=days))
           for tempo, verdict, days in sorted(rows, key=lambda row: -row[2])]  # fmt: skip
    before = resume(RUNGS, STAGES, had, TODAY)
    after = resume(RUNGS, STAGES, [*had, *tries(TEMPI[0], CLEAN, days=0)], TODAY)
    assert 0 <= before.at <= before.warm_up_to < len(RUNGS) + 1 and after.warm_up_to >= before.warm_up_to - 1
