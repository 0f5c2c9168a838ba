"""Parsing texts that differ little from earlier ones."""

from __future__ import annotations

from collections.abc import Collection
from threading import Lock

from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text.parser import Parser, common_start


class IncrementalParser:
    """Reads texts that differ little from earlier ones: only bars that have changed are read anew.

    Bars that do not add up are let pass, as with ``parse(..., lenient=True)``, whose result is the same. Several
    threads may read at once.
    """

    def __init__(self, keep: int = 6) -> None:
        self._keep = keep
        self._readers: list[Parser] = []
        self._lock = Lock()

    def read(self, text: str, voices: Collection[str]) -> Pattern:
        """The pattern of a text. Raises StrokeTextError."""
        reader = Parser(text, voices)
        nearest = self._nearest(text, voices)
        if nearest is not None:
            reader.read_on_from(nearest)
        pattern = reader.read()
        with self._lock:
            self._readers = [reader, *(old for old in self._readers if old.text != text)][: self._keep]
        return pattern

    def unread(self, text: str, voices: Collection[str]) -> int:
        """How many characters of a text are in no text that was read lately: those have to be read anew."""
        nearest = self._nearest(text, voices)
        if nearest is None:
            return len(text)
        start = common_start(text, nearest.text)
        shared = common_start(text[start:][::-1], nearest.text[start:][::-1])
        return len(text) - start - shared

    def _nearest(self, text: str, voices: Collection[str]) -> Parser | None:
        """The earlier reading that has most in common with a text: that is the one that was edited."""
        with self._lock:
            known = [old for old in self._readers if old.voices == voices]
        return max(known, key=lambda old: common_start(text, old.text) - abs(len(text) - len(old.text)), default=None)
