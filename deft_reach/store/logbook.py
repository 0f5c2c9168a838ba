"""The logbook: sessions, attempts and takes in one SQLite database, which survives crashes and says what is wrong.

Every entry is one transaction with full synchronisation. A database of an older version is copied before it is
brought up to date; one that is damaged is moved aside, never overwritten.
"""

from __future__ import annotations

import json
import shutil
import sqlite3
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from deft_reach.core.practice.progress_log import STUCK_AFTER, UNPLAYED, WHOLE, Played, Point, when
from deft_reach.store.log_entries import Attempt, LogbookError, SessionEntry, TakeEntry, speed_from

VERSION: Final = 3
#: Waited for another program that writes (seconds).
PATIENCE: Final = 2.0
_TABLES: Final = """
CREATE TABLE sessions (
    id INTEGER PRIMARY KEY, begun TEXT NOT NULL, ended TEXT, note TEXT NOT NULL DEFAULT '');
CREATE TABLE attempts (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, text TEXT NOT NULL, stage TEXT NOT NULL, tempo REAL NOT NULL, target REAL,
    tempo_limit REAL, repeats INTEGER NOT NULL, verdict TEXT NOT NULL, seconds REAL NOT NULL, pace REAL,
    held_by TEXT NOT NULL DEFAULT '', load TEXT NOT NULL DEFAULT '{}', note TEXT NOT NULL DEFAULT '',
    committed TEXT NOT NULL DEFAULT '', commitment TEXT NOT NULL DEFAULT '');
CREATE TABLE takes (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, tempo REAL NOT NULL, verdict TEXT NOT NULL, found TEXT NOT NULL,
    speed TEXT NOT NULL DEFAULT '[]', note TEXT NOT NULL DEFAULT '');
CREATE INDEX takes_by_plan ON takes (plan, at);
"""
# Sums are kept as attempts are written, in the same transaction: a long log opens as quickly as a short one. Times
# are told apart by their zone, the text's end: within one the text sorts as the time does. What the pictures need of
# a plan's attempts is in the index, in the order they were made.
_SUMS: Final = """
CREATE INDEX attempts_of_plan ON attempts (plan, id, at, stage, tempo, verdict, seconds);
CREATE TABLE worked (
    day TEXT NOT NULL, limb TEXT NOT NULL, seconds REAL NOT NULL, PRIMARY KEY (day, limb)) WITHOUT ROWID;
CREATE TABLE tallies (
    plan TEXT NOT NULL, zone TEXT NOT NULL, attempts INTEGER NOT NULL, seconds REAL NOT NULL, clean REAL,
    last TEXT NOT NULL, PRIMARY KEY (plan, zone)) WITHOUT ROWID;
CREATE TRIGGER attempt_added AFTER INSERT ON attempts BEGIN
    INSERT INTO tallies VALUES (new.plan, substr(new.at, -6), 1, new.seconds,
            CASE WHEN new.verdict = 'clean' AND new.stage IN ('everything', 'between grooves') THEN new.tempo END,
            new.at)
        ON CONFLICT DO UPDATE SET attempts = attempts + 1, seconds = seconds + excluded.seconds,
            clean = coalesce(max(clean, excluded.clean), clean, excluded.clean), last = max(last, excluded.last);
    INSERT INTO worked VALUES (substr(new.at, 1, 10), '', new.seconds)
        ON CONFLICT DO UPDATE SET seconds = seconds + excluded.seconds;
    INSERT INTO worked SELECT substr(new.at, 1, 10), key, coalesce(CAST(value AS REAL), 0) FROM json_each(new.load)
        WHERE true ON CONFLICT DO UPDATE SET seconds = seconds + excluded.seconds;
END;
"""
#: What brings a database of a version to the next one.
MIGRATIONS: Final[dict[int, str]] = {
    1: f"""
DROP INDEX attempts_by_plan;
ALTER TABLE attempts ADD COLUMN committed TEXT NOT NULL DEFAULT '';
ALTER TABLE takes ADD COLUMN speed TEXT NOT NULL DEFAULT '[]';
{_SUMS}
INSERT INTO tallies SELECT plan, substr(at, -6), count(*), total(seconds),
        max(CASE WHEN verdict = 'clean' AND stage IN ('everything', 'between grooves') THEN tempo END), max(at)
    FROM attempts GROUP BY 1, 2;
INSERT INTO worked SELECT substr(at, 1, 10), '', total(seconds) FROM attempts GROUP BY 1;
INSERT INTO worked SELECT substr(at, 1, 10), each.key, total(each.value)
    FROM attempts, json_each(attempts.load) AS each GROUP BY 1, 2;
""",
    2: """
ALTER TABLE attempts ADD COLUMN commitment TEXT NOT NULL DEFAULT '';
ALTER TABLE takes ADD COLUMN note TEXT NOT NULL DEFAULT '';
""",
}


