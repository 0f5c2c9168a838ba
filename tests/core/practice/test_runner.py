"""The session runner."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import Player, layout, parse
from deft_reach.core.practice.ladder import Rung, build_ladder
from deft_reach.core.practice.runner import HIGH_LOAD_S, UNBROKEN_S, Runner, efforts
from deft_reach.core.practice.stages import build_up
from deft_reach.core.practice.verdicts import Rule

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
    whole = [stage.name for stage in stages].index("everything")
    fast = Runner([Rung(104, whole, 0.9, 4, "")], stages)
    slow = Runner([Rung(50, whole, 0.4, 4, "")], stages)
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
