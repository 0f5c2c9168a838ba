"""Fit what ``core.analysis.habit`` weighs on stickings that teaching accepts, and say how well it holds.

``stickings.csv`` beside this script holds figures with every sticking that teaching accepts for each (two independent
lists; general drumming knowledge, no published source): alternatives parted by ``|``, each an expression over the
hands in order, or VOICE=HAND for every stroke on a piece. The stickings of a figure that the planner looks at, the
cheapest ones and those of every kind, are ranked by ``ln(difficulty + 1/2) + habit``; weights, none below 0, make
accepted ones likely to come before the others (a softmax over each figure). Figures are left out in ten parts in turn
to see what that is worth on others.
"""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from deft_reach.core import Pattern, Player, layout, parse
from deft_reach.core.analysis.habit import WEIGHTS
from deft_reach.core.analysis.ranking import FROM
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import HANDS, RIGHT
from deft_reach.core.search.planner import cheapest_stickings
from deft_reach.core.search.planner.kinds import written
from deft_reach.core.search.planner.offers import POOL

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

FIGURES: Final = Path(__file__).with_name("stickings.csv")
#: What a weight costs, and in how many parts figures are left out.
THRIFT: Final = 0.0005
PARTS_LEFT_OUT: Final = 10
#: What a weight is at the least and at the most: eight strokes in an order that is practised cost no more than to
#: leave one.
LEAST: Final = {"breaks": 2.0}
MOST: Final = {"others": 0.25}


class Ranked(NamedTuple):
    """A figure's stickings: ln(difficulty + 1/2) (n,), what goes against habit (n, 9), which are accepted (n,)."""

    name: str
    difficulty: Floats
    habits: Floats
    accepted: Flags


def is_accepted(accept: str, pattern: Pattern) -> bool:
    """Whether a sticking is one that teaching accepts."""
    struck = [(s.limb, piece_of(s.voice)) for s in pattern.strokes if s.limb in HANDS]
    return any(_fits(way, struck) for way in _alternatives(accept))


def _alternatives(accept: str) -> list[str]:
    """The parts of an expression between bars outside its brackets."""
    found, depth = [""], 0
    for letter in accept:
        depth += (letter == "(") - (letter == ")")
        if letter == "|" and not depth:
            found.append("")
        else:
            found[-1] += letter
    return found


def _fits(way: str, struck: Sequence[tuple[str, str]]) -> bool:
    if "@" in way:
        wanted = dict(word[1:].split("=") for word in way.split() if word.startswith("@"))
        return all(wanted.get(piece, limb) == limb for limb, piece in struck)
    return re.fullmatch(way, "".join(limb for limb, _ in struck)) is not None


def ranked_figures(path: Path = FIGURES) -> list[Ranked]:
    """Every figure of the file with the cheapest stickings of it."""
    found = []
    with path.open(newline="", encoding="utf-8") as file:
        for row in csv.DictReader(file):
            pattern, tempo, repeat = parse(row["text"]), float(row["tempo"]), row["played"] == "loop"
            looked_at = cheapest_stickings(
                pattern, layout("five"), Player(), tempo, best=POOL, repeat=repeat,
                also=partial(written, pattern, repeat=repeat, whole=240.0 / tempo, lead=RIGHT),
            )  # fmt: skip
            rows = (*looked_at.best, *looked_at.also)
            found.append(
                Ranked(
                    row["name"],
                    np.array([math.log(s.report.summary.difficulty + FROM) for s in rows]),
                    np.array([list(s.report.habit.learned) for s in rows]),
                    np.array([is_accepted(row["accept"], s.pattern) for s in rows]),
                )
            )
    return found


def fit(figures: Sequence[Ranked]) -> Floats:
    """Weights of the habits (9,), fitted to figures of which some stickings are accepted and some are not."""
    told = [figure for figure in figures if figure.accepted.any() and not figure.accepted.all()]

    def loss(x: Floats) -> tuple[float, Floats]:
        sharp, weights = math.exp(x[0]), np.exp(x[1:])
        total, gradient = THRIFT * float(weights.sum()), np.zeros_like(x)
        gradient[1:] = THRIFT * weights
        for figure in told:
            score = -sharp * (figure.difficulty + figure.habits @ weights)
            likely = np.exp(score - score.max())
            likely /= likely.sum()
            good = np.where(figure.accepted, likely, 0.0)
            sum_good = max(float(good.sum()), 1e-300)
            by_score = (likely - good / sum_good) / len(told)
            total -= math.log(sum_good) / len(told)
            gradient[0] += by_score @ score
            gradient[1:] -= (by_score @ figure.habits) * sharp * weights
        return total, gradient

    least = [math.log(LEAST[name]) if name in LEAST else -6.0 for name in WEIGHTS]
    most = [math.log(MOST[name]) if name in MOST else 4.0 for name in WEIGHTS]
    start = np.clip([math.log(20.0), *[0.0] * len(WEIGHTS)], [-2.0, *least], [5.0, *most])
    bounds = [(-2.0, 5.0), *zip(least, most)]
    return np.asarray(np.exp(minimize(loss, start, jac=True, method="L-BFGS-B", bounds=bounds).x[1:]))


def accepted_first(figure: Ranked, weights: Floats) -> bool:
    """Whether the sticking with the lowest number is an accepted one."""
    return bool(figure.accepted[np.argmin(figure.difficulty + figure.habits @ weights)])


def cross_validated(figures: Sequence[Ranked], seed: int) -> float:
    """The share of figures whose first sticking is accepted by weights that have not seen the figure."""
    fold = np.random.default_rng(seed).permutation(np.arange(len(figures)) % PARTS_LEFT_OUT)
    good = 0
    for k in range(PARTS_LEFT_OUT):
        weights = fit([figure for figure, part in zip(figures, fold) if part != k])
        good += sum(accepted_first(figure, weights) for figure, part in zip(figures, fold) if part == k)
    return good / len(figures)


def main() -> None:
    """Fit, and say what the fit is worth."""
    figures = ranked_figures()
    own = np.array(list(WEIGHTS.values()))
    share = sum(accepted_first(figure, own) for figure in figures) / len(figures)
    reached = sum(bool(figure.accepted.any()) for figure in figures) / len(figures)
    print(f"hands, as shipped: {share:.3f} accepted first; {reached:.3f} have an accepted one among those looked at")
    weights = fit(figures)
    share = sum(accepted_first(figure, weights) for figure in figures) / len(figures)
    print(f"hands, fitted to all: {share:.3f} accepted first")
    for seed in range(3):
        print(f"hands, figures left out, split {seed + 1}: {cross_validated(figures, seed):.3f} accepted first")
    print("    " + ", ".join(f'"{name}": {weight:.2f}' for name, weight in zip(WEIGHTS, weights)))


if __name__ == "__main__":
    main()
