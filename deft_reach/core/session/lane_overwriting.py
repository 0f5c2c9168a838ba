"""Typing a limb over strikes that are there: what goes and what stays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from deft_reach.core.model.elements import Strike
from deft_reach.core.model.limbs import EITHER, HANDS
from deft_reach.core.model.pattern import OVER, UNDER
from deft_reach.core.notation.stroke_text import write_strike

GHOST: Final = "."


def overwritten(strikes: Sequence[Strike], limb: str, grace: str) -> str:
    """What stands where a limb is typed over strikes.

    A hand takes the place of hands and a foot that of feet, and what else sounds there stays; where there is nothing
    of its own it takes the place of all. The voice, accent and graces are the place's; a ghost, and who goes over,
    belong to the stroke that goes.
    """
    hand = limb in (*HANDS, EITHER)
    like = [old for old in strikes if (old.limb in (*HANDS, EITHER)) == hand]
    if not like:
        marks = strikes[0].marks if len(strikes) == 1 else ""
        return write_strike(Strike(limb, None, _kept_marks(marks), grace))
    old = next((s for s in like if s.limb == limb), like[0])
    marks = old.marks if old.limb == limb else _kept_marks(old.marks)
    new = replace(old, limb=limb, marks=marks, grace=grace or old.grace)
    return "+".join(write_strike(new if s is like[0] else s) for s in strikes if s is like[0] or s not in like)


def _kept_marks(marks: str) -> str:
    return "".join(mark for mark in marks if mark not in (GHOST, OVER, UNDER))
