"""Kinds of hands: those that a teacher would write first, whatever they cost, and what kind an answer is.

The search by cost finds the cheapest hands, which are seldom an order that anybody practises. So the practised ones
are written down as well: hand to hand, doubles and rolls into their accents, paradiddles, the leading hand first in
every cell, one hand on a kept surface.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import islice, pairwise
from typing import Final

from deft_reach.core.analysis.orders import PRACTISED, hearing, lines_of, mirrored
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import DEFAULT_VOICE, EITHER, FEET, HANDS, RIGHT, other_hand
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.columns import surface_of
from deft_reach.core.search.planner.search import LONG

#: The kinds there are. ``kept`` is the leading hand on the kept surface, ``open`` the other one; ``handed over`` one
#: after the other; ``by pieces`` each hand on pieces of its own; ``mixed`` orders that are taken up and left.
HAND_KINDS: Final = (
    "hand to hand", "doubles", "paradiddle", "leading hand", "one hand", "kept", "open", "handed over", "by pieces",
    "mixed",
)  # fmt: skip
_KIND_OF_ORDER: Final = {
    "RL": "hand to hand", "RRLL": "doubles", "RRLLRLLRRL": "doubles", "RLLR": "doubles", "RRLR": "doubles",
    "RLRRLRLL": "paradiddle", "RLRLRRLRLRLL": "paradiddle", "RLRRLL": "paradiddle", "RLLRRL": "paradiddle",
    "RLL": "leading hand", "RLR": "leading hand", "RRL": "leading hand", "R": "one hand",
}  # fmt: skip
assert set(_KIND_OF_ORDER) == set(PRACTISED)

#: For figures of more moments than LONG so many are written.
FEW: Final = 2
#: A cell ends where the gap to the next stroke is so many times the gap before.
CELL_GAP: Final = 1.4
#: So few strokes between those on a kept surface belong to the other hand.
COMMENT: Final = 2
#: A kind is what so many of the strokes are.
MOSTLY: Final = 0.6
#: Strokes on one piece that make a cell.
RUN: Final = 3

#: Writes the hands of some strokes, one hand's after another's: how many, and with which hand they begin.
Order = Callable[[int, str], str]


def kind_of(pattern: Pattern, repeat: bool, whole: float, lead: str) -> str:
    """The kind of a pattern's hands, one of HAND_KINDS; ``lead`` is the leading hand."""
    surface = surface_of(pattern, repeat)
    on_it = [s.limb for s in pattern.strokes if s.voice == surface and s.limb in HANDS]
    if on_it:
        if len(set(on_it)) == 1:
            return "kept" if on_it[0] == lead else "open"
        turns = sum(a != b for a, b in pairwise(on_it))
        if 4 * turns <= len(on_it):
            return "handed over"
    lines = [line.hands for line in lines_of(pattern, whole) if len(line.hands) > 1]
    if lines and not any(a == b for line in lines for a, b in pairwise(line)):
        return "hand to hand"
    heard = hearing(pattern, repeat, whole)
    if heard.breaks.any():
        return "mixed"
    kinds = Counter(_KIND_OF_ORDER[order] for order in heard.order if order)
    if not kinds:
        return "by pieces"
    kind, count = kinds.most_common(1)[0]
    return kind if count >= MOSTLY * kinds.total() else "mixed"


def written(
    pattern: Pattern, cheapest: Mapping[int, str], repeat: bool, whole: float, lead: str
) -> list[dict[int, str]]:
    """Hands of every kind for a pattern's open strokes, by their numbers; where both hands strike at once as in the
    ``cheapest`` ones. There are fewer for long figures.
    """
    every = _Writer(pattern, cheapest, repeat, whole, lead).all()
    found = {tuple(hands.values()): hands for hands in islice(every, FEW if len(pattern.events) > LONG else None)}
    return list(found.values())


