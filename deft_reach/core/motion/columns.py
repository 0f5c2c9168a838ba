"""A pattern's strokes as arrays, and what holds whichever hands play them: who leads, the kept surface, figures."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Sequence
from itertools import chain
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import EITHER, FEET, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import OVER, RUN_IN_EVENTS, UNDER, Pattern, lead_beat
from deft_reach.core.model.ticks import Ticks
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import BY_STROKE, BY_SURFACE, NOT_LED, Flags, Ints
from deft_reach.core.motion.timing import (
    level_of,
)

#: Strokes further apart than this (whole notes, with room for rounding) are not one run.
RUN_GAP: Final = 1.001 / 8
#: The usual codes of drums, without their numbers.
_DRUMS: Final = frozenset({"sn", "t", "f", "ft", "bd"})
#: The physical limbs in the order of their lanes; the hi-hat foot is one limb for ``J`` and ``H``.
LANE: Final = {RIGHT: 0, LEFT: 1, KICK: 2, SECOND_KICK: 3, HAT_FOOT: 3}


class Columns(NamedTuple):
    """A pattern's strokes as arrays, without those that nobody plays yet."""

    index: Ints  # type: ignore[assignment]
    start: Floats
    event: Ints
    lane: Ints
    level: Ints
    grace: list[str]
    limbs: tuple[str, ...]
    voices: tuple[str, ...]
    #: The voice and marks of each stroke's graces.
    graced: list[tuple[str, str]]
    chosen: Ints
    events: int
    #: How each event is led, see leading.
    leads: Ints
    surface: str | None
    #: Whether each stroke is on that surface, whatever limb plays it.
    keeps: Flags
    #: Whether the hands never strike together.
    line: bool
    #: Whether a bar begins with each event.
    begins: Flags
    #: By event, how many events back the same place of the last beat and the one before is; 0 where they differ.
    figure: Ints


@derived
def columns_of(pattern: Pattern, repeat: bool) -> Columns:
    """A pattern's columns; ``repeat`` says whether it is a loop, as kept surfaces may go on into the next round."""
    struck = [row for row in pattern.moments if row.strokes]
    strokes = [s for s in pattern.strokes if s.limb != EITHER]
    event_of = np.zeros(len(pattern.moments), dtype=np.intp)
    event_of[[k for k, row in enumerate(pattern.moments) if row.strokes]] = np.arange(len(struck))
    surface = surface_of(pattern, repeat)
    levels = {marks: level_of(marks) for marks in {s.marks for s in strokes}}
    starts = pattern.starts
    return Columns(
        np.array([s.index for s in strokes], dtype=np.intp),
        np.array([starts[s.index] for s in strokes]),
        event_of[[s.moment for s in strokes]],
        np.array([LANE[s.limb] for s in strokes], dtype=np.intp),
        np.array([levels[s.marks] for s in strokes], dtype=np.intp),
        [s.grace for s in strokes],
        tuple(s.limb for s in strokes),
        tuple(s.voice for s in strokes),
        [(s.grace_voice or s.voice, s.grace_marks) for s in strokes],
        np.array([_chosen(s.limb, s.marks) for s in strokes], dtype=np.intp),
        len(struck),
        leading(pattern, surface),
        surface,
        np.array([s.voice == surface for s in strokes], dtype=bool),
        one_line(pattern),
        bar_begins(pattern),
        figure_back(pattern),
    )


def leading(pattern: Pattern, surface: str | None) -> Ints:
    """How each event is led: NOT_LED, BY_SURFACE where the hand on the kept surface leads, or BY_STROKE where whoever
    strikes does.

    Hands lead on beats, and where there are groups on their first strokes instead. Where a figure keeps a surface, a
    beat in which it (``surface``, see surface_of) is played after the beat only, such as a backbeat, is not led by
    anybody. Shape (events,).
    """
    events = pattern.events
    begins = [group.start for group in pattern.groups]
    ends = [group.start + group.length for group in pattern.groups]
    led = []
    for event in events:
        k = bisect_right(begins, event.start) - 1
        inside = k >= 0 and event.start < ends[k]
        led.append(event.start == begins[k] if inside else event.on_beat)
    found = np.where(led, BY_STROKE, NOT_LED)
    if surface is not None:
        after = False
        for k in range(len(events) - 1, -1, -1):
            here = any(s.voice == surface for s in events[k].strokes)
            if led[k]:
                found[k] = BY_SURFACE if here else NOT_LED if after else BY_STROKE
                after = False
            else:
                after = after or here
    return found


