"""Which grid is in force where: sixteenths until a text sets one, after a swing setting the value that swings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from deft_reach.core.model.elements import Grid, Rest, Step, Swing, Tie
from deft_reach.core.model.pattern import Element


def with_grids(elements: Iterable[Element]) -> Iterator[tuple[Element, Grid]]:
    """Every element with the grid in force at it; a grid with itself.

    >>> from deft_reach.core.notation.stroke_text import parse
    >>> [grid.text for _, grid in with_grids(parse("swing 66 /8 R /16 L").elements)]
    ['/8', '/8', '/16', '/16']
    """
    grid, written = Grid(16), False
    for element in elements:
        if isinstance(element, Grid):
            grid, written = element, True
        elif isinstance(element, Swing) and not written:
            grid = element.grid
        yield element, grid


def first_grid(elements: Iterable[Element]) -> Grid:
    """The grid of the first step; of a text without steps the one in force at its end."""
    last = Grid(16)
    for element, grid in with_grids(elements):
        last = grid
        if isinstance(element, (Step, Rest, Tie)):
            break
    return last


def sets_grid(elements: Iterable[Element]) -> bool:
    """Whether a grid is written before the first step."""
    first = next((e for e in elements if isinstance(e, (Step, Rest, Tie, Grid))), None)
    return isinstance(first, Grid)
