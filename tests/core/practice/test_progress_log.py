"""What the log says of every plan, and what follows from it."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import pytest

from deft_reach.core.document import Document, Plan, Score
from deft_reach.core.kit import Kit
from deft_reach.core.layouts import layout
from deft_reach.core.player import Player
from deft_reach.core.practice.progress_log import (
    STUCK_AFTER,
    minutes_by_day,
    minutes_by_limb,
    points,
    progress_of,
    what_next,
)  # fmt: skip
from deft_reach.core.song.setlist import state_of, whole_show

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
    return progress_of(document(), document().plans[0], rows)


def test_states_follow_from_attempts():
    assert state().state == "drafted" and state(Try(80)).state == "climbing"
    assert state(Try(119)).state == "climbing" and state(Try(120)).state == "clean"
    assert state(Try(120, stage="with the feet")).state == "climbing", "only the whole figure counts"
    assert state(Try(120, "rough")).clean_tempo is None
    row = state(Try(80), Try(90, days=1), Try(100, "rough"))
    assert row.clean_tempo == 90 and row.share == 0.75 and row.minutes == 3 and row.attempts == 3


def test_stuck_is_many_tries_without_one_clean_further_up():
    failing = [Try(100, "rough") for _ in range(STUCK_AFTER)]
    assert state(Try(95), *failing).stuck and state(*failing).stuck
    assert not state(Try(95), *failing[:-2]).stuck
    assert not state(Try(95), *failing[:-1], Try(101)).stuck
    assert not state(Try(95), *[Try(80, "rough") for _ in range(STUCK_AFTER)]).stuck, "warming up is not stuck"


def test_what_next_names_the_plan_and_the_step():
    lines = what_next(document(), [Try(95, days=1), Try(90, days=12, plan="b")], NOW)
    assert any("A: go on from 95 BPM to 120" in line for line in lines)
    assert any("B was last played 12 days ago" in line and "from 90" in line for line in lines)
    stuck = what_next(document(), [Try(95), *[Try(100, "not-yet") for _ in range(9)]], NOW)
    assert "A is stuck above 95 BPM" in stuck[0]
    assert "Commit a plan" in what_next(document(), [], NOW)[0]
    assert "Clean at home tempo: A" in what_next(document(), [Try(125)], NOW)[-1]
    assert "Nothing is planned" in what_next(Document(), [], NOW)[0]


def test_days_limbs_and_points():
    rows = [Try(90), Try(91, days=1), Try(92, days=1, stage="dynamics")]
    days = minutes_by_day(rows)
    assert days[NOW.date()] == 1 and days[(NOW - timedelta(days=1)).date()] == 2
    assert minutes_by_limb(rows) == {"R": pytest.approx(1.5)}
    assert [p.tempo for p in points(rows, "a")] == [91, 90]


def test_a_time_that_cannot_be_read_does_no_harm():
    broken = type("Broken", (Try,), {"at": "yesterday"})(90)
    assert minutes_by_day([broken]) and state(broken).clean_tempo == 90


def test_the_whole_show_knows_the_states():
    rows = {row.id: row.state for row in whole_show(document(), None, [Try(80), Try(130, plan="b")])}
    assert rows == {"a": "climbing", "b": "clean"}
    assert state_of(document(), document().plans[0]) == "drafted"
