"""Documents: the records of a file, reading and analysing its plans, commitments, and the limits of the format."""

from deft_reach.core.document.commitments import changes_since, commit, standing
from deft_reach.core.document.plans import (
    Verdict,
    analyse_plan,
    read_text,
    read_unfinished,
    unread_characters,
    verdict_on,
    verdict_on_text,
)
from deft_reach.core.document.records import (
    FORMAT_VERSION,
    Candidate,
    Commitment,
    Document,
    MissingError,
    Plan,
    Score,
    Section,
    Song,
    new_document,
    new_document_id,
)

__all__ = [
    "FORMAT_VERSION",
    "Candidate",
    "Commitment",
    "Document",
    "MissingError",
    "Plan",
    "Score",
    "Section",
    "Song",
    "Verdict",
    "analyse_plan",
    "changes_since",
    "commit",
    "new_document",
    "new_document_id",
    "read_text",
    "read_unfinished",
    "standing",
    "unread_characters",
    "verdict_on",
    "verdict_on_text",
]  # fmt: skip
