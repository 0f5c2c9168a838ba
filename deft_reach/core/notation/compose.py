"""Strokes placed in time, written down as stroke text: what imports and tapping in end with.

The grid is found beat by beat: the coarsest one on which everything in that beat falls.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from typing import Final, NamedTuple

from deft_reach.core.model.elements import BarLine, Grid, LineBreak, Meter, Rest, Step, Strike, Swing, Tempo, Tie
from deft_reach.core.model.limbs import DEFAULT_VOICE
from deft_reach.core.model.pattern import Element
from deft_reach.core.notation.stroke_text import GRID_VALUES, MAX_TUPLET, write

#: Finer than this part of a beat nothing is told apart.
FINEST: Final = 64


@dataclass(frozen=True)
class Onset:
    """Everything that falls together: when, and for how long (whole notes, exact); None for no matter how long."""

    start: Fraction
    strikes: tuple[Strike, ...]
    length: Fraction | None = None


@dataclass(frozen=True)
class Frame:
    """What the onsets stand in: meters with where they begin, how long a pickup is, and the whole length."""

    meters: tuple[tuple[Fraction, tuple[int, int]], ...] = ((Fraction(0), (4, 4)),)
    length: Fraction = Fraction(0)
    pickup: Fraction = Fraction(0)
    tempo: float | None = None
    #: Onsets are given as written; this says how they swing.
    swing: Swing | None = None


class Composed(NamedTuple):
    """A stroke text, and the onsets that are not where they were asked for: from, to (whole notes)."""

    text: str
    moved: tuple[tuple[Fraction, Fraction], ...] = ()

    @property
    def moved_in_words(self) -> str:
        """How many strokes were moved and how far, empty for none."""
        if not self.moved:
            return ""
        most = max(abs(b - a) for a, b in self.moved)
        places = "1 place lies" if len(self.moved) == 1 else f"{len(self.moved):,} places lie"
        return (
            f"{places} on no grid that can be written: moved to the nearest one, by at most {float(most) * 4:.3f} of "
            "a quarter note"
        )


def compose(onsets: Sequence[Onset], frame: Frame) -> str:
    """Stroke text that reads back to these onsets, as ``composed``, which also says what was moved."""
    return composed(onsets, frame).text


def composed(onsets: Sequence[Onset], frame: Frame) -> Composed:  # noqa: C901 - see below
    """Stroke text that reads back to these onsets.

    Onsets must be in order, none twice at one time; those too fine for any grid are moved to the nearest place that
    can be written. What is held becomes ``=``, the rest ``-``.
    """
    # Long: first the grid of each unit, then its steps, over the same rows.
    rows = [(row.start, row.strikes, row.start + row.length if row.length else None) for row in onsets]
    end = max(frame.length, max((start + Fraction(1, 64) for start, _, _ in rows), default=Fraction(0)))
    units: list[tuple[Fraction, Fraction, bool, Fraction | None]] = []
    needs: list[int] = []
    at = 0
    for a, b, closes, full in _units(frame, end):
        points = []
        while at < len(rows) and rows[at][0] < b:
            points.append(rows[at][0])
            at += 1
        points += [stop for _, _, stop in rows[max(0, at - 64) : at] if stop is not None and a < stop < b]
        need = _steps(a, b, points)
        borders = _fill(sorted({a, *points, b if full is None else full})) if need is None else None
        if need is not None:
            units.append((a, b, closes, full))
            needs.append(need)
        elif borders is not None:
            # No one grid has it all: a step from each place to the next.
            units += [(x, y, closes and y == b, None) for x, y in pairwise(borders)]
            needs += [1] * (len(borders) - 1)
        else:
            units.append((a, b, closes, full))
            needs.append(next(n for n in (32, 16, 8, 7, 6, 5, 4, 3, 2, 1) if _grid((b - a) / n) is not None))
    common = _common(needs)
    beat = max((b - a for a, b, _, _ in units), default=Fraction(1))
    elements: list[Element] = []
    if frame.meters and frame.meters[0] != (Fraction(0), (4, 4)):
        elements.append(Meter(*frame.meters[0][1]))
    if frame.tempo is not None:
        elements.append(Tempo(frame.tempo))
    if frame.swing is not None:
        elements.append(frame.swing)
    if elements:
        elements.append(LineBreak())
    grid: Grid | None = None
    unset = Grid(16) if frame.swing is None else frame.swing.grid
    # From here on in whole numbers of the finest part there is: thousands of steps are compared.
    fine = 1
    for a, b, _, full in units:
        fine = math.lcm(fine, a.denominator, b.denominator, 1 if full is None else full.denominator)
    for start, _, stop in rows:
        fine = math.lcm(fine, start.denominator, 1 if stop is None else stop.denominator)
    starts = [int(start * fine) for start, _, _ in rows]
    stops = [None if stop is None else int(stop * fine) for _, _, stop in rows]
    at, held = 0, 0
    moved: list[tuple[Fraction, Fraction]] = []
    meters = dict(frame.meters[1:])
    for (a, b, closes, full), need in zip(units, needs):
        if a in meters:
            elements.append(Meter(*meters[a]))
        # A part of a beat has its part of the steps.
        part = common * (b - a) / beat
        usual = int(part) if part.denominator == 1 and part >= 1 else common
        steps = usual if usual % need == 0 and _grid((b - a) / usual) is not None else need
        wanted = _grid((b - a) / steps)
        assert wanted is not None
        if wanted != (grid or unset):
            elements.append(wanted)
        grid = wanted
        low, wide = int(a * fine), int((b - a) * fine)
        limit = None if full is None else int(full * fine) * steps
        for k in range(steps):
            now, after = low * steps + wide * k, low * steps + wide * (k + 1)
            if limit is not None and now >= limit:
                break
            strikes: tuple[Strike, ...] = ()
            stop_at: int | None = None
            # Whatever is nearer to this step than to the next belongs to it.
            while at < len(rows) and 2 * starts[at] * steps < now + after:
                strikes += rows[at][1]
                stop_at = stops[at]
                if starts[at] * steps != now:
                    moved.append((rows[at][0], Fraction(now, steps * fine)))
                at += 1
            if strikes:
                elements.append(Step(tuple(map(_plain, strikes))))
                held = stop_at if stop_at is not None else -1
            elif now < held * steps:
                elements.append(Tie())
            else:
                elements.append(Rest())
        if closes:
            elements += [BarLine(), LineBreak()]
    while elements and isinstance(elements[-1], LineBreak):
        elements.pop()
    return Composed(write(elements), tuple(moved))


def empty_bar(meter: tuple[int, int] = (4, 4)) -> str:
    """A full bar of rests: sixteenths, or in meters of sixteenths and shorter their own notes.

    >>> empty_bar((3, 8))
    'meter 3/8\\n/16 - - - - - - |'
    """
    value = max(16, meter[1])
    steps = int(Fraction(*meter) * value)
    setting = "" if meter == (4, 4) else f"meter {meter[0]}/{meter[1]}\n"
    return f"{setting}/{value} {' '.join('-' * steps)} |"


def _plain(strike: Strike) -> Strike:
    """A voice goes without saying where it is the limb's usual one."""
    return replace(strike, voice=None) if strike.voice == DEFAULT_VOICE[strike.limb] else strike


