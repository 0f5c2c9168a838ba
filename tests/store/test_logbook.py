"""The logbook: nothing is lost, and whatever is wrong is said: in the manner in which databases are tested."""

import os
import random
import signal
import sqlite3
import time
from collections import Counter
from contextlib import closing
from dataclasses import replace
from datetime import date, timedelta
from itertools import count
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core.practice.progress_log import WHOLE, day_of, tally, when
from deft_reach.core.practice.resuming import RungTry
from deft_reach.core.practice.verdicts import VERDICTS
from deft_reach.store import logbook as module
from deft_reach.store.log_entries import Attempt, LogbookError, TakeEntry
from deft_reach.store.log_schema import VERSION
from deft_reach.store.logbook import Logbook
from deft_reach.store.practice_log import PracticeLog
from tests.store.conftest import NOW, attempt


def test_what_is_written_is_read_back(book):
    session = book.begin_session("evening")
    one = attempt(session=session, load={"R": 5.5}, pace=1.1, held_by="hands", target=118.0, note="tired")
    assert book.add(one) == 1
    book.add(TakeEntry(NOW.isoformat(), "storm", "Storm", 92.0, "rough", {"limbs": {"R": {"bias_ms": 3.0}}}, session))
    book.end_session(session, "good")
    again = Logbook(book.path)
    [row] = again.attempts()
    assert row == one.__class__(**{**one.__dict__, "id": 1})
    assert again.takes()[0].found["limbs"]["R"]["bias_ms"] == 3.0
    [entry] = again.sessions()
    assert entry.note == "good" and entry.ended == NOW.isoformat(timespec="seconds")
    assert again.attempts("storm") and not again.attempts("other")
    again.close()


