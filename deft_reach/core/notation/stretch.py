"""A stretch of a pattern as a text of its own, and put back in its place."""

from __future__ import annotations

from deft_reach.core.model.elements import BarLine, Grid, GroupClose, GroupOpen, Rest, Span, Step, Tie
from deft_reach.core.model.pattern import Element, Pattern
from deft_reach.core.notation.grids import first_grid, with_grids
from deft_reach.core.notation.stroke_text import parse, write
from deft_reach.core.notation.transform_tools import stretches

_INSIDE = (Step, Rest, Tie, Grid, BarLine, GroupOpen, GroupClose)


def grid_before(pattern: Pattern, step: int) -> Grid:
    """The grid in force just before a step (where none is written, the value that swings, or sixteenths)."""
    number, last = 0, Grid(16)
    for element, grid in with_grids(pattern.elements):
        last = grid
        if isinstance(element, (Step, Rest)):
            if number == step:
                break
            number += 1
    return last


def _groups(pattern: Pattern) -> list[tuple[Span, Span]]:
    """Opening and closing bracket of every group."""
    found: list[tuple[Span, Span]] = []
    opened: list[Span] = []
    for element in pattern.elements:
        if isinstance(element, GroupOpen):
            opened.append(element.span)
        elif isinstance(element, GroupClose) and opened:
            found.append((opened.pop(), element.span))
    return found


def _extent(pattern: Pattern, low: int, high: int) -> tuple[int, int]:
    """Where the steps stand in the text, with the brackets of groups that are inside as a whole."""
    places = stretches(pattern)
    start, end = places[low][0], places[high - 1][1]
    first, last = (places[low - 1][1] if low else 0), (places[high][0] if high < len(places) else len(pattern.text))
    # What prolongs the last step belongs to it, behind the bracket of its group too.
    end = max([end, *(e.span.end for e in pattern.elements if isinstance(e, Tie) and end <= e.span.start < last)])
    for opening, closing in _groups(pattern):
        if opening.start >= first and closing.end <= last:
            start, end = min(start, opening.start), max(end, closing.end)
    return start, end


def cut_out(pattern: Pattern, low: int, high: int) -> str:
    """Steps ``low`` to ``high`` (not included) as stroke text that begins with meter and grid.

    Bar lines among them stay; a group that is cut in two is none. Raises IndexError for steps that are not there.
    """
    start, end = _extent(pattern, low, high)
    brackets = {span for pair in _groups(pattern) if start <= pair[0].start and pair[1].end <= end for span in pair}
    inside: list[Element] = [grid_before(pattern, low)]
    for element in pattern.elements:
        if not start <= element.span.start < end or not isinstance(element, _INSIDE):
            continue
        if not isinstance(element, (GroupOpen, GroupClose)) or element.span in brackets:
            inside.append(element)
    meter = "" if pattern.meter == (4, 4) else f"meter {pattern.meter[0]}/{pattern.meter[1]} "
    return meter + write(inside)


def put_back(pattern: Pattern, low: int, high: int, text: str) -> str:
    """The pattern's text with another stretch in place of steps ``low`` to ``high``; what follows keeps its grid.

    A group that reaches over the edge of the stretch is taken apart. Raises StrokeTextError where ``text`` cannot be
    read.
    """
    read = parse(text, lenient=True)
    elements = [e for e in read.elements if isinstance(e, _INSIDE)]
    unset = first_grid(read.elements)
    before = grid_before(pattern, low)
    grids = [e for e in elements if isinstance(e, Grid)]
    if elements and isinstance(elements[0], Grid) and elements[0] == before:
        elements = elements[1:]
    elif not elements or not isinstance(elements[0], Grid):
        elements.insert(0, unset)
    last = grids[-1] if grids else unset
    start, end = _extent(pattern, low, high)
    apart: list[Span] = []
    for opening, closing in _groups(pattern):
        over = (opening.start < start) + (closing.start >= end)
        if over == 2 and opening.start < start < end <= closing.start:
            # The whole stretch lies in one group, which cannot hold others.
            elements = [e for e in elements if not isinstance(e, (GroupOpen, GroupClose))]
        elif over == 1 and opening.start < end and closing.start >= start:
            apart.append(opening if opening.start < start else closing)
    follows = high < len(stretches(pattern)) and last != grid_before(pattern, high)
    restored = f" {grid_before(pattern, high).text}" if follows else ""
    head, tail = pattern.text[:start], pattern.text[end:]
    for span in sorted(apart, reverse=True):
        if span.start >= end:
            tail = tail[: span.start - end] + tail[span.end - end :]
        else:
            head = head[: span.start] + head[span.end :]
    return head + write(elements) + restored + tail
