"""The pulse that carries on: what a section keeps of the beat of the one before it, and what it drops.

A pulse is what a section plays on the same beat of every one of its full bars: the bass drum on beats, the backbeat
(hands on the snare on even beats), the foot on the hi-hat. Common practice: while those go on, the band can stay.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.model.derived import derived
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import HANDS, HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.pattern import Bar, Pattern, Stroke, lead_beat
from deft_reach.core.song.parts import Chain

#: What can carry the pulse, as it is said.
BASS: Final = "bass drum"
BACKBEAT: Final = "backbeat"
FOOT: Final = "hi-hat foot"


class Beat(NamedTuple):
    """A pulse on a beat of the bar, counted from 1 in the meter's own beats."""

    what: str
    beat: int


class Pulse(NamedTuple):
    """What of the section before is kept and what is dropped while the next one takes over."""

    kept: tuple[Beat, ...]
    dropped: tuple[Beat, ...]

    @property
    def share(self) -> float | None:
        """How much is kept, 0 to 1; None where the section before has no pulse."""
        count = len(self.kept) + len(self.dropped)
        return len(self.kept) / count if count else None


@derived
def pulse_of(pattern: Pattern) -> frozenset[Beat]:
    """What a pattern plays on the same beat of all its full bars."""
    full = [bar for bar in pattern.bar_rows if bar.length == Fraction(*bar.meter) and bar.length]
    found: frozenset[Beat] | None = None
    for bar in full:
        here = frozenset(
            beat
            for stroke in pattern.strokes
            if bar.start <= stroke.start < bar.start + bar.length
            for beat in _beats(stroke, stroke.start - bar.start, bar.meter)
        )
        found = here if found is None else found & here
    return found or frozenset()


def _beats(stroke: Stroke, into: Fraction, meter: tuple[int, int]) -> Iterable[Beat]:
    """What a stroke is of the pulse, if it falls on a beat."""
    if into % lead_beat(meter):
        return
    beat = 1 + int(into * meter[1])
    number = into / lead_beat(meter)
    if stroke.limb in (KICK, SECOND_KICK):
        yield Beat(BASS, beat)
    elif stroke.limb == HAT_FOOT:
        yield Beat(FOOT, beat)
    elif stroke.limb in HANDS and piece_of(stroke.voice) == "sn" and number % 2 == 1 and "." not in stroke.marks:
        yield Beat(BACKBEAT, beat)


def pulse_between(chain: Chain, before: int, after: int) -> Pulse:
    """What the part ``after`` keeps of the pulse of the part ``before``: in its own bars and in its pickup."""
    a, b = chain.parts[before], chain.parts[after]
    pulse = pulse_of(a.pattern)
    if not pulse:
        return Pulse((), ())
    total = chain.nominal.length - chain.nominal.pickup if chain.repeat else None
    lead_in = chain.nominal.pickup
    first, last = b.start - b.head + lead_in, b.start + b.body + lead_in
    meter = a.pattern.bar_rows[-1].meter
    wanted: dict[Beat, list[bool]] = {}
    for bar in _bars_in(chain.nominal, first, last, total):
        if bar.meter != meter or bar.length != Fraction(*bar.meter):
            continue
        sounding = _heard(chain.nominal, bar.start, bar.meter, bar.length)
        for beat in pulse:
            at = bar.start + Fraction(beat.beat - 1, bar.meter[1])
            if first <= at < last or (total is not None and first <= at - total < last):
                wanted.setdefault(beat, []).append(beat in sounding)
    rows = sorted(wanted, key=lambda beat: (beat.beat, beat.what))
    return Pulse(
        tuple(beat for beat in rows if all(wanted[beat])), tuple(beat for beat in rows if not all(wanted[beat]))
    )


def _bars_in(pattern: Pattern, first: Fraction, last: Fraction, round_after: Fraction | None) -> list[Bar]:
    """Bars that a stretch of time lies in; before the beginning of a loop is its end."""
    rows = pattern.bar_rows
    low = max(0, bisect_right(rows, first, key=_begin) - 1)
    found = list(rows[low : bisect_left(rows, last, key=_begin)])
    if first < 0 and round_after is not None:
        found += rows[max(0, bisect_right(rows, first + round_after, key=_begin) - 1) :]
    return found


def _begin(bar: Bar) -> Fraction:
    return bar.start


def _heard(pattern: Pattern, start: Fraction, meter: tuple[int, int], length: Fraction) -> frozenset[Beat]:
    return frozenset(
        beat
        for moment in pattern.moments_between(float(start) - 1e-9, float(start + length) - 1e-9)
        for i in moment.strokes
        for beat in _beats(pattern.strokes[i], pattern.strokes[i].start - start, meter)
    )


def pulse_words(pulse: Pulse) -> str:
    """What is kept and dropped, as one sentence."""
    if pulse.share is None:
        return "There is no steady pulse before it to keep."
    if not pulse.dropped:
        return f"Keeps the pulse: {_listed(pulse.kept)}."
    if not pulse.kept:
        return f"Drops the pulse: {_listed(pulse.dropped)}; the band has to count."
    return f"Keeps {_listed(pulse.kept)}; drops {_listed(pulse.dropped)}."


def _listed(beats: tuple[Beat, ...]) -> str:
    by_what: dict[str, list[str]] = {}
    for beat in beats:
        by_what.setdefault(beat.what, []).append(str(beat.beat))
    return ", ".join(f"{what} on {' '.join(numbers)}" for what, numbers in by_what.items())
