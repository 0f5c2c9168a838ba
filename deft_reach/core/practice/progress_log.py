"""What the log says: how far each plan has come, what is stuck, how much was played, and what to do next."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Final, NamedTuple, Protocol

from deft_reach.core.document import Document, Plan

#: The stages that count as the plan itself.
WHOLE: Final = ("everything", "between grooves")
#: So many attempts at the whole figure, on so many days, without one clean on the highest rungs tried, and a plan is
#: stuck: one bad evening is no plateau.
STUCK_AFTER: Final = 8
STUCK_DAYS: Final = 3
#: So many of the newest attempts say what is clean now.
RECENT: Final = 60
#: What was clean is no longer so after so many failures at it or below, on another day.
LAPSES: Final = 4
#: What is not played for more days than this sinks by this part a day, to no less than the last.
KEPT_DAYS, SINKS, SINKS_TO = 14, 0.004, 0.8
#: Entries are of these years: at the edges of the calendar times cannot be told apart or moved between zones.
YEARS: Final = (1970, 2200)
#: Days without practice after which a plan that is not clean wants attention.
LONG_AGO: Final = 7
DRAFTED, COMMITTED, CLIMBING, CLEAN = "drafted", "committed", "climbing", "clean"


def kept_after(days: int) -> float:
    """What part of a clean tempo is left after so many days without playing it."""
    return max(SINKS_TO, 1.0 - SINKS * max(0, days - KEPT_DAYS))


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


class RecentTry(NamedTuple):
    """One attempt at the whole figure: its tempo (BPM), its verdict and its day."""

    tempo: float
    verdict: str
    day: date


class PlanPractice(NamedTuple):
    """What the log says of one plan: how often and how long (seconds) it was tried, the highest clean tempo (BPM)
    there was, and the last tries (the oldest first) of the whole figure, and when it was tried last.
    """

    attempts: int = 0
    seconds: float = 0.0
    clean: float | None = None
    last: datetime | None = None
    recent: tuple[RecentTry, ...] = ()

    def plus(self, attempt: LoggedAttempt) -> PlanPractice:
        """With one attempt more."""
        at, clean, recent = when(attempt.at), self.clean, self.recent
        if attempt.stage in WHOLE:
            recent = (*recent, RecentTry(attempt.tempo, attempt.verdict, day_of(attempt.at)))[-RECENT:]
            if attempt.verdict == "clean":
                clean = attempt.tempo if clean is None else max(clean, attempt.tempo)
        last = at if self.last is None else max(self.last, at)
        return PlanPractice(self.attempts + 1, self.seconds + attempt.seconds, clean, last, recent)

    def clean_now(self, today: date | None = None) -> float | None:
        """The tempo (BPM) that is clean now; None where none is.

        What was clean stays so until it fails several times on another day, and sinks slowly while it is not played.
        Without ``today`` nothing has sunk.
        """
        tries = list(self.recent)
        if self.clean is not None and self.clean > max((t.tempo for t in tries if t.verdict == "clean"), default=0.0):
            # Older than what is at hand.
            tries.insert(0, RecentTry(self.clean, "clean", tries[0].day if tries else day_of("")))
        standing = []
        for k, one in enumerate(tries):
            if one.verdict != "clean":
                continue
            since = tries[k + 1 :]
            again = max((i for i, t in enumerate(since) if t.verdict == "clean" and t.tempo >= one.tempo), default=-1)
            failed = [t for t in since[again + 1 :] if t.verdict != "clean" and t.tempo <= one.tempo]
            if len(failed) >= LAPSES and any(t.day != one.day for t in failed):
                continue
            standing.append(one.tempo * kept_after((today - one.day).days if today is not None else 0))
        return max(standing, default=None)


#: What the log says of a plan that was never tried.
UNPLAYED: Final = PlanPractice()
#: What is clean this much above its limit was no accident.
BEATEN: Final = 1.02


def tally(
    attempts: Iterable[LoggedAttempt], onto: Mapping[str, PlanPractice] | None = None
) -> dict[str, PlanPractice]:
    """What attempts say of each plan by its id, after what is known already."""
    found = dict(onto or {})
    for attempt in attempts:
        found[attempt.plan] = found.get(attempt.plan, UNPLAYED).plus(attempt)
    return found


@dataclass(frozen=True)
class PlanProgress:
    """One plan: the tempo at which the whole figure is clean now, the best there was, how much and when it was tried,
    and its state.
    """

    plan: Plan
    state: str
    clean_tempo: float | None
    best: float | None
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


def moment_of(text: str) -> datetime:
    """An entry's time, in its own time zone or else in this machine's.

    Raises ValueError for what is no date and time in ISO 8601, or is outside YEARS.
    """
    try:
        found = datetime.fromisoformat(text)
    except (ValueError, TypeError):
        raise ValueError(
            f"'{str(text)[:40]}' is no date and time; expected one such as 2026-03-01T19:30:00+00:00"
        ) from None
    if not YEARS[0] <= found.year <= YEARS[1]:
        raise ValueError(f"the year {found.year} is no year of practice; expected {YEARS[0]} to {YEARS[1]}")
    return found if found.tzinfo is not None else found.astimezone()


def when(text: str) -> datetime:
    """An attempt's time, in its own time zone; the beginning of time where it cannot be read."""
    try:
        return moment_of(text)
    except ValueError:
        return datetime.fromtimestamp(0).astimezone()


