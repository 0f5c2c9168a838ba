"""The walk as it reads, one stroke after the other, in plain Python: what the arrays are held against.

Walk through a pattern stroke by stroke: where each limb comes from, how long it has, what that costs.

One pass for a pattern played once. A loop's end is walked before its beginning, so that its first strokes know where
the limbs come from.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass, field
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from deft_reach.core.model.limbs import EITHER, FEET, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import RUN_IN_EVENTS, Event, Pattern, Stroke, lead_beat
from deft_reach.core.motion.cost import TERMS, WALL_PACE, Weights
from deft_reach.core.motion.entering import Arrival
from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM
from deft_reach.core.motion.reach_table import STAY, Cross, ReachTable
from deft_reach.core.motion.timing import (
    FOOT_REBOUND,
    GRACE_LEAST,
    HAND_REBOUND,
    OTHER_FOOT,
    grace_lead,
    restrike,
    travel_times,
)
from deft_reach.core.motion.walk import Posture


def pace_cost(pace: float | None) -> float:
    """Grows with pace², with a wall above 0.9 that adds one unit by 1.0 and nine by 1.2."""
    if pace is None:
        return 0.0
    over = max(0.0, pace - WALL_PACE)
    return pace * pace + 100.0 * over * over


def reach_cost(reach: float, lean: float) -> float:
    """Free while comfortable; one unit at a straight arm, a folded-up arm half as much; leaning costs more."""
    low, high = COMFORTABLE_REACH
    if lean > MAX_LEAN_MM:
        return 50.0
    stretched = max(0.0, min(reach, 1.0) - high) / (1.0 - high)
    folded = max(0.0, low - reach) / low
    return 0.4 * stretched * stretched + 0.2 * folded * folded + 3.0 * lean / MAX_LEAN_MM


def cross_cost(clearance: float, entering: bool) -> float:
    """Crossing costs when it is made and hardly while it lasts; the tighter the arms pass, the more."""
    tight = 0.1 + 120.0 / (clearance + 40.0)
    return (0.9 if entering else 0.08) * tight


def turn_cost(before: tuple[float, float] | None, now: tuple[float, float], bearing_change: float) -> float:
    """Turning a hand back costs by how sharply and how far; twisting the trunk costs by its angle.

    ``before`` and ``now`` are the hand's last and present moves in plan view (mm); ``bearing_change`` in radians
    is how far the middle between the two hands swings round the seat.
    """
    twist = bearing_change * bearing_change * 0.6
    if before is None:
        return twist
    size, last = math.hypot(*now), math.hypot(*before)
    if size < 1.0 or last < 1.0:
        return twist
    cosine = min(1.0, (before[0] * now[0] + before[1] * now[1]) / (size * last))
    return twist + 0.25 * (1.0 - cosine) / 2 * min(1.0, min(size, last) / 400.0)


def lift_cost(level: int, previous: int, pace: float | None) -> float:
    """Changing the height of the stroke, harder the less time there is. Levels: 0 ghost, 1 plain, 2 accent."""
    change = abs(level - previous)
    hurry = min(1.0, pace) if pace is not None else 0.0
    return 0.05 * change * change * (0.2 + hurry * hurry)


def load_cost(run: int, pace: float | None, foot: bool) -> float:
    """Long runs of one limb at a high rate. ``run`` counts this limb's strokes in a row."""
    if pace is None or run <= 2:
        return 0.0
    hurry = min(1.5, pace)
    if foot:
        return 0.08 * min(run - 2, 8) * hurry * hurry
    return min(run - 2, 8) * (0.04 * hurry * hurry + 20.0 * max(0.0, hurry - 0.8) ** 2)


def switch_cost() -> float:
    """One change of the leading hand from beat to beat."""
    return 0.08


def other_lead_cost() -> float:
    """One beat that the player's other hand leads."""
    return 0.15


def keep_cost(now: str, last: str, before: str, alone: str, line: bool) -> float:
    """A stroke on a kept surface: by the other hand than last, hand to hand or else; or a new keeper's second."""
    if not now or not last:
        return 0.0
    if now == last:
        return 0.5 if before and before != last and alone == now else 0.0
    return (0.3 if line else 0.62) if alone and alone != now else 1.8


def figure_cost() -> float:
    """A stroke whose hand comes back from neither of the last two beats of the same rhythm."""
    return 0.25


def control_cost(part: float) -> float:
    """A stroke that the rebound gives has to be controlled."""
    return 0.6 * (1.0 - part)


def turns_cost(gap: float) -> float:
    """Hands and feet that take turns, so many seconds apart."""
    return 0.004 / (gap * gap)


