"""Voices that were meant by ones that a kit lacks."""

from __future__ import annotations

from collections.abc import Sequence
from difflib import get_close_matches
from typing import Final

#: Letters that are taken for digits, and digits for letters.
_LOOKALIKES: Final = str.maketrans("loi", "101")


def meant_voice(typed: str, voices: Sequence[str]) -> str | None:
    """The voice that was probably meant by one that a kit lacks: its lookalike (``tl`` for ``t1``), else the only one
    that is nearly spelled so.
    """
    alike = typed.lower().translate(_LOOKALIKES)
    same = [voice for voice in voices if voice.translate(_LOOKALIKES) == alike]
    found = same or get_close_matches(typed.lower(), voices, 2, 0.6)
    return found[0] if len(found) == 1 else None
