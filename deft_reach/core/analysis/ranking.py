"""One order for whatever is offered: by level, then by difficulty and habit together.

No answer stands before one of a better level, of clearly more ease, or of a clearly higher limit where it is about
as easy. And nothing is offered as help that makes worse what it is to help with.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from typing import Final, NamedTuple, TypeVar

from deft_reach.core.analysis.demands import moments_of
from deft_reach.core.analysis.difficulty import LATE, LEVELS, difficulty, ease_at, level_at
from deft_reach.core.analysis.habit import habit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.walk import Walk

T = TypeVar("T")

#: From so much more ease on (of 100) an answer is clearly easier; with so many times the limit clearly faster.
CLEARLY_EASIER: Final = 8.0
CLEARLY_FASTER: Final = 1.25
#: Difficulties are compared from here on: among what is easy anyway habit decides. Chosen.
FROM: Final = 0.5
#: Of answers that differ by less than about this in that neither is better.
SAME: Final = 0.02
#: Limits above so many times the tempo are as good as any.
AMPLE: Final = 2.0


class Merit(NamedTuple):
    """What an answer is ordered by: the number of its level (open strokes count as impossible), its ease, its limit
    (BPM, no more than AMPLE tempi), and ln(difficulty + FROM) + habit in steps of SAME.
    """

    level: int
    ease: float
    limit: float
    weight: int

    @classmethod
    def of(
        cls, level: str | None, ease: float, limit: float | None, tempo: float, hard: float, habit: float
    ) -> Merit:
        """From what a summary says, ``hard`` the difficulty."""
        number = len(LEVELS) - 1 if level is None else LEVELS.index(level)
        limit = math.inf if limit is None else limit
        return cls(number, ease, min(limit, AMPLE * tempo), round((math.log(hard + FROM) + habit) / SAME))

    def clearly_behind(self, other: Merit) -> bool:
        """Whether the other one has to stand before it, whatever the habits."""
        if self.level != other.level:
            return other.level < self.level
        if abs(self.ease - other.ease) >= CLEARLY_EASIER:
            return other.ease > self.ease
        return other.limit >= CLEARLY_FASTER * self.limit


def merit_of(report: Report) -> Merit:
    """What a report's pattern is ordered by."""
    s = report.summary
    return Merit.of(s.level, s.ease, s.tempo_limit, s.tempo, s.difficulty, report.habit.total)


def merit_of_walk(pattern: Pattern, walked: Walk, table: ReachTable, tempo: float, repeat: bool) -> Merit:
    """The same for a walked pattern whose strokes all have a limb that can play them, without a report."""
    moments = moments_of(pattern, walked, table, 240.0 / tempo, repeat)
    hard = difficulty(moments, float(pattern.length) * 240.0 / tempo)
    pace, _ = walked.bottleneck or (None, None)
    late = pace is not None and pace > LATE
    level = None if pattern.unassigned else level_at(hard, pace)
    habit = habit_of(pattern, walked.costs, tempo, repeat, table.kit, table.player).total
    return Merit.of(level, 0.0 if late else ease_at(hard), tempo / pace if pace else None, tempo, hard, habit)


def in_order(answers: Iterable[T], merit: Callable[[T], Merit]) -> list[T]:
    """The answers, the best first; where nothing tells them apart they stay in the order in which they come."""
    left = sorted(((merit(answer), answer) for answer in answers), key=lambda row: (row[0].level, row[0].weight))
    found = []
    while left:
        # Ease and limit can go round in a circle: then habit decides, within the level.
        free = (k for k, (own, _) in enumerate(left) if not any(own.clearly_behind(other) for other, _ in left))
        found.append(left.pop(next(free, 0))[1])
    return found


def better(one: Report, other: Report) -> bool:
    """Whether one stands before the other: by its level, clearly more ease or limit, else by difficulty and habit."""
    a, b = merit_of(one), merit_of(other)
    if b.clearly_behind(a) or a.clearly_behind(b):
        return b.clearly_behind(a)
    return a.weight < b.weight


def makes_worse(before: Report, after: Report) -> str | None:
    """What a change makes worse so that it is no help, in words; None where nothing is.

    A help adds no stop and no caution, does not raise the level, and does not bring the limit under the tempo.
    """
    was, now = before.summary, after.summary
    if after.stops > before.stops:
        return "adds a stop"
    if len(after.serious) > len(before.serious):
        return "adds a caution"
    if (
        now.tempo_limit is not None
        and now.tempo_limit < now.tempo
        and not (was.tempo_limit is not None and was.tempo_limit <= now.tempo_limit)
    ):
        return "brings the limit under the tempo"
    if was.level is not None and now.level is not None and LEVELS.index(now.level) > LEVELS.index(was.level):
        return "raises the level"
    return None


def limit_lost(before: Report, after: Report) -> str:
    """What a change takes of the limit, to be said where it is offered; empty where it takes nothing."""
    was, now = before.summary.tempo_limit, after.summary.tempo_limit
    if was is None or now is None or round(now) >= round(was):
        return ""
    return f"the limit falls from {was:.0f} to {now:.0f} BPM"
