"""What a figure demands, moment by moment, in drummers' words: speed, stamina, moves, reach, crossing, coordination,
dynamics, graces, rhythm and order.

Every demand is made of *parts*, each a rate a second, or a plain number, at every moment in which something is
struck. What a part weighs for a player, and how all join to one difficulty, is in ``core.analysis.difficulty``.
"""

from __future__ import annotations

import math
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.analysis.orders import hearing
from deft_reach.core.model.derived import derived
from deft_reach.core.model.elements import GRACE_NOTES
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import HANDS, KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM, Floats
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.sequence import Ints
from deft_reach.core.motion.timing import level_factors
from deft_reach.core.motion.walk import Walk

#: The demands, and the parts that each is made of.
DEMAND_KINDS: Final = {
    "speed": ("hand", "foot"),
    "stamina": ("kept up",),
    "moves": ("move",),
    "reach": ("strain",),
    "crossing": ("held",),
    "coordination": ("variety",),
    "dynamics": ("lift",),
    "graces": ("grace",),
    "rhythm": ("division", "across"),
    "order": ("order",),
}
PARTS: Final = tuple(part for parts in DEMAND_KINDS.values() for part in parts)
_AT: Final = {part: k for k, part in enumerate(PARTS)}

#: A hand's rate is kept up over so many gaps.
BACK: Final = 4
#: The kinds of moments are counted over so many of them.
WINDOW: Final = 12
#: The leading hand's own time is so much of the other hand's.
LEADING: Final = 0.5
#: What falls on the beat is looked at over so many beats.
BEATS: Final = 4
#: Moments are taken to be no closer than this (seconds).
LEAST_GAP: Final = 0.02
#: Ways shorter than this (mm) are none.
STAYS_MM: Final = 30.0
#: What a way's length is measured by (mm).
WAY_MM: Final = 150.0
#: Meters that are counted in uneven beats.
UNEVEN_METERS: Final = frozenset({5, 7, 10, 11, 13})
#: The ordinary crossed posture: one hand on the hi-hat, the other on the snare.
ORDINARY: Final = {"hi-hat", "snare"}
#: Coming into another one is so much of a rate of staying there.
ENTERING: Final = 0.17
#: A stroke further above the elbow than this (mm) is reached up for; at FULL_HEIGHT_MM more as far as one can.
HIGH_MM, FULL_HEIGHT_MM = 150.0, 500.0


class Moments(NamedTuple):
    """What is demanded at every moment: the parts' rates (moments, parts), the time since the moment before in
    seconds (moments,), and the player's skill for each (moments, parts). Every event is a moment.
    """

    rates: Floats
    time: Floats
    skill: Floats


def moments_of(pattern: Pattern, walked: Walk, table: ReachTable, whole: float, repeat: bool) -> Moments:
    """The demands of a walked pattern's moments; ``whole`` is a whole note in seconds."""
    # Long: each part in turn.
    n = len(pattern.events)
    player = table.player
    rates, skill = np.zeros((n, len(PARTS))), np.full((n, len(PARTS)), player.skill)
    followed = follow(pattern, table.names, repeat)
    starts = np.array(pattern.event_starts) * whole
    length = float(pattern.length) * whole
    time = np.diff(starts, prepend=starts[-1] - length if repeat and n else starts[:1])
    per_second = np.where(time > 0, 1.0 / np.maximum(time, LEAST_GAP), 0.0)
    event_of = followed.event_of
    h, f = followed.hands, followed.feet
    at = event_of[h.index]
    gap = h.gap * whole
    has = ~np.isnan(gap)
    own = np.array([player.skill_of(hand) for hand in HANDS])
    other = has & (h.side != table.stronger_side)
    weight = np.asarray(level_factors(h.part, h.level, h.level))
    # Where both strike, it is the other hand's time that counts.
    lightened = np.where(other, 1.0, LEADING) * weight / gap
    for mine in (has & ~other, has & other):
        rates[at[mine], _AT["hand"]] = lightened[mine]
        skill[at[mine], _AT["hand"]] = own[h.side[mine]]
    way = np.where(h.voice >= 0, table.distances[h.was, h.voice], 0.0)
    moved = has & (way > STAYS_MM)
    np.add.at(rates[:, _AT["move"]], at[moved], np.log2(way[moved] / WAY_MM + 1.0) / gap[moved])
    skill[:, _AT["move"]] *= player.speeds.moves
    change = (h.level - h.last_level) ** 2
    np.add.at(rates[:, _AT["lift"]], at[has], (change / gap)[has])
    strain = _strains(table)[h.side, h.voice]
    np.add.at(rates[:, _AT["strain"]], at, strain * per_second[at])
    for side in (0, 1):
        mine = np.unique(at[h.side == side])
        kept = _kept_up(starts[mine], length if repeat else None)
        column = _AT["kept up"]
        # Of two hands that are as fast the less skilled one counts.
        faster = (kept > rates[mine, column]) | ((kept == rates[mine, column]) & (own[side] > skill[mine, column]))
        rates[mine[faster], column] = kept[faster]
        skill[mine[faster], column] = own[side]
    feet = ~np.isnan(f.gap)
    np.add.at(rates[:, _AT["foot"]], event_of[f.index[feet]], 1.0 / (f.gap[feet] * whole))
    skill[:, _AT["foot"]] = player.skill_of(KICK)
    for grace in walked.graces:
        count = GRACE_NOTES[pattern.strokes[grace.index].grace]
        rates[event_of[grace.index], _AT["grace"]] += count / grace.gap
    codes = _limb_codes(pattern)
    rates[:, _AT["variety"]] = np.log2(_kinds(codes, repeat, WINDOW)) * per_second
    rates[:, _AT["order"]] = hearing(pattern, repeat, whole).breaks * per_second
    rates[:, _AT["division"]] = _uneven(pattern)
    beats = np.flatnonzero([event.on_beat for event in pattern.events])
    if len(beats):
        rates[beats, _AT["across"]] = np.log2(_kinds(codes[beats], repeat, BEATS)) * per_second[beats]
    kinds = {piece.code: piece.kind for piece in table.kit}
    crossed = [
        posture.cross is not None
        and {kinds.get(piece_of(voice)) for voice in (posture.right or "", posture.left or "")} != ORDINARY
        for posture in walked.postures
    ]
    for k in np.flatnonzero(crossed).tolist():
        # Staying there is what costs thought; coming in is paid for at once.
        stays = (k or repeat) and walked.postures[k - 1].cross is not None
        rates[k, _AT["held"]] = per_second[k] * (1.0 if stays else ENTERING)
    return Moments(rates, time, skill)


