"""What a document may hold: the same as its schema says, refused while editing, so that what is saved can be read."""

import dataclasses

import pytest

from deft_reach.core.document import Candidate, Commitment, Document, Plan, Score, Section, Song, new_document
from deft_reach.core.document.limits import LIMITS, beyond_limits
from deft_reach.core.model.kit import Kit, Piece, Reading
from deft_reach.core.model.player import Player
from deft_reach.core.session import Session
from deft_reach.formats.document import dump_document, load_document, schema

DEFINITIONS = {
    Player: "player", Kit: "kit", Piece: "piece", Reading: "reading", Score: "pattern", Plan: "plan",
    Candidate: "candidate", Song: "song", Section: "section", Commitment: "commitment",
}  # fmt: skip


def properties(kind):
    rules = schema()
    return rules["properties"] if kind is Document else rules["$defs"][DEFINITIONS[kind]]["properties"]


@pytest.mark.parametrize("kind", LIMITS, ids=lambda kind: kind.__name__)
def test_the_limits_are_those_of_the_schema(kind):
    written = {}
    for name, rules in properties(kind).items():
        for word in ("maxLength", "maxItems"):
            if word in rules:
                written[name] = rules[word]
    assert written == dict(LIMITS[kind])
    assert set(written) <= {field.name for field in dataclasses.fields(kind)}


def test_a_text_too_long_for_the_file_is_refused_and_the_rest_can_be_saved():
    session = Session(new_document())
    session.strokes.set_text("R L " * 10)
    said = []
    session.refused.connect(lambda: said.append(session.refusal))
    session.strokes.set_text("R" * 1_000_001)
    assert session.text == "R L " * 10 and session.undo_label == "Typing"
    assert said == [
        "The stroke text would have 1,000,001 characters; at most 1,000,000 fit in a file. Nothing was changed."
    ]
    session.strokes.set_text("R" * 1_000_000)
    assert len(said) == 1
    saved = load_document(dump_document(session.document))
    assert saved == session.document


def test_notes_names_and_lists_are_held_to_their_limits_too():
    session = Session(new_document())
    session.plans.change_plan("Note", note="n" * 5_001)
    assert "plan's note would have 5,001 characters" in session.refusal
    session.plans.change_plan("Rename", name="n" * 201)
    assert "plan's name would have 201" in session.refusal
    many = tuple(Candidate(f"{k}", "R") for k in range(51))
    session.plans.change_plan("Keep", candidates=many)
    assert "kept stickings would have 51 items; at most 50" in session.refusal
    assert session.undo_label is None
    plan = session.document.plans[0]
    song = Song("s", "Show", tuple(Section(plan.id) for _ in range(2_001)))
    assert "song's sections would have 2,001" in beyond_limits(session.document.with_song(song), session.document)


def test_what_was_too_large_already_does_not_stop_other_edits():
    """A document that got so by another way can still be repaired."""
    large = dataclasses.replace(new_document(), patterns=(Score("pattern-1", "First", "R" * 1_000_001),))
    plan = large.plans[0]
    assert beyond_limits(large.with_plan(dataclasses.replace(plan, tempo=99.0)), large) is None
    assert beyond_limits(large.with_text(plan, "R L"), large) is None
