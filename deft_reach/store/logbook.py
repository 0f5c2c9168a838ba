"""The logbook: sessions, attempts and takes in one SQLite database, which survives crashes and says what is wrong.

Every entry is one transaction with full synchronisation. A database of an older version is copied before it is
brought up to date; one that is damaged is moved aside, never overwritten.
"""

from __future__ import annotations

import csv
import io
import json
import shutil
import sqlite3
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import asdict, dataclass, field, fields
from datetime import datetime
from pathlib import Path
from typing import Any, Final, NamedTuple

VERSION: Final = 1
#: Waited for another program that writes (seconds).
PATIENCE: Final = 2.0
_TABLES: Final = """
CREATE TABLE sessions (
    id INTEGER PRIMARY KEY, begun TEXT NOT NULL, ended TEXT, note TEXT NOT NULL DEFAULT '');
CREATE TABLE attempts (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, text TEXT NOT NULL, stage TEXT NOT NULL, tempo REAL NOT NULL, target REAL,
    tempo_limit REAL, repeats INTEGER NOT NULL, verdict TEXT NOT NULL, seconds REAL NOT NULL, pace REAL,
    held_by TEXT NOT NULL DEFAULT '', load TEXT NOT NULL DEFAULT '{}', note TEXT NOT NULL DEFAULT '');
CREATE TABLE takes (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, tempo REAL NOT NULL, verdict TEXT NOT NULL, found TEXT NOT NULL);
CREATE INDEX attempts_by_plan ON attempts (plan, at);
CREATE INDEX takes_by_plan ON takes (plan, at);
"""
#: What brings a database of a version to the next one.
MIGRATIONS: Final[dict[int, str]] = {}


class LogbookError(Exception):
    """The logbook cannot be read or written now: says what is wrong and what to do."""


@dataclass(frozen=True)
class Attempt:
    """A rung tried: when (ISO 8601 with offset), what exactly, and how it went.

    ``text`` is the stage's stroke text; ``pace`` is for an untrained player and ``held_by`` the group that limited it
    (see calibration); ``load`` has seconds of playing by limb.
    """

    at: str
    plan: str
    plan_name: str
    text: str
    stage: str
    tempo: float
    verdict: str
    repeats: int = 1
    seconds: float = 0.0
    target: float | None = None
    tempo_limit: float | None = None
    pace: float | None = None
    held_by: str = ""
    load: Mapping[str, float] = field(default_factory=dict)
    note: str = ""
    session: int | None = None
    id: int | None = None


class LogLine(NamedTuple):
    """As much of an attempt as the pictures show."""

    at: str
    plan: str
    stage: str
    tempo: float
    verdict: str
    seconds: float


@dataclass(frozen=True)
class TakeEntry:
    """A take that was checked: when, of which plan, and what the check found."""

    at: str
    plan: str
    plan_name: str
    tempo: float
    verdict: str
    found: Mapping[str, Any]
    session: int | None = None
    id: int | None = None


