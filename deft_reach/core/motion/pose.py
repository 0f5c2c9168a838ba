"""Strike poses: where shoulder, elbow, grip and tip are when a hand strikes a voice.

The stick's tip is on the strike point. The stick points from the grip towards it along the line from the shoulder,
toed in and pitched down; the elbow follows by two-link inverse kinematics, hanging down and out. All of it is
worked out for the right hand; the left hand's pose is the mirror image of the right hand's pose at the mirrored
point, so mirrored set-ups give results that are equal to the last bit.
"""

from __future__ import annotations

import math
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.player import Player

Floats = NDArray[np.float64]

TOE_IN_DEG: Final = 12.0
PITCH_DEG: Final = 15.0
#: Two hands on one voice strike this far either side of its centre (mm).
SHARED_VOICE_MM: Final = 25.0
#: Reach up to here is comfortable, up to 1.0 strained; beyond that the trunk leans.
COMFORTABLE_REACH: Final = (0.35, 0.80)
MAX_LEAN_MM: Final = 250.0
#: Where the elbow would hang if nothing else decided: down and out.
_ELBOW_DOWN: Final = (0.5, 0.0, -1.0)


class Poses(NamedTuple):
    """Strike poses of one hand at n points.

    ``joints`` (n, 4, 3): shoulder, elbow, grip, tip in mm. ``reach`` (n,): shoulder-to-grip distance over arm
    length, before any lean. ``lean`` (n,): how far the trunk must come along in mm; more than MAX_LEAN_MM, or
    infinite, means out of reach.
    """

    joints: Floats
    reach: Floats
    lean: Floats


def strike_poses(player: Player, side: int | Floats, tips: Floats) -> Poses:
    """The poses in which a hand strikes each of ``tips`` (n, 3), mm.

    ``side`` is +1 for the right hand, −1 for the left; one for all or one for each tip.
    """
    tip = np.array(tips, dtype=float)
    tip[:, 0] *= side
    shoulder = np.broadcast_to(np.array(player.shoulder), tip.shape).copy()

    toward = tip[:, :2] - shoulder[:, :2]
    length = np.sqrt(toward[:, 0] ** 2 + toward[:, 1] ** 2)
    # Straight above the shoulder there is no direction; forward is as good as any.
    safe = np.where(length > 1e-9, length, 1.0)
    ux = np.where(length > 1e-9, toward[:, 0] / safe, 0.0)
    uy = np.where(length > 1e-9, toward[:, 1] / safe, 1.0)
    toe, pitch = math.radians(TOE_IN_DEG), math.radians(PITCH_DEG)
    # Toed in: the right stick's tip points further to the left than the line from the shoulder.
    dx = math.cos(toe) * ux - math.sin(toe) * uy
    dy = math.sin(toe) * ux + math.cos(toe) * uy
    back = player.grip_mm * math.cos(pitch)
    grip = np.stack([tip[:, 0] - back * dx, tip[:, 1] - back * dy, tip[:, 2]], axis=1)
    grip[:, 2] += player.grip_mm * math.sin(pitch)

    arm = player.arm_mm
    offset = grip - shoulder
    flat = np.sqrt(offset[:, 0] ** 2 + offset[:, 1] ** 2)
    distance = np.sqrt(flat**2 + offset[:, 2] ** 2)
    reach = distance / arm
    lean = _lean(flat, offset[:, 2], arm)
    shift = np.minimum(lean, MAX_LEAN_MM) / np.where(flat > 1e-9, flat, 1.0)
    shoulder[:, 0] += offset[:, 0] * shift
    shoulder[:, 1] += offset[:, 1] * shift

    elbow = solve_elbow(shoulder, grip, player.upper_arm_mm, player.forearm_mm)
    joints = np.stack([shoulder, elbow, grip, tip], axis=1)
    joints[:, :, 0] *= np.reshape(side, (-1, 1))
    return Poses(joints, reach, lean)


def _lean(flat: Floats, height: Floats, arm: float) -> Floats:
    """How far the shoulder must move towards the grip, level, until the arm can span the rest."""
    room = arm**2 - height**2
    span = np.sqrt(np.maximum(room, 0.0))
    need = np.where(room > 0, np.maximum(flat - span, 0.0), np.inf)
    return np.where((flat**2 + height**2) <= arm**2, 0.0, need)


def solve_elbow(shoulder: Floats, grip: Floats, upper: float, fore: float) -> Floats:
    """Two-link inverse kinematics: elbows (n, 3) for shoulders and grips (n, 3), in mm.

    Where the two segments cannot span the distance the arm points straight at the grip; where the grip is closer
    than their difference the elbow is placed as if it were just that far.
    """
    axis = grip - shoulder
    distance = np.sqrt(axis[:, 0] ** 2 + axis[:, 1] ** 2 + axis[:, 2] ** 2)
    span = np.clip(distance, abs(upper - fore) + 1e-6, upper + fore)
    unit = axis / np.where(distance > 1e-9, distance, 1.0)[:, None]
    # The law of cosines: how far along the axis the elbow's foot lies, and how far off it the elbow is.
    along = (upper**2 - fore**2 + span**2) / (2 * span)
    off = np.sqrt(np.maximum(upper**2 - along**2, 0.0))
    pole = np.array(_ELBOW_DOWN)
    dot = unit[:, 0] * pole[0] + unit[:, 1] * pole[1] + unit[:, 2] * pole[2]
    across = pole[None, :] - dot[:, None] * unit
    size = np.sqrt(across[:, 0] ** 2 + across[:, 1] ** 2 + across[:, 2] ** 2)
    across /= np.where(size > 1e-9, size, 1.0)[:, None]
    return np.asarray(shoulder + along[:, None] * unit + off[:, None] * across)


def foot_reach(player: Player, side: int, pedal: tuple[float, float, float]) -> float:
    """Hip-to-ankle distance over leg length for a foot on a pedal (x, y, z), mm."""
    hip = player.hip
    ankle_height, behind = 40.0, 150.0
    dx = pedal[0] * side - hip[0]
    dy = pedal[1] - behind - hip[1]
    dz = pedal[2] + ankle_height - hip[2]
    return math.sqrt(dx * dx + dy * dy + dz * dz) / player.leg_mm


def reach_radius(player: Player, height: float, reach: float) -> float:
    """How far from the shoulder, in plan view, a tip may be for a given reach at a given height, all in mm.

    The contour is a circle round the shoulder because the strike pose turns with the line from the shoulder to the
    tip; 0 where the height alone is too much.
    """
    grip_height = height + player.grip_mm * math.sin(math.radians(PITCH_DEG)) - player.shoulder[2]
    flat = (reach * player.arm_mm) ** 2 - grip_height**2
    back = player.grip_mm * math.cos(math.radians(PITCH_DEG))
    toe = math.radians(TOE_IN_DEG)
    room = flat - (back * math.sin(toe)) ** 2
    if flat <= 0 or room <= 0:
        return 0.0
    # The triangle shoulder, grip, tip with the toe-in angle at the tip.
    return back * math.cos(toe) + math.sqrt(room)
