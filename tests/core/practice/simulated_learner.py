"""A learner over weeks, apart from the app's own model: a figure is slow at first, in the end as quick as the hands.

How quick a figure is follows the minutes it was played, on an exponential that levels off (the shape of a learning
curve: Heathcote, Brown and Mewhort 2000, Psychonomic Bulletin & Review 7). Whether a try is clean is a matter of
chance about the tempo that it allows, and now and then something else goes wrong.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from deft_reach.core import Kit, Player, analyse, parse
from deft_reach.core.practice.ladder import build_ladder, room_above
from deft_reach.core.practice.own_speed import Evidence, calibrate, evidence_of
from deft_reach.core.practice.resuming import RungTry, lowest_tried, resume
from deft_reach.core.practice.runner import Runner
from deft_reach.core.practice.stages import build_up

FIRST = date(2026, 1, 5)


@dataclass(frozen=True)
class Learner:
    """Hands with a true skill (as a player has it), how much slower a new figure is, how many minutes take two thirds
    of that away, how sharp the edge is, and how often something else goes wrong.
    """

    skill: float
    slower: float = 0.35
    minutes: float = 45.0
    sharp: float = 18.0
    lapses: float = 0.04
    seed: int = 1


@dataclass
class Course:
    """What became of it: the highest tempo clean three times in a row, home, each session's end, and the player."""

    reached: float
    home: float
    by_session: list[float]
    player: Player
    evidence: list[Evidence]


def practise(text: str, kit: Kit, learner: Learner, set_skill: float, *, own_speed: bool, sessions: int = 20,
             minutes: float = 15.0, home_at: float = 0.92, repeat: bool = True) -> Course:  # fmt: skip
    """Sessions of a learner on one figure, whose home tempo is this part of what the hands can do in the end."""
    random = np.random.default_rng(learner.seed)
    pattern = parse(text)
    truth = Player(skill=learner.skill)
    limit = analyse(pattern, kit, truth, 100.0, repeat=repeat).summary.tempo_limit
    assert limit is not None
    home = float(math.floor(home_at * limit))
    player = Player(skill=set_skill)
    tries: list[RungTry] = []
    evidence: list[Evidence] = []
    played = best = 0.0
    ends: list[float] = []
    for session in range(sessions):
        today = FIRST + timedelta(days=2 * session)
        stages = build_up(pattern, kit, player, home, repeat=repeat, between=False)
        clean = max((t.tempo for t in tries if t.verdict == "clean" and t.stage == "everything"), default=None)
        rungs = build_ladder(
            stages, home, start=lowest_tried(tries, home), past_limit=False, least_top=room_above(clean)
        )
        begin = resume(rungs, stages, tries, today)
        runner = Runner(rungs, stages, at=begin.at, warm_up_to=begin.warm_up_to)
        spent, run = 0.0, 0
        while spent < minutes * 60 and not runner.done:
            rung, stage = runner.rung, runner.stage
            once = stage.report.summary.duration * stage.report.tempo / rung.tempo * rung.repeats
            ready = 1.0 - learner.slower * math.exp(-played / learner.minutes)
            mine = analyse(parse(stage.text), kit, truth, rung.tempo, repeat=repeat).summary.tempo_limit or 1e9
            edge = learner.sharp * math.log(rung.tempo / (mine * ready))
            chance = (1 - learner.lapses) / (1 + math.exp(min(40.0, edge)))
            verdict = "clean" if random.random() < chance else "not-yet" if random.random() < 0.5 else "rough"
            found = evidence_of(stage.report, rung.tempo, verdict == "clean")
            if found is not None:
                evidence.append(replace_when(found, today, "figure"))
            tries.append(RungTry(stage.name, rung.tempo, verdict, today))
            whole = stage.name == "everything"
            run = run + 1 if whole and verdict == "clean" else 0
            if run >= 3:
                best = max(best, rung.tempo)
            runner.take(verdict, once)
            spent += once + 5
            played += once / 60
        ends.append(best)
        if own_speed:
            player = calibrate(player, evidence).player
    return Course(best, home, ends, player, evidence)


def replace_when(row: Evidence, day: date, figure: str) -> Evidence:
    """Evidence with its day and its figure."""
    return row._replace(day=day, figure=figure)
