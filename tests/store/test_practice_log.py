"""Practice is on disk whatever happens to the logbook: locked, damaged, full, read-only, or killed."""

import json
import os
import signal
import sqlite3
import stat
import subprocess
import sys
import time
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from deft_reach.store import logbook, unwritten
from deft_reach.store.file_lock import FileLock
from deft_reach.store.log_entries import LogbookBusyError, LogbookError
from deft_reach.store.logbook import Logbook
from deft_reach.store.practice_log import LEFT_ALONE, PATIENCE, PracticeLog
from tests.store.conftest import NOW, attempt


def at(k: int, **more):
    return attempt(tempo=60.0 + k, at=NOW + timedelta(minutes=k), **more)


@pytest.fixture
def path(tmp_path):
    folder = tmp_path / "log"
    folder.mkdir()
    return folder / "book.sqlite"


@pytest.fixture
def holder(path):
    """Another program that holds the logbook."""
    Logbook(path).close()
    other = sqlite3.connect(path, isolation_level=None)
    yield other
    other.close()


def waiting_files(folder: Path) -> list[Path]:
    return list(folder.glob("*.waiting"))


def test_what_is_written_leaves_nothing_beside_the_logbook(path):
    log = PracticeLog(path)
    assert log.add(at(1)) and log.is_safe and log.waiting_in_words == ""
    log.close()
    assert [file.name for file in path.parent.iterdir()] == ["book.sqlite"]


def asked_in_vain(monkeypatch) -> list[str]:
    """Every time that a logbook was waited for and is still locked, by what was wanted of it."""
    found: list[str] = []

    def watched(name: str):
        real = getattr(Logbook, name)

        def call(self, *args):
            try:
                return real(self, *args)
            except LogbookBusyError:
                found.append(name)
                raise

        return call

    for name in ("query", "_insert", "_open"):
        monkeypatch.setattr(Logbook, name, watched(name))
    return found


def test_a_logbook_that_is_locked_holds_nobody_up_and_the_entry_is_on_disk(path, holder, monkeypatch):
    log = PracticeLog(path, clock=lambda: 0.0)
    log.add(at(0))
    assert [row.tempo for row in log.newest(5)] == [60.0] and log.count() == 1
    holder.execute("BEGIN EXCLUSIVE")
    busy = asked_in_vain(monkeypatch)
    assert not log.add(at(1))
    for _ in range(10):
        log.played(), log.worked(), log.takes(), log.points("storm", 5), log.speed_rows(5)
        log.minutes_on(NOW.date()), log.rung_tries("storm", 9), log.attempts()
    # Once to write and perhaps once to read: each of these questions waited two seconds once.
    assert len(busy) <= 2 and log.book.patience == PATIENCE <= 0.05
    assert "another program holds the logbook" in log.problem and log.is_safe
    assert log.waiting_in_words == "1 entry waits safely on disk, to be written when it can be"
    (file,) = waiting_files(path.parent)
    assert json.loads(file.read_text())["tempo"] == 61.0 and stat.S_IMODE(file.stat().st_mode) == 0o600
    assert {row.tempo for row in log.newest(5)} == {60.0, 61.0} and log.count() == 2, "all is shown meanwhile"
    log.retry()
    assert log.problem, "it is locked still"
    holder.execute("ROLLBACK")
    heard = []
    log.changed.connect(lambda: heard.append(log.problem))
    log.retry()
    assert heard == [""] and not log.waiting and waiting_files(path.parent) == []
    log.retry()
    assert len(heard) == 1, "nothing to do, nothing to say"
    assert {row.tempo for row in log.attempts()} == {60.0, 61.0}
    log.close()


def test_reading_alone_finds_the_logbook_again(path, holder):
    holder.execute("BEGIN EXCLUSIVE")
    now = [0.0]
    log = PracticeLog(path, clock=lambda: now[0])
    assert log.count() == 0 and "another program" in log.problem
    holder.execute("ROLLBACK")
    assert log.count() == 0 and log.problem, "left alone for a moment"
    now[0] += LEFT_ALONE
    log.count()
    assert not log.problem
    log.close()


