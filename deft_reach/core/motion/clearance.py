"""How close the two arms and sticks come between strikes: capsules round upper arms, forearms and sticks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, NamedTuple

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.crossing import EITHER_MM, Crossings, crossings
from deft_reach.core.motion.entering import decide
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.paths import TAP_MM, arms_at, lift_height, tip_at
from deft_reach.core.motion.pose import SHARED_VOICE_MM, Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.sequence import Flags, Follow, Ints
from deft_reach.core.motion.stroke_types import starts_high

#: Radii in mm of upper arm, forearm with hand, and stick. From memory: a slim adult's arms, a stick of 14 mm.
RADII: Final = (42.0, 32.0, 7.0)
PARTS: Final = ("upper arm", "forearm", "stick")
#: Looked at so often between two moments in which hands strike.
LOOKS: Final = 5
#: A hand that moves less than this between two strikes (mm) stays.
GOING_MM: Final = 60.0
#: A hand that is under the other one's arm takes its tip no higher than this below it (mm).
UNDER_MM: Final = 70.0


def segment_distances(right: Floats, left: Floats) -> Floats:
    """Shortest distances (3, 3, n) between the segments of n pairs of chains, joints (4, 3, n) each; mm in, mm out.

    The closest points by clamping, as in Ericson, *Real-Time Collision Detection* (2005), 5.1.9; from memory.
    """
    d, e = right[1:] - right[:-1], left[1:] - left[:-1]
    p, q = right[:3], left[:3]
    a, f = _dot(d, d)[:, None], _dot(e, e)[None]
    b = _all_dots(d, e)
    # With r = p − q between the beginnings of the segments.
    c = _dot(d, p)[:, None] - _all_dots(d, q)
    g = _all_dots(p, e) - _dot(e, q)[None]
    apart = _dot(p, p)[:, None] + _dot(q, q)[None] - 2.0 * _all_dots(p, q)
    lie = a * f - b * b
    s = np.where(lie > 1e-9 * a * f, (b * g - c * f) / np.maximum(lie, 1e-12), 0.0)
    np.clip(s, 0.0, 1.0, out=s)
    t = (b * s + g) / f
    s = np.where(t < 0, -c / a, np.where(t > 1, (b - c) / a, s))
    np.clip(s, 0.0, 1.0, out=s)
    np.clip(t, 0.0, 1.0, out=t)
    square = apart + s * (s * a + 2.0 * c) + t * (t * f - 2.0 * (g + s * b))
    return np.asarray(np.sqrt(np.maximum(square, 0.0)))


def _dot(a: Floats, b: Floats) -> Any:
    return a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1] + a[:, 2] * b[:, 2]


def _all_dots(a: Floats, b: Floats) -> Any:
    return a[:, None, 0] * b[None, :, 0] + a[:, None, 1] * b[None, :, 1] + a[:, None, 2] * b[None, :, 2]


_RADII_OF_PAIRS: Final = (np.array(RADII)[:, None] + np.array(RADII)[None, :]).reshape(9, 1)


def arm_clearances(right: Floats, left: Floats) -> tuple[Floats, Ints]:
    """Clearances (n,) of pairs of arms (n, 4, 3): the least distance of their surfaces, mm, negative where they would
    be inside each other; and which parts these are (n,), the right one's number in PARTS times 3 and the left one's.
    """
    r, s = (np.ascontiguousarray(arm.transpose(1, 2, 0)) for arm in (right, left))
    gaps = segment_distances(r, s).reshape(9, -1) - _RADII_OF_PAIRS
    nearest = gaps.argmin(axis=0)
    # A mirrored pair is the same to the last bit of what matters: a thousandth of a micrometre does not.
    return np.round(np.take_along_axis(gaps, nearest[None], axis=0)[0], 6), nearest


@dataclass(frozen=True)
class Passing:
    """How close the arms come on the way to each moment in which a hand strikes, one row a moment.

    ``event`` is the number of the moment among the pattern's events, ``clearance`` in mm (NaN where no hand goes
    anywhere, or one has not struck yet), ``parts`` as from arm_clearances, ``right_over`` whether
    the right arm is the higher one there. ``right`` and ``left`` are the voices each hand comes from and goes to, as
    numbers of the reach table.
    """

    event: Ints
    clearance: Floats
    parts: Ints
    right_over: Flags
    right: tuple[Ints, Ints]
    left: tuple[Ints, Ints]
    #: By row how the arms cross on the way, and the side whose move makes it.
    crosses: Mapping[int, tuple[Cross, int]] = field(default_factory=dict)


@dataclass(frozen=True)
class Gaps:
    """The gaps of one hand between its strikes, in the order of time; times in whole notes.

    The last one is a loop's first come round again, or a rest where the hand struck last. ``start`` is NaN where
    the hand has not struck before. ``tips`` (2, n, 3) are where it comes from and goes to, in mm.
    """

    start: Floats
    end: Floats
    was: Ints
    voice: Ints
    tips: Floats
    height: Floats

    def at(self, time: Floats) -> Ints:
        """The gap that each time falls into.

        Times (n,) in whole notes; gaps (n,).
        """
        return _gap_at(self.end, time)


class Hand(NamedTuple):
    """One hand's strikes and gaps as far as they do not depend on where things stand.

    A row a strike: the voices it comes from and goes to, those of the right and the left hand then, which one the
    player lets go over (1 right, −1 left, 0 nothing said), how high it is
    taken from and whether from high up, and the strike before it (−1: none). A row a gap: its times, the strike it
    leads to, and whether it is a rest after that one. ``k`` is the gap of each moment.
    """

    was: Ints
    voice: Ints
    right: Ints
    left: Ints
    chosen: Ints
    level: Ints
    high: Flags
    before: Ints
    start: Floats
    end: Floats
    strike: Ints
    rests: Flags
    k: Ints


class Ways(NamedTuple):
    """What passes what, as far as it does not depend on where things stand: by moment its event, the time of the one
    before and its own (whole notes), and whether both hands have struck by then; and either hand.
    """

    events: Ints
    before: Floats
    times: Floats
    known: Flags
    hands: tuple[Hand, Hand]


@derived
def ways_of(pattern: Pattern, names: tuple[str, ...], repeat: bool) -> Ways | None:
    """A pattern's ways; None where one hand does nothing. ``names`` are the voices that the kit has."""
    followed = follow(pattern, names, repeat)
    hands = [_hand(pattern, followed, repeat, side) for side in (0, 1)]
    if not all(len(hand.end) for hand in hands):
        return None
    times = followed.moment_times
    if repeat:
        before = np.concatenate([times[-1:] - float(pattern.length), times[:-1]])
        events = followed.moment_events
    else:
        before, times, events = times[:-1], times[1:], followed.moment_events[1:]
    # Between two moments no hand strikes, so each is in one gap all the way.
    middle = (before + times) / 2
    right, left = (hand._replace(k=_gap_at(hand.end, middle)) for hand in hands)
    known = ~np.isnan(right.start[right.k]) & ~np.isnan(left.start[left.k])
    return Ways(events, before, times, known, (right, left))


