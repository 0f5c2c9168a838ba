"""The logbook as a running app has it: opened when first needed, and what cannot be written now waits."""

from __future__ import annotations

from collections import Counter
from datetime import date
from pathlib import Path

from deft_reach.core.signals import Signal
from deft_reach.store.logbook import Attempt, Logbook, LogbookError, LogLine, TakeEntry


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

    def attempts(self, plan: str | None = None) -> list[Attempt]:
        """What was tried, what still waits to be written included."""
        rows: list[Attempt] = []
        if self.book is not None:
            try:
                rows = self.book.attempts(plan)
            except LogbookError as error:
                self.problem = str(error)
        waiting = [row for row in self.waiting if isinstance(row, Attempt)]
        return rows + [row for row in waiting if plan is None or row.plan == plan]

    def lines(self) -> list[LogLine]:
        """What pictures and sums need of every attempt, what still waits to be written included."""
        rows: list[LogLine] = []
        if self.book is not None:
            try:
                rows = self.book.lines()
            except LogbookError as error:
                self.problem = str(error)
        waiting = (row for row in self.waiting if isinstance(row, Attempt))
        return rows + [LogLine(a.at, a.plan, a.stage, a.tempo, a.verdict, a.seconds) for a in waiting]

    def minutes_on(self, day: date) -> float:
        """Minutes of playing on a day, what still waits to be written included."""
        text = day.isoformat()
        seconds = sum(row.seconds for row in self.waiting if isinstance(row, Attempt) and row.at[:10] == text)
        if self.book is not None:
            try:
                seconds += self.book.seconds_on(text)
            except LogbookError as error:
                self.problem = str(error)
        return seconds / 60

    def minutes_by_limb(self) -> dict[str, float]:
        """Minutes for which each limb was busy, what still waits to be written included."""
        found: Counter[str] = Counter()
        if self.book is not None:
            try:
                found.update(self.book.busy())
            except LogbookError as error:
                self.problem = str(error)
        for row in self.waiting:
            if isinstance(row, Attempt):
                found.update(row.load)
        return {limb: seconds / 60 for limb, seconds in found.items()}

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        try:
            return self.book.takes(plan) if self.book is not None else []
        except LogbookError as error:
            self.problem = str(error)
            return []

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
