"""The player's own speed, learned from attempts: how likely a rung is clean, by how near its limit it is.

The chance of a clean attempt falls with the pace on a logistic curve; the player's speed moves it. The pace is
computed for an untrained player (skill 1), so that the curve's middle is the player's own skill: where every second
attempt is clean. A prior at the present skill keeps few attempts from saying much (maximum a posteriori; the spread
comes from the curvature there, Laplace's approximation).
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.analysis.report import Report, StrokeReport
from deft_reach.core.model.player import SPEED_RANGE, Constants, Player
from deft_reach.core.practice.take_report import Take

#: How well the present skill is known before any attempt: one standard deviation, as a factor.
PRIOR_SPREAD: Final = math.log(1.25)
#: How steeply chances fall at the limit, by the logarithm of pace: 1 in 5 to 4 in 5 within a tenth. From memory.
STEEPNESS: Final = 14.0
#: On the first so many days of a figure its tempo says how far it is learned, not how quick the hands are.
LEARNING_DAYS: Final = 5
#: An attempt counts half as much after so many days: players change.
HALF_LIFE_DAYS: Final = 14.0
#: What the model of a figure leaves out moves the skill by about so much (one standard deviation). From memory.
MODEL_SPREAD: Final = math.log(1.12)
#: A part of what a stroke needs does not change with skill: so much below, a limit is not under what was clean.
HELD: Final = 0.95
#: Groups of one player differ from each other by about so much (one standard deviation).
GROUP_SPREAD: Final = math.log(1.12)
#: A failure at a lower pace than this is not for want of speed.
EASY: Final = 0.7
#: Limits hardly change by more than this factor at once.
LIKELY: Final = 1.4
#: A limb's hurried strokes in a take: those that break within a tenth of its tightest one.
HURRIED: Final = 1.1
#: They were played when so many of them were in time. From memory.
IN_TIME: Final = 0.9
#: A group with less than so many attempts is not shown by itself.
FEW: Final = 4
#: Whose speed is told apart, and MOVES (as in ``player.Speeds``, which has their names for people).
GROUPS: Final = ("right", "left", "feet")
#: What a hand's attempt is called that a move limited.
MOVES: Final = "moves"
SKILL_RANGE: Final = (0.2, 3.0)


class Evidence(NamedTuple):
    """One attempt: the limb that held it up (of GROUPS), its pace for an untrained player, whether it was clean,
    whether it was a move that limited it, not a restrike, and, where that is known, its day and its figure.
    """

    group: str
    pace: float
    clean: bool
    moves: bool = False
    day: date | None = None
    figure: str = ""

    @property
    def held_by(self) -> str:
        """As it is written in the log: the limb, and a word for a move."""
        return f"{self.group} {MOVES}" if self.moves else self.group


def evidence_from(
    held_by: str, pace: float | None, clean: bool, day: date | None = None, figure: str = ""
) -> Evidence | None:
    """An attempt as the log has it; None where it says nothing that could be used."""
    group, _, moves = held_by.partition(" ")
    if group not in GROUPS or pace is None or not (math.isfinite(pace) and pace > 0):
        return None
    return Evidence(group, pace, clean, moves == MOVES, day, figure)


class Fitted(NamedTuple):
    """A skill with its spread: between ``low`` and ``high`` it lies nine times in ten."""

    skill: float
    low: float
    high: float
    attempts: int


@dataclass(frozen=True)
class Calibration:
    """What attempts say: the skill in all, each limb's own and that of hands on the move, and what the player has
    now. ``player`` is the player with all of it applied; ``left_out`` counts failures far below the limit, which say
    nothing of speed unless the player says so, and ``learning`` attempts of figures' first days.
    """

    before: float
    overall: Fitted
    groups: dict[str, Fitted]
    attempts: int
    player: Player
    left_out: int = 0
    learning: int = 0

    @property
    def limits_change(self) -> float:
        """By what factor every tempo limit changes if it is applied."""
        return self.before / self.overall.skill

    @property
    def is_likely(self) -> bool:
        """Whether players change as much as that: more is a mistake in the log, or in what was set."""
        return max(self.limits_change, 1 / self.limits_change) <= LIKELY


def evidence_of(report: Report, tempo: float, clean: bool) -> Evidence | None:
    """What an attempt at a tempo says, by the stroke that limits it; None where nothing does."""
    index, limit = report.summary.bottleneck, report.summary.tempo_limit
    if index is None or limit is None:
        return None
    return _evidence(report, report.strokes[index], tempo / limit, clean)


def evidence_of_take(report: Report, take: Take, free: Collection[int] = ()) -> list[Evidence]:
    """What a take says, limb by limb: could it play its most hurried strokes in time?

    A limb that is late everywhere has a habit, not a want of speed: each is held against its own bias. ``free`` are
    numbers of groups whose timing is not judged.
    """
    rows = []
    strokes = zip(report.strokes, report.pattern.strokes)
    judged = [(s.tempo_limit, s) for s, written in strokes if s.tempo_limit and written.group not in free]
    for group in GROUPS:
        mine = [(limit, s) for limit, s in judged if _group(s) == group]
        if not mine:
            continue
        least, tightest = min(mine, key=lambda row: row[0])
        hurried = [s for limit, s in mine if limit <= least * HURRIED]
        on = sum(
            abs(take.late.get((k, s.index), math.inf) - take.limbs[s.limb].bias_ms) <= take.tolerance_ms
            for k in range(take.rounds)
            for s in hurried
        )
        clean = on >= IN_TIME * len(hurried) * take.rounds
        rows.append(_evidence(report, tightest, take.tempo / least, clean))
    return rows


def _group(stroke: StrokeReport) -> str:
    return {"R": "right", "L": "left"}.get(stroke.limb, "feet")


def _evidence(report: Report, stroke: StrokeReport, pace: float, clean: bool) -> Evidence:
    """An attempt that this stroke limited, at this player's pace."""
    group = _group(stroke)
    moves = group != "feet" and stroke.travel_mm > 0
    player = report.table.player
    return Evidence(group, pace / _own(player, group, moves), clean, moves)


