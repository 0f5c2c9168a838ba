"""The logbook: sessions, attempts and takes in one SQLite database, which survives crashes and says what is wrong.

Every entry is one transaction with full synchronisation. A database of an older version is copied before it is
brought up to date; one that is damaged is moved aside, never overwritten.
"""

# Long: everything that is asked of the one database.
from __future__ import annotations

import json
import os
import shutil
import sqlite3
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from datetime import date, datetime
from pathlib import Path
from typing import Any, Final

from deft_reach.core.document import Document
from deft_reach.core.practice.progress_log import (
    RECENT,
    UNPLAYED,
    WHOLE,
    PlanPractice,
    Point,
    RecentTry,
    day_of,
    when,
)
from deft_reach.core.practice.resuming import RungTry
from deft_reach.store.log_adoption import adopt
from deft_reach.store.log_entries import (
    LARGEST,
    Attempt,
    Entry,
    LogbookBusyError,
    LogbookError,
    SessionEntry,
    TakeEntry,
    checked,
    speed_from,
)
from deft_reach.store.log_rows import (
    PARTS,
    entry_of,
    row_of,
    rows_of_damaged,
    saved_in_words,
    table_of,
    text_of,
    told_apart_by,
)
from deft_reach.store.log_schema import MIGRATIONS, SUMS, TABLES, VERSION
from deft_reach.store.sqlite_errors import is_busy, is_damaged

#: Waited for another program that writes (seconds).
PATIENCE: Final = 2.0
#: Nobody makes more attempts in a day, also with another day's brought in after it.
MOST_A_DAY: Final = 3_000


