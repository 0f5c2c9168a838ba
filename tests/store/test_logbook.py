"""The logbook: nothing is lost, and whatever is wrong is said: in the manner in which databases are tested."""

import json
import os
import sqlite3
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from deft_reach.store import logbook as module
from deft_reach.store.log_shelf import LogShelf
from deft_reach.store.logbook import Attempt, Logbook, LogbookError, TakeEntry

NOW = datetime(2026, 3, 1, 19, 30, tzinfo=UTC)


def attempt(tempo=90.0, verdict="clean", plan="storm", at=NOW, **more):
    return Attempt(at.isoformat(), plan, plan.title(), "R L R L", "everything", tempo, verdict, 4, 12.5, **more)


@pytest.fixture
def book(tmp_path):
    made = Logbook(tmp_path / "log" / "book.sqlite", clock=lambda: NOW)
    yield made
    made.close()


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


def test_the_short_way_to_read_says_what_the_long_one_does(book):
    """Lines and busy limbs, with one entry that still waits to be written."""
    loads = [{"R": 5.5, "K": 2.0}, {}, {"R": 1.5, "L": 3.0}]
    for k, load in enumerate(loads):
        book.add(
            attempt(90.0 + k, ["clean", "rough", "not-yet"][k], "ab"[k % 2], NOW + timedelta(hours=k), load=load)
        )
    shelf = LogShelf(book.path)
    shelf.waiting.append(attempt(99.0, load={"L": 60.0}))
    rows = shelf.attempts()
    assert shelf.lines() == [(a.at, a.plan, a.stage, a.tempo, a.verdict, a.seconds) for a in rows] and len(rows) == 4
    assert shelf.minutes_by_limb() == pytest.approx({"R": 7 / 60, "K": 2 / 60, "L": 63 / 60})
    assert shelf.minutes_on(NOW.date()) == pytest.approx(4 * 12.5 / 60) and not shelf.minutes_on(
        NOW.date() - timedelta(days=1)
    )
    shelf.close()


CRASH = """
import os, sys
from pathlib import Path
from deft_reach.store.logbook import Attempt, Logbook
book = Logbook(Path(sys.argv[1]))
for k in range(10**6):
    book.add(Attempt("2026-03-01T19:30:00+00:00", "p", "P", "R", "everything", 60.0 + k, "clean"))
    print(k, flush=True)
"""


def test_a_crash_loses_nothing_that_was_written(tmp_path):
    path = tmp_path / "book.sqlite"
    process = subprocess.Popen([sys.executable, "-c", CRASH, str(path)], stdout=subprocess.PIPE, text=True)
    said = -1
    while said < 40:
        said = int(process.stdout.readline())
    process.kill()
    rest = process.stdout.read().split()
    process.wait()
    said = max([said, *(int(word) for word in rest if word.isdigit())])
    book = Logbook(path)
    tempi = [row.tempo for row in book.attempts()]
    assert len(tempi) in (said + 1, said + 2) and tempi == [60.0 + k for k in range(len(tempi))]
    assert not book.remarks
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
    assert "damaged" in book.remarks[0] and book.attempts() == []
    aside = path.with_name("book.sqlite.damaged-20260301-193000")
    assert aside.read_bytes() == kept
    book.add(attempt())
    assert len(book.attempts()) == 1
    book.close()