ZONES = ("+00:00", "+09:00", "-05:00")
entries = st.builds(
    lambda day, hour, zone, plan, stage, tempo, verdict, load, seconds: Attempt(
        f"2026-03-{day:02}T{hour:02}:30:00{zone}", plan, plan.title(), "R L", stage, tempo, verdict, 4, seconds,
        load=load,
    ),
    st.integers(1, 20), st.integers(0, 23), st.sampled_from(ZONES), st.sampled_from("ab"),
    st.sampled_from(["everything", "between grooves", "with the feet"]), st.sampled_from([80.0, 90.5, 100.0]),
    st.sampled_from(VERDICTS), st.dictionaries(st.sampled_from("RLK"), st.integers(0, 60), max_size=3),
    st.integers(0, 90).map(float),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(rows=st.lists(entries, max_size=40), waits=st.integers(0, 3))
def test_the_short_ways_to_read_say_what_all_entries_do(rows, waits):
    """Sums that are kept, and what still waits to be written, against a walk through every entry."""
    with TemporaryDirectory() as folder:
        log = PracticeLog(Path(folder) / "book.sqlite")
        written = len(rows) - min(waits, len(rows))
        for row in rows[:written]:
            log.book.add(row)
        log.waiting += rows[written:]
        assert [row.at for row in log.attempts()] == [row.at for row in rows]
        assert log.played() == tally(rows)
        for plan in "ab":
            mine = [row for row in rows if row.plan == plan]
            whole = [(when(row.at), row.tempo, row.verdict) for row in mine if row.stage in WHOLE]
            assert log.points(plan, 100) == sorted(whole)
            if not waits:
                assert log.points(plan, 5) == sorted(whole[-5:]), "the newest as they were made"
            tries = [RungTry(row.stage, row.tempo, row.verdict, day_of(row.at)) for row in mine]
            assert log.rung_tries(plan, 100) == tries and log.rung_tries(plan, 3) == tries[-3:]
        days, limbs = Counter(), Counter()
        for row in rows:
            days[date.fromisoformat(row.at[:10])] += row.seconds / 60
            limbs.update({limb: seconds / 60 for limb, seconds in row.load.items()})
        worked = log.worked()
        assert worked.days == pytest.approx(days) and worked.limbs == pytest.approx(limbs)
        assert log.minutes_on(date(2026, 3, 5)) == pytest.approx(days[date(2026, 3, 5)])
        assert log.count() == len(rows)
        newest = log.newest(5)
        assert len(newest) == min(5, len(rows)) and newest == sorted(newest, key=lambda row: row.at, reverse=True)
        log.close()


def test_takes_and_attempts_say_how_fast_a_player_is(book):
    log = PracticeLog(book.path)
    book.add(attempt(pace=1.1, held_by="right moves"))
    book.add(attempt(verdict="rough"))
    take = TakeEntry(NOW.isoformat(), "storm", "Storm", 92.0, "rough", {}, speed=[("left", 1.3, False)])
    book.add(take)
    log.waiting += [
        attempt(pace=0.9, held_by="feet", verdict="rough"),
        replace(take, speed=(("right", 1.0, True),)),
    ]
    where = (NOW.date(), "storm")
    rows = [("right moves", 1.1, True), ("left", 1.3, False), ("feet", 0.9, False), ("right", 1.0, True)]
    assert log.speed_rows(10) == [(*row, *where) for row in rows]
    assert [row.speed for row in log.takes()] == [(("left", 1.3, False),), (("right", 1.0, True),)]
    assert [type(row).__name__ for row in log.newest(9)].count("TakeEntry") == 2 and log.count() == 5
    log.waiting.clear()
    book.add(attempt(pace=2.0, held_by="feet"))
    assert log.speed_rows(1)[0] == ("feet", 2.0, True, *where), "the newest count"
    log.close()


def _write_until_killed(path, said):
    """In a process of its own: attempts and takes as quickly as it goes, each told once it is written."""
    book = Logbook(path)
    begin = len(book.attempts())
    for k in count(begin):
        book.add(attempt(60.0 + k, load={"R": 1.0}))
        os.write(said, b".")


def test_killed_in_mid_write_a_hundred_times_nothing_that_was_written_is_lost(tmp_path):
    path = tmp_path / "book.sqlite"
    Logbook(path).close()
    rng, told = random.Random(7), 0
    for _ in range(100):
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            try:
                _write_until_killed(path, write)
            finally:
                os._exit(1)
        os.close(write)
        # Killed at any moment: while it opens, writes or waits for the disk.
        wanted = rng.randrange(4)
        while wanted and os.read(read, 1):
            told, wanted = told + 1, wanted - 1
        time.sleep(rng.random() * 0.004)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        told += len(os.read(read, 1 << 16))
        os.close(read)
    book = Logbook(path)
    tempi = [row.tempo for row in book.attempts()]
    assert tempi == [60.0 + k for k in range(len(tempi))], "in their order, none twice, none half"
    # The last one of each time may be on disk without having been told.
    assert told <= len(tempi) <= told + 100 and told > 100
    played = book.played()["storm"]
    assert (played.attempts, played.clean) == (len(tempi), tempi[-1]), "sums go with what they sum up"
    assert book.worked()["2026-03-01", "R"] == len(tempi) and not book.remarks
    book.close()


@pytest.mark.parametrize("damage", ["head", "middle", "text", "other"])
def test_a_damaged_logbook_is_moved_aside_and_kept(tmp_path, damage):
    path = tmp_path / "book.sqlite"
    book = Logbook(path)
    for k in range(200):
        book.add(attempt(60 + k, note="x" * 200))
    book.close()
    if damage == "text":
        path.write_text("this is no database, and longer than a hundred characters " * 4)
    elif damage == "other":
        path.unlink()
        other = sqlite3.connect(path)
        other.execute("CREATE TABLE something (x)")
        other.commit()
        other.close()
    else:
        raw = bytearray(path.read_bytes())
        place = 0 if damage == "head" else 4096 * 3
        raw[place : place + 900] = os.urandom(900)
        path.write_bytes(raw)
    kept = path.read_bytes()
    book = Logbook(path, clock=lambda: NOW)
    assert "damaged" in book.remarks[0]
    # A page in the middle takes some rows with it at most, a lost head takes all.
    saved = len(book.attempts())
    assert 150 <= saved <= 200 if damage == "middle" else saved == 0
    lost = 200 - saved
    said = f"{saved} entries saved from it; {lost or 'none'}{' entries' * (lost > 0)} could not be read"
    assert (said in book.remarks[0]) == (saved > 0)
    aside = path.with_name("book.sqlite.damaged-20260301-193000")
    assert aside.read_bytes() == kept
    book.add(attempt(tempo=61.5))
    assert len(book.attempts()) == saved + 1
    assert saved == 0 or book.played()["storm"].attempts == saved + 1, "sums are of what was saved"
    book.close()
    again = Logbook(path)
    assert not again.remarks and len(again.attempts()) == saved + 1
    again.close()


def test_a_journal_goes_aside_with_the_logbook_it_belongs_to(tmp_path, monkeypatch):
    """Whole or not, it may be what makes the damaged file readable, and it must not meet the new one."""
    path = tmp_path / "book.sqlite"
    Logbook(path).close()
    for part in ("-journal", "-wal"):
        path.with_name(path.name + part).write_bytes(part.encode())
    real, tries = Logbook.connect, []

    def connect(self):
        tries.append(self.path)
        if len(tries) == 1:
            self.connection = sqlite3.connect(":memory:")
            raise sqlite3.DatabaseError("database disk image is malformed")
        real(self)

    monkeypatch.setattr(Logbook, "connect", connect)
    Logbook(path, clock=lambda: NOW).close()
    for part in ("-journal", "-wal"):
        assert path.with_name(f"book.sqlite.damaged-20260301-193000{part}").read_bytes() == part.encode()
        assert not path.with_name(path.name + part).exists()


def test_rows_on_both_sides_of_a_damaged_page_are_saved(tmp_path):
    path = tmp_path / "book.sqlite"
    book = Logbook(path)
    for k in range(400):
        book.add(attempt(60 + k, note=f"row {k} " * 20))
    book.close()
    raw = bytearray(path.read_bytes())
    first, last = raw.index(b"row 150 "), raw.index(b"row 160 ")
    page = min(first, last) // 4096 * 4096
    raw[page : page + 4096] = b"\xff" * 4096
    path.write_bytes(raw)
    book = Logbook(path)
    tempi = {row.tempo for row in book.attempts()}
    assert {60.0, 459.0} <= tempi and 340 <= len(tempi) < 400, "all but those of that page"
    book.close()


def write_quickly(path, count):
    """A logbook of many attempts, none like another."""
    book = Logbook(path)
    with book._change():
        for k in range(count):
            entry = attempt(60.0 + k % 200, at=NOW + timedelta(seconds=k), note=f"row {k} " * 4)
            row = {**vars(entry), "load": "{}"}
            book.write("attempts", {name: value for name, value in row.items() if name != "id"})
    book.close()


def ruin(path, *marks):
    """Lose the pages that hold these texts; how many rows were in them."""
    raw = bytearray(path.read_bytes())
    rows = 0
    for page in {raw.index(mark) // 4096 * 4096 for mark in marks}:
        rows += raw[page : page + 4096].count(b"everything")
        raw[page : page + 4096] = b"\xff" * 4096
    path.write_bytes(raw)
    return rows


def test_of_a_long_logbook_only_the_damaged_pages_are_lost_and_it_says_how_many_entries(tmp_path):
    """Two pages far apart: what lies between them is most of it."""
    path = tmp_path / "book.sqlite"
    write_quickly(path, 23_000)
    lost = ruin(path, b"row 500 ", b"row 22500 ")
    book = Logbook(path)
    saved = {row.note.split()[1] for row in book.attempts()}
    assert len(saved) == 23_000 - lost and 20 < lost < 100 and {"500", "22500"}.isdisjoint(saved)
    assert f"with {len(saved):,} entries saved from it; {lost} entries could not be read" in book.remarks[0]
    book.close()


@pytest.mark.parametrize("lost", ["index", "first", "last", "every other"])
def test_whatever_pages_of_a_logbook_are_lost_the_others_are_read(tmp_path, lost):
    path = tmp_path / "book.sqlite"
    write_quickly(path, 3000)
    with closing(sqlite3.connect(path)) as base:
        root = base.execute("SELECT rootpage FROM sqlite_master WHERE name = 'attempts_of_plan'").fetchone()[0]
    marks = {
        "index": [b"row 1500 "],
        "first": [b"row 0 "],
        "last": [b"row 2999 "],
        "every other": [b"row %d " % k for k in range(100, 2900, 100)],
    }
    gone = ruin(path, *marks[lost])
    if lost == "index":
        raw = bytearray(path.read_bytes())
        raw[(root - 1) * 4096 : root * 4096] = b"\xff" * 4096
        path.write_bytes(raw)
    book = Logbook(path)
    assert len(book.attempts()) == 3000 - gone < 3000
    count = "whether it held more cannot be told" if lost == "index" else f"{gone} entries could not be read"
    assert count in book.remarks[0]
    book.close()


def test_a_locked_logbook_says_so_and_the_entry_can_be_written_later(book, monkeypatch):
    other = sqlite3.connect(book.path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    book.connection.execute("PRAGMA busy_timeout = 50")
    with pytest.raises(LogbookError, match="another program"):
        book.add(attempt())
    other.execute("ROLLBACK")
    other.close()
    assert book.add(attempt()) == 1


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_a_read_only_logbook_says_so(book):
    book.close()
    book.path.chmod(0o400)
    book.path.parent.chmod(0o500)
    try:
        again = Logbook(book.path)
        with pytest.raises(LogbookError, match=r"read-only|permissions"):
            again.add(attempt())
    finally:
        book.path.parent.chmod(0o700)


def test_a_logbook_opened_read_only_says_so(book):
    book.add(attempt())
    book.connection.execute("PRAGMA query_only = ON")
    with pytest.raises(LogbookError, match="read-only"):
        book.add(attempt())
    assert len(book.attempts()) == 1, "reading goes on"


def test_a_full_disk_says_so_and_loses_nothing(book):
    book.add(attempt())
    pages = book.connection.execute("PRAGMA page_count").fetchone()[0]
    book.connection.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(LogbookError, match="disk is full"):
        for _ in range(50):
            book.add(attempt(note="y" * 3000))
    count = len(book.attempts())
    book.connection.execute("PRAGMA max_page_count = 1000000")
    book.add(attempt())
    assert len(book.attempts()) == count + 1


def test_a_folder_that_cannot_be_made_says_so(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(LogbookError, match="folder cannot be made"):
        Logbook(tmp_path / "file" / "book.sqlite")


def test_a_newer_logbook_is_left_alone(book):
    book.add(attempt())
    book.connection.execute("PRAGMA user_version = 99")
    book.close()
    before = book.path.read_bytes()
    with pytest.raises(LogbookError, match="newer Deft Reach"):
        Logbook(book.path)
    assert book.path.read_bytes() == before


VERSION_1 = """
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
INSERT INTO attempts (at, plan, plan_name, text, stage, tempo, repeats, verdict, seconds, load) VALUES
    ('2026-02-01T18:00:00+00:00', 'storm', 'Storm', 'R L', 'everything', 90, 4, 'clean', 30, '{"R": 12, "K": 3}'),
    ('2026-02-01T18:01:00+00:00', 'storm', 'Storm', 'R L', 'with the feet', 95.0, 4, 'clean', 30.0, '{"R": 8.0}'),
    ('2026-02-02T18:01:00+09:00', 'storm', 'Storm', 'R L', 'everything', 99.0, 4, 'rough', 20.0, '{}');
INSERT INTO takes (at, plan, plan_name, tempo, verdict, found) VALUES
    ('2026-02-02T19:00:00+00:00', 'storm', 'Storm', 88.0, 'clean', '{"x": 1}');
PRAGMA user_version = 1;
"""


def test_a_logbook_of_version_1_is_copied_and_brought_up_to_date(tmp_path):
    path = tmp_path / "book.sqlite"
    with closing(sqlite3.connect(path)) as old:
        old.executescript(VERSION_1)
    before = path.read_bytes()
    book = Logbook(path)
    assert "version-1" in book.remarks[0] and path.with_name("book.sqlite.version-1").exists()
    assert path.read_bytes() != before
    book.add(attempt(99.5, at=NOW, load={"R": 1.0}))
    rows = book.attempts()
    assert [row.tempo for row in rows] == [90, 95, 99, 99.5] and book.takes()[0].speed == ()
    assert book.played() == tally(rows)
    assert book.worked() == {
        ("2026-02-01", ""): 60, ("2026-02-01", "R"): 20, ("2026-02-01", "K"): 3, ("2026-02-02", ""): 20,
        ("2026-03-01", ""): 12.5, ("2026-03-01", "R"): 1,
    }  # fmt: skip
    new = Logbook(tmp_path / "new.sqlite")
    made = "SELECT type, name FROM sqlite_master ORDER BY 1, 2"
    assert [tuple(r) for r in book.query(made)] == [tuple(r) for r in new.query(made)], "as if it were a new one"
    book.close()
    new.close()
    again = Logbook(path)
    assert not again.remarks and len(again.attempts()) == 4
    again.close()


def test_an_older_logbook_is_brought_up_to_date_step_by_step(book, monkeypatch):
    book.add(attempt())
    book.close()
    first, second = "ALTER TABLE sessions ADD COLUMN place TEXT", "CREATE TABLE more (x)"
    monkeypatch.setattr(module, "VERSION", VERSION + 2)
    monkeypatch.setattr(module, "MIGRATIONS", {VERSION: first, VERSION + 1: second})
    new = Logbook(book.path)
    assert f"version-{VERSION}" in new.remarks[0] and len(new.attempts()) == 1
    assert new.connection.execute("PRAGMA user_version").fetchone()[0] == VERSION + 2
    new.close()
    copy = sqlite3.connect(book.path.with_name(f"book.sqlite.version-{VERSION}"))
    assert copy.execute("SELECT count(*) FROM attempts").fetchone()[0] == 1
    copy.close()


def test_a_migration_that_fails_leaves_everything_as_it_was(book, monkeypatch):
    book.add(attempt())
    book.close()
    monkeypatch.setattr(module, "VERSION", VERSION + 1)
    monkeypatch.setattr(module, "MIGRATIONS", {VERSION: "CREATE TABLE half (x); ALTER TABLE nowhere ADD COLUMN y"})
    with pytest.raises(LogbookError, match="as it was"):
        Logbook(book.path)
    monkeypatch.undo()
    base = sqlite3.connect(book.path)
    assert base.execute("SELECT count(*) FROM attempts").fetchone()[0] == 1
    assert base.execute("SELECT count(*) FROM sqlite_master WHERE name = 'half'").fetchone()[0] == 0
    base.close()


def test_a_clock_that_goes_back_is_said_once_and_order_stays(book):
    book.add(attempt(90))
    book.add(attempt(91, at=NOW - timedelta(days=3)))
    book.add(attempt(92, at=NOW - timedelta(days=9)))
    assert [row.tempo for row in book.attempts()] == [90, 91, 92]
    assert sum("clock went back" in remark for remark in book.remarks) == 1


def test_the_place_is_the_users_data_directory(monkeypatch, tmp_path):
    from deft_reach.store.places import logbook_file

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert logbook_file() == Path(tmp_path) / "deft-reach" / "logbook.sqlite"
