"""Hits by pad, to find those that are near strokes quickly."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.practice.hit_matching import pad_of
from deft_reach.core.practice.hits import Hit

#: Velocities that vary by so much (standard deviation) are meant to.
SURE_LOUD: Final = 12.0
#: A grace has at most so much of its stroke's velocity.
GRACE_PART: Final = 0.7

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]


class HitIndex:
    """Some hits: their ``times`` (seconds), ``keys``, ``pads`` and loudness ``loud`` (velocity), all (n,)."""

    def __init__(self, hits: Sequence[Hit]) -> None:
        self.keys = [hit.key for hit in hits]
        self.times = np.array([hit.time for hit in hits])
        self.pads = np.array([pad_of(hit.key) for hit in hits])
        self.loud = np.array([hit.velocity for hit in hits], dtype=float)
        # All hits in one row, pad after pad, so far apart that the nearest hit to a stroke is one of its own pad.
        self._by_pad = np.lexsort((self.times, self.pads))
        self._apart = 100.0 + 4 * float(np.abs(self.times).max())
        self._row = self.pads[self._by_pad] * self._apart + self.times[self._by_pad]

    def score(self, times: Floats, pads: Ints, width: float) -> Floats:
        """How many strokes (along the last axis) have a hit near them, the nearer the better.

        ``width`` (seconds) is how far off still counts something.
        """
        _, away = self._nearest(times, pads)
        return np.asarray(np.exp(-((away / width) ** 2)).sum(axis=-1))

    def strokes(self, grace: float, bounce: float) -> NDArray[np.bool_]:
        """Which hits are strokes, (n,): not those that come up to ``grace`` seconds before a clearly louder one on
        their pad, nor softer ones up to ``bounce`` seconds after another.
        """
        found = np.ones(len(self.times), dtype=bool)
        for pad in np.unique(self.pads).tolist():
            mine = np.flatnonzero(self.pads == pad)
            mine = mine[np.argsort(self.times[mine], kind="stable")]
            steps, loud = np.diff(self.times[mine]), self.loud[mine]
            for k in range(len(mine)):
                until = int(np.searchsorted(self.times[mine], self.times[mine[k]] + grace, side="right"))
                if grace and (loud[k + 1 : until] * GRACE_PART > loud[k]).any():
                    found[mine[k]] = False
                if bounce and k and steps[k - 1] <= bounce and loud[k] <= loud[k - 1]:
                    found[mine[k]] = False
        return found

    def loudness(self, times: Floats, pads: Ints, levels: Floats, graced: bool) -> float:
        """How well the hits nearest to strokes are as loud as those: −1 to 1, 0 where all should be alike.

        ``times`` (s), ``pads`` and ``levels`` (n,).
        """
        nearest, away = self._nearest(times, pads)
        known = away < self._apart / 2
        loud, levels = self.loud[self._by_pad[nearest]][known], levels[known]
        if graced and len(loud):
            # A grace is softer than its stroke: what is meant is what is loud.
            return float(loud.mean() / 127.0) * 2.0 - 1.0
        if len(loud) < 3 or np.ptp(levels) == 0 or np.ptp(loud) == 0:
            return 0.0
        # Where all is about as loud, what is a little louder says nothing.
        sure = min(1.0, float(loud.std()) / SURE_LOUD)
        loud, levels = loud - loud.mean(), levels - levels.mean()
        return sure * float(loud @ levels / math.sqrt(float((loud @ loud) * (levels @ levels))))

    def _nearest(self, times: Floats, pads: Ints) -> tuple[Ints, Floats]:
        """For each stroke the place in the row of the hit nearest to it, and how far off that is (seconds)."""
        mine = times + pads * self._apart
        at = np.searchsorted(self._row, mine)
        before, after = np.maximum(at - 1, 0), np.minimum(at, len(self._row) - 1)
        left, right = np.abs(mine - self._row[before]), np.abs(self._row[after] - mine)
        return np.where(right < left, after, before), np.minimum(left, right)
