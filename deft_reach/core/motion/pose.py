"""Strike poses: where shoulder, elbow, grip and tip are when a hand strikes a voice.

The trunk turns about its own axis towards where both hands work and leans where an arm is too short. The stick's tip
is on the strike point; the stick points from the grip towards it along the line from the shoulder, toed in and
pitched down; the elbow takes the lowest place on its circle that is outside the trunk. All of it is worked out for
the right hand; the left hand's pose is the mirror image of the right hand's pose at the mirrored point, so mirrored
set-ups give results that are equal to the last bit.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.player import SHOULDERS_FORWARD, Player

Floats = NDArray[np.float64]

TOE_IN_DEG: Final = 12.0
PITCH_DEG: Final = 15.0
#: Two hands on one voice strike this far either side of its centre (mm).
SHARED_VOICE_MM: Final = 25.0
#: Reach up to here is comfortable, up to 1.0 strained; beyond that the trunk leans.
COMFORTABLE_REACH: Final = (0.35, 0.80)
MAX_LEAN_MM: Final = 250.0
#: The trunk turns by this part of the bearing of the middle between both tips, and no further than the limit
#: (degrees). Common practice: the shoulders follow the hands about half-way.
TURN_PART: Final = 0.5
MAX_TURN_DEG: Final = 35.0
#: Where a hand that does nothing is: over the lap, so far in front of the seat's centre (mm).
AT_REST_MM: Final = 580.0
#: The elbow hangs straight down, with just enough of outwards and back to decide where the arm is vertical.
_ELBOW_DOWN: Final = (0.10, -0.05, -1.0)
#: The trunk as the elbow meets it: half its breadth and depth, with half an upper arm, as parts of stature.
_TRUNK_BREADTH: Final = 0.112
_TRUNK_DEPTH: Final = 0.085
#: So many steps turn an elbow out of the trunk.
_TURNS_OUT: Final = 4


class Poses(NamedTuple):
    """Strike poses of one hand at n points.

    ``joints`` (n, 4, 3): shoulder, elbow, grip, tip in mm. ``reach`` (n,): shoulder-to-grip distance over arm
    length, before any lean. ``lean`` (n,): how far the trunk must come along in mm; more than MAX_LEAN_MM, or
    infinite, means out of reach.
    """

    joints: Floats
    reach: Floats
    lean: Floats


def trunk_turn(right: Floats, left: Floats) -> Floats:
    """How far the trunk turns (n,), radians, positive to the player's right, with the tips (n, 3) of both hands in
    mm.
    """
    x, y = (right[..., 0] + left[..., 0]) / 2, (right[..., 1] + left[..., 1]) / 2
    bearing = np.arctan2(x, np.maximum(y, 1.0))
    limit = math.radians(MAX_TURN_DEG)
    return np.asarray(np.clip(TURN_PART * bearing, -limit, limit))


def turn_alone(tips: Floats) -> Floats:
    """How far the trunk turns (n,), radians, for one hand at ``tips`` (n, 3) while the other one is at rest."""
    rest = np.zeros_like(tips)
    rest[..., 1] = AT_REST_MM
    return trunk_turn(tips, rest)


def strike_poses(player: Player, side: int | Floats, tips: Floats, turn: Floats | None = None) -> Poses:
    """The poses in which a hand strikes each of ``tips`` (n, 3), mm.

    ``side`` is +1 for the right hand, −1 for the left; one for all or one for each tip. ``turn`` (n,) is how far the
    trunk is turned to the right, radians; None where the other hand is at rest.
    """
    tip = np.array(tips, dtype=float)
    if turn is None:
        turn = turn_alone(tip)
    tip[:, 0] *= side
    turned = turn * side
    half, middle, height = player.shoulder
    shoulder = np.empty_like(tip)
    shoulder[:, 0] = half * np.cos(turned)
    shoulder[:, 1] = middle - half * np.sin(turned)
    shoulder[:, 2] = height

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

    trunk = (_TRUNK_BREADTH * player.stature_mm, _TRUNK_DEPTH * player.stature_mm)
    elbow = solve_elbow(shoulder, grip, player.upper_arm_mm, player.forearm_mm, trunk)
    joints = np.stack([shoulder, elbow, grip, tip], axis=1)
    joints[:, :, 0] *= np.reshape(side, (-1, 1))
    return Poses(joints, reach, lean)


def _lean(flat: Floats, height: Floats, arm: float) -> Floats:
    """How far the shoulder must move towards the grip, level, until the arm can span the rest."""
    room = arm**2 - height**2
    span = np.sqrt(np.maximum(room, 0.0))
    need = np.where(room > 0, np.maximum(flat - span, 0.0), np.inf)
    return np.where((flat**2 + height**2) <= arm**2, 0.0, need)


def solve_elbow(
    shoulder: Floats, grip: Floats, upper: float, fore: float, trunk: tuple[float, float] | None = None
) -> Floats:
    """Two-link inverse kinematics: right elbows (n, 3) for shoulders and grips (n, 3), in mm.

    Of the circle of elbows that fit, the lowest; with a ``trunk`` (half its breadth, half its depth) the lowest that
    is outside it. Where the two segments cannot span the distance the arm points straight at the grip; where the grip
    is closer than their difference the elbow is placed as if it were just that far.
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
    down = pole[None, :] - dot[:, None] * unit
    size = np.sqrt(down[:, 0] ** 2 + down[:, 1] ** 2 + down[:, 2] ** 2)
    down /= np.where(size > 1e-9, size, 1.0)[:, None]
    foot = shoulder + along[:, None] * unit
    elbow = foot + off[:, None] * down
    if trunk is None:
        return np.asarray(elbow)
    # Turned about the axis from shoulder to grip, x = foot + off (down cos + across sin). The trunk's side depends on
    # where the elbow comes to be, so the turn is found in a few steps.
    at = np.arange(len(elbow))
    for _ in range(_TURNS_OUT):
        side = _trunk_side(elbow[at], trunk)
        at = at[elbow[at, 0] < side - 0.5]
        if not len(at):
            break
        side, u, d = _trunk_side(elbow[at], trunk), unit[at], down[at]
        across_x = u[:, 1] * d[:, 2] - u[:, 2] * d[:, 1]
        size = np.sqrt(d[:, 0] ** 2 + across_x**2)
        safe = np.where((size > 1e-9) & (off[at] > 1e-9), size * off[at], 1.0)
        wanted = np.arccos(np.clip((side - foot[at, 0]) / safe, -1.0, 1.0))
        middle = np.arctan2(across_x, d[:, 0])
        ways = (np.stack([middle - wanted, middle + wanted]) + np.pi) % (2 * np.pi) - np.pi
        angle = np.where(np.abs(ways[0]) <= np.abs(ways[1]), ways[0], ways[1])
        turned = d * np.cos(angle)[:, None] + np.cross(u, d) * np.sin(angle)[:, None]
        elbow[at] = foot[at] + off[at, None] * turned
    return np.asarray(elbow)


