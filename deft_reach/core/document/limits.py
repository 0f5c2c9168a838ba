"""How much a document may hold: the limits of its file format, kept while it is edited.

A document beyond them could be written and not be read again, so an edit that goes beyond is refused.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any, Final

from deft_reach.core.document import Candidate, Commitment, Document, Plan, Score, Section, Song
from deft_reach.core.model.kit import Kit, Piece, Reading
from deft_reach.core.model.player import Player

_NAME: Final = 200
_ID: Final = 100
_NOTE: Final = 5_000
_TEXT: Final = 1_000_000

#: The most characters of a text and the most items of a list, by record and field; the same as in the schema.
LIMITS: Final[Mapping[type, Mapping[str, int]]] = {
    Document: {
        "title": _NAME, "id": _ID, "players": 1_000, "kits": 1_000, "patterns": 20_000, "plans": 20_000,
        "songs": 5_000, "commitments": 50_000,
    },
    Player: {"id": _ID, "name": _NAME},
    Kit: {
        "id": _ID, "name": _NAME, "note": _NOTE, "pieces": 200, "readings": 2_000, "left": _ID, "right": _ID,
        "dimensions": 500,
    },
    Piece: {"name": _NAME, "zones": 20, "feet": 12},
    Reading: {"a": _ID, "b": _ID},
    Score: {"id": _ID, "name": _NAME, "text": _TEXT},
    Plan: {"id": _ID, "name": _NAME, "pattern": _ID, "kit": _ID, "player": _ID, "note": _NOTE, "candidates": 50},
    Candidate: {"name": _NAME, "text": 100_000},
    Song: {"id": _ID, "name": _NAME, "sections": 2_000, "kit": _ID},
    Section: {"plan": _ID},
    Commitment: {
        "id": _ID, "plan": _ID, "date": 40, "reason": _NOTE, "text": _TEXT, "accepted": 10_000, "app_version": 40,
    },
}  # fmt: skip
#: What a field is called in a sentence, where that is not its name.
_WORDS: Final = {
    (Score, "text"): "stroke text",
    (Candidate, "text"): "kept sticking",
    (Commitment, "reason"): "reason of the commitment",
    (Kit, "readings"): "tape readings",
    (Kit, "note"): "kit's note",
    (Plan, "note"): "plan's note",
    (Plan, "candidates"): "kept stickings",
    (Song, "sections"): "song's sections",
    (Document, "title"): "document's title",
}


def beyond_limits(document: Document, before: Document) -> str | None:
    """What an edit of ``before`` that gives ``document`` makes too large, as a sentence; None if nothing is.

    Only what the edit has changed is looked at.
    """
    return _beyond(document, before)


def _beyond(record: Any, before: Any) -> str | None:
    kind = type(record)
    for name, most in LIMITS.get(kind, {}).items():
        value = getattr(record, name)
        if value is not None and len(value) > most and value is not getattr(before, name, None):
            what = "characters" if isinstance(value, str) else "items"
            words = _WORDS.get((kind, name), f"{kind.__name__.lower()}'s {name}" if isinstance(value, str) else name)
            return f"The {words} would have {len(value):,} {what}; at most {most:,} fit in a file."
    for field in fields(record):
        value, had = getattr(record, field.name), getattr(before, field.name, None)
        if value is had:
            continue
        if isinstance(value, tuple):
            known = {id(item): item for item in had or ()} if isinstance(had, tuple) else {}
            # What takes another's place is held against that one: only what differs in it is new.
            for k, item in enumerate(value):
                if is_dataclass(item) and id(item) not in known:
                    found = _beyond(item, had[k] if isinstance(had, tuple) and k < len(had) else None)
                    if found is not None:
                        return found
        elif is_dataclass(value):
            found = _beyond(value, had)
            if found is not None:
                return found
    return None
