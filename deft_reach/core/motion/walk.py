"""Walk through a pattern: how far each limb goes, how long it needs and has, what that costs.

What follows what is settled beforehand (see follow); here are distances, times and costs, for all strokes at once.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property, partial

import numpy as np

from deft_reach.core import cost as price
from deft_reach.core.cost import TERMS, Weights
from deft_reach.core.limbs import HANDS, HAT_FOOT, KICK, RIGHT, SECOND_KICK
from deft_reach.core.motion.clearance import Passing
from deft_reach.core.motion.follow import Flags, Follow, Ints
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.timing import HAND_GRACE, restrike_time, travel_time
from deft_reach.core.pattern import Pattern
from deft_reach.core.report import Posture

_PACE, _REACH, _CROSS, SQUEEZE, _TURN, _LIFT, _LOAD, _SWITCH = range(len(TERMS))


@dataclass
class Walk:
    """What the walk found; the lists have one entry a stroke in index order, units as in StrokeReport.

    ``costs`` (terms, strokes) are the terms in the order of TERMS. ``entered`` maps the stroke that brings the
    arms into a crossed position to the crossing; ``continued`` says that they were crossed already when the round
    began. ``lead`` lists the stroke that leads each beat and ``switches`` those where the lead changes hands.
    """

    gap: list[float | None]
    travel: list[float]
    needed: list[float]
    pace: list[float | None]
    reach: list[float | None]
    came_from: list[str | None]
    run: list[int]
    costs: Floats
    entered: dict[int, Cross] = field(default_factory=dict)
    continued: bool = False
    lead: list[int] = field(default_factory=list)
    switches: list[int] = field(default_factory=list)
    #: Of every moment in which a hand strikes, the stroke of the hand that has the longest way there.
    movers: list[int] = field(default_factory=list)
    #: How close the arms pass on the way to each of them, None where one hand does nothing.
    passing: Passing | None = None
    #: Where the hands are after each event; worked out when first asked for.
    where: Callable[[], list[Posture]] = list

    @cached_property
    def postures(self) -> list[Posture]:
        return self.where()


def squeeze(walked: Walk, found: Passing | None, weights: Weights) -> None:
    """Add what close passing costs to the strokes it leads to."""
    walked.passing = found
    if found is not None:
        movers = np.array(walked.movers)[-len(found.clearance) :]
        walked.costs[SQUEEZE, movers] = weights.squeeze * price.squeeze_cost(found.clearance)


def _or_none(values: Floats) -> list[float | None]:
    return [None if x != x else x for x in values.tolist()]


@np.errstate(invalid="ignore")
def walk(pattern: Pattern, followed: Follow, whole: float, table: ReachTable, weights: Weights) -> Walk:
    """Walk the pattern; ``whole`` is the length of a whole note in seconds."""
    n = followed.count
    gap, pace, reach = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan)
    travel, needed = np.zeros(n), np.zeros(n)
    if pattern.unassigned:
        open_strokes = list(pattern.unassigned)
        needed[open_strokes] = [
            restrike_time(RIGHT, pattern.strokes[i].marks, False) * table.player.skill_of(RIGHT) for i in open_strokes
        ]
    costs = np.zeros((len(TERMS), n))
    hands = _hands(followed, whole, table, weights, costs)
    for column, values in zip((gap, travel, needed, pace, reach), hands):
        column[followed.hands.index] = values
    if len(followed.feet.index):
        for column, values in zip((gap, travel, needed, pace, reach), _feet(followed, whole, table, weights, costs)):
            column[followed.feet.index] = values
    movers, entering = _arms(followed, table, weights, hands[1], costs)
    costs[_SWITCH, followed.switches] = weights.switch * price.SWITCH_COST
    out = Walk(
        _or_none(gap), travel.tolist(), needed.tolist(), _or_none(pace), _or_none(reach), followed.came_from,
        followed.run, costs, lead=followed.lead, switches=followed.switches,
        where=partial(_postures, pattern, followed, table),
    )  # fmt: skip
    out.movers = followed.hands.index[movers].tolist()
    names = table.names
    p = followed.postures
    for k in np.flatnonzero(entering).tolist():
        out.entered[int(followed.hands.index[movers[k]])] = table.cross[names[p.right[k]], names[p.left[k]]]
    right, left = followed.before
    out.continued = right >= 0 and left >= 0 and (names[right], names[left]) in table.cross
    return out


def _hands(
    followed: Follow, whole: float, table: ReachTable, w: Weights, costs: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Gap, travel, needed, pace and reach of the hand strokes; their costs but those of both arms together."""
    h = followed.hands
    skills = np.array([table.player.skill_of(hand) for hand in HANDS])
    skill = skills[h.side]
    travel = np.where(h.voice >= 0, table.distances[h.was, h.voice], 0.0)
    times = np.where(h.voice >= 0, table.travel_times[h.was, h.voice], 0.0)
    moves = travel > 0.0
    needed = np.maximum(np.where(h.bounced & ~moves, h.rebound, h.plain), times) * skill
    gap = h.gap * whole
    has = ~np.isnan(gap)
    if h.shifted.any():
        needed = np.where(h.shifted & has, np.maximum(1e-4, needed + h.extra - h.head), needed)
    pace = needed / gap
    g = followed.graces
    if len(g.row):
        # Where the graces are the harder part of a stroke, what it needs is said in terms of its own gap.
        asked = (
            np.maximum(HAND_GRACE, np.where(g.voice >= 0, table.travel_times[g.was, g.voice], 0.0))
            * skills[1 - h.side[g.row]]
            + g.lead
        )
        asked = np.maximum(0.0, asked) / (g.gap * whole)
        harder = asked > pace[g.row]
        pace[g.row[harder]] = asked[harder]
        needed[g.row[harder]] = asked[harder] * gap[g.row[harder]]
    index = h.index
    costs[_PACE, index] = w.pace * price.pace_cost(pace)
    costs[_REACH, index] = w.reach * table.reach_costs[h.side, h.voice]
    if moves.any():
        costs[_TURN, index] = w.turn * np.where(moves, price.turn_cost(*_directions(followed, table)), 0.0)
    costs[_LIFT, index] = np.where(has, w.lift * price.lift_cost(h.level, h.last_level, pace), 0.0)
    costs[_LOAD, index] = w.load * price.load_cost(h.run, pace, False)
    return gap, travel, needed, pace, table.reaches[h.side, h.voice]