def rebound(gap: float, before: list[float], shares: tuple[float, ...]) -> float:
    """The part of a full restrike that a stroke takes after these gaps, the nearest last."""
    part = 1.0
    for n, share in enumerate(shares, 1):
        earlier = before[-n] if n <= len(before) else math.inf
        part = min(part, max(share, min(1.0, gap / (0.95 * earlier))))
    return part


def own_part(part: float, own: float | None, usual: float, skill: float) -> float:
    """A player whose doubles take ``own`` of a full restrike: what others save is saved in that proportion. Who has
    not learned to bounce, and has not measured it, saves less.
    """
    if own is not None:
        return 1 - (1 - part) * (1 - own) / (1 - usual)
    return 1 - (1 - part) * min(1.0, max(0.2, 1 - 1.12 * (skill - 0.75)))


def factor_of(part: float, level: int, last: int) -> float:
    """What a stroke takes of a full restrike: an accent more, a ghost less, but not where it has to be dropped."""
    if level == GHOST_LEVEL and last == ACCENT_LEVEL:
        return max(part, 0.85)
    return part * {GHOST_LEVEL: 0.85, PLAIN_LEVEL: 1.0, ACCENT_LEVEL: 1.1}[level]


#: Strokes further apart than this (whole notes, with room for rounding) are not one run.
RUN_GAP = 1.001 / 8

GHOST_LEVEL, PLAIN_LEVEL, ACCENT_LEVEL = 0, 1, 2


def level_of(marks: str) -> int:
    """How high a stroke is taken from: 0 ghost, 1 plain, 2 accent."""
    if ">" in marks:
        return ACCENT_LEVEL
    return GHOST_LEVEL if "." in marks else PLAIN_LEVEL


class LimbState:
    """Where a limb is and what it did last. The hi-hat foot is one limb for ``J`` and ``H``."""

    __slots__ = ("gaps", "head_start", "last_limb", "level", "move", "run", "time", "voice")

    def __init__(self) -> None:
        self.time: float | None = None
        self.voice: str | None = None
        self.level = PLAIN_LEVEL
        self.move: tuple[float, float] | None = None
        self.run = 0
        self.head_start = 0.0
        self.last_limb = ""
        #: The gaps before its last strokes, in the order of time.
        self.gaps: list[float] = []


class Row(NamedTuple):
    """What the walk says of one stroke; see StrokeReport for the units."""

    gap: float | None
    travel: float
    needed: float
    pace: float | None
    reach: float | None
    came_from: str | None
    run: int
    cost: dict[str, float]


@dataclass
class Walk:
    """What the walk found; ``rows`` has one entry a stroke in index order.

    ``entered`` maps the stroke in which the move ends that brings the arms across to the crossing; ``continued`` says
    that they were crossed already when the round began. ``lead`` lists the stroke that leads each beat and
    ``switches`` those where the lead changes hands.
    """

    rows: list[Row] = field(default_factory=list)
    postures: list[Posture] = field(default_factory=list)
    entered: dict[int, Cross] = field(default_factory=dict)
    continued: bool = False
    lead: list[int] = field(default_factory=list)
    switches: list[int] = field(default_factory=list)


