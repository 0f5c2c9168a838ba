"""One sentence under a form: what it says, and in which tone."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel

from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.core.model.message import Message

#: How a verdict on an attempt or a take is said.
VERDICT_WORDS = {"clean": "Clean", "rough": "Rough", "not-yet": "Not yet"}


def say(label: QLabel, text: str, tone: str = "hint") -> None:
    """Show a sentence as a ``hint``, an ``error`` or whatever else the style sheet has a tone for."""
    label.setText(text)
    if label.objectName() != tone:
        label.setObjectName(tone)
        # The style sheet is asked again only by this.
        label.style().unpolish(label)
        label.style().polish(label)


#: A search that was stopped.
STOPPED = "Stopped; nothing was changed."


def searching_words(looked: int, of: int | None, found: object) -> str:
    """How far a search for hands is, and the cheapest it has so far."""
    if of is not None:
        return f"Searching … laying out what the hands can do, step {looked + 1} of {of}."
    so_far = f", the cheapest so far costs {decimal(found, '.1f')}" if isinstance(found, float) else ""
    return f"Searching … {looked:,} moves weighed{so_far}."


def offset_words(ms: float) -> str:
    """How late or early a stroke comes."""
    return "on it" if abs(ms) < 1 else f"{abs(ms):.0f} ms {'late' if ms > 0 else 'early'}"


def sentence(said: Message | Exception | str) -> str:
    """An error, or what the core said, as a sentence of its own."""
    words = units.text_of(said)
    return words[:1].upper() + words[1:] + ("" if words.endswith((".", "!", "?")) else ".")


def preview_text(text: str) -> str:
    """Stroke text for a preview of two lines: its remarks and line breaks left out."""
    lines = (line.partition("#")[0].strip() for line in text.splitlines())
    return " ".join(line for line in lines if line)[:240]