def test_a_locked_logbook_says_so_and_the_entry_can_be_written_later(book, monkeypatch):
    other = sqlite3.connect(book.path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    book._base.execute("PRAGMA busy_timeout = 50")
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
    book._base.execute("PRAGMA query_only = ON")
    with pytest.raises(LogbookError, match="read-only"):
        book.add(attempt())
    assert len(book.attempts()) == 1, "reading goes on"


def test_a_full_disk_says_so_and_loses_nothing(book):
    book.add(attempt())
    pages = book._base.execute("PRAGMA page_count").fetchone()[0]
    book._base.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(LogbookError, match="disk is full"):
        for _ in range(50):
            book.add(attempt(note="y" * 3000))
    count = len(book.attempts())
    book._base.execute("PRAGMA max_page_count = 1000000")
    book.add(attempt())
    assert len(book.attempts()) == count + 1


def test_a_folder_that_cannot_be_made_says_so(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(LogbookError, match="folder cannot be made"):
        Logbook(tmp_path / "file" / "book.sqlite")


def test_a_newer_logbook_is_left_alone(book):
    book.add(attempt())
    book._base.execute("PRAGMA user_version = 99")
    book.close()
    before = book.path.read_bytes()
    with pytest.raises(LogbookError, match="newer Deft Reach"):
        Logbook(book.path)
    assert book.path.read_bytes() == before


def test_an_older_logbook_is_copied_and_brought_up_to_date(book, monkeypatch):
    book.add(attempt())
    book.close()
    before = book.path.read_bytes()
    monkeypatch.setattr(module, "VERSION", 3)
    monkeypatch.setattr(
        module, "MIGRATIONS", {1: "ALTER TABLE sessions ADD COLUMN place TEXT", 2: "CREATE TABLE more (x)"}
    )
    new = Logbook(book.path)
    assert "version-1" in new.remarks[0] and len(new.attempts()) == 1
    assert new._base.execute("PRAGMA user_version").fetchone()[0] == 3
    new.close()
    copy = sqlite3.connect(book.path.with_name("book.sqlite.version-1"))
    assert copy.execute("SELECT count(*) FROM attempts").fetchone()[0] == 1
    copy.close()
    assert before


def test_a_migration_that_fails_leaves_everything_as_it_was(book, monkeypatch):
    book.add(attempt())
    book.close()
    monkeypatch.setattr(module, "VERSION", 2)
    monkeypatch.setattr(module, "MIGRATIONS", {1: "CREATE TABLE half (x); ALTER TABLE nowhere ADD COLUMN y"})
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


def test_out_and_in_again(book, tmp_path):
    for k in range(5):
        book.add(attempt(90 + k, at=NOW + timedelta(minutes=k), load={"L": 1.0}, note='ü, "quoted"\nand more'))
    book.add(TakeEntry(NOW.isoformat(), "storm", "Storm", 92.0, "rough", {"x": 1}))
    for name, text, read in (("a", book.to_json(), "from_json"), ("b", book.to_csv(), "from_csv")):
        other = Logbook(tmp_path / f"{name}.sqlite")
        count = getattr(other, read)(text)
        assert count == (6 if name == "a" else 5)
        assert getattr(other, read)(text) == 0, "what is there already is not added twice"
        strip = lambda rows: [{**row.__dict__, "id": None, "session": None} for row in rows]  # noqa: E731
        assert strip(other.attempts()) == strip(book.attempts())
        other.close()
    assert json.loads(book.to_json())["format"] == "deft-reach-logbook"


@pytest.mark.parametrize(
    ("read", "text", "words"),
    [
        ("from_json", "{", "cannot be read"),
        ("from_json", "[1]", "no logbook"),
        ("from_json", '{"format": "deft-reach-logbook", "version": 77}', "version 77"),
        ("from_json", '{"format": "deft-reach-logbook", "attempts": [{"at": 1}]}', "cannot be read"),
        ("from_csv", "a,b\n1,2\n", "lacks"),
        ("from_csv", "at,plan,plan_name,text,stage,tempo,verdict\nx,p,P,R,e,fast,clean\n", "line 2"),
    ],
)
def test_what_is_no_logbook_is_refused_and_nothing_changes(book, read, text, words):
    book.add(attempt())
    with pytest.raises(LogbookError, match=words):
        getattr(book, read)(text)
    assert len(book.attempts()) == 1


def test_the_place_is_the_users_data_directory(monkeypatch, tmp_path):
    from deft_reach.store.places import logbook_file

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert logbook_file() == Path(tmp_path) / "deft-reach" / "logbook.sqlite"