class Logbook:
    """One logbook file, waiting ``patience`` seconds for another program that writes into it.

    ``remarks`` says what happened on opening: a damaged file moved aside, an old one brought up to date, a clock that
    went back.
    """

    def __init__(
        self,
        path: Path,
        clock: Callable[[], datetime] = lambda: datetime.now().astimezone(),
        patience: float = PATIENCE,
    ) -> None:
        self.path = path
        self.clock = clock
        self.patience = patience
        self.remarks: list[str] = []
        try:
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        except OSError as error:
            raise LogbookError(f"{path.parent}: the logbook's folder cannot be made ({error.strerror})") from None
        self._open()

    def close(self) -> None:
        with suppress(sqlite3.Error):
            self.connection.close()

    def _open(self) -> None:
        try:
            self.connect()
            self._prepare()
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            # What is damaged can even be in what SQLite says of it.
            if isinstance(error, sqlite3.DatabaseError) and not is_damaged(error):
                raise self._refused(error) from None
            aside = self._set_aside()
            try:
                self.connect()
                self._prepare()
            except sqlite3.Error as again:
                raise self._refused(again) from None
            left = rows_of_damaged(aside)
            saved = 0
            with suppress(LogbookError):
                saved = self.merge(left.entries)
            said = f"The logbook was damaged: it is kept as {aside.name}, and a new one was begun"
            self.remarks.append(f"{said}{saved_in_words(saved, left)}.")

    def connect(self) -> None:
        """Open the database, which only its owner may read."""
        _make_private(self.path)
        self.connection = sqlite3.connect(self.path, timeout=self.patience, isolation_level=None)
        self.connection.row_factory = sqlite3.Row
        # Text that is none is shown with marks in its place, rather than not at all.
        self.connection.text_factory = text_of
        self.connection.execute("PRAGMA foreign_keys = ON")
        self.connection.execute("PRAGMA synchronous = FULL")

    def _prepare(self) -> None:
        version = int(self.connection.execute("PRAGMA user_version").fetchone()[0])
        there = self.connection.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
        if version > VERSION:
            self.connection.close()
            raise LogbookError(
                f"{self.path}: the logbook was written by a newer Deft Reach (version {version}, this one knows "
                f"{VERSION}); open it with that one. Nothing was changed"
            )
        if not there:
            with self._change():
                self._run(TABLES + SUMS)
                self.connection.execute(f"PRAGMA user_version = {VERSION}")
        elif version == 0:
            raise sqlite3.DatabaseError("file is not a database of this kind: malformed")
        elif version < VERSION:
            self._migrate(version)
        check = self.connection.execute("PRAGMA quick_check(1)").fetchone()[0]
        if check != "ok":
            raise sqlite3.DatabaseError(f"malformed: {check}")
        self.connection.execute("SELECT count(*) FROM attempts").fetchone()

    def _migrate(self, version: int) -> None:
        copy = self.path.with_name(f"{self.path.name}.version-{version}")
        _make_private(copy)
        with closing(sqlite3.connect(copy)) as other:
            self.connection.backup(other)
        try:
            with self._change():
                for number in range(version, VERSION):
                    self._run(MIGRATIONS[number])
                self.connection.execute(f"PRAGMA user_version = {VERSION}")
        except (sqlite3.Error, KeyError) as error:
            if isinstance(error, sqlite3.OperationalError) and is_busy(error):
                raise
            raise LogbookError(
                f"{self.path}: the logbook could not be brought up to date ({error}). It is as it was, and there "
                f"is a copy, {copy.name}"
            ) from None
        self.remarks.append(f"The logbook was brought up to date; the old one is kept as {copy.name}.")

    def _run(self, script: str) -> None:
        """Every statement of a script, within the change that is going on."""
        statement = ""
        for line in script.splitlines(keepends=True):
            statement += line
            if sqlite3.complete_statement(statement):
                self.connection.execute(statement)
                statement = ""
        self.connection.execute(statement)

    def _set_aside(self) -> Path:
        """Move a damaged file out of the way, with the journal that may still make it whole; where it is now."""
        with suppress(sqlite3.Error):
            self.connection.close()
        stamp = self.clock().strftime("%Y%m%d-%H%M%S")
        aside, k = self.path.with_name(f"{self.path.name}.damaged-{stamp}"), 1
        while aside.exists():
            k += 1
            aside = self.path.with_name(f"{self.path.name}.damaged-{stamp}-{k}")
        try:
            # The journals first: beside a new database they would be taken for its own.
            for part in reversed(PARTS):
                there = self.path.with_name(self.path.name + part)
                if there.exists():
                    shutil.move(str(there), aside.with_name(aside.name + part))
        except OSError as error:
            raise LogbookError(f"{self.path}: the logbook is damaged and cannot be moved aside ({error})") from None
        return aside

    def _refused(self, error: sqlite3.Error | UnicodeDecodeError) -> LogbookError:
        text = str(error)
        if is_busy(error):
            return LogbookBusyError(f"{self.path}: another program holds the logbook; close it there and try again")
        if "readonly" in text or "read-only" in text:
            return LogbookError(f"{self.path}: the logbook is read-only; make it writable, or practise without a log")
        if "full" in text:
            return LogbookError(f"{self.path}: the disk is full; make room and try again. Nothing was lost")
        if "unable to open" in text:
            return LogbookError(f"{self.path}: the logbook cannot be opened; look at the folder's permissions")
        return LogbookError(f"{self.path}: the logbook says '{text}'")

    @contextmanager
    def _change(self) -> Iterator[None]:
        """All of it or nothing."""
        self.connection.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            with suppress(sqlite3.Error):
                self.connection.execute("ROLLBACK")
            raise
        self.connection.execute("COMMIT")

    # --- writing ------------------------------------------------------------------------------------------------

    def now(self) -> str:
        """The time now, as entries have it."""
        return self.clock().isoformat(timespec="seconds")

    def begin_session(self, note: str = "") -> int:
        return self._insert("sessions", {"begun": self.now(), "note": note})

    def end_session(self, session: int, note: str = "") -> None:
        """End a session of practice, with a note if there is one.

        Raises LogbookError, and then nothing was written.
        """
        try:
            with self._change():
                self.connection.execute(
                    "UPDATE sessions SET ended = ?, note = CASE WHEN ? = '' THEN note ELSE ? END WHERE id = ?",
                    (self.now(), note, note, session),
                )
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def add(self, entry: Attempt | TakeEntry) -> int:
        """Write an attempt or a take down; its number. Raises LogbookError, and then nothing was written."""
        try:
            entry = checked(entry)
        except ValueError as error:
            raise LogbookError(f"this cannot be written into the logbook: {error}") from None
        self._watch_clock(entry.at)
        return self._insert(table_of(entry), row_of(entry, "id"))

    def set_note(self, entry: Attempt | TakeEntry, note: str) -> None:
        """Another note on an entry that was written down. Raises LogbookError, and then it is as it was."""
        try:
            with self._change():
                self.connection.execute(f"UPDATE {table_of(entry)} SET note = ? WHERE id = ?", (note, entry.id))
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def _watch_clock(self, at: str) -> None:
        try:
            last = self.connection.execute("SELECT at FROM attempts ORDER BY id DESC LIMIT 1").fetchone()
        except sqlite3.Error as error:
            raise self._refused(error) from None
        with suppress(ValueError, TypeError):
            if (
                last is not None
                and (datetime.fromisoformat(at) - datetime.fromisoformat(last[0])).total_seconds() < -60
            ):
                words = "The clock went back since the last entry: entries stay in the order they were made."
                if words not in self.remarks:
                    self.remarks.append(words)

    def _insert(self, table: str, row: Mapping[str, Any]) -> int:
        try:
            with self._change():
                return self.write(table, row)
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def write(self, table: str, row: Mapping[str, Any]) -> int:
        """Insert a row, its columns by name; the number it got."""
        names = ", ".join(row)
        marks = ", ".join("?" for _ in row)
        done = self.connection.execute(f"INSERT INTO {table} ({names}) VALUES ({marks})", tuple(row.values()))
        return int(done.lastrowid or 0)

    # --- reading ------------------------------------------------------------------------------------------------

    def attempts(self, plan: str | None = None) -> list[Attempt]:
        """Attempts in the order they were made; of one plan, or all."""
        return self._entries(Attempt, self._rows("attempts", plan))

    def played(self) -> dict[str, PlanPractice]:
        """What the log says of each plan, by its id."""
        found: dict[str, PlanPractice] = {}
        for plan, count, seconds, clean, last in self.query(
            "SELECT plan, attempts, seconds, clean, last FROM tallies"
        ):
            if not all(map(_is_number, (count, seconds))):
                continue
            clean = clean if _is_number(clean) else None
            had = found.get(plan, UNPLAYED)
            best = max((tempo for tempo in (had.clean, clean) if tempo is not None), default=None)
            late = when(last) if had.last is None else max(had.last, when(last))
            found[plan] = PlanPractice(had.attempts + count, had.seconds + seconds, best, late)
        return {plan: played._replace(recent=self._recent(plan)) for plan, played in found.items()}

    def _recent(self, plan: str) -> tuple[RecentTry, ...]:
        asked = "SELECT tempo, verdict, at FROM attempts WHERE plan = ? AND stage IN (?, ?) ORDER BY id DESC LIMIT ?"
        rows = self.query(asked, plan, *WHOLE, RECENT)
        return tuple(RecentTry(t, str(verdict), day_of(at)) for t, verdict, at in reversed(rows) if _is_number(t))

    def points(self, plan: str, count: int) -> list[Point]:
        """A plan's newest attempts at the whole figure, at most so many, in the order of time."""
        asked = "SELECT at, tempo, verdict FROM attempts WHERE plan = ? AND stage IN (?, ?) ORDER BY id DESC LIMIT ?"
        rows = self.query(asked, plan, *WHOLE, count)
        return sorted(
            Point(when(at), tempo, str(verdict)) for at, tempo, verdict in reversed(rows) if _is_number(tempo)
        )

    def rung_tries(self, plan: str, count: int) -> list[RungTry]:
        """A plan's newest attempts at any rung, at most so many, the oldest first."""
        asked = "SELECT stage, tempo, verdict, at FROM attempts WHERE plan = ? ORDER BY id DESC LIMIT ?"
        rows = reversed(self.query(asked, plan, count))
        return [RungTry(str(s), tempo, str(v), day_of(at)) for s, tempo, v, at in rows if _is_number(tempo)]

    def worked(self) -> dict[tuple[str, str], float]:
        """Seconds of playing by day (ISO 8601) and limb; the limb is empty for the playing itself."""
        rows = self.query("SELECT day, limb, seconds FROM worked")
        return {(str(day), str(limb)): seconds for day, limb, seconds in rows if _is_number(seconds)}

    def seconds_on(self, day: str) -> float:
        """Seconds of playing on a day (ISO 8601)."""
        return float(self.query("SELECT total(seconds) FROM worked WHERE day = ? AND limb = ''", day)[0][0])

    def seconds_by_plan(self, day: str) -> dict[str, float]:
        """Seconds of playing on a day (ISO 8601), by plan."""
        if not self.seconds_on(day):
            return {}
        # A day's entries are among the newest: a long log is not read for them.
        asked = """SELECT plan, total(seconds) FROM attempts
            WHERE id > (SELECT max(id) FROM attempts) - ? AND substr(at, 1, 10) = ? GROUP BY plan"""
        return {str(plan): float(seconds) for plan, seconds in self.query(asked, MOST_A_DAY, day)}

    def take_days(self) -> dict[str, date]:
        """The day of the last take of each plan; a hand test is one too."""
        return {str(plan): day_of(at) for plan, at in self.query("SELECT plan, max(at) FROM takes GROUP BY plan")}

    def speed_rows(self, count: int) -> list[tuple[str, float, bool, date, str]]:
        """What the newest attempts and takes, so many of each, say of speed, as ``evidence_from`` reads it."""
        rows = self.query("SELECT held_by, pace, verdict, at, plan FROM attempts ORDER BY id DESC LIMIT ?", count)
        found = [
            (held_by, pace, verdict == "clean", day_of(at), str(plan))
            for held_by, pace, verdict, at, plan in rows
            if _is_number(pace)
        ]
        for text, at, plan in self.query("SELECT speed, at, plan FROM takes ORDER BY id DESC LIMIT ?", count):
            with suppress(ValueError, RecursionError):
                found += [(*row, day_of(at), str(plan)) for row in speed_from(json.loads(text))]
        return found

    def newest(self, count: int) -> list[Attempt | TakeEntry]:
        """The newest attempts and takes, at most so many, the newest first."""
        last = "SELECT * FROM {} ORDER BY id DESC LIMIT ?"
        rows: list[Attempt | TakeEntry] = [*self._entries(Attempt, self.query(last.format("attempts"), count))]
        rows += self._entries(TakeEntry, self.query(last.format("takes"), count))
        return sorted(rows, key=lambda row: row.at, reverse=True)[:count]

    def count(self) -> int:
        """How many attempts and takes there are."""
        return int(self.query("SELECT (SELECT count(*) FROM attempts) + (SELECT count(*) FROM takes)")[0][0])

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        return self._entries(TakeEntry, self._rows("takes", plan))

    def sessions(self) -> list[SessionEntry]:
        return [SessionEntry(**dict(row)) for row in self._rows("sessions", None)]

    def _entries(self, kind: type[Entry], rows: Sequence[sqlite3.Row]) -> list[Entry]:
        """Rows as entries; what no entry can be is left out, and that is said once."""
        found = []
        for row in rows:
            try:
                found.append(entry_of(kind, row))
            except ValueError:
                words = "Some entries of the logbook cannot be read; they are left in it, and not shown."
                if words not in self.remarks:
                    self.remarks.append(words)
        return found

    def _rows(self, table: str, plan: str | None) -> list[sqlite3.Row]:
        where, values = ("", ()) if plan is None else (" WHERE plan = ?", (plan,))
        return self.query(f"SELECT * FROM {table}{where} ORDER BY id", *values)

    def query(self, question: str, *values: object) -> list[Any]:
        """The rows that answer an SQL question.

        Raises LogbookError where the database cannot be read.
        """
        try:
            return self.connection.execute(question, values).fetchall()
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise self._refused(error) from None

    def adopt(self, document: Document) -> int:
        """Let a document's plans have the entries of before documents had ids; how many. Raises LogbookError."""
        try:
            with self._change():
                return adopt(self.connection, document)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise self._refused(error) from None

    def merge(self, rows: Sequence[Attempt | TakeEntry]) -> int:
        """Add those entries that are not there yet, all or none; how many that were. Raises LogbookError.

        What is there once and comes twice is added once more: somebody may be quick enough.
        """
        there = {
            table: Counter(
                (_bare(plan), *rest)
                for plan, *rest in self.query(f"SELECT {', '.join(told_apart_by(table))} FROM {table}")
            )
            for table in ("attempts", "takes")
        }
        count = 0
        try:
            with self._change():
                for entry in rows:
                    table = table_of(entry)
                    plan, *rest = (getattr(entry, name) for name in told_apart_by(table))
                    key = (_bare(plan), *rest)
                    if there[table][key]:
                        there[table][key] -= 1
                    else:
                        self.write(table, row_of(entry, "id", "session"))
                        count += 1
        except sqlite3.Error as error:
            raise self._refused(error) from None
        return count


def _bare(plan: object) -> str:
    """A plan's id without its document's: an entry of before documents had ids is still the same one."""
    return str(plan).rpartition("/")[2]


def _make_private(path: Path) -> None:
    """Let the owner alone read a file, which is made where it is missing. SQLite gives its journals the same mode."""
    with suppress(OSError):
        os.close(os.open(path, os.O_CREAT | os.O_RDONLY, 0o600))
        if path.stat().st_mode & 0o077:
            path.chmod(0o600)


def _is_number(value: object) -> bool:
    """Whether a column that should hold a number does; SQLite keeps what it was given."""
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) <= LARGEST
