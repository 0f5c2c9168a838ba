"""The words and limits of stroke text, and its one error."""

from __future__ import annotations

import re

from deft_reach.core.model.elements import GRACES, Span
from deft_reach.core.model.limbs import LIMBS

GRID_VALUES = (4, 8, 16, 32)
METER_VALUES = (1, 2, 4, 8, 16, 32)
TEMPO_RANGE = (10.0, 1000.0)
#: Longest text that is read at all (characters): tens of thousands of strokes, which still takes about a second.
MAX_TEXT = 100_000
MAX_TUPLET = 64

BLANK = " \t\r\f\v\u00a0"
#: What may follow a stroke at once: strokes need no space between them (``RLRR``).
AFTER_STRIKE = frozenset([*BLANK, *"\n|()+#-=/", *LIMBS, *GRACES])
VOICE = re.compile(r"[a-z][a-z0-9]*(:[a-z][a-z0-9]*)?")
WORD = re.compile(r"[A-Za-z]+")
METER = re.compile(r"(\d{1,3})/(\d{1,3})(?![\d/])")
NUMBER = re.compile(r"\d{1,6}(\.\d{1,6})?(?![\d.])")
SWING = re.compile(r"(\d{1,3}(?:\.\d{1,3})?)[ \t]*/(\d{1,4})(?![\w/:])")
SHIFT = re.compile(r"[_*](\d{1,4})?")
GRID = re.compile(r"/(\d{1,4})(?::(\d{1,4})/(\d{1,4}))?(t?)(?![\w/:])")
EXPECTED_ITEM = "a stroke (R, L, K, J, H or ?), a rest -, a tie =, a grid such as /16, a group ( or a bar line |"
EXPECTED_IN_GROUP = "a stroke, a rest -, a tie =, a grid, a bar line | or the group's closing )"
MAX_NAME = 60


class StrokeTextError(ValueError):
    """Stroke text that cannot be read.

    ``line`` and ``column`` count from 1; ``span`` is the offending stretch in characters; ``found`` and
    ``expected`` say what stood there and what would have been right.
    """

    def __init__(self, text: str, span: Span, found: str, expected: str) -> None:
        self.line = text.count("\n", 0, span.start) + 1
        self.column = span.start - (text.rfind("\n", 0, span.start) + 1) + 1
        self.span = span
        self.found = found
        self.expected = expected
        super().__init__(f"line {self.line}, column {self.column}: found {found}, expected {expected}")