def test_what_waits_when_the_app_is_closed_is_in_the_logbook_after_the_next_start(path, holder):
    holder.execute("BEGIN EXCLUSIVE")
    log = PracticeLog(path)
    for k in range(3):
        log.add(at(k, note="löud"))
    log.close()
    holder.execute("ROLLBACK")
    again = PracticeLog(path)
    assert [row.tempo for row in again.attempts()] == [60.0, 61.0, 62.0] and again.attempts()[0].note == "löud"
    assert again.news() == ["3 entries of an earlier run are in the logbook now."]
    again.close()
    assert [file.name for file in path.parent.iterdir()] == ["book.sqlite"]


def test_the_entries_of_an_app_that_runs_are_left_to_it(path, holder):
    holder.execute("BEGIN EXCLUSIVE")
    one = PracticeLog(path)
    one.add(at(1))
    holder.execute("ROLLBACK")
    two = PracticeLog(path)
    assert two.count() == 0 and len(waiting_files(path.parent)) == 1
    assert one.flush() and two.count() == 1
    one.close(), two.close()


def test_an_entry_that_was_written_before_its_file_went_is_not_written_twice(path):
    log = PracticeLog(path)
    log.add(at(1))
    # As if killed between the two: in the logbook, and beside it still.
    log.unwritten.keep([at(1), at(2)])
    log.unwritten.lock.release(remove=False)
    again = PracticeLog(path)
    assert [row.tempo for row in again.attempts()] == [61.0, 62.0]
    again.close()


def test_a_torn_line_costs_that_line_alone_and_the_file_is_kept(path, holder):
    holder.execute("BEGIN EXCLUSIVE")
    log = PracticeLog(path)
    log.add(at(1)), log.add(at(2))
    (file,) = waiting_files(path.parent)
    log.close()
    holder.execute("ROLLBACK")
    file.write_bytes(file.read_bytes()[:-30])
    again = PracticeLog(path)
    assert [row.tempo for row in again.attempts()] == [61.0]
    again.close()
    assert waiting_files(path.parent) == [] and len(list(path.parent.glob("*.unreadable"))) == 1


def test_a_folder_that_cannot_be_written_sends_it_to_the_state_folder(path, monkeypatch, tmp_path):
    real = FileLock

    def lock(where):
        if where.parent == path.parent:
            raise PermissionError(13, "Permission denied", str(where))
        return real(where)

    monkeypatch.setattr(unwritten, "FileLock", lock)
    monkeypatch.setattr(Logbook, "add", lambda self, entry: (_ for _ in ()).throw(LogbookError("read-only")))
    log = PracticeLog(path)
    assert not log.add(at(1)) and log.is_safe
    (file,) = waiting_files(tmp_path / "xdg-state" / "deft-reach")
    assert file.read_text().startswith('{"kind": "attempt"')
    log.close()
    monkeypatch.undo()
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "xdg-state"))
    again = PracticeLog(path)
    assert again.count() == 1
    again.close()


def test_no_place_at_all_is_said_and_tried_again(path, monkeypatch):
    def full(*_, **__):
        raise OSError(28, "No space left on device", "book.sqlite")

    monkeypatch.setattr(unwritten, "write_atomic", full)
    monkeypatch.setattr(logbook.Logbook, "add", lambda self, entry: (_ for _ in ()).throw(LogbookError("full")))
    log = PracticeLog(path)
    assert not log.add(at(1)) and not log.is_safe
    assert "in memory only (book.sqlite: No space left on device)" in log.waiting_in_words
    monkeypatch.undo()
    log.retry()
    assert log.is_safe and not log.problem and log.count() == 1
    log.close()


def test_an_entry_that_no_logbook_can_hold_is_refused_and_holds_nothing_up(path):
    log = PracticeLog(path)
    assert not log.add(replace(at(1), tempo=float("nan"))) and "tempo is nan" in log.problem
    assert log.add(at(2)) and log.count() == 1 and not log.problem
    log.close()


