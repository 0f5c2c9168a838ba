"""The logbook as a running app has it: opened when first needed, and what cannot be written now waits on disk.

It never waits long for a logbook that another program holds, because a window asks it: what was answered last is
answered again, and ``retry`` looks whether it is free.
"""

from __future__ import annotations

import time
from collections import Counter, defaultdict
from collections.abc import Callable, Hashable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any, Final, NamedTuple, TypeVar

from deft_reach.core.document import Document
from deft_reach.core.practice.progress_log import WHOLE, PlanPractice, Point, day_of, tally, when
from deft_reach.core.practice.resuming import RungTry
from deft_reach.core.session.signals import Signal
from deft_reach.store.log_entries import Attempt, LogbookBusyError, LogbookError, TakeEntry, checked
from deft_reach.store.logbook import Logbook
from deft_reach.store.places import state_dir
from deft_reach.store.unwritten import UnwrittenEntries, forget

T = TypeVar("T")
#: Waited for another program that writes into the logbook (seconds): nobody notices so little.
PATIENCE: Final = 0.05
#: After that it is left alone so long (seconds).
LEFT_ALONE: Final = 1.0


class Worked(NamedTuple):
    """Minutes of playing by day, minutes for which each limb was busy, and those by day."""

    days: dict[date, float]
    limbs: dict[str, float]
    by_day: dict[date, dict[str, float]]


