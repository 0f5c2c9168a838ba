"""A long pattern cut into sections: bars that repeat become one short pattern, played so many times."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.model.elements import Strike
from deft_reach.core.model.pattern import Bar, Pattern
from deft_reach.core.notation.compose import Frame, Onset, compose
from deft_reach.core.notation.swing import straight

#: A bar whose tempo differs by more than this part begins another section; playing that breathes does not.
TEMPO_CHANGES: Final = 0.03
#: Units of so many bars are looked for; what repeats nothing is cut after so many bars.
UNITS: Final = (1, 2, 4, 8)
LONGEST: Final = 8


class Stretch(NamedTuple):
    """Bars ``first`` to ``last`` (numbers, from 1) as stroke text, how often they are played in a row, and at what
    tempo (BPM; None: at the piece's).
    """

    first: int
    last: int
    text: str
    times: int
    tempo: float | None = None


def sections_of(pattern: Pattern, tempi: Sequence[tuple[Fraction, float]] = ()) -> tuple[Stretch, ...]:
    """The pattern's bars in order as sections: the same bars have the same text.

    ``tempi`` are tempo changes (whole notes from the beginning, BPM), in order: another tempo begins a section. A
    pickup and an unfinished last bar are sections of their own. Played in order as often as they say, the sections
    are the pattern again.
    """
    flat = straight(pattern)
    rows: dict[Bar, list[tuple[Fraction, Strike]]] = {bar: [] for bar in flat.bar_rows}
    for stroke in flat.strokes:
        bar = flat.bar_at(stroke.start)
        rows[bar].append((stroke.start - bar.start, stroke.strike()))
    bars = flat.bar_rows
    held = _tempi_of_bars(bars, tempi)
    keys = [(bar.meter, bar.length, tempo, tuple(rows[bar])) for bar, tempo in zip(bars, held)]
    found: list[Stretch] = []
    texts: dict[object, str] = {}
    at = 0
    while at < len(bars):
        size, times = _unit(keys, at)
        if times < 2:
            size = 1
            while (
                size < LONGEST
                and at + size < len(bars)
                and held[at + size] == held[at]
                and _unit(keys, at + size)[1] < 2
            ):
                size += 1
        part = tuple(keys[at : at + size])
        if part not in texts:
            texts[part] = _text(pattern, bars[at : at + size], rows)
        found.append(Stretch(bars[at].number, bars[at + size - 1].number, texts[part], times, held[at]))
        at += size * times
    return tuple(found)


def _tempi_of_bars(bars: Sequence[Bar], tempi: Sequence[tuple[Fraction, float]]) -> list[float | None]:
    """The tempo that each bar begins with; as long as it hardly changes it is the section's first."""
    starts = [start for start, _ in tempi]
    found: list[float | None] = []
    for bar in bars:
        k = bisect_right(starts, bar.start) - 1
        tempo = tempi[k][1] if k >= 0 else None
        before = found[-1] if found else None
        same = tempo is not None and before is not None and abs(tempo / before - 1) <= TEMPO_CHANGES
        found.append(before if same else tempo)
    return found


def _unit(keys: Sequence[tuple[object, ...]], at: int) -> tuple[int, int]:
    """How many bars from here on repeat, and how often: what covers most bars, the shorter unit first."""
    best = (1, 1)
    for size in UNITS:
        unit = keys[at : at + size]
        if len(unit) < size:
            break
        if len({key[2] for key in unit}) > 1:
            break
        times = 1
        while keys[at + size * times : at + size * (times + 1)] == unit:
            times += 1
        if times > 1 and size * times > best[0] * best[1]:
            best = (size, times)
    return best


def _text(pattern: Pattern, bars: Sequence[Bar], rows: dict[Bar, list[tuple[Fraction, Strike]]]) -> str:
    """Some bars as stroke text of their own."""
    begin = bars[0].start
    together: dict[Fraction, list[Strike]] = {}
    meters: list[tuple[Fraction, tuple[int, int]]] = []
    for bar in bars:
        if not meters or meters[-1][1] != bar.meter:
            meters.append((bar.start - begin, bar.meter))
        for into, strike in rows[bar]:
            together.setdefault(bar.start - begin + into, []).append(strike)
    length = bars[-1].start + bars[-1].length - begin
    pickup = bars[0].length if bars[0].offset else Fraction(0)
    onsets = [Onset(start, tuple(strikes)) for start, strikes in sorted(together.items())]
    return compose(onsets, Frame(tuple(meters), length, pickup, swing=pattern.swing))
