"""Entries of before documents had ids find the document they belong to, and no other one gets them."""

import json
from dataclasses import replace

import pytest

from deft_reach.core.document import Document, Plan, Score, new_document
from deft_reach.core.practice.progress_log import CLEAN, DRAFTED, progress
from deft_reach.formats.document import dump_document, load_document
from deft_reach.store.log_entries import TakeEntry
from deft_reach.store.log_exchange import from_json, to_json
from deft_reach.store.practice_log import PracticeLog
from tests.store.conftest import NOW, attempt


def document(id, name="Storm", text="R L R L"):
    return Document(
        id=id,
        players=new_document().players,
        kits=new_document().kits,
        patterns=(Score("pattern-1", name, text),),
        plans=(Plan("plan-1", name, "pattern-1", "five", "player", 90.0),),
    )


def bare(name="Storm", text="R L R L", **more):
    return replace(attempt(plan="plan-1", **more), plan_name=name, text=text)


@pytest.fixture
def log(tmp_path):
    made = PracticeLog(tmp_path / "book.sqlite")
    yield made
    made.close()


def test_documents_of_two_files_do_not_share_the_practice_of_plans_called_alike(log):
    one, other = document("one"), document("other", "Calm", "L R L R")
    log.add(replace(attempt(90.0), plan=one.practice_id("plan-1")))
    assert [row.state for row in progress(one, log.played())] == [CLEAN]
    assert [row.state for row in progress(other, log.played())] == [DRAFTED]


def test_a_document_takes_over_what_has_its_names_its_texts_or_its_commitments(log):
    log.add(bare())
    log.add(bare("What it was called before"))
    log.add(bare("Calm", "L R L R", tempo=120.0))
    log.add(TakeEntry(NOW.isoformat(), "plan-1", "Storm", 90.0, "clean", {}))
    log.adopt(document("one"))
    assert len(log.attempts("one/plan-1")) == 2 and len(log.takes("one/plan-1")) == 1
    assert log.news() == ["3 entries of before documents had ids are this document's now."]
    # The sums are those of the entries: what is left is another document's.
    assert {plan: row.attempts for plan, row in log.played().items()} == {"one/plan-1": 2, "plan-1": 1}
    assert log.played()["one/plan-1"].clean == 90.0 and log.played()["plan-1"].clean == 120.0
    log.adopt(document("other", "Calm", "L R L R"))
    assert [row.tempo for row in log.attempts("other/plan-1")] == [120.0]
    log.adopt(document("third"))
    assert log.attempts("third/plan-1") == [] and len(log.attempts("one/plan-1")) == 2


def test_it_waits_until_the_logbook_can_be_opened_and_takes_over_what_waited(tmp_path):
    first = PracticeLog(tmp_path / "book.sqlite")
    first.add(bare())
    first.close()
    log = PracticeLog(tmp_path / "book.sqlite")
    log.adopt(document("one"))
    assert log.played()["one/plan-1"].attempts == 1
    log.close()


def test_an_old_export_that_is_read_again_adds_nothing_after_its_entries_were_taken_over(log):
    log.add(bare())
    old = to_json(log.book)
    log.adopt(document("one"))
    assert from_json(log.book, old) == 0
    assert json.loads(to_json(log.book))["attempts"][0]["plan"] == "one/plan-1"


def test_a_file_without_an_id_has_the_same_one_each_time_and_keeps_it_when_saved():
    raw = json.loads(dump_document(document("one")))
    del raw["id"]
    data = json.dumps(raw).encode()
    first, again = load_document(data), load_document(data)
    assert first.id and first.id == again.id
    assert load_document(dump_document(first)).id == first.id
    assert new_document().id != new_document().id
