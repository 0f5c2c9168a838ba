"""What it costs, at the least, that the arms pass each other closely on the way to each moment.

While one hand strikes, the other is on a way of its own whose end comes later. So a way is known only with the strike
that ends it, and everything that happened meanwhile is paid for there. What a state does not know of it, and what
happens on longer ways than these, is left to the analysis: it is never less than nothing.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Any, Final, NamedTuple

import numpy as np

from deft_reach.core.motion.clearance import Gaps, Hand, gaps_of, tightest
from deft_reach.core.motion.cost import CostTerms
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.sequence import Flags, Ints
from deft_reach.core.motion.timing import ACCENT_LEVEL, PLAIN_LEVEL
from deft_reach.core.search.planner.moments import OPTIONS, Moments, Rounds
from deft_reach.core.search.planner.past import Past

#: In figures of up to so many moments ways of up to so many are looked at, in longer ones of OTHERWISE.
LONGEST: Final = ((32, 6), (96, 4))
OTHERWISE: Final = 3
#: The other hand's strike before a way begins is looked for so many moments back; it may be further back, or none.
BACK: Final = 2
FURTHER: Final = BACK + 1
#: So far back (moments) it is looked whether both hands may have been on one voice.
SHARED_WITHIN: Final = 16


class _Place(NamedTuple):
    """Rows of the table that some looks count for: side, moments, option at the end, how many moments the way is
    long, option at its beginning, how long before that the other hand struck (or FURTHER), and the option there.
    """

    side: int
    moments: Ints
    option: int
    length: int
    begun: int
    back: int
    option_back: int


#: One hand's gap, a row each: the voices it comes from and goes to, each after where its partner was then, the level
#: it strikes with, and when the gap begins and ends (whole notes; infinite where the hand rests).
_Gap = tuple[Ints, Ints, Ints, Ints, Ints, Floats, Floats]


class _Looks(NamedTuple):
    """What the arms do between two moments: the side whose way it is, the gaps of that hand and of the other one, and
    the times of the two moments (whole notes).
    """

    side: int
    mine: _Gap
    others: _Gap
    before: Floats
    now: Floats


class Passings:
    """Close passing by (moment, option, state)."""

    def __init__(self, moments: Moments, table: ReachTable, terms: CostTerms, length: float | None) -> None:
        self.moments, self.table, self.terms, self.length = moments, table, terms, length
        self.n, self.loop = len(moments), length is not None
        self.longest = next((way for most, way in LONGEST if self.n <= most), OTHERWISE)
        m = moments
        self.possible = bool(
            self.n > 1 and terms.weights.squeeze and m.exact and not m.graces.any() and not m.marked and table.names
        )
        shape = (2, self.n + 1, OPTIONS, self.longest + 1, OPTIONS, FURTHER + 1, OPTIONS)
        self.costs = np.zeros(shape)
        if not self.possible:
            return
        self.rounds = Rounds(m, length, self.longest + BACK)
        struck = m.valid[:, :, None] & (m.strikes > 0) & (m.voice >= 0)
        self.struck = struck
        accents = bool((struck & (m.level == ACCENT_LEVEL)).any())
        self.high_from = ACCENT_LEVEL if accents else PLAIN_LEVEL
        #: The option of each moment in which a side strikes alone, −1 if none.
        self.lone = np.full((2, self.n), -1)
        for side in (0, 1):
            for o in range(OPTIONS):
                self.lone[side][struck[:, o, side] & (m.strikes[:, o, 1 - side] == 0)] = o
        self._look_at_all()

    # --- which looks there are --------------------------------------------------------------------------------

    def _look_at_all(self) -> None:
        places: list[tuple[_Place, list[int]]] = []
        looks: list[_Looks] = []
        for place, variants in self._ways():
            places.append((place, [len(looks) + k for k in range(len(variants))]))
            looks += variants
        if not looks:
            return
        costs = self._costs(looks)
        for place, numbers in places:
            side, moments, o, r, o0, back, option_back = place
            least = np.min([costs[k] for k in numbers], axis=0)
            self.costs[side, moments, o, r, o0, back, option_back] += least

    def _ways(self) -> Iterator[tuple[_Place, list[_Looks]]]:
        """Every stretch between two moments of every way, with the looks of which the least counts."""
        for side in (0, 1):
            for o in range(OPTIONS):
                for r in range(2, self.longest + 1):
                    for o0 in range(OPTIONS):
                        for back in range(FURTHER + 1):
                            for option_back in range(OPTIONS) if 0 < back < FURTHER else (o0,):
                                yield from self._way(side, o, r, o0, back, option_back)

    def _way(
        self, side: int, o: int, r: int, o0: int, back: int, option_back: int
    ) -> Iterator[tuple[_Place, list[_Looks]]]:
        # Long: one case after the other, over the same states.
        m, other = self.moments, 1 - side
        # What is played once may end with a hand at rest.
        e = np.arange(self.n if self.loop or o else self.n + 1)
        further = back == FURTHER
        back = 0 if further else back
        s, b = self.rounds.at(e - r)[0], self.rounds.at(e - r - back)[0]
        here = np.minimum(e, self.n - 1)
        fits = self.struck[s, o0, side] & (self.loop | (e - r - back >= 0))
        fits &= (e == self.n) | self.struck[here, o, side]
        fits &= self.struck[s, o0, other] == (back == 0 and not further)
        if not further:
            fits &= self.struck[b, option_back, other]
        for i in range(1, r):
            fits &= self.lone[other][self.rounds.at(e - r + i)[0]] >= 0
        for i in range(1, back):
            fits &= self.lone[side][self.rounds.at(e - r - back + i)[0]] >= 0
        e = e[fits]
        if not len(e):
            return
        place = _Place(side, e, o, r, o0, FURTHER if further else back, 0 if further else option_back)
        (s, s_time), (b, b_time), here = self.rounds.at(e - r), self.rounds.at(e - r - back), here[fits]
        ends, time = e == self.n, self.rounds.at(np.minimum(e, self.n - 1))[1]
        began = m.voice[s, o0, side]
        # The other hand's strikes: before the way, and one a moment while it lasts.
        voices, levels, times = [m.voice[b, option_back, other]], [m.level[b, option_back, other]], [b_time]
        for i in range(1, r):
            at, then = self.rounds.at(e - r + i)
            voices.append(m.voice[at, self.lone[other][at], other])
            levels.append(m.level[at, self.lone[other][at], other])
            times.append(then)
        both = ~ends & self.struck[here, o, other]
        partner = np.where(both, m.voice[here, o, other], voices[-1])
        # Where the other hand was when the way began matters only if it was on the same voice.
        starts = self._partners(other, s, o0, began) if further else [voices[0]]
        ways: list[_Gap] = [
            (
                began, start, np.where(ends, began, m.voice[here, o, side]), np.where(ends, start, partner),
                np.where(ends, PLAIN_LEVEL, m.level[here, o, side]), s_time, np.where(ends, np.inf, time),
            )
            for start in starts
        ]  # fmt: skip
        for i in range(2 if further else 1, r):
            # Where this hand was when the other one struck before the way is not always known.
            partners = self._partners(side, b, option_back, voices[0]) if i == 1 and back else [began]
            yield place, [
                _Looks(
                    side, mine, (voices[i - 1], was, voices[i], began, levels[i], times[i - 1], times[i]),
                    s_time if i == 1 else times[i - 1], times[i],
                )
                for mine in ways
                for was in partners
            ]  # fmt: skip
        if both.any():
            others: _Gap = (
                voices[-1], began, partner, m.voice[here, o, side], m.level[here, o, other], times[-1], time,
            )  # fmt: skip
            rest = _rows(others, both), times[-1][both], time[both]
            yield place._replace(moments=e[both]), [_Looks(side, _rows(mine, both), *rest) for mine in ways]

    def _partners(self, side: int, at: Ints, option: int, voice: Ints) -> list[Ints]:
        """Where a side may have been when the other hand struck ``voice`` at some moments: as far as it matters, on
        that voice as well or not.
        """
        struck = self.struck[at, option, side]
        mine = self.moments.voice[at, option, side]
        found = [np.where(struck, mine, -1)]
        for k in range(1, SHARED_WITHIN + 1):
            there = (at - k) % self.n
            same = self.struck[there, :, side] & (self.moments.voice[there, :, side] == voice[:, None])
            if (same.any(axis=1) & ~struck).any():
                return [*found, np.where(struck, mine, voice)]
        return found

    # --- looking ----------------------------------------------------------------------------------------------

    def _costs(self, looks: list[_Looks]) -> list[Floats]:
        sizes = np.cumsum([0, *(len(look.now) for look in looks)]).tolist()
        side = np.repeat([look.side for look in looks], np.diff(sizes))
        mine, others = (
            [np.concatenate(column) for column in zip(*rows)]
            for rows in ([look.mine for look in looks], [look.others for look in looks])
        )
        before, now = np.concatenate([look.before for look in looks]), np.concatenate([look.now for look in looks])
        gaps = [self._gaps([np.where(side == k, a, b) for a, b in zip(mine, others)], k) for k in (0, 1)]
        every = np.arange(len(now))
        passed = tightest(self.table, gaps, [every, every], before, now, np.ones(len(now), dtype=bool))
        if passed is None:
            return [np.zeros(b - a) for a, b in pairwise(sizes)]
        found = self.terms.squeeze(passed[0])
        return [found[a:b] for a, b in pairwise(sizes)]

    def _gaps(self, rows: list[Floats], side: int) -> Gaps:
        """A hand's gaps: each with the strike it begins with and the one it leads to."""
        was, was_partner, voice, partner, level, start, end = rows

        def pairs(first: Any, second: Any) -> Ints:
            return np.stack([first, second], axis=1).ravel().astype(np.intp)

        mine, theirs = pairs(was, voice), pairs(was_partner, partner)
        count = len(was)
        levels = pairs(level, level)
        hand = Hand(
            pairs(was, was), mine, *((mine, theirs) if side == 0 else (theirs, mine)), np.zeros_like(mine), levels,
            levels >= self.high_from, pairs(np.full(count, -1), 2 * np.arange(count)), start, end,
            2 * np.arange(count) + 1, np.isinf(end), np.arange(count),
        )  # fmt: skip
        return gaps_of(hand, self.table, side)

    # --- costs ------------------------------------------------------------------------------------------------

    def cost(self, o: int, past: Past) -> Floats:
        """What an option of every moment has to pay for close passing, from every state.

        Shape (moments, states).
        """
        found = np.zeros((self.n, past.size))
        if self.possible:
            e = np.arange(self.n)[:, None]
            for side in (0, 1):
                struck = self.struck[:, o, side]
                if struck.any():
                    found += np.where(struck[:, None], self._known(e, o, side, past), 0.0)
        return found

    def ending(self, past: Past) -> Floats:
        """What is still to pay once nothing comes any more.

        Shape (states,).
        """
        found = np.zeros(past.size)
        if self.possible and not self.loop:
            for side in (0, 1):
                found += self._known(np.full((1, 1), self.n), 0, side, past)[0]
        return found

    def _known(self, e: Ints, o: int, side: int, past: Past) -> Floats:
        at = e[:, 0]
        depth, elder = past.depth[side][at], past.elder[side][at]
        known = (depth >= 2) & (depth <= self.longest)
        near = known & (elder > 0) & (elder - depth <= BACK)
        row = (
            side, e, o, np.where(known, depth, 0), past.option[side][at],
            np.where(near, elder - depth, FURTHER), np.where(near, past.elder_option[side][at], 0),
        )  # fmt: skip
        return np.where(known, self.costs[row], 0.0)


def _rows(gap: _Gap, chosen: Flags) -> _Gap:
    was, was_partner, voice, partner, level, start, end = gap
    return (
        was[chosen], was_partner[chosen], voice[chosen], partner[chosen], level[chosen], start[chosen], end[chosen],
    )  # fmt: skip
