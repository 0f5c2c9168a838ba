"""The hand test: a few short exercises from which a player's own constants are measured.

Each exercise is played as fast as it stays even. Of what was played the fastest steady stretch counts, so a slow
start and tiring at the end do no harm. A simulated player stands in for a real one.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.player import CONSTANTS, MOVE_BITS, Constants, Player
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.timing import (
    A0,
    B0,
    FOOT_REBOUND,
    HAND_REBOUND,
    HOMEWARD,
    TRAVEL_SKILL,
    restrike,
)
from deft_reach.core.practice.hits import Hit

Floats = NDArray[np.float64]

#: An exercise lasts so long, with so long a rest before the next (seconds): about three minutes in all.
EXERCISE_S: Final = 10.0
REST_S: Final = 6.0
#: Without names, a pause longer than this (seconds) parts two exercises.
PAUSE_S: Final = 2.0
#: A steady stretch has so many strokes, and its gaps differ by no more than this part of them (robust standard
#: deviation).
STRETCH: Final = 16
STEADY: Final = 0.12
#: With fewer strokes nothing is measured.
FEWEST: Final = 8
#: A move is told from a restrike where it takes so much longer by the model.
FARTHER: Final = 1.15
#: Hits of the same stroke (a double trigger) are no further apart than this (seconds).
BOUNCE_S: Final = 0.025


#: A simulated player pauses so many strokes long after each double.
PAIR_PAUSE: Final = 1.6


class HandTestError(ValueError):
    """A hand test that nothing can be measured from: says why and what to do."""


class Exercise(NamedTuple):
    """One exercise: its name, the limb that plays (both hands: ``RL``), what to do, and what it measures."""

    name: str
    limbs: str
    words: str
    measures: tuple[str, ...]

    @property
    def alone(self) -> str:
        """The constant of the same limb alone, against which its doubles are measured."""
        return self.measures[0].partition("_")[0].replace("foot", "kick")


NEAR, FAR = "near move", "far move"
#: In this order: what tires least first, and each hand rests while the other plays.
EXERCISES: Final = (
    Exercise("right hand", RIGHT, "Right hand alone on one pad: as fast as it stays even.", ("right",)),
    Exercise("left hand", LEFT, "Left hand alone on one pad: as fast as it stays even.", ("left",)),
    Exercise("hand to hand", "RL", "Hand to hand on one pad: as fast as it stays even.", ("hand_to_hand",)),
    Exercise(
        "right-hand doubles", RIGHT, "Right hand, two strokes and a pause, again and again: each two as close as "
        "they stay two even strokes.", ("right_rebound",),
    ),
    Exercise(
        "left-hand doubles", LEFT, "Left hand, two strokes and a pause, again and again: each two as close as they "
        "stay two even strokes.", ("left_rebound",),
    ),
    Exercise(NEAR, RIGHT, "The leading hand to and fro between {near}: as fast as both are struck well.",
             ("move", "move_per_bit")),
    Exercise(FAR, RIGHT, "The leading hand to and fro between {far}: as fast as both are struck well.",
             ("move", "move_per_bit")),
    Exercise("bass-drum foot", KICK, "Bass-drum foot alone: as fast as it stays even.", ("kick",)),
    Exercise("foot doubles", KICK, "Bass-drum foot, two strokes and a pause, again and again.", ("foot_rebound",)),
    Exercise("other foot", HAT_FOOT, "Other foot alone: as fast as it stays even.", ("other_foot",)),
)  # fmt: skip
NAMES: Final = tuple(exercise.name for exercise in EXERCISES)


class AimedMove(NamedTuple):
    """A way to and fro between two voices: its bits of difficulty, and what the leading hand takes of it beside the
    law (see timing), forth and back on average.
    """

    voices: tuple[str, str]
    bits: float
    share: float


class Measured(NamedTuple):
    """A constant as measured (seconds, or a part), how unsteady what it is from was, and what it is from; ``usual``
    is what the model has for this player without a test.
    """

    value: float
    spread: float
    source: str
    usual: float

    def as_dict(self) -> dict[str, Any]:
        return {"value": self.value, "spread": self.spread, "from": self.source, "usual": self.usual}


@dataclass(frozen=True)
class HandTest:
    """What a hand test says: the constants by name (as in player.CONSTANTS, and ``hand_to_hand``), the player with
    them, and what could not be measured and why.
    """

    constants: dict[str, Measured]
    player: Player
    notes: tuple[str, ...] = ()


def moves_of(kit: Kit, player: Player) -> dict[str, AimedMove]:
    """The moves of a hand test on a kit by their exercises: fewer where it has no two places far enough apart."""
    hand = player.stronger
    side = (RIGHT, LEFT).index(hand)
    plain = replace(player, constants=Constants())
    voices = [p.code for p in kit.pieces if p.kind in ("snare", "tom", "floor-tom", "hi-hat", "ride", "crash")]
    table = reach_table(kit, plain, voices)
    still = restrike(plain, hand)
    rows: list[AimedMove] = []
    for i, a in enumerate(table.names):
        for b in table.names[i + 1 :]:
            p, q = table.names.index(a), table.names.index(b)
            time = (table.travel_times[side, p, q] + table.travel_times[side, q, p]) / 2
            reach = max(table.reaches[side, p], table.reaches[side, q])
            if not (time > FARTHER * still and reach <= 1.0):
                continue
            width = min(table.widths[a], table.widths[b])
            bits = math.log2(table.distances[p, q] / width + 1.0)
            outwards = table.tips[p, 0] != table.tips[q, 0]
            rows.append(AimedMove((a, b), bits, (1.0 + HOMEWARD) / 2 if outwards else 1.0))
    rows.sort(key=lambda row: row.bits)
    if not rows:
        return {}
    near, far = rows[0], rows[-1]
    return {NEAR: near, FAR: far} if far.bits - near.bits > 0.5 else {FAR: far}


def usual_constants(player: Player) -> Constants:
    """What the model has for a player without a test."""
    plain = replace(player, constants=Constants())
    skill = (plain.skill * plain.speed_of(plain.stronger)) ** TRAVEL_SKILL
    own = plain.speeds.moves
    return Constants(
        right=restrike(plain, RIGHT), left=restrike(plain, LEFT), kick=restrike(plain, KICK),
        other_foot=restrike(plain, SECOND_KICK), right_rebound=HAND_REBOUND[0], left_rebound=HAND_REBOUND[0],
        foot_rebound=FOOT_REBOUND[0], move=(A0 + B0 * MOVE_BITS) * skill * own, move_per_bit=B0 * skill * own,
    )  # fmt: skip


# --- measuring ------------------------------------------------------------------------------------------------------


def measure(exercises: Mapping[str, Sequence[Hit]], kit: Kit, player: Player) -> HandTest:
    """What was played in the exercises (by their names), as constants of a player.

    Raises HandTestError where nothing at all can be measured.
    """
    # Long: one exercise after the other.
    usual = usual_constants(player)
    found: dict[str, Measured] = {}
    notes: list[str] = []

    def keep(name: str, value: float, spread: float, source: str) -> None:
        _, low, high = CONSTANTS.get(name, ("", 0.03, 0.6))
        if not low <= value <= high:
            notes.append(f"{source}: {value:.3f} is no likely value ({low:g} to {high:g}); left as it was")
            return
        model = getattr(usual, name, None)
        if model is None:
            model = ((usual.right or 0.0) + (usual.left or 0.0)) / 4
        found[name] = Measured(round(value, 5), round(spread, 5), source, round(model, 5))

    steady: dict[str, float] = {}
    for exercise in EXERCISES:
        hits = _single(exercises.get(exercise.name, ()))
        if not hits or exercise.name.endswith("move"):
            continue
        gaps = np.diff([hit.time for hit in hits])
        if exercise.name.endswith("doubles"):
            inner = _inner_gaps(gaps)
            limb = exercise.alone
            whole = steady.get(limb)
            if inner is None:
                notes.append(f"{exercise.name}: no pairs were told apart; play two strokes and a clear pause")
            elif whole is None:
                notes.append(f"{exercise.name}: needs the same limb alone as well")
            else:
                # As with single strokes the fastest stretch counts: both are compared.
                pairs = _fastest(inner)
                pairs = inner if pairs is None else pairs
                value, spread = _middle(pairs)
                source = f"{len(pairs)} pairs, {exercise.name}"
                keep(exercise.measures[0], min(1.0, value / whole), spread / whole, source)
            continue
        stretch = _fastest(gaps)
        if stretch is None:
            notes.append(f"{exercise.name}: fewer than {FEWEST} even strokes in a row; play it again, slower")
            continue
        value, spread = _middle(stretch)
        keep(exercise.measures[0], value, spread, f"{len(stretch) + 1} strokes, {exercise.name}")
        if exercise.measures[0] in found:
            steady[exercise.measures[0]] = value
    _measure_moves(exercises, kit, player, keep, notes)
    if not found:
        raise HandTestError(
            "nothing could be measured: no exercise has enough even strokes"
            + ("; " + "; ".join(notes) if notes else "")
        )
    own: dict[str, Any] = {name: found[name].value for name in CONSTANTS if name in found}
    speeds = player.speeds
    # A measured limb needs no factor beside it.
    speeds = replace(
        speeds,
        right=1.0 if "right" in own else speeds.right, left=1.0 if "left" in own else speeds.left,
        feet=1.0 if "kick" in own else speeds.feet, moves=1.0 if "move" in own else speeds.moves,
    )  # fmt: skip
    return HandTest(found, replace(player, speeds=speeds, constants=replace(player.constants, **own)), tuple(notes))


def _measure_moves(
    exercises: Mapping[str, Sequence[Hit]], kit: Kit, player: Player, keep: Any, notes: list[str]
) -> None:
    """The player's own line through the near and the far move; with one of them, the model's line made to fit."""
    rows: list[tuple[float, float, float, int]] = []
    for name, move in moves_of(kit, player).items():
        hits = _single(exercises.get(name, ()))
        gaps = np.diff([hit.time for hit in hits])
        # To and fro: a second hit on the same pad is a stroke that missed its place.
        there = np.array([a.key != b.key for a, b in pairwise(hits)], dtype=bool)
        stretch = _fastest(np.where(there, gaps, np.nan))
        if stretch is None:
            if hits:
                notes.append(f"{name}: fewer than {FEWEST} even moves in a row; play it again, slower")
            continue
        value, spread = _middle(stretch)
        rows.append((move.bits, value / move.share, spread, len(stretch)))
    if not rows:
        return
    usual = usual_constants(player)
    assert usual.move_line is not None
    spread = max(row[2] for row in rows)
    source = f"{sum(row[3] for row in rows)} moves, near and far" if len(rows) > 1 else f"{rows[0][3]} moves"
    if len(rows) > 1:
        (low_bits, short, *_), (high_bits, long, *_) = rows
        slope = (long - short) / (high_bits - low_bits)
        two_bits = short + slope * (MOVE_BITS - low_bits)
    else:
        bits, time, *_ = rows[0]
        base, slope = usual.move_line
        factor = time / (base + slope * bits)
        two_bits, slope = factor * (base + slope * MOVE_BITS), factor * slope
    _, low, high = CONSTANTS["move_per_bit"]
    if not low <= slope <= high:
        notes.append("the far move was no slower than the near one: the moves were left as they were")
        return
    keep("move", two_bits, spread, source)
    keep("move_per_bit", slope, spread / max(1.0, rows[-1][0]), source)


def _single(hits: Sequence[Hit]) -> list[Hit]:
    """Hits without double triggers."""
    found: list[Hit] = []
    for hit in sorted(hits):
        if not found or hit.time - found[-1].time > BOUNCE_S:
            found.append(hit)
    return found


def _fastest(gaps: Floats) -> Floats | None:
    """The gaps of the fastest steady stretch, None where nothing is steady for long enough."""
    best: Floats | None = None
    size = min(STRETCH, len(gaps))
    if size < FEWEST - 1:
        return None
    for k in range(len(gaps) - size + 1):
        row = gaps[k : k + size]
        if np.isnan(row).any():
            continue
        middle, spread = _middle(row)
        steady = spread <= STEADY * middle and float(row.max()) < 1.6 * middle
        if steady and (best is None or row.mean() < best.mean()):
            best = row
    return best


def _inner_gaps(gaps: Floats) -> Floats | None:
    """The short gaps of pairs with a pause after each, as they were played (n,); None where gaps are not of two
    kinds.
    """
    if len(gaps) < FEWEST:
        return None
    ordered = np.sort(gaps)
    ratios = ordered[1:] / np.maximum(ordered[:-1], 1e-6)
    # The widest step between two sizes, somewhere in the middle half.
    low, high = len(ordered) // 4, max(len(ordered) // 4 + 1, 3 * len(ordered) // 4)
    at = low + int(np.argmax(ratios[low:high]))
    inner = gaps[gaps <= ordered[at]]
    if ratios[at] < 1.25 or len(inner) < FEWEST // 2:
        return None
    return np.asarray(inner)


def _middle(row: Floats) -> tuple[float, float]:
    """Mean and robust standard deviation."""
    middle = float(np.median(row))
    return float(row.mean()), 1.4826 * float(np.median(np.abs(row - middle)))


# --- telling exercises apart ----------------------------------------------------------------------------------------


def exercises_of(
    hits: Sequence[Hit], marks: Sequence[tuple[float, str]], feet: Mapping[int, str]
) -> dict[str, list[Hit]]:
    """What was played in each exercise: by the names in the recording, or else by pads and the pauses between.

    ``marks`` are times (seconds) and names of exercises; ``feet`` has the keys that feet play and which one
    (``K`` or ``H``). Raises HandTestError where the exercises cannot be told apart.
    """
    named = [(time, name.strip().casefold()) for time, name in sorted(marks)]
    known = [(time, name) for time, name in named if name in NAMES]
    if known:
        found: dict[str, list[Hit]] = {}
        for (time, name), end in zip(known, [*(time for time, _ in known[1:]), math.inf]):
            found.setdefault(name, [])
            found[name] += [hit for hit in hits if time - 0.05 <= hit.time < end - 0.05]
        return found
    parts: list[list[Hit]] = []
    for hit in sorted(hits):
        if not parts or hit.time - parts[-1][-1].time > PAUSE_S:
            parts.append([])
        parts[-1].append(hit)
    parts = [part for part in parts if len(part) >= FEWEST]
    one_pad = iter(("right hand", "left hand", "hand to hand", "right-hand doubles", "left-hand doubles"))
    two_pads = iter((NEAR, FAR))
    kicks = iter(("bass-drum foot", "foot doubles"))
    found = {}
    for part in parts:
        limb = feet.get(part[0].key)
        if limb is None:
            what = next(two_pads if len({hit.key for hit in part}) > 1 else one_pad, None)
        else:
            what = next(kicks, None) if limb == KICK else "other foot"
        if what is None:
            raise HandTestError(
                "there are more parts than exercises: leave a pause of two seconds or more between the exercises, "
                "and none within one"
            )
        found[what] = part
    if not found:
        raise HandTestError(f"there is no stretch of {FEWEST} hits or more: this is no hand test")
    return found


# --- the simulated player -------------------------------------------------------------------------------------------


# --- the guided test ------------------------------------------------------------------------------------------------