@derived
def surface_of(pattern: Pattern, repeat: bool) -> str | None:
    """The surface that a figure keeps, whoever plays it.

    A voice that is no drum, struck at least four times (in a loop, once a round), at four moments of the hands in a
    row or with three eighths of all their strokes, and more often than any other such voice. None if there is none.
    Drums are told by their usual codes, as a pattern knows no kit.
    """
    struck = [{s.voice for s in event.strokes if s.limb not in FEET} for event in pattern.events]
    struck = [voices for voices in struck if voices]
    total = sum(s.limb not in FEET for s in pattern.strokes)
    counts = Counter(voice for voices in struck for voice in voices)
    rows = [
        (count, voice) for voice, count in counts.most_common() if piece_of(voice).rstrip("0123456789") not in _DRUMS
    ]
    if not rows or (rows[0][0] < 4 and not repeat) or (len(rows) > 1 and rows[1][0] == rows[0][0]):
        return None
    count, voice = rows[0]
    if 8 * count >= 3 * total:
        return voice
    # A run may go on into the next round.
    run = 0
    for voices in chain(struck, struck[:3] if repeat else ()):
        run = run + 1 if voice in voices else 0
        if run >= 4:
            return voice
    return None


@derived
def one_line(pattern: Pattern) -> bool:
    """Whether the hands never strike together, whichever plays what."""
    return all(sum(s.limb not in FEET for s in event.strokes) < 2 for event in pattern.events)


@derived
def bar_begins(pattern: Pattern) -> Flags:
    """Whether a bar begins with each event; a pickup is no bar.

    Shape (events,).
    """
    starts = {bar.start for bar in pattern.bar_rows if not bar.offset}
    return np.array([event.start in starts for event in pattern.events], dtype=bool)


@derived
def figure_back(pattern: Pattern) -> Ints:
    """How many events back (events, 2) the same place of the last beat and of the one before is.

    Only where the hands' rhythm is the same in all three beats, and there are no groups: those say themselves what
    belongs together. 0 where there is none.
    """
    events = pattern.events
    found = np.zeros((len(events), 2), dtype=np.intp)
    if pattern.groups or not events:
        return found
    ticks = Ticks(
        [
            *(event.start for event in events),
            *(x for bar in pattern.bar_rows for x in (bar.start, bar.time_of(0), lead_beat(bar.meter) * bar.stretch)),
        ]
    )
    bars = [
        (ticks(bar.start), ticks(bar.time_of(0)), ticks(lead_beat(bar.meter) * bar.stretch))
        for bar in pattern.bar_rows
    ]
    begins = [start for start, _, _ in bars]
    number: dict[tuple[int, int], int] = {}
    shapes: dict[int, list[tuple[int, int]]] = {}
    rows = []
    for k, event in enumerate(events):
        time = ticks(event.start)
        hands = len(event.strokes) - len(event.feet)
        _, origin, beat = bars[max(0, bisect_right(begins, time) - 1)]
        at = (time - origin) % beat
        rows.append((k, time - at, at, beat, hands))
        if hands:
            number[time - at, at] = k
            shapes.setdefault(time - at, []).append((at, hands))
    for k, begin, at, beat, hands in rows:
        if not hands or shapes[begin] != shapes.get(begin - beat) or shapes[begin] != shapes.get(begin - 2 * beat):
            continue
        one, two = number.get((begin - beat, at)), number.get((begin - 2 * beat, at))
        if one is not None and two is not None:
            found[k] = k - one, k - two
    return found


def _chosen(limb: str, marks: str) -> int:
    """Which hand a stroke's marks let go over: 1 right, −1 left, 0 nothing said."""
    if OVER in marks or UNDER in marks:
        return 1 if (limb == RIGHT) == (OVER in marks) else -1
    return 0


def run_in(c: Columns) -> int:
    """The event from which a loop has to be heard once to know where every limb comes from.

    Far enough back for each limb's last strokes, each hand's last change of voice, and every run that the cost can
    tell apart.
    """
    first = c.events - RUN_IN_EVENTS
    for lane in range(4):
        own = np.flatnonzero(c.lane == lane)
        if not len(own):
            continue
        if len(own) < 3:
            return 0
        first = min(first, int(c.event[own[-3]]))
        if lane < 2:
            last = c.voices[own[-1]]
            other = next((k for k in reversed(own.tolist()) if c.voices[k] != last), None)
            if other is not None:
                first = min(first, int(c.event[other]))
    return max(0, first)


def share(pattern: Pattern, model: Pattern) -> None:
    """Spare a pattern working out again what a model knows, where only the hands differ."""
    figure_back.share(pattern, model)
    bar_begins.share(pattern, model)
    one_line.share(pattern, model)
    for repeat in (True, False):
        surface_of.share(pattern, model, repeat)
    # Cached properties.
    pattern.__dict__["starts"] = model.starts
    pattern.__dict__["event_starts"] = model.event_starts


def given_to(pattern: Pattern, model: Pattern, strokes: Sequence[int], hands: Sequence[str]) -> None:
    """Spare a pattern sorting its strokes where a model has done so and only the hands of these strokes differ."""
    share(pattern, model)
    for repeat in (False, True):
        columns = columns_of.known(model, repeat)
        if columns is not None:
            lane = columns.lane.copy()
            meant = [(i, hand) for i, hand in zip(strokes, hands) if hand != EITHER]
            lane[np.searchsorted(columns.index, [i for i, _ in meant])] = [LANE[hand] for _, hand in meant]
            columns_of.give(pattern, columns._replace(lane=lane), repeat)
