"""Swing: the second of two eighths, or sixteenths, comes later than written.

Bar lines and beats stay where they are. Inside each pair the time before its second note is stretched and the time
after it shrunk, so that what divides the pair by two, four and so on moves along. A pair with a triplet or another
tuplet in it is played as written, and so is one that the pattern's end cuts off.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Final, TypeVar

from deft_reach.core.model.elements import GroupClose, GroupOpen, Rest, Step, Swing, Tie
from deft_reach.core.model.pattern import Element, Moment, Pattern
from deft_reach.core.model.ticks import Ticks
from deft_reach.core.notation.grids import with_grids

#: Where the second note of a pair may fall, in percent of the pair.
SWING_RANGE: Final = (50.0, 80.0)
#: The notes that may swing.
SWING_VALUES: Final = (8, 16)


Number = TypeVar("Number", float, Fraction)


def swung_part(part: Number, second: Number) -> Number:
    """Where in a pair (0 to 1) a written place is played, if the pair's second note falls at ``second``."""
    return part * 2 * second if part <= 0.5 else second + (2 * part - 1) * (1 - second)


def straight_part(part: float, second: float) -> float:
    """Where in a pair (0 to 1) a played place is written; the inverse of ``swung_part``."""
    return part / second / 2 if part <= second else 0.5 + (part - second) / (1 - second) / 2


class _Pairs:
    """The pairs of notes that swing, from the bar lines on. Times are ticks here."""

    def __init__(self, pattern: Pattern, swing: Swing) -> None:
        pair = Fraction(2, swing.value)
        self.ticks = Ticks(
            [
                pair,
                pattern.length,
                *(x for m in pattern.moments for x in (m.start, m.length)),
                *(x for g in pattern.groups for x in (g.start, g.length)),
                *(x for bar in pattern.bar_rows for x in (bar.start, bar.offset, Fraction(*bar.meter))),
            ]
        )
        self.second, self.pair = swing.second, self.ticks(pair)
        self.bars = [
            (self.ticks(bar.start - bar.offset), self.ticks(Fraction(*bar.meter))) for bar in pattern.bar_rows
        ]
        self.begins = [self.ticks(bar.start) for bar in pattern.bar_rows]
        self.known: dict[int, Fraction] = {}
        #: The beginnings of pairs that stay as they are written.
        self.stay: set[int] = set()
        ends = {self.ticks(m.start) for m in pattern.moments}
        ends |= {self.ticks(m.start) + self.ticks(m.length) for m in pattern.moments}
        end = self.ticks(pattern.length)
        for time in ends:
            begin, into, room = self._place(time)
            parts = self.pair // math.gcd(into, self.pair)
            # The second half of a pair that is cut off could come after the pattern's end, and in a loop after its
            # own beginning.
            if room < self.pair or begin + self.pair > end or parts & (parts - 1):
                self.stay.add(begin)

    def _place(self, time: int) -> tuple[int, int, int]:
        """Where the pair around a time begins, how much of it is over, and how long it could be in its bar."""
        origin, length = self.bars[max(0, bisect_right(self.begins, time) - 1)]
        into = (time - origin) % self.pair
        return time - into, into, length - (time - into - origin)

    def played(self, time: int) -> Fraction:
        """When a place that is written at a time is played (whole notes)."""
        found = self.known.get(time)
        if found is None:
            begin, into, _ = self._place(time)
            if into and begin not in self.stay:
                part = swung_part(Fraction(into, self.pair), self.second)
                found = (begin + part * self.pair) / self.ticks.parts
            else:
                found = Fraction(time, self.ticks.parts)
            self.known[time] = found
        return found

    def row(self, start: Fraction, length: Fraction) -> tuple[Fraction, Fraction]:
        """When what is written from a start for a length is played, and for how long."""
        begin = self.ticks(start)
        at = self.played(begin)
        return at, self.played(begin + self.ticks(length)) - at


def played(pattern: Pattern, swing: Swing) -> Pattern:
    """A straight pattern's strokes, steps and groups as they are played with swing."""
    if not pattern.moments:
        return replace(pattern, swing=swing)
    pairs = _Pairs(pattern, swing)
    times = [pairs.row(m.start, m.length) for m in pattern.moments]
    groups = [pairs.row(g.start, g.length) for g in pattern.groups]
    return replace(
        pattern,
        swing=swing,
        # A stroke begins and lasts as its moment does.
        strokes=tuple(s._replace(start=times[s.moment][0], length=times[s.moment][1]) for s in pattern.strokes),
        moments=tuple(m._replace(start=start, length=length) for m, (start, length) in zip(pattern.moments, times)),
        groups=tuple(g._replace(start=start, length=length) for g, (start, length) in zip(pattern.groups, groups)),
    )


def straight(pattern: Pattern) -> Pattern:
    """The pattern as it is written, without its swing; places in the text stay."""
    if pattern.swing is None:
        return pattern
    times = written_times(pattern.elements)
    moments = tuple(Moment(start, length, *m[2:]) for m, (start, length) in zip(pattern.moments, times, strict=True))
    strokes = tuple(s._replace(start=times[s.moment][0], length=times[s.moment][1]) for s in pattern.strokes)
    groups = tuple(
        g._replace(start=start, length=length)
        for g, (start, length) in zip(pattern.groups, _written_groups(pattern.elements), strict=True)
    )
    return replace(pattern, swing=None, strokes=strokes, moments=moments, groups=groups)


def written_times(elements: Sequence[Element]) -> list[tuple[Fraction, Fraction]]:
    """When each step is written to begin and how long it is (whole notes)."""
    found: list[tuple[Fraction, Fraction]] = []
    now = Fraction(0)
    for element, grid in with_grids(elements):
        if isinstance(element, (Step, Rest)):
            found.append((now, grid.step))
            now += grid.step
        elif isinstance(element, Tie):
            start, length = found[-1]
            found[-1] = (start, length + grid.step)
            now += grid.step
    return found


def _written_groups(elements: Sequence[Element]) -> list[tuple[Fraction, Fraction]]:
    """When each group is written to begin and how long it is."""
    found: list[tuple[Fraction, Fraction]] = []
    now, opened = Fraction(0), Fraction(0)
    for element, grid in with_grids(elements):
        if isinstance(element, (Step, Rest, Tie)):
            now += grid.step
        elif isinstance(element, GroupOpen):
            opened = now
        elif isinstance(element, GroupClose):
            found.append((opened, now - opened))
    return found
