"""Patterns by the kind of file: which format reads and writes what. Each format is imported when it is needed."""

from __future__ import annotations

from pathlib import PurePath
from typing import Final

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import with_tempo
from deft_reach.formats.imported import Imported
from deft_reach.formats.reading import decode

MIDI: Final = (".mid", ".midi")
MUSICXML: Final = (".musicxml", ".xml", ".mxl")
TEXT: Final = (".txt", ".strokes", "")
#: Endings of files that hold a pattern and are not stroke text.
FOREIGN: Final = (*MIDI, *MUSICXML, ".csv")
TEXT_SUFFIX: Final = ".txt"
#: What is offered to be opened as a pattern.
PATTERN_SUFFIXES: Final = (TEXT_SUFFIX, *FOREIGN)
WRITABLE: Final = (".mid", ".musicxml", ".csv", ".txt", ".wav")
#: The tempo (BPM) of what has none.
DEFAULT_TEMPO: Final = 100.0
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


def dump_pattern(
    pattern: Pattern, suffix: str, kit: Kit, tempo: float | None, title: str = "Pattern", repeat: bool = False
) -> bytes:
    """The pattern as a file with this ending; a ``tempo`` of None is not known, and written only where it must be.

    What a format cannot hold is in ``lost_in``. Raises ValueError for an ending nothing is written for.
    """
    suffix = suffix.lower()
    bpm = DEFAULT_TEMPO if tempo is None else tempo
    if suffix in MIDI:
        from deft_reach.formats.midi import dump_midi

        return dump_midi(pattern, kit, bpm, repeat)
    if suffix in (".musicxml", ".xml"):
        from deft_reach.formats.musicxml import dump_musicxml

        return dump_musicxml(pattern, kit, bpm, title, repeat)
    if suffix == ".csv":
        from deft_reach.formats.strokes_csv import dump_strokes

        return dump_strokes(pattern, tempo, repeat)
    if suffix == ".wav":
        from deft_reach.formats.wav import write_wav
        from deft_reach.sound.playback import Playback

        return write_wav(Playback(pattern, kit, bpm))
    if suffix in TEXT:
        text = pattern.text if tempo is None else with_tempo(pattern, tempo)
        return (text if text.endswith("\n") else text + "\n").encode()
    raise ValueError(f"'{suffix}' cannot be written; use {', '.join(WRITABLE)}")


def lost_in(suffix: str, pattern: Pattern, repeat: bool) -> tuple[str, ...]:
    """What a file with this ending cannot say of a pattern, in words."""
    suffix = suffix.lower()
    found = []
    if repeat and suffix in TEXT:
        found.append("stroke text does not say that it is a loop")
    if repeat and suffix == ".wav":
        found.append("the sound is played once, and does not say that it is a loop")
    if suffix == ".csv" and not pattern.strokes:
        found.append("a table of strokes holds nothing of a pattern without any")
    return tuple(found)


def stem_of(name: str) -> str:
    """What to call the pattern of a file."""
    return PurePath(name).stem[:120] or "Pattern"