class Logbook:
    """One logbook file.

    ``remarks`` says what happened on opening: a damaged file moved aside, an old one brought up to date, a clock that
    went back.
    """

    def __init__(self, path: Path, clock: Callable[[], datetime] = lambda: datetime.now().astimezone()) -> None:
        self.path = path
        self.clock = clock
        self.remarks: list[str] = []
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise LogbookError(f"{path.parent}: the logbook's folder cannot be made ({error.strerror})") from None
        self._open()

    def close(self) -> None:
        with suppress(sqlite3.Error):
            self._base.close()

    def _open(self) -> None:
        try:
            self._connect()
            self._prepare()
        except sqlite3.DatabaseError as error:
            if not _is_damaged(error):
                raise self._refused(error) from None
            self._set_aside()
            try:
                self._connect()
                self._prepare()
            except sqlite3.Error as again:
                raise self._refused(again) from None

    def _connect(self) -> None:
        self._base = sqlite3.connect(self.path, timeout=PATIENCE, isolation_level=None)
        self._base.row_factory = sqlite3.Row
        self._base.execute("PRAGMA foreign_keys = ON")
        self._base.execute("PRAGMA synchronous = FULL")

    def _prepare(self) -> None:
        version = int(self._base.execute("PRAGMA user_version").fetchone()[0])
        there = self._base.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
        if version > VERSION:
            self._base.close()
            raise LogbookError(
                f"{self.path}: the logbook was written by a newer Deft Reach (version {version}, this one knows "
                f"{VERSION}); open it with that one. Nothing was changed"
            )
        if not there:
            with self._change():
                self._run(_TABLES + _SUMS)
                self._base.execute(f"PRAGMA user_version = {VERSION}")
        elif version == 0:
            raise sqlite3.DatabaseError("file is not a database of this kind: malformed")
        elif version < VERSION:
            self._migrate(version)
        check = self._base.execute("PRAGMA quick_check(1)").fetchone()[0]
        if check != "ok":
            raise sqlite3.DatabaseError(f"malformed: {check}")
        self._base.execute("SELECT count(*) FROM attempts").fetchone()

    def _migrate(self, version: int) -> None:
        copy = self.path.with_name(f"{self.path.name}.version-{version}")
        with closing(sqlite3.connect(copy)) as other:
            self._base.backup(other)
        try:
            with self._change():
                for number in range(version, VERSION):
                    self._run(MIGRATIONS[number])
                self._base.execute(f"PRAGMA user_version = {VERSION}")
        except (sqlite3.Error, KeyError) as error:
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
                self._base.execute(statement)
                statement = ""
        self._base.execute(statement)

    def _set_aside(self) -> None:
        with suppress(sqlite3.Error):
            self._base.close()
        stamp = self.clock().strftime("%Y%m%d-%H%M%S")
        aside = self.path.with_name(f"{self.path.name}.damaged-{stamp}")
        try:
            shutil.move(str(self.path), aside)
        except OSError as error:
            raise LogbookError(f"{self.path}: the logbook is damaged and cannot be moved aside ({error})") from None
        for rest in ("-wal", "-shm", "-journal"):
            with suppress(OSError):
                self.path.with_name(self.path.name + rest).unlink()
        self.remarks.append(f"The logbook was damaged: it is kept as {aside.name}, and a new one was begun.")

    def _refused(self, error: sqlite3.Error) -> LogbookError:
        text = str(error)
        if "locked" in text or "busy" in text:
            return LogbookError(f"{self.path}: another program holds the logbook; close it there and try again")
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
        self._base.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            with suppress(sqlite3.Error):
                self._base.execute("ROLLBACK")
            raise
        self._base.execute("COMMIT")

    # --- writing ------------------------------------------------------------------------------------------------

    def now(self) -> str:
        """The time now, as entries have it."""
        return self.clock().isoformat(timespec="seconds")

    def begin_session(self, note: str = "") -> int:
        return self._insert("sessions", {"begun": self.now(), "note": note})

    def end_session(self, session: int, note: str = "") -> None:
        try:
            with self._change():
                self._base.execute(
                    "UPDATE sessions SET ended = ?, note = CASE WHEN ? = '' THEN note ELSE ? END WHERE id = ?",
                    (self.now(), note, note, session),
                )
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def add(self, entry: Attempt | TakeEntry) -> int:
        """Write an attempt or a take down; its number. Raises LogbookError, and then nothing was written."""
        self._watch_clock(entry.at)
        return self._insert(_table(entry), _row(entry, "id"))

    def set_note(self, entry: Attempt | TakeEntry, note: str) -> None:
        """Another note on an entry that was written down. Raises LogbookError, and then it is as it was."""
        try:
            with self._change():
                self._base.execute(f"UPDATE {_table(entry)} SET note = ? WHERE id = ?", (note, entry.id))
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def _watch_clock(self, at: str) -> None:
        try:
            last = self._base.execute("SELECT at FROM attempts ORDER BY id DESC LIMIT 1").fetchone()
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
                return self._write(table, row)
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def _write(self, table: str, row: Mapping[str, Any]) -> int:
        names = ", ".join(row)
        marks = ", ".join("?" for _ in row)
        done = self._base.execute(f"INSERT INTO {table} ({names}) VALUES ({marks})", tuple(row.values()))
        return int(done.lastrowid or 0)

    # --- reading ------------------------------------------------------------------------------------------------

    def attempts(self, plan: str | None = None) -> list[Attempt]:
        """Attempts in the order they were made; of one plan, or all."""
        return [_attempt(row) for row in self._rows("attempts", plan)]

    def played(self) -> dict[str, Played]:
        """What the log says of each plan, by its id."""
        found: dict[str, Played] = {}
        for plan, count, seconds, clean, last in self._ask(
            "SELECT plan, attempts, seconds, clean, last FROM tallies"
        ):
            had = found.get(plan, UNPLAYED)
            best = max((tempo for tempo in (had.clean, clean) if tempo is not None), default=None)
            late = when(last) if had.last is None else max(had.last, when(last))
            found[plan] = Played(had.attempts + count, had.seconds + seconds, best, late)
        return {plan: played._replace(recent=self._recent(plan)) for plan, played in found.items()}

    def _recent(self, plan: str) -> tuple[tuple[float, str], ...]:
        asked = "SELECT tempo, verdict FROM attempts WHERE plan = ? AND stage IN (?, ?) ORDER BY id DESC LIMIT ?"
        return tuple((tempo, verdict) for tempo, verdict in reversed(self._ask(asked, plan, *WHOLE, STUCK_AFTER)))

    def points(self, plan: str, count: int) -> list[Point]:
        """A plan's newest attempts at the whole figure, at most so many, in the order of time."""
        asked = "SELECT at, tempo, verdict FROM attempts WHERE plan = ? AND stage IN (?, ?) ORDER BY id DESC LIMIT ?"
        rows = self._ask(asked, plan, *WHOLE, count)
        return sorted(Point(when(at), tempo, verdict) for at, tempo, verdict in reversed(rows))

    def clean_rungs(self, plan: str) -> set[tuple[str, float]]:
        """Stages of a plan, and the tempi at which each was clean."""
        asked = "SELECT DISTINCT stage, tempo FROM attempts WHERE plan = ? AND verdict = 'clean'"
        return {(stage, tempo) for stage, tempo in self._ask(asked, plan)}

    def worked(self) -> dict[tuple[str, str], float]:
        """Seconds of playing by day (ISO 8601) and limb; the limb is empty for the playing itself."""
        return {(day, limb): seconds for day, limb, seconds in self._ask("SELECT day, limb, seconds FROM worked")}

    def seconds_on(self, day: str) -> float:
        """Seconds of playing on a day (ISO 8601)."""
        return float(self._ask("SELECT total(seconds) FROM worked WHERE day = ? AND limb = ''", day)[0][0])

    def speed_rows(self, count: int) -> list[tuple[str, float, bool]]:
        """What the newest attempts and takes, so many of each, say of speed, as ``evidence_from`` reads it."""
        rows = self._ask("SELECT held_by, pace, verdict FROM attempts ORDER BY id DESC LIMIT ?", count)
        found = [(held_by, pace, verdict == "clean") for held_by, pace, verdict in rows if pace is not None]
        for (text,) in self._ask("SELECT speed FROM takes ORDER BY id DESC LIMIT ?", count):
            found += speed_from(json.loads(text))
        return found

    def newest(self, count: int) -> list[Attempt | TakeEntry]:
        """The newest attempts and takes, at most so many, the newest first."""
        last = "SELECT * FROM {} ORDER BY id DESC LIMIT ?"
        rows: list[Attempt | TakeEntry] = [_attempt(row) for row in self._ask(last.format("attempts"), count)]
        rows += [_take(row) for row in self._ask(last.format("takes"), count)]
        return sorted(rows, key=lambda row: row.at, reverse=True)[:count]

    def count(self) -> int:
        """How many attempts and takes there are."""
        return int(self._ask("SELECT (SELECT count(*) FROM attempts) + (SELECT count(*) FROM takes)")[0][0])

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        return [_take(row) for row in self._rows("takes", plan)]

    def sessions(self) -> list[SessionEntry]:
        return [SessionEntry(**dict(row)) for row in self._rows("sessions", None)]

    def _rows(self, table: str, plan: str | None) -> list[sqlite3.Row]:
        where, values = ("", ()) if plan is None else (" WHERE plan = ?", (plan,))
        return self._ask(f"SELECT * FROM {table}{where} ORDER BY id", *values)

    def _ask(self, question: str, *values: object) -> list[Any]:
        try:
            return self._base.execute(question, values).fetchall()
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def merge(self, rows: Sequence[Attempt | TakeEntry]) -> int:
        """Add those entries that are not there yet, all or none; how many that were. Raises LogbookError."""
        there = {
            table: {tuple(row) for row in self._ask(f"SELECT at, plan, tempo, verdict FROM {table}")}
            for table in ("attempts", "takes")
        }
        count = 0
        try:
            with self._change():
                for entry in rows:
                    table, key = _table(entry), (entry.at, entry.plan, entry.tempo, entry.verdict)
                    if key not in there[table]:
                        there[table].add(key)
                        self._write(table, _row(entry, "id", "session"))
                        count += 1
        except sqlite3.Error as error:
            raise self._refused(error) from None
        return count


def _table(entry: Attempt | TakeEntry) -> str:
    return "attempts" if isinstance(entry, Attempt) else "takes"


def _row(entry: Attempt | TakeEntry, *without: str) -> dict[str, Any]:
    """An entry as its table has it: mappings and lists are JSON there."""
    return {
        name: json.dumps(value, sort_keys=True) if isinstance(value, (Mapping, list, tuple)) else value
        for name, value in vars(entry).items()
        if name not in without
    }


def _attempt(row: sqlite3.Row) -> Attempt:
    return Attempt(**{**dict(row), "load": json.loads(row["load"])})


def _take(row: sqlite3.Row) -> TakeEntry:
    return TakeEntry(
        **{**dict(row), "found": json.loads(row["found"]), "speed": speed_from(json.loads(row["speed"]))}
    )


def _is_damaged(error: sqlite3.DatabaseError) -> bool:
    text = str(error)
    return "malformed" in text or "not a database" in text or "no such table" in text or "no such column" in text