def share(pattern: Pattern, model: Pattern) -> None:
    """Spare a pattern working out again what a model knows, where only the hands differ."""
    _uneven.share(pattern, model)


def _kept_up(times: Floats, length: float | None) -> Floats:
    """A limb's rate over its last BACK gaps at each of its times (seconds), 0 where there are not so many; round and
    round in a loop of some ``length``.
    """
    n = len(times)
    if not n or (length is None and n <= BACK):
        return np.zeros(n)
    back = np.arange(n) - BACK
    if length is None:
        found = np.zeros(n)
        found[BACK:] = BACK / np.maximum(times[BACK:] - times[:-BACK], 0.03)
        return found
    before = times[back % n] + (back // n) * length
    return np.asarray(BACK / np.maximum(times - before, 0.03))


@derived
def _limb_codes(pattern: Pattern) -> Ints:
    """Which limbs strike at every event, as a number; the left foot's pedals are one limb."""
    bits = {"R": 1, "L": 2, "K": 4, "J": 8, "H": 8, "?": 16}
    return np.array([sum({bits[s.limb] for s in event.strokes}) for event in pattern.events], dtype=np.intp)


def _kinds(codes: Ints, repeat: bool, window: int) -> Ints:
    """How many different kinds of moments the last ``window`` moments are, at each moment."""
    n = len(codes)
    if not n:
        return np.ones(0, dtype=np.intp)
    lead = min(window - 1, n - 1) if repeat else 0
    rows = np.concatenate([codes[n - lead :], codes])
    following = np.full(len(rows), len(rows) + window)
    for code in np.unique(rows):
        places = np.flatnonzero(rows == code)
        following[places[:-1]] = places[1:]
    now = np.arange(lead, len(rows))
    found = np.zeros(n, dtype=np.intp)
    for j in range(window):
        k = now - j
        found += (k >= 0) & (following[np.maximum(k, 0)] > now)
    return np.maximum(found, 1)


@derived
def _uneven(pattern: Pattern) -> float:
    """1 where the meter is counted in uneven beats or a beat is divided by an odd number other than three, else 0."""
    meters = any(bar.meter[0] in UNEVEN_METERS for bar in pattern.bar_rows)
    return float(meters or any((stroke.beat * 192).denominator != 1 for stroke in pattern.strokes))


@derived
def _strains(table: ReachTable) -> Floats:
    """How much of what an arm can do a strike takes, by side and voice: 0 within comfortable reach and height."""
    found = np.zeros((2, len(table.names) + 1))
    elbow = table.player.resting_elbow_mm
    for k, voice in enumerate(table.names):
        for side, hand in enumerate(HANDS):
            if voice in table.reach[hand]:
                out = min(
                    max(0.0, (table.reach[hand][voice] - COMFORTABLE_REACH[1]) / (1.0 - COMFORTABLE_REACH[1])), 1.0
                )
                up = max(0.0, table.points[voice][2] - elbow - HIGH_MM) / FULL_HEIGHT_MM
                found[side, k] = math.hypot(out, up) + table.lean[hand][voice] / MAX_LEAN_MM
    return found
