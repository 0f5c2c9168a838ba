"""The logbook as a running app has it: opened when first needed, and what cannot be written now waits."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import NamedTuple, TypeVar

from deft_reach.core.practice.progress_log import WHOLE, Played, Point, day_of, tally, when
from deft_reach.core.signals import Signal
from deft_reach.store.log_entries import Attempt, LogbookError, TakeEntry
from deft_reach.store.logbook import Logbook

T = TypeVar("T")


class Worked(NamedTuple):
    """Minutes of playing by day, minutes for which each limb was busy, and those by day."""

    days: dict[date, float]
    limbs: dict[str, float]
    by_day: dict[date, dict[str, float]]


class LogShelf:
    """``changed`` when entries were added. ``problem`` says why the logbook cannot be used now, empty if it can.

    Entries that could not be written are kept in ``waiting`` and written with the next one that can.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.changed = Signal()
        self.problem = ""
        self.waiting: list[Attempt | TakeEntry] = []
        self.session: int | None = None
        self._book: Logbook | None = None
        self._said: list[str] = []

    @property
    def book(self) -> Logbook | None:
        """The logbook, None while it cannot be opened."""
        if self._book is None:
            try:
                self._book = Logbook(self.path)
                self.problem = ""
            except LogbookError as error:
                self.problem = str(error)
        return self._book

    def add(self, entry: Attempt | TakeEntry) -> bool:
        """Write an entry down, and whatever waits before it; False where it has to wait."""
        self.waiting.append(entry)
        return self.flush()

    def set_note(self, entry: Attempt | TakeEntry, note: str) -> bool:
        """Another note on an entry; False where that cannot be now, with ``problem`` saying why."""
        note = note.encode("utf-8", "replace").decode("utf-8")
        if entry.id is None:
            # It waits to be written: with the new note, then.
            self.waiting = [replace(row, note=note) if row is entry else row for row in self.waiting]
        elif self.book is None:
            return False
        else:
            try:
                self.book.set_note(entry, note)
            except LogbookError as error:
                self.problem = str(error)
                return False
        self.changed.emit()
        return True

    def flush(self) -> bool:
        """Write what waits, in its order."""
        book = self.book
        if book is None:
            return False
        try:
            if self.session is None and self.waiting:
                self.session = book.begin_session()
            while self.waiting:
                book.add(self.waiting[0])
                del self.waiting[0]
            self.problem = ""
        except LogbookError as error:
            self.problem = str(error)
        self.changed.emit()
        return not self.waiting

    # What still waits to be written counts in all that is read.

    def attempts(self, plan: str | None = None) -> list[Attempt]:
        """What was tried, in full: for long logs, what is asked below is quicker."""
        rows: list[Attempt] = self._read(lambda book: book.attempts(plan), [])
        return rows + [row for row in self._waiting() if plan is None or row.plan == plan]

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        """Takes that were checked."""
        rows: list[TakeEntry] = self._read(lambda book: book.takes(plan), [])
        return rows + [row for row in self.waiting if isinstance(row, TakeEntry) and plan in (None, row.plan)]

    def played(self) -> dict[str, Played]:
        """What the log says of each plan, by its id."""
        had: dict[str, Played] = self._read(Logbook.played, {})
        return tally(self._waiting(), had)

    def points(self, plan: str, count: int) -> list[Point]:
        """A plan's newest attempts at the whole figure, at most so many, in the order of time."""
        rows: list[Point] = self._read(lambda book: book.points(plan, count), [])
        more = [Point(when(a.at), a.tempo, a.verdict) for a in self._waiting() if a.plan == plan and a.stage in WHOLE]
        return sorted([*rows, *more])[-count:] if more else rows

    def clean_rungs(self, plan: str) -> set[tuple[str, float]]:
        """Stages of a plan, and the tempi at which each was clean."""
        rows: set[tuple[str, float]] = self._read(lambda book: book.clean_rungs(plan), set())
        return rows | {(a.stage, a.tempo) for a in self._waiting() if a.plan == plan and a.verdict == "clean"}

    def minutes_on(self, day: date) -> float:
        """Minutes of playing on a day."""
        text = day.isoformat()
        seconds = sum(row.seconds for row in self._waiting() if row.at[:10] == text)
        return (seconds + self._read(lambda book: book.seconds_on(text), 0.0)) / 60

    def worked(self) -> Worked:
        """Minutes of playing, and minutes for which each limb was busy."""
        had: dict[tuple[str, str], float] = self._read(Logbook.worked, {})
        rows = Counter(had)
        for row in self._waiting():
            rows.update({(row.at[:10], limb): seconds for limb, seconds in {**row.load, "": row.seconds}.items()})
        days: dict[date, float] = defaultdict(float)
        limbs: dict[str, float] = defaultdict(float)
        by_day: dict[date, dict[str, float]] = {}
        for (text, limb), seconds in rows.items():
            if limb:
                limbs[limb] += seconds / 60
                busy = by_day.setdefault(day_of(text), {})
                busy[limb] = busy.get(limb, 0.0) + seconds / 60
            else:
                days[day_of(text)] += seconds / 60
        return Worked(dict(days), dict(limbs), by_day)

    def speed_rows(self, count: int) -> list[tuple[str, float, bool]]:
        """What the newest attempts and takes, so many of each, say of speed, as ``evidence_from`` reads it."""
        rows: list[tuple[str, float, bool]] = self._read(lambda book: book.speed_rows(count), [])
        for entry in self.waiting:
            if isinstance(entry, TakeEntry):
                rows += entry.speed
            elif entry.pace is not None:
                rows.append((entry.held_by, entry.pace, entry.verdict == "clean"))
        return rows

    def newest(self, count: int) -> list[Attempt | TakeEntry]:
        """The newest entries, at most so many, the newest first."""
        rows: list[Attempt | TakeEntry] = self._read(lambda book: book.newest(count), [])
        return sorted([*rows, *self.waiting], key=lambda row: row.at, reverse=True)[:count]

    def count(self) -> int:
        """How many attempts and takes there are."""
        return self._read(Logbook.count, 0) + len(self.waiting)

    def _waiting(self) -> list[Attempt]:
        return [row for row in self.waiting if isinstance(row, Attempt)]

    def _read(self, ask: Callable[[Logbook], T], nothing: T) -> T:
        """What the logbook answers; ``nothing``, and why in ``problem``, where it cannot."""
        try:
            return nothing if self.book is None else ask(self.book)
        except LogbookError as error:
            self.problem = str(error)
            return nothing

    def news(self) -> list[str]:
        """Remarks that have not been said yet."""
        found = [r for r in (self._book.remarks if self._book is not None else []) if r not in self._said]
        self._said += found
        return found

    def close(self) -> None:
        """End the session and let the file go; what still waits is tried once more."""
        if self.waiting:
            self.flush()
        if self._book is not None:
            if self.session is not None:
                try:
                    self._book.end_session(self.session)
                except LogbookError as error:
                    self.problem = str(error)
            self._book.close()
            self._book = None
        self.session = None
