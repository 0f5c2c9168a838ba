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
from typing import NamedTuple

from deft_reach.core.cost import TERMS, WALL_PACE, Weights
from deft_reach.core.limbs import EITHER, FEET, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM
from deft_reach.core.motion.reach_table import STAY, Cross, ReachTable
from deft_reach.core.motion.timing import GRACE_LEAD, grace_lead, needed_time, restrike_time
from deft_reach.core.pattern import RUN_IN_EVENTS, Event, Pattern, Stroke
from deft_reach.core.report import Posture


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
    return stretched * stretched + 0.5 * folded * folded + 3.0 * lean / MAX_LEAN_MM


def cross_cost(clearance: float, entering: bool) -> float:
    """Crossing costs when it is made and a little while it lasts; the tighter the arms pass, the more."""
    tight = 1.0 + 80.0 / (clearance + 40.0)
    return (0.9 if entering else 0.12) * tight


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
    return (0.08 if foot else 0.06) * min(run - 2, 8) * hurry * hurry


def switch_cost() -> float:
    """One change of the leading hand from beat to beat."""
    return 0.08


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

    __slots__ = ("gap", "head_start", "last_limb", "level", "move", "run", "time", "voice")

    def __init__(self) -> None:
        self.time: float | None = None
        self.voice: str | None = None
        self.level = PLAIN_LEVEL
        self.move: tuple[float, float] | None = None
        self.run = 0
        self.head_start = 0.0
        self.last_limb = ""
        self.gap = math.inf


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

    ``entered`` maps the stroke that brings the arms into a crossed position to the crossing; ``continued`` says
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
    walker = Walker(pattern, table, weights, RUN_GAP * whole)
    if repeat:
        # A short loop goes round several times before its runs and doubles have settled.
        rounds = -(-RUN_IN_EVENTS // max(1, len(pattern.events)))
        for earlier in range(rounds, 1, -1):
            walker.round(times, -length * earlier)
        walker.round(times, -length)
    return walker.round(times, 0.0)


class Walker:
    def __init__(self, pattern: Pattern, table: ReachTable, weights: Weights, run_gap: float) -> None:
        self.run_gap = run_gap
        self.pattern = pattern
        self.table = table
        self.weights = weights
        self.skill = {limb: table.player.skill_of(limb) for limb in "RLKJH"}
        self.right, self.left = LimbState(), LimbState()
        self.kick, self.hat_foot = LimbState(), LimbState()
        self.state = {
            RIGHT: self.right,
            LEFT: self.left,
            KICK: self.kick,
            SECOND_KICK: self.hat_foot,
            HAT_FOOT: self.hat_foot,
        }
        self.cross: Cross | None = None
        self.bearing: float | None = None
        self.leader: str | None = None
        self.grace_pace = 0.0
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
        out = Walk(continued=self.cross is not None)
        for event in events[first:]:
            self.moment(out, event, times[event.indices[0]] + shift)
        return out

    def moment(self, out: Walk, event: Event, now: float) -> None:
        """One moment: every stroke that falls together."""
        hands, feet = event.hands, event.feet
        alone = event.hands_alone
        self.grace_pace = 0.0
        if alone and hands[0].grace:
            # With both hands striking there is none left for a grace.
            self.graces(hands[0], now)
        starts = self.state
        if len(event.strokes) > 1 and event.limb_twice:
            # Every stroke starts from where its limb was before this moment.
            starts = {limb: copy(state) for limb, state in self.state.items()}
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
            if event.on_beat:
                self.lead(out, hands)
        out.postures.append(Posture(event.start, self.right.voice, self.left.voice, self.cross, event.indices))

    def graces(self, stroke: Stroke, now: float) -> None:
        """The other hand's graces: it has to come to this voice, and is there a little before the stroke."""
        other = self.left if stroke.limb == RIGHT else self.right
        lead, _ = grace_lead(stroke.grace)
        voice = stroke.voice if stroke.voice in self.table.points else other.voice
        if other.time is not None and other.voice is not None and other.time < now:
            move = self.table.moves.get((other.voice, stroke.voice), STAY)
            limb = LEFT if stroke.limb == RIGHT else RIGHT
            needed = max(restrike_time(limb, ".", False), move.time) * self.skill[limb] + lead - other.head_start
            self.grace_pace = max(0.0, needed) / (now - other.time)
        # A grace is a low stroke: the hand is at this voice now and has gained its head start.
        other.time, other.voice, other.level, other.head_start, other.run = (
            now,
            voice,
            GHOST_LEVEL,
            GRACE_LEAD,
            0,
        )
        own = self.right if stroke.limb == RIGHT else self.left
        own.run = 0

    def run_on(self, start: LimbState, now: float) -> int:
        """How many strokes in a row this one makes; a rest of more than an eighth begins a new run."""
        return start.run + 1 if start.time is not None and now - start.time <= self.run_gap else 1

    def blank(self, out: Walk, stroke: Stroke) -> None:
        """A stroke nobody plays yet: nothing moves."""
        needed = restrike_time(RIGHT, stroke.marks, False) * self.skill[RIGHT]
        out.rows.append(
            Row(None, 0.0, needed, None, None, None, 0, {term: 0.0 for term in TERMS if term != "squeeze"})
        )

    def hand(self, out: Walk, stroke: Stroke, start: LimbState, now: float, alone: bool) -> None:
        table, limb, voice, marks = self.table, stroke.limb, stroke.voice, stroke.marks
        time, was, run = start.time, start.voice, self.run_on(start, now)
        known = voice in table.points
        move = table.moves[was, voice] if known and was is not None else STAY
        moves = move.distance > 0.0
        restrike = restrike_time(limb, marks, run == 2 and alone and not moves)
        needed = max(restrike, move.time) * self.skill[limb]
        gap = pace = None
        level = level_of(marks)
        lift = 0.0
        w = self.weights
        if time is not None:
            if now > time:
                gap = now - time
                if stroke.grace or start.head_start:
                    needed = max(1e-4, needed + grace_lead(stroke.grace)[1] - start.head_start)
                pace = needed / gap
                if self.grace_pace > pace:
                    # The graces are the harder part of this stroke: what it needs is said in terms of its own gap.
                    pace = self.grace_pace
                    needed = pace * gap
            if level != start.level:
                lift = w.lift * lift_cost(level, start.level, pace)
        cost = {
            "pace": w.pace * pace_cost(pace),
            "reach": w.reach * reach_cost(table.reach[limb][voice], table.lean[limb][voice]) if known else 0.0,
            "cross": 0.0,
            "turn": w.turn * turn_cost(start.move, move.across, 0.0) if moves else 0.0,
            "lift": lift,
            "load": w.load * load_cost(run, pace, False) if run > 2 else 0.0,
            "switch": 0.0,
        }
        reach = table.reach[limb].get(voice)
        out.rows.append(Row(gap, move.distance, needed, pace, reach, was, run, cost))
        state = self.state[limb]
        state.time, state.level, state.run, state.head_start = now, level, run, 0.0
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
        # The second stroke of a burst is the one that the pedal's rebound helps: it follows a longer wait.
        # (A hair less than 0.7, so that a gap of just that part is never a matter of rounding.)
        bounced = travel == 0.0 and gap is not None and gap < 0.7 * (1 - 1e-9) * start.gap
        width = min(table.pedal_widths.get(limb, 80.0), table.pedal_widths.get(last_limb, 80.0))
        needed = needed_time(limb, marks, travel, width, self.skill[limb], bounced)
        state = self.state[limb]
        if gap is not None:
            pace = needed / gap
            state.gap = gap
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
        }
        reach = table.reach.get(limb, {}).get("")
        out.rows.append(Row(gap, travel, needed, pace, reach, was, run, cost))
        state.time, state.level, state.run = now, level, run
        state.voice, state.last_limb = stroke.voice, limb

    def arms(self, out: Walk, hands: Sequence[Stroke]) -> None:
        """Crossing and twist once the hands of this moment have landed."""
        table, w = self.table, self.weights
        right, left = self.right.voice, self.left.voice
        was = self.cross
        self.cross = None
        if right is None or left is None:
            return
        a, b = table.points[right], table.points[left]
        bearing = math.atan2((a[0] + b[0]) / 2, max((a[1] + b[1]) / 2, 1.0))
        mover = hands[0]
        if len(hands) > 1:
            mover = max(hands, key=lambda s: out.rows[s.index - self.base].travel)
        if self.bearing is not None and bearing != self.bearing:
            out.rows[mover.index - self.base].cost["turn"] += w.turn * turn_cost(
                None, (0.0, 0.0), abs(bearing - self.bearing)
            )
        self.bearing = bearing
        cross = table.cross.get((right, left))
        self.cross = cross
        if cross is None:
            return
        entering = was is None
        if entering:
            out.entered[mover.index] = cross
        for stroke in hands:
            made = entering and stroke is mover
            out.rows[stroke.index - self.base].cost["cross"] += w.cross * cross_cost(cross.clearance, made)

    def lead(self, out: Walk, hands: Sequence[Stroke]) -> None:
        played = {s.limb: s.index for s in hands}
        # Both hands on the beat: whoever led goes on leading.
        hand = self.leader if self.leader in played else next(iter(played))
        assert hand is not None
        index = played[hand]
        out.lead.append(index)
        if self.leader is not None and hand != self.leader:
            out.switches.append(index)
            out.rows[index - self.base].cost["switch"] += self.weights.switch * switch_cost()
        self.leader = hand
