"""A pattern: what is played when by which limb, with the text it was written in.

A pattern is always the reading of a stroke text and keeps that text to the letter, so comments, spacing and line
breaks survive every edit. Times are exact fractions of a whole note; seconds appear only once a tempo is known.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Final, NamedTuple

from deft_reach.core.model.counting import syllable
from deft_reach.core.model.derived import DerivedValues
from deft_reach.core.model.elements import (
    NOWHERE,
    BarLine,
    Comment,
    Grid,
    GroupClose,
    GroupOpen,
    LineBreak,
    Meter,
    Rest,
    Span,
    Step,
    Strike,
    Swing,
    Tempo,
    Tie,
    grace_text_of,
)
from deft_reach.core.model.limbs import EITHER, FEET, HANDS, HAT_FOOT, KICK, SECOND_KICK

#: Which hand goes over where the arms cross: this one, or the other.
OVER, UNDER = "'", ","


Element = Step | Rest | Tie | Grid | BarLine | GroupOpen | GroupClose | Meter | Tempo | Swing | Comment | LineBreak


class Stroke(NamedTuple):
    """A strike placed in time.

    ``start`` and ``length`` are fractions of a whole note from the pattern's beginning; ``bar`` counts from 1 with
    the pickup as 0; ``beat`` counts from 1 in the meter's own beats; ``moment`` is the same for all strokes that
    fall together; ``group`` is the number of its group or −1; ``shift`` is how many milliseconds later it is meant,
    earlier if negative, which changes neither its place nor what it asks of the hand.
    """

    index: int  # type: ignore[assignment]
    start: Fraction
    length: Fraction
    bar: int
    beat: Fraction
    limb: str
    voice: str
    marks: str
    grace: str
    moment: int
    group: int
    span: Span
    grace_voice: str | None = None
    grace_marks: str = ""
    shift: int = 0

    def played_by(self, limb: str) -> Stroke:
        """The same stroke of another limb; several times as fast as ``_replace``."""
        return tuple.__new__(Stroke, (*self[:_LIMB], limb, *self[_LIMB + 1 :]))

    @property
    def grace_text(self) -> str:
        """The graces as they are written before the limb."""
        return grace_text_of(self.grace, self.grace_voice, self.grace_marks)

    def strike(self, named: bool = True) -> Strike:
        """What is written of it; without its voice unless that is ``named``."""
        return Strike(
            self.limb, self.voice if named else None, self.marks, self.grace, NOWHERE, self.grace_voice,
            self.grace_marks, self.shift,
        )  # fmt: skip


_LIMB: Final = Stroke._fields.index("limb")


class Group(NamedTuple):
    """A chunk the player thinks of as one unit: where it starts, how long it is, how many steps it has, its name, and
    how many milliseconds later all of it is meant.
    """

    start: Fraction
    length: Fraction
    steps: int
    span: Span
    name: str = ""
    shift: int = 0


class Bar(NamedTuple):
    """A bar: its number (the pickup is 0), where it starts, how long it is (whole notes), and its meter.

    ``offset`` is how far into a full bar it begins, as written: more than nothing for a pickup. ``stretch`` is how
    long a written whole note lasts in it, where sections of a song have their own tempi.
    """

    number: int
    start: Fraction
    length: Fraction
    meter: tuple[int, int]
    offset: Fraction
    stretch: Fraction = Fraction(1)

    def beat(self, time: Fraction) -> Fraction:
        """A time as a beat of this bar, from 1, in the meter's own beats."""
        return 1 + (self.offset + (time - self.start) / self.stretch) * self.meter[1]

    def time_of(self, beat: Fraction | int) -> Fraction:
        """When a beat of this bar falls, counted from 0 in the meter's own beats; the inverse of ``beat``."""
        return self.start + (Fraction(beat, self.meter[1]) - self.offset) * self.stretch


class Moment(NamedTuple):
    """A step of the grid as written, struck or not: what a lane shows as one column.

    ``beat`` is its place in the bar, from 1; ``on_beat`` says that a hand can lead there.
    """

    start: Fraction
    length: Fraction
    strokes: tuple[int, ...]
    span: Span
    beat: Fraction
    on_beat: bool


