"""What the writer and the reader of scores agree on: where the strokes are kept, and how they are checked."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from typing import Final

from deft_reach.core.model.pattern import Stroke

#: The fields that hold the stroke text and its checksum, and the kind of ``other-play`` that holds a stroke.
TEXT_FIELD: Final = "deft-reach-strokes"
SUM_FIELD: Final = "deft-reach-checksum"
PLAY: Final = "deft-reach"


def checksum(strokes: Sequence[Stroke]) -> int:
    """A checksum of strokes in any order."""
    rows = [(str(s.start), s.limb, s.voice, "".join(sorted(s.marks)), s.grace_text) for s in strokes]
    return zlib.crc32(repr(sorted(rows)).encode())


def writable(text: str) -> str:
    """A name without the characters that XML 1.0 forbids (section 2.2)."""
    return "".join(
        char
        for char in text
        if char in "\t\n\r" or " " <= char <= "\ud7ff" or "\ue000" <= char <= "\ufffd" or char >= "\U00010000"
    )
