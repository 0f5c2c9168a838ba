"""Near misses: arms and sticks that come close on their way without being crossed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, caution_if
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, SIDES, Figure, finding
from deft_reach.core.model.counting import place
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import LEFT, RIGHT, other_hand
from deft_reach.core.model.message import Message, message
from deft_reach.core.motion.clearance import part_words

#: Arms and sticks that pass closer than this (mm), surface to surface, are a near miss.
NEAR_MM: Final = 12.0

#: Voices by their index: the right hand's from and to, the left hand's from and to; -1 for none.
_Way = tuple[int, int, int, int]


def near_misses(figure: Figure) -> Iterator[Finding]:
    """One finding for each way in which the arms pass close, however often it comes.

    Arms that cross on the way say so themselves, with who is over and how much room there is.
    """
    found = figure.walk.passing
    if found is None:
        return
    ways: dict[_Way, list[int]] = {}
    close = np.flatnonzero(np.nan_to_num(found.clearance, nan=np.inf) < NEAR_MM)
    (right_from, right_to), (left_from, left_to) = found.right, found.left
    crossed = [posture.cross is not None for posture in figure.walk.postures]
    for k in close.tolist():
        event = int(found.event[k])
        if crossed[event] or crossed[event - 1] or event in figure.walk.between:
            continue
        way = int(right_from[k]), int(right_to[k]), int(left_from[k]), int(left_to[k])
        if not _on_one_piece(figure, way):
            ways.setdefault(way, []).append(k)
    for one, rows in ways.items():
        yield _near_miss(figure, one, rows)


def _near_miss(figure: Figure, way: _Way, rows: Sequence[int]) -> Finding:
    found, movers = figure.walk.passing, figure.walk.movers
    assert found is not None
    shift = len(movers) - len(found.clearance)
    worst = min(rows, key=lambda k: found.clearance[k])
    indices = [movers[k + shift] for k in rows]
    index = movers[worst + shift]
    over = RIGHT if found.right_over[worst] else LEFT
    names = [*figure.table.names, None]

    def goes(hand: str, start: int, end: int) -> Message:
        return sentences.goes(SIDES[hand], start == end or start < 0, figure.name(names[end]))

    pace = max((p for i in indices if (p := figure.walk.pace[i]) is not None), default=0.0)
    hurried = pace > HURRIED_PACE
    where = figure.at(index)
    if place(figure.strokes[index].beat).startswith("after"):
        where = message("the stroke {where}", where=where)
    sentence = sentences.near_miss(
        where, part_words(int(found.parts[worst])), float(found.clearance[worst]),
        (goes(RIGHT, way[0], way[1]), goes(LEFT, way[2], way[3])), len(rows), hurried,
        SIDES[over], SIDES[other_hand(over)],
    )  # fmt: skip
    return finding("near-miss", indices, figure.strokes[index].limb, caution_if(hurried), sentence, over=over)


def _on_one_piece(figure: Figure, way: _Way) -> bool:
    """Whether both hands end at one piece: two sticks there are no near miss."""
    right, left = (figure.table.names[k] if k >= 0 else "" for k in (way[1], way[3]))
    return piece_of(right) == piece_of(left)
