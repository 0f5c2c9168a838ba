"""Slips: where a take leaves the figure and goes on at another place of it, or later.

A beat left out, a beat played twice and a stop are one thing each. They change the place in the figure once, for
everything that follows; taken stroke by stroke they would be a long row of strokes missed, too many and late.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.practice.hit_index import HitIndex

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]

#: Places in the figure are told apart so finely (seconds); a hit counts for a stroke that is about so far off.
STEP_S, NEAR_S = 0.010, 0.045
#: In a long figure a player is looked for within so many beats of where they should be.
WITHIN_BEATS: Final = 8.0
#: What a hit that no stroke explains costs against one that is explained by one exactly, a stroke that is not heard,
#: and going on at another place. Sliding by one step from a hit to the next, as a tempo that bends does, costs
#: little.
UNEXPLAINED, UNHEARD, ANOTHER_PLACE, SLIDING = 0.5, 0.3, 2.6, 0.04
#: For every beat that the other place is away.
FURTHER: Final = 0.1
#: How much loudness that fits, or does not, changes what a stroke counts.
LOUDNESS: Final = 0.3
#: Louder or softer than the middle of all strokes by so many standard deviations is loud or soft.
LOUD: Final = 0.3
#: A place is only believed where so many hits, and so many beats, follow that mostly fit.
BELIEVED_HITS, BELIEVED_BEATS, BELIEVED_FIT = 6, 1.5, 0.6
#: What is no further off than this (seconds) is the same place.
LEAST_JUMP_S: Final = 0.12
#: A stop is told from unsteadiness by so many of its standard errors, and from so many tolerances on.
STANDARD_ERRORS, TOLERANCES = 7.0, 3.5
#: The strokes of so many beats on either side say how far a stop has moved everything.
STOP_BEATS: Final = 3.0


class Jump(NamedTuple):
    """From row ``row`` (in the order of time) on all comes ``later`` seconds later than going on would be; where that
    is less than nothing, the rows up to ``resume`` are left out. A second written took ``slope`` seconds.
    """

    row: int
    resume: int
    later: float
    slope: float


class Turn(NamedTuple):
    """Between two hits, at ``last`` and ``first`` (seconds), a take goes on at another place: all that follows comes
    ``later`` seconds later than it would have.
    """

    last: float
    first: float
    later: float


class Loop(NamedTuple):
    """One round as it is played: when its strokes are (seconds from its beginning), their pads and levels, all (n,),
    its length and a beat (s).
    """

    own: Floats
    pads: Ints
    levels: Floats
    length: float
    beat: float


def find_turns(hits: HitIndex, loop: Loop, begin: float, strokes: NDArray[np.bool_]) -> list[Turn]:
    """Where a take goes on at another place of the figure: the likeliest way through it, hit by hit.

    ``begin`` (s) is when the first round begins, ``strokes`` (m,) which hits are strokes and no graces. Every hit is
    explained, or not, by each place the player could be at; to stay where one is costs nothing, to slide a little, to
    go on elsewhere much (Viterbi 1967).
    """
    loop = _once(loop)
    count = max(1, round(loop.length / STEP_S))
    step = loop.length / count
    wide = min(count // 2, math.ceil(WITHIN_BEATS * loop.beat / step))
    states = np.arange(-wide, count - wide if count <= 2 * wide + 1 else wide + 1)
    round_trip = len(states) == count
    use = np.flatnonzero((hits.times >= begin - 2 * NEAR_S) & strokes)
    if len(use) < 2 * BELIEVED_HITS or len(loop.own) < 2:
        return []
    explain, unheard = _explained(hits, loop, count, step), _passed(loop, count, step)
    loud = _loudness(hits.loud)
    best = np.full(len(states), -ANOTHER_PLACE)
    best[wide] = 0.0
    back = np.zeros((len(use), len(states)), dtype=np.int16)
    at_hit = np.zeros((len(use), len(states)), dtype=np.float32)
    before: float | None = None
    for k, j in enumerate(use.tolist()):
        time = float(hits.times[j])
        # In state s everything comes s steps later than it would.
        here = round((time - begin) / step) - states
        if before is not None:
            # A stop is silent: what was not heard in it is no fault of the place it ends at.
            turned, source = _nearest_best(best, FURTHER * step / loop.beat, round_trip)
            turned -= ANOTHER_PLACE
            best = best - UNHEARD * unheard(round((before - begin) / step) - states, here)
            slid = np.stack([best, *_beside(best, round_trip)])
            slid[1:] -= SLIDING
            way = slid.argmax(axis=0)
            best = slid[way, np.arange(len(best))]
            jump = best < turned
            # 0, 1 and 2 are staying and sliding; from 3 on it is where a turn comes from.
            back[k] = np.where(jump, 3 + source, way)
            best = np.where(jump, turned, best)
        heard = (
            explain[(int(hits.pads[j]), int(loud[j]))][here % count] if (int(hits.pads[j]), 0) in explain else None
        )
        if heard is not None:
            at_hit[k] = heard
            best = best + heard - UNEXPLAINED
        before = time
    return _turns(hits.times[use], states, back, at_hit, int(np.argmax(best)), loop, step, round_trip)


def _once(loop: Loop) -> Loop:
    """The shortest stretch that the loop repeats: between places that are alike nobody can tell."""
    order = np.lexsort((loop.pads, loop.own))
    own, pads, levels = loop.own[order], loop.pads[order], loop.levels[order]
    n = len(own)
    for k in range(1, n):
        length = float(own[k] - own[0])
        if n % k or length <= 0 or abs(loop.length / length - n // k) > 1e-6:
            continue
        moved = np.tile(own[:k] - own[0], n // k) + np.repeat(np.arange(n // k) * length, k)
        alike = np.allclose(moved, own - own[0]) and (np.tile(pads[:k], n // k) == pads).all()
        if alike and (np.tile(levels[:k], n // k) == levels).all():
            return Loop(own[:k], pads[:k], levels[:k], length, loop.beat)
    return loop


def _explained(hits: HitIndex, loop: Loop, count: int, step: float) -> dict[tuple[int, int], Floats]:
    """How well a hit of a pad, and of a loudness (−1, 0, 1), is explained at every place of a round, (count,)."""
    places = np.arange(count) * step
    level = _loudness(loop.levels)
    found: dict[tuple[int, int], Floats] = {}
    for pad in set(hits.pads.tolist()) & set(loop.pads.tolist()):
        mine = np.flatnonzero(loop.pads == pad)
        away = np.abs(places[:, None] - loop.own[mine][None, :] % loop.length)
        near = np.exp(-((np.minimum(away, loop.length - away) / NEAR_S) ** 2))
        for loud in (-1, 0, 1):
            other = level[mine] * loud < 0
            found[pad, loud] = (near * (1.0 - LOUDNESS * other)).max(axis=1)
    return found


def _passed(loop: Loop, count: int, step: float) -> Callable[[Ints, Ints], Floats]:
    """How many moments lie between two places, without those close to either."""
    moments = np.unique(np.round(loop.own % loop.length / step).astype(int) % count)
    marks = np.zeros(count)
    marks[moments] = 1.0
    so_far = np.concatenate([[0.0], np.cumsum(marks)])
    margin = round(2.0 * NEAR_S / step)

    def up_to(place: Ints) -> Floats:
        return np.asarray(so_far[place % count] + (place // count) * so_far[-1])

    return lambda first, last: np.maximum(up_to(last - margin) - up_to(first + margin), 0.0)


def _loudness(values: Floats) -> Ints:
    """Which of some levels are louder (1) or softer (−1) than the middle of them."""
    spread = float(values.std())
    if spread < 1e-9:
        return np.zeros(len(values), dtype=int)
    away = (values - values.mean()) / spread
    return np.asarray((away > LOUD).astype(int) - (away < -LOUD).astype(int))


def _nearest_best(best: Floats, further: float, round_trip: bool) -> tuple[Floats, Ints]:
    """For every state the best value less ``further`` for each step that it is away, and the state it comes from."""
    n = len(best)
    values = np.tile(best, 3) if round_trip else best
    index = np.arange(len(values))

    def from_below(row: Floats) -> tuple[Floats, Ints]:
        raised = row + further * index
        top = np.maximum.accumulate(raised)
        source = np.maximum.accumulate(np.where(raised >= top, index, 0))
        return top - further * index, source

    below, one = from_below(values)
    above, other = from_below(values[::-1])
    above, other = above[::-1], len(values) - 1 - other[::-1]
    found, source = np.maximum(below, above), np.where(below >= above, one, other)
    middle = slice(n, 2 * n) if round_trip else slice(0, n)
    return found[middle], source[middle] % n


def _beside(best: Floats, round_trip: bool) -> tuple[Floats, Floats]:
    """The values of the states one step before and one after each; ``round_trip`` joins the ends."""
    earlier, later = np.roll(best, 1), np.roll(best, -1)
    if not round_trip:
        earlier[0] = later[-1] = -math.inf
    return earlier, later


def _turns(
    times: Floats, states: Ints, back: NDArray[np.int16], at_hit: NDArray[np.float32], last: int, loop: Loop,
    step: float, round_trip: bool,
) -> list[Turn]:  # fmt: skip
    """The turns of the likeliest way, those that are believed."""
    n = len(times)
    way = np.empty(n, dtype=int)
    breaks: list[int] = []
    state = last
    for k in range(n - 1, -1, -1):
        way[k] = state
        move = int(back[k, state])
        if move >= 3:
            state = move - 3
            breaks.append(k)
        elif move:
            state = (state + (-1 if move == 1 else 1)) % len(states)
    found: list[Turn] = []
    parts = [0, *reversed(breaks), n]
    fit = at_hit[np.arange(n), way]
    period = loop.length if round_trip else math.inf
    kept = 0
    for low, high in pairwise(parts[1:]):
        believed = (
            high - low >= BELIEVED_HITS
            and times[high - 1] - times[low] >= BELIEVED_BEATS * loop.beat
            and float(fit[low:high].mean()) >= BELIEVED_FIT
        )
        if not believed:
            continue
        later = float(states[way[low]] - states[way[_end_of(parts, kept)]]) * step
        turn = _shortest(later, period, float(times[low - 1]), float(times[low]))
        kept = low
        if abs(turn.later) > LEAST_JUMP_S:
            found.append(turn)
    return found


def _end_of(parts: Sequence[int], begun: int) -> int:
    """The last hit of the part that begins at ``begun``."""
    return parts[parts.index(begun) + 1] - 1


def _shortest(later: float, period: float, last: float, first: float) -> Turn:
    """A turn as what it most likely was: round a loop, a stop may as well be something left out."""
    if math.isinf(period):
        return Turn(last, first, later)
    ways = [later + k * period for k in range(-2, 3)]
    # Silence says that it was a stop.
    silent = first - last
    return Turn(last, first, min(ways, key=lambda w: 0.1 * w if 0 <= w <= silent + NEAR_S else abs(w)))


def find_stop(written: Floats, times: Floats, beat: float, tolerance: float) -> tuple[float, float] | None:
    """A place (seconds as written) from which on everything is later, or sooner, and by how much (s).

    ``written`` and ``times`` (n,) are strokes and their hits in the order of time. None where nothing stands out from
    how unsteady the strokes are: a line with a step has to fit much better than one without.
    """
    least = max(TOLERANCES * tolerance, 0.05)
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
