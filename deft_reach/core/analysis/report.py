"""What an analysis says: plain immutable values that views and verbs read."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any, Final, NamedTuple, overload

from deft_reach.core.analysis.demands import Moments
from deft_reach.core.analysis.explained import Demand, demands_of
from deft_reach.core.analysis.finding import NEVER_PLAYABLE, Finding, Severity, worst
from deft_reach.core.analysis.habit import Habit, habit_of
from deft_reach.core.model.counting import counted
from deft_reach.core.model.elements import shift_text
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.cost import TERMS
from deft_reach.core.motion.entering import Arrival
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.walk import Posture, Walk

#: Pace in words, with the pace from which each begins.
PACE_BANDS: Final = ((0.0, "slack"), (0.6, "busy"), (0.85, "hurried"), (1.0 + 1e-9, "past the limit"))


def headroom_words(headroom: float) -> str:
    """Headroom as people read it: how much room there is, or how far above the limit the tempo is."""
    if headroom >= 0:
        return f"headroom {headroom * 100:.0f} %"
    return f"{(1 / (1 + headroom) - 1) * 100:.0f} % above the limit"


def level_words(report: Report) -> str:
    """How hard a report's plan is, in one line."""
    s = report.summary
    if report.impossible:
        return "cannot be played"
    if s.level is None:
        return f"{s.open} strokes have no hand yet"
    return f"{s.level}, ease {s.ease:.0f} of 100, cost {s.cost:.1f}"


def serious_words(report: Report) -> str:
    """How many stops and cautions there are; empty where there are none. A stop is no caution."""
    rows = (report.stops, "stop"), (len(report.serious) - report.stops, "caution")
    return ", ".join(counted(count, noun) for count, noun in rows if count)


def pace_word(pace: float | None) -> str:
    """``slack``, ``busy``, ``hurried`` or ``past the limit``; empty for a stroke with nothing before it."""
    if pace is None:
        return ""
    return next(word for start, word in reversed(PACE_BANDS) if pace >= start)


class GraceReport(NamedTuple):
    """The graces before a stroke, as the hand that plays them has them: units as in StrokeReport."""

    limb: str
    voice: str
    came_from: str
    gap: float
    travel_mm: float
    needed: float
    pace: float
    tempo_limit: float

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


class StrokeReport(NamedTuple):
    """One stroke: times in seconds, distances in mm, tempo limit in BPM.

    ``gap``, ``pace`` and ``tempo_limit`` are None for a limb's first stroke when the pattern is not a loop;
    ``came_from`` is the voice that limb struck before, None if none.
    """

    index: int  # type: ignore[assignment]
    bar: int
    beat: Fraction
    time: float
    limb: str
    voice: str
    marks: str
    grace: str
    gap: float | None
    travel_mm: float
    needed: float
    pace: float | None
    tempo_limit: float | None
    reach: float | None
    stroke_type: str
    cost: dict[str, float]
    came_from: str | None
    graces: tuple[GraceReport, ...] = ()

    @property
    def total(self) -> float:
        return sum(self.cost.values())

    def as_dict(self) -> dict[str, Any]:
        """The fields of the command contract: times in seconds, distances in mm, paces without a unit."""
        return {
            "index": self.index,
            "bar": self.bar,
            "beat": float(self.beat),
            "time": self.time,
            "limb": self.limb,
            "voice": self.voice,
            "marks": self.marks,
            "grace": self.grace,
            "gap": self.gap,
            "travel_mm": self.travel_mm,
            "needed": self.needed,
            "pace": self.pace,
            "tempo_limit": self.tempo_limit,
            "reach": self.reach,
            "stroke_type": self.stroke_type,
            "cost": self.cost,
            "graces": [grace.as_dict() for grace in self.graces],
        }


