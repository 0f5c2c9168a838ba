"""What the log says: how far each plan has come, what is stuck, how much was played, and what to do next."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Final, NamedTuple, Protocol

from deft_reach.core.document import Document, Plan

#: The stages that count as the plan itself.
WHOLE: Final = ("everything", "between grooves")
#: So many attempts without one clean on the highest rungs tried, and a plan is stuck.
STUCK_AFTER: Final = 8
#: Days without practice after which a plan that is not clean wants attention.
LONG_AGO: Final = 7
DRAFTED, COMMITTED, CLIMBING, CLEAN = "drafted", "committed", "climbing", "clean"


class LoggedAttempt(Protocol):
    """What is read of an attempt."""

    @property
    def at(self) -> str: ...
    @property
    def plan(self) -> str: ...
    @property
    def stage(self) -> str: ...
    @property
    def tempo(self) -> float: ...
    @property
    def verdict(self) -> str: ...
    @property
    def seconds(self) -> float: ...


@dataclass(frozen=True)
class PlanProgress:
    """One plan: the best clean tempo of the whole figure, how much and when it was tried, and its state."""

    plan: Plan
    state: str
    clean_tempo: float | None
    last: datetime | None
    attempts: int
    minutes: float
    stuck: bool

    @property
    def share(self) -> float:
        """How much of the way to its home tempo is clean, 0 to 1."""
        return 0.0 if self.clean_tempo is None else min(1.0, self.clean_tempo / self.plan.tempo)


class Point(NamedTuple):
    """An attempt at the whole figure, for the picture over weeks."""

    at: datetime
    tempo: float
    verdict: str


def when(attempt: LoggedAttempt) -> datetime:
    """An attempt's time, in its own time zone; the beginning of time where it cannot be read."""
    try:
        found = datetime.fromisoformat(attempt.at)
    except ValueError:
        return datetime.fromtimestamp(0).astimezone()
    return found if found.tzinfo is not None else found.astimezone()


def points(attempts: Sequence[LoggedAttempt], plan: str) -> list[Point]:
    """A plan's attempts at the whole figure in the order of time."""
    rows = [Point(when(a), a.tempo, a.verdict) for a in attempts if a.plan == plan and a.stage in WHOLE]
    return sorted(rows)


def progress(document: Document, attempts: Sequence[LoggedAttempt]) -> list[PlanProgress]:
    """How far each plan has come, in the document's order."""
    by_plan: dict[str, list[LoggedAttempt]] = defaultdict(list)
    for attempt in attempts:
        by_plan[attempt.plan].append(attempt)
    return [progress_of(document, plan, by_plan[plan.id]) for plan in document.plans]


def progress_of(document: Document, plan: Plan, attempts: Sequence[LoggedAttempt]) -> PlanProgress:
    mine = [a for a in attempts if a.plan == plan.id]
    whole = [a for a in mine if a.stage in WHOLE]
    clean = max((a.tempo for a in whole if a.verdict == "clean"), default=None)
    # Within one time zone the text sorts as the time does: only the latest of each has to be read.
    latest: dict[str, LoggedAttempt] = {}
    for attempt in mine:
        zone = attempt.at[-6:]
        if zone not in latest or attempt.at > latest[zone].at:
            latest[zone] = attempt
    last = max(map(when, latest.values()), default=None)
    if clean is not None and clean >= plan.tempo - 1e-9:
        state = CLEAN
    elif mine:
        state = CLIMBING
    else:
        state = COMMITTED if document.commitments_of(plan.id) else DRAFTED
    recent = whole[-STUCK_AFTER:]
    higher = [a for a in recent if clean is None or a.tempo >= clean]
    stuck = state == CLIMBING and len(higher) == STUCK_AFTER and not any(a.verdict == "clean" for a in higher[1:])
    return PlanProgress(plan, state, clean, last, len(mine), sum(a.seconds for a in mine) / 60, stuck)


def minutes_by_day(attempts: Sequence[LoggedAttempt]) -> dict[date, float]:
    """Minutes of playing by day."""
    seconds: dict[str, float] = defaultdict(float)
    for attempt in attempts:
        seconds[attempt.at[:10]] += attempt.seconds
    found: dict[date, float] = defaultdict(float)
    for text, played in seconds.items():
        try:
            day = date.fromisoformat(text)
        except ValueError:
            day = date.fromtimestamp(0)
        found[day] += played / 60
    return dict(found)


def what_next(rows: Sequence[PlanProgress], now: datetime) -> list[str]:
    """Plain sentences that follow from how far each plan has come, the most pressing first."""
    lines = []
    for row in rows:
        if row.stuck and row.clean_tempo is not None:
            lines.append(
                f"{row.plan.name} is stuck above {row.clean_tempo:.0f} BPM: go back two rungs, or look for other "
                "hands in Reach."
            )
        elif row.stuck:
            lines.append(f"{row.plan.name} has no clean rung yet: start slower, or with the hands on one surface.")
    for row in rows:
        if row.state == CLIMBING and not row.stuck and row.last is not None:
            days = (now - row.last).days
            tempo = (
                f"from {row.clean_tempo:.0f} BPM" if row.clean_tempo is not None else "from the start of its ladder"
            )
            if days >= LONG_AGO:
                lines.append(f"{row.plan.name} was last played {days} days ago: take it up again {tempo}.")
            else:
                lines.append(f"{row.plan.name}: go on {tempo} to {row.plan.tempo:g}.")
    waiting = [row.plan.name for row in rows if row.state == COMMITTED]
    if waiting:
        lines.append(f"Committed and not begun: {', '.join(waiting[:3])}{' and more' if len(waiting) > 3 else ''}.")
    drafted = [row.plan.name for row in rows if row.state == DRAFTED]
    if drafted and not lines:
        lines.append(f"Commit a plan ({drafted[0]}, say), and climb it.")
    clean = [row.plan.name for row in rows if row.state == CLEAN]
    if clean:
        lines.append(f"Clean at home tempo: {', '.join(clean)}. Once a week keeps it.")
    return lines or ["Nothing is planned yet: write a plan first."]