def join_ways(rows: Sequence[Ways]) -> Ways:
    """Several patterns' ways as one; events are each pattern's own."""
    hands = []
    for side in (0, 1):
        mine = [ways.hands[side] for ways in rows]
        strikes = np.cumsum([0, *(len(hand.was) for hand in mine)])
        gaps = np.cumsum([0, *(len(hand.end) for hand in mine)])
        moved = [
            hand._replace(
                before=np.where(hand.before >= 0, hand.before + n, -1), strike=hand.strike + n, k=hand.k + m
            )
            for hand, n, m in zip(mine, strikes.tolist(), gaps.tolist())
        ]
        hands.append(Hand(*(np.concatenate(column) for column in zip(*moved))))
    columns = [np.concatenate(column) for column in zip(*(ways[:4] for ways in rows))]
    return Ways(columns[0], columns[1], columns[2], columns[3], (hands[0], hands[1]))


def _gap_at(end: Floats, time: Floats) -> Ints:
    return np.asarray(np.minimum(np.searchsorted(end, time, side="left"), len(end) - 1))


def _hand(pattern: Pattern, followed: Follow, repeat: bool, side: int) -> Hand:
    h = followed.hands
    mine = h.side == side
    index, was, voice = h.index[mine], h.was[mine], h.voice[mine]
    end, gap, level = np.array(pattern.starts)[index], h.gap[mine], h.level[mine]
    # Strokes on nothing go nowhere; of two at once the last one counts.
    kept = voice >= 0
    if len(end) > 1:
        kept[:-1] &= end[1:] > end[:-1]
    index, was, voice, end, gap, level = (x[kept] for x in (index, was, voice, end, gap, level))
    events = followed.event_of[index]
    start = np.where(was >= 0, end - gap, np.nan)
    n = len(index)
    strike, before = np.arange(n), np.arange(n) - 1
    rests = np.zeros(n, dtype=bool)
    if n and repeat:
        # Round again: the first one once more, and it comes from the last.
        before[0] = n - 1
        length = float(pattern.length)
        start, end = np.append(start, start[0] + length), np.append(end, end[0] + length)
        strike, rests = np.append(strike, 0), np.append(rests, False)
    elif n:
        start, end = np.append(start, end[-1]), np.append(end, np.inf)
        strike, rests = np.append(strike, n - 1), np.append(rests, True)
    chosen = followed.postures.chosen[np.searchsorted(followed.moment_events, events)]
    return Hand(
        was, voice, followed.event_right[events], followed.event_left[events], chosen, level,
        starts_high(pattern)[index], before, start, end, strike, rests, np.zeros(0, dtype=np.intp),
    )  # fmt: skip


