"""The logbook out and in: nothing is lost on the way, and whatever is no logbook is refused as a whole."""

import csv
import io
import json
from dataclasses import asdict
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.store.log_entries import Attempt, LogbookError, TakeEntry
from deft_reach.store.log_exchange import from_csv, from_json, to_csv, to_json
from deft_reach.store.logbook import Logbook
from deft_reach.store.practice_log import PracticeLog
from tests.store.conftest import NOW, attempt


def test_out_and_in_again(book, tmp_path):
    for k in range(5):
        book.add(attempt(90 + k, at=NOW + timedelta(minutes=k), load={"L": 1.0}, note='ü, "quoted"\nand more'))
    book.add(TakeEntry(NOW.isoformat(), "storm", "Storm", 92.0, "rough", {"x": 1}))
    for name, text, read in (("a", to_json(book), from_json), ("b", to_csv(book), from_csv)):
        other = Logbook(tmp_path / f"{name}.sqlite")
        count = read(other, text)
        assert count == (6 if name == "a" else 5)
        assert read(other, text) == 0, "what is there already is not added twice"
        strip = lambda rows: [{**row.__dict__, "id": None, "session": None} for row in rows]  # noqa: E731
        assert strip(other.attempts()) == strip(book.attempts())
        other.close()
    assert json.loads(to_json(book))["format"] == "deft-reach-logbook"


def test_entries_of_one_second_are_one_only_if_they_are_alike(book, tmp_path):
    """Two stages tried within a second, a note more, and the same attempt twice are four entries."""
    rows = [attempt(), attempt(stage="hands"), attempt(note="sloppy"), attempt(), attempt(tempo=91)]
    for row in rows:
        book.add(row)
    for text, read in ((to_json(book), from_json), (to_csv(book), from_csv)):
        other = Logbook(tmp_path / f"{read.__name__}.sqlite")
        other.add(attempt(stage="hands"))
        assert read(other, text) == 4
        assert read(other, text) == 0 and len(other.attempts()) == 5
        other.close()


@pytest.mark.parametrize(
    ("read", "text", "words"),
    [
        (from_json, "{", "cannot be read"),
        (from_json, "[1]", "no logbook"),
        (from_json, '{"format": "deft-reach-logbook", "version": 77}', "version 77"),
        (from_json, '{"format": "deft-reach-logbook", "attempts": [{"at": 1}]}', "cannot be read"),
        (from_csv, "a,b\n1,2\n", "lacks"),
        (from_csv, "at,plan,plan_name,text,stage,tempo,verdict\nx,p,P,R,e,fast,clean\n", "line 2"),
    ],
)
def test_what_is_no_logbook_is_refused_and_nothing_changes(book, read, text, words):
    book.add(attempt())
    with pytest.raises(LogbookError, match=words):
        read(book, text)
    assert len(book.attempts()) == 1


values = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=4), st.just([]), st.just({"R": "x"}),
    st.just([["left", 1.0, True]]),
)  # fmt: skip
names = (
    "at",
    "plan",
    "tempo",
    "verdict",
    "repeats",
    "seconds",
    "pace",
    "load",
    "note",
    "held_by",
    "found",
    "speed",
    "text",
)


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(["attempts", "takes"]), st.dictionaries(st.sampled_from(names), values, max_size=2))
def test_one_wrong_field_is_refused_or_does_no_harm(kind, changes):
    """Whatever comes in can be read, summed up and sent out again."""
    take = TakeEntry(NOW.isoformat(), "storm", "Storm", 92.0, "rough", {})
    row = asdict(attempt(pace=1.0, held_by="left") if kind == "attempts" else take)
    text = json.dumps({"format": "deft-reach-logbook", "version": 1, kind: [{**row, **changes}]})
    with TemporaryDirectory() as folder:
        log = PracticeLog(Path(folder) / "book.sqlite")
        try:
            added = from_json(log.book, text)
        except LogbookError:
            assert log.count() == 0
        else:
            assert added == 1 == log.count() == len(log.newest(3))
            log.played(), log.worked(), log.points("storm", 9), log.speed_rows(5)
            assert json.loads(to_json(log.book))[kind] and to_csv(log.book) and not log.problem
        log.close()


NOTES = ['=HYPERLINK("x")', "+1", "-2", "@a", "\tb", "'quoted", "'", "''", "plain", "'=1", ""]


def test_a_table_is_no_formula_to_a_spreadsheet_and_comes_back_letter_for_letter(tmp_path):
    book = Logbook(tmp_path / "a.sqlite")
    for k, note in enumerate(NOTES):
        book.add(
            Attempt(f"2026-03-01T19:{k:02d}:00+00:00", "p", note or "P", "R L", "everything", 100, "clean", note=note)
        )
    text = to_csv(book)
    for row in csv.reader(io.StringIO(text)):
        assert not any(cell[:1] in ("=", "+", "-", "@", "\t", "\r") for cell in row), row
    other = Logbook(tmp_path / "b.sqlite")
    assert from_csv(other, text) == len(NOTES)
    assert [row.note for row in other.attempts()] == NOTES
    assert [row.plan_name for row in other.attempts()] == [note or "P" for note in NOTES]
    book.close()
    other.close()


@pytest.mark.parametrize(("write", "read"), [(to_csv, from_csv), (to_json, from_json)])
def test_a_byte_order_mark_does_no_harm(tmp_path, write, read):
    book, other = Logbook(tmp_path / "a.sqlite"), Logbook(tmp_path / "b.sqlite")
    book.add(Attempt("2026-03-01T19:00:00+00:00", "p", "P", "R L", "everything", 100, "clean"))
    assert read(other, "\ufeff" + write(book)) == 1
    book.close()
    other.close()
