"""What the transforms share: their result and error, and rewriting limbs, grids and words of a text."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise

from deft_reach.core.model.elements import BarLine, Grid, Rest, Step, Strike, Swing, Tie
from deft_reach.core.model.limbs import HANDS, HAT_FOOT, SECOND_KICK
from deft_reach.core.model.pattern import Element, Pattern
from deft_reach.core.notation.grids import first_grid
from deft_reach.core.notation.stroke_text import GRID_VALUES, parse, write, write_strike
from deft_reach.core.notation.swing import SWING_VALUES


class TransformError(ValueError):
    """A change that this pattern does not allow: says why."""


@dataclass(frozen=True)
class Changed:
    """The new stroke text, and what the tempo is to be multiplied with so that the speed of the strokes stays."""

    text: str
    tempo: float = 1.0
    remark: str = ""


def without_idle_grids(text: str) -> str:
    """The text without grids that another one follows at once."""
    elements = parse(text, lenient=True).elements
    for one, two in reversed([*pairwise(elements)]):
        if isinstance(one, Grid) and isinstance(two, Grid):
            text = text[: one.span.start] + text[two.span.start :]
    return text


def finer_grid(grid: Grid, places: Sequence[Fraction]) -> Grid | None:
    """The coarsest grid inside one step of another on which these places in it fall; None for the step itself."""
    if not any(places):
        return None
    candidates = [(n, grid.triplet) for n in (2, 4, 8)] + ([] if grid.triplet else [(2, True), (4, True)])
    for times, triplet in candidates:
        finer = replace(grid, value=grid.value * times, triplet=triplet)
        whole = grid.step / finer.step
        if finer.value in GRID_VALUES and whole.denominator == 1 and all(x % finer.step == 0 for x in places):
            return finer
    return None


def body_of(limb: str) -> str:
    return HAT_FOOT if limb == SECOND_KICK else limb


def stretches(pattern: Pattern) -> list[tuple[int, int]]:
    """Where each step stands in the text, with what prolongs it."""
    found: list[tuple[int, int]] = []
    goes_on = False
    for element in pattern.elements:
        if isinstance(element, (Step, Rest)):
            found.append((element.span.start, element.span.end))
            goes_on = True
        elif isinstance(element, Tie) and goes_on:
            found[-1] = (found[-1][0], element.span.end)
        else:
            goes_on = False
    return found


def words_of(pattern: Pattern) -> list[str]:
    """The text of each step, in their order."""
    return [pattern.text[start:end] for start, end in stretches(pattern)]


def with_words(pattern: Pattern, words: Sequence[str]) -> str:
    """The pattern's text with another word for each step; all between them stays."""
    text = pattern.text
    for (start, end), word in zip(reversed(stretches(pattern)), reversed(words)):
        text = text[:start] + word + text[end:]
    return text


def map_limbs(pattern: Pattern, exchange: dict[str, str]) -> str:
    """The pattern's text with limbs exchanged for others."""
    text = pattern.text
    for element in reversed(pattern.elements):
        if not isinstance(element, Step):
            continue
        for strike in reversed(element.strikes):
            limb = exchange.get(strike.limb)
            if limb is not None:
                voice = strike.voice if limb in HANDS else None
                word = write_strike(replace(strike, limb=limb, voice=voice))
                text = text[: strike.span.start] + word + text[strike.span.end :]
    return text


def scaled_by(pattern: Pattern, up: int, tempo: float) -> Changed:
    """Every grid half or twice as long, without bar lines.

    Raises TransformError where a grid cannot be written so.
    """
    kept: list[Element] = []
    used = False
    for element in pattern.elements:
        if isinstance(element, BarLine):
            continue
        if isinstance(element, Swing):
            value = element.value * 2 if up == 2 else element.value // 2
            if value not in SWING_VALUES:
                raise TransformError(f"there is no swing of /{value} notes: take the swing out first")
            kept.append(replace(element, value=value))
        elif isinstance(element, Grid):
            kept.append(_scaled(element, up))
            used = True
        else:
            if not used and isinstance(element, (Step, Rest, Tie)):
                kept.append(_scaled(first_grid(pattern.elements), up))
                used = True
            kept.append(element)
    return Changed(write(kept), tempo)


def _scaled(grid: Grid, up: int) -> Grid:
    value = grid.value * 2 if up == 2 else grid.value // 2
    if value not in GRID_VALUES:
        raise TransformError(f"{grid.text} cannot be written {'twice' if up == 2 else 'half'} as fast")
    return replace(grid, value=value)


def thinned(pattern: Pattern, keep: Callable[[Strike], bool], nothing: str) -> Changed:
    """The pattern with the strokes that ``keep`` keeps; rests take the place of the others.

    Raises TransformError with the words ``nothing`` where there is nothing to leave out.
    """
    text = pattern.text
    edits: list[tuple[int, int, str]] = []
    for element in pattern.elements:
        if isinstance(element, Step):
            left = [strike for strike in element.strikes if keep(strike)]
            if len(left) < len(element.strikes):
                word = "+".join(write_strike(s) for s in left) or "-"
                edits.append((element.span.start, element.span.end, word))
    if not edits:
        raise TransformError(nothing)
    for start, end, word in reversed(edits):
        text = text[:start] + word + text[end:]
    return Changed(text)
