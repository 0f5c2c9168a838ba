"""Why a figure is as hard as it is: its demands in words, with their share and where they are greatest."""

from __future__ import annotations

from typing import Any, Final, NamedTuple

import numpy as np

from deft_reach.core.analysis.demands import PARTS, Moments
from deft_reach.core.analysis.difficulty import amounts, by_kind
from deft_reach.core.model.counting import in_bar, place
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import FEET, HANDS, KICK, LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import ReachTable

#: A moment belongs to where a demand is greatest if it has this part of the greatest moment's amount.
GREATEST: Final = 0.5
#: A share below this is left out (of 1).
LEAST_SHARE: Final = 0.005
#: The limbs that a demand is about, where it is not about all of them.
_LIMBS: Final = dict.fromkeys(("stamina", "moves", "reach", "crossing", "dynamics", "order"), frozenset(HANDS))
#: What each demand is called, of a limb or of the figure.
_OF_A_LIMB: Final = {"speed": "speed", "stamina": "stamina", "moves": "moves", "reach": "reach"}
_OF_THE_FIGURE: Final = {
    "speed": "speed", "stamina": "keeping it up", "moves": "moves between pieces", "reach": "reach",
    "crossing": "crossed arms", "coordination": "limbs that do different things", "dynamics": "accents and ghosts",
    "graces": "graces", "rhythm": "what does not fit the beat", "order": "the order of the hands",
}  # fmt: skip


#: Each demand in a word or two, for where there is no room for more.
MOSTLY: Final = {
    "speed": "speed", "stamina": "stamina", "moves": "long moves", "reach": "far reach", "crossing": "crossed arms",
    "coordination": "independence", "dynamics": "dynamics", "graces": "graces", "rhythm": "odd counting",
    "order": "odd order",
}  # fmt: skip


class Demand(NamedTuple):
    """One demand of a figure: its kind, its share of the difficulty (0 to 1), the strokes where it is greatest, and
    that in words.
    """

    kind: str
    share: float
    strokes: tuple[int, ...]
    words: str

    def as_dict(self) -> dict[str, Any]:
        """The fields of the command contract."""
        return {"kind": self.kind, "share": self.share, "strokes": list(self.strokes), "words": self.words}


def demands_of(pattern: Pattern, moments: Moments, table: ReachTable) -> tuple[Demand, ...]:
    """The demands of a figure, the greatest first; their shares add up to 1."""
    parts = amounts(moments)
    each = by_kind(parts)
    total = float(sum(column.sum() for column in each.values()))
    if total <= 0.0:
        return ()
    shares = {kind: float(column.sum()) / total for kind, column in each.items()}
    kept = {kind: share for kind, share in shares.items() if share >= LEAST_SHARE}
    whole = sum(kept.values())
    feet, hands = (float(parts[:, PARTS.index(part)].sum()) for part in ("foot", "hand"))
    quick = frozenset(FEET if feet > hands else HANDS)
    rows = [
        _demand(pattern, table.kit, kind, share / whole, each[kind], quick if kind == "speed" else _LIMBS.get(kind))
        for kind, share in kept.items()
    ]
    return tuple(sorted(rows, key=lambda row: (-row.share, row.kind)))


def _demand(
    pattern: Pattern, kit: Kit, kind: str, share: float, amount: Floats, about: frozenset[str] | None
) -> Demand:
    """One demand; ``about`` are the limbs it is of, None for all."""
    events = np.flatnonzero(amount >= GREATEST * amount.max()).tolist()
    there = [i for k in events for i in pattern.events[k].indices]
    strokes = [i for i in there if about is None or pattern.strokes[i].limb in about] or there
    limbs = {pattern.strokes[i].limb for i in strokes}
    name = _OF_THE_FIGURE[kind]
    if kind in _OF_A_LIMB and (len(limbs) == 1 or limbs <= set(FEET) or limbs == set(HANDS)):
        name = f"{_limb_words(kit, limbs)} {_OF_A_LIMB[kind]}"
    return Demand(kind, share, tuple(strokes), f"{name}, {_span(pattern, strokes)}")


def _limb_words(kit: Kit, limbs: set[str]) -> str:
    if len(limbs) > 1:
        return "the hands'" if limbs == set(HANDS) else "the feet's"
    limb = next(iter(limbs))
    if limb in (RIGHT, LEFT):
        return "the right hand's" if limb == RIGHT else "the left hand's"
    right = (kit.bass_foot_side > 0) == (limb == KICK)
    return "the right foot's" if right else "the left foot's"


def _span(pattern: Pattern, strokes: list[int]) -> str:
    """From where to where."""
    first, last = pattern.strokes[min(strokes)], pattern.strokes[max(strokes)]
    if first.start == last.start:
        return in_bar(first.bar, first.beat) if pattern.many_bars else place(first.beat)
    if not pattern.many_bars:
        start, end = place(first.beat), place(last.beat)
    else:
        start = in_bar(first.bar, first.beat)
        end = place(last.beat) if first.bar == last.bar else in_bar(last.bar, last.beat)
    return f"{start} to {end}"
