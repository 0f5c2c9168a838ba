"""How a hand gets from strike to strike: over the floor as a minimum-jerk move, and up and down as the stroke asks.

Minimum jerk: Flash & Hogan (1985), *J. Neuroscience* 5. Peak speed is 1.875 of the mean, peak acceleration 5.77 D/T².
A hand has the whole gap between two strikes. Two schools differ in how it uses it: *early* goes to where it will
strike as soon as it has struck and waits there; *late* stays where it is as long as it can. Both are told apart by
parts of the gap, so that where the arms pass each other does not depend on the tempo.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from deft_reach.core.model.player import Player
from deft_reach.core.motion.pose import AT_REST_MM, Floats, strike_poses, trunk_turn

TRAVEL_TIMINGS: Final = ("early", "late")
#: The part of the gap in which a hand goes to its next voice, by travel.
MOVING: Final = {"early": (0.0, 0.65), "late": (0.35, 1.0)}
#: The parts of the gap in which the tip rises and in which it comes down, by travel.
RISING: Final = {"early": (0.0, 0.5), "late": (0.25, 0.7)}
FALLING: Final = {"early": (0.7, 1.0), "late": (0.75, 1.0)}

#: How high the tip is taken before a stroke (mm). Common practice, from memory: an accent from about a hand and a
#: forearm's turn, a tap from about a hand's breadth, a ghost from two fingers.
ACCENT_MM: Final = 250.0
PLAIN_MM: Final = 140.0
TAP_MM: Final = 70.0
GHOST_MM: Final = 35.0
#: A tip on its way clears what stands between: so much, and so much of the way more.
CLEAR_MM: Final = 50.0
CLEAR_PART: Final = 0.12
#: The wrist turns the stick up; the grip itself rises by this part of the lift.
GRIP_RISES: Final = 0.35


def minimum_jerk(u: Any) -> Any:
    """How much of a move is done at the part ``u`` (0 to 1) of its time: 10u³ − 15u⁴ + 6u⁵."""
    u = np.clip(u, 0.0, 1.0)
    return u * u * u * (10.0 + u * (6.0 * u - 15.0))


def minimum_jerk_speed(u: Any) -> Any:
    """Speed at the part ``u`` of a move's time, over its mean speed: 30u² − 60u³ + 30u⁴, at most 1.875."""
    u = np.clip(u, 0.0, 1.0)
    return 30.0 * u * u * (1.0 - u) ** 2


def _part(u: Any, window: tuple[float, float]) -> Any:
    return (u - window[0]) / (window[1] - window[0])


def lift(u: Any, height: Any, travel: str = "early") -> Any:
    """How high the tip is above the straight way at the part ``u`` of its gap, mm: up to ``height``, and down."""
    return height * minimum_jerk(_part(u, RISING[travel])) * (1.0 - minimum_jerk(_part(u, FALLING[travel])))


def lift_height(level: Any, high: Any, distance: Any) -> Any:
    """How high a tip is taken before a stroke, mm.

    ``level`` is 0 ghost, 1 plain, 2 accent; ``high`` whether the stroke starts high (a full or a down stroke);
    ``distance`` in mm is how far the hand goes.
    """
    still = np.where(level == 0, GHOST_MM, np.where(high, np.where(level == 2, ACCENT_MM, PLAIN_MM), TAP_MM))
    return np.where(distance > 0, np.maximum(still, CLEAR_MM + CLEAR_PART * distance), still)


def tip_at(u: Any, start: Floats, end: Floats, height: Any, travel: str = "early") -> tuple[Floats, Floats]:
    """Where tips are at the parts ``u`` (n,) of their gaps: the straight way (n, 3), and the lift above it (n,), mm.

    ``start`` and ``end`` (n, 3) are strike points, ``height`` (n,) how high the tips are taken.
    """
    done = np.asarray(minimum_jerk(_part(u, MOVING[travel])))
    return start + done[:, None] * (end - start), np.asarray(lift(u, height, travel))


def arms_at(player: Player, right: Floats, left: Floats, above: tuple[Floats, Floats]) -> tuple[Floats, Floats]:
    """Joints (n, 4, 3) of both arms, whose tips are ``above`` (n,) mm over points on their ways (n, 3).

    As in a strike there, but for the lift: the grip rises with a part of it, and the wrist turns the stick up. The
    trunk turns with both. A hand whose way is NaN is at rest, and so are its joints.
    """
    resting = (np.isnan(right[:, 0]), np.isnan(left[:, 0]))
    ways = [np.where(rest[:, None], [0.0, AT_REST_MM, 0.0], way) for rest, way in zip(resting, (right, left))]
    turn = trunk_turn(ways[0], ways[1])
    n = len(right)
    base = np.concatenate(ways)
    lifted = np.concatenate(above)
    lifted = np.where(np.isnan(lifted), 0.0, lifted)
    base[:, 2] += GRIP_RISES * lifted
    joints = strike_poses(player, np.repeat([1.0, -1.0], n), base, np.concatenate([turn, turn])).joints
    joints[:, 3, 2] += (1.0 - GRIP_RISES) * lifted
    joints[np.concatenate(resting)] = np.nan
    return joints[:n], joints[n:]
