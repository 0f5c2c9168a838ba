"""How a player prefers to stick what is open: which hand leads, how the hats are played, singles or doubles, and how
much practised orders count. Preferences decide between stickings that are about as easy; they forbid nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

#: What each habit can be, with the words for people; the first is the neutral one.
LEADS: Final = {"handed": "the stronger hand", "right": "the right hand", "left": "the left hand"}
HATS: Final = {"free": "as it comes", "crossed": "crossed", "open": "open-handed"}
STICKINGS: Final = {"free": "as it comes", "singles": "singles", "doubles": "doubles"}
#: How much practised orders count: 0 not at all, 1 as for most players.
ORDER_RANGE: Final = (0.0, 3.0)


@dataclass(frozen=True, slots=True)
class StickingHabits:
    """What a player prefers where strokes are open.

    ``lead`` (of LEADS) is the hand that leads, ``hats`` (of HATS) how the hi-hat is played, ``sticking`` (of
    STICKINGS) what is preferred where singles and doubles are as easy, and ``order`` a factor on what it counts to
    leave practised orders of hands.
    """

    lead: str = "handed"
    hats: str = "free"
    sticking: str = "free"
    order: float = 1.0
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    @property
    def words(self) -> str:
        """What differs from most players, for people; empty where nothing does.

        >>> StickingHabits(lead="left", hats="open").words
        'led by the left hand, hats open-handed'
        """
        found = []
        if self.lead != "handed":
            found.append(f"led by {LEADS[self.lead]}")
        if self.hats != "free":
            found.append(f"hats {HATS[self.hats]}")
        if self.sticking != "free":
            found.append(f"{STICKINGS[self.sticking]} rather than {_OTHER_STICKING[self.sticking]}")
        if self.order != 1.0:
            found.append(f"practised orders count × {self.order:.2g}")
        return ", ".join(found)

    def mirror(self) -> StickingHabits:
        """The same habits of a player whose hands are exchanged."""
        lead = {"right": "left", "left": "right"}.get(self.lead, self.lead)
        return StickingHabits(lead, self.hats, self.sticking, self.order, self.extra)


#: What is not known of anybody.
NO_HABITS: Final = StickingHabits()

_OTHER_STICKING: Final = {"singles": "doubles", "doubles": "singles"}


def trouble_with(habits: StickingHabits) -> str | None:
    """What is wrong with habits that nobody can have, in words; None where nothing is."""
    for name, value, choices in (
        ("leading hand", habits.lead, LEADS), ("hats", habits.hats, HATS), ("sticking", habits.sticking, STICKINGS),
    ):  # fmt: skip
        if value not in choices:
            return f"{name} is '{value}'; expected one of {', '.join(choices)}"
    low, high = ORDER_RANGE
    if not (math.isfinite(habits.order) and low <= habits.order <= high):
        return f"the weight of practised orders is {habits.order:g}; expected {low:g} to {high:g}"
    return None