class Event(NamedTuple):
    """Everything that is struck at one moment, sorted out for the analysis.

    ``hands_alone`` is true when only one hand strikes; ``limb_twice`` when a limb is asked for twice at once.
    """

    start: Fraction
    strokes: tuple[Stroke, ...]
    indices: tuple[int, ...]
    hands: tuple[Stroke, ...]
    hand_indices: tuple[int, ...]
    feet: tuple[Stroke, ...]
    hands_alone: bool
    both_feet: bool
    limb_twice: bool
    on_beat: bool


class Count(NamedTuple):
    """A step as it is counted: where it is and how long (whole notes), what is said, and whether it is struck."""

    start: float
    length: float
    said: str
    on_beat: bool
    struck: bool


#: A loop is heard at least this many events before it begins: more than any run that costs more by its length.
RUN_IN_EVENTS = 64


class BarFault(NamedTuple):
    """A bar that does not add up: its number, what it holds and should hold (whole notes), and its bar line."""

    number: int
    held: Fraction
    wanted: Fraction
    meter: tuple[int, int]
    span: Span

    @property
    def missing(self) -> Fraction:
        """What is missing, negative for what is over (whole notes)."""
        return self.wanted - self.held


def _start_of(moment: Moment) -> float:
    return float(moment.start)


def _body(limb: str) -> str:
    """The limb a letter moves: the hi-hat foot plays ``J`` too."""
    return HAT_FOOT if limb == SECOND_KICK else limb


def lead_beat(meter: tuple[int, int]) -> Fraction:
    """Length in whole notes of the beat a hand can lead: three eighths in compound meters, else the meter's own."""
    beats, value = meter
    if value >= 8 and beats % 3 == 0 and beats > 3:
        return Fraction(3, value)
    return Fraction(1, value)


