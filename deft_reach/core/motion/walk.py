"""Walk through a pattern: how far each limb goes, how long it needs and has, what that costs.

What follows what is settled beforehand (see follow); here are distances, times and costs, for all strokes at once.
"""
# Long: hands, feet, graces and postures are walked from the same columns.

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property, partial
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.clearance import Passing, passing
from deft_reach.core.motion.cost import TERMS, CostTerms, Weights
from deft_reach.core.motion.entering import TOGETHER, Arrival, brought_by, ends_in
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.sequence import Flags, Follow, Hands, Ints
from deft_reach.core.motion.timing import (
    FLAM_GAP,
    OTHER_FOOT,
    level_factors,
    needed_times,
    own_part,
    restrike,
    travel_times,
)

#: Each term's row in the costs.
ROW: Final = {name: row for row, name in enumerate(TERMS)}


class Posture(NamedTuple):
    """Where both hands are once the strokes of a moment have landed.

    ``right`` and ``left`` are the voices last struck, None before a hand's first stroke; ``cross`` is there while
    the arms cross, and ``brought`` is then the move that brought them across, None where they were never otherwise.
    """

    start: Fraction
    right: str | None
    left: str | None
    cross: Cross | None
    strokes: tuple[int, ...]
    brought: Arrival | None = None

    def voice(self, hand: str) -> str | None:
        return self.right if hand == RIGHT else self.left


class GraceWalk(NamedTuple):
    """The graces before a stroke, as their hand plays them: the stroke's index, the hand, where it comes from and
    goes to, how far (mm), the time there is and what is needed (s), and needed over there is.
    """

    index: int  # type: ignore[assignment]
    limb: str
    came_from: str
    voice: str
    gap: float
    travel: float
    needed: float
    pace: float


@dataclass(frozen=True)
class Walk:
    """What the walk found; the lists have one entry a stroke in index order, units as in StrokeReport.

    ``costs`` (terms, strokes) are the terms in the order of TERMS. ``entered`` maps the stroke in which the move
    ends that brings the arms across to the crossing; ``continued`` says that they were crossed already when the round
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
    #: Strokes of feet by turns that need longer for the ear than for the foot.
    flammed: frozenset[int] = frozenset()
    #: The strokes whose marks say who goes over in a crossing.
    deciding: frozenset[int] = frozenset()
    #: Crossings that come and go before an event: the move that makes them, and how.
    between: dict[int, tuple[Arrival, Cross]] = field(default_factory=dict)
    #: The graces, in the order of their strokes.
    graces: list[GraceWalk] = field(default_factory=list)
    #: Of every moment in which a hand strikes, the stroke of the hand that has the longest way there.
    movers: list[int] = field(default_factory=list)
    #: How close the arms pass on the way to each of them, None where one hand does nothing.
    passing: Passing | None = None
    #: Where the hands are after each event; worked out when first asked for.
    where: Callable[[], list[Posture]] = list

    @cached_property
    def postures(self) -> list[Posture]:
        return self.where()

    @cached_property
    def bottleneck(self) -> tuple[float, int] | None:
        """The highest pace of any stroke or grace and the stroke that has it; None where nothing has one."""
        paces = [(pace, i) for i, pace in enumerate(self.pace) if pace]
        return max([*paces, *((row.pace, row.index) for row in self.graces)], key=lambda row: row[0], default=None)


def tighter_of(entered: dict[int, Cross], stroke: int, cross: Cross | None) -> None:
    """Note a crossing that a stroke's move makes; of two the one in which the arms pass closer."""
    if cross is not None and (stroke not in entered or cross.clearance < entered[stroke].clearance):
        entered[stroke] = cross


def squeezed(walked: Walk, found: Passing | None, terms: CostTerms) -> Walk:
    """The walk with what close passing costs, at the strokes it leads to."""
    if found is None:
        return walked
    movers = np.array(walked.movers)[-len(found.clearance) :]
    costs = walked.costs.copy()
    costs[ROW["squeeze"], movers] = terms.squeeze(found.clearance)
    return replace(walked, costs=costs, passing=found)