PRACTISE = """
import sys, pathlib
from datetime import datetime, timedelta, UTC
from deft_reach.store.log_entries import Attempt
from deft_reach.store.practice_log import PracticeLog
log = PracticeLog(pathlib.Path(sys.argv[1]))
begin, k = datetime(2026, 3, 1, tzinfo=UTC), len(log.attempts())
while True:
    when = (begin + timedelta(seconds=k)).isoformat()
    log.add(Attempt(when, "p", "P", "R L", "everything", 60.0, "clean"))
    print(k, log.is_safe, flush=True)
    k += 1
"""


def test_killed_while_the_logbook_comes_and_goes_no_entry_is_lost(path):
    Logbook(path).close()
    for round_ in range(3):
        process = subprocess.Popen(
            [sys.executable, "-c", PRACTISE, str(path)], stdout=subprocess.PIPE, text=True, cwd=Path.cwd()
        )
        assert process.stdout is not None
        process.stdout.readline()
        other = sqlite3.connect(path, isolation_level=None, timeout=5)
        other.execute("BEGIN EXCLUSIVE")
        time.sleep(0.3)
        if round_ != 1:
            other.execute("ROLLBACK")
            time.sleep(0.05)
        os.kill(process.pid, signal.SIGKILL)
        # The last line may have been cut off.
        said = [line.split() for line in process.stdout.read().splitlines(keepends=True) if line.endswith("\n")]
        process.wait()
        other.close()
        assert all(safe == "True" for _, safe in said)
        log = PracticeLog(path)
        times = [row.at for row in log.attempts()]
        assert len(times) == len(set(times)) and (not said or len(times) >= int(said[-1][0]) + 1)
        log.close()


@pytest.mark.parametrize("name", ["book.sqlite", "book.sqlite-journal"])
def test_nobody_else_can_read_the_log(path, name, monkeypatch):
    old = os.umask(0o022)
    try:
        book = Logbook(path)
        seen = []
        real = Logbook.write
        monkeypatch.setattr(
            Logbook,
            "write",
            lambda self, *row: (real(self, *row), seen.append(path.with_name(name).stat().st_mode & 0o777))[0],
        )
        book.add(at(1)), book.add(at(2))
        book.close()
    finally:
        os.umask(old)
    assert path.stat().st_mode & 0o777 == 0o600
    assert seen == [0o600, 0o600]


@pytest.mark.parametrize(
    ("table", "column", "value"),
    [
        ("attempts", "at", "0001-01-01T00:00:00+14:00"),
        ("attempts", "at", b"bytes"),
        ("attempts", "load", "[" * 90_000),
        ("attempts", "load", "{"),
        ("attempts", "tempo", "fast"),
        ("attempts", "verdict", "so-so"),
        ("attempts", "note", b"\xff"),
        ("takes", "found", '{"advice": 5}'),
        ("takes", "found", '{"constants": []}'),
        ("takes", "speed", "5"),
        ("takes", "tempo", 1e300),
    ],
)
def test_odd_rows_are_left_out_and_said_and_the_rest_is_shown(path, table, column, value):
    from deft_reach.store.log_entries import TakeEntry

    log = PracticeLog(path)
    for k in range(3):
        log.add(at(k))
        log.add(TakeEntry(at(k).at, "storm", "Storm", 90.0 + k, "clean", {"advice": ["Fine."]}))
    other = sqlite3.connect(path)
    other.execute(f"UPDATE {table} SET {column} = ? WHERE id = 2", (value,))
    other.commit()
    other.close()
    rows = log.newest(9)
    assert len(rows) == 5
    assert [row.id for row in (log.attempts() if table == "attempts" else log.takes())] == [1, 3]
    log.played(), log.worked(), log.speed_rows(9), log.points("storm", 9), log.rung_tries("storm", 9)
    assert "Some entries of the logbook cannot be read" in "".join(log.news())
    log.close()
