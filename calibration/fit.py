"""Fit what ``core.analysis.difficulty`` weighs on judged figures, and say how well it holds on figures left out.

``verdicts.csv`` beside this script holds figures with two or three independent judgements of how hard each is for a
player of the given skill at the given tempo, some with a grade from 0 to 100: general drumming knowledge, no
published source. A verdict agrees if it is one of the judgements or lies between them.

Difficulties are fitted to the judgements as ordered levels (a logistic model of each border between two levels). The
weights are not below 0, large ones cost a little, and how skill acts is drawn towards its plain form. Families of
figures, a series of tempi among them, are left out in ten parts in turn to see what the fit is worth on others.

    python -m calibration.fit

What habit weighs is fitted by ``fit_habit``, which this runs as well.
"""

from __future__ import annotations

import csv
import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.stats import spearmanr

from calibration import fit_habit
from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.demands import PARTS, Moments
from deft_reach.core.analysis.difficulty import BUSY, HARD, HEADROOM, JOIN, LEVELS, SUM, WEIGHTS, learned

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
Flags = NDArray[np.bool_]

FIGURES: Final = Path(__file__).with_name("verdicts.csv")
#: What a weight costs, and a power of skill that is not 1.
THRIFT, PLAIN = 0.003, 0.5
#: The parts that are fitted, and those that keep the weight they have: the judged figures hardly hold orders that are
#: not practised, so that of the weights with which they agree as well the one is taken that ranks stickings best.
FITTED: Final = tuple(part for part in PARTS if WEIGHTS[part].weight > 0.0)
KEPT: Final = ("order",)
PARTS_LEFT_OUT: Final = 10


class Judged(NamedTuple):
    """A judged figure with what is demanded in it.

    ``votes`` are the numbers of its verdicts, ``impossible`` says that a limb has no time or no reach, ``tight`` that
    one has hardly any left, and ``grade`` goes from 0 to 100.
    """

    family: str
    name: str
    skill: float
    votes: tuple[int, ...]
    grade: float | None
    moments: Moments
    length: float
    impossible: bool
    tight: bool
    decisive: str

    def off(self, level: int) -> int:
        """How many steps a level is off the judgements: below 0 too lenient, above 0 too strict."""
        return min(0, level - min(self.votes)) + max(0, level - max(self.votes))


def judged_figures(path: Path = FIGURES) -> list[Judged]:
    """Every figure of the file, analysed."""
    found = []
    with path.open(newline="", encoding="utf-8") as file:
        for row in csv.DictReader(file):
            player = replace(Player(), skill=float(row["skill"]))
            report = analyse(
                parse(row["text"]), layout(row["kit"]), player, float(row["tempo"]), repeat=row["played"] == "loop"
            )
            votes = tuple(LEVELS.index(row[key]) for key in ("verdict", "second", "third") if row[key])
            assert report.moments is not None
            found.append(
                Judged(
                    row["family"], row["name"], player.skill, votes, float(row["grade"]) if row["grade"] else None,
                    report.moments, report.summary.duration, report.summary.level == "impossible",
                    (report.summary.headroom or 1.0) < HEADROOM - 1.0, row["decisive"],
                )
            )  # fmt: skip
    return found


class Fit(NamedTuple):
    """Weights and powers of skill (parts,), the logarithms of the difficulties at which the levels begin, and how
    sharp the borders are. The last border is at 1: it says what 1 means.
    """

    weights: Floats
    skills: Floats
    borders: tuple[float, float, float]
    sharpness: float