def _trunk_side(elbow: Floats, trunk: tuple[float, float]) -> Floats:
    """How far right the trunk reaches (n,) where elbows (n, 3) are, mm; −inf in front of it and behind it."""
    breadth, depth = trunk
    part = (elbow[:, 1] - SHOULDERS_FORWARD) / depth
    return np.where(np.abs(part) < 1.0, breadth * np.sqrt(np.maximum(0.0, 1.0 - part * part)), -np.inf)


def elbow_degrees(joints: Floats) -> Floats:
    """The angle at the elbow in degrees, from joints of shape (..., 4, 3): 180 is a straight arm."""
    upper, fore = joints[..., 0, :] - joints[..., 1, :], joints[..., 2, :] - joints[..., 1, :]
    return _degrees_between(upper, fore)


def upper_arm_degrees(joints: Floats) -> Floats:
    """How far the upper arm is from hanging straight down, degrees, from joints of shape (..., 4, 3)."""
    return _degrees_between(joints[..., 1, :] - joints[..., 0, :], np.array([0.0, 0.0, -1.0]))


def _degrees_between(a: Floats, b: Floats) -> Floats:
    size = np.sqrt((a * a).sum(axis=-1) * (b * b).sum(axis=-1))
    return np.asarray(np.degrees(np.arccos(np.clip((a * b).sum(axis=-1) / np.maximum(size, 1e-12), -1.0, 1.0))))


def foot_reach(player: Player, side: int, pedal: tuple[float, float, float]) -> float:
    """Hip-to-ankle distance over leg length for a foot on a pedal (x, y, z), mm."""
    hip = player.hip
    ankle_height, behind = 40.0, 150.0
    dx = pedal[0] * side - hip[0]
    dy = pedal[1] - behind - hip[1]
    dz = pedal[2] + ankle_height - hip[2]
    return math.sqrt(dx * dx + dy * dy + dz * dz) / player.leg_mm


Contour = tuple[tuple[float, float], ...]


@lru_cache(maxsize=64)
def reach_contours(player: Player, limits: tuple[tuple[float, float], ...]) -> tuple[Contour, ...]:
    """Where the right tip may be at the most, in plan view, for each (height in mm, reach); mm.

    Points (x, y) from the player's left by the front to the right and behind, by bisection from the shoulder
    outwards, with the other hand at rest. Directions in which the height alone is too much are left out.
    """
    degrees = np.radians(np.arange(-90.0, 151.0, 4.0))
    x, y, _ = player.shoulder
    heights, reaches = (np.repeat(column, len(degrees)) for column in zip(*limits))
    around = np.stack([np.sin(degrees), np.cos(degrees), np.zeros(len(degrees))], axis=1)
    direction = np.tile(around, (len(limits), 1))
    start = np.stack([np.full(len(heights), x), np.full(len(heights), y), heights], axis=1)
    near, far = np.full(len(heights), 250.0), np.full(len(heights), 2000.0)

    def fits(distance: Any) -> Any:
        return strike_poses(player, 1, start + distance[:, None] * direction).reach <= reaches

    begun = fits(near)
    # To a tenth of a millimetre.
    for _ in range(14):
        middle = (near + far) / 2
        inside = fits(middle)
        near, far = np.where(inside, middle, near), np.where(inside, far, middle)
    points = start[:, :2] + near[:, None] * direction[:, :2]
    rows = [slice(k * len(degrees), (k + 1) * len(degrees)) for k in range(len(limits))]
    return tuple(tuple((float(a), float(b)) for (a, b), fit in zip(points[row], begun[row]) if fit) for row in rows)
