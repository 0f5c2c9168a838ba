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

from deft_reach.core.model.derived import DerivedValues
from deft_reach.core.model.kit import SPLIT_FOOT_MM, Kit, piece_of
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import reach_costs
from deft_reach.core.motion.crossing import EITHER_MM, Crossings, crossings
from deft_reach.core.motion.paths import CLEAR_MM, CLEAR_PART
from deft_reach.core.motion.pose import (
    COMFORTABLE_REACH,
    MAX_LEAN_MM,
    SHARED_VOICE_MM,
    Floats,
    foot_reach,
    strike_poses,
    trunk_turn,
)
from deft_reach.core.motion.timing import (
    FALL_MM,
    FALLING,
    FOOT_REBOUND,
    GRACE_WIDER,
    HAND_REBOUND,
    HOMEWARD,
    LEARNED,
    OTHER_SIDE_TRAVEL,
    rebound_depth,
    restrikes,
    travel_times,
)

Point = tuple[float, float, float]
Ints = NDArray[np.intp]


class Cross(NamedTuple):
    """Two arms that cross: which hand is over, by how much in mm, and where in plan view.

    ``either`` says that the heights do not decide; ``chosen`` that the player did. Where that is against the heights,
    the clearance is 0.
    """

    over: str
    clearance: float
    place: tuple[float, float]
    either: bool = False
    chosen: bool = False

    def led_by(self, hand: str, chosen: bool) -> Cross:
        """The same arms with ``hand`` over, because the player has ``chosen`` so or because it is proposed."""
        against = chosen and not self.either and hand != self.over
        return Cross(hand, 0.0 if against else self.clearance, self.place, self.either, chosen)


class Move(NamedTuple):
    """A hand's move between two voices: mm, and its direction in plan view."""

    distance: float
    across: tuple[float, float]


#: No move at all.
STAY = Move(0.0, (0.0, 0.0))
#: Poses of a hand on its way are worked out in steps of this part of the way.
_PART_OF_WAY = 1e-6