@dataclass(frozen=True)
class Pattern:
    """What a stroke text says.

    ``elements`` is the text item by item, ``text`` the text itself. Two patterns are equal when their elements
    are, whatever their spacing.
    """

    elements: tuple[Element, ...]
    text: str = field(compare=False)
    meter: tuple[int, int] = field(compare=False)
    tempo: float | None = field(compare=False)
    #: Length in whole notes, rests included.
    length: Fraction = field(compare=False)
    #: Length of the short first bar, or 0.
    pickup: Fraction = field(compare=False)
    strokes: tuple[Stroke, ...] = field(compare=False)
    groups: tuple[Group, ...] = field(compare=False)
    moments: tuple[Moment, ...] = field(compare=False)
    #: Every bar that is begun, in order; ``meter`` above is the first one's.
    bar_rows: tuple[Bar, ...] = field(compare=False)
    #: Bars that do not add up, where they were let pass.
    faults: tuple[BarFault, ...] = field(compare=False, default=())
    #: The finest note value written.
    finest: int = field(compare=False, default=16)
    #: The swing that strokes, steps and groups are placed with; bars and beats are as written.
    swing: Swing | None = field(compare=False, default=None)

    @cached_property
    def derived(self) -> DerivedValues:
        """What has been worked out from this pattern alone (see ``model.derived``)."""
        return DerivedValues()

    @cached_property
    def bars(self) -> Fraction:
        """How many bars' worth of time the pattern takes, pickup included."""
        return sum((bar.length / Fraction(*bar.meter) for bar in self.bar_rows), Fraction(0))

    @cached_property
    def _bar_begins(self) -> list[Fraction]:
        return [bar.start for bar in self.bar_rows]

    def bars_between(self, start: float, end: float) -> tuple[Bar, ...]:
        """The bars of which something lies between two times (whole notes), or that begin at the second."""
        low = max(0, bisect_right(self._bar_begins, start) - 1)
        return self.bar_rows[low : bisect_right(self._bar_begins, end)]

    @property
    def many_bars(self) -> bool:
        """Whether a place needs its bar to be found: there are several, or a pickup."""
        return bool(self.pickup) or (bool(self.strokes) and self.strokes[-1].bar > 1)

    def bar_at(self, time: Fraction) -> Bar:
        """The bar that a time falls into. Raises IndexError for an empty pattern."""
        return self.bar_rows[max(0, bisect_right(self._bar_begins, time) - 1)]

    @cached_property
    def unassigned(self) -> tuple[int, ...]:
        """Indices of strokes whose hand is still open."""
        return tuple(s.index for s in self.strokes if s.limb == EITHER)

    @cached_property
    def events(self) -> tuple[Event, ...]:
        """Every moment at which something is struck."""
        found = []
        for row in self.moments:
            if not row.strokes:
                continue
            strokes = self.strokes[row.strokes[0] : row.strokes[-1] + 1]
            hands = tuple(s for s in strokes if s.limb in HANDS)
            feet = tuple(s for s in strokes if s.limb in FEET)
            bodies = [_body(s.limb) for s in strokes if s.limb != EITHER]
            found.append(
                Event(
                    row.start,
                    strokes,
                    row.strokes,
                    hands,
                    tuple(s.index for s in hands),
                    feet,
                    len({s.limb for s in hands}) == 1,
                    len({s.limb == KICK for s in feet}) == 2,
                    len(set(bodies)) < len(bodies),
                    row.on_beat,
                )
            )
        return tuple(found)

    @cached_property
    def by_limb_and_voice(self) -> dict[tuple[str, str], tuple[int, ...]]:
        """Which strokes each limb plays on each voice, in order of first appearance."""
        found: dict[tuple[str, str], list[int]] = {}
        for stroke in self.strokes:
            found.setdefault((stroke.limb, stroke.voice), []).append(stroke.index)
        return {key: tuple(indices) for key, indices in found.items()}

    @cached_property
    def grace_voices(self) -> frozenset[str]:
        """The voices on which graces fall that are written with one of their own."""
        return frozenset(s.grace_voice for s in self.strokes if s.grace and s.grace_voice)

    @cached_property
    def starts(self) -> tuple[float, ...]:
        """Every stroke's start in whole notes, as plain numbers."""
        return tuple(float(stroke.start) for stroke in self.strokes)

    @cached_property
    def shifts(self) -> tuple[float, ...]:
        """By how many seconds every stroke is meant later than where it is written; less than 0 is earlier."""
        return tuple(stroke.shift / 1000 for stroke in self.strokes)

    @cached_property
    def event_starts(self) -> tuple[float, ...]:
        """Every event's start in whole notes, as plain numbers."""
        return tuple(float(event.start) for event in self.events)

    @cached_property
    def shortest_step(self) -> float:
        """The shortest step written, in whole notes."""
        steps = [element.step for element in self.elements if isinstance(element, Grid)]
        first = next((e for e in self.elements if isinstance(e, (Grid, Step, Rest))), None)
        if not isinstance(first, Grid):
            swing = next((e for e in self.elements if isinstance(e, Swing)), None)
            steps.append((Grid() if swing is None else swing.grid).step)
        return float(min(steps))

    def moments_between(self, start: float, end: float) -> tuple[Moment, ...]:
        """The steps that begin between two times (whole notes)."""
        low = bisect_left(self.moments, start, key=_start_of)
        return self.moments[low : bisect_right(self.moments, end, low, key=_start_of)]

    @cached_property
    def counts(self) -> tuple[Count, ...]:
        """Every step of the grid with what is counted on it."""
        return self.counts_of(self.moments)

    def counts_of(self, moments: Sequence[Moment]) -> tuple[Count, ...]:
        """What is counted on these steps."""
        return tuple(
            Count(
                float(row.start), float(row.length), syllable(row.beat, self._step_of(row)),
                row.beat.denominator == 1, bool(row.strokes),
            )
            for row in moments
        )  # fmt: skip

    def _step_of(self, moment: Moment) -> Fraction:
        """How much of a beat a step takes."""
        bar = self.bar_at(moment.start)
        return moment.length / bar.stretch * bar.meter[1]

    @cached_property
    def sticking(self) -> str:
        """Every stroke's limb in index order, separated by spaces."""
        return " ".join(stroke.limb for stroke in self.strokes)

    @cached_property
    def sticking_by_bars(self) -> tuple[str, ...]:
        """Each bar's limbs, moment by moment: what sounds together is joined by ``+``, as it is written."""
        rows: dict[int, list[str]] = {bar.number: [] for bar in self.bar_rows}
        for event in self.events:
            together = "+".join(stroke.limb for stroke in event.strokes)
            rows.setdefault(event.strokes[0].bar, []).append(together)
        return tuple(" ".join(row) for row in rows.values())

    def stroke_at(self, position: int) -> int | None:
        """The index of the stroke whose text covers this character offset, or the last one before it."""
        found = None
        for stroke in self.strokes:
            if stroke.span.start > position:
                break
            found = stroke.index
        return found