def _directions(followed: Follow, table: ReachTable) -> tuple[Floats, Floats]:
    """Each hand stroke's last move before this one and its move now, in plan view (rows, 2)."""
    h = followed.hands
    was, voice = followed.entry_was, followed.entry_voice
    there = (was >= 0) & (voice >= 0)
    across = np.where(there[:, None], table.tips[voice, :2] - table.tips[was, :2], 0.0)
    moved = there & followed.entry_real & (table.distances[was, voice] > 0)
    last = np.maximum.accumulate(np.where(moved, np.arange(len(was)), -1))
    before = np.where(h.before >= 0, last[h.before], -1)
    found = (before >= 0) & (before >= followed.lane_start[h.entry])
    return np.where(found[:, None], across[before], 0.0), across[h.entry]


def _feet(
    followed: Follow, whole: float, table: ReachTable, w: Weights, costs: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    f, skill = followed.feet, table.player.skill_of(KICK)
    apart = table.foot_distance(SECOND_KICK, HAT_FOOT)
    width = min(table.pedal_widths.get(SECOND_KICK, 80.0), table.pedal_widths.get(HAT_FOOT, 80.0))
    travel = np.where(f.changes, apart, 0.0)
    # The second stroke of a burst is the one that the pedal's rebound helps: it follows a longer wait.
    # (A hair less than 0.7, so that a gap of just that part is never a matter of rounding.)
    bounced = (travel == 0.0) & (f.gap < 0.7 * (1 - 1e-9) * f.last_gap)
    needed = np.where(bounced, f.rebound, f.plain)
    if apart:
        needed = np.where(travel > 0, np.maximum(needed, travel_time(apart, width)), needed)
    needed = needed * skill
    gap = f.gap * whole
    pace = needed / gap
    costs[_PACE, f.index] = w.pace * price.pace_cost(pace)
    costs[_LIFT, f.index] = w.lift * price.lift_cost(f.level, f.last_level, pace)
    costs[_LOAD, f.index] = w.load * price.load_cost(f.run, pace, True)
    reach = {limb: table.reach.get(limb, {}).get("", math.nan) for limb in (KICK, SECOND_KICK, HAT_FOOT)}
    return gap, travel, needed, pace, np.array([reach[limb] for limb in f.limb])


def _arms(followed: Follow, table: ReachTable, w: Weights, travel: Floats, costs: Floats) -> tuple[Ints, Flags]:
    """Crossing and twist once the hands of each moment have landed; the moments' movers and who enters a crossing."""
    p, index = followed.postures, followed.hands.index
    if not len(p.right):
        return np.zeros(0, dtype=np.intp), np.zeros(0, dtype=bool)
    movers = p.rows[p.starts]
    if len(p.rows) > len(movers):
        # Of hands that strike together the one with the longer way is the one that moves.
        way = travel[p.rows]
        longest = np.flatnonzero(way == np.maximum.reduceat(way, p.starts)[p.moment_of_row])
        moment = p.moment_of_row[longest]
        movers = p.rows[longest[np.concatenate([[True], moment[1:] != moment[:-1]])]]
    clear = table.clearances[p.right, p.left]
    crossed = ~np.isnan(clear)
    entering = crossed & np.isnan(table.clearances[p.right_before, p.left_before])
    swing = table.bearings[p.right, p.left] - table.bearings[p.right_before, p.left_before]
    costs[_TURN, index[movers]] += w.turn * price.twist_cost(swing)
    if crossed.any():
        each = clear[p.moment_of_row]
        costs[_CROSS, index[p.rows]] = w.cross * price.cross_cost(each, False)
        costs[_CROSS, index[movers[entering]]] = w.cross * price.cross_cost(clear[entering], True)
    return movers, entering


def _postures(pattern: Pattern, followed: Follow, table: ReachTable) -> list[Posture]:
    names: list[str | None] = [*table.names, None]
    cross = table.cross
    right, left = followed.event_right.tolist(), followed.event_left.tolist()
    found = []
    for event, r, s in zip(pattern.events, right, left):
        a, b = names[r], names[s]
        found.append(Posture(event.start, a, b, cross.get((a, b)), event.indices))
    return found
