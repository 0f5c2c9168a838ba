"""A rhythm played on keys or pads against a click, written down: on grids that are found, or on a wished one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.model.elements import Strike
from deft_reach.core.model.limbs import EITHER, LIMBS
from deft_reach.core.notation.compose import Frame, Onset, compose, place_on, place_played

#: Taps so near to each other (seconds) are one moment, if they are of different limbs.
TOGETHER: Final = 0.04
#: A key that bounces: the same limb again within this time (seconds) is no stroke.
BOUNCE: Final = 0.03
#: The grids that can be wished, by the length of a step in beats; None finds them out.
GRIDS: Final = {
    "as played": None,
    "eighths": Fraction(1, 2),
    "eighth triplets": Fraction(1, 3),
    "sixteenths": Fraction(1, 4),
    "sixteenth triplets": Fraction(1, 6),
    "thirty-seconds": Fraction(1, 8),
}


class Tap(NamedTuple):
    """A tap: seconds after the click's first beat (before it: less than 0), the limb whose key it was, and the voice
    and marks of the pad, where it has any.
    """

    time: float
    limb: str
    voice: str | None = None
    marks: str = ""


def write_taps(
    taps: Sequence[Tap],
    tempo: float,
    meter: tuple[int, int] = (4, 4),
    *,
    grid: Fraction | None = None,
    pickup: bool = False,
) -> str:
    """Stroke text for what was tapped at ``tempo`` (quarter notes a minute); empty if nothing was.

    Whoever plays steadily ahead of or behind the click is meant to be on it: the middle of all distances to the
    nearest sixteenth or triplet is taken off first, up to a sixteenth of a beat. ``grid`` is a step in beats, None
    finds one. What is tapped before the first beat is a pickup where there can be one, else it comes in a bar of its
    own.
    """
    kept = _clean(taps)
    if not kept:
        return ""
    beat, bar = 60.0 / tempo, Fraction(*meter)
    beats = [tap.time / beat for tap in kept]
    lag = _lag(beats)
    # Whole bars before the first beat: the grids are found from a bar line on.
    before = max(0, -math.floor((beats[0] - lag + 0.25) / float(4 * bar))) * bar
    shift = float(before * 4)
    kept_beats = [max(0.0, b - lag + shift) for b in beats]
    places = place_played(kept_beats) if grid is None else place_on(grid, kept_beats)
    rows: dict[Fraction, list[Strike]] = {}
    together = TOGETHER / beat
    for k, (place, tap) in enumerate(zip(places, kept)):
        if k and beats[k] - beats[k - 1] < together and tap.limb != kept[k - 1].limb:
            # Two keys at once are one moment, however a grid would part them.
            place = places[k] = places[k - 1]
        row = rows.setdefault(place / 4, [])
        if _fits(row, tap):
            row.append(Strike(tap.limb, tap.voice, tap.marks))
    first = min(rows)
    lead = before - first if pickup and 0 < before - first < bar else Fraction(0)
    if lead:
        rows = {start - first: row for start, row in rows.items()}
    # Hands before feet, however a few milliseconds fell.
    onsets = [Onset(start, tuple(sorted(row, key=lambda s: LIMBS.index(s.limb)))) for start, row in rows.items()]
    whole = lead + ((max(rows) - lead) // bar + 1) * bar
    return compose(sorted(onsets, key=lambda row: row.start), Frame(((Fraction(0), meter),), whole, lead))


def _fits(row: Sequence[Strike], tap: Tap) -> bool:
    """Whether a moment has room for a tap: a limb strikes once; where hands are open, two of them, on two voices."""
    same = [strike for strike in row if strike.limb == tap.limb]
    if tap.limb != EITHER:
        return not same
    return len(same) < 2 and all(strike.voice != tap.voice for strike in same)


def _clean(taps: Sequence[Tap]) -> list[Tap]:
    """In order, without bounces."""
    last: dict[tuple[str, str | None], float] = {}
    found = []
    for tap in sorted(taps, key=lambda tap: tap.time):
        # A pad that says no hand can be struck by two: then the voice tells them apart.
        key = (tap.limb, tap.voice if tap.limb == EITHER else None)
        if tap.time - last.get(key, -1e9) >= BOUNCE:
            found.append(tap)
        last[key] = tap.time
    return found


def _lag(beats: Sequence[float]) -> float:
    """How far behind the click a player is on the whole (beats): the median distance to the nearest twelfth."""
    off = sorted(b - round(b * 12) / 12 for b in beats if abs(b * 4 - round(b * 4)) < 0.3) or [0.0]
    middle = off[len(off) // 2]
    return max(-1 / 16, min(1 / 16, middle))
