"""Hits of an electronic kit: double triggers taken out, and matched with the strokes that were wanted."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_report import Ignored

Floats = NDArray[np.float64]

#: Keys that one pad may send.
PADS: Final = {35: 36, 40: 38, 37: 38, 46: 42, 22: 42, 26: 42, 59: 51, 53: 51}
#: A softer hit on one pad so soon after another (seconds), and at most so much of its velocity, is a double trigger.
RETRIGGER_S: Final = 0.030
RETRIGGER_PART: Final = 0.6
#: A count-in has no more strokes than this, so far apart (seconds) at the least, as even as this part of that.
COUNT_LONGEST: Final = 8
COUNT_EVEN: Final = 0.2
COUNT_S: Final = 0.2


def without_double_triggers(hits: Sequence[Hit]) -> tuple[list[Hit], list[Ignored]]:
    """The hits without those that a pad sent twice for one stroke, and those."""
    kept: list[Hit] = []
    gone: list[Ignored] = []
    last: dict[int, Hit] = {}
    for hit in hits:
        before = last.get(pad_of(hit.key))
        if (
            before is not None
            and hit.time - before.time <= RETRIGGER_S
            and hit.velocity <= RETRIGGER_PART * before.velocity
        ):
            gone.append(Ignored(round(hit.time, 4), "double trigger: the pad sent one stroke twice"))
            continue
        kept.append(hit)
        last[pad_of(hit.key)] = hit
    return kept, gone


def without_count_in(hits: Sequence[Hit], wanted: Collection[int]) -> tuple[list[Hit], list[Ignored]]:
    """The hits without a count-in on a sound that the plan has no stroke for, in time order, and that."""
    first = next((k for k, hit in enumerate(hits) if hit.key != hits[0].key), len(hits))
    count = hits[:first]
    steps = [b.time - a.time for a, b in pairwise(count)]
    evenly = bool(steps) and min(steps) >= COUNT_S and max(steps) - min(steps) <= COUNT_EVEN * max(steps)
    if hits[0].key in wanted or not evenly or first > COUNT_LONGEST or first == len(hits):
        return list(hits), []
    return list(hits[first:]), [Ignored(round(hit.time, 4), "before the first stroke: a count-in") for hit in count]


def pad_of(key: int) -> int:
    """The key that stands for all the keys of one pad."""
    return PADS.get(key, key)


def quickest_spacing(pattern: Pattern) -> float:
    """The least time between two moments that are struck (whole notes); a quarter where there are no two."""
    starts = [float(moment.start) for moment in pattern.moments if moment.strokes]
    return min((b - a for a, b in pairwise(starts)), default=0.25)


def match_pads(
    wanted: Floats, pads: NDArray[np.int_], times: Floats, own: NDArray[np.int_], loud: Floats, far: float
) -> NDArray[np.int_]:
    """For each stroke, wanted at a time on a pad, the number of its hit; −1 where it was missed.

    ``times``, ``own`` and ``loud`` are the hits' times, pads and velocities.

    Strokes: ``wanted`` (s) and ``pads`` (n,). Hits: ``times`` (s), ``own`` pads and ``loud`` (velocity) (m,).
    """
    match = np.full(len(wanted), -1, dtype=int)
    for pad in np.unique(pads).tolist():
        mine = np.flatnonzero(pads == pad)
        mine = mine[np.argsort(wanted[mine], kind="stable")]
        there = np.flatnonzero(own == pad)
        for i, j in pair_hits(wanted[mine], times[there], loud[there], far):
            match[mine[i]] = there[j]
    return match


def pair_hits(wanted: Floats, there: Floats, loud: Floats, far: float) -> list[tuple[int, int]]:
    """Strokes and hits of one pad in order, so that the distances and what is left over cost least.

    Dynamic programming over a narrow band: a stroke and a hit further apart than ``far`` never go together. Of two
    hits as near the louder one counts, as the softer is a grace or a bounce.

    ``wanted`` (n,) and ``there`` (m,) in seconds, ``loud`` (m,) velocities.
    """
    if not len(wanted) or not len(there):
        return []
    low = np.searchsorted(there, wanted - far)
    high = np.searchsorted(there, wanted + far, side="right")
    soft = 0.15 * (1 - loud / 127)
    # Where a stroke and a hit have no one else near them there is nothing to weigh: together, or both left over.
    alone = high - low <= 1
    alone[1:] &= low[1:] >= high[:-1]
    alone[:-1] &= high[:-1] <= low[1:]
    single = np.flatnonzero(alone & (high > low))
    price = ((there[low[single]] - wanted[single]) / far) ** 2 + soft[low[single]]
    single = single[price < 1.0]
    pairs = list(zip(single.tolist(), low[single].tolist()))
    rest = np.flatnonzero(~alone)
    if len(rest):
        found = _weigh(
            wanted[rest].tolist(), there.tolist(), soft.tolist(), far, low[rest].tolist(), high[rest].tolist()
        )
        pairs += [(int(rest[i]), j) for i, j in found]
    return pairs


def _weigh(
    at: list[float], places: list[float], soft: list[float], far: float, low: list[int], high: list[int]
) -> list[tuple[int, int]]:
    """The dynamic programming itself, on plain Python numbers, which are faster one by one."""
    # best[j]: least cost with hits before j used up; steps are kept to walk back.
    best = {0: 0.0}
    back: list[dict[int, tuple[int, bool]]] = []
    for i in range(len(at)):
        now: dict[int, float] = {}
        steps: dict[int, tuple[int, bool]] = {}
        reached = sorted(best)
        for was in reached:
            cost = best[was]
            # Hits too early for this stroke are too early for all that follow: states that differ in them are one.
            j = max(was, low[i])
            # Missed.
            if cost + 1.0 < now.get(j, math.inf):
                now[j], steps[j] = cost + 1.0, (was, False)
            for k in range(j, high[i]):
                price = cost + ((places[k] - at[i]) / far) ** 2 + soft[k]
                if price < now.get(k + 1, math.inf):
                    now[k + 1], steps[k + 1] = price, (was, True)
        back.append(steps)
        # Of states no further on and no cheaper none is needed.
        kept: dict[int, float] = {}
        least = math.inf
        for j in sorted(now):
            if now[j] < least - 1e-12:
                kept[j], least = now[j], now[j]
        best = kept
    j = min(best, key=lambda k: best[k])
    pairs: list[tuple[int, int]] = []
    for i in range(len(at) - 1, -1, -1):
        before, hit = back[i][j]
        if hit:
            pairs.append((i, j - 1))
        j = before
    return pairs[::-1]
