"""What the log says of every plan, and what follows from it."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core.document import Document, Plan, Score
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.player import Player
from deft_reach.core.practice.progress_log import (
    CLIMB,
    REACH,
    RECENT,
    SPEED,
    STUCK_AFTER,
    UNPLAYED,
    day_of,
    progress,
    progress_of,
    tally,
    what_next,
    when,
)  # fmt: skip
from deft_reach.core.practice.setlist import state_of, whole_show

NOW = datetime(2026, 3, 10, 20, 0, tzinfo=UTC)


@dataclass(frozen=True)
class Try:
    tempo: float
    verdict: str = "clean"
    days: float = 0.0
    plan: str = "a"
    stage: str = "everything"
    seconds: float = 60.0
    load: dict = field(default_factory=lambda: {"R": 30.0})

    @property
    def at(self):
        return (NOW - timedelta(days=self.days)).isoformat()


def document() -> Document:
    kit: Kit = layout("five")
    plans = tuple(Plan(id, id.upper(), "s", kit.id, "player", 120.0) for id in ("a", "b"))
    score = Score("s", "S", "R L R L")
    return Document(players=(Player(),), kits=(kit,), patterns=(score,), plans=plans)


def state(*rows):
    return progress_of(document(), document().plans[0], tally(rows).get("a", UNPLAYED))


def progress_after(rows):
    return progress(document(), tally(rows))


def test_states_follow_from_attempts():
    assert state().state == "drafted" and state(Try(80)).state == "climbing"
    assert state(Try(119)).state == "climbing" and state(Try(120)).state == "clean"
    assert state(Try(120, stage="with the feet")).state == "climbing", "only the whole figure counts"
    assert state(Try(120, "rough")).clean_tempo is None
    row = state(Try(80), Try(90, days=1), Try(100, "rough"))
    assert row.clean_tempo == 90 and row.share == 0.75 and row.minutes == 3 and row.attempts == 3


def test_stuck_is_many_tries_without_one_clean_further_up():
    failing = [Try(100, "rough", days=3 - k // 3) for k in range(STUCK_AFTER)]
    begun = Try(95, days=4)
    assert state(begun, *failing).stuck and state(*failing).stuck
    assert not state(begun, *failing[:-2]).stuck
    assert not state(begun, *failing[:-1], Try(101)).stuck
    assert not state(begun, *[Try(100, "rough") for _ in range(STUCK_AFTER)]).stuck, "one evening is no plateau"
    low = [Try(80, "rough", days=4) for _ in range(STUCK_AFTER)]
    assert not state(begun, *low).stuck, "warming up is not stuck"


def test_clean_lapses_when_it_fails_and_sinks_while_it_rests():
    home = Try(120, days=60)
    assert state(home).state == "clean", "without a day to look at it from"
    failed = [Try(118, "not-yet", days=k % 4) for k in range(16)]
    now = state(Try(90, days=61), home, *failed)
    assert now.state == "climbing" and now.clean_tempo == 90 and now.best == 120
    assert state(home, *failed).clean_tempo is None
    assert state(home, *failed, Try(120)).state == "clean", "clean once more"
    assert state(home, *failed[:3]).state == "clean", "a few bad tries are no lapse"
    assert state(Try(120), *[Try(118, "rough") for _ in range(9)]).state == "clean", "nor is the same evening"
    assert state(home, *[Try(126, "rough", days=k % 4) for k in range(16)]).state == "clean", "above it is no matter"
    today = NOW.date()
    for days, part in ((0, 1.0), (14, 1.0), (24, 0.96), (400, 0.8)):
        played = tally([Try(120, days=days)])["a"]
        assert played.clean_now(today) == pytest.approx(120 * part)
    after = progress(document(), tally([Try(120, days=24)]), today)
    assert after[0].state == "climbing" and after[0].best == 120
    words = what_next(after, NOW)[0].words
    assert "was clean at home tempo, and is not any more: begin at 115 BPM" in words


def test_what_next_names_the_plan_and_the_step():
    steps = what_next(progress_after([Try(95, days=1), Try(90, days=12, plan="b")]), NOW)
    lines = [step.words for step in steps]
    assert [(step.plan, step.do) for step in steps[:2]] == [("a", CLIMB), ("b", CLIMB)]
    assert any("A: go on from 95 BPM to 120" in line for line in lines)
    assert any("B was last played 12 days ago" in line and "from 90" in line for line in lines)
    stuck = what_next(
        progress_after([Try(95, days=4), *[Try(100, "not-yet", days=3 - k // 3) for k in range(9)]]), NOW
    )
    assert "A is stuck above 95 BPM" in stuck[0].words and stuck[0].do == REACH
    assert "Commit a plan" in what_next(progress_after([]), NOW)[0].words
    assert "Clean at home tempo: A" in what_next(progress_after([Try(125)]), NOW)[-1].words
    assert "Nothing is planned" in what_next(progress(Document(), {}), NOW)[0].words


def test_a_time_that_cannot_be_read_does_no_harm():
    broken = type("Broken", (Try,), {"at": "yesterday"})(90)
    assert state(broken).clean_tempo == 90 and day_of("yesterday") < NOW.date() and when("yesterday") < NOW


def test_the_whole_show_knows_the_states():
    rows = {row.id: row.state for row in whole_show(document(), None, tally([Try(80), Try(130, plan="b")]))}
    assert rows == {"a": "climbing", "b": "clean"}
    assert state_of(document(), document().plans[0]) == "drafted"


def test_the_last_time_is_found_across_time_zones():
    """Texts sort as times do only within one zone: five in the morning in the east is before midnight in the west."""
    east = type("East", (Try,), {"at": "2026-11-20T05:00:00+09:00"})(90)
    west = type("West", (Try,), {"at": "2026-11-19T23:30:00-05:00"})(90)
    found = state(west, east)
    assert found.last == datetime.fromisoformat("2026-11-19T23:30:00-05:00") and found.attempts == 2


def test_all_plans_at_once_are_each_plan_by_itself():
    rows = [Try(90), Try(130, plan="b"), Try(70, "rough", plan="gone"), Try(95, days=1)]
    assert tally(rows[2:], tally(rows[:2])) == tally(rows), "what is known already is gone on from"
    only = [tally(row for row in rows if row.plan == plan.id)[plan.id] for plan in document().plans]
    assert progress_after(rows) == [progress_of(document(), plan, one) for plan, one in zip(document().plans, only)]


tries = st.builds(
    Try,
    st.sampled_from([80, 95, 110]),
    st.sampled_from(["clean", "rough", "not-yet"]),
    st.floats(0, 30),
    st.sampled_from("ab"),
    st.sampled_from(["everything", "dynamics"]),
    st.integers(0, 300),
)


@given(st.lists(tries, max_size=20), st.randoms(use_true_random=False))
def test_sums_do_not_depend_on_the_order(rows, chance):
    mixed = chance.sample(rows, len(rows))
    one, two = tally(rows), tally(mixed)
    assert set(one) == set(two) == {row.plan for row in rows}
    for plan, played in one.items():
        assert played._replace(recent=()) == two[plan]._replace(recent=())
        whole = [(row.tempo, row.verdict) for row in rows if row.plan == plan and row.stage == "everything"]
        assert [row[:2] for row in played.recent] == whole[-RECENT:], "the last ones as they were made"


def test_practice_that_beats_the_model_is_said():
    rows = progress_after([Try(112), Try(90, plan="b")])
    name = next(row.plan.id for row in rows if row.clean_tempo == 112)
    other = next(row.plan.id for row in rows if row.clean_tempo == 90)
    steps = what_next(rows, NOW, {name: 93.4, other: 89.9})
    lines = [step.words for step in steps]
    assert (steps[0].plan, steps[0].do) == (name, SPEED)
    assert "is clean at 112 BPM, and the model says 93: your hands are quicker than what is set" in lines[0]
    assert sum("your own speed" in line for line in lines) == 1, "a hair above the limit says nothing"
    assert not any("own speed" in step.words for step in what_next(rows, NOW, {name: None}))
