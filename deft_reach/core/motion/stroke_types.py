"""Full, down, tap and up strokes: where a limb starts, and where it has to be for its next stroke."""

from __future__ import annotations

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.sequence import Flags
from deft_reach.core.motion.timing import ACCENT_LEVEL, PLAIN_LEVEL, level_of


@derived
def stroke_types(pattern: Pattern, repeat: bool) -> list[str]:
    """Each stroke as full, down, tap or up, by where its limb starts and where it has to be for its next stroke.

    Full starts and ends high, down starts high and stays low, tap starts and ends low, up starts low and lifts. In
    a pattern with accents only accents are high; without any, everything but ghosts is. Common practice.
    """
    high = starts_high(pattern).tolist()
    following: dict[str, bool] = {}
    if repeat:
        for stroke, is_high in zip(reversed(pattern.strokes), reversed(high)):
            following[stroke.limb] = is_high
    names = {(True, True): "full", (True, False): "down", (False, False): "tap", (False, True): "up"}
    types: list[str] = []
    for stroke, is_high in zip(reversed(pattern.strokes), reversed(high)):
        types.append(names[is_high, following.get(stroke.limb, is_high)])
        following[stroke.limb] = is_high
    types.reverse()
    return types


@derived
def starts_high(pattern: Pattern) -> Flags:
    """Of each stroke (n,) whether its limb starts high: for a full or a down stroke. That is so with either hand."""
    levels = [level_of(stroke.marks) for stroke in pattern.strokes]
    accents = {stroke.limb in FEET for stroke, level in zip(pattern.strokes, levels) if level == ACCENT_LEVEL}
    high = [
        level >= (ACCENT_LEVEL if (s.limb in FEET) in accents else PLAIN_LEVEL)
        for level, s in zip(levels, pattern.strokes)
    ]
    return np.array(high, dtype=bool)
