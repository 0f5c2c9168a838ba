"""How many sessions home tempo is away, at the rate at which the log says that a plan has climbed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import date
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.practice.progress_log import Point
from deft_reach.core.practice.verdicts import CLEAN

#: Days with a clean tempo without which nothing is said, and so many of the newest ones that count.
LEAST_DAYS: Final = 4
NEWEST_DAYS: Final = 10
#: Who climbs by less than this part a session has no rate that one could go by.
LEAST_RATE: Final = 0.004
#: Further away (sessions) than this is a guess.
FURTHEST: Final = 60
#: Eight times in ten it lies between the two ends: so many standard deviations.
SPREAD: Final = 1.28
#: Steps are smaller near the target: a rate that was measured far from it does not last.
SLOWS: Final = 1.25


class Forecast(NamedTuple):
    """Sessions until home tempo is clean, and eight times in ten between ``low`` and ``high``."""

    sessions: int
    low: int
    high: int


def forecast(points: Sequence[Point], home: float) -> Forecast | None:
    """Sessions until ``home`` (BPM) is clean, from attempts at the whole figure; None where the log is too thin.

    A straight line through the logarithm of each day's highest clean tempo (least squares); its spread is that of the
    line's slope and of the days about it.
    """
    best: dict[date, float] = {}
    for point in points:
        if point.verdict == CLEAN:
            day = point.at.date()
            best[day] = max(best.get(day, 0.0), point.tempo)
    tempi = np.array([best[day] for day in sorted(best)][-NEWEST_DAYS:])
    if len(tempi) < LEAST_DAYS or tempi[-1] >= home:
        return None
    x, y = np.arange(len(tempi), dtype=float), np.log(tempi)
    x -= x.mean()
    rate = float(x @ y / (x @ x))
    line = y.mean() + rate * x
    scatter = math.sqrt(float(((y - line) ** 2).sum()) / (len(y) - 2))
    error = scatter / math.sqrt(float(x @ x))
    if rate < max(LEAST_RATE, error):
        return None
    away = max(0.0, math.log(home) - max(float(line[-1]), float(y[-1])))
    sessions = math.ceil(SLOWS * away / rate)
    low = math.ceil(max(0.0, away - SPREAD * scatter) / (rate + SPREAD * error))
    high = math.ceil(SLOWS**2 * (away + SPREAD * scatter) / max(rate / 3, rate - SPREAD * error))
    if sessions > FURTHEST:
        return None
    sessions = max(1, sessions)
    return Forecast(sessions, max(1, min(low, sessions)), max(high, sessions))