def gaps_of(hand: Hand, table: ReachTable, side: int) -> Gaps:
    """A hand's gaps with where things stand."""
    height = lift_height(hand.level, hand.high, table.distances[hand.was, hand.voice])
    clear = table.clearances[hand.right, hand.left]
    over = np.where(hand.chosen == 0, table.right_over[hand.right, hand.left], hand.chosen > 0)
    under = ~np.isnan(clear) & (over if side else ~over)
    if under.any():
        height = np.where(under, np.minimum(height, np.maximum(25.0, clear - UNDER_MM)), height)
    shared = np.where(hand.right == hand.left, SHARED_VOICE_MM * (1 - 2 * side), 0.0)
    tips = np.stack([table.tips[np.maximum(hand.was, 0)], table.tips[hand.voice]])
    tips[1, :, 0] += shared
    tips[0, :, 0] += np.where(hand.before >= 0, shared[hand.before], 0.0)
    tips = tips[:, hand.strike]
    tips[0, hand.rests] = tips[1, hand.rests]
    height = np.where(hand.rests, TAP_MM, height[hand.strike])
    voice = hand.voice[hand.strike]
    return Gaps(hand.start, hand.end, np.where(hand.rests, voice, hand.was[hand.strike]), voice, tips, height)


def hand_gaps(pattern: Pattern, table: ReachTable, repeat: bool) -> list[Gaps]:
    """The right and the left hand's gaps."""
    followed = follow(pattern, table.names, repeat)
    return [gaps_of(_hand(pattern, followed, repeat, side), table, side) for side in (0, 1)]


@np.errstate(invalid="ignore")
def way_at(gaps: Gaps, k: Ints, time: Floats, travel: str) -> tuple[Floats, Floats]:
    """Where a tip is in the gaps ``k`` (n,) at the times (n,): on its way (n, 3), and how high above it (n,).

    NaN where the hand has not struck yet.
    """
    start, end = gaps.start[k], gaps.end[k]
    resting = np.isinf(end)
    u = np.where(resting, np.minimum(0.6, (time - start) * 4), (time - start) / np.where(resting, 1.0, end - start))
    way, above = tip_at(u, gaps.tips[0, k], gaps.tips[1, k], gaps.height[k], travel)
    way[np.isnan(u)] = np.nan
    return way, above


def passing(pattern: Pattern, table: ReachTable, repeat: bool, travel: str = "early") -> Passing | None:
    """How close the arms come on the way to each moment; None where nothing passes anything."""
    ways = ways_of(pattern, table.names, repeat)
    return None if ways is None else pass_by(ways, table, travel)


class _Look(NamedTuple):
    """What is seen on one way: see ``_look``."""

    clearance: float
    parts: int
    right_over: bool
    cross: Cross | None
    side: int


_UNCROSSED: Final[tuple[Cross | None, int]] = (None, 0)


@derived
def _seen(table: ReachTable, travel: str) -> dict[bytes, _Look]:
    """What has been looked at already, by the way. Entries are only ever added."""
    return {}


@np.errstate(invalid="ignore")
def pass_by(ways: Ways, table: ReachTable, travel: str = "early") -> Passing | None:
    """How close the arms come on the way to each moment of some ways; None where nothing passes anything."""
    gaps = [gaps_of(hand, table, side) for side, hand in enumerate(ways.hands)]
    k = [hand.k for hand in ways.hands]
    found = tightest(table, gaps, k, ways.before, ways.times, ways.known, travel)
    if found is None:
        return None
    clearance, parts, over, crosses = found
    return Passing(
        ways.events, clearance, parts, over,
        (gaps[0].was[k[0]], gaps[0].voice[k[0]]), (gaps[1].was[k[1]], gaps[1].voice[k[1]]), crosses,
    )  # fmt: skip