class Fitter:
    """Figures as arrays, to be fitted and asked again and again."""

    def __init__(self, figures: Sequence[Judged]) -> None:
        columns = [PARTS.index(part) for part in FITTED]
        self.figures = figures
        rates = np.concatenate([figure.moments.rates[:, columns] for figure in figures])
        sizes = [len(figure.moments.time) for figure in figures]
        self.starts = np.cumsum([0, *sizes[:-1]])
        lengths = np.repeat([figure.length for figure in figures], sizes)
        self.time = np.concatenate([figure.moments.time for figure in figures]) / lengths
        #: Weights are fitted in the size of an ordinary rate, so that one price fits all.
        self.scale = np.array([np.percentile(column[column > 0], 75) for column in rates.T])
        powers = np.array([WEIGHTS[part].power for part in FITTED])
        self.unit = self.scale**powers
        self.there = rates > 0
        self.logs = np.log(np.where(self.there, rates / self.scale, 1.0)) * powers
        self.learned = learned(np.concatenate([figure.moments.skill[:, columns] for figure in figures]))
        self.votes = np.zeros((len(figures), len(LEVELS)))
        for row, figure in zip(self.votes, figures):
            for vote in figure.votes:
                row[vote] += 1.0 / len(figure.votes)

    def difficulties(self, fit: Fit) -> Floats:
        """The logarithm of every figure's difficulty."""
        return self._sums(np.log(fit.weights), fit.skills)[0]

    def levels(self, fit: Fit) -> Ints:
        """Every figure's level: impossible is what a limb has no time or reach for, hard at the least what has hardly
        any left; the others are read from the difficulty.
        """
        z = self.difficulties(fit)
        below = sum((z > border).astype(np.intp) for border in fit.borders[:2])
        below = np.maximum(below, np.where([figure.tight for figure in self.figures], 2, 0))
        return np.where([figure.impossible for figure in self.figures], 3, below)

    def fit(self, kept: Flags) -> Fit:
        """The fit to the figures that are ``kept``."""
        n = len(FITTED)
        start = np.concatenate(
            [np.full(n, math.log(0.6 / math.sqrt(n))), np.ones(n), [math.log(6.0)], [math.log(0.35)] * 2]
        )
        bounds = [(-7.0, 3.0)] * n + [(0.05, 4.0)] * n + [(0.0, 4.0)] + [(-4.0, 1.0)] * 2
        for part in KEPT:
            k = FITTED.index(part)
            start[k], start[n + k] = math.log(WEIGHTS[part].weight * self.unit[k]), WEIGHTS[part].skill
            bounds[k], bounds[n + k] = (start[k],) * 2, (start[n + k],) * 2
        found = minimize(
            self._loss, start, args=(kept.astype(float),), jac=True, method="L-BFGS-B", bounds=bounds,
            options={"maxiter": 250},
        ).x  # fmt: skip
        return Fit(np.exp(found[:n]), found[n : 2 * n], _borders(found), math.exp(found[2 * n]))

    def _sums(self, logs: Floats, skills: Floats) -> tuple[Floats, Floats]:
        """The logarithm of every figure's difficulty, and how it rises with the logarithm of each weight."""
        cubes = np.where(self.there, np.exp(JOIN * (self.logs + logs + self.learned * skills)), 0.0)
        joined = cubes.sum(axis=1) + 1e-30
        sums = np.maximum(np.add.reduceat(self.time * joined ** (SUM / JOIN), self.starts), 1e-12)
        each = (self.time * joined ** (SUM / JOIN - 1.0))[:, None] * cubes
        self._by_skill = np.add.reduceat(each * self.learned, self.starts, axis=0) / sums[:, None]
        return np.log(sums) / SUM, np.add.reduceat(each, self.starts, axis=0) / sums[:, None]

    def _loss(self, x: Floats, kept: Floats) -> tuple[float, Floats]:
        """How surprising the judgements are, and how that changes."""
        n, count = len(FITTED), kept.sum()
        logs, skills, sharp = x[:n], x[n : 2 * n], math.exp(x[2 * n])
        z, by_weight = self._sums(logs, skills)
        borders = _borders(x)
        under = [1.0 / (1.0 + np.exp(-np.clip(sharp * (border - z), -40.0, 40.0))) for border in borders]
        chance = np.maximum(np.diff(np.stack([0.0 * z, *under, 0.0 * z + 1.0], axis=1), axis=1), 1e-9)
        weight = self.votes * kept[:, None]
        loss, slope = -(weight * np.log(chance)).sum() / count, -weight / chance / count
        by_z, by_sharp, by_border = np.zeros(len(z)), 0.0, []
        for k, (border, part) in enumerate(zip(borders, under)):
            steep = part * (1.0 - part) * (slope[:, k] - slope[:, k + 1])
            by_z -= steep * sharp
            by_sharp += float((steep * (border - z)).sum()) * sharp
            by_border.append(float((steep * sharp).sum()))
        gradient = np.zeros_like(x)
        gradient[:n] = by_z @ by_weight + THRIFT * np.exp(logs)
        gradient[n : 2 * n] = by_z @ self._by_skill + 2.0 * PLAIN * (skills - 1.0) / count
        gradient[2 * n] = by_sharp
        first, second = np.exp(x[2 * n + 1 :])
        gradient[2 * n + 1 :] = -first * by_border[0], -second * (by_border[0] + by_border[1])
        return loss + THRIFT * np.exp(logs).sum() + PLAIN * ((skills - 1.0) ** 2).sum() / count, gradient


