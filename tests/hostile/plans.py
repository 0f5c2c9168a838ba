"""The planner asked about figures that nobody would think of: written and open strokes mixed, with every school, hat
and limit, once and as loops. Short ones are held against every possibility.

``python -m tests.hostile.plans --figures 1000 --seed 1`` says what failed, with the command that makes it again.
"""

from __future__ import annotations

import argparse
import shlex
import sys
import traceback
from itertools import product
from random import Random
from typing import NamedTuple

from deft_reach.core import Kit, Player, analyse, layout, parse
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner import HATS, SCHOOLS, cheapest_stickings
from deft_reach.core.search.planner.assign import with_hands
from deft_reach.core.search.planner.schools import allowed_hands

FIVE, PLAYER = layout("five"), Player()
STEPS = (
    "?", "?", "?", "?@hh", "?@hh", "?@ft", "?@t1", "?@rd", "?@c1>", "?.", "?>", "f?", "d?", "R", "L", "R@hh", "L@t1",
    "?@hh+K", "?+?@hh", "R@hh+?", "K", "-", "-", "H", "K+H",
)  # fmt: skip
GRIDS = ("/16", "/16", "/8", "/8t", "/16t", "/32")
#: So many open strokes are tried out in every way.
TRIED_OUT = 9


class Question(NamedTuple):
    """A figure and what is wished for."""

    text: str
    tempo: int
    repeat: bool
    school: str
    hat: str
    max_run: int | None
    best: int

    @property
    def command(self) -> str:
        """What asks this on the command line."""
        words = ["deft-reach", "plan", "-e", self.text, "--tempo", str(self.tempo), "--school", self.school]
        words += ["--hat", self.hat, "--best", str(self.best), *(["--repeat"] if self.repeat else [])]
        return shlex.join(words + ([] if self.max_run is None else ["--max-run", str(self.max_run)]))


def question(chance: Random, longest: int = 26) -> Question:
    """A question at random."""
    steps = chance.randrange(2, longest)
    favourites = chance.sample(STEPS, chance.randrange(2, 8))
    items = [chance.choice(GRIDS)]
    for _ in range(steps):
        if chance.random() < 0.06:
            items.append(chance.choice(GRIDS))
        items.append(chance.choice(favourites))
    if not any("?" in item for item in items):
        items.append("?")
    return Question(
        " ".join(items), chance.choice((60, 100, 140, 220)), chance.random() < 0.6, chance.choice(SCHOOLS),
        chance.choice(HATS), chance.choice((None, None, 1, 2, 3)), chance.choice((1, 3, 5)),
    )  # fmt: skip


def check(asked: Question, kit: Kit = FIVE, player: Player = PLAYER) -> str:
    """Ask it; what is wrong with the answer, empty if nothing is. A refusal in words is an answer.

    Raises whatever the planner stumbles over.
    """
    pattern = parse(asked.text)
    wishes = {"school": asked.school, "hat": asked.hat, "max_run": asked.max_run}
    every = _every_cost(pattern, asked, kit, player)
    try:
        found = cheapest_stickings(pattern, kit, player, asked.tempo, best=asked.best, repeat=asked.repeat, **wishes)
    except SearchError as error:
        return f"refused ({error}), and {len(every)} ways are possible" if every else ""
    costs = [row.report.summary.cost for row in found.best]
    for row in found.best:
        if row.report.pattern.unassigned and not found.open:
            return "an answer has strokes without hands"
        if abs(row.cost - row.report.summary.cost) > 1e-6:
            return f"{row.report.pattern.sticking} costs {row.report.summary.cost}, not {row.cost}"
    if costs != sorted(costs):
        return f"the costs {costs} are in no order"
    if every is not None and not found.open:
        wanted = sorted(every)[: asked.best]
        if found.proven and (len(costs) != len(wanted) or any(abs(a - b) > 1e-6 for a, b in zip(costs, wanted))):
            return f"said to be proven: {costs}; tried out: {wanted}"
        if costs and wanted and costs[0] < wanted[0] - 1e-6:
            return f"cheaper than can be: {costs[0]}, and {wanted[0]} is the least"
    return ""


def _every_cost(pattern: Pattern, asked: Question, kit: Kit, player: Player) -> list[float] | None:
    """The cost of every way that the wishes allow, None where there are too many to try out."""
    allowed = allowed_hands(pattern, kit, player, asked.school, asked.hat, {})
    if len(allowed) > TRIED_OUT:
        return None
    found = []
    for hands in product(*allowed.values()):
        one = with_hands(pattern, dict(zip(allowed, hands)))
        sides = [[s.limb for s in e.strokes if s.limb in "RL"] for e in one.events]
        if any(len(row) != len(set(row)) for row in sides):
            continue
        rows = [
            (hands[0] if len(hands) == 1 else "", any(i in allowed for i in e.indices))
            for e, hands in zip(one.events, sides)
            if hands
        ]
        most = min((n for n in (asked.max_run, 1 if asked.school == "alternate" else None) if n), default=None)
        if most is not None and _runs_on(rows, most, asked.repeat):
            continue
        found.append(analyse(one, kit, player, asked.tempo, repeat=asked.repeat).summary.cost)
    return found


def _runs_on(rows: list[tuple[str, bool]], most: int, repeat: bool) -> bool:
    """Whether a hand strikes alone more than ``most`` times in a row, in a run of which a stroke was open.

    By counting from every place on: feet and rests between do not end a run, both hands do.
    """
    n = len(rows)
    for k in range(n):
        stretch = [rows[(k + i) % n] for i in range(most + 1)] if repeat else rows[k : k + most + 1]
        if len(stretch) <= most or not stretch[0][0] or any(hand != stretch[0][0] for hand, _ in stretch):
            continue
        # All of the run that this stretch is in.
        whole = list(stretch)
        for step in (1, -1):
            at = k + (most if step > 0 else 0) + step
            while (repeat or 0 <= at < n) and rows[at % n][0] == stretch[0][0] and len(whole) < 3 * n + most:
                whole.append(rows[at % n])
                at += step
        if any(is_open for _, is_open in whole):
            return True
    return False


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--figures", type=int, default=300)
    parser.add_argument("--seed", type=int, default=0)
    args = parser.parse_args()
    faults = 0
    for k in range(args.figures):
        asked = question(Random(args.seed * 1_000_003 + k))
        try:
            wrong = check(asked)
        except Exception:
            wrong = traceback.format_exc().strip().splitlines()[-1]
        if wrong:
            faults += 1
            print(f"{asked.command}\n    {wrong}", flush=True)
    print(f"{args.figures} figures, {faults} faults")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
