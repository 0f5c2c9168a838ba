"""How a piece sits for each hand: reach, elbow, height and lean, and which hand has it easier."""

from __future__ import annotations

import math
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.kit import Kit
from deft_reach.core.limbs import HANDS, LEFT, RIGHT
from deft_reach.core.motion.pose import COMFORTABLE_REACH, Floats
from deft_reach.core.motion.reach_table import ReachTable, reach_table, reach_words
from deft_reach.core.player import Player

#: Hands whose comfort differs by less than this have it alike.
ALIKE: Final = 0.04


class Comfort(NamedTuple):
    """A hand at a voice.

    ``reach`` is shoulder to grip over arm length, ``word`` how that feels, ``elbow`` the angle between upper arm and
    forearm in degrees (180 is a straight arm), ``above_elbow`` how far the strike point lies above the elbow of a
    hanging arm in mm (negative: below), ``lean`` how far the trunk must come along in mm, ``strain`` what the two
    hands are compared by.
    """

    reach: float
    word: str
    elbow: float
    above_elbow: float
    lean: float
    strain: float


def comfort(kit: Kit, player: Player, voice: str, table: ReachTable | None = None) -> dict[str, Comfort]:
    """Comfort of each hand at a voice, by hand letter; empty for what hands do not play or the kit lacks.

    ``table`` may be given to look the poses up in one that knows the voice.
    """
    if table is None:
        table = reach_table(kit, player, [voice])
    if voice not in table.points:
        return {}
    height = table.points[voice][2] - player.resting_elbow_mm
    found = {}
    for hand in HANDS:
        reach, lean = table.reach[hand][voice], table.lean[hand][voice]
        low, high = COMFORTABLE_REACH
        beyond = max(low - reach, 0.0, reach - high)
        # Within the comfortable range the middle is a little better than its ends.
        strain = abs(reach - (low + high) / 2) * 0.2 + beyond + (min(lean, 1000.0) / 250.0)
        found[hand] = Comfort(
            reach, reach_words(reach, lean), elbow_angle(table.joints[hand][voice]), height, lean, strain
        )
    return found


def easier(found: dict[str, Comfort]) -> str | None:
    """The hand that has it easier, None if neither has."""
    if len(found) < 2 or abs(found[RIGHT].strain - found[LEFT].strain) < ALIKE:
        return None
    return RIGHT if found[RIGHT].strain < found[LEFT].strain else LEFT


def elbow_angle(joints: Floats) -> float:
    """The angle at the elbow in degrees, from joints (4, 3): shoulder, elbow, grip, tip."""
    upper, fore = joints[0] - joints[1], joints[2] - joints[1]
    cosine = float(upper @ fore) / float(np.linalg.norm(upper) * np.linalg.norm(fore))
    return math.degrees(math.acos(min(1.0, max(-1.0, cosine))))
