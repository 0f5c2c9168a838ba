"""Swing: the second of two eighths, or sixteenths, comes later than written.

Bar lines and beats stay where they are. Inside each pair the time before its second note is stretched and the time
after it shrunk, so that what divides the pair by two, four and so on moves along. A pair with a triplet or another
tuplet in it is played as written.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Final

from deft_reach.core.pattern import Element, Grid, GroupClose, GroupOpen, Moment, Pattern, Rest, Step, Swing, Tie

#: Where the second note of a pair may fall, in percent of the pair.
SWING_RANGE: Final = (50.0, 80.0)
#: The notes that may swing.
SWING_VALUES: Final = (8, 16)


class _Pairs:
    """The pairs of notes that swing, from the bar lines on."""

    def __init__(self, pattern: Pattern, swing: Swing) -> None:
        self.pattern, self.second, self.pair = pattern, swing.second, Fraction(2, swing.value)
        self.known: dict[Fraction, Fraction] = {}
        #: The beginnings of pairs that stay as they are written.
        self.stay: set[Fraction] = set()
        for m in pattern.moments:
            for time in (m.start, m.start + m.length):
                begin, part, room = self._place(time)
                if room < self.pair or part.denominator & (part.denominator - 1):
                    self.stay.add(begin)

    def _place(self, time: Fraction) -> tuple[Fraction, Fraction, Fraction]:
        """Where the pair around a time begins, how much of it is over, and how long it could be in its bar."""
        bar = self.pattern.bar_at(time)
        into = (time - bar.start + bar.offset) % self.pair
        return time - into, into / self.pair, Fraction(*bar.meter) - (time - into - bar.start + bar.offset)

    def played(self, time: Fraction) -> Fraction:
        """When a place that is written at a time (whole notes) is played."""
        found = self.known.get(time)
        if found is None:
            begin, part, _ = self._place(time)
            if part and begin not in self.stay:
                second = self.second
                part = part * 2 * second if part <= Fraction(1, 2) else second + (2 * part - 1) * (1 - second)
            found = self.known[time] = begin + part * self.pair
        return found

    def length(self, start: Fraction, length: Fraction) -> Fraction:
        return self.played(start + length) - self.played(start)


def played(pattern: Pattern, swing: Swing) -> Pattern:
    """A straight pattern's strokes, steps and groups as they are played with swing."""
    if not pattern.moments:
        return replace(pattern, swing=swing)
    pairs = _Pairs(pattern, swing)
    at, length = pairs.played, pairs.length
    return replace(
        pattern,
        swing=swing,
        strokes=tuple(s._replace(start=at(s.start), length=length(s.start, s.length)) for s in pattern.strokes),
        moments=tuple(m._replace(start=at(m.start), length=length(m.start, m.length)) for m in pattern.moments),
        groups=tuple(g._replace(start=at(g.start), length=length(g.start, g.length)) for g in pattern.groups),
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
    grid, now = Grid(16), Fraction(0)
    for element in elements:
        if isinstance(element, Grid):
            grid = element
        elif isinstance(element, (Step, Rest)):
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
    grid, now, opened = Grid(16), Fraction(0), Fraction(0)
    for element in elements:
        if isinstance(element, Grid):
            grid = element
        elif isinstance(element, (Step, Rest, Tie)):
            now += grid.step
        elif isinstance(element, GroupOpen):
            opened = now
        elif isinstance(element, GroupClose):
            found.append((opened, now - opened))
    return found
