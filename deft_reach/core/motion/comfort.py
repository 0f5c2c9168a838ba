"""How a piece sits for each hand: reach, elbow, height and lean, and which hand has it easier."""

from __future__ import annotations

from functools import lru_cache
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.player import Player
from deft_reach.core.motion.pose import (
    COMFORTABLE_REACH,
    elbow_degrees,
    strike_poses,
    turn_alone,
    upper_arm_degrees,
)
from deft_reach.core.motion.reach_table import reach_words

#: Hands whose comfort differs by less than this have it alike.
ALIKE: Final = 0.03


class Comfort(NamedTuple):
    """A hand at a voice.

    ``reach`` is shoulder to grip over arm length, ``word`` how that feels, ``elbow`` the angle between upper arm and
    forearm in degrees (180 is a straight arm), ``upper_arm`` how far the upper arm is from hanging and ``turn`` how
    far the trunk is turned to the right (degrees), while the other hand is at rest; ``above_elbow`` how far the
    strike point lies above the elbow of a hanging arm in mm (negative: below), ``lean`` how far the trunk must come
    along in mm, ``strain`` what the two hands are compared by.
    """

    reach: float
    word: str
    elbow: float
    upper_arm: float
    turn: float
    above_elbow: float
    lean: float
    strain: float


def comfort(kit: Kit, player: Player, voice: str) -> dict[str, Comfort]:
    """Comfort of each hand at a voice, by hand letter; empty for what hands do not play or the kit lacks."""
    return comforts(kit, player, (voice,)).get(voice, {})


@lru_cache(maxsize=16)
def comforts(kit: Kit, player: Player, voices: tuple[str, ...]) -> dict[str, dict[str, Comfort]]:
    """Comfort of each hand at each of these voices; those that hands do not play are left out."""
    points = {}
    for voice in voices:
        piece = kit.piece(piece_of(voice))
        found = kit.voice_point(voice)
        if found is not None and piece is not None and piece.kind != "bass" and not voice.endswith(":foot"):
            points[voice] = found[0]
    if not points:
        return {}
    tips = np.array(list(points.values()), dtype=float)
    rows: dict[str, dict[str, Comfort]] = {voice: {} for voice in points}
    low, high = COMFORTABLE_REACH
    for hand, side in ((RIGHT, 1), (LEFT, -1)):
        poses = strike_poses(player, side, tips)
        elbows, uppers = elbow_degrees(poses.joints).tolist(), upper_arm_degrees(poses.joints).tolist()
        turns = np.degrees(turn_alone(tips)).tolist()
        for k, (voice, point) in enumerate(points.items()):
            reach, lean = float(poses.reach[k]), float(poses.lean[k])
            beyond = max(low - reach, 0.0, reach - high)
            # Within the comfortable range the middle is a little better than its ends.
            strain = abs(reach - (low + high) / 2) * 0.5 + beyond + min(lean, 1000.0) / 250.0
            above = point[2] - player.resting_elbow_mm
            rows[voice][hand] = Comfort(
                reach, reach_words(reach, lean), elbows[k], uppers[k], turns[k], above, lean, strain
            )
    return rows


def rula(upper_arm: float, elbow: float) -> int:
    """How strained an arm is held, 2 (not at all) to 6: RULA's scores of the upper arm and of the lower arm together.

    ``upper_arm`` is how far it is from hanging, ``elbow`` the angle between upper arm and forearm, both in degrees.
    Source: McAtamney & Corlett 1993, *Applied Ergonomics* 24: upper arm within 20° scores 1, to 45° 2, to 90° 3,
    above 4; an elbow bent by 60 to 100° scores 1, else 2.
    """
    arm = 1 + (upper_arm > 20.0) + (upper_arm > 45.0) + (upper_arm > 90.0)
    return arm + (1 if 60.0 <= 180.0 - elbow <= 100.0 else 2)


def easier(found: dict[str, Comfort]) -> str | None:
    """The hand that has it easier, None if neither has."""
    if len(found) < 2 or abs(found[RIGHT].strain - found[LEFT].strain) < ALIKE:
        return None
    return RIGHT if found[RIGHT].strain < found[LEFT].strain else LEFT
