"""The player's own speed, learned from attempts: how likely a rung is clean, by how near its limit it is.

The chance of a clean attempt falls with the pace on a logistic curve; the player's speed moves it. The pace is
reckoned for an untrained player (skill 1), so that the curve's middle is the player's own skill: where every second
attempt is clean. A prior at the present skill keeps few attempts from saying much (maximum a posteriori; the spread
comes from the curvature there, Laplace's approximation).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.player import Player
from deft_reach.core.report import Report

#: How well the present skill is known before any attempt: one standard deviation, as a factor.
PRIOR_SPREAD: Final = math.log(1.25)
#: How steeply chances fall at the limit, by the logarithm of pace: 1 in 5 to 4 in 5 within a tenth. From memory.
STEEPNESS: Final = 14.0
#: Groups of one player differ from each other by about so much (one standard deviation).
GROUP_SPREAD: Final = math.log(1.12)
#: A failure at a lower pace than this (by the present skill) is not for want of speed.
EASY: Final = 0.7
#: A group with less than so many attempts is not shown by itself.
FEW: Final = 4
GROUPS: Final = {"hands": "hands, same place", "moves": "hands on the move", "feet": "feet"}
SKILL_RANGE: Final = (0.2, 3.0)


class Evidence(NamedTuple):
    """One attempt: what held it up (of GROUPS), its pace for an untrained player, and whether it was clean."""

    group: str
    pace: float
    clean: bool


class Fitted(NamedTuple):
    """A skill with its spread: between ``low`` and ``high`` it lies nine times in ten."""

    skill: float
    low: float
    high: float
    attempts: int


@dataclass(frozen=True)
class Calibration:
    """What attempts say: the skill in all, each group's own, and what the player has now."""

    before: float
    overall: Fitted
    groups: dict[str, Fitted]
    attempts: int

    @property
    def limits_change(self) -> float:
        """By what factor every tempo limit changes if it is applied."""
        return self.before / self.overall.skill


def evidence_of(report: Report, tempo: float, clean: bool) -> Evidence | None:
    """What an attempt at a tempo says, by the stroke that limits it; None where nothing does."""
    index, limit = report.summary.bottleneck, report.summary.tempo_limit
    if index is None or limit is None:
        return None
    stroke = report.strokes[index]
    group = "feet" if stroke.limb in "KJH" else "moves" if stroke.travel_mm > 0 else "hands"
    return Evidence(group, tempo / limit / report.table.player.skill, clean)


def calibrate(player: Player, attempts: Sequence[Evidence]) -> Calibration:
    """The player's skill after these attempts; without any it is what it was.

    Raises ValueError for attempts with a pace that is no number.
    """
    if any(not (math.isfinite(row.pace) and row.pace > 0) for row in attempts):
        raise ValueError("an attempt has no pace that could be reckoned with")
    # Whoever fails well below the limit has forgotten the figure, or tripped: that says nothing of speed.
    attempts = [row for row in attempts if row.clean or row.pace * player.skill >= EASY]
    names = [name for name in GROUPS if any(row.group == name for row in attempts)]
    x = np.array([math.log(row.pace) for row in attempts])
    y = np.array([row.clean for row in attempts], dtype=float)
    which = np.array([names.index(row.group) for row in attempts], dtype=int)
    mean, cov = _fit(x, y, which, len(names), math.log(player.skill))
    # The player's one skill is what all groups have on the whole, each by how often it was tried.
    share = np.array([1.0, *((which == k).mean() for k in range(len(names)))])
    overall = _fitted(float(share @ mean), math.sqrt(float(share @ cov @ share)), len(attempts))
    groups = {}
    for k, name in enumerate(names):
        count = int((which == k).sum())
        if count >= FEW:
            # A group's skill is the overall one and its own difference together.
            spread = math.sqrt(max(cov[0, 0] + cov[k + 1, k + 1] + 2 * cov[0, k + 1], 1e-12))
            groups[name] = _fitted(mean[0] + mean[k + 1], spread, count)
    return Calibration(player.skill, overall, groups, len(attempts))


def _fit(
    x: NDArray[np.float64], y: NDArray[np.float64], which: NDArray[np.int_], groups: int, prior: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Logarithms of the overall skill and each group's difference: the most likely ones, and their covariance.

    A clean attempt at log pace x has the chance 1 / (1 + exp(s (x + u))), u the logarithm of skill: Newton's method
    on a sum that bends one way only.
    """
    n = groups + 1
    weights = np.array([1 / PRIOR_SPREAD**2, *[1 / GROUP_SPREAD**2] * groups])
    centre = np.array([prior, *[0.0] * groups])
    design = np.zeros((len(x), n))
    design[:, 0] = 1.0
    if len(x):
        design[np.arange(len(x)), which + 1] = 1.0
    u = centre.copy()
    hessian = np.diag(weights)
    for _ in range(60):
        # A lower skill factor is faster: log needed = log pace for an untrained player + u.
        z = STEEPNESS * (x + design @ u)
        p = 1 / (1 + np.exp(np.clip(z, -40, 40)))
        gradient = weights * (u - centre) + STEEPNESS * design.T @ (y - p)
        hessian = np.diag(weights) + STEEPNESS**2 * (design.T * (p * (1 - p))) @ design
        step = np.linalg.solve(hessian, gradient)
        size = float(np.abs(step).max(initial=0.0))
        u = u - step * min(1.0, 0.5 / max(size, 1e-12))
        if size < 1e-10:
            break
    return u, np.linalg.inv(hessian)


def _fitted(mean: float, spread: float, count: int) -> Fitted:
    low, high = SKILL_RANGE
    skill, least, most = (math.exp(mean + k * spread) for k in (0.0, -1.645, 1.645))
    skill, least, most = (min(high, max(low, value)) for value in (skill, least, most))
    return Fitted(skill, least, most, count)


def chance_of_clean(pace: float) -> float:
    """How likely an attempt at a pace (1.0 is the player's limit) is clean."""
    return 1 / (1 + math.exp(min(40.0, max(-40.0, STEEPNESS * math.log(max(pace, 1e-6))))))
