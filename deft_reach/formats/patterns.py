"""Patterns by the kind of file: which format reads and writes what. Each format is imported when it is needed."""

from __future__ import annotations

from pathlib import PurePath
from typing import Final

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.formats.imported import Imported
from deft_reach.formats.plain_text import decode

MIDI: Final = (".mid", ".midi")
MUSICXML: Final = (".musicxml", ".xml", ".mxl")
TEXT: Final = (".txt", ".strokes", "")
#: Endings of files that hold a pattern and are not stroke text.
FOREIGN: Final = (*MIDI, *MUSICXML, ".csv")
TEXT_SUFFIX: Final = ".txt"
#: What is offered to be opened as a pattern.
PATTERN_SUFFIXES: Final = (TEXT_SUFFIX, *FOREIGN)
WRITABLE: Final = (".mid", ".musicxml", ".csv", ".txt", ".wav")
#: No file that could be read is larger than this.
MAX_BYTES: Final = 12_000_000


def load_pattern(data: bytes, suffix: str, kit: Kit, track: int | None = None) -> Imported:
    """The pattern in a file with this ending as stroke text. Raises DocumentError."""
    suffix = suffix.lower()
    if suffix in MIDI:
        from deft_reach.formats.midi import load_midi

        return load_midi(data, kit, track)
    if suffix in MUSICXML:
        from deft_reach.formats.musicxml import load_musicxml

        return load_musicxml(data, kit, track)
    if suffix == ".csv":
        from deft_reach.formats.strokes_csv import load_strokes

        return load_strokes(data)
    return Imported(decode(data), None)


def dump_pattern(pattern: Pattern, suffix: str, kit: Kit, tempo: float, title: str = "Pattern") -> bytes:
    """The pattern as a file with this ending. Raises ValueError for an ending nothing is written for."""
    suffix = suffix.lower()
    if suffix in MIDI:
        from deft_reach.formats.midi import dump_midi

        return dump_midi(pattern, kit, tempo)
    if suffix in (".musicxml", ".xml"):
        from deft_reach.formats.musicxml import dump_musicxml

        return dump_musicxml(pattern, kit, tempo, title)
    if suffix == ".csv":
        from deft_reach.formats.strokes_csv import dump_strokes

        return dump_strokes(pattern)
    if suffix == ".wav":
        from deft_reach.formats.wav import write_wav
        from deft_reach.sound.playback import Playback

        return write_wav(Playback(pattern, kit, tempo))
    if suffix in TEXT:
        text = pattern.text if pattern.text.endswith("\n") else pattern.text + "\n"
        return text.encode()
    raise ValueError(f"'{suffix}' cannot be written; use {', '.join(WRITABLE)}")


def stem_of(name: str) -> str:
    """What to call the pattern of a file."""
    return PurePath(name).stem[:120] or "Pattern"