def _units(frame: Frame, end: Fraction) -> list[tuple[Fraction, Fraction, bool, Fraction | None]]:
    """Stretch by stretch that shares a grid: start, end, whether a bar ends there, and where to stop short."""
    found: list[tuple[Fraction, Fraction, bool, Fraction | None]] = []
    at = Fraction(0)
    if frame.pickup:
        unit = _unit(frame.meters[0][1])
        first = frame.pickup % unit
        if first:
            found.append((at, at + first, False, None))
            at += first
        while at < frame.pickup:
            found.append((at, at + unit, False, None))
            at += unit
        start, stop, _, full = found[-1]
        found[-1] = (start, stop, True, full)
    for k, (begin, meter) in enumerate(frame.meters):
        stop = frame.meters[k + 1][0] if k + 1 < len(frame.meters) else end
        at = max(at, begin)
        unit = _unit(meter)
        bar = Fraction(*meter)
        while at < stop:
            place = at
            while place < at + bar:
                after = min(place + unit, at + bar)
                cut = stop if place < stop < after else None
                if place < stop:
                    found.append((place, after, after == at + bar and cut is None, cut))
                place = after
            at += bar
    return found


def _unit(meter: tuple[int, int]) -> Fraction:
    """What shares one grid: a quarter, or where bars do not consist of quarters the meter's own beat."""
    whole = Fraction(*meter)
    return Fraction(1, 4) if whole % Fraction(1, 4) == 0 else Fraction(1, max(8, meter[1]))


def _steps(a: Fraction, b: Fraction, points: Sequence[Fraction]) -> int | None:
    """How many steps a stretch needs so that every point falls on one; None where that would be too many."""
    needed = 1
    for point in points:
        needed = math.lcm(needed, ((point - a) / (b - a)).denominator)
        if needed > FINEST:
            return None
    while needed <= FINEST:
        if _grid((b - a) / needed) is not None:
            return needed
        needed *= 2
    return None


