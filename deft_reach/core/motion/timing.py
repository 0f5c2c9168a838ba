"""Needed time: the shortest time in which a limb can make a move and strike.

``needed = max(restrike × factor, travel)``

*Travel* is ``a0 + b0 · log2(D/W + 1)`` with D the distance between the strike points and W the smaller effective
width: the law of Fitts (1954, *J. Exp. Psych.* 47) in the Shannon form, which stays sensible for short moves. a0 and
b0 are the published line through the tapping data of Fitts (MacKenzie 1992, *Human-Computer Interaction* 7). That
line was fitted with the original index log2(2D/W); in the Shannon form the same data give 27.7 ms + 111.5 ms/bit.
We keep the faster line on purpose: a stick is thrown at its target and stopped by it, while the people Fitts measured
had to stop a stylus. So a limit errs towards what can be done.

*Restrike* is the time of one hand or foot on one place. Skill shortens it down to what the fastest drummers have been
measured at (Fujii et al. 2009, *Neuroscience Letters*: about 10 strokes a second with one hand). Its *factor* says
what the rhythm and the dynamics make of it (see rebound and level_factors): the stick's rebound gives back strokes
that follow quickly after a longer wait.
"""

from __future__ import annotations

import math
from typing import Any, Final

import numpy as np

from deft_reach.core.model.limbs import FEET, HANDS, KICK
from deft_reach.core.model.player import Player

#: Intercept in seconds and slope in seconds per bit.
A0: Final = 0.0128
B0: Final = 0.0947

#: One hand tapping one place, untrained, about 6 Hz (5 to 7 Hz; Fujii et al. 2009, *Neuroscience Letters*).
HAND_RESTRIKE: Final = 0.167
#: One foot on one pedal, untrained. Common practice.
FOOT_RESTRIKE: Final = 0.195
#: What no skill gets below (s): about 10 strokes a second with one hand, from Fujii et al. (2009); a foot from
#: memory.
HAND_FASTEST: Final = 0.102
FOOT_FASTEST: Final = 0.108
#: How sharply skill stops helping as a restrike comes near the fastest there is.
_SOFTNESS: Final = 6.0
#: The hand that does not lead is this much slower. Common practice: 5 to 10 %.
OTHER_SIDE: Final = 1.05
#: The foot on the second bass pedal and on the hi-hat pedal is this much slower. Common practice.
OTHER_FOOT: Final = 1.03
#: On the move the hands differ less. Common practice.
OTHER_SIDE_TRAVEL: Final = 1.025
#: A grace may land anywhere near: its target is wider than a stroke's by this factor. From memory.
GRACE_WIDER: Final = 1.5

#: A stroke rebounds where its gap is less than this part of an earlier one.
REBOUND_BELOW: Final = 0.95
#: The least part of a full restrike that the second, third and fourth stroke after a wait take. Common practice: a
#: double bounces freely, a third stroke has to be caught by the fingers, a fourth has little left.
HAND_REBOUND: Final = (0.44, 0.62, 0.8)
FOOT_REBOUND: Final = (0.7, 0.78, 0.85)

#: Down to this skill bouncing is learned as it is usual; above it, so much less is saved by it for each unit.
LEARNED: Final = 0.75
UNLEARNED_BOUNCE: Final = 1.12
LEAST_BOUNCE: Final = 0.2

#: An accent needs a bigger lift, a ghost a smaller one. Common practice.
ACCENT: Final = 1.1
GHOST: Final = 0.85
GHOST_LEVEL, PLAIN_LEVEL, ACCENT_LEVEL = 0, 1, 2
#: A ghost straight after an accent of the same hand has to be dropped: no quicker than this part of a full restrike.
DROP: Final = 0.85

#: Skill acts on travel by this power of itself only: the law of Fitts holds for the trained as well.
TRAVEL_SKILL: Final = 0.88
#: No tip is accelerated more than this (mm/s²); from memory, about 15 g for a stick that is thrown.
MOST_ACCELERATION: Final = 150_000.0
#: Peak acceleration of a minimum-jerk move of length D in time T is 5.77 D/T² (Flash & Hogan 1985).
PEAK_ACCELERATION: Final = 5.77
#: A move towards the side of the hand that makes it is that much quicker than one across. From memory.
HOMEWARD: Final = 0.96
#: Strokes of one hand in a row that fall outwards from piece to piece share their motion. From memory.
FALLING: Final = 0.8
#: How far (mm) the next piece must be below the last one for that.
FALL_MM: Final = 60.0

#: How long before its stroke a grace note falls, and how far graces are apart (seconds). Common practice.
GRACE_LEAD: Final = 0.03
GRACE_APART: Final = 0.045
#: The closest a flam's grace may fall to its stroke (seconds) and still be heard before it. Common practice.
GRACE_LEAST: Final = 0.02


def level_of(marks: str) -> int:
    """How high a stroke is taken from: 0 ghost, 1 plain, 2 accent."""
    if ">" in marks:
        return ACCENT_LEVEL
    return GHOST_LEVEL if "." in marks else PLAIN_LEVEL


def travel_time(distance: float, width: float) -> float:
    """Untrained time in seconds for a move of ``distance`` mm onto a target ``width`` mm wide."""
    return A0 + B0 * math.log2(distance / width + 1.0)


