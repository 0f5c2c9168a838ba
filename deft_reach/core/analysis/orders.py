"""Orders of hands that are practised, and where a figure leaves them.

Players learn orders of hands whole: hand to hand, doubles, paradiddles, a right and two lefts. A line of hands that
strike alone is heard as a row of such orders; each is taken up in any place of it and goes on as long as the hands
do. To take up another one is a *break*, which costs one; orders that are practised less cost a little at every
stroke. The cheapest hearing is found exactly (Viterbi, IEEE Trans. Inf. Theory 13, 1967).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import EITHER, FEET, HANDS, LEFT, RIGHT, other_hand
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.columns import surface_of
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import Flags, Ints

#: Orders that are practised, and what each costs at every stroke: nothing hand to hand. They hold for either hand.
#: Common practice.
PRACTISED: Final = {
    "RL": 0.0, "RRLL": 0.06, "RLRRLRLL": 0.08, "RLRLRRLRLRLL": 0.1, "RLRRLL": 0.1, "RLLRRL": 0.1, "RLL": 0.1,
    "RLR": 0.1, "RRL": 0.1, "R": 0.1, "RRLLRLLRRL": 0.1, "RLLR": 0.12, "RRLR": 0.12,
}  # fmt: skip
SINGLES: Final = "RL"
DOUBLES: Final = frozenset({"RRLL", "RRLLRLLRRL", "RLLR", "RRLR"})
ONE_HAND: Final = frozenset({"R"})
#: To take up another order, and to take one up elsewhere than at its beginning.
BREAK, INSIDE = 1.0, 0.2
#: Strokes further apart than this (seconds) do not belong to one order.
ORDER_GAP: Final = 0.45
#: An order goes on by the grid over so many steps at the most, and gaps are as much off a grid (steps).
MOST_STEPS, OFF_GRID = 4, 0.1
#: A kept surface has so many strokes at the least, and this share of the hands'.
KEPT, KEPT_SHARE = 4, 3 / 8
#: A hand keeps a surface if so much of what is played on it is its own.
KEEPS: Final = 0.8


def mirrored(hands: str) -> str:
    """A word of hands with each exchanged for the other."""
    return "".join(map(other_hand, hands))


class _Places(NamedTuple):
    """Every place of every order, either hand beginning: its hand, the places one to MOST_STEPS before it (steps,
    places), what it costs to be there and to come there, and its order.
    """

    right: Flags
    before: Ints
    here: Floats
    into: Floats
    order: tuple[str, ...]


def _places() -> _Places:
    right: list[bool] = []
    before: list[int] = []
    here: list[float] = []
    into: list[float] = []
    order: list[str] = []
    for word, cost in PRACTISED.items():
        for line in sorted({word, mirrored(word)}, reverse=True):
            first = len(right)
            for k, hand in enumerate(line):
                right.append(hand == RIGHT)
                before.append(first + (k - 1) % len(line))
                here.append(cost)
                into.append(INSIDE if k and len(line) > 2 else 0.0)
                order.append(word)
    back = [np.array(before)]
    for _ in range(1, MOST_STEPS):
        back.append(back[0][back[-1]])
    return _Places(np.array(right), np.array(back), np.array(here), np.array(into), tuple(order))


_PLACES: Final = _places()


@lru_cache(maxsize=4096)
def heard(line: str, steps: tuple[int, ...] | None = None) -> tuple[tuple[float, ...], tuple[str, ...]]:
    """What every hand of a line of ``R`` and ``L`` costs, and the order it is heard in.

    ``steps`` are the steps of the grid from the stroke before to each: over rests orders go on with their next place,
    or else all of them with the place that the grid has come to, whichever costs less.
    """
    n = len(line)
    if not n or EITHER in line:
        return (0.0,) * n, ("",) * n
    if line[0] == LEFT:
        # A line and its mirror image are heard alike.
        return heard(mirrored(line), steps)
    found = _heard(line, (1,) * n)
    if steps is not None and max(steps) > 1 and sum(found[0]) > 0.0:
        by_grid = _heard(line, steps)
        return min(found, by_grid, key=lambda row: round(sum(row[0]), 9))
    return found


def _heard(line: str, steps: tuple[int, ...]) -> tuple[tuple[float, ...], tuple[str, ...]]:
    n, places = len(line), _PLACES
    came = np.zeros((n, len(places.right)), dtype=bool)
    best_before = [0] * n
    strikes = {hand: np.where(places.right == (hand == RIGHT), places.here, np.inf) for hand in HANDS}
    taken_up = BREAK + places.into
    total = places.into + strikes[line[0]]
    for k in range(1, n):
        best = best_before[k] = int(total.argmin())
        going_on, anew = total[places.before[steps[k] - 1]] - 1e-12, total[best] + taken_up
        np.less(anew, going_on, out=came[k])
        total = np.minimum(going_on, anew)
        total += strikes[line[k]]
    at = int(np.argmin(total))
    costs, orders = [0.0] * n, [""] * n
    for k in range(n - 1, -1, -1):
        costs[k], orders[k] = float(places.here[at]), places.order[at]
        if not k:
            costs[k] += float(places.into[at])
        elif came[k, at]:
            costs[k] += BREAK + float(places.into[at])
            at = best_before[k]
        else:
            at = int(places.before[steps[k] - 1, at])
    return tuple(costs), tuple(orders)


class Line(NamedTuple):
    """Hands that strike alone, one soon after the other: the events, their hands as a word (``?`` is open), and the
    steps of the grid from the stroke before to each.
    """

    events: tuple[int, ...]
    hands: str
    steps: tuple[int, ...]

    @classmethod
    def of(cls, events: Sequence[int], hands: str, times: Sequence[float]) -> Line:
        """A line whose strokes are at some ``times``: its shortest gap is a step of its grid."""
        gaps = np.diff(times)
        step = min(gaps.tolist(), default=1.0)
        steps = np.rint(gaps / step).astype(int)
        fits = (np.abs(gaps / step - steps) < OFF_GRID) & (steps <= MOST_STEPS)
        return cls(tuple(events), hands, (1, *np.where(fits, steps, 1).tolist()))


def lines_of(pattern: Pattern, whole: float, rounds: int = 1, without: Collection[int] = frozenset()) -> list[Line]:
    """The lines of a pattern, ``whole`` a whole note in seconds; with ``rounds`` as often one after the other.

    Feet do not end a line; strokes that are in none (``without``, their numbers) do.
    """
    length = float(pattern.length) * whole
    rows = []
    for k, (event, start) in enumerate(zip(pattern.events, pattern.event_starts)):
        hands = [s for s in event.strokes if s.limb not in FEET]
        if hands:
            alone = len(hands) == 1 and hands[0].index not in without
            rows.append((k, float(start) * whole, hands[0].limb if alone else ""))
    found: list[Line] = []
    events: list[int] = []
    times: list[float] = []
    word, last = "", -ORDER_GAP
    for turn in range(rounds):
        for k, start, hand in rows:
            at = start + turn * length
            if events and (not hand or at - last > ORDER_GAP):
                found.append(Line.of(events, word, times))
                events, times, word = [], [], ""
            last = at
            if hand:
                events.append(k)
                times.append(at)
                word += hand
    if events:
        found.append(Line.of(events, word, times))
    return found


@derived
def kept_strokes(pattern: Pattern, repeat: bool) -> frozenset[int]:
    """The strokes on a kept surface of the hand that keeps it, by their numbers; none where the hands share it."""
    surface = surface_of(pattern, repeat)
    mine = [s for s in pattern.strokes if s.voice == surface and s.limb in HANDS]
    for hand in HANDS:
        found = frozenset(s.index for s in mine if s.limb == hand)
        if mine and len(found) >= KEEPS * len(mine):
            return found
    return frozenset()


@derived
def shared_by_surface(pattern: Pattern) -> bool:
    """Whether the hands share the pieces, one of which is kept: then no order has to be known."""
    hands: dict[str, set[str]] = defaultdict(set)
    counts: Counter[str] = Counter()
    for stroke in pattern.strokes:
        if stroke.limb in HANDS:
            piece = piece_of(stroke.voice)
            hands[piece].add(stroke.limb)
            counts[piece] += 1
    if len(counts) < 2 or any(len(limbs) > 1 for limbs in hands.values()):
        return False
    most = max(counts.values())
    both = set().union(*hands.values()) == {RIGHT, LEFT}
    return both and most >= KEPT and most >= KEPT_SHARE * sum(counts.values())


class Hearing(NamedTuple):
    """How the hands of a pattern are heard, at every event: the order, empty where no hand strikes alone or none has
    to be known, whether another order is taken up there or one elsewhere than at its beginning, and the time since
    the stroke before in the same line (seconds, NaN where there is none).
    """

    order: tuple[str, ...]
    breaks: Flags
    gap: Floats


@derived
def hearing(pattern: Pattern, repeat: bool, whole: float) -> Hearing:
    """How a pattern's hands are heard, ``whole`` a whole note in seconds; a loop in the middle of three rounds."""
    n = len(pattern.events)
    order, breaks, gap = [""] * n, np.zeros(n, dtype=bool), np.full(n, np.nan)
    if shared_by_surface(pattern):
        return Hearing(tuple(order), breaks, gap)
    starts = [float(start) * whole for start in pattern.event_starts]
    length = float(pattern.length) * whole
    kept = kept_strokes(pattern, repeat)
    rows = []
    lines = lines_of(pattern, whole, 3 if repeat else 1, kept)
    for line in lines:
        costs, orders = heard(line.hands, line.steps)
        befores = (None, *line.events)
        for k, (event, cost, word) in enumerate(zip(line.events, costs, orders)):
            before = befores[k]
            time = np.nan if before is None else (starts[event] - starts[before]) % length
            rows.append((event, cost, word, time))
    struck = len(rows) // 3 if repeat else 0
    for event, cost, word, time in rows[struck : 2 * struck or None]:
        order[event], breaks[event], gap[event] = word, cost >= BREAK, time
    for event, cost, word, _ in rows[:1]:
        # A loop begins as its first round does.
        breaks[event] |= bool(word) and cost - PRACTISED[word] > INSIDE / 2
    return Hearing(tuple(order), breaks, gap)