@dataclass(frozen=True)
class ReachTable:
    """Poses, distances and crossings of the voices that matter.

    ``points[voice]`` is the strike point in mm and ``widths[voice]`` its effective width. ``joints[hand][voice]``
    (4, 3) is the strike pose while the other hand is at rest, ``reach[hand][voice]`` its reach and
    ``lean[hand][voice]`` the lean in mm. ``pairs`` (2, n, n, 4, 3) are the right and the left arm's joints by the
    right and the left hand's voice. ``moves[from voice, to voice]`` every move.
    ``cross[right voice, left voice]`` is there where the arms cross. Voices the kit lacks are in none of them.

    The same as arrays, by the voices' place in ``names``, with one place more for a voice that is not there (so that
    −1 means nowhere): ``tips`` (n + 1, 3) mm, ``distances`` (n + 1, n + 1) mm, ``travel_times`` (2, n + 1, n + 1) and
    ``sweep_times`` and ``grace_times``, the seconds a move takes the right and the left hand: at large, within a run
    of one hand, and to a grace;
    ``restrikes`` (2,) the hands' restrikes in seconds; ``reaches`` and ``reach_costs`` (2, n + 1) for the right and
    the left hand. By the right and the left hand's voice, all (n + 1, n + 1): ``clearances`` in mm, NaN where nothing
    crosses, ``right_over`` whether the right arm is over there, ``bearings`` of the middle between the hands from the
    seat, in radians. ``far_crash`` (2, n + 1) says which voices are crashes on the other side of the player than the
    right and the left hand. ``rebound_depths`` (2,) and ``foot_rebound_depth`` say how much deeper than usual the
    hands' and the feet's rebound goes (see timing.rebound_depth).
    """

    kit: Kit
    player: Player
    points: dict[str, Point]
    widths: dict[str, float]
    joints: dict[str, dict[str, Floats]]
    pairs: Floats
    reach: dict[str, dict[str, float]]
    lean: dict[str, dict[str, float]]
    cross: dict[tuple[str, str], Cross]
    pedals: dict[str, Point]
    pedal_widths: dict[str, float]
    names: tuple[str, ...]
    tips: Floats
    distances: Floats
    travel_times: Floats
    sweep_times: Floats
    grace_times: Floats
    restrikes: Floats
    reaches: Floats
    reach_costs: Floats
    clearances: Floats
    right_over: NDArray[np.bool_]
    bearings: Floats
    far_crash: NDArray[np.bool_]
    rebound_depths: Floats
    foot_rebound_depth: float

    @cached_property
    def derived(self) -> DerivedValues:
        """What has been worked out from this table alone (see ``model.derived``)."""
        return DerivedValues()

    @cached_property
    def _on_the_way(self) -> dict[tuple[int, int, int, int, int, int], Cross | None]:
        return {}

    def crossed_on_the_way(
        self, right: Ints, right_to: Ints, right_done: Floats, left: Ints, left_to: Ints, left_done: Floats
    ) -> list[Cross | None]:
        """How arms cross of which one is on its way: voices (n,) where each hand struck last and where it goes to
        (−1: it stays), and how much of the way is done (n,).
        """
        steps = [np.round(done / _PART_OF_WAY).astype(np.intp) for done in (right_done, left_done)]
        keys = list(zip(*(x.tolist() for x in (right, right_to, steps[0], left, left_to, steps[1]))))
        kept = self._on_the_way
        new = list(dict.fromkeys(key for key in keys if key not in kept))
        if new:
            rows = np.array(new, dtype=np.intp)
            tips = []
            for at in (0, 3):
                start, to = rows[:, at], np.where(rows[:, at + 1] >= 0, rows[:, at + 1], rows[:, at])
                part = rows[:, at + 2] * _PART_OF_WAY
                way = self.tips[start] + part[:, None] * (self.tips[to] - self.tips[start])
                # Half-way it is at its highest.
                far = self.distances[start, to]
                way[:, 2] += np.where(far > 0, (CLEAR_MM + CLEAR_PART * far) * 4 * part * (1 - part), 0.0)
                tips.append(way)
            turn = trunk_turn(tips[0], tips[1])
            arms = [strike_poses(self.player, side, tip, turn).joints for side, tip in zip((1, -1), tips)]
            kept.update(zip(new, _crosses(crossings(arms[0], arms[1]))))
        return [kept[key] for key in keys]

    @cached_property
    def moves(self) -> dict[tuple[str, str], Move]:
        """The way of a hand between any two voices."""
        found = {}
        for i, a in enumerate(self.names):
            for j, b in enumerate(self.names):
                distance = float(self.distances[i, j])
                across = (self.points[b][0] - self.points[a][0], self.points[b][1] - self.points[a][1])
                found[a, b] = Move(distance, across) if distance else STAY
        return found

    def out_of_reach(self, hand: str, voice: str) -> bool:
        return self.lean[hand].get(voice, 0.0) > MAX_LEAN_MM

    def one_sweep(self, voice: str, other: str) -> bool:
        """Whether one stick can lie on both voices at once: nearer than the stick is free, and level enough."""
        a, b = self.points[voice], self.points[other]
        return math.dist(a, b) <= self.player.grip_mm * 0.9 and abs(a[2] - b[2]) <= 60.0

    @property
    def leading_side(self) -> int:
        """0 where the player leads with the right hand, 1 with the left."""
        return HANDS.index(self.player.lead)

    @property
    def stronger_side(self) -> int:
        """0 where the player's stronger hand is the right one, 1 where it is the left."""
        return HANDS.index(self.player.stronger)

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
        if voice not in self.points or beside not in self.points:
            return self.joints[hand].get(voice)
        mine, others = self.names.index(voice), self.names.index(beside)
        right, left = (mine, others) if hand == RIGHT else (others, mine)
        return np.asarray(self.pairs[HANDS.index(hand), right, left])


def reach_table(kit: Kit, player: Player, voices: Sequence[str]) -> ReachTable:
    """The table for these voices; kept for the next call with the same kit, player and voices."""
    return _build(kit, player, tuple(sorted(set(voices))))


