"""The elements of a stroke text: steps, rests, ties, grids, bar lines, groups, tempo, swing and comments."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import NamedTuple

MARKS: Mapping[str, str] = {
    ">": "accent",
    ".": "ghost",
    "~": "buzz",
    "x": "cross-stick",
    "^": "rim shot",
    "o": "open",
    "'": "goes over",
    ",": "goes under",
}
#: Signs for strokes that are late or early on purpose, by so many milliseconds where none are written.
SHIFTS: Mapping[str, str] = {"_": "laid back", "*": "pushed"}
USUAL_SHIFT_MS = 15
MOST_SHIFT_MS = 80
GRACES: Mapping[str, str] = {"f": "flam", "d": "drag", "u": "ruff"}
#: How many grace notes come before a stroke.
GRACE_NOTES: Mapping[str, int] = {"": 0, "f": 1, "d": 2, "u": 3}


class Span(NamedTuple):
    """A stretch of the text: character offsets, end excluded."""

    start: int
    end: int


NOWHERE = Span(0, 0)


@dataclass(frozen=True, slots=True)
class Strike:
    """One limb striking one voice; ``voice`` is None where the text leaves it to the limb's usual one.

    ``grace_voice`` is None where the graces fall on the same voice; ``grace_marks`` are the graces' own.
    """

    limb: str
    voice: str | None = None
    marks: str = ""
    grace: str = ""
    span: Span = field(default=NOWHERE, compare=False)
    grace_voice: str | None = None
    grace_marks: str = ""
    #: Later on purpose by so many milliseconds, earlier if negative.
    shift: int = 0

    @property
    def grace_text(self) -> str:
        """The graces as they are written before the limb."""
        return grace_text_of(self.grace, self.grace_voice, self.grace_marks)


def shift_text(ms: int) -> str:
    """How a stroke or a group that is meant late (ms) or early (negative) is marked; empty for neither.

    >>> shift_text(15), shift_text(25), shift_text(-15), shift_text(0)
    ('_', '_25', '*', '')
    """
    sign = "_" if ms > 0 else "*"
    return "" if not ms else sign if abs(ms) == USUAL_SHIFT_MS else f"{sign}{abs(ms)}"


def shift_words(ms: int) -> str:
    """The same in words."""
    return f"{SHIFTS['_' if ms > 0 else '*']} by {abs(ms)} ms" if ms else ""


def grace_text_of(grace: str, voice: str | None, marks: str) -> str:
    return f"{grace}[{voice or ''}{marks}]" if grace and (voice or marks) else grace


@dataclass(frozen=True, slots=True)
class Step:
    """One step in which something is struck."""

    strikes: tuple[Strike, ...]
    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Rest:
    """A step in which nothing is struck."""

    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Tie:
    """The previous step lasts one step longer."""

    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Grid:
    """The length of a step from here on: ``count`` steps in the time of ``of`` notes of 1/``value``."""

    value: int = 16
    count: int = 1
    of: int = 1
    triplet: bool = False
    span: Span = field(default=NOWHERE, compare=False)

    @property
    def step(self) -> Fraction:
        """Length of a step as a fraction of a whole note."""
        if self.triplet:
            return Fraction(2, 3 * self.value)
        return Fraction(self.of, self.count * self.value)

    @property
    def text(self) -> str:
        """The grid as it is written."""
        if self.triplet:
            return f"/{self.value}t"
        if (self.count, self.of) == (1, 1):
            return f"/{self.value}"
        return f"/{self.count}:{self.of}/{self.value}"


@dataclass(frozen=True, slots=True)
class BarLine:
    """The end of a bar."""

    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class GroupOpen:
    """The beginning of a group, with its name if it has one."""

    name: str = ""
    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class GroupClose:
    """The end of a group; all of it may be meant late or early (ms)."""

    span: Span = field(default=NOWHERE, compare=False)
    shift: int = 0


@dataclass(frozen=True, slots=True)
class Meter:
    """The meter from here on: so many beats of one over ``value``."""

    beats: int
    value: int
    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Tempo:
    """The tempo asked for, in quarter notes a minute."""

    bpm: float
    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class Swing:
    """Where the second of two notes of a value (8 or 16) falls, in percent: 50 straight, 66 as in triplets."""

    percent: float
    value: int
    span: Span = field(default=NOWHERE, compare=False)

    @property
    def second(self) -> Fraction:
        """The same as a part of the pair."""
        return Fraction(str(self.percent)) / 100

    @property
    def grid(self) -> Grid:
        """The grid that a text has after this setting, until it sets one."""
        return Grid(self.value)

    @property
    def text(self) -> str:
        return f"swing {self.percent:g} /{self.value}"


@dataclass(frozen=True, slots=True)
class Comment:
    """A remark, from its # to the end of the line."""

    text: str
    span: Span = field(default=NOWHERE, compare=False)


@dataclass(frozen=True, slots=True)
class LineBreak:
    """The end of a line."""

    span: Span = field(default=NOWHERE, compare=False)