def travel_times(distance: Any, width: Any, skill: float, line: tuple[float, float] | None = None) -> Any:
    """Time in seconds for moves of ``distance`` mm onto targets ``width`` mm wide, 0 where nothing moves.

    ``skill`` as in Player; ``line`` is a player's own (seconds, and seconds per bit), which ``skill`` multiplies as
    it is. No quicker than the largest acceleration allows.
    """
    bits = np.log2(distance / width + 1.0)
    law = (A0 + B0 * bits) * skill**TRAVEL_SKILL if line is None else (line[0] + line[1] * bits) * skill
    thrown = np.sqrt(PEAK_ACCELERATION * distance / MOST_ACCELERATION)
    return np.where(distance > 0, np.maximum(law, thrown), 0.0)


def restrike(player: Player, limb: str) -> float:
    """Seconds that a player's limb needs to strike one place again and again, evenly and plainly.

    Skill multiplies the untrained time; near the fastest there is it helps less and less.
    """
    own = player.constants.restrike(limb)
    if own is not None:
        return own * player.speed_of(limb)
    foot = limb in FEET
    time = (FOOT_RESTRIKE if foot else HAND_RESTRIKE) * player.skill_of(limb)
    fastest = FOOT_FASTEST if foot else HAND_FASTEST
    soft = float((time**_SOFTNESS + fastest**_SOFTNESS) ** (1.0 / _SOFTNESS))
    leading = limb == KICK if foot else limb == player.stronger
    return soft if leading else soft * (OTHER_FOOT if foot else OTHER_SIDE)


def restrikes(player: Player) -> tuple[float, float]:
    """The right and the left hand's restrike in seconds."""
    right, left = (restrike(player, hand) for hand in HANDS)
    return right, left


def rebound(gap: Any, earlier: tuple[Any, ...], shares: tuple[float, ...]) -> Any:
    """The part of a full restrike that strokes take, by the rhythm's gaps alone.

    ``gap`` is each stroke's gap and ``earlier`` the gaps before it, nearest first (infinite where there is none).
    For each of them a stroke takes ``gap / (0.95 × earlier gap)``, but no less than that place's share and no more
    than all; the least of these counts. So only ratios of gaps matter, and making any gap longer never raises what is
    needed over the gap there is.
    """
    part = np.ones_like(gap)
    for before, share in zip(earlier, shares):
        with np.errstate(invalid="ignore", divide="ignore"):
            # Not known is a full restrike; a gap over an infinite one is 0.
            ratio = np.where(np.isinf(before), 0.0, gap / (REBOUND_BELOW * before))
        part = np.minimum(part, np.clip(np.where(np.isnan(ratio), 1.0, ratio), share, 1.0))
    return np.where(np.isnan(gap), 1.0, part)


def rebound_depth(own: float | None, share: float, skill: float) -> float:
    """How much deeper than usual a player's own rebound goes: 1 where the second stroke of a double takes the usual
    ``share`` of a full restrike, 0 where it takes a full one. Bouncing is learned: who has it not measured and is no
    working player yet saves less by it (common practice).
    """
    if own is not None:
        return (1.0 - own) / (1.0 - share)
    return min(1.0, max(LEAST_BOUNCE, 1.0 - UNLEARNED_BOUNCE * (skill - LEARNED)))


def own_part(part: Any, depth: Any) -> Any:
    """The part of a full restrike that strokes take of a player whose rebound goes so deep."""
    return 1.0 - (1.0 - part) * depth


def level_factors(part: Any, level: Any, last_level: Any) -> Any:
    """What strokes take of a full restrike: ``part`` is from the rebound, levels as in level_of, this and the
    last.
    """
    scaled = part * np.select([level == ACCENT_LEVEL, level == GHOST_LEVEL], [ACCENT, GHOST], 1.0)
    dropped = (level == GHOST_LEVEL) & (last_level == ACCENT_LEVEL)
    return np.where(dropped, np.maximum(part, DROP), scaled)


#: No stroke is needed in less than this (seconds), whatever head start its hand has.
LEAST_NEEDED: Final = 1e-4


def needed_times(restrikes: Any, factors: Any, travel: Any, shift: Any = 0.0, shifted: Any = False) -> Any:
    """The shortest time in seconds to each stroke, from its hand's restrike, its factor and the travel.

    Where ``shifted``, graces move it by ``shift`` seconds: their own time is added, a head start taken off.
    """
    needed = np.maximum(restrikes * factors, travel)
    return np.where(shifted, np.maximum(LEAST_NEEDED, needed + shift), needed)


#: Two strokes closer than this (seconds) are heard as one, flammed: 30 to 50 ms, common practice, from memory.
FLAM_GAP: Final = 0.05


def grace_lead(grace: str) -> tuple[float, float]:
    """Extra time in seconds that graces ask at least of the other hand and of the hand that strikes.

    A flam's grace falls just before its stroke; a drag's two are both the other hand's; a ruff's three
    alternate, so the striking hand plays the middle one.
    """
    if grace == "f":
        return GRACE_LEAST, 0.0
    if grace == "d":
        return GRACE_LEAST + GRACE_APART, 0.0
    if grace == "u":
        return GRACE_LEAST + 2 * GRACE_APART, GRACE_LEAST + GRACE_APART
    return 0.0, 0.0
