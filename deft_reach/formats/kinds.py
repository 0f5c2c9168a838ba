"""What kind of file some bytes are, by what is in them: so that nothing is replaced by something else."""

from __future__ import annotations

import json
from typing import Final

from deft_reach.core.notation.stroke_text import StrokeTextError, parse

DOCUMENT: Final = "a document"
KIT: Final = "a kit"
PLAYER: Final = "a player"
NOTE_MAP: Final = "a note map"
MIDI: Final = "a MIDI file"
SCORE: Final = "a MusicXML score"
STROKES: Final = "a table of strokes"
PIECES: Final = "a table of pieces"
LOGBOOK: Final = "a logbook"
STROKE_TEXT: Final = "stroke text"
SOUND: Final = "a sound"
PNG: Final = "a picture"
PDF: Final = "a PDF file"
SVG: Final = "an SVG drawing"
EMPTY: Final = "an empty file"
OTHER: Final = "something else"

#: What a file of an ending is written as.
BY_SUFFIX: Final = {
    ".reach": DOCUMENT, ".mid": MIDI, ".midi": MIDI, ".musicxml": SCORE, ".xml": SCORE, ".csv": STROKES,
    ".wav": SOUND, ".png": PNG, ".pdf": PDF, ".svg": SVG,
    ".txt": STROKE_TEXT, ".strokes": STROKE_TEXT, "": STROKE_TEXT,
}  # fmt: skip
_BEGINNINGS: Final = (
    (b"MThd", MIDI), (b"\x89PNG\r\n\x1a\n", PNG), (b"%PDF", PDF), (b"RIFF", SOUND), (b"SQLite format 3", LOGBOOK),
)  # fmt: skip
_BY_FORMAT: Final = {
    "deft-reach": DOCUMENT, "deft-reach-kit": KIT, "note map": NOTE_MAP, "deft-reach-logbook": LOGBOOK,
}  # fmt: skip


def kind_of(data: bytes) -> str:
    """What a file is; one whose kind is not known is ``something else``."""
    if not data.strip():
        return EMPTY
    for beginning, kind in _BEGINNINGS:
        if data.startswith(beginning):
            return kind
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return OTHER
    head = text.lstrip()[:4000]
    if head.startswith("<"):
        return SCORE if "<score-partwise" in head else SVG if "<svg" in head else OTHER
    if head.startswith("{"):
        return _of_json(text)
    heading = {cell.strip().lower() for cell in head.partition("\n")[0].split(",")}
    if {"start", "limb"} <= heading:
        return STROKES
    if {"code", "kind", "x_mm"} <= heading:
        return PIECES
    if {"at", "plan", "verdict"} <= heading:
        return LOGBOOK
    try:
        return STROKE_TEXT if parse(text).elements else OTHER
    except StrokeTextError:
        return OTHER


def _of_json(text: str) -> str:
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        return OTHER
    kind = found.get("format")
    if isinstance(kind, str) and kind in _BY_FORMAT:
        return _BY_FORMAT[kind]
    return PLAYER if "player" in found or "stature_mm" in found else OTHER