def _or_none(values: Floats) -> list[float | None]:
    return [None if x != x else x for x in values.tolist()]


def full_walk(pattern: Pattern, table: ReachTable, whole: float, repeat: bool, weights: Weights) -> Walk:
    """The walk through a pattern with what passing close costs; ``whole`` is a whole note in seconds."""
    followed = follow(pattern, table.names, repeat)
    walked = walk(pattern, followed, whole, table, weights)
    found = passing(pattern, table, repeat)
    walked = squeezed(walked, found, CostTerms(weights, table.leading_side))
    if found is None or not found.crosses:
        return walked
    return _crossed_between(walked, found, followed)


def _crossed_between(walked: Walk, found: Passing, followed: Follow) -> Walk:
    """The walk with crossings that come and go between two moments in which hands strike."""
    moments = {event: k for k, event in enumerate(followed.moment_events.tolist())}
    entered, between, deciding = dict(walked.entered), {}, set(walked.deciding)
    graced = set(followed.event_of[followed.hands.index[followed.hands.graced]].tolist())
    for row, (cross, side) in found.crosses.items():
        event = int(found.event[row])
        k = moments[event]
        before = followed.postures.prev[k]
        ends = (event, int(followed.moment_events[before]))
        if before < 0 or any(walked.postures[n].cross is not None for n in ends):
            # It is crossed at one of them: said there.
            continue
        if graced & set(ends):
            # The way to a grace is not known so well.
            continue
        if all(right[row] == left[row] for right, left in zip(found.right, found.left)):
            # Both go the same way side by side.
            continue
        end = ends_in(followed, np.array([side]), np.array([k]))
        stroke = int(followed.hands.index[end[0]])
        said = int(followed.postures.chosen[k])
        if said:
            cross = cross.led_by(HANDS[(1 - said) // 2], chosen=True)
            deciding.add(int(followed.postures.deciding[k]))
        between[event] = (Arrival(stroke, HANDS[side]), cross)
        tighter_of(entered, stroke, cross)
    return replace(walked, entered=entered, between=between, deciding=frozenset(deciding))


@np.errstate(invalid="ignore")
def walk(
    pattern: Pattern, followed: Follow, whole: float, table: ReachTable, weights: Weights, *, attributed: bool = True
) -> Walk:
    """Walk the pattern; ``whole`` is the length of a whole note in seconds.

    Without ``attributed`` the sums are asked for alone: crossings are paid for where they are noticed.
    """
    n = followed.count
    gap, pace, reach = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan)
    travel, needed = np.zeros(n), np.zeros(n)
    if pattern.unassigned:
        open_strokes = list(pattern.unassigned)
        needed[open_strokes] = table.restrikes.min()
    costs, terms = np.zeros((len(TERMS), n)), CostTerms(weights, table.leading_side)
    hands = _hands(followed, whole, table, terms, costs)
    for column, values in zip((gap, travel, needed, pace, reach), hands):
        column[followed.hands.index] = values
    flammed: frozenset[int] = frozenset()
    if len(followed.feet.index):
        *feet, flammed = _feet(followed, whole, table, terms, costs)
        for column, values in zip((gap, travel, needed, pace, reach), feet):
            column[followed.feet.index] = values
    graces = _graces(followed, whole, table, terms, costs)
    movers, crosses, brought = _arms(followed, table, terms, hands[1], costs, attributed)
    _habits(followed, table, terms, costs)
    costs[ROW["coordination"], followed.turns] = terms.turns(1.0 / (followed.turn_gaps * whole))
    moving = followed.hands.index[movers].tolist()
    entered: dict[int, Cross] = {}
    for k, arrival in brought.items():
        tighter_of(entered, arrival.stroke, crosses[k])
    marked = np.flatnonzero(followed.postures.chosen).tolist()
    deciding = frozenset(int(followed.postures.deciding[k]) for k in marked if crosses[k] is not None)
    return Walk(
        _or_none(gap), travel.tolist(), needed.tolist(), _or_none(pace), _or_none(reach), followed.came_from,
        followed.run, costs, entered, bool(crosses) and followed.postures.prev[0] >= 0 and crosses[-1] is not None,
        followed.lead, followed.switches, deciding=deciding, flammed=flammed, graces=graces, movers=moving,
        where=partial(_postures, pattern, followed, table, crosses, brought),
    )  # fmt: skip


def _habits(followed: Follow, table: ReachTable, terms: CostTerms, costs: Floats) -> None:
    """What is preferred at any tempo: who leads, who keeps a surface, hands by turns, figures that come back."""
    h, n = followed.hands, followed.count

    def among(*strokes: Sequence[int] | Ints) -> Flags:
        found = np.zeros((len(strokes), n), dtype=bool)
        for row, some in zip(found, strokes):
            row[some] = True
        return found

    others = h.side != table.leading_side
    led = followed.led[table.leading_side]
    changed, other_led, landed, far, other, again, anew, figure = among(
        followed.switches, led, followed.landings, h.index[table.far_crash[h.side, h.voice] & others],
        h.index[others], followed.again, followed.anew, followed.changed,
    )  # fmt: skip
    costs[ROW["switch"]] = terms.lead(changed, other_led, landed & far)
    costs[ROW["keep"], followed.kept.index] = terms.kept(*followed.kept[1:])
    costs[ROW["load"]] += terms.again(again, other, anew)
    costs[ROW["figure"]] = terms.figure(figure)


def hand_factors(h: Hands, table: ReachTable) -> Floats:
    """What each hand stroke takes of a full restrike of this player.

    Shape (hand strokes,), 1 for a full restrike.
    """
    if (table.rebound_depths == 1.0).all():
        return h.factor
    return np.asarray(level_factors(own_part(h.part, table.rebound_depths[h.side]), h.level, h.last_level))


def _hands(
    followed: Follow, whole: float, table: ReachTable, terms: CostTerms, costs: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Gap, travel, needed, pace and reach of the hand strokes; their costs but those of both arms together."""
    h = followed.hands
    travel = np.where(h.voice >= 0, table.distances[h.was, h.voice], 0.0)
    swept = np.where(h.run > 1, table.sweep_times[h.side, h.was, h.voice], table.travel_times[h.side, h.was, h.voice])
    moves = travel > 0.0
    gap = h.gap * whole
    needed = needed_times(
        table.restrikes[h.side], hand_factors(h, table), np.where(moves, swept, 0.0), h.extra - h.head,
        h.shifted & ~np.isnan(gap),
    )  # fmt: skip
    pace = needed / gap
    index = h.index
    for name, values in terms.stroke(pace, h.level, h.last_level, h.run).items():
        costs[ROW[name], index] = values
    costs[ROW["reach"], index] = terms.reach(table.reach_costs[h.side, h.voice])
    if moves.any():
        costs[ROW["turn"], index] = np.where(moves, terms.turn(*_directions(followed, table)), 0.0)
    costs[ROW["control"], index] = terms.control(h.part)
    return gap, travel, needed, pace, table.reaches[h.side, h.voice]


def _graces(followed: Follow, whole: float, table: ReachTable, terms: CostTerms, costs: Floats) -> list[GraceWalk]:
    """The graces as their own hand plays them; what they cost belongs to their strokes."""
    g = followed.graces
    if not len(g.index):
        return []
    there = g.voice >= 0
    travel = np.where(there, table.distances[g.was, g.voice], 0.0)
    times = np.where(there, table.grace_times[g.side, g.was, g.voice], 0.0)
    gap = g.gap * whole
    needed = needed_times(table.restrikes[g.side], g.factor, times, g.lead, True)
    pace = needed / gap
    costs[ROW["pace"], g.index] += terms.pace(pace)
    names = table.names
    rows = zip(*(x.tolist() for x in (g.index, g.side, g.was, g.voice, gap, travel, needed, pace)))
    return [
        GraceWalk(i, HANDS[side], names[was], names[voice] if voice >= 0 else names[was], *values)
        for i, side, was, voice, *values in rows
    ]


def _directions(followed: Follow, table: ReachTable) -> tuple[Floats, Floats]:
    """Each hand stroke's last move before this one and its move now, in plan view (rows, 2)."""
    h = followed.hands
    was, voice = followed.entry_was, followed.entry_voice
    there = (was >= 0) & (voice >= 0)
    across = np.where(there[:, None], table.tips[voice, :2] - table.tips[was, :2], 0.0)
    moved = there & (table.distances[was, voice] > 0)
    last = np.maximum.accumulate(np.where(moved, np.arange(len(was)), -1))
    before = np.where(h.before >= 0, last[h.before], -1)
    found = (before >= 0) & (before >= followed.lane_start[h.entry])
    return np.where(found[:, None], across[before], 0.0), across[h.entry]


def _feet(
    followed: Follow, whole: float, table: ReachTable, terms: CostTerms, costs: Floats
) -> tuple[Floats, Floats, Floats, Floats, Floats, frozenset[int]]:
    """As _hands, and the strokes that need longer for the ear than for the foot."""
    f, player = followed.feet, table.player
    apart = table.foot_distance(SECOND_KICK, HAT_FOOT)
    width = min(table.pedal_widths.get(SECOND_KICK, 80.0), table.pedal_widths.get(HAT_FOOT, 80.0))
    travel = np.where(f.changes, apart, 0.0)
    each = {limb: restrike(player, limb) for limb in FEET}
    factor = f.factor
    if table.foot_rebound_depth != 1.0:
        factor = np.asarray(level_factors(own_part(f.part, table.foot_rebound_depth), f.level, f.last_level))
    needed = np.array([each[limb] for limb in f.limb]) * factor
    if apart:
        change = float(travel_times(apart, width, player.skill_of(HAT_FOOT))) * OTHER_FOOT
        needed = np.where(travel > 0, np.maximum(needed, change), needed)
    gap = f.gap * whole
    # Feet by turns must stay apart for the ear, however quick each of them is.
    heard = FLAM_GAP * f.gap / f.turn_gap
    flammed = heard > needed
    needed = np.where(flammed, heard, needed)
    pace = needed / gap
    for name, values in terms.stroke(pace, f.level, f.last_level, f.run, foot=True).items():
        costs[ROW[name], f.index] = values
    reach = {limb: table.reach.get(limb, {}).get("", math.nan) for limb in (KICK, SECOND_KICK, HAT_FOOT)}
    return gap, travel, needed, pace, np.array([reach[limb] for limb in f.limb]), frozenset(f.index[flammed].tolist())


def _arms(
    followed: Follow, table: ReachTable, terms: CostTerms, travel: Floats, costs: Floats, attributed: bool
) -> tuple[Ints, list[Cross | None], dict[int, Arrival]]:
    """Crossing and twist once the hands of each moment have landed; the moments' movers and their crossings, and by
    the moment in which one begins the hand whose move makes it.
    """
    p, index = followed.postures, followed.hands.index
    if not len(p.right):
        return np.zeros(0, dtype=np.intp), [], {}
    movers = p.rows[p.starts]
    if len(p.rows) > len(movers):
        # Of hands that strike together the one with the longer way is the one that moves.
        way = travel[p.rows]
        longest = np.flatnonzero(way == np.maximum.reduceat(way, p.starts)[p.moment_of_row])
        moment = p.moment_of_row[longest]
        movers = p.rows[longest[np.concatenate([[True], moment[1:] != moment[:-1]])]]
    swing = table.bearings[p.right, p.left] - table.bearings[p.right_before, p.left_before]
    costs[ROW["turn"], index[movers]] += terms.twist(swing)
    met = _meetings(followed, table)
    crossed = np.array([cross is not None for cross in met], dtype=bool)
    entering = np.flatnonzero(crossed & ~((p.prev >= 0) & crossed[p.prev]))
    if not crossed.any():
        return movers, met, {}
    if attributed:
        sides, ends = brought_by(followed, table, entering)
    else:
        sides, ends = followed.hands.side[movers[entering]], movers[entering]
    found = _decided(followed, met, dict(zip(entering.tolist(), sides.tolist())))
    clear = np.array([math.nan if cross is None else cross.clearance for cross in found])
    costs[ROW["cross"], index[p.rows]] = terms.crossing(clear[p.moment_of_row], False)
    # Coming into it is paid for by the stroke in which the hand's move across ends.
    coming = terms.crossing(clear[entering], True) - terms.crossing(clear[entering], False)
    np.add.at(costs[ROW["cross"]], index[ends], coming)
    hands = [HANDS[table.stronger_side if side == TOGETHER else side] for side in sides.tolist()]
    return movers, found, dict(zip(entering.tolist(), map(Arrival, index[ends].tolist(), hands)))


def _meetings(followed: Follow, table: ReachTable) -> list[Cross | None]:
    """How the arms cross at each moment. A hand on its way is judged where it is on it."""
    p = followed.postures
    still = ~np.isnan(table.clearances[p.right, p.left])
    found: list[Cross | None] = [None] * len(p.right)
    names = table.names
    moving = ((p.right_to >= 0) & (p.right >= 0) & (p.left >= 0)) | (
        (p.left_to >= 0) & (p.right >= 0) & (p.left >= 0)
    )
    for k in np.flatnonzero(still & ~moving).tolist():
        found[k] = table.cross[names[p.right[k]], names[p.left[k]]]
    at = np.flatnonzero(moving)
    if len(at):
        ways = table.crossed_on_the_way(
            p.right[at], p.right_to[at], p.right_done[at], p.left[at], p.left_to[at], p.left_done[at]
        )
        for k, cross in zip(at.tolist(), ways):
            found[k] = cross
    return found


def _decided(followed: Follow, met: list[Cross | None], brought: dict[int, int]) -> list[Cross | None]:
    """Who goes over at each moment; ``brought`` has the side whose move made the crossing that begins at a moment.

    Where the heights do not decide, the hand that came second does, for as long as the arms stay crossed; unless the
    player says otherwise.
    """
    p, found = followed.postures, list(met)
    chosen, prev = p.chosen.tolist(), p.prev.tolist()
    crossed = [k for k, cross in enumerate(found) if cross is not None]
    # A loop's last hold may go on into its first one.
    if crossed and prev[0] >= 0 and found[0] is not None and found[prev[0]] is not None:
        crossed = [*crossed[next((n for n, k in enumerate(crossed) if found[prev[k]] is None), 0) :], *crossed]
    for n, k in enumerate(crossed):
        # Nothing is decided before the first: not even in a loop in which the arms are always crossed.
        cross, before = found[k], found[prev[k]] if n and prev[k] >= 0 else None
        assert cross is not None
        hand, said = cross.over, False
        if chosen[k]:
            hand, said = RIGHT if chosen[k] > 0 else LEFT, True
        elif before is not None and before.chosen:
            hand, said = before.over, True
        elif cross.either:
            second = brought.get(k, TOGETHER)
            if before is not None and before.either:
                hand = before.over
            elif second != TOGETHER:
                hand = HANDS[second]
        if hand != cross.over or said != cross.chosen:
            found[k] = cross.led_by(hand, said)
    return found


def _postures(
    pattern: Pattern,
    followed: Follow,
    table: ReachTable,
    crosses: Sequence[Cross | None],
    brought: dict[int, Arrival],
) -> list[Posture]:
    names: list[str | None] = [*table.names, None]
    right, left = followed.event_right.tolist(), followed.event_left.tolist()
    round_again = bool(crosses) and bool(followed.postures.prev[0] >= 0)
    last = crosses[-1] if round_again else None
    # What goes on over a loop's seam was begun before it.
    mover = max(brought.items())[1] if brought and last is not None else None
    by_event = {event: k for k, event in enumerate(followed.moment_events.tolist())}
    found = []
    for n, (event, r, s) in enumerate(zip(pattern.events, right, left)):
        # While only feet play, the hands stay as they were.
        k = by_event.get(n)
        if k is not None:
            last = crosses[k]
            mover = brought.get(k, mover) if last is not None else None
        found.append(Posture(event.start, names[r], names[s], last, event.indices, mover))
    return found
