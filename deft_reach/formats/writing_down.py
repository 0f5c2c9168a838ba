"""What has been read of a file as stroke text: of a size that can be read again, and saying what had to be moved."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Final

from deft_reach.core.notation.compose import Frame, Onset, composed
from deft_reach.core.notation.stroke_text import MAX_TEXT
from deft_reach.formats.reading import DocumentError

#: More bars than any piece of a length that is read has; only bars of a thirty-second could be as many.
MAX_BARS: Final = 5000


def written_down(onsets: Sequence[Onset], frame: Frame) -> tuple[str, list[str]]:
    """The stroke text of these onsets, and remarks. Raises DocumentError for more than can be read."""
    bars = _bars(frame)
    if bars > MAX_BARS:
        raise DocumentError(f"it has {bars:,} bars; at most {MAX_BARS:,} are read")
    found = composed(onsets, frame)
    if len(found.text) > MAX_TEXT:
        raise DocumentError(
            f"that would be {len(found.text):,} characters of stroke text; at most {MAX_TEXT:,} are read"
        )
    return found.text, [found.moved_in_words] if found.moved else []


def _bars(frame: Frame) -> int:
    """How many bars there are."""
    ends = [*(begin for begin, _ in frame.meters[1:]), frame.length]
    lengths = (max(Fraction(0), end - begin) / Fraction(*meter) for (begin, meter), end in zip(frame.meters, ends))
    return int(sum(lengths)) + 1
