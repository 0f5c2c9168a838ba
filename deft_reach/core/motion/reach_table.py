"""Everything about a kit and a player that does not depend on the rhythm, worked out once per voice and pair.

A pattern of ten thousand strokes uses a dozen voices; poses belong to voices and crossings to pairs of them, so an
analysis looks them up here and stays linear in its strokes.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.cost import reach_costs
from deft_reach.core.kit import SPLIT_FOOT_MM, Kit
from deft_reach.core.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.motion.crossing import crossings
from deft_reach.core.motion.pose import (
    COMFORTABLE_REACH,
    MAX_LEAN_MM,
    SHARED_VOICE_MM,
    Floats,
    foot_reach,
    strike_poses,
)
from deft_reach.core.motion.timing import A0, B0
from deft_reach.core.player import Player

Point = tuple[float, float, float]


class Cross(NamedTuple):
    """Two arms that cross: which hand is over, by how much in mm, and where in plan view."""

    over: str
    clearance: float
    place: tuple[float, float]


class Move(NamedTuple):
    """A hand's move between two voices: mm, untrained seconds, and its direction in plan view."""

    distance: float
    time: float
    across: tuple[float, float]


#: No move at all.
STAY = Move(0.0, 0.0, (0.0, 0.0))


@dataclass(frozen=True)
class ReachTable:
    """Poses, distances and crossings of the voices that matter.

    ``points[voice]`` is the strike point in mm and ``widths[voice]`` its effective width. ``joints[hand][voice]``
    (4, 3) is the strike pose, ``reach[hand][voice]`` its reach and ``lean[hand][voice]`` the lean in mm.
    ``moves[from voice, to voice]`` every move.
    ``cross[right voice, left voice]`` is there where the arms cross. Voices the kit lacks are in none of them.

    The same as arrays, by the voices' place in ``names``, with one place more for a voice that is not there (so that
    −1 means nowhere): ``tips`` (n + 1, 3) mm, ``distances`` (n + 1, n + 1) mm, ``travel_times`` (n + 1, n + 1)
    untrained seconds (with what the player's own moves differ),
    ``reaches`` and ``reach_costs`` (2, n + 1) for the right and the left hand. By the right and
    the left hand's voice, all (n + 1, n + 1): ``clearances`` in mm, NaN where nothing crosses, ``right_over`` whether
    the right arm is over there, ``bearings`` of the middle between the hands from the seat, in radians.
    """

    kit: Kit
    player: Player
    points: dict[str, Point]
    widths: dict[str, float]
    joints: dict[str, dict[str, Floats]]
    shared: dict[str, dict[str, Floats]]
    reach: dict[str, dict[str, float]]
    lean: dict[str, dict[str, float]]
    cross: dict[tuple[str, str], Cross]
    pedals: dict[str, Point]
    pedal_widths: dict[str, float]
    names: tuple[str, ...]
    tips: Floats
    distances: Floats
    travel_times: Floats
    reaches: Floats
    reach_costs: Floats
    clearances: Floats
    right_over: NDArray[np.bool_]
    bearings: Floats

    @cached_property
    def passed(self) -> dict[str, dict[bytes, tuple[float, int, bool]]]:
        """How close arms pass that has been worked out already, by school and way; see clearance."""
        return {}

    @cached_property
    def moves(self) -> dict[tuple[str, str], Move]:
        found = {}
        for i, a in enumerate(self.names):
            for j, b in enumerate(self.names):
                distance = float(self.distances[i, j])
                across = (self.points[b][0] - self.points[a][0], self.points[b][1] - self.points[a][1])
                found[a, b] = Move(distance, float(self.travel_times[i, j]), across) if distance else STAY
        return found

    def out_of_reach(self, hand: str, voice: str) -> bool:
        return self.lean[hand].get(voice, 0.0) > MAX_LEAN_MM

    def one_sweep(self, voice: str, other: str) -> bool:
        """Whether one stick can lie on both voices at once: nearer than the stick is free, and level enough."""
        a, b = self.points[voice], self.points[other]
        return math.dist(a, b) <= self.player.grip_mm * 0.9 and abs(a[2] - b[2]) <= 60.0

    @property
    def foot_can_split(self) -> bool:
        """Whether one foot can hold the hi-hat pedal and the second bass pedal down together."""
        return self.kit.foot_pedals_apart < SPLIT_FOOT_MM

    def foot_distance(self, limb: str, previous: str) -> float:
        """How far the hi-hat foot moves (mm) to play ``limb`` after it played ``previous``."""
        if limb == previous or limb not in self.pedals or previous not in self.pedals:
            return 0.0
        return math.dist(self.pedals[limb], self.pedals[previous])

    def pose(self, hand: str, voice: str, beside: str | None = None) -> Floats | None:
        """Joints (4, 3) of a hand at a voice; ``beside`` is the voice the other hand is at."""
        table = self.shared if beside == voice else self.joints
        return table[hand].get(voice)


def reach_table(kit: Kit, player: Player, voices: Sequence[str]) -> ReachTable:
    """The table for these voices; kept for the next call with the same kit, player and voices."""
    return _build(kit, player, tuple(sorted(set(voices))))