def _word(word: str) -> Order:
    def order(count: int, hand: str) -> str:
        line = (word * (count // len(word) + 1))[:count]
        return line if hand == RIGHT else mirrored(line)

    return order


_hand_to_hand, _doubles = _word("RL"), _word("RRLL")


def _roll(count: int, hand: str) -> str:
    """Doubles that end in a single: five strokes ``RRLLR``, six ``RLLRRL``, seven ``RRLLRRL``."""
    if count % 2:
        return _doubles(count - 1, hand) + (hand if (count - 1) % 4 == 0 else other_hand(hand))
    return hand + _doubles(count - 2, other_hand(hand)) + (other_hand(hand) if count % 4 == 2 else hand)


_PARADIDDLES: Final = tuple(_word(word) for word in ("RLRRLRLL", "RLLRLRRL", "RLRRLL", "RLLRRL", "RLRLRRLRLRLL"))
_LEADING: Final = tuple(_word(word) for word in ("RLL", "RLR", "RRL", "RLRLL", "RLRRL"))


class _Writer:
    """Writes hands for the lines of one pattern."""

    def __init__(self, pattern: Pattern, cheapest: Mapping[int, str], repeat: bool, whole: float, lead: str) -> None:
        self.pattern, self.lead, self.other = pattern, lead, other_hand(lead)
        self.limbs = {s.index: cheapest.get(s.index, s.limb) for s in pattern.strokes}
        self.open = tuple(cheapest)
        self.surface = surface_of(pattern, repeat)
        self.lines = [line.events for line in lines_of(pattern, whole)]
        self.stroke = [next((s.index for s in event.strokes if s.limb not in FEET), -1) for event in pattern.events]
        self.starts = [float(start) for start in pattern.event_starts]

    def all(self) -> Iterator[dict[int, str]]:
        """Hands of every kind, those that are played most first."""
        rows = [(kept, *self._without_surface(kept)) for kept in self._keeping()]
        for _, lines, base in rows:
            yield self._lines(base, lines, _hand_to_hand, self.lead)
        for kept, lines, base in rows:
            if kept is None or lines:
                yield self._lines(base, lines, _hand_to_hand, self.other)
                yield self._lines(base, lines, _doubles, self.lead)
        if self.surface is not None:
            yield self._taken_over()
        for kept, lines, base in rows:
            if kept is None or lines:
                yield from self._others(lines, base)

    def _keeping(self) -> tuple[str | None, ...]:
        """The hand that keeps the surface, None for neither."""
        return (None,) if self.surface is None else (self.lead, None, self.other)

    def _others(self, lines: Sequence[tuple[int, ...]], base: Mapping[int, str]) -> Iterator[dict[int, str]]:
        by_piece, by_beat = self._by_piece(lines), self._by_beat(lines)
        yield self._lines(base, lines, _doubles, self.other)
        for hand in (self.lead, self.other):
            for cells in (self._by_gap(lines), by_piece, by_beat):
                yield self._chained(base, cells, _roll, hand)
                yield self._lines(base, cells, _roll, hand)
                yield self._lines(base, cells, _hand_to_hand, hand)
        for order in _PARADIDDLES:
            yield self._lines(base, lines, order, self.lead)
        for order in _LEADING:
            for cells in (by_piece, by_beat):
                yield self._lines(base, cells, order, self.lead)

    def _without_surface(self, kept: str | None) -> tuple[list[tuple[int, ...]], dict[int, str]]:
        """The lines that are left, and the hands of the other strokes, where a hand keeps the surface."""
        if kept is None:
            return [*self.lines], {}
        base: dict[int, str] = {}
        for event in self.pattern.events:
            mine = [s for s in event.strokes if s.limb not in FEET]
            if any(s.voice == self.surface for s in mine):
                base |= {s.index: kept if s.voice == self.surface else other_hand(kept) for s in mine}
        lines = []
        for line in self.lines:
            left: list[int] = []
            for number in (*line, -1):
                if number >= 0 and self.stroke[number] not in base:
                    left.append(number)
                    continue
                if len(left) <= COMMENT:
                    base |= {self.stroke[k]: other_hand(kept) for k in left}
                else:
                    lines.append(tuple(left))
                left = []
        return lines, base

    def _taken_over(self) -> dict[int, str]:
        """The leading hand keeps the surface and plays what lies away from it; the other hand has the snare, and
        takes the surface over just before and after the leading hand is away.
        """
        struck = [(k, self.pattern.strokes[k]) for k in self.stroke if k >= 0]
        away = [s.voice != self.surface and piece_of(s.voice) != DEFAULT_VOICE[RIGHT] for _, s in struck]
        limbs: dict[int, str] = {}
        for k, (index, stroke) in enumerate(struck):
            near = [j for j in (k - 1, k + 1) if 0 <= j < len(struck)]
            beside = not away[k] and (stroke.voice != self.surface or any(away[j] for j in near))
            limbs[index] = self.other if beside else self.lead
        together = (event for event in self.pattern.events if sum(s.limb not in FEET for s in event.strokes) > 1)
        for stroke in (s for event in together for s in event.strokes):
            limbs.pop(stroke.index, None)
        return self._filled(limbs)

    def _by_gap(self, lines: Sequence[tuple[int, ...]]) -> list[tuple[int, ...]]:
        """Cells: what is played together, and then a longer time."""
        found = []
        for line in lines:
            cell = [line[0]]
            for before, now, after in zip((None, *line), line, line[1:]):
                gap = self.starts[after] - self.starts[now]
                if before is not None and gap > CELL_GAP * (self.starts[now] - self.starts[before]):
                    found.append(tuple(cell))
                    cell = []
                cell.append(after)
            found.append(tuple(cell))
        return found

    def _by_piece(self, lines: Sequence[tuple[int, ...]]) -> list[tuple[int, ...]]:
        """Cells: runs on one piece, where they are RUN strokes or more."""
        return self._cut(lines, lambda k: piece_of(self.pattern.strokes[self.stroke[k]].voice))

    def _by_beat(self, lines: Sequence[tuple[int, ...]]) -> list[tuple[int, ...]]:
        """Cells: groups where there are some, else beats."""
        events = self.pattern.events
        begins = [group.start for group in self.pattern.groups] or [e.start for e in events if e.on_beat]
        return self._cut(lines, lambda k: bisect_right(begins, events[k].start))

    def _cut(self, lines: Sequence[tuple[int, ...]], name: Callable[[int], object]) -> list[tuple[int, ...]]:
        found = []
        for line in lines:
            cell: list[int] = []
            for event in line:
                if cell and name(event) != name(cell[-1]) and len(cell) >= RUN:
                    found.append(tuple(cell))
                    cell = []
                cell.append(event)
            found.append(tuple(cell))
        return found

    def _lines(
        self, base: Mapping[int, str], lines: Sequence[tuple[int, ...]], order: Order, hand: str
    ) -> dict[int, str]:
        """Every line in an order, begun by the same hand."""
        limbs = dict(base)
        for line in lines:
            limbs |= zip((self.stroke[k] for k in line), order(len(line), hand))
        return self._filled(limbs)

    def _chained(
        self, base: Mapping[int, str], cells: Sequence[tuple[int, ...]], order: Order, hand: str
    ) -> dict[int, str]:
        """Every cell in an order, each begun by the hand that did not end the one before."""
        limbs = dict(base)
        for cell in cells:
            hands = order(len(cell), hand)
            limbs |= zip((self.stroke[k] for k in cell), hands)
            hand = other_hand(hands[-1])
        return self._filled(limbs)

    def _filled(self, limbs: Mapping[int, str]) -> dict[int, str]:
        # What no hand can play stays open.
        return {i: EITHER if self.limbs[i] == EITHER else limbs.get(i, self.limbs[i]) for i in self.open}