class StrokeReports(Sequence[StrokeReport]):
    """Every stroke of a report, put together from the walk's columns when it is asked for."""

    def __init__(
        self, pattern: Pattern, times: Sequence[float], tempo: float, walked: Walk, types: Sequence[str]
    ) -> None:
        self._pattern, self._times, self._tempo = pattern, times, tempo
        self._walk, self._types = walked, types

    @cached_property
    def _all(self) -> tuple[StrokeReport, ...]:
        return tuple(self._one(i) for i in range(len(self)))

    def __len__(self) -> int:
        return len(self._times)

    @overload
    def __getitem__(self, index: int) -> StrokeReport: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[StrokeReport]: ...
    def __getitem__(self, index: int | slice) -> StrokeReport | Sequence[StrokeReport]:
        if isinstance(index, int) and "_all" not in self.__dict__:
            return self._one(range(len(self))[index])
        return self._all[index]

    def __iter__(self) -> Iterator[StrokeReport]:
        return iter(self._all)

    def _one(self, i: int) -> StrokeReport:
        w, s = self._walk, self._pattern.strokes[i]
        pace = w.pace[i]
        return StrokeReport(
            s.index, s.bar, s.beat, self._times[i], s.limb, s.voice, s.marks + shift_text(s.shift), s.grace,
            w.gap[i], w.travel[i], w.needed[i], pace, self._tempo / pace if pace else None, w.reach[i],
            self._types[i], dict(zip(TERMS, w.costs[:, i].tolist())), w.came_from[i], self._graces.get(i, ()),
        )  # fmt: skip

    @cached_property
    def _graces(self) -> dict[int, tuple[GraceReport, ...]]:
        return {
            g.index: (
                GraceReport(g.limb, g.voice, g.came_from, g.gap, g.travel, g.needed, g.pace, self._tempo / g.pace),
            )
            for g in self._walk.graces
        }

    @property
    def costs(self) -> Floats:
        """What every stroke costs by each of the TERMS, shape (terms, strokes)."""
        return self._walk.costs

    def totals(self) -> list[float]:
        """What every stroke costs in all."""
        return self._walk.costs.sum(axis=0).tolist()  # type: ignore[no-any-return]

    def tempo_limits(self) -> list[float | None]:
        """Every stroke's own tempo limit (BPM), None where it has none."""
        return [self._tempo / pace if pace else None for pace in self._walk.pace]

    def limits(self) -> list[float]:
        """Every stroke's tempo limit (BPM), its graces' where that is lower; infinite where it has none."""
        found = [math.inf if limit is None else limit for limit in self.tempo_limits()]
        for grace in self._walk.graces:
            found[grace.index] = min(found[grace.index], self._tempo / grace.pace)
        return found

    def __eq__(self, other: object) -> bool:
        return isinstance(other, StrokeReports) and self._all == other._all

    __hash__ = None  # type: ignore[assignment]


class Load(NamedTuple):
    """How much one limb has to do.

    Rates in strokes a second; ``longest_run`` is its most strokes in a row, with none in between that it is not
    part of; ``share`` of all strokes, 0 to 1.
    """

    strokes: int
    rate: float
    peak_rate: float
    longest_run: int
    share: float


@dataclass(frozen=True)
class Summary:
    """The pattern as a whole; ``headroom`` is tempo limit ÷ tempo − 1.

    ``level`` is easy, busy, hard or impossible, None while strokes are ``open``: still without a hand. ``difficulty``
    is what it is read from, 1 at the limit of what this player keeps together (see the module of that name).
    """

    cost: float
    cost_per_bar: float
    ease: float
    tempo: float
    tempo_limit: float | None
    bottleneck: int | None
    headroom: float | None
    lead: str | None
    linear: bool
    strokes: int
    duration: float
    notes_per_second: float
    load: dict[str, Load]
    terms: dict[str, float]
    level: str | None
    difficulty: float
    open: int

    def as_dict(self) -> dict[str, Any]:
        """The fields of the command contract, tempi in BPM."""
        # As long as strokes lack hands there is no verdict.
        known = not self.open
        return {
            "cost": self.cost,
            "cost_per_bar": self.cost_per_bar,
            "ease": self.ease if known else None,
            "tempo": self.tempo,
            "tempo_limit": self.tempo_limit if known else None,
            "level": self.level,
            "difficulty": self.difficulty,
            "open": self.open,
            "bottleneck": self.bottleneck if known else None,
            "headroom": self.headroom if known else None,
            "lead": self.lead,
            "linear": self.linear,
            "strokes": self.strokes,
            "duration": self.duration,
            "notes_per_second": self.notes_per_second,
            "load": {limb: load._asdict() for limb, load in self.load.items()},
        }


