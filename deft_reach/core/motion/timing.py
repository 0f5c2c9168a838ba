"""Needed time: the shortest time in which a limb can make a move and strike.

``needed = max(restrike, a0 + b0 · log2(D/W + 1)) × skill``

with D the distance between the strike points and W the smaller effective width: the law of Fitts (1954, *J. Exp.
Psych.* 47) in the Shannon form, which stays sensible for short moves. a0 and b0 are the published line through the
tapping data of Fitts (MacKenzie 1992, *Human-Computer Interaction* 7). That line was fitted with the original index
log2(2D/W); in the Shannon form the same data give 27.7 ms + 111.5 ms/bit. We keep the faster line on purpose: a stick
is thrown at its target and stopped by it, while the people Fitts measured had to stop a stylus, and with it an
advanced player's 350 mm come out near the 85 ms that are common practice. So a limit errs towards what can be done.
"""

from __future__ import annotations

import math
from typing import Final

from deft_reach.core.limbs import FEET

#: Intercept in seconds and slope in seconds per bit.
A0: Final = 0.0128
B0: Final = 0.0947

#: One hand tapping one place, untrained, about 6 Hz (5 to 7 Hz; Fujii et al. 2009, *Neuroscience Letters*).
HAND_RESTRIKE: Final = 0.167
#: One foot on one pedal, untrained. Common practice.
FOOT_RESTRIKE: Final = 0.22
#: The second stroke of a bounced double takes this part of a full restrike. Common practice.
BOUNCE: Final = 0.6
FOOT_BOUNCE: Final = 0.65
#: An accent needs a bigger lift, a ghost a smaller one. Common practice.
ACCENT: Final = 1.1
GHOST: Final = 0.85

#: How long before its stroke a grace note falls, and how far graces are apart (seconds). Common practice.
GRACE_LEAD: Final = 0.03
GRACE_APART: Final = 0.045
#: A grace is a ghost: what it takes to strike the same voice again, untrained seconds.
HAND_GRACE: Final = HAND_RESTRIKE * GHOST


def travel_time(distance: float, width: float) -> float:
    """Untrained time in seconds for a move of ``distance`` mm onto a target ``width`` mm wide."""
    return A0 + B0 * math.log2(distance / width + 1.0)


def restrike_time(limb: str, marks: str, bounced: bool) -> float:
    """Untrained time in seconds to strike the same voice again.

    ``bounced`` says that this is the second stroke of a double, which the rebound helps; an accent cannot be
    bounced.
    """
    foot = limb in FEET
    time = FOOT_RESTRIKE if foot else HAND_RESTRIKE
    if ">" in marks:
        return time * ACCENT
    if bounced:
        time *= FOOT_BOUNCE if foot else BOUNCE
    if "." in marks:
        time *= GHOST
    return time


def needed_time(limb: str, marks: str, distance: float, width: float, skill: float, bounced: bool) -> float:
    """Shortest time in seconds for ``limb`` to make this move and strike.

    ``distance`` and ``width`` in mm; ``skill`` as in Player.
    """
    restrike = restrike_time(limb, marks, bounced and distance == 0.0)
    if distance == 0.0:
        return restrike * skill
    return max(restrike, travel_time(distance, width)) * skill


def grace_lead(grace: str) -> tuple[float, float]:
    """Extra time in seconds that graces ask of the other hand and of the hand that strikes.

    A flam's grace falls just before its stroke; a drag's two are both the other hand's; a ruff's three
    alternate, so the striking hand plays the middle one.
    """
    if grace == "f":
        return GRACE_LEAD, 0.0
    if grace == "d":
        return GRACE_LEAD + GRACE_APART, 0.0
    if grace == "u":
        return GRACE_LEAD + 2 * GRACE_APART, GRACE_LEAD + GRACE_APART
    return 0.0, 0.0
