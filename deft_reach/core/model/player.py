"""The player's body, seat and sticks.

Segment lengths are fractions of stature from Drillis & Contini (1966), as tabulated in Winter,
*Biomechanics and Motor Control of Human Movement*.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.message import Length, message, outside
from deft_reach.core.model.sticking_habits import NO_HABITS, StickingHabits, trouble_with

UPPER_ARM: Final = 0.186
FOREARM: Final = 0.146
HAND: Final = 0.108
HALF_SHOULDER_BREADTH: Final = 0.129
HIP_TO_SHOULDER: Final = 0.288
THIGH: Final = 0.245
SHANK: Final = 0.246
HALF_HIP_BREADTH: Final = 0.0955

#: The stick lies across the hand about half-way between wrist and fingertips.
GRIP_IN_HAND: Final = 0.5
#: Seated at the kit, the shoulders come this far in front of the seat's centre (mm).
SHOULDERS_FORWARD: Final = 60.0

SKILLS: Final = {"untrained": 1.0, "working": 0.75, "advanced": 0.55}


class PlayerError(ValueError):
    """A player whose measures cannot be: says which measure and what range is expected."""


@dataclass(frozen=True, slots=True)
class Segments:
    """Segment lengths that were measured, mm; None where the fraction of stature stands.

    ``hand`` is from the wrist to the fingertips, ``forearm`` from elbow to wrist, ``shoulders`` from one shoulder
    joint to the other, ``trunk`` from the seat to the shoulders, ``thigh`` and ``shank`` from joint to joint.
    """

    upper_arm: float | None = None
    forearm: float | None = None
    hand: float | None = None
    shoulders: float | None = None
    trunk: float | None = None
    thigh: float | None = None
    shank: float | None = None
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True, slots=True)
class Speeds:
    """What a player's limbs differ in: factors on the needed time beside the skill, 1 where they do not.

    ``moves`` is for the hands' travel from voice to voice, the others for everything that limb does.
    """

    right: float = 1.0
    left: float = 1.0
    feet: float = 1.0
    moves: float = 1.0
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True, slots=True)
class Constants:
    """What a hand test measured of a player; None where it measured nothing and the skill stands.

    Seconds from stroke to stroke on one place, as fast as even: ``right`` and ``left`` hand, ``kick`` and the
    ``other_foot``. The part of that which the second stroke of a double takes: ``right_rebound``, ``left_rebound``
    and ``foot_rebound``. A move from place to place of MOVE_BITS bits of difficulty (Fitts, see motion.timing) takes
    ``move`` seconds, and ``move_per_bit`` more or less for each bit beside.
    """

    right: float | None = None
    left: float | None = None
    kick: float | None = None
    other_foot: float | None = None
    right_rebound: float | None = None
    left_rebound: float | None = None
    foot_rebound: float | None = None
    move: float | None = None
    move_per_bit: float | None = None
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def restrike(self, limb: str) -> float | None:
        """Seconds from stroke to stroke of a limb."""
        own: float | None = getattr(self, {"R": "right", "L": "left", "K": "kick"}.get(limb, "other_foot"))
        return own

    @property
    def move_line(self) -> tuple[float, float] | None:
        """Seconds that moves take at no bits, and for each bit; None where they were not measured."""
        if self.move is None or self.move_per_bit is None:
            return None
        return self.move - MOVE_BITS * self.move_per_bit, self.move_per_bit


#: The difficulty of an ordinary move between two drums.
MOVE_BITS: Final = 2.0
#: What the constants are called, and the range in which each can be.
CONSTANTS: Final = {
    "right": ("right hand, stroke to stroke", 0.06, 0.6),
    "left": ("left hand, stroke to stroke", 0.06, 0.6),
    "kick": ("bass-drum foot, stroke to stroke", 0.08, 0.8),
    "other_foot": ("other foot, stroke to stroke", 0.08, 0.8),
    "right_rebound": ("second stroke of right-hand doubles", 0.2, 1.0),
    "left_rebound": ("second stroke of left-hand doubles", 0.2, 1.0),
    "foot_rebound": ("second stroke of the foot's doubles", 0.3, 1.0),
    "move": ("move to another place, of two bits", 0.03, 0.8),
    "move_per_bit": ("and for each bit more", 0.005, 0.4),
}

#: What a factor of Speeds can be.
SPEED_RANGE: Final = (0.3, 3.0)
SPEED_NAMES: Final = {"right": "right hand", "left": "left hand", "feet": "feet", "moves": "hands on the move"}

#: Each segment's part of stature, and the range (mm) in which a person's can be.
SEGMENT_PARTS: Final = {
    "upper_arm": (UPPER_ARM, 120.0, 500.0),
    "forearm": (FOREARM, 100.0, 420.0),
    "hand": (HAND, 80.0, 300.0),
    "shoulders": (2 * HALF_SHOULDER_BREADTH, 180.0, 700.0),
    "trunk": (HIP_TO_SHOULDER, 200.0, 800.0),
    "thigh": (THIGH, 150.0, 700.0),
    "shank": (SHANK, 150.0, 700.0),
}
SEGMENT_NAMES: Final = {
    "upper_arm": "upper arm",
    "forearm": "forearm",
    "hand": "hand",
    "shoulders": "shoulder breadth",
    "trunk": "seat to shoulders",
    "thigh": "thigh",
    "shank": "lower leg",
}


@dataclass(frozen=True, slots=True)
class Player:
    """Who plays.

    Lengths in mm. ``grip_mm`` is from the stick's tip to the grip. ``skill`` multiplies every needed time:
    1.0 untrained, 0.75 working, 0.55 advanced; ``speeds`` what the limbs differ in. ``constants`` were measured and
    stand in the place of the skill. ``segments`` overrides what stature alone would give. ``habits`` are what is
    preferred where strokes are open; they change no verdict but the motion cost, where another hand leads.

    >>> round(Player("p", "P", stature_mm=1800).arm_mm)
    695
    """

    id: str = "player"
    name: str = "Working player"
    stature_mm: float = 1750.0
    seat_height_mm: float = 520.0
    handedness: str = "right"
    stick_length_mm: float = 406.0
    grip_mm: float = 290.0
    skill: float = 0.75
    segments: Segments = Segments()
    speeds: Speeds = Speeds()
    constants: Constants = Constants()
    habits: StickingHabits = NO_HABITS
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def segment(self, name: str) -> float:
        """Length in mm of a segment of SEGMENT_PARTS: as measured, or else by stature."""
        own: float | None = getattr(self.segments, name)
        return SEGMENT_PARTS[name][0] * self.stature_mm if own is None else own

    @property
    def upper_arm_mm(self) -> float:
        return self.segment("upper_arm")

    @property
    def forearm_mm(self) -> float:
        """Elbow to grip: the forearm and the part of the hand behind the stick."""
        return self.segment("forearm") + self.segment("hand") * GRIP_IN_HAND

    @property
    def arm_mm(self) -> float:
        """Shoulder to grip with the arm straight."""
        return self.upper_arm_mm + self.forearm_mm

    @property
    def shoulder(self) -> tuple[float, float, float]:
        """Right shoulder (x, y, z) in mm; the left one is its mirror image."""
        return self.segment("shoulders") / 2, SHOULDERS_FORWARD, self.seat_height_mm + self.segment("trunk")

    @property
    def resting_elbow_mm(self) -> float:
        """Height of the elbows while the upper arms hang."""
        return self.shoulder[2] - self.upper_arm_mm

    @property
    def hip(self) -> tuple[float, float, float]:
        """Right hip joint (x, y, z) in mm."""
        return HALF_HIP_BREADTH * self.stature_mm, 0.0, self.seat_height_mm

    @property
    def leg_mm(self) -> float:
        return self.segment("thigh") + self.segment("shank")

    @property
    def stronger(self) -> str:
        """The stronger hand, ``R`` or ``L``."""
        return RIGHT if self.handedness == "right" else LEFT

    @property
    def lead(self) -> str:
        """The hand that leads by habit, or else the stronger one."""
        return {"right": RIGHT, "left": LEFT}.get(self.habits.lead, self.stronger)

    @property
    def body(self) -> Player:
        """The player as verdicts see one: without habits."""
        return replace(self, habits=NO_HABITS)

    def skill_of(self, limb: str) -> float:
        """What multiplies the needed times of a limb: ``R``, ``L``, or any foot."""
        return self.skill * self.speed_of(limb)

    def speed_of(self, limb: str) -> float:
        """The factor of Speeds that a limb has."""
        return {"R": self.speeds.right, "L": self.speeds.left}.get(limb, self.speeds.feet)

    def mirror(self) -> Player:
        """The same body with the other hand leading, and what the hands differ in exchanged."""
        speeds = replace(self.speeds, right=self.speeds.left, left=self.speeds.right)
        own = self.constants
        constants = replace(
            own, right=own.left, left=own.right, right_rebound=own.left_rebound, left_rebound=own.right_rebound
        )
        handedness = "left" if self.handedness == "right" else "right"
        return replace(self, handedness=handedness, speeds=speeds, constants=constants, habits=self.habits.mirror())


def check_player(player: Player) -> None:
    """Raise PlayerError naming the first measure that is out of range."""
    for name, value, least, most, where in (
        ("stature", player.stature_mm, 1000, 2300, ""),
        ("seat height", player.seat_height_mm, 250, 900, ""),
        ("stick length", player.stick_length_mm, 200, 600, ""),
        ("grip", player.grip_mm, 100, 500, " from the tip"),
    ):
        if not (math.isfinite(value) and least <= value <= most):
            raise PlayerError(outside(f"player '{player.name}': {name}", value, least, most, where))
    if not (math.isfinite(player.skill) and 0.2 <= player.skill <= 3.0):
        raise PlayerError(
            f"player '{player.name}': skill is {player.skill:g}; expected 0.2 to 3.0 × the untrained reference"
        )
    for name, (_, low, high) in SEGMENT_PARTS.items():
        own = getattr(player.segments, name)
        if own is not None and not (math.isfinite(own) and low <= own <= high):
            raise PlayerError(outside(f"player '{player.name}': {SEGMENT_NAMES[name]}", own, low, high))
    for name, words in SPEED_NAMES.items():
        own = getattr(player.speeds, name)
        low, high = SPEED_RANGE
        if not (math.isfinite(own) and low <= own <= high):
            raise PlayerError(f"player '{player.name}': {words} is {own:g} times; expected {low:g} to {high:g}")
    for name, (words, low, high) in CONSTANTS.items():
        own = getattr(player.constants, name)
        if own is not None and not (math.isfinite(own) and low <= own <= high):
            raise PlayerError(f"player '{player.name}': {words} is {own:g}; expected {low:g} to {high:g}")
    if (player.constants.move is None) != (player.constants.move_per_bit is None):
        raise PlayerError(f"player '{player.name}': of move and move_per_bit give both or neither")
    if player.grip_mm > player.stick_length_mm:
        raise PlayerError(
            message(
                "player '{name}': grip is {grip:g} from the tip, but the stick is only {stick:g} long",
                name=player.name, grip=Length(player.grip_mm), stick=Length(player.stick_length_mm),
            )
        )  # fmt: skip
    if player.handedness not in ("right", "left"):
        raise PlayerError(f"player '{player.name}': handedness is '{player.handedness}'; expected right or left")
    trouble = trouble_with(player.habits)
    if trouble is not None:
        raise PlayerError(f"player '{player.name}': {trouble}")