@dataclass(frozen=True)
class Report:
    """A whole analysis, with the pattern and the reach table it was made from.

    ``lead`` lists the stroke that leads each beat, ``switches`` those of them where the lead changes hands.
    """

    pattern: Pattern
    table: ReachTable
    tempo: float
    repeat: bool
    strokes: StrokeReports
    postures: tuple[Posture, ...]
    findings: tuple[Finding, ...]
    summary: Summary
    lead: tuple[int, ...] = ()
    switches: tuple[int, ...] = ()
    #: What there is to say of the text rather than of the motion: marks that decide nothing.
    remarks: tuple[Finding, ...] = ()
    #: Crossings that come and go on the way to an event, by the event's number.
    crossed_before: Mapping[int, tuple[Arrival, Cross]] = field(default_factory=dict)
    #: What is demanded at every moment.
    moments: Moments | None = None

    @cached_property
    def posture_of(self) -> dict[int, int]:
        """Stroke index → index of its posture."""
        return {stroke: i for i, posture in enumerate(self.postures) for stroke in posture.strokes}

    @cached_property
    def arrivals(self) -> dict[int, tuple[str, Cross]]:
        """The strokes in which a move ends that brings the arms across: whose it is, and how they cross."""
        found: dict[int, tuple[str, Cross]] = {}
        for posture in self.postures:
            if posture.cross is not None and posture.brought is not None:
                found.setdefault(posture.brought.stroke, (posture.brought.hand, posture.cross))
        for arrival, cross in self.crossed_before.values():
            found.setdefault(arrival.stroke, (arrival.hand, cross))
        return found

    def cross_at(self, index: int) -> Cross | None:
        """How the arms cross at a stroke, or else on the way to it; None where they do neither."""
        cross = self.postures[self.posture_of[index]].cross
        return cross if cross is not None or index not in self.arrivals else self.arrivals[index][1]

    @cached_property
    def demands(self) -> tuple[Demand, ...]:
        """What makes it as hard as it is, the greatest first; empty where nothing is demanded."""
        return () if self.moments is None else demands_of(self.pattern, self.moments, self.table)

    @cached_property
    def habit(self) -> Habit:
        """What in it goes against what hands have learned."""
        return habit_of(self.pattern, self.strokes.costs, self.tempo, self.repeat, self.table.kit, self.table.player)

    @property
    def said(self) -> tuple[Finding, ...]:
        """The findings, and what else there is to say."""
        return self.findings + self.remarks

    @property
    def impossible(self) -> bool:
        """Whether the answer to "can this be played here at all" is no."""
        return any(finding.kind in NEVER_PLAYABLE for finding in self.findings)

    @property
    def stopped(self) -> bool:
        """Whether anything at all stops it at this tempo: no time, no limb, no reach."""
        return self.worst is Severity.STOP

    @cached_property
    def worst(self) -> Severity | None:
        """The highest severity among the findings, None if there are none."""
        return worst(finding.severity for finding in self.findings)

    @cached_property
    def serious(self) -> tuple[Finding, ...]:
        """The findings that are more than notes."""
        return tuple(finding for finding in self.findings if finding.severity.serious)

    @property
    def stops(self) -> int:
        """How many findings are stops."""
        return sum(finding.severity is Severity.STOP for finding in self.serious)

    def as_dict(self) -> dict[str, Any]:
        """The command contract's object."""
        return {
            "strokes": [stroke.as_dict() for stroke in self.strokes],
            "findings": [finding.as_dict() for finding in self.findings],
            "summary": {
                **self.summary.as_dict(),
                "demands": [demand.as_dict() for demand in self.demands],
            },
        }