def _fill(borders: Sequence[Fraction]) -> list[Fraction] | None:
    """The borders, with one more between any two whose distance is no step but the sum of two; None if that fails."""
    found = [borders[0]]
    for x, y in pairwise(borders):
        if _grid(y - x) is None:
            plain = (Fraction(1, n) for n in (4, 6, 8, 12, 16, 20, 24, 28, 32, 40, 48, 56))
            middle = next((s for s in plain if s < y - x and _grid(y - x - s) is not None), None)
            if middle is None:
                return None
            found.append(y - middle)
        found.append(y)
    return found


def _common(needs: Sequence[int]) -> int:
    """The grid that serves most stretches, sixteenths unless something else prevails."""
    busy = Counter(need for need in needs if need > 1)
    if not busy:
        return 4 if len(needs) > 1 else 1
    most = busy.most_common(1)[0][0]
    return 4 if 4 % most == 0 else most


@lru_cache(maxsize=4096)
def _grid(step: Fraction) -> Grid | None:
    """The grid whose steps are this long, in the plainest way to write it; None if there is none."""
    for value in GRID_VALUES:
        if step == Fraction(1, value):
            return Grid(value)
    for value in GRID_VALUES:
        if step == Fraction(2, 3 * value):
            return Grid(value, triplet=True)
    best: tuple[float, Grid] | None = None
    for value in GRID_VALUES:
        ratio = step * value
        for times in (1, 2, 4, 8, 16, 32):
            of, count = ratio.numerator * times, ratio.denominator * times
            if of <= MAX_TUPLET and count <= MAX_TUPLET:
                # Five in the time of four, not in the time of one: the two counts close to each other.
                odd = abs(math.log2(count / of)) * 10 + (0 if count > of else 3) + of / 100
                odd += 0 if of & (of - 1) == 0 else 5
                if best is None or odd < best[0]:
                    best = (odd, Grid(value, count, of))
    return None if best is None else best[1]


# --- played times ---------------------------------------------------------------------------------------------------

#: Grids that are looked for in a beat, and how much each has to explain more than the one before it.
_CANDIDATES: Final = ((1, 0.0), (2, 1.0), (4, 2.0), (3, 3.0), (6, 4.5), (8, 5.0), (5, 8.0), (12, 8.0), (7, 10.0))
#: How far off the grid (beats) a written and a played stroke is; and how near strokes are that fall together.
WRITTEN: Final = 0.004
PLAYED: Final = 0.035
TOGETHER: Final = 0.03


def place_on(grid: Fraction, beats: Sequence[float]) -> list[Fraction]:
    """The nearest places (beats) on one grid, whose step is given in beats; none before the beginning."""
    return [max(Fraction(0), round(beat / float(grid)) * grid) for beat in beats]


def place_played(beats: Sequence[float], looseness: float | None = None, binary: bool = False) -> list[Fraction]:
    """Where played times (beats, ascending) were meant to fall: each as a fraction of a beat.

    ``looseness`` is how far off the grid strokes are on average (beats); None finds out whether they were written
    or played. Each beat takes the grid that explains its strokes best, simple ones preferred; strokes that are
    clearly apart stay apart. ``binary`` grids divide a beat by two, four and eight only.
    """
    if looseness is None:
        tight = place_played(beats, WRITTEN, binary)
        off = [abs(float(place) - beat) for place, beat in zip(tight, beats)]
        return tight if not off or max(off) < 3 * WRITTEN else place_played(beats, PLAYED, binary)
    found: list[Fraction] = []
    at = 0
    last_steps = 1
    early = min(0.12, 3 * looseness)
    while at < len(beats):
        beat = math.floor(beats[at] + early)
        stop = at
        while stop < len(beats) and beats[stop] < beat + 1 - early:
            stop += 1
        inside = [time - beat for time in beats[at:stop]]
        best: tuple[float, int, list[int]] | None = None
        for steps, price in _CANDIDATES:
            if binary and steps & (steps - 1):
                continue
            slots = [round(time * steps) for time in inside]
            clash = any(
                slots[k] == slots[k + 1] and inside[k + 1] - inside[k] > TOGETHER for k in range(len(slots) - 1)
            )
            if clash or (slots and slots[-1] >= steps):
                continue
            error = sum((time - slot / steps) ** 2 for time, slot in zip(inside, slots)) / (2 * looseness**2)
            score = error + price - (0.5 if steps == last_steps else 0.0)
            if best is None or score < best[0]:
                best = (score, steps, slots)
        if best is None:
            # More than any grid tells apart: thirty-seconds, each stroke at its nearest.
            best = (0.0, 32, [min(31, round(time * 32)) for time in inside])
        found += [beat + Fraction(slot, best[1]) for slot in best[2]]
        last_steps = best[1]
        at = stop
    return found
