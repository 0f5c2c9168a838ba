"""The four limbs and what each letter means."""

from __future__ import annotations

from typing import Final

RIGHT: Final = "R"
LEFT: Final = "L"
#: A hand that has not been chosen yet.
EITHER: Final = "?"
KICK: Final = "K"
SECOND_KICK: Final = "J"
HAT_FOOT: Final = "H"

HANDS: Final = (RIGHT, LEFT)
#: ``J`` and ``H`` are one foot: the one that is not on the first bass pedal.
FEET: Final = (KICK, SECOND_KICK, HAT_FOOT)
LIMBS: Final = (RIGHT, LEFT, EITHER, KICK, SECOND_KICK, HAT_FOOT)

#: What a limb plays when the stroke names no voice.
DEFAULT_VOICE: Final = {
    RIGHT: "sn",
    LEFT: "sn",
    EITHER: "sn",
    KICK: "bd",
    SECOND_KICK: "bd",
    HAT_FOOT: "hh:foot",
}

NAMES: Final = {
    RIGHT: "right hand",
    LEFT: "left hand",
    EITHER: "a hand still to choose",
    KICK: "bass foot",
    SECOND_KICK: "hi-hat foot on the second pedal",
    HAT_FOOT: "hi-hat foot",
}


def other_hand(hand: str) -> str:
    """Return the opposite hand of ``R`` or ``L``."""
    return LEFT if hand == RIGHT else RIGHT
