"""How much of its time a limb is busy, and how long it can keep that up.

A limb's *effort* is the time its strokes need over the time there is. Up to a sustained effort it can go on; above
it, what it has in reserve is used up the faster the further above it is (the critical power model: Monod & Scherrer
1965, *Ergonomics* 8, work done to exhaustion is linear in time). The two constants are from memory and common
practice, not from measurements of drummers: they order figures well and time them roughly. Practice logs know better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import FEET

#: Effort that can be kept up for as long as a set takes, by kind of limb.
SUSTAINED: Final = {"hand": 0.62, "foot": 0.55}
#: Seconds of full effort above the sustained one that a rested limb has in reserve.
RESERVE: Final = {"hand": 9.0, "foot": 6.0}
#: Longer than this (seconds) nobody plays one figure: as long as it takes.
FOR_EVER: Final = 1800.0
#: Effort is looked at over so many seconds at a time.
WINDOW: Final = 4.0


class Endurance(NamedTuple):
    """One limb of a pattern.

    ``rate`` in strokes a second; ``longest_run`` its most strokes in a row; ``rest`` the longest it has between two
    strokes (seconds); ``effort`` the time needed over the time there is; ``lasts`` how long it can keep that up
    (seconds), None for as long as it takes.
    """

    limb: str
    rate: float
    longest_run: int
    rest: float
    effort: float
    lasts: float | None


def endurance(report: Report, limb: str) -> Endurance | None:
    """How a limb of this pattern is loaded, played round and round; None where it plays nothing."""
    load = report.summary.load.get(limb)
    if load is None or not report.summary.duration:
        return None
    mine = [s for s in report.strokes if s.limb == limb]
    needed = math.fsum(s.needed for s in mine)
    rest = max((s.gap for s in mine if s.gap is not None), default=report.summary.duration)
    effort = needed / report.summary.duration
    return Endurance(limb, load.rate, load.longest_run, rest, effort, lasting(limb, effort))


def kind_of(limb: str) -> str:
    """``hand`` or ``foot``."""
    return "foot" if limb in FEET else "hand"


def lasting(limb: str, effort: float) -> float | None:
    """How long (seconds) a limb keeps an effort up; None for as long as it takes."""
    kind = kind_of(limb)
    above = effort - SUSTAINED[kind]
    if above <= 0:
        return None
    seconds = RESERVE[kind] / above
    return seconds if seconds < FOR_EVER else None


def effort_over_time(report: Report, limb: str, at: Sequence[float], window: float = WINDOW) -> NDArray[np.float64]:
    """A limb's effort over the ``window`` seconds before each time (seconds from the beginning)."""
    mine = [s for s in report.strokes if s.limb == limb]
    times = np.array([s.time for s in mine])
    total = np.concatenate([[0.0], np.cumsum([s.needed for s in mine])])
    until = np.asarray(at, dtype=float)
    last = np.searchsorted(times, until, side="right")
    first = np.searchsorted(times, until - window, side="right")
    # At the beginning there is less to look back on.
    return np.asarray((total[last] - total[first]) / np.minimum(window, np.maximum(until, window / 4)))


def lasting_words(seconds: float | None) -> str:
    """How long that is, as a player says it."""
    if seconds is None:
        return "as long as it takes"
    if seconds < 90:
        return f"about {max(5, round(seconds / 5) * 5)} s"
    return f"about {seconds / 60:.0f} min"