@lru_cache(maxsize=16)
def _build(kit: Kit, player: Player, voices: tuple[str, ...]) -> ReachTable:
    points: dict[str, Point] = {}
    widths: dict[str, float] = {}
    for voice in voices:
        code, _, zone = voice.partition(":")
        piece = kit.piece(code)
        if piece is None or piece.kind == "bass" or zone == "foot":
            continue
        found = kit.voice_point(voice)
        if found is not None:
            points[voice], widths[voice] = found
    names = list(points)
    tips = np.array([points[name] for name in names], dtype=float).reshape(-1, 3)
    joints: dict[str, dict[str, Floats]] = {}
    shared: dict[str, dict[str, Floats]] = {}
    reach: dict[str, dict[str, float]] = {}
    lean: dict[str, dict[str, float]] = {}
    cross: dict[tuple[str, str], Cross] = {}
    stacks: dict[str, Floats] = {}
    # One call for both hands, each alone at a voice and beside the other hand.
    n = len(names)
    sides = np.repeat([1.0, -1.0, 1.0, -1.0], n)
    every = np.tile(tips, (4, 1))
    every[2 * n :, 0] += sides[2 * n :] * SHARED_VOICE_MM
    poses = strike_poses(player, sides, every)
    for k, hand in enumerate(HANDS):
        alone, beside = slice(k * n, (k + 1) * n), slice((k + 2) * n, (k + 3) * n)
        stacks[hand] = poses.joints[alone]
        joints[hand] = dict(zip(names, poses.joints[alone]))
        shared[hand] = dict(zip(names, poses.joints[beside]))
        reach[hand] = dict(zip(names, poses.reach[alone].tolist()))
        lean[hand] = dict(zip(names, poses.lean[alone].tolist()))
    if names:
        found_crossings = crossings(stacks[RIGHT], stacks[LEFT])
        for i, j in zip(*np.nonzero(found_crossings.crossed)):
            if i == j:
                continue
            cross[names[i], names[j]] = Cross(
                RIGHT if found_crossings.over[i, j] > 0 else LEFT,
                float(found_crossings.clearance[i, j]),
                (float(found_crossings.place[i, j, 0]), float(found_crossings.place[i, j, 1])),
            )
    padded = np.zeros((n + 1, 3))
    padded[:n] = tips
    distances, times = np.zeros((n + 1, n + 1)), np.zeros((n + 1, n + 1))
    wide = np.array([widths[name] for name in names])
    between = tips[:, None, :] - tips[None, :, :]
    distances[:n, :n] = np.sqrt((between * between).sum(axis=2))
    narrower = np.minimum(wide[:, None], wide[None, :])
    times[:n, :n] = np.where(distances[:n, :n] > 0, A0 + B0 * np.log2(distances[:n, :n] / narrower + 1.0), 0.0)
    times *= player.speeds.moves
    reaches, costs = np.full((2, n + 1), np.nan), np.zeros((2, n + 1))
    reaches[:, :n] = poses.reach[: 2 * n].reshape(2, n)
    costs[:, :n] = reach_costs(poses.reach[: 2 * n], poses.lean[: 2 * n]).reshape(2, n)
    clearances, bearings = np.full((n + 1, n + 1), np.nan), np.full((n + 1, n + 1), np.nan)
    right_over = np.zeros((n + 1, n + 1), dtype=bool)
    if names:
        clearances[:n, :n] = np.where(found_crossings.crossed, found_crossings.clearance, np.nan)
        np.fill_diagonal(clearances, np.nan)
        right_over[:n, :n] = found_crossings.over > 0
    middle = tips[:, None, :] + tips[None, :, :]
    bearings[:n, :n] = np.arctan2(middle[..., 0] / 2, np.maximum(middle[..., 1] / 2, 1.0))
    pedals: dict[str, Point] = {}
    pedal_widths: dict[str, float] = {}
    for limb, kind in ((KICK, "bass-pedal"), (SECOND_KICK, "second-bass-pedal"), (HAT_FOOT, "hat-pedal")):
        pedal = kit.of_kind(kind)
        if pedal is not None:
            pedals[limb] = (pedal.x, pedal.y, pedal.z)
            pedal_widths[limb] = pedal.width
    side_of = {limb: kit.bass_foot_side * (1 if limb == KICK else -1) for limb in FEET}
    for limb, point in pedals.items():
        reach[limb] = {"": foot_reach(player, side_of[limb], point)}
    return ReachTable(
        kit, player, points, widths, joints, shared, reach, lean, cross, pedals, pedal_widths,
        tuple(names), padded, distances, times, reaches, costs, clearances, right_over, bearings,
    )  # fmt: skip


def reach_words(reach: float, lean: float) -> str:
    """How a reach feels, in one word."""
    if lean > MAX_LEAN_MM:
        return "out of reach"
    if lean > 0:
        return "leaning"
    if reach > COMFORTABLE_REACH[1]:
        return "strained"
    if reach < COMFORTABLE_REACH[0]:
        return "cramped"
    return "comfortable"
