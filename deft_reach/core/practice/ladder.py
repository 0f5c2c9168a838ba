"""The tempo ladder: from a tempo at which the quickest notes are clean, rung by rung to the target and above."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Final, NamedTuple

from deft_reach.core.pattern import Pattern
from deft_reach.core.practice.stages import Stage
from deft_reach.core.stroke_text import TEMPO_RANGE

#: The fastest passage is clean for most players at this pace or less: where a ladder begins.
EASY_PACE: Final = 0.6
#: A ladder does not begin closer to its target than this part of it.
BEGIN_BELOW: Final = 0.8
#: Steps that shrink: this part of what is left to the target or the limit, but no more than this part of the tempo.
SHRINK, LARGEST = 0.25, 0.08
#: A ladder of more rungs than this is a mistake in its step.
MOST_RUNGS: Final = 400
REPEATS: Final = 4
#: Grids by what they are called, with the length of a step in whole notes.
GRIDS: Final = {
    "quarters": Fraction(1, 4),
    "eighths": Fraction(1, 8),
    "eighth triplets": Fraction(1, 12),
    "sixteenths": Fraction(1, 16),
    "sixteenth triplets": Fraction(1, 24),
    "thirty-seconds": Fraction(1, 32),
}


class LadderError(ValueError):
    """A ladder that cannot stand: says what to give instead."""


class Rung(NamedTuple):
    """One rung: its tempo (BPM), the stage's number, how near the stage's limit that is, how often, and a remark."""

    tempo: float
    stage: int
    pace: float | None
    repeats: int
    note: str


class Equivalent(NamedTuple):
    """The same notes written in another grid: what it is called, and the tempo at which it is as fast."""

    grid: str
    tempo: float


@dataclass(frozen=True)
class Step:
    """How far apart rungs are: so many BPM, so many percent, or shrinking towards the target (neither)."""

    bpm: float | None = None
    percent: float | None = None

    def next(self, tempo: float, target: float) -> float:
        if self.bpm is not None:
            return tempo + self.bpm
        if self.percent is not None:
            return tempo * (1 + self.percent / 100)
        return tempo + max(1.0, min(LARGEST * tempo, SHRINK * (target - tempo)))


#: Far away large, near the target small.
SHRINKING: Final = Step()


def parse_step(text: str) -> Step:
    """``5`` BPM, ``4%``, or ``shrinking``. Raises LadderError."""
    if text.strip().lower() in ("shrinking", "auto"):
        return SHRINKING
    number, percent = text.strip().rstrip("%"), text.strip().endswith("%")
    try:
        value = float(number)
    except ValueError:
        raise LadderError(f"the step is '{text}'; expected BPM such as 5, percent such as 4%, or shrinking") from None
    low, high = (0.5, 50.0) if percent else (1.0, 100.0)
    if not (math.isfinite(value) and low <= value <= high):
        unit = "%" if percent else " BPM"
        raise LadderError(f"the step is {text}; expected {low:g} to {high:g}{unit}")
    return Step(percent=value) if percent else Step(bpm=value)


def first_tempo(stages: Sequence[Stage], target: float) -> float:
    """Where to begin: the fastest passage of the whole figure at an easy pace, and well below the target."""
    limits = [stage.tempo_limit for stage in stages if stage.tempo_limit is not None]
    easy = min(limits) * EASY_PACE if limits else target * BEGIN_BELOW
    return max(TEMPO_RANGE[0], math.floor(min(easy, target * BEGIN_BELOW)))


def build_ladder(
    stages: Sequence[Stage],
    target: float,
    *,
    start: float | None = None,
    step: Step = SHRINKING,
    overspeed: float | None = None,
    repeats: int = REPEATS,
) -> tuple[Rung, ...]:
    """Rungs from ``start`` to ``target`` (BPM).

    Every stage is met once at the start tempo; the last one climbs. ``overspeed`` (percent) adds a rung above the
    target, so that the target feels relaxed. Without ``start`` it is chosen from the fastest passage.

    Raises LadderError for a start above the target, and for more rungs than anybody climbs.
    """
    low, high = TEMPO_RANGE
    if not (math.isfinite(target) and low <= target <= high):
        raise LadderError(f"the target is {target:g} BPM; expected {low:g} to {high:g} BPM")
    begin = first_tempo(stages, target) if start is None else start
    if not (math.isfinite(begin) and low <= begin <= high):
        raise LadderError(f"the start is {begin:g} BPM; expected {low:g} to {high:g} BPM")
    if begin > target:
        raise LadderError(f"the ladder starts at {begin:g} BPM, above its target of {target:g} BPM")
    if overspeed is not None and not (math.isfinite(overspeed) and 0 < overspeed <= 30):
        raise LadderError(f"the overspeed is {overspeed:g} %; expected more than 0 and up to 30 %")
    if not stages:
        raise LadderError("there is nothing to climb with: the pattern has no strokes")
    rungs = [_rung(stages, k, begin, target, repeats, f"new: {stage.why}") for k, stage in enumerate(stages[:-1])]
    last = len(stages) - 1
    tempo = begin
    climb = [begin]
    while tempo < target - 1e-9:
        following = step.next(tempo, target)
        # Nobody sets a tempo finer than a BPM, but for one who asks for it.
        tempo = min(target, following if step.bpm is not None else max(math.floor(tempo) + 1, round(following)))
        climb.append(tempo)
        if len(climb) > MOST_RUNGS:
            raise LadderError(
                f"that is more than {MOST_RUNGS} rungs: take a larger step, or a start nearer the target"
            )
    for k, at in enumerate(climb):
        note = f"new: {stages[last].why}" if k == 0 else ""
        rungs.append(_rung(stages, last, at, target, repeats, note))
    if overspeed is not None:
        above = round(target * (1 + overspeed / 100), 1)
        rungs.append(
            _rung(stages, last, above, target, max(1, repeats // 2), "above home, so that home feels relaxed")
        )
    return tuple(rungs)


def _rung(stages: Sequence[Stage], number: int, tempo: float, target: float, repeats: int, note: str) -> Rung:
    limit = stages[number].tempo_limit
    pace = None if limit is None else tempo / limit
    notes = [note] if note else []
    if tempo == target:
        notes.append("the target")
    if pace is not None and pace > 1:
        notes.append("past the limit: stop at pain or numbness")
    elif pace is not None and pace > 0.9:
        notes.append("close to the limit: stay loose")
    return Rung(tempo, number, pace, repeats, "; ".join(notes))


def equivalents(pattern: Pattern, tempo: float) -> tuple[Equivalent, ...]:
    """The pattern's quickest notes at this tempo in every usual grid, within what a tempo can be.

    Thirty-seconds at 115 are sixteenths at 230: nobody should compare the two numbers.
    """
    step = quickest_step(pattern)
    if step is None:
        return ()
    found = []
    for name, length in GRIDS.items():
        same = tempo * float(length / step)
        if TEMPO_RANGE[0] <= same <= TEMPO_RANGE[1]:
            found.append(Equivalent(name, round(same, 2)))
    return tuple(found)


def quickest_step(pattern: Pattern) -> Fraction | None:
    """The shortest time between two moments that are struck (whole notes)."""
    starts = [moment.start for moment in pattern.moments if moment.strokes]
    gaps = [b - a for a, b in pairwise(starts)]
    return min(gaps, default=None)


def seconds_of(rungs: Sequence[Rung], stages: Sequence[Stage]) -> float:
    """How long the rungs take to play, repeats included, pauses not."""
    total = 0.0
    for rung in rungs:
        report = stages[rung.stage].report
        total += report.summary.duration * report.tempo / rung.tempo * rung.repeats
    return total
