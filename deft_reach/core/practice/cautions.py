"""Cautions where practice asks for more: warm hands, loose grip, ears, breaks. They never block anything.

Hearing: the recommended exposure limit of NIOSH (1998, Publication 98-126): 85 dBA over 8 hours, halved for every 3
dB more. Everything else is common practice. Clinicians and local rules come first.
"""

from __future__ import annotations

import math
from typing import Final

from deft_reach.core.practice.ladder import Rung

LIMIT_DBA: Final = 85.0
EXCHANGE_DB: Final = 3.0
LIMIT_MINUTES: Final = 480.0
#: How loud practice is, roughly (dBA at the player's ear): by what is played on. From memory.
LEVELS: Final = {
    "practice pad": 75.0,
    "pads with headphones": 82.0,
    "kit, softly": 92.0,
    "kit": 100.0,
    "kit, loudly": 108.0,
}
BEFORE: Final = "Warm up for five minutes, slowly. Hold the sticks so loosely that they could be pulled out."
ALWAYS: Final = "Stop at pain, numbness or tingling, and ask a clinician if it stays. Local rules come first."
#: Before a test that asks for the fastest there is.
HAND_TEST_CAUTION: Final = f"{BEFORE} Rest between the exercises. {ALWAYS}"
HEAT: Final = "In heat, drink before you are thirsty."


def safe_minutes(level: float) -> float:
    """How long a day one may be exposed to a level (dBA), in minutes. Raises ValueError for no number."""
    if not math.isfinite(level):
        raise ValueError(f"a level of {level:g} dBA makes no sense")
    return LIMIT_MINUTES / 2 ** ((level - LIMIT_DBA) / EXCHANGE_DB)


def daily_dose(level: float, minutes: float) -> float:
    """The part of a day's limit that so many minutes at a level use up; 1 is all of it."""
    return max(0.0, minutes) / safe_minutes(level)


def hearing_words(level: float, minutes: float) -> str:
    """What a practice so loud and so long means for the ears."""
    dose = daily_dose(level, minutes)
    safe = safe_minutes(level)
    how = f"{safe / 60:.0f} h" if safe >= 120 else f"{safe:.0f} min" if safe >= 1 else "less than a minute"
    words = f"{minutes:.0f} min at about {level:.0f} dBA: {dose * 100:.0f} % of a day's limit (NIOSH allows {how})"
    return words + ("; protect your ears." if dose > 0.5 or level >= 100 else ".")


def rung_words(rung: Rung) -> str:
    """A caution for one rung; empty where none is needed."""
    if rung.pace is None or rung.pace <= 0.9:
        return ""
    if rung.pace <= 1:
        return "Close to the limit: loose grip, small strokes, few repeats."
    return "Past what the model thinks you can do: only while it stays loose. " + ALWAYS