def settled(attempts: Sequence[Evidence]) -> list[Evidence]:
    """Attempts at figures past their first days; those of which no day or no figure is known count too."""
    days: dict[str, set[date]] = {}
    for row in attempts:
        if row.figure and row.day is not None:
            days.setdefault(row.figure, set()).add(row.day)
    learned = {name: sorted(all_of_it)[LEARNING_DAYS:][:1] for name, all_of_it in days.items()}
    return [
        row for row in attempts
        if not row.figure or row.day is None or (learned[row.figure] and row.day >= learned[row.figure][0])
    ]  # fmt: skip


def calibrate(player: Player, attempts: Sequence[Evidence], *, count_easy: bool = False) -> Calibration:
    """The player's skill after these attempts; without any it is what it was.

    Whoever fails well below the limit has forgotten the figure, or tripped: that says nothing of speed, and does not
    count. The limit meant is what is set now: with ``count_easy`` the player says that it was for want of speed. What
    a figure's first days say is how far it is learned; of others the newer weigh more. No limit is put below a tempo
    at which its figure was clean.

    Raises ValueError for attempts with a pace that is no number.
    """
    # Long: sorting out, grouping and fitting share their rows.
    if any(not (math.isfinite(row.pace) and row.pace > 0) for row in attempts):
        raise ValueError("an attempt has no usable pace")
    every = attempts
    attempts = settled(attempts)
    names = [name for name in GROUPS if any(row.group == name for row in attempts)]
    x = np.array([math.log(row.pace) for row in attempts])
    y = np.array([row.clean for row in attempts], dtype=float)
    # Columns: the skill in all, what each limb differs, what moves differ from restrikes.
    design = np.zeros((len(attempts), len(names) + 2))
    design[:, 0] = 1.0
    for k, row in enumerate(attempts):
        design[k, 1 + names.index(row.group)] = 1.0
        design[k, -1] = float(row.moves)
    speeds = player.speeds
    # What limbs differ is always shrunk towards nothing: towards what they have now, the same attempts asked again
    # would be counted again.
    centre = np.array([math.log(player.skill), *[0.0] * (len(names) + 1)])
    # By what is set and not by what all attempts say: many failures on easy rungs would make none of them easy.
    now = np.array([math.log(_own(player, row.group, row.moves)) for row in attempts])
    counts = (y > 0) | (x + now >= math.log(EASY)) | count_easy
    design = design[counts]
    newest = max((row.day for row in attempts if row.day is not None), default=None)
    ages = [0 if newest is None or row.day is None else (newest - row.day).days for row in attempts]
    shares = 0.5 ** (np.array(ages, dtype=float) / HALF_LIFE_DAYS)
    mean, cov = _fit(x[counts], y[counts], design, centre, shares[counts])

    def fitted(share: NDArray[np.float64], count: int) -> Fitted:
        return _fitted(float(share @ mean), math.sqrt(float(share @ cov @ share) + MODEL_SPREAD**2), count)

    # The player's one skill is what all attempts have on the whole, each group by how often it was tried.
    whole = design.mean(axis=0) if len(design) else np.eye(design.shape[1])[0]
    groups = {}
    for k, name in enumerate(names):
        still = np.zeros(design.shape[1])
        still[[0, 1 + k]] = 1.0
        count = int(design[:, 1 + k].sum())
        if count >= FEW:
            groups[name] = fitted(still, count)
    moving = design[:, -1] > 0
    if moving.sum() >= FEW:
        groups[MOVES] = fitted(design[moving].mean(axis=0), int(moving.sum()))
    overall = fitted(whole, len(design))
    moves = math.exp(float(mean[-1])) if MOVES in groups else speeds.moves
    # A limb that was tried too little to say anything stays as fast as it is.
    held = {name: _own(player, name, False) for name in GROUPS}
    skills = {name: groups[name].skill if name in groups else held[name] for name in GROUPS}
    # A player whose constants were measured keeps them, and with them the skill: the limbs' factors say the rest.
    skill = player.skill if player.constants != Constants() else overall.skill
    skills, moves = _no_limit_below(every, skills, moves)
    own = {name: _held(each / skill, SPEED_RANGE) for name, each in skills.items()}
    new = replace(
        player,
        skill=round(skill, 4),
        speeds=replace(
            speeds, right=own["right"], left=own["left"], feet=own["feet"], moves=_held(moves, SPEED_RANGE)
        ),
    )
    before = _set_before(player, [row for row, counted in zip(attempts, counts) if counted])
    return Calibration(before, overall, groups, len(design), new, int((~counts).sum()), len(every) - len(attempts))


