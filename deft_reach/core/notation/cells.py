"""A shelf of cells: the rudiments, and the common hand-and-foot figures by limb order and length.

Orders of limbs are common practice of the trade and nobody's property.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cache, cached_property
from typing import Final

from deft_reach.core.model.limbs import DEFAULT_VOICE, FEET, HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.core.notation.stroke_text import parse, strike_of, write_strike
from deft_reach.core.notation.swing import straight

#: Linear figures of hands and the bass foot, by their limbs in order.
LINEAR: Final = (
    "RLK", "RKL", "KRL", "RLKK", "RLRK", "RKLK", "KRLK", "RLLK", "RRLK", "KKRL", "RLRLK", "RLRKK", "RLKRK", "RLLRK",
    "KRLRL", "RLRRK", "RLRLKK", "RLRRLK", "RLKRLK", "RLLRRK", "RKLRKL", "RLKKRL", "RLRLRK", "RLRRLLK", "RLRLRKK",
    "RLRKRLK", "RLKRLKK", "RLRLRLKK", "RLRKRLRK", "RLRRLRKK", "RLKKRLKK", "RLRLKRLK", "RLRRLLRLK", "RLKRLKRLK",
)  # fmt: skip
#: Figures for two feet.
TWO_FEET: Final = ("RLKJ", "KJRL", "RLRLKJ", "RLKJKJ", "KJKJRL", "RLRLKJKJ", "RLRRKJ", "KJK", "KJKJ")
#: Short stickings of the hands alone.
HANDS_ALONE: Final = (
    "RL",
    "RR",
    "RLR",
    "RLL",
    "RRL",
    "RLRR",
    "RLLR",
    "RRLR",
    "RRLL",
    "RLRL",
    "RLRLL",
    "RRLRL",
    "RRLLRL",
    "RLRRLL",
    "RLLRRL",
)


@dataclass(frozen=True)
class Cell:
    """A figure to put in: what it is called, which family it belongs to, and its stroke text."""

    name: str
    family: str
    text: str

    @cached_property
    def pattern(self) -> Pattern:
        return parse(self.text)

    @cached_property
    def length(self) -> Fraction:
        """In whole notes."""
        return self.pattern.length

    @cached_property
    def steps(self) -> int:
        return len(self.pattern.moments)

    @cached_property
    def starts_on(self) -> str:
        return self.pattern.strokes[0].limb

    @cached_property
    def ends_on(self) -> str:
        return self.pattern.strokes[-1].limb

    def count(self, limb: str) -> int:
        """How many strokes a limb gets."""
        return sum(stroke.limb == limb for stroke in self.pattern.strokes)

    @property
    def hands_over_to_right(self) -> bool:
        """Whether the right hand is free to go on: the last hand stroke was the left's, or the feet had the end."""
        hands = [s.limb for s in self.pattern.strokes if s.limb in HANDS]
        return self.ends_on not in HANDS or not hands or hands[-1] == "L"


@cache
def shelf() -> tuple[Cell, ...]:
    """Every cell there is."""
    return tuple(_all())


def _all() -> Iterator[Cell]:
    for rudiment in RUDIMENTS:
        yield Cell(rudiment.name, "rudiments", rudiment.text)
    for family, rows in (("hands and foot", LINEAR), ("two feet", TWO_FEET), ("hands", HANDS_ALONE)):
        for limbs in rows:
            yield Cell(" ".join(limbs), family, " ".join(limbs))
            mirrored = limbs.translate(str.maketrans("RL", "LR"))
            if mirrored != limbs:
                yield Cell(" ".join(mirrored), family, " ".join(mirrored))


def in_place_of(chosen: Cell, pattern: Pattern, low: int, high: int) -> str:
    """The cell's text for the steps ``low`` to ``high`` of a pattern, with the voices and dynamics that stood there.

    Steps answer to each other in order where there are as many, else by their time. A hand takes the voice, and the
    accent or ghost, of the hand that struck there, else the voice it struck last; where nothing there was accented or
    ghosted the cell keeps its own. Feet that sounded with a hand stay below a cell of hands alone.
    """
    cell, pattern = chosen.pattern, straight(pattern)
    old = pattern.moments[low:high]
    begin = old[0].start
    same = len(cell.moments) == len(old)
    dynamic = any(set(pattern.strokes[i].marks) & {">", "."} for row in old for i in row.strokes)
    last: dict[str, str] = {}
    words: dict[int, str] = {}
    feet_below = not any(s.limb in FEET for s in cell.strokes)
    for k, row in enumerate(cell.moments):
        stood = old[k] if same else [m for m in old if m.start - begin <= row.start][-1]
        there = [pattern.strokes[i] for i in stood.strokes]
        exact = same or stood.start - begin == row.start
        hands = [s for s in there if s.limb not in FEET]
        strikes = []
        for i in row.strokes:
            strike = strike_of(cell, i)
            if strike.limb in FEET:
                strikes.append(strike)
                continue
            model = next((s for s in hands if s.limb == strike.limb), hands[0] if hands else None)
            if model is not None:
                last[strike.limb] = model.voice
            marks = "".join(m for m in strike.marks if m not in (">", ".")) if dynamic else strike.marks
            if dynamic and exact and model is not None:
                marks = "".join(m for m in model.marks if m in (">", ".")) + marks
            voice = last.get(strike.limb) or next(iter(last.values()), None)
            if voice == DEFAULT_VOICE[strike.limb]:
                voice = None
            strikes.append(replace(strike, voice=voice, marks=marks))
        if feet_below and exact and hands:
            strikes += [strike_of(pattern, s.index) for s in there if s.limb in FEET]
        if strikes:
            words[k] = "+".join(write_strike(strike) for strike in strikes)
    text = cell.text
    for k in sorted(words, reverse=True):
        span = cell.moments[k].span
        text = text[: span.start] + words[k] + text[span.end :]
    return text


def find_cells(
    *,
    family: str | None = None,
    steps: int | None = None,
    starts_on: str | None = None,
    ends_on: str | None = None,
    counts: Mapping[str, int] | None = None,
    cells: Sequence[Cell] | None = None,
) -> list[Cell]:
    """Cells that fit every condition given; those that hand over to the right hand come first, shorter ones next.

    ``counts`` says how many strokes a limb gets, by its letter.
    """
    found = [
        cell
        for cell in (shelf() if cells is None else cells)
        if (family is None or cell.family == family)
        and (steps is None or cell.steps == steps)
        and (starts_on is None or cell.starts_on == starts_on)
        and (ends_on is None or cell.ends_on == ends_on)
        and all(cell.count(limb) == count for limb, count in (counts or {}).items())
    ]
    return sorted(found, key=lambda cell: (not cell.hands_over_to_right, cell.steps))
