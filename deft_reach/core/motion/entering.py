"""Whose move brings the arms across, and in which stroke that move ends.

The arms are looked at at every moment in which a hand strikes. Where they are crossed then and were not at the moment
before, one of the hands has come across: the one that moved meanwhile; where both did, the one without which they
would not be crossed; where that does not tell either, the one that went further.
"""

from __future__ import annotations

from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.sequence import Flags, Follow, Ints

#: A hand that has come less far than this (mm) has stayed.
STAYED_MM: Final = 5.0
#: Neither hand came first: both struck together.
TOGETHER: Final = 2


class Arrival(NamedTuple):
    """A hand, and the index of the stroke in which its move ends: its own, or one whose graces it plays."""

    stroke: int
    hand: str


class Position(NamedTuple):
    """Where a hand is at some moments: the voice it struck last (−1: none), where it goes to (−1: it stays) and how
    much of that way is done.
    """

    voice: Ints
    to: Ints
    done: Floats

    def tips(self, table: ReachTable) -> Floats:
        """Where its tip is, in mm (n, 3); NaN where the hand has not struck yet."""
        to = np.where(self.to >= 0, self.to, self.voice)
        tips: Floats = table.tips[self.voice] + self.done[:, None] * (table.tips[to] - table.tips[self.voice])
        tips = np.array(tips)
        tips[self.voice < 0] = np.nan
        return tips


def positions(followed: Follow, side: int, moments: Ints) -> Position:
    """Where a hand is at each of the ``moments`` (n,); at −1, before the first, it is nowhere."""
    p = followed.postures
    columns = (p.right, p.right_to, p.right_done) if side == 0 else (p.left, p.left_to, p.left_done)
    voice, to, done = (np.where(moments >= 0, column[moments], -1) for column in columns)
    return Position(voice.astype(np.intp), to.astype(np.intp), np.maximum(done, 0.0))


def brought_by(followed: Follow, table: ReachTable, moments: Ints) -> tuple[Ints, Ints]:
    """Whose move makes the crossings that are there at ``moments`` (n,) and were not just before.

    Returns the side of each (n,), TOGETHER where both hands first struck then, and the row of Hands (n,) of the
    stroke in which that move ends; of two that strike together that of the leading hand.
    """
    before = followed.postures.prev[moments]
    now = [positions(followed, side, moments) for side in (0, 1)]
    then = [positions(followed, side, before) for side in (0, 1)]
    new = np.stack([hand.voice < 0 for hand in then])
    gone = np.empty((2, len(moments)))
    for side in (0, 1):
        way = now[side].tips(table) - then[side].tips(table)
        # Before its first stroke a hand waits over it.
        gone[side] = np.where(new[side], 0.0, np.sqrt((way * way).sum(axis=1)))
        still = Position(*(np.where(new[side], a, b) for a, b in zip(now[side], then[side])))
        then[side] = still
    alone = np.stack([_crosses(table, now[0], then[1]), _crosses(table, then[0], now[1])])
    sides = decide(gone, alone, table.stronger_side)
    sides = np.where((gone <= STAYED_MM).all(axis=0), np.where(new.all(axis=0), TOGETHER, new[1]), sides)
    return sides, ends_in(followed, np.where(sides == TOGETHER, table.stronger_side, sides), moments)


def decide(gone: Floats, alone: Flags, lead: int) -> Ints:
    """Whose move it is (n,), from how far each hand has come (2, n) in mm, and whether the arms would be crossed if
    that hand alone had moved (2, n); ``lead`` is the leading side, which is taken where nothing tells.
    """
    moved = gone > STAYED_MM
    further = np.where(gone[1 - lead] > gone[lead], 1 - lead, lead)
    told = np.where(alone[0] != alone[1], np.where(alone[1], 1, 0), further)
    return np.asarray(np.where(moved[0] != moved[1], np.where(moved[1], 1, 0), told))


def _crosses(table: ReachTable, right: Position, left: Position) -> Flags:
    """Whether the arms cross with both hands there."""
    known = np.flatnonzero((right.voice >= 0) & (left.voice >= 0))
    found = np.zeros(len(right.voice), dtype=bool)
    if len(known):
        r, s = (Position(hand.voice[known], hand.to[known], hand.done[known]) for hand in (right, left))
        one = (r.tips(table) - s.tips(table)) ** 2
        apart = one.sum(axis=1) > STAYED_MM**2
        ways = table.crossed_on_the_way(*r, *s)
        found[known] = np.array([cross is not None for cross in ways]) & apart
    return found


def ends_in(followed: Follow, side: Ints, moments: Ints) -> Ints:
    """The row of the stroke in which each hand's move ends, (n,): its own at the moment, or its next one.

    Graces are strokes of the hand that plays them; their row is that of the stroke they belong to.
    """
    p, h = followed.postures, followed.hands
    sides = h.side[p.rows]
    # Graces are played by the hand that does not strike then.
    alone = (np.minimum.reduceat(sides, p.starts) == np.maximum.reduceat(sides, p.starts))[p.moment_of_row]
    graced = alone & h.graced[p.rows]
    found = np.zeros(len(moments), dtype=np.intp)
    for one in (0, 1):
        mine = np.flatnonzero(side == one)
        if not len(mine):
            continue
        strikes = np.flatnonzero((sides == one) | graced)
        at = np.searchsorted(p.moment_of_row[strikes], moments[mine])
        # A loop's next stroke after its last one is its first.
        found[mine] = p.rows[strikes[at % len(strikes)]]
    return found
