"""A simulated player in the hand test."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import NamedTuple

import numpy as np

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HAT_FOOT, KICK
from deft_reach.core.model.player import MOVE_BITS, Constants, Player
from deft_reach.core.practice.hand_speed import (
    EXERCISE_S,
    EXERCISES,
    NAMES,
    PAIR_PAUSE,
    REST_S,
    moves_of,
    usual_constants,
)
from deft_reach.core.practice.hits import Hit


class Performed(NamedTuple):
    """A hand test as played: the hits, and when which exercise begins."""

    hits: tuple[Hit, ...]
    marks: tuple[tuple[float, str], ...]


def perform_test(
    player: Player, kit: Kit, keys: Mapping[str, int], *, jitter: float = 0.003, seed: int = 1,
    names: Sequence[str] = NAMES, lead_in: float = 1.0,
) -> Performed:  # fmt: skip
    """A simulated player does the hand test with the constants that a player has, or those usual for the skill.

    ``keys`` has the key of each voice by its code, of the feet by ``K`` and ``H``. Every exercise begins slower, and
    the hand tires at its end; each stroke is off by ``jitter`` seconds (one standard deviation).
    """
    random = np.random.default_rng(seed)
    usual = usual_constants(player)
    own = {f.name: getattr(player.constants, f.name) for f in fields(Constants) if f.name != "extra"}
    c = {name: getattr(usual, name) if value is None else value for name, value in own.items()}
    moves = moves_of(kit, player)
    pad = keys["sn"]
    hits: list[Hit] = []
    marks: list[tuple[float, str]] = []
    begin = lead_in
    for exercise in EXERCISES:
        if exercise.name not in names or (exercise.name.endswith("move") and exercise.name not in moves):
            continue
        time, k, end = begin, 0, begin + EXERCISE_S
        marks.append((begin - 0.5, exercise.name))
        while time < end:
            key, gap = pad, c["right"]
            if exercise.name == "left hand":
                gap = c["left"]
            elif exercise.name == "hand to hand":
                gap = (c["right"] + c["left"]) / 4
            elif exercise.name in ("bass-drum foot", "other foot"):
                foot = exercise.name == "bass-drum foot"
                key, gap = (keys[KICK], c["kick"]) if foot else (keys[HAT_FOOT], c["other_foot"])
            elif exercise.name.endswith("doubles"):
                limb = exercise.alone
                key = keys[KICK] if limb == "kick" else pad
                gap = c[limb] * (c[exercise.measures[0]] if k % 2 == 0 else PAIR_PAUSE)
            elif exercise.name in moves:
                move = moves[exercise.name]
                key = keys[move.voices[k % 2]]
                gap = move.share * (c["move"] + c["move_per_bit"] * (move.bits - MOVE_BITS))
            # Warming up, and tiring.
            part = (time - begin) / EXERCISE_S
            slower = 1.0 + 0.25 * max(0.0, 1 - part / 0.25) + 0.15 * max(0.0, (part - 0.75) / 0.25)
            hits.append(Hit(time + float(random.normal(0.0, jitter)), key, 80 + int(random.integers(-6, 7))))
            time += gap * slower
            k += 1
        begin = end + REST_S
    return Performed(tuple(sorted(hits)), tuple(marks))
