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
        with self._lock:
            known = [old for old in self._readers if old.voices == voices]
        if known:
            # The one that has most in common is the one that was edited.
            nearest = max(known, key=lambda old: common_start(text, old.text) - abs(len(text) - len(old.text)))
            reader.read_on_from(nearest)
        pattern = reader.read()
        with self._lock:
            self._readers = [reader, *(old for old in self._readers if old.text != text)][: self._keep]
        return pattern