class PracticeLog:
    """``changed`` when entries were added. ``problem`` says why the logbook cannot be used now, empty if it can.

    Entries that could not be written are in ``waiting``, and on disk in a file of their own, until they are in the
    logbook.
    """

    def __init__(self, path: Path, clock: Callable[[], float] = time.monotonic) -> None:
        self.path = path
        self.changed = Signal()
        self.problem = ""
        self.waiting: list[Attempt | TakeEntry] = []
        self.session: int | None = None
        self.unwritten = UnwrittenEntries(path.name, (lambda: path.parent, state_dir))
        self._clock = clock
        self._left_alone_until = -1.0
        self._book: Logbook | None = None
        self._taken_up = False
        self._document: Document | None = None
        self._said: list[str] = []
        self._remarks: list[str] = []
        self._answers: dict[Hashable, Any] = {}

    @property
    def book(self) -> Logbook | None:
        """The logbook, None while it cannot be opened."""
        if self._book is None and self._clock() >= self._left_alone_until:
            try:
                self._book = Logbook(self.path, patience=PATIENCE)
                self.problem = ""
                self._take_up(self._book)
                self._adopt(self._book)
            except LogbookError as error:
                self._trouble(error)
        return self._book

    def _trouble(self, error: Exception) -> None:
        self.problem = str(error)
        # One that is full or read-only can be read all the same, and answers at once.
        if self._book is None or isinstance(error, LogbookBusyError):
            self._left_alone_until = self._clock() + LEFT_ALONE

    def _take_up(self, book: Logbook) -> None:
        """What an earlier run could not write goes into the logbook now."""
        if self._taken_up:
            return
        left = self.unwritten.left_behind()
        if left.entries:
            count = book.merge(left.entries)
            if count:
                self._remarks.append(_now(count, "an earlier run", "in the logbook"))
        forget(left)
        self._taken_up = True

    def adopt(self, document: Document) -> None:
        """Let a document's plans have the entries of before documents had ids, as soon as the logbook can be
        written.
        """
        self._document = document
        if self._book is not None:
            try:
                self._adopt(self._book)
            except LogbookError as error:
                self._trouble(error)

    def _adopt(self, book: Logbook) -> None:
        if self._document is None:
            return
        count = book.adopt(self._document)
        self._document = None
        if count:
            self._remarks.append(_now(count, "before documents had ids", "this document's"))
            self._answers = {}
            self.changed.emit()

    @property
    def is_safe(self) -> bool:
        """Whether every entry is on disk, in the logbook or beside it."""
        return not self.waiting or tuple(self.waiting) == self.unwritten.on_disk

    @property
    def waiting_in_words(self) -> str:
        """What became of the entries that are not in the logbook yet."""
        count = len(self.waiting)
        if not count:
            return ""
        subject = "1 entry waits" if count == 1 else f"{count:,} entries wait"
        if self.is_safe:
            return f"{subject} safely on disk, to be written when it can be"
        return f"{subject} in memory only ({self.unwritten.problem}): keep the app open, and make room"

    @property
    def trouble_in_words(self) -> str:
        """Why the logbook cannot be used now, and what became of the entries that are not in it yet."""
        return "; ".join(filter(None, (self.problem, self.waiting_in_words)))

    def add(self, entry: Attempt | TakeEntry) -> bool:
        """Write an entry down, and whatever waits before it; False where it has to wait, with ``problem`` saying
        why.
        """
        try:
            entry = checked(entry)
        except ValueError as error:
            self.problem = f"this cannot be written into the logbook: {error}"
            self.changed.emit()
            return False
        self.waiting.append(entry)
        # On disk before anything else is tried.
        self.unwritten.keep(self.waiting)
        return self.flush()

    def retry(self) -> None:
        """Try again what could not be done; says ``changed`` where that has changed anything."""
        if not self.problem and not self.waiting:
            return
        before = (self.problem, len(self.waiting))
        if self._flush() and self._book is not None:
            try:
                self._book.count()
                self.problem = ""
            except LogbookError as error:
                self._trouble(error)
        if (self.problem, len(self.waiting)) != before:
            self.changed.emit()

    def set_note(self, entry: Attempt | TakeEntry, note: str) -> bool:
        """Another note on an entry; False where that cannot be now, with ``problem`` saying why."""
        note = note.encode("utf-8", "replace").decode("utf-8")
        if entry.id is None:
            # It waits to be written: with the new note, then.
            self.waiting = [replace(row, note=note) if row is entry else row for row in self.waiting]
            self.unwritten.keep(self.waiting)
        elif self.book is None:
            return False
        else:
            try:
                self.book.set_note(entry, note)
            except LogbookError as error:
                self._trouble(error)
                return False
        self.changed.emit()
        return True

    def flush(self) -> bool:
        """Write what waits, in its order."""
        done = self._flush()
        self.changed.emit()
        return done

    def _flush(self) -> bool:
        # An entry is worth asking at once, whatever was answered before.
        self._left_alone_until = -1.0
        book = self.book
        if book is not None:
            try:
                self._take_up(book)
                self._adopt(book)
                if self.session is None and self.waiting:
                    self.session = book.begin_session()
                while self.waiting:
                    book.add(self.waiting[0])
                    del self.waiting[0]
                    self.problem = ""
            except LogbookError as error:
                self._trouble(error)
        # Beside the logbook stays only what is not in it: should this fail, it is told apart later.
        self.unwritten.keep(self.waiting)
        return not self.waiting

    # What still waits to be written counts in all that is read.

    def attempts(self, plan: str | None = None) -> list[Attempt]:
        """What was tried, in full: for long logs, what is asked below is quicker."""
        rows: list[Attempt] = self._read(("attempts", plan), lambda book: book.attempts(plan), [])
        return rows + [row for row in self._waiting() if plan is None or row.plan == plan]

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        """Takes that were checked."""
        rows: list[TakeEntry] = self._read(("takes", plan), lambda book: book.takes(plan), [])
        return rows + [row for row in self.waiting if isinstance(row, TakeEntry) and plan in (None, row.plan)]

    def played(self) -> dict[str, PlanPractice]:
        """What the log says of each plan, by its id."""
        had: dict[str, PlanPractice] = self._read("played", Logbook.played, {})
        return tally(self._waiting(), had)

    def points(self, plan: str, count: int) -> list[Point]:
        """A plan's newest attempts at the whole figure, at most so many, in the order of time."""
        rows: list[Point] = self._read(("points", plan, count), lambda book: book.points(plan, count), [])
        more = [Point(when(a.at), a.tempo, a.verdict) for a in self._waiting() if a.plan == plan and a.stage in WHOLE]
        return sorted([*rows, *more])[-count:] if more else rows

    def rung_tries(self, plan: str, count: int) -> list[RungTry]:
        """A plan's newest attempts at any rung, at most so many, the oldest first."""
        rows: list[RungTry] = self._read(("tries", plan, count), lambda book: book.rung_tries(plan, count), [])
        more = [RungTry(a.stage, a.tempo, a.verdict, day_of(a.at)) for a in self._waiting() if a.plan == plan]
        return [*rows, *more][-count:]

    def minutes_on(self, day: date) -> float:
        """Minutes of playing on a day."""
        text = day.isoformat()
        seconds = sum(row.seconds for row in self._waiting() if row.at[:10] == text)
        return (seconds + self._read(("seconds", text), lambda book: book.seconds_on(text), 0.0)) / 60

    def seconds_by_plan(self, day: str) -> dict[str, float]:
        """Seconds of playing on a day (ISO 8601), by plan."""
        had: dict[str, float] = self._read(("by plan", day), lambda book: book.seconds_by_plan(day), {})
        rows = Counter(had)
        for row in self._waiting():
            if row.at[:10] == day:
                rows.update({row.plan: row.seconds})
        return dict(rows)

    def take_days(self) -> dict[str, date]:
        """The day of the last take of each plan; a hand test is one too."""
        had: dict[str, date] = self._read("take days", Logbook.take_days, {})
        found = dict(had)
        for row in self.waiting:
            if isinstance(row, TakeEntry):
                found[row.plan] = max(found.get(row.plan, date.min), day_of(row.at))
        return found

    def worked(self) -> Worked:
        """Minutes of playing, and minutes for which each limb was busy."""
        had: dict[tuple[str, str], float] = self._read("worked", Logbook.worked, {})
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

    def speed_rows(self, count: int) -> list[tuple[str, float, bool, date, str]]:
        """What the newest attempts and takes, so many of each, say of speed, as ``evidence_from`` reads it."""
        had: list[tuple[str, float, bool, date, str]]
        had = self._read(("speed", count), lambda book: book.speed_rows(count), [])
        rows = list(had)
        for entry in self.waiting:
            if isinstance(entry, TakeEntry):
                rows += [(*row, day_of(entry.at), entry.plan) for row in entry.speed]
            elif entry.pace is not None:
                rows.append((entry.held_by, entry.pace, entry.verdict == "clean", day_of(entry.at), entry.plan))
        return rows

    def newest(self, count: int) -> list[Attempt | TakeEntry]:
        """The newest entries, at most so many, the newest first."""
        rows: list[Attempt | TakeEntry] = self._read(("newest", count), lambda book: book.newest(count), [])
        return sorted([*rows, *self.waiting], key=lambda row: row.at, reverse=True)[:count]

    def count(self) -> int:
        """How many attempts and takes there are."""
        return self._read("count", Logbook.count, 0) + len(self.waiting)

    def _waiting(self) -> list[Attempt]:
        return [row for row in self.waiting if isinstance(row, Attempt)]

    def _read(self, question: Hashable, ask: Callable[[Logbook], T], nothing: T) -> T:
        """What the logbook answers; where it cannot, what it answered last or ``nothing``, and why in ``problem``."""
        last: T = self._answers.get(question, nothing)
        book = self.book
        if book is None or self._clock() < self._left_alone_until:
            return last
        try:
            last = self._answers[question] = ask(book)
        except LogbookError as error:
            self._trouble(error)
        return last

    def news(self) -> list[str]:
        """Remarks that have not been said yet."""
        remarks = [*self._remarks, *(self._book.remarks if self._book is not None else [])]
        found = [remark for remark in remarks if remark not in self._said]
        self._said += found
        return found

    def move_to(self, path: Path) -> None:
        """Use another logbook from here on; what waits for this one stays on disk and is taken up when it is used
        again.
        """
        if path == self.path:
            return
        self.close()
        self.path = path
        self.problem = ""
        self.waiting = []
        self.unwritten = UnwrittenEntries(path.name, (lambda: path.parent, state_dir))
        self._left_alone_until = -1.0
        self._taken_up = False
        self._answers = {}
        self.changed.emit()

    def close(self) -> None:
        """End the session and let the file go; what still waits is tried once more, and stays on disk."""
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
        self.unwritten.close()


def _now(count: int, source: str, place: str) -> str:
    """Where entries of somewhere are now."""
    subject, verb = ("1 entry", "is") if count == 1 else (f"{count:,} entries", "are")
    return f"{subject} of {source} {verb} {place} now."
