"""Fit the weights of ``core.analysis.level`` on judged figures, and say how well they hold on figures left out.

``verdicts.csv`` beside this script holds well-known figures with two independent judgements of how hard each is for a
player of the given skill at the given tempo: common practice, no published source. A verdict agrees if it is either
judgement or lies between them. Families of figures are left out in turn to see what the fit is worth on others.

    python -m calibration.fit_level
"""

from __future__ import annotations

import csv
from dataclasses import fields, replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.stats import spearmanr

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.level import BUSY, HARD, LEVELS, WEIGHTS, Demands, difficulty, ease_at, level_at

FIGURES = Path(__file__).with_name("verdicts.csv")
#: Difficulties between which each level lies; what is impossible says nothing about the weights.
BANDS = ((0.0, BUSY), (BUSY, HARD), (HARD, 9.0), (HARD, 9.0))
#: How far inside its band a figure should lie, and how much a weight may cost: few and small ones are wanted.
MARGIN, THRIFT = 0.05, 0.03
NAMES = tuple(f.name for f in fields(Demands))
#: Rates come to some a second, the others to some tenths: what a weight is measured by.
SCALE = np.array([3.0, 3.0, 4.0, 3.0, 1.0, 2.0, 1.0, 0.3])


class Judged(NamedTuple):
    """A judged figure with what the analysis says of it: ``low`` and ``high`` are the numbers of its verdicts."""

    family: str
    name: str
    low: int
    high: int
    pace: float
    impossible: bool
    demands: NDArray[np.float64]


def judged_figures(path: Path = FIGURES) -> list[Judged]:
    """Every figure of the file, analysed."""
    found = []
    with path.open(newline="") as file:
        for row in csv.DictReader(file):
            report = analyse(
                parse(row["text"]),
                layout(row["kit"]),
                replace(Player(), skill=float(row["skill"])),
                float(row["tempo"]),
                repeat=row["played"] == "loop",
            )
            verdicts = sorted(LEVELS.index(row[key]) for key in ("verdict", "second"))
            demands = np.array([getattr(report.summary.demands, name) for name in NAMES])
            found.append(
                Judged(
                    row["family"], row["name"], verdicts[0], verdicts[1], report.summary.pace,
                    report.summary.level == "impossible", demands,
                )
            )  # fmt: skip
    return found


def fit(figures: list[Judged]) -> NDArray[np.float64]:
    """The weights that put the figures into their bands, none below 0."""
    rows = [figure for figure in figures if not figure.impossible]
    pace = np.array([figure.pace for figure in rows])
    demands = np.array([figure.demands for figure in rows]) / SCALE
    low = np.array([BANDS[figure.low][0] for figure in rows])
    high = np.array([BANDS[figure.high][1] for figure in rows])

    def loss(weights: NDArray[np.float64]) -> float:
        joined = (pace**3 + (demands @ weights) ** 3) ** (1 / 3)
        short = np.maximum(0.0, np.where(low > 0, low + MARGIN - joined, 0.0))
        over = np.maximum(0.0, joined - high + MARGIN)
        # What pace alone puts out of its band no weight brings back.
        over = np.where(pace > high, 0.0, over)
        return float(np.minimum(short, 0.2).sum() + np.minimum(over, 0.2).sum() + THRIFT * weights.sum())

    best = None
    for start in (0.05, 0.15, 0.3):
        found = minimize(
            loss, np.full(len(NAMES), start), method="Powell", bounds=[(0.0, 1.5)] * len(NAMES),
            options={"maxiter": 4000, "xtol": 1e-4, "ftol": 1e-6},
        )  # fmt: skip
        if best is None or found.fun < best.fun:
            best = found
    assert best is not None
    return np.asarray(best.x / SCALE)


def said(figure: Judged, weights: NDArray[np.float64]) -> int:
    """The number of the level that these weights give a figure."""
    found = difficulty(figure.pace, Demands(*figure.demands), Demands(*weights))
    return LEVELS.index(level_at(found, figure.impossible))


def off(figure: Judged, weights: NDArray[np.float64]) -> int:
    """How many steps the level is off the nearer of the two judgements."""
    level = said(figure, weights)
    return max(figure.low - level, level - figure.high, 0)


def share(figures: list[Judged], weights: NDArray[np.float64]) -> float:
    """The part of the figures on which the level agrees."""
    return sum(off(figure, weights) == 0 for figure in figures) / len(figures)


def cross_validated(figures: list[Judged]) -> float:
    """The part of the figures on which weights agree that were fitted without the figure's family."""
    good = 0
    for family in sorted({figure.family for figure in figures}):
        weights = fit([figure for figure in figures if figure.family != family])
        good += sum(off(figure, weights) == 0 for figure in figures if figure.family == family)
    return good / len(figures)


def rank_correlation(figures: list[Judged], weights: NDArray[np.float64]) -> float:
    """Spearman's correlation of ease with the mean verdict, signed so that 1 is best."""
    ease = [ease_at(difficulty(f.pace, Demands(*f.demands), Demands(*weights))) for f in figures]
    return -float(spearmanr(ease, [f.low + f.high for f in figures]).statistic)


def main() -> None:
    figures = judged_figures()
    weights = fit(figures)
    for name, weight in zip(NAMES, weights):
        print(f"{name:<12}{weight:.4f}   in the app {getattr(WEIGHTS, name):.4f}")
    shipped = np.array([getattr(WEIGHTS, name) for name in NAMES])
    for figure in figures:
        if off(figure, shipped):
            wanted = " or ".join(LEVELS[k] for k in sorted({figure.low, figure.high}))
            print(f"{figure.name}: judged {wanted}, the app {LEVELS[said(figure, shipped)]}")
    print(f"fitted {share(figures, weights):.1%}, in the app {share(figures, shipped):.1%}")
    print(f"cross-validated by families {cross_validated(figures):.1%}")
    print(f"rank correlation of ease {rank_correlation(figures, shipped):.2f}")


if __name__ == "__main__":
    main()