def day_of(text: str) -> date:
    """The day of an attempt's time where it was made; the beginning of time where it cannot be read."""
    try:
        found = date.fromisoformat(text[:10])
    except (ValueError, TypeError):
        return date.fromtimestamp(0)
    return found if YEARS[0] <= found.year <= YEARS[1] else date.fromtimestamp(0)


def progress(document: Document, played: Mapping[str, PlanPractice], today: date | None = None) -> list[PlanProgress]:
    """How far each plan has come, in the document's order; ``played`` is what the log says by ``practice_id``."""
    rows = ((plan, played.get(document.practice_id(plan.id), UNPLAYED)) for plan in document.plans)
    return [progress_of(document, plan, row, today) for plan, row in rows]


def progress_of(document: Document, plan: Plan, played: PlanPractice, today: date | None = None) -> PlanProgress:
    """How far one plan has come, as it stands ``today``."""
    clean = played.clean_now(today)
    if clean is not None and clean >= plan.tempo - 1e-9:
        state = CLEAN
    elif played.attempts:
        state = CLIMBING
    else:
        state = COMMITTED if document.commitments_of(plan.id) else DRAFTED
    higher = [one for one in played.recent if clean is None or one.tempo >= clean][-STUCK_AFTER:]
    stuck = (
        state == CLIMBING
        and len(higher) == STUCK_AFTER
        and all(one.verdict != "clean" for one in higher[1:])
        and len({one.day for one in higher}) >= STUCK_DAYS
    )
    return PlanProgress(plan, state, clean, played.clean, played.last, played.attempts, played.seconds / 60, stuck)


#: What a next step is: climb a plan, look for other hands, learn one's own speed, commit a plan.
CLIMB, REACH, SPEED, COMMIT = "climb", "reach", "speed", "commit"


class Next(NamedTuple):
    """A next step in a sentence; the plan it is about, by id, and what is to be done with it; empty for nothing."""

    words: str
    plan: str = ""
    do: str = ""


def what_next(
    rows: Sequence[PlanProgress], now: datetime, limits: Mapping[str, float | None] | None = None
) -> list[Next]:
    """What follows from how far each plan has come, the most pressing first.

    ``limits`` has plans' tempo limits (BPM) by id as the model has them now: practice may know better.
    """
    lines = []
    for row in rows:
        limit = (limits or {}).get(row.plan.id)
        if limit is not None and row.clean_tempo is not None and row.clean_tempo > BEATEN * limit:
            words = (
                f"{row.plan.name} is clean at {row.clean_tempo:.0f} BPM, and the model says {limit:.0f}: your hands "
                "are quicker than what is set. Use your own speed, or do the hand test."
            )
            lines.append(Next(words, row.plan.id, SPEED))
    for row in rows:
        if row.stuck and row.clean_tempo is not None:
            words = (
                f"{row.plan.name} is stuck above {row.clean_tempo:.0f} BPM: go back two rungs, or look for other "
                "hands in Reach."
            )
            lines.append(Next(words, row.plan.id, REACH))
        elif row.stuck:
            words = f"{row.plan.name} has no clean rung yet: start slower, or with the hands on one surface."
            lines.append(Next(words, row.plan.id, CLIMB))
    for row in rows:
        if row.state == CLIMBING and not row.stuck and row.last is not None:
            days = (now - row.last).days
            tempo = (
                f"from {row.clean_tempo:.0f} BPM" if row.clean_tempo is not None else "from the start of its ladder"
            )
            if row.best is not None and row.best >= row.plan.tempo - 1e-9:
                at = "" if row.clean_tempo is None else f": begin at {row.clean_tempo:.0f} BPM, and climb back"
                words = f"{row.plan.name} was clean at home tempo, and is not any more{at}."
            elif days >= LONG_AGO:
                words = f"{row.plan.name} was last played {days} days ago: take it up again {tempo}."
            else:
                words = f"{row.plan.name}: go on {tempo} to {row.plan.tempo:g}."
            lines.append(Next(words, row.plan.id, CLIMB))
    waiting = [row.plan for row in rows if row.state == COMMITTED]
    if waiting:
        names, more = ", ".join(plan.name for plan in waiting[:3]), " and more" if len(waiting) > 3 else ""
        lines.append(Next(f"Committed and not begun: {names}{more}.", waiting[0].id, CLIMB))
    drafted = [row.plan for row in rows if row.state == DRAFTED]
    if drafted and not lines:
        lines.append(Next(f"Commit a plan ({drafted[0].name}, say), and climb it.", drafted[0].id, COMMIT))
    clean = [row.plan.name for row in rows if row.state == CLEAN]
    if clean:
        lines.append(Next(f"Clean at home tempo: {', '.join(clean)}. Once a week keeps it."))
    return lines or [Next("Nothing is planned yet: write a plan first.")]
