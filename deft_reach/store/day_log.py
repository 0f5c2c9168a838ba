"""What the plan of a day needs of a logbook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Final, Protocol

from deft_reach.core.document import Document
from deft_reach.core.practice.day import Played
from deft_reach.core.practice.progress_log import PlanPractice, Point
from deft_reach.core.practice.resuming import RungTry
from deft_reach.core.practice.stages import STAGES

#: What a hand test is logged as.
HAND_TEST: Final = "hand test"
#: So many of a plan's newest attempts say how quickly it climbs.
MOST_POINTS: Final = 400
#: So many say which stages were played today.
MOST_TRIES: Final = 100


class _Log(Protocol):
    def played(self) -> dict[str, PlanPractice]: ...
    def points(self, plan: str, count: int) -> list[Point]: ...
    def seconds_by_plan(self, day: str) -> Mapping[str, float]: ...
    def rung_tries(self, plan: str, count: int) -> list[RungTry]: ...
    def take_days(self) -> Mapping[str, date]: ...


def played_by(log: _Log, document: Document, day: date) -> Played:
    """What a logbook says of a document's plans and songs, and of a day's practice so far.

    Raises LogbookError where a logbook itself is asked and cannot be read.
    """
    own = {document.practice_id(plan.id) for plan in document.plans}
    own |= {document.practice_id(f"chain {song.id}") for song in document.songs}
    practice = {id: row for id, row in log.played().items() if id in own}
    points: dict[str, Sequence[Point]] = {id: log.points(id, MOST_POINTS) for id in practice}
    # Whatever was played today tires the hands, of other documents too.
    minutes = {id: seconds / 60 for id, seconds in log.seconds_by_plan(day.isoformat()).items()}
    chunked = {
        id for id in minutes if any(t.day == day and t.stage not in STAGES for t in log.rung_tries(id, MOST_TRIES))
    }
    took = log.take_days()
    takes = [at for id, at in took.items() if id != HAND_TEST]
    return Played(practice, points, minutes, frozenset(chunked), max(takes, default=None), took.get(HAND_TEST))