@lru_cache(maxsize=16)
def _build(kit: Kit, player: Player, voices: tuple[str, ...]) -> ReachTable:
    # Long: one table after the other, each made from those before.
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
    reach: dict[str, dict[str, float]] = {}
    lean: dict[str, dict[str, float]] = {}
    # One call for both hands, each while the other is at rest; then one for every pair of voices.
    n = len(names)
    poses = strike_poses(player, np.repeat([1.0, -1.0], n), np.tile(tips, (2, 1)))
    for k, hand in enumerate(HANDS):
        mine = slice(k * n, (k + 1) * n)
        joints[hand] = dict(zip(names, poses.joints[mine]))
        reach[hand] = dict(zip(names, poses.reach[mine].tolist()))
        lean[hand] = dict(zip(names, poses.lean[mine].tolist()))
    right, left = np.repeat(tips, n, axis=0), np.tile(tips, (n, 1))
    turn = trunk_turn(right, left)
    same = np.eye(n, dtype=bool).ravel()
    right[same, 0] += SHARED_VOICE_MM
    left[same, 0] -= SHARED_VOICE_MM
    arms = strike_poses(
        player, np.repeat([1.0, -1.0], n * n), np.concatenate([right, left]), np.concatenate([turn, turn])
    ).joints
    met = crossings(arms[: n * n], arms[n * n :])
    crossed = met.crossed & ~same
    cross = {
        (names[k // n], names[k % n]): row
        for k, row in enumerate(_crosses(met._replace(crossed=crossed)))
        if row is not None
    }
    padded = np.zeros((n + 1, 3))
    padded[:n] = tips
    distances = np.zeros((n + 1, n + 1))
    wide = np.array([widths[name] for name in names])
    between = tips[:, None, :] - tips[None, :, :]
    distances[:n, :n] = np.sqrt((between * between).sum(axis=2))
    narrower = np.minimum(wide[:, None], wide[None, :])
    times, sweeps, graces = (np.zeros((2, n + 1, n + 1)) for _ in range(3))
    fall = tips[:, None, 2] - tips[None, :, 2] >= FALL_MM
    measured = player.constants
    line = measured.move_line
    for k, hand in enumerate(HANDS):
        own = player.speeds.moves
        if hand != player.stronger:
            own *= OTHER_SIDE_TRAVEL
        outwards = (tips[None, :, 0] - tips[:, None, 0]) * (1 - 2 * k) > 0
        easier = np.where(outwards, HOMEWARD, 1.0)
        skill = player.skill_of(hand)
        if line is not None:
            # A measured line needs no skill, and is the leading hand's.
            skill = player.speed_of(hand)
        times[k, :n, :n] = own * travel_times(distances[:n, :n], narrower, skill, line) * easier
        sweeps[k, :n, :n] = np.where(outwards & fall, times[k, :n, :n] / HOMEWARD * FALLING, times[k, :n, :n])
        graces[k, :n, :n] = own * travel_times(distances[:n, :n], narrower * GRACE_WIDER, skill, line) * easier
    reaches, costs = np.full((2, n + 1), np.nan), np.zeros((2, n + 1))
    reaches[:, :n] = poses.reach[: 2 * n].reshape(2, n)
    costs[:, :n] = reach_costs(poses.reach[: 2 * n], poses.lean[: 2 * n]).reshape(2, n)
    clearances, bearings = np.full((n + 1, n + 1), np.nan), np.full((n + 1, n + 1), np.nan)
    right_over = np.zeros((n + 1, n + 1), dtype=bool)
    if names:
        clearances[:n, :n] = np.where(crossed, met.clearance, np.nan).reshape(n, n)
        right_over[:n, :n] = (met.over > 0).reshape(n, n)
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
        kit, player, points, widths, joints, arms.reshape(2, n, n, 4, 3), reach, lean, cross, pedals, pedal_widths,
        tuple(names), padded, distances, times, sweeps, graces, np.array(restrikes(player)), reaches, costs,
        clearances, right_over, bearings, _far_crashes(kit, names, tips),
        np.array(
            [
                rebound_depth(own, HAND_REBOUND[0], player.skill_of(hand))
                for own, hand in ((measured.right_rebound, RIGHT), (measured.left_rebound, LEFT))
            ]
        ),
        rebound_depth(measured.foot_rebound, FOOT_REBOUND[0], LEARNED),
    )  # fmt: skip


def _far_crashes(kit: Kit, names: Sequence[str], tips: Floats) -> NDArray[np.bool_]:
    """Which voices are crashes on the other side of the player than each hand, (2, n + 1)."""
    kinds = [piece.kind if (piece := kit.piece(piece_of(name))) is not None else "" for name in names]
    crash = np.array([kind == "crash" for kind in kinds], dtype=bool)
    found = np.zeros((2, len(names) + 1), dtype=bool)
    found[0, :-1], found[1, :-1] = crash & (tips[:, 0] < 0), crash & (tips[:, 0] > 0)
    return found


def _crosses(found: Crossings) -> list[Cross | None]:
    """Each pair's crossing as a value, None where they do not cross."""
    return [
        Cross(RIGHT if over > 0 else LEFT, clearance, (x, y), clearance < EITHER_MM) if crossed else None
        for crossed, over, clearance, (x, y) in zip(
            found.crossed.tolist(), found.over.tolist(), found.clearance.tolist(), found.place.tolist()
        )
    ]


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