def _no_limit_below(
    attempts: Sequence[Evidence], skills: dict[str, float], moves: float
) -> tuple[dict[str, float], float]:
    """Each limb's skill and that of moves, so low that no figure's limit is below a tempo at which it was clean."""
    found = dict(skills)
    clean = [row for row in attempts if row.clean and row.figure]
    for row in clean:
        if not row.moves:
            found[row.group] = min(found[row.group], HELD / row.pace)
    for row in clean:
        if row.moves:
            moves = min(moves, HELD / (row.pace * found[row.group]))
    return found, moves


def _set_before(player: Player, attempts: Sequence[Evidence]) -> float:
    """The skill that is set, over limbs and moves as often as they were tried."""
    rows = [math.log(_own(player, row.group, row.moves)) for row in attempts]
    return round(math.exp(sum(rows) / len(rows)), 6) if rows else player.skill


def _own(player: Player, group: str, moves: bool) -> float:
    """What multiplies a limb's needed times now."""
    own = player.skill * float(getattr(player.speeds, group))
    return own * player.speeds.moves if moves else own


def _held(value: float, bounds: tuple[float, float]) -> float:
    return round(min(bounds[1], max(bounds[0], value)), 4)


def _fit(
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    design: NDArray[np.float64],
    centre: NDArray[np.float64],
    shares: NDArray[np.float64],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Logarithms of the skill in all and of what each column differs: the most likely ones, and their covariance.

    A clean attempt at log pace x has the chance 1 / (1 + exp(s (x + u))), u the logarithm of skill: Newton's method
    on a sum that bends one way only, each step halved until the sum falls (full ones can go to and fro for ever).
    """

    def cost(u: NDArray[np.float64]) -> float:
        z = STEEPNESS * (x + design @ u)
        return float(np.sum(shares * (np.logaddexp(0.0, z) - (1 - y) * z)) + weights @ (u - centre) ** 2 / 2)

    more = design.shape[1] - 1
    weights = np.array([1 / PRIOR_SPREAD**2, *[1 / GROUP_SPREAD**2] * more])
    u = centre.copy()
    hessian = np.diag(weights)
    for _ in range(200):
        # A lower skill factor is faster: log needed = log pace for an untrained player + u.
        z = STEEPNESS * (x + design @ u)
        p = 1 / (1 + np.exp(np.clip(z, -40, 40)))
        gradient = weights * (u - centre) + STEEPNESS * design.T @ (shares * (y - p))
        hessian = np.diag(weights) + STEEPNESS**2 * (design.T * (shares * p * (1 - p))) @ design
        step = np.linalg.solve(hessian, gradient)
        if float(np.abs(step).max(initial=0.0)) < 1e-10:
            break
        now, share = cost(u), 1.0
        while share > 1e-6 and cost(u - share * step) > now - 1e-4 * share * float(gradient @ step):
            share /= 2
        u = u - share * step
    return u, np.linalg.inv(hessian)


def _fitted(mean: float, spread: float, count: int) -> Fitted:
    low, high = SKILL_RANGE
    skill, least, most = (math.exp(mean + k * spread) for k in (0.0, -1.645, 1.645))
    skill, least, most = (min(high, max(low, value)) for value in (skill, least, most))
    return Fitted(skill, least, most, count)


def chance_of_clean(pace: float) -> float:
    """How likely an attempt at a pace (1.0 is the player's limit) is clean."""
    return 1 / (1 + math.exp(min(40.0, max(-40.0, STEEPNESS * math.log(max(pace, 1e-6))))))
