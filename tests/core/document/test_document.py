"""The document: finding things, adding and removing plans, and what changed since a commitment."""

import json
from dataclasses import replace

import pytest

from deft_reach.core import Player, layout
from deft_reach.core.analysis.difficulty import MODEL
from deft_reach.core.document import (
    Document,
    MissingError,
    Plan,
    Score,
    Section,
    Song,
    analyse_plan,
    changes_since,
    commit,
    new_document,
)
from deft_reach.formats.document import dump_document, load_document

NOW = "2026-11-20T20:00:00+00:00"


@pytest.fixture
def document() -> Document:
    base = new_document()
    plan = base.plans[0]
    other = replace(plan, id="plan-2", name="Second", pattern="pattern-2")
    shared = replace(plan, id="plan-3", name="Third")
    base = base.with_score(Score("pattern-2", "Second", "L R")).with_plan(other).with_plan(shared)
    return replace(base, songs=(Song("song", "Set", (Section("plan-1", 2), Section("plan-2"))),))


def test_plans_are_found_by_id_or_by_name_in_any_case(document):
    assert document.plan("plan-2").name == "Second"
    assert document.plan("sEcOnD").id == "plan-2"
    with pytest.raises(MissingError) as caught:
        document.plan("fourth")
    assert str(caught.value) == "there is no plan 'fourth' in 'Untitled'; there are 'First plan', 'Second', 'Third'"


def test_an_id_goes_before_a_name():
    document = new_document()
    odd = replace(document.plans[0], id="x", name="plan-1")
    assert document.with_plan(odd).plan("plan-1").id == "plan-1"


@pytest.mark.parametrize("find", ["score", "kit", "player"])
def test_what_is_not_there_is_named(document, find):
    with pytest.raises(MissingError, match="'attic'"):
        getattr(document, find)("attic")


def test_free_ids_and_names_are_free(document):
    assert document.free_id("plan") == "plan-4" and document.free_id("pattern") == "pattern-3"
    assert document.free_plan_name("Second") == "Second 2"
    assert document.free_plan_name("New") == "New"


def test_a_removed_plan_takes_its_pattern_only_if_nobody_else_plays_it(document):
    without = document.without_plan("plan-2")
    assert [s.id for s in without.patterns] == ["pattern-1"]
    assert [s.plan for s in without.songs[0].sections] == ["plan-1"]
    assert {s.id for s in document.without_plan("plan-1").patterns} == {"pattern-1", "pattern-2"}


def test_changing_a_plan_leaves_everything_else_the_same_object(document):
    changed = document.with_text(document.plan("plan-2"), "L L")
    assert changed.score("pattern-2").text == "L L"
    assert changed.plans is document.plans and changed.kits is document.kits
    assert document.score("pattern-2").text == "L R", "documents are values"


def since(document: Document, changed: Document) -> list[str]:
    """What differs from a commitment of the first plan made on ``document``."""
    plan = document.plans[0]
    made = commit(document, plan, analyse_plan(document, plan), "", NOW, "0").commitments[0]
    now = changed.plans[0]
    return [str(line) for line in changes_since(made, changed, now, analyse_plan(changed, now))]


def test_each_kind_of_change_is_named(document):
    plan, kit = document.plans[0], document.kits[0]
    text = document.score(plan.pattern).text
    tom = kit.piece("ft")
    assert since(document, document) == []
    assert "2 more" not in " ".join(since(document, document.with_text(plan, text)))
    cases = {
        "1 limb changed": document.with_text(plan, text.replace("R L", "L L", 1)),
        "1 voice changed": document.with_text(plan, text.replace("R", "R@t1", 1)),
        "1 mark changed": document.with_text(plan, text.replace("R", "R>", 1)),
        "7 places in time changed": document.with_text(plan, text.replace("R", "R =", 1).replace("|", "")),
        "4 strokes instead of 8": document.with_text(plan, "R L R L"),
        "home tempo 90 → 91 BPM": document.with_plan(replace(plan, tempo=91.0)),
        "played as a loop": document.with_plan(replace(plan, repeat=True)),
        "floor tom moved 50 mm": document.with_kit(kit.with_piece(tom.moved(tom.x + 30, tom.y + 40))),
        "floor tom changed": document.with_kit(kit.with_piece(replace(tom, diameter=300.0))),
        "floor tom removed": document.with_kit(replace(kit, pieces=tuple(p for p in kit if p.code != "ft"))),
        "plank added": document.with_kit(kit.with_piece(replace(tom, code="pl", name="plank"))),
        "another player or other measures (Tall)": document.with_player(Player(name="Tall", stature_mm=1900)),
    }
    for words, changed in cases.items():
        assert words in since(document, changed), words


def test_what_the_change_did_to_the_verdict_is_said(document):
    plan = document.plans[0]
    slower = document.with_text(plan, "R R@ft R R@ft L L L L |".replace("|", ""))
    lines = since(document, slower)
    assert any(line.startswith("breaks at ") for line in lines) and any(line.startswith("ease ") for line in lines)


def test_another_kit_is_named():
    document = new_document().with_kit(layout("large"))
    plan = document.plans[0]
    assert "kit 'five' → 'large'" in since(document, document.with_plan(replace(plan, kit="large")))


def test_a_new_document_can_be_played_as_it_stands():
    document = new_document()
    report = analyse_plan(document, document.plans[0])
    assert report.summary.strokes == 8 and report.worst in (None, "note")
    assert isinstance(document.plans[0], Plan)


def test_a_commitment_of_an_older_model_keeps_its_verdict_and_says_so(document):
    plan = document.plans[0]
    report = analyse_plan(document, plan)
    made = commit(document, plan, report, "", NOW, "0").commitments[0]
    assert made.model == MODEL
    older = replace(made, model=MODEL - 1, ease=made.ease / 2, tempo_limit=made.tempo_limit * 1.5)
    lines = [str(line) for line in changes_since(older, document, plan, report)]
    assert lines[0] == "judged by another version of the model since" and len(lines) == 3
    assert changes_since(replace(made, model=MODEL - 1), document, plan, report) == [], "as judged before"
    kept = load_document(dump_document(replace(document, commitments=(older,)))).commitments[0]
    assert kept == older
    bare = json.loads(dump_document(replace(document, commitments=(made,))))
    del bare["commitments"][0]["model"]
    assert load_document(json.dumps(bare).encode()).commitments[0].model == 1