def walk(
    pattern: Pattern, times: Sequence[float], length: float, table: ReachTable, weights: Weights, repeat: bool
) -> Walk:
    """Walk the pattern; ``times`` are the strokes' times and ``length`` the pattern's, in seconds."""
    whole = length / float(pattern.length) if pattern.length else 1.0
    walker = Walker(pattern, table, weights, RUN_GAP * whole, repeat)
    if repeat:
        # A short loop goes round several times before its runs and doubles have settled.
        rounds = max(6, -(-RUN_IN_EVENTS // max(1, len(pattern.events))))
        for earlier in range(rounds, 1, -1):
            walker.round(times, -length * earlier)
        walker.round(times, -length)
    found = walker.round(times, 0.0)
    walker.cross_over(found, times, length if repeat else None)
    walker.habits(found, repeat)
    return found


class Walker:
    def __init__(self, pattern: Pattern, table: ReachTable, weights: Weights, run_gap: float, repeat: bool) -> None:
        self.run_gap = run_gap
        self.pattern = pattern
        self.table = table
        self.weights = weights
        self.restrike = {limb: restrike(table.player, limb) for limb in "RLKJH"}
        self.surface = kept_surface(pattern, repeat)
        self.alone_before = ""
        self.time_before = 0.0
        self.right, self.left = LimbState(), LimbState()
        self.kick, self.hat_foot = LimbState(), LimbState()
        self.state = {
            RIGHT: self.right,
            LEFT: self.left,
            KICK: self.kick,
            SECOND_KICK: self.hat_foot,
            HAT_FOOT: self.hat_foot,
        }
        self.bearing: float | None = None
        self.leader: str | None = None
        self.grace_pace: float | None = None
        self.grace_rows: list[tuple[int, str, float, float]] = []
        #: When which feet struck: RIGHT the bass drum's, LEFT the other one.
        self.foot_times: list[tuple[float, set[str]]] = []
        #: The index of the stroke that ``rows`` begins with.
        self.base = 0

    def clone(self) -> Walker:
        """The same place in the same pattern, to go on from in more than one way."""
        twin = copy(self)
        twin.right, twin.left = copy(self.right), copy(self.left)
        twin.kick, twin.hat_foot = copy(self.kick), copy(self.hat_foot)
        twin.state = {
            RIGHT: twin.right,
            LEFT: twin.left,
            KICK: twin.kick,
            SECOND_KICK: twin.hat_foot,
            HAT_FOOT: twin.hat_foot,
        }
        return twin

    def shift(self, by: float) -> None:
        """Move what was struck by so many seconds: a loop's end becomes what comes before its beginning."""
        for limb in (self.right, self.left, self.kick, self.hat_foot):
            if limb.time is not None:
                limb.time += by

    def step(self, event: Event, now: float) -> float:
        """Walk one moment and say what it costs."""
        self.base = event.indices[0]
        out = Walk()
        self.moment(out, event, now)
        return math.fsum(math.fsum(row.cost.values()) for row in out.rows)

    def round(self, times: Sequence[float], shift: float, first: int = 0) -> Walk:
        events = self.pattern.events
        self.base = events[first].indices[0] if events else 0
        out = Walk()
        for event in events[first:]:
            self.moment(out, event, times[event.indices[0]] + shift)
        return out

    def moment(self, out: Walk, event: Event, now: float) -> None:
        """One moment: every stroke that falls together."""
        hands, feet = event.hands, event.feet
        alone = event.hands_alone
        self.grace_pace = None
        if alone and hands[0].grace:
            # With both hands striking there is none left for a grace.
            self.graces(hands[0], now)
        starts = self.state
        if len(event.strokes) > 1 and event.limb_twice:
            # Every stroke starts from where its limb was before this moment.
            starts = {limb: copy(state) for limb, state in self.state.items()}
        if feet:
            self.foot_times.append((now, {RIGHT if s.limb == KICK else LEFT for s in feet}))
        for stroke in event.strokes:
            limb = stroke.limb
            if limb == EITHER:
                self.blank(out, stroke)
            elif limb in FEET:
                self.foot(out, stroke, starts[limb], now)
            else:
                self.hand(out, stroke, starts[limb], now, alone)
        # A run ends when the partner strikes alone; together, both go on.
        if feet and not event.both_feet:
            (self.hat_foot if feet[0].limb == KICK else self.kick).run = 0
        if hands:
            if alone:
                (self.left if hands[0].limb == RIGHT else self.right).run = 0
            self.arms(out, hands)
            rule = lead_rule(self.pattern, event, self.surface)
            if rule:
                self.lead(out, hands, rule)
        struck = {s.limb in FEET for s in event.strokes if s.limb != EITHER}
        now_alone = {frozenset({True}): "feet", frozenset({False}): "hands"}.get(frozenset(struck), "")
        if now_alone and self.alone_before and now_alone != self.alone_before:
            first = next(s for s in event.strokes if s.limb != EITHER)
            out.rows[first.index - self.base].cost["coordination"] += self.weights.coordination * turns_cost(
                now - self.time_before
            )
        self.alone_before, self.time_before = now_alone, now
        out.postures.append(Posture(event.start, self.right.voice, self.left.voice, None, event.indices))

    def graces(self, stroke: Stroke, now: float) -> None:
        """The other hand's graces: it has to come to their voice, and is there a little before the stroke."""
        other = self.left if stroke.limb == RIGHT else self.right
        lead, _ = grace_lead(stroke.grace)
        wanted = stroke.grace_voice or stroke.voice
        voice = wanted if wanted in self.table.points else other.voice
        limb = LEFT if stroke.limb == RIGHT else RIGHT
        level = ACCENT_LEVEL if ">" in stroke.grace_marks else GHOST_LEVEL
        if other.time is not None and other.time < now:
            gap = now - other.time
            if other.voice is not None:
                way = 0.0
                if wanted in self.table.points:
                    names = self.table.names
                    way = self.table.grace_times[
                        0 if limb == RIGHT else 1, names.index(other.voice), names.index(wanted)
                    ]
                # Graces rebound as with everybody.
                part = rebound(gap, other.gaps, HAND_REBOUND)
                needed = max(self.restrike[limb] * factor_of(part, level, other.level), way)
                self.grace_pace = max(1e-4, needed + lead - other.head_start) / gap
            other.gaps.append(gap)
        if other.voice is not None and voice is not None and other.voice != voice:
            other.move = self.table.moves[other.voice, voice].across
        # The hand is at this voice now and has gained its head start.
        other.time, other.voice, other.level, other.head_start, other.run = (now, voice, level, GRACE_LEAST, 0)
        own = self.right if stroke.limb == RIGHT else self.left
        own.run = 0

    def run_on(self, start: LimbState, now: float) -> int:
        """How many strokes in a row this one makes; a rest of more than an eighth begins a new run."""
        return start.run + 1 if start.time is not None and now - start.time <= self.run_gap else 1

    def blank(self, out: Walk, stroke: Stroke) -> None:
        """A stroke nobody plays yet: nothing moves."""
        needed = min(self.restrike[RIGHT], self.restrike[LEFT])
        out.rows.append(
            Row(None, 0.0, needed, None, None, None, 0, {term: 0.0 for term in TERMS if term != "squeeze"})
        )

    def hand(self, out: Walk, stroke: Stroke, start: LimbState, now: float, alone: bool) -> None:
        table, limb, voice, marks = self.table, stroke.limb, stroke.voice, stroke.marks
        time, was, run = start.time, start.voice, self.run_on(start, now)
        known = voice in table.points
        move = table.moves[was, voice] if known and was is not None else STAY
        moves = move.distance > 0.0
        gap = pace = None
        if time is not None and now > time:
            gap = now - time
        part = 1.0 if gap is None else rebound(gap, start.gaps, HAND_REBOUND)
        level = level_of(marks)
        way = 0.0
        if moves:
            times = table.sweep_times if run > 1 else table.travel_times
            way = times[0 if limb == RIGHT else 1, table.names.index(was), table.names.index(voice)]
        own = table.player.constants
        bounced = own_part(
            part, own.right_rebound if limb == RIGHT else own.left_rebound, HAND_REBOUND[0],
            table.player.skill_of(limb),
        )  # fmt: skip
        needed = max(self.restrike[limb] * factor_of(bounced, level, level if time is None else start.level), way)
        lift = 0.0
        w = self.weights
        if time is not None:
            if gap is not None:
                if stroke.grace or start.head_start:
                    needed = max(1e-4, needed + grace_lead(stroke.grace)[1] - start.head_start)
                pace = needed / gap
            if level != start.level:
                lift = w.lift * lift_cost(level, start.level, pace)
        cost = {
            "pace": w.pace * (pace_cost(pace) + (pace_cost(self.grace_pace) if stroke.grace else 0.0)),
            "reach": w.reach * reach_cost(table.reach[limb][voice], table.lean[limb][voice]) if known else 0.0,
            "cross": 0.0,
            "turn": w.turn * turn_cost(start.move, move.across, 0.0) if moves else 0.0,
            "lift": lift,
            "load": w.load * load_cost(run, pace, False),
            "switch": 0.0,
            "keep": 0.0,
            "figure": 0.0,
            "control": w.control * control_cost(part),
            "coordination": 0.0,
        }
        if stroke.grace:
            self.grace_pace = None
        reach = table.reach[limb].get(voice)
        out.rows.append(Row(gap, move.distance, needed, pace, reach, was, run, cost))
        state = self.state[limb]
        state.time, state.level, state.run, state.head_start = now, level, run, 0.0
        if gap is not None:
            state.gaps = [*start.gaps, gap]
        if known:
            state.voice = voice
            if moves:
                state.move = move.across

    def foot(self, out: Walk, stroke: Stroke, start: LimbState, now: float) -> None:
        table, limb, marks = self.table, stroke.limb, stroke.marks
        time, was, last_limb, run = start.time, start.voice, start.last_limb, self.run_on(start, now)
        travel = table.foot_distance(limb, last_limb) if last_limb else 0.0
        gap = pace = None
        if time is not None and now > time:
            gap = now - time
        part = 1.0 if gap is None else rebound(gap, start.gaps, FOOT_REBOUND)
        width = min(table.pedal_widths.get(SECOND_KICK, 80.0), table.pedal_widths.get(HAT_FOOT, 80.0))
        bounced = own_part(part, self.table.player.constants.foot_rebound, FOOT_REBOUND[0], 0.75)
        needed = self.restrike[limb] * factor_of(
            bounced, level_of(marks), level_of(marks) if time is None else start.level
        )
        if travel:
            way = float(travel_times(travel, width, table.player.skill_of(HAT_FOOT)))
            needed = max(needed, way * OTHER_FOOT)
        state = self.state[limb]
        if gap is not None:
            # The ear joins two feet's strokes that are closer than 50 ms.
            other = LEFT if limb == KICK else RIGHT
            since = [t for t, feet in self.foot_times if t < now - 1e-12]
            if since and other in dict(self.foot_times)[since[-1]]:
                needed = max(needed, 0.05 * gap / (now - since[-1]))
            pace = needed / gap
            state.gaps = [*start.gaps, gap]
        level = level_of(marks)
        w = self.weights
        cost = {
            "pace": w.pace * pace_cost(pace),
            "reach": 0.0,
            "cross": 0.0,
            "turn": 0.0,
            "lift": w.lift * lift_cost(level, start.level, pace) if time is not None else 0.0,
            "load": w.load * load_cost(run, pace, True),
            "switch": 0.0,
            "keep": 0.0,
            "figure": 0.0,
            "control": 0.0,
            "coordination": 0.0,
        }
        reach = table.reach.get(limb, {}).get("")
        out.rows.append(Row(gap, travel, needed, pace, reach, was, run, cost))
        state.time, state.level, state.run = now, level, run
        state.voice, state.last_limb = stroke.voice, limb

    def arms(self, out: Walk, hands: Sequence[Stroke]) -> None:
        """Twist once the hands of this moment have landed."""
        table, w = self.table, self.weights
        right, left = self.right.voice, self.left.voice
        if right is None or left is None:
            return
        a, b = table.points[right], table.points[left]
        bearing = math.atan2((a[0] + b[0]) / 2, max((a[1] + b[1]) / 2, 1.0))
        mover = self.mover(out, hands)
        if self.bearing is not None and bearing != self.bearing:
            out.rows[mover.index - self.base].cost["turn"] += w.turn * turn_cost(
                None, (0.0, 0.0), abs(bearing - self.bearing)
            )
        self.bearing = bearing

    def mover(self, out: Walk, hands: Sequence[Stroke]) -> Stroke:
        """Of hands that strike together the one with the longer way."""
        return max(hands, key=lambda s: out.rows[s.index - self.base].travel) if len(hands) > 1 else hands[0]

    def cross_over(self, out: Walk, times: Sequence[float], length: float | None) -> None:
        """Crossings of a round, each hand where it is on its way; and what they cost."""
        w = self.weights
        lines = {hand: self.line(hand, times, length) for hand in (RIGHT, LEFT)}
        found: list[Cross | None] = []
        for event, posture in zip(self.pattern.events, out.postures):
            found.append(self.crossed(lines, times[event.indices[0]], posture) if event.hands else None)
        moments = [k for k, event in enumerate(self.pattern.events) if event.hands]
        brought = {
            k: self.brought(lines, times, length, moments, n, out)
            for n, k in enumerate(moments)
            if found[k] is not None and (not (n or length is not None) or found[moments[n - 1]] is None)
        }
        first = RIGHT if self.table.player.handedness == "right" else LEFT
        arrivals = {k: Arrival(stroke, hand or first) for k, (hand, stroke) in brought.items()}
        # Going round twice lets a hold that begins at the end of a loop go on at its beginning.
        last = None
        for turn in (0, 1) if length is not None else (1,):
            for k in moments:
                cross = found[k]
                if cross is not None:
                    said = self.said(lines, times, length, k)
                    cross = self.decided(cross, last, said, brought.get(k, (None, 0))[0])
                    if turn:
                        found[k] = cross
                last = cross
        for k in moments:
            cross = found[k]
            if cross is None:
                continue
            for stroke in self.pattern.events[k].hands:
                out.rows[stroke.index].cost["cross"] += w.cross * cross_cost(cross.clearance, False)
            if k in brought:
                stroke_of = brought[k][1]
                more = cross_cost(cross.clearance, True) - cross_cost(cross.clearance, False)
                out.rows[stroke_of].cost["cross"] += w.cross * more
                if stroke_of not in out.entered or cross.clearance < out.entered[stroke_of].clearance:
                    out.entered[stroke_of] = cross
        now = found[moments[-1]] if moments and length is not None else None
        by = arrivals[max(arrivals)] if arrivals and now is not None else None
        for k, posture in enumerate(out.postures):
            if self.pattern.events[k].hands:
                now = found[k]
                by = None if now is None else arrivals.get(k, by)
            out.postures[k] = posture._replace(cross=now, brought=by)

    def line(self, hand: str, times: Sequence[float], length: float | None) -> list[tuple[float, str]]:
        """When a hand strikes which voice, its graces among them, over three rounds of a loop."""
        rows: list[tuple[float, str]] = []
        for turn in (-1, 0, 1) if length is not None else (0,):
            for event in self.pattern.events:
                time = times[event.indices[0]] + turn * (length or 0.0)
                for s in event.hands:
                    if s.limb == hand:
                        rows.append((time, s.voice))
                one = event.hands[0] if event.hands_alone else None
                if one is not None and one.grace and one.limb != hand:
                    rows.append((time, one.grace_voice or one.voice))
        known: list[tuple[float, str]] = []
        for time, voice in rows:
            if voice not in self.table.points:
                if not known:
                    continue
                voice = known[-1][1]
            known.append((time, voice))
        return known

    def place(self, lines: dict[str, list[tuple[float, str]]], now: float, hand: str) -> tuple[int, int, float]:
        """Where a hand is: the voice it struck last (-1: none), where it is on its way to (-1: it stays), how far."""
        names = self.table.names
        last = [(t, v) for t, v in lines[hand] if t <= now + 1e-9]
        later = next(((t, v) for t, v in lines[hand] if t > now + 1e-9), None)
        if not last:
            return -1, -1, 0.0
        time, voice = last[-1]
        to, done = -1, 0.0
        if later is not None and now - time > 1e-9 and later[1] != voice:
            to = names.index(later[1])
            u = min(1.0, (now - time) / (later[0] - time) / 0.65)
            done = u * u * u * (10 - 15 * u + 6 * u * u)
        return names.index(voice), to, done

    def meet(self, right: tuple[int, int, float], left: tuple[int, int, float]) -> Cross | None:
        if right[0] < 0 or left[0] < 0:
            return None
        return self.table.crossed_on_the_way(*(np.array([x]) for x in (*right, *left)))[0]

    def crossed(self, lines: dict[str, list[tuple[float, str]]], now: float, posture: Posture) -> Cross | None:
        if posture.right is None or posture.left is None:
            return None
        right, left = (self.place(lines, now, hand) for hand in (RIGHT, LEFT))
        if right[1] < 0 and left[1] < 0:
            return self.table.cross.get((posture.right, posture.left))
        return self.meet(right, left)

    def tip(self, place: tuple[int, int, float]) -> np.ndarray:
        voice, to, done = place
        tips = self.table.tips
        return tips[voice] + done * (tips[to if to >= 0 else voice] - tips[voice])

    def brought(
        self,
        lines: dict[str, list[tuple[float, str]]],
        times: Sequence[float],
        length: float | None,
        moments: list[int],
        n: int,
        out: Walk,
    ) -> tuple[str | None, int]:
        """The hand whose move makes the crossing that begins at a moment, None of two first strokes; and in which
        stroke that move ends.
        """
        events, first = self.pattern.events, RIGHT if self.table.player.handedness == "right" else LEFT
        now = times[events[moments[n]].indices[0]]
        then = None
        if n or length is not None:
            then = times[events[moments[n - 1]].indices[0]] - (0.0 if n else length or 0.0)
        new = {}
        old = {}
        for hand in (RIGHT, LEFT):
            new[hand] = self.place(lines, now, hand)
            old[hand] = (-1, -1, 0.0) if then is None else self.place(lines, then, hand)
        fresh = [hand for hand in (RIGHT, LEFT) if old[hand][0] < 0]
        for hand in fresh:
            old[hand] = new[hand]
        gone = {hand: math.dist(self.tip(new[hand]), self.tip(old[hand])) for hand in (RIGHT, LEFT)}
        moved = [hand for hand in (RIGHT, LEFT) if gone[hand] > 5.0]
        if len(moved) == 1:
            mover: str | None = moved[0]
        elif moved:
            pairs = {RIGHT: (new[RIGHT], old[LEFT]), LEFT: (old[RIGHT], new[LEFT])}
            alone = [
                hand for hand, pair in pairs.items()
                if math.dist(self.tip(pair[0]), self.tip(pair[1])) > 5.0 and self.meet(*pair) is not None
            ]  # fmt: skip
            other = LEFT if first == RIGHT else RIGHT
            mover = alone[0] if len(alone) == 1 else other if gone[other] > gone[first] else first
        else:
            mover = None if len(fresh) == 2 else LEFT if LEFT in fresh else RIGHT
        hand = mover or first
        order = moments[n:] + moments[:n]
        strokes = (s for k in order for s in self.ends(events[k].hands, hand, events[k].hands_alone))
        return mover, next(strokes)

    @staticmethod
    def ends(hands: Sequence[Stroke], hand: str, alone: bool) -> list[int]:
        """The strokes of a moment in which a hand's move can end: its own, or one whose graces it plays."""
        own = [s.index for s in hands if s.limb == hand]
        return own or [s.index for s in hands[:1] if alone and s.grace]

    def said(
        self, lines: dict[str, list[tuple[float, str]]], times: Sequence[float], length: float | None, k: int
    ) -> int:
        """Who goes over by the player's marks, +1 for the right hand: those of this moment, or else of the stroke to
        which a hand is on its way, or else of its last one.
        """
        events = self.pattern.events
        now = times[events[k].indices[0]]
        rows: dict[str, list[tuple[float, int]]] = {RIGHT: [], LEFT: []}
        for turn in (-1, 0, 1) if length is not None else (0,):
            for event in events:
                for hand in (RIGHT, LEFT):
                    mine = [s for s in event.hands if s.limb == hand]
                    if mine:
                        marks = mine[-1].marks
                        over = 1 if "'" in marks else -1 if "," in marks else 0
                        time = times[event.indices[0]] + turn * (length or 0.0)
                        rows[hand].append((time, over if hand == RIGHT else -over))
        own = {hand: [said for time, said in rows[hand] if abs(time - now) < 1e-9] for hand in (RIGHT, LEFT)}
        for hand in (LEFT, RIGHT):
            if own[hand] and own[hand][-1]:
                return own[hand][-1]
        away = [hand for hand in (RIGHT, LEFT) if not own[hand]]
        for hand in away:
            later = [said for time, said in rows[hand] if time > now]
            if self.place(lines, now, hand)[1] >= 0 and later and later[0]:
                return later[0]
        for hand in away:
            last = [said for time, said in rows[hand] if time < now]
            if last and last[-1]:
                return last[-1]
        return 0

    @staticmethod
    def decided(cross: Cross, before: Cross | None, said: int, mover: str | None) -> Cross:
        """Who goes over: whom the player chose, else the higher one, else the one that came second."""
        over, chosen = cross.over, False
        if said:
            over, chosen = RIGHT if said > 0 else LEFT, True
        elif before is not None and before.chosen:
            over, chosen = before.over, True
        elif cross.either:
            over = before.over if before is not None and before.either else mover or cross.over
        against = chosen and not cross.either and over != cross.over
        return Cross(over, 0.0 if against else cross.clearance, cross.place, cross.either, chosen)

    def lead(self, out: Walk, hands: Sequence[Stroke], rule: str) -> None:
        played = {s.limb: s.index for s in hands}
        w = self.weights
        if self.surface is not None and rule == "surface":
            played = {s.limb: s.index for s in hands if s.voice == self.surface}
            if not played:
                return
        # Both hands on the beat: whoever led goes on leading.
        hand = self.leader if self.leader in played else next(iter(played))
        assert hand is not None
        index = played[hand]
        out.lead.append(index)
        if self.leader is not None and hand != self.leader:
            out.switches.append(index)
            out.rows[index - self.base].cost["switch"] += w.switch * switch_cost()
        self.other_lead(out, hand, index)
        self.leader = hand

    def habits(self, out: Walk, repeat: bool) -> None:
        """A kept surface that changes hands, and sticking that does not come back."""
        w, events = self.weights, self.pattern.events
        on = [(e, {s.limb for s in e.hands if s.voice == self.surface}) for e in events]
        on = [row for row in on if row[1]]
        sides = ["".join(hands) if len(hands) == 1 else "" for _, hands in on]
        for k, (event, _) in enumerate(on):
            last, before = (sides[(k - n) % len(on)] if k >= n or repeat else "" for n in (1, 2))
            first = next(s for s in event.strokes if s.limb in (RIGHT, LEFT) and s.voice == self.surface)
            line = all(len([s for s in e.strokes if s.limb not in FEET]) < 2 for e in events)
            cost = keep_cost(sides[k], last, before, self.alone_before_event(on[k][0], repeat), line)
            if sides[k] and (sides[k] == RIGHT) != (self.table.player.handedness == "right"):
                cost += 0.3
            out.rows[first.index].cost["keep"] += w.keep * cost
        moments = [e for e in events if e.hands]
        length = self.pattern.length
        for k, event in enumerate(moments):
            previous: Event | None = moments[k - 1] if k or repeat else None
            if previous is None:
                continue
            gap = float(event.start - previous.start + (0 if k else length))
            alone = [{s.limb for s in e.hands} for e in (event, previous)]
            if (
                alone[0] == alone[1]
                and len(alone[0]) == 1
                and gap <= RUN_GAP
                and event.hands[0].voice != self.surface
                and all(s.voice != self.surface for s in previous.hands)
            ):
                weak = (event.hands[0].limb == RIGHT) != (self.table.player.handedness == "right")
                anew = not weak and any(bar.start == event.start and not bar.offset for bar in self.pattern.bar_rows)
                out.rows[event.hands[0].index].cost["load"] += w.load * (0.25 + 0.03 * weak - 0.05 * anew)
        if self.pattern.groups:
            return
        beats: dict[Fraction, dict[Fraction, Event]] = {}
        for event in events:
            if any(s.limb not in FEET for s in event.strokes):
                bar = self.pattern.bar_at(event.start)
                into = (event.start - bar.start + bar.offset) % lead_beat(bar.meter)
                beats.setdefault(event.start - into, {})[into] = event

        def shape(begin: Fraction) -> list[tuple[Fraction, int]] | None:
            found = beats.get(begin)
            if found is None:
                return None
            return [(into, sum(s.limb not in FEET for s in e.strokes)) for into, e in sorted(found.items())]

        for begin, found in beats.items():
            beat = lead_beat(self.pattern.bar_at(begin).meter)
            if not shape(begin) == shape(begin - beat) == shape(begin - 2 * beat):
                continue
            for into, event in found.items():
                now, *then = ({s.limb for s in beats[begin - n * beat][into].hands} for n in (0, 1, 2))
                if event.hands and now not in then:
                    out.rows[event.hands[0].index].cost["figure"] += w.figure * figure_cost()

    def alone_before_event(self, event: Event, repeat: bool) -> str:
        """The hand that struck alone at the last moment of the hands, if that is not long ago."""
        moments = [e for e in self.pattern.events if e.hands]
        k = moments.index(event)
        if not k and not repeat:
            return ""
        gap = float(event.start - moments[k - 1].start + (0 if k else self.pattern.length))
        hands = {s.limb for s in moments[k - 1].hands}
        return hands.pop() if len(hands) == 1 and gap <= RUN_GAP else ""

    def other_lead(self, out: Walk, hand: str, index: int) -> None:
        if (hand == RIGHT) != (self.table.player.handedness == "right"):
            out.rows[index - self.base].cost["switch"] += self.weights.switch * other_lead_cost()
            voice = self.pattern.strokes[index].voice
            piece = self.table.kit.piece(voice.partition(":")[0])
            point = self.table.points.get(voice)
            if voice != self.surface and piece is not None and piece.kind == "crash" and point is not None:
                far = point[0] < 0 if hand == RIGHT else point[0] > 0
                out.rows[index - self.base].cost["switch"] += self.weights.switch * 0.4 * far


def kept_surface(pattern: Pattern, repeat: bool) -> str | None:
    """The voice that is no drum with the most strokes, four at least: four moments in a row, or three eighths of all.

    A loop is looked at as four rounds.
    """
    moments = [[s.voice for s in e.strokes if s.limb not in FEET] for e in pattern.events]
    moments = [m for m in moments if m] * (4 if repeat else 1)
    voices = {
        v for m in moments for v in m if v.split(":")[0].rstrip("0123456789") not in ("sn", "t", "f", "ft", "bd")
    }
    counts = {v: sum(v in m for m in moments) for v in voices}
    most = max(counts.values(), default=0)
    first = [v for v, count in counts.items() if count == most]
    if len(first) != 1 or most < 4:
        return None
    marks = "".join("x" if first[0] in m else "-" for m in moments)
    return first[0] if "xxxx" in marks or 8 * most >= 3 * sum(len(m) for m in moments) else None


def leads_at(pattern: Pattern, event: Event) -> bool:
    """Whether a hand can lead here: on the first stroke of a group, outside of groups on a beat."""
    for group in pattern.groups:
        if group.start <= event.start < group.start + group.length:
            return event.start == group.start
    return event.on_beat


def lead_rule(pattern: Pattern, event: Event, surface: str | None) -> str:
    """How an event is led: by the hand on the kept surface, by whoever strikes, or not at all."""
    if not leads_at(pattern, event):
        return ""
    if surface is None:
        return "stroke"
    if any(s.voice == surface for s in event.strokes):
        return "surface"
    for later in pattern.events[pattern.events.index(event) + 1 :]:
        if leads_at(pattern, later):
            break
        if any(s.voice == surface for s in later.strokes):
            return ""
    return "stroke"
