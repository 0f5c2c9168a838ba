"""Slips: where a take leaves the figure and goes on at another place of it, or later.

A beat left out, a beat played twice and a stop are one thing each. They change the place in the figure once, for
everything that follows; taken stroke by stroke they would be a long row of strokes missed, too many and late.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.practice.hit_index import HitIndex

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]

LEFT_OUT, TWICE, STOP, TOO_SOON, STUMBLE = "left-out", "twice", "stop", "too-soon", "stumble"

#: The place is looked for again where the next beats fit less well than this (share of their strokes).
LOST: Final = 0.8
#: So many beats ahead say where the player is.
LOOK_BEATS: Final = 6.0
#: A player is looked for this many beats further on, and so long later (beats, and at least seconds).
AHEAD_BEATS, BEHIND_BEATS, BEHIND_S = 4.0, 6.0, 3.0
#: Places are tried so far apart (seconds), and a hit counts for a stroke that is about so far off.
STEP_S, NEAR_S = 0.010, 0.050
#: What is no further off than this (seconds) is the same place; a jump is at least so far.
GIVE_S, LEAST_JUMP_S = 0.050, 0.100
#: Another place has to explain this share of the strokes ahead more than going on does, and at least so many strokes.
GAIN_PART, GAIN_STROKES = 0.17, 1.8
#: A stroke that is not heard, a hit that nothing explains, and a stroke that is left out, count against a place by so
#: much of a stroke; a jump does by so much for each beat.
UNHEARD, UNEXPLAINED, SKIPPED, FAR_JUMP = 0.3, 0.08, 0.1, 0.05
#: A jump within so many beats is found; for what comes later the next look has more to go by.
SEEN_BEATS: Final = 3.0
#: How much loudness that fits, or does not, changes what a stroke counts.
LOUDNESS: Final = 0.3
#: A stop is told from unsteadiness by so many of its standard errors, and from so many tolerances on.
STANDARD_ERRORS, TOLERANCES = 6.0, 2.75
#: The strokes of so many beats on either side say how far a stop has moved everything.
STOP_BEATS: Final = 3.0


class Slip(NamedTuple):
    """One slip.

    ``kind`` is left-out, twice, stop, too-soon or stumble; ``round`` counts from 1; ``stroke`` is the first one
    concerned, by its index; ``beats`` says how much was left out or played twice (quarters), ``seconds`` how long the
    player stopped, or how much too soon they went on.
    """

    kind: str
    round: int
    stroke: int
    beats: float
    seconds: float

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


class Jump(NamedTuple):
    """From row ``row`` (in the order of time) on all comes ``later`` seconds later than going on would be; where that
    is less than nothing, the rows up to ``resume`` are left out. A second written took ``slope`` seconds.
    """

    row: int
    resume: int
    later: float
    slope: float


@dataclass(frozen=True)
class Strokes:
    """The strokes of all rounds in the order of time: when they are written (s), their pads and levels, all (n,)."""

    written: Floats
    pads: Ints
    levels: Floats
    beat: float

    def ahead(self, low: int, beats: float) -> int:
        """The first row that is ``beats`` or more after row ``low``."""
        return int(np.searchsorted(self.written, self.written[low] + beats * self.beat - 1e-9))


def find_jump(hits: HitIndex, strokes: Strokes, low: int, begin: float, at: float, slope: float) -> Jump | None:
    """Where the take goes on, if it does not go on as it was: the jump that explains the next beats best.

    ``begin`` (seconds as written) is played at ``at`` (s), and a second written takes ``slope`` seconds. ``low`` is
    the first row that is not laid out yet. None where going on explains the next beats as well.
    """
    beat = strokes.beat * slope
    behind = max(BEHIND_S, BEHIND_BEATS * beat)
    high = strokes.ahead(low, LOOK_BEATS + AHEAD_BEATS + behind / beat)
    written, pads, levels = strokes.written[low:high], strokes.pads[low:high], strokes.levels[low:high]
    on = at + slope * (written - begin)
    end = float(hits.times[-1]) + 0.1
    inside = int(np.searchsorted(on, min(on[0] + LOOK_BEATS * beat, end)))
    if inside < 4:
        return None
    # A little early or late is no other place.
    give = np.linspace(-GIVE_S, GIVE_S, 5)[:, None]
    little = hits.explained(on + give, pads, levels, NEAR_S, LOUDNESS)
    going_on = little[int(np.argmax(little[:, :inside].sum(axis=1)))]
    if going_on[:inside].mean() >= LOST:
        return None
    later = np.arange(-AHEAD_BEATS * beat, behind + STEP_S, STEP_S)
    later = later[np.abs(later) > LEAST_JUMP_S]
    shifted_to = on + later[:, None]
    # The same stretch of what was played is explained in both ways, longer where there is a stop in it.
    until = np.minimum(on[0] + LOOK_BEATS * beat + np.maximum(later, 0.0), end)
    shifted = hits.explained(shifted_to, pads, levels, NEAR_S, LOUDNESS) - UNHEARD
    shifted[shifted_to > until[:, None]] = 0.0
    so_far = np.concatenate([[0.0], np.cumsum(going_on - UNHEARD)])
    n = len(on)
    after = np.zeros((len(later), n + 1))
    after[:, :n] = np.cumsum(shifted[:, ::-1], axis=1)[:, ::-1]
    as_it_was = so_far[np.searchsorted(on, until)]
    # A jump is between two moments, and what comes after it has to be seen as well.
    moments = np.flatnonzero((np.diff(written, prepend=-math.inf) > 1e-9) & (on <= on[0] + SEEN_BEATS * beat))
    resume = np.searchsorted(written, written[moments][None, :] - np.minimum(later, 0.0)[:, None] / slope - 1e-6)
    gain = so_far[moments][None, :] + np.take_along_axis(after, resume, axis=1) - as_it_was[:, None]
    # What is struck in the time of a stop is not explained, unless it is a beat played once more.
    gap = on[moments][None, :] - 0.03
    struck = np.searchsorted(hits.times, gap + np.maximum(later, 0.0)[:, None]) - np.searchsorted(hits.times, gap)
    gain -= UNEXPLAINED * struck + SKIPPED * (resume - moments[None, :])
    gain -= FAR_JUMP * np.abs(later)[:, None] / beat
    gain[resume > n - 3] = -math.inf
    best = np.unravel_index(int(np.argmax(gain)), gain.shape)
    if gain[best] < max(GAIN_STROKES, GAIN_PART * inside):
        return None
    return Jump(low + int(moments[best[1]]), low + int(resume[best]), float(later[best[0]]), slope)


def find_stop(written: Floats, times: Floats, beat: float, tolerance: float) -> tuple[float, float] | None:
    """A place (seconds as written) from which on everything is later, or sooner, and by how much (s).

    ``written`` and ``times`` (n,) are strokes and their hits in the order of time. None where nothing stands out from
    how unsteady the strokes are: a line with a step has to fit much better than one without.
    """
    least = max(TOLERANCES * tolerance, 0.045)
    places = np.unique(written)
    if len(places) < 8:
        return None
    width = STOP_BEATS * beat
    best: tuple[float, float, float] | None = None
    # The mean before and after each place, from the running sums: only where they differ is a line worth fitting.
    local = times - np.interp(written, places, _smooth(written, times, places, width))
    sums = np.concatenate([[0.0], np.cumsum(local)])
    index = np.searchsorted(written, places - 1e-9)
    low = np.searchsorted(written, places - 0.5 * width)
    high = np.searchsorted(written, places + 0.5 * width)
    n_before, n_after = np.maximum(index - low, 1), np.maximum(high - index, 1)
    differ = (sums[high] - sums[index]) / n_after - (sums[index] - sums[low]) / n_before
    for k in np.flatnonzero(np.abs(differ) > 0.3 * least).tolist():
        first, last = np.searchsorted(written, [places[k] - width, places[k] + width])
        x, y = written[first:last] - places[k], times[first:last]
        step = (x >= -1e-9).astype(float)
        if step.sum() < 4 or (1 - step).sum() < 4:
            continue
        table = np.stack([np.ones_like(x), x, step], axis=1)
        solved, *_ = np.linalg.lstsq(table, y, rcond=None)
        rest = y - table @ solved
        error = math.sqrt(float(rest @ rest) / max(len(x) - 3, 1) * float(np.linalg.pinv(table.T @ table)[2, 2]))
        jump = float(solved[2])
        # Fitted without the step, what is left over has to be clearly more.
        if abs(jump) >= least and abs(jump) > STANDARD_ERRORS * error:
            sureness = abs(jump) / max(error, 1e-4)
            if best is None or sureness > best[2]:
                best = float(places[k]), jump, sureness
    return None if best is None else best[:2]


def _smooth(x: Floats, y: Floats, places: Floats, width: float) -> Floats:
    """A line that bends slowly through the points, at every place (m,)."""
    out = np.empty(len(places))
    for k, place in enumerate(places.tolist()):
        first, last = np.searchsorted(x, [place - width, place + width])
        near, there = x[first:last] - place, y[first:last]
        spread = float(near @ near) - float(near.sum()) ** 2 / len(near)
        slope = 0.0 if spread <= 1e-12 else float((near - near.mean()) @ (there - there.mean())) / spread
        out[k] = there.mean() - slope * near.mean()
    return out


def stumbles(rows: Sequence[int], moments: Sequence[float], beat: float) -> list[list[int]]:
    """What went wrong in one go: rows of single strokes whose places (s) lie within two beats of each other, where
    there are three or more.
    """
    groups: list[list[int]] = []
    for row in sorted(rows, key=lambda k: moments[k]):
        if groups and moments[row] - moments[groups[-1][0]] <= 2.0 * beat + 1e-9:
            groups[-1].append(row)
        else:
            groups.append([row])
    return [group for group in groups if len(group) >= 3]
