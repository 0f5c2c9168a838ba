"""Placing what has been read in time: strokes, moments and bars."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Protocol

from deft_reach.core.model.elements import Span
from deft_reach.core.model.limbs import DEFAULT_VOICE
from deft_reach.core.model.pattern import (
    Bar,
    BarFault,
    Element,
    Group,
    Moment,
    Pattern,
    Stroke,
    lead_beat,
)


class Taken(Protocol):
    """A place in an earlier reading up to which, or from which on, everything is taken over."""

    @property
    def rows(self) -> int: ...


class Reading(Protocol):
    """What has been read of a text: elements and rows (start, length, strikes, group, span), and what frames them."""

    @property
    def text(self) -> str: ...
    @property
    def elements(self) -> Sequence[Element]: ...
    @property
    def rows(self) -> Sequence[Sequence[object]]: ...
    @property
    def groups(self) -> Sequence[Group]: ...
    @property
    def faults(self) -> Sequence[BarFault]: ...
    @property
    def meters(self) -> Sequence[tuple[Fraction, tuple[int, int]]]: ...
    @property
    def closed(self) -> Sequence[tuple[Fraction, Fraction]]: ...
    @property
    def tempo(self) -> float | None: ...
    @property
    def now(self) -> Fraction: ...
    @property
    def pickup(self) -> Fraction: ...
    @property
    def finest(self) -> int: ...
    @property
    def pattern(self) -> Pattern | None: ...
    @property
    def head(self) -> tuple[Reading, Taken] | None: ...
    @property
    def tail(self) -> tuple[Reading, Taken] | None: ...


def place(parser: Reading) -> Pattern:
    """The pattern as it is written, once all of the text has been read."""
    # Long: one pass over the rows; what is taken over frames it.
    bars = bars_of(parser)
    strokes: list[Stroke] = []
    moments: list[Moment] = []
    # Rows of bars that were taken over are finished already; but a hold may reach back over a bar line.
    first_row, last_row = 0, len(parser.rows)
    if parser.head is not None and parser.head[0].pattern is not None:
        first_row = max(0, parser.head[1].rows - 1)
        moments += parser.head[0].pattern.moments[:first_row]
        strokes += parser.head[0].pattern.strokes[: sum(len(moment.strokes) for moment in moments)]
    if parser.tail is not None and parser.tail[0].pattern is not None:
        last_row = parser.tail[1].rows
    # Exact fractions are slow to compare: places are counted in the finest part there is, and as most bars are
    # alike each place in a bar is worked out once.
    places: dict[tuple[int, tuple[int, int]], tuple[Fraction, bool]] = {}
    fine = 1
    for part in {row[0].denominator for row in parser.rows[first_row:last_row]}:  # type: ignore[attr-defined]
        fine = math.lcm(fine, part)
    for bar_row in bars:
        fine = math.lcm(fine, bar_row.start.denominator, bar_row.offset.denominator)
    begins = [bar_row.start.numerator * (fine // bar_row.start.denominator) for bar_row in bars]
    shifts = [
        bar_row.offset.numerator * (fine // bar_row.offset.denominator) - begin
        for bar_row, begin in zip(bars, begins)
    ]
    at = 0
    for number, (start, length, strikes, group, span) in enumerate(parser.rows[first_row:last_row], first_row):
        assert isinstance(start, Fraction) and isinstance(length, Fraction) and isinstance(strikes, list)
        assert isinstance(group, int) and isinstance(span, Span)
        tick = start.numerator * (fine // start.denominator)
        while at + 1 < len(bars) and begins[at + 1] <= tick:
            at += 1
        bar, meter = bars[at].number, bars[at].meter
        key = (tick + shifts[at], meter)
        found = places.get(key)
        if found is None:
            into = Fraction(key[0], fine)
            found = places[key] = (1 + into * meter[1], into % lead_beat(meter) == 0)
        beat, on_beat = found
        first = len(strokes)
        for strike in strikes:
            strokes.append(
                Stroke(
                    len(strokes),
                    start,
                    length,
                    bar,
                    beat,
                    strike.limb,
                    strike.voice or DEFAULT_VOICE[strike.limb],
                    strike.marks,
                    strike.grace,
                    number,
                    group,
                    strike.span,
                    strike.grace_voice,
                    strike.grace_marks,
                    strike.shift or (parser.groups[group].shift if group >= 0 else 0),
                )
            )
        moments.append(Moment(start, length, tuple(range(first, len(strokes))), span, beat, on_beat))
    if parser.tail is not None and parser.tail[0].pattern is not None:
        moments += parser.tail[0].pattern.moments[last_row:]
        strokes += parser.tail[0].pattern.strokes[len(strokes) :]
    return Pattern(
        tuple(parser.elements),
        parser.text,
        parser.meters[0][1] if parser.meters else (4, 4),
        parser.tempo,
        parser.now,
        parser.pickup,
        tuple(strokes),
        tuple(parser.groups),
        tuple(moments),
        tuple(bars),
        tuple(parser.faults),
        parser.finest,
    )


def bars_of(parser: Reading) -> list[Bar]:
    """Every bar that is begun: as its bar lines say, and after the last of them counted by the meter."""
    meters = parser.meters if parser.meters and parser.meters[0][0] == 0 else [(Fraction(0), (4, 4)), *parser.meters]
    found: list[Bar] = []
    rows = list(parser.closed)
    at = rows[-1][1] if rows else Fraction(0)
    last = Fraction(*meters[-1][1])
    while at < parser.now:
        rows.append((at, min(at + last, parser.now)))
        at += last
    k = 0
    for start, end in rows:
        while k + 1 < len(meters) and meters[k + 1][0] <= start:
            k += 1
        meter = meters[k][1]
        pickup = parser.pickup > 0 and start == 0
        offset = Fraction(*meter) - parser.pickup if pickup else Fraction(0)
        number = 0 if pickup else found[-1].number + 1 if found else 1
        found.append(Bar(number, start, end - start, meter, offset))
    return found
