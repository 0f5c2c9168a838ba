"""Articulation: whether each place is struck where it is written, open or closed, on the bell or the bow.

The zone of a place is that of most of its hits: a stick that comes down a little off now and then is no fault.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Final, NamedTuple

from deft_reach.core.practice.hit_matching import pad_of
from deft_reach.core.practice.take_alignment import Alignment

#: The zones of pads that have more than one, as a player says them, by General MIDI key.
ZONES: Final[Mapping[int, str]] = {
    37: "as a cross-stick", 38: "on the head", 40: "as a rim shot",
    42: "closed", 22: "closed", 46: "open", 26: "open",
    51: "on the bow", 59: "on the bow", 53: "on the bell",
}  # fmt: skip
#: Zones that many kits send one note for: where a take has only one of them, it says nothing of the other.
ONE_NOTE: Final = frozenset({"on the head", "as a rim shot"})


class ZoneFault(NamedTuple):
    """Places, by their strokes' indices, that are written ``wanted`` and struck ``played``."""

    strokes: tuple[int, ...]
    wanted: str
    played: str


def zones_of(a: Alignment) -> tuple[list[ZoneFault], list[str]]:
    """What is struck elsewhere than written, and the zones that this take cannot tell of."""
    sent = {ZONES[key] for key in a.keys if key in ZONES}
    wrong: dict[tuple[int, str, str], list[int]] = {}
    untold: list[str] = []
    n = len(a.own)
    hits = a.match.reshape(-1, n)
    for index, key in enumerate(a.own_keys.tolist()):
        wanted = ZONES.get(key)
        mine = hits[:, index]
        mine = mine[mine >= 0]
        if wanted is None or not len(mine):
            continue
        played, count = Counter(ZONES.get(a.keys[j], wanted) for j in mine.tolist()).most_common(1)[0]
        if played == wanted or 2 * count <= len(mine):
            continue
        if {played, wanted} == ONE_NOTE:
            # A loud stroke on the head catches the rim: nobody minds. The other way round the kit has to tell.
            if wanted not in sent:
                untold.append(wanted)
            if wanted not in sent or wanted == "on the head":
                continue
        wrong.setdefault((pad_of(key), wanted, played), []).append(index)
    faults = []
    for (pad, wanted, played), indices in wrong.items():
        # A single round says too little of one place; all places of the zone together may say enough.
        alike = [i for i, key in enumerate(a.own_keys.tolist()) if pad_of(key) == pad and ZONES.get(key) == wanted]
        struck = hits[:, indices]
        if int((struck >= 0).sum()) >= 2 or len(indices) == len(alike):
            faults.append(ZoneFault(tuple(indices), wanted, played))
    return faults, list(dict.fromkeys(untold))