def _borders(x: Floats) -> tuple[float, float, float]:
    first, second = np.exp(x[-2:]).tolist()
    return -(first + second), -second, 0.0


def shipped(fitter: Fitter) -> Fit:
    """What the package weighs."""
    weights = np.array([WEIGHTS[part].weight for part in FITTED]) * fitter.unit
    skills = np.array([WEIGHTS[part].skill for part in FITTED])
    return Fit(weights, skills, (math.log(BUSY), math.log(HARD), 0.0), 10.0)


def folds(figures: Sequence[Judged], seed: int) -> Ints:
    """The part in which each figure is left out; a family is left out as a whole."""
    families = sorted({figure.family for figure in figures})
    number = np.random.default_rng(seed).permutation(np.arange(len(families)) % PARTS_LEFT_OUT)
    return np.array([number[families.index(figure.family)] for figure in figures])


def cross_validated(fitter: Fitter, seed: int) -> tuple[Ints, Floats]:
    """Every figure's level and log difficulty by a fit that has not seen its family."""
    fold = folds(fitter.figures, seed)
    levels, z = np.zeros(len(fold), dtype=np.intp), np.zeros(len(fold))
    for k in range(PARTS_LEFT_OUT):
        fit = fitter.fit(fold != k)
        levels[fold == k], z[fold == k] = fitter.levels(fit)[fold == k], fitter.difficulties(fit)[fold == k]
    return levels, z


def agreement(figures: Sequence[Judged], levels: Ints) -> float:
    """The share of figures whose level is a judgement of theirs or lies between two."""
    return sum(figure.off(int(level)) == 0 for figure, level in zip(figures, levels)) / len(figures)


def lean(figures: Sequence[Judged], levels: Ints, skill: float) -> float:
    """How far levels are off on average for a skill: below 0 too lenient."""
    rows = [figure.off(int(level)) for figure, level in zip(figures, levels) if figure.skill == skill]
    return sum(rows) / len(rows)


def rank_correlation(figures: Sequence[Judged], z: Floats) -> float:
    """Spearman's correlation of difficulty with the grades."""
    rows = [(figure.grade, value) for figure, value in zip(figures, z.tolist()) if figure.grade is not None]
    return float(spearmanr(*zip(*rows))[0])


def _say(what: str, figures: Sequence[Judged], levels: Ints, z: Floats) -> None:
    skills = sorted({figure.skill for figure in figures}, reverse=True)
    worst = sum(abs(figure.off(int(level))) > 1 for figure, level in zip(figures, levels))
    leans = ", ".join(f"{skill:g}: {lean(figures, levels, skill):+.2f}" for skill in skills)
    shares = ", ".join(
        f"{skill:g}: {agreement(*zip(*[(f, v) for f, v in zip(figures, levels) if f.skill == skill])):.3f}"  # type: ignore[arg-type]
        for skill in skills
    )
    print(
        f"{what}: {agreement(figures, levels):.3f} agree ({shares}), {worst} two steps off, lean {leans}, "
        f"rank with grades {rank_correlation(figures, z):.3f}"
    )


def main() -> None:
    """Fit, and say what the fit is worth."""
    figures = judged_figures()
    fitter = Fitter(figures)
    own = shipped(fitter)
    _say("as shipped", figures, fitter.levels(own), fitter.difficulties(own))
    fit = fitter.fit(np.ones(len(figures), dtype=bool))
    _say("fitted to all", figures, fitter.levels(fit), fitter.difficulties(fit))
    for seed in range(3):
        levels, z = cross_validated(fitter, seed)
        _say(f"families left out, split {seed + 1}", figures, levels, z)
    print("the levels begin at", ", ".join(f"{math.exp(border):.3f}" for border in fit.borders[:2]))
    for part, weight, skill, unit in zip(FITTED, fit.weights, fit.skills, fitter.unit):
        print(f'    "{part}": Part({weight / unit:.4f}, {WEIGHTS[part].power:g}, {skill:.2f}),')
    kinds = sorted({figure.decisive.partition(":")[0] for figure in figures if figure.decisive})
    for kind in kinds:
        rows = [(f, v) for f, v in zip(figures, fitter.levels(fit)) if f.decisive.partition(":")[0] == kind]
        if len(rows) > 4:
            print(f"{kind}: {agreement(*zip(*rows)):.2f} of {len(rows)}")  # type: ignore[arg-type]
    fit_habit.main()


if __name__ == "__main__":
    main()