@np.errstate(invalid="ignore")
def tightest(
    table: ReachTable, gaps: Sequence[Gaps], k: Sequence[Ints], before: Floats, times: Floats, known: Flags,
    travel: str = "early",
) -> tuple[Floats, Ints, Flags, dict[int, tuple[Cross, int]]] | None:  # fmt: skip
    """How close the arms come between ``before`` and ``times`` (whole notes, (n,)), the right hand in its gaps
    ``k[0]`` (n,) and the left in ``k[1]``: clearance in mm, parts, whether right is over, and crossings, as in
    Passing.

    NaN where it is not ``known`` or neither hand goes anywhere; None where that is so everywhere.
    """
    going = np.zeros(len(times), dtype=bool)
    rows = [(times - before)[:, None]]
    for g, mine in zip(gaps, k):
        tips = g.tips[:, mine]
        going |= ((tips[1] - tips[0]) ** 2).sum(axis=1) > GOING_MM**2
        rows += [
            tips[0],
            tips[1],
            g.height[mine, None],
            (g.start[mine] - before)[:, None],
            (g.end[mine] - before)[:, None],
        ]
    seen = np.flatnonzero(going & known)
    if not len(seen):
        return None
    # What has been looked at once need not be looked at again: figures repeat, and an edit changes little.
    keys = [row.tobytes() for row in np.round(np.concatenate(rows, axis=1)[seen], 9)]
    kept = _seen(table, travel)
    new = {key: n for n, key in zip(seen.tolist(), keys) if key not in kept}
    if new:
        at = np.array(list(new.values()))
        kept.update(zip(new, _look(table, gaps, [mine[at] for mine in k], before[at], times[at], travel)))
    clearance, parts, over = (
        np.full(len(times), np.nan),
        np.zeros(len(times), dtype=np.intp),
        np.zeros(len(times), dtype=bool),
    )
    found = [kept[key] for key in keys]
    clearance[seen], parts[seen], over[seen] = (np.array(column) for column in list(zip(*found))[:3])
    crosses = {n: (look.cross, look.side) for n, look in zip(seen.tolist(), found) if look.cross is not None}
    return clearance, parts, over, crosses


def _look(
    table: ReachTable, gaps: Sequence[Gaps], k: Sequence[Ints], before: Floats, times: Floats, travel: str
) -> list[_Look]:
    """The tightest clearance on the way to each of some moments, between which parts, and whether right is over; and
    how the arms cross on it.
    """
    m = len(times)
    part = (np.arange(LOOKS) + 0.5) / LOOKS
    look = (before[:, None] + part[None, :] * (times - before)[:, None]).ravel()
    (right, right_above), (left, left_above) = (
        way_at(g, np.repeat(mine, LOOKS), look, travel) for g, mine in zip(gaps, k)
    )
    n = len(look)
    arms = arms_at(table.player, right, left, (right_above, left_above))
    clearance, parts = arm_clearances(*arms)
    heights = np.concatenate([joints[:, 1, 2] + joints[:, 2, 2] + joints[:, 3, 2] for joints in arms])
    at = np.arange(m) * LOOKS + clearance.reshape(m, LOOKS).argmin(axis=1)
    crossed = [_UNCROSSED] * m
    met = crossings(arms[0], arms[1])
    ways = np.flatnonzero(met.crossed.reshape(m, LOOKS).any(axis=1))
    if len(ways):
        start = [way_at(g, mine[ways], before[ways], travel) for g, mine in zip(gaps, k)]
        begun = arms_at(table.player, start[0][0], start[1][0], (start[0][1], start[1][1]))
        for way, cross in zip(ways.tolist(), _crossed(met, ways, arms, begun, table.stronger_side)):
            crossed[way] = cross
    rows = zip(clearance[at].tolist(), parts[at].tolist(), (heights[at] >= heights[n + at]).tolist(), crossed)
    return [_Look(clear, part, high, *cross) for clear, part, high, cross in rows]


def _crossed(
    met: Crossings, ways: Ints, arms: Sequence[Floats], begun: Sequence[Floats], lead: int
) -> Iterator[tuple[Cross | None, int]]:
    """How the arms cross where they are closest, and the side whose move makes it, for each of some ``ways`` (n,).

    Each was looked at LOOKS times; ``arms`` are the arms at every look and ``begun`` those at the
    beginning of each of the ways.
    """
    rows = ways[:, None] * LOOKS
    tightest = rows[:, 0] + met.clearance.reshape(-1, LOOKS)[ways].argmin(axis=1)
    first = rows[:, 0] + met.crossed.reshape(-1, LOOKS)[ways].argmax(axis=1)
    (right, left), (from_right, from_left) = arms, begun
    alone = np.stack([crossings(right[first], from_left).crossed, crossings(from_right, left[first]).crossed])
    gone = [np.sqrt(((arm[first, 3] - start[:, 3]) ** 2).sum(axis=1)) for arm, start in zip(arms, begun)]
    for k, side in zip(tightest.tolist(), decide(np.stack(gone), alone, lead).tolist()):
        clear = float(met.clearance[k])
        over = RIGHT if met.over[k] > 0 else LEFT
        place = (float(met.place[k, 0]), float(met.place[k, 1]))
        yield Cross(over, clear, place, clear < EITHER_MM), side


def part_words(parts: int) -> tuple[str, str]:
    """The right and the left part that come close, in words."""
    return PARTS[parts // 3], PARTS[parts % 3]
