"""A rhythm played on two keys against a click, written down: grid and tuplets are found, the hands were the keys."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.model.elements import Strike
from deft_reach.core.model.limbs import LIMBS
from deft_reach.core.notation.compose import Frame, Onset, compose, place_played

#: Taps so near to each other (seconds) are one moment, if they are of different limbs.
TOGETHER: Final = 0.04
#: A key that bounces: the same limb again within this time (seconds) is no stroke.
BOUNCE: Final = 0.03


class Tap(NamedTuple):
    """A tap: seconds after the click's first beat, and the limb whose key it was."""

    time: float
    limb: str


def write_taps(taps: Sequence[Tap], tempo: float, meter: tuple[int, int] = (4, 4)) -> str:
    """Stroke text for what was tapped at ``tempo`` (quarter notes a minute); empty if nothing was.

    Whoever plays steadily ahead of or behind the click is meant to be on it: the middle of all distances to the
    nearest sixteenth or triplet is taken off first, up to a sixteenth of a beat. Taps before the first beat belong
    to it.
    """
    kept = _clean(taps)
    if not kept:
        return ""
    beat = 60.0 / tempo
    beats = [tap.time / beat for tap in kept]
    lag = _lag(beats)
    places = place_played([max(0.0, b - lag) for b in beats])
    rows: dict[Fraction, list[Strike]] = {}
    together = TOGETHER / beat
    for k, (place, tap) in enumerate(zip(places, kept)):
        if k and beats[k] - beats[k - 1] < together and tap.limb != kept[k - 1].limb:
            # Two keys at once are one moment, however a grid would part them.
            place = places[k] = places[k - 1]
        row = rows.setdefault(place / 4, [])
        if all(strike.limb != tap.limb for strike in row):
            row.append(Strike(tap.limb))
    bar = Fraction(*meter)
    whole = (max(rows) // bar + 1) * bar
    frame = Frame(((Fraction(0), meter),), whole)
    # Hands before feet, however a few milliseconds fell.
    onsets = [Onset(start, tuple(sorted(row, key=lambda s: LIMBS.index(s.limb)))) for start, row in rows.items()]
    return compose(sorted(onsets, key=lambda row: row.start), frame)


def _clean(taps: Sequence[Tap]) -> list[Tap]:
    """In order, without bounces."""
    last: dict[str, float] = {}
    found = []
    for tap in sorted(taps):
        if tap.time - last.get(tap.limb, -1e9) >= BOUNCE:
            found.append(tap)
        last[tap.limb] = tap.time
    return found


def _lag(beats: Sequence[float]) -> float:
    """How far behind the click a player is on the whole (beats): the median distance to the nearest twelfth."""
    off = sorted(b - round(b * 12) / 12 for b in beats if abs(b * 4 - round(b * 4)) < 0.3) or [0.0]
    middle = off[len(off) // 2]
    return max(-1 / 16, min(1 / 16, middle))