@dataclass(frozen=True)
class SessionEntry:
    begun: str
    ended: str | None = None
    note: str = ""
    id: int | None = None


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
                for statement in _TABLES.split(";"):
                    self._base.execute(statement)
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
                    for statement in MIGRATIONS[number].split(";"):
                        self._base.execute(statement)
                self._base.execute(f"PRAGMA user_version = {VERSION}")
        except (sqlite3.Error, KeyError) as error:
            raise LogbookError(
                f"{self.path}: the logbook could not be brought up to date ({error}). It is as it was, and there "
                f"is a copy, {copy.name}"
            ) from None
        self.remarks.append(f"The logbook was brought up to date; the old one is kept as {copy.name}.")

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

    def lines(self) -> list[LogLine]:
        """What pictures and sums need of every attempt, in the order they were made: quick for long logs."""
        try:
            cursor = self._base.execute("SELECT at, plan, stage, tempo, verdict, seconds FROM attempts ORDER BY id")
            cursor.row_factory = None
            return list(map(LogLine._make, cursor))
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def seconds_on(self, day: str) -> float:
        """Seconds of playing on a day (ISO 8601)."""
        try:
            asked = "SELECT TOTAL(seconds) FROM attempts WHERE substr(at, 1, 10) = ?"
            return float(self._base.execute(asked, (day,)).fetchone()[0])
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def busy(self) -> dict[str, float]:
        """Seconds for which each limb was busy in all attempts."""
        try:
            return dict(
                self._base.execute(
                    "SELECT each.key, SUM(each.value) FROM attempts, json_each(attempts.load) AS each"
                    " GROUP BY each.key"
                )
            )
        except sqlite3.Error as error:
            raise self._refused(error) from None

    def takes(self, plan: str | None = None) -> list[TakeEntry]:
        return [TakeEntry(**{**dict(row), "found": json.loads(row["found"])}) for row in self._rows("takes", plan)]

    def sessions(self) -> list[SessionEntry]:
        return [SessionEntry(**dict(row)) for row in self._rows("sessions", None)]

    def _rows(self, table: str, plan: str | None) -> list[sqlite3.Row]:
        where, values = ("", ()) if plan is None else (" WHERE plan = ?", (plan,))
        try:
            return self._base.execute(f"SELECT * FROM {table}{where} ORDER BY id", values).fetchall()
        except sqlite3.Error as error:
            raise self._refused(error) from None

    # --- in and out ---------------------------------------------------------------------------------------------

    def to_json(self) -> str:
        """All of it as JSON."""
        return json.dumps(
            {
                "format": "deft-reach-logbook",
                "version": VERSION,
                "sessions": [asdict(row) for row in self.sessions()],
                "attempts": [asdict(row) for row in self.attempts()],
                "takes": [asdict(row) for row in self.takes()],
            },
            ensure_ascii=False,
            indent=1,
        )

    def to_csv(self) -> str:
        """Every attempt as a row."""
        out = io.StringIO()
        names = [f.name for f in fields(Attempt)]
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(names)
        for row in self.attempts():
            values = _row(row)
            writer.writerow(["" if values[name] is None else values[name] for name in names])
        return out.getvalue()

    def from_json(self, text: str) -> int:
        """Add what another logbook has and this one has not; how many entries that were. Raises LogbookError."""
        try:
            raw = json.loads(text)
            if not isinstance(raw, dict) or raw.get("format") != "deft-reach-logbook":
                raise LogbookError("this is no logbook: expected a JSON object with the format deft-reach-logbook")
            if int(raw.get("version", 0)) > VERSION:
                raise LogbookError(f"this logbook is of version {raw['version']}; this app reads up to {VERSION}")
            attempts = [Attempt(**_known(Attempt, row)) for row in raw.get("attempts", [])]
            takes = [TakeEntry(**_known(TakeEntry, row)) for row in raw.get("takes", [])]
        except (json.JSONDecodeError, TypeError, ValueError, AttributeError, RecursionError) as error:
            raise LogbookError(f"this logbook cannot be read: {error}") from None
        return self._merge(attempts) + self._merge(takes)

    def from_csv(self, text: str) -> int:
        """Attempts from a table as ``to_csv`` writes it. Raises LogbookError with the line."""
        reader = csv.DictReader(io.StringIO(text))
        needed = {"at", "plan", "plan_name", "text", "stage", "tempo", "verdict"}
        if reader.fieldnames is None or not needed <= set(reader.fieldnames):
            lacking = ", ".join(sorted(needed - set(reader.fieldnames or ())))
            raise LogbookError(f"line 1: the table lacks {lacking}")
        rows = []
        for row in reader:
            try:
                rows.append(
                    Attempt(
                        row["at"], row["plan"], row["plan_name"], row["text"], row["stage"], float(row["tempo"]),
                        row["verdict"], int(row.get("repeats") or 1), float(row.get("seconds") or 0),
                        _number(row.get("target")), _number(row.get("tempo_limit")), _number(row.get("pace")),
                        row.get("held_by") or "", json.loads(row.get("load") or "{}"), row.get("note") or "",
                    )
                )  # fmt: skip
            except (ValueError, TypeError) as error:
                raise LogbookError(f"line {reader.line_num}: {error}") from None
        return self._merge(rows)

    def _merge(self, rows: Sequence[Attempt | TakeEntry]) -> int:
        """Add entries that are not there yet, all or none."""
        if not rows:
            return 0
        table = _table(rows[0])
        there = {(r["at"], r["plan"], r["tempo"], r["verdict"]) for r in self._rows(table, None)}
        count = 0
        try:
            with self._change():
                for entry in rows:
                    key = (entry.at, entry.plan, entry.tempo, entry.verdict)
                    if key in there:
                        continue
                    there.add(key)
                    self._write(table, _row(entry, "id", "session"))
                    count += 1
        except sqlite3.Error as error:
            raise self._refused(error) from None
        return count


def _table(entry: Attempt | TakeEntry) -> str:
    return "attempts" if isinstance(entry, Attempt) else "takes"


def _row(entry: Attempt | TakeEntry, *without: str) -> dict[str, Any]:
    """An entry as its table has it: mappings are JSON there."""
    values = {name: value for name, value in asdict(entry).items() if name not in without}
    return {name: json.dumps(v, sort_keys=True) if isinstance(v, Mapping) else v for name, v in values.items()}


def _attempt(row: sqlite3.Row) -> Attempt:
    values = dict(row)
    values["load"] = json.loads(values["load"])
    return Attempt(**values)


def _known(kind: type, row: Mapping[str, Any]) -> dict[str, Any]:
    """The fields this version knows, without numbers that belong to the other file."""
    names = {f.name for f in fields(kind)} - {"id", "session"}
    return {key: value for key, value in row.items() if key in names}


def _number(text: str | None) -> float | None:
    return float(text) if text else None


def _is_damaged(error: sqlite3.DatabaseError) -> bool:
    text = str(error)
    return "malformed" in text or "not a database" in text or "no such table" in text or "no such column" in text
