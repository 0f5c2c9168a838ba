"""The tempo ladder: from a tempo at which the quickest notes are clean, rung by rung to the target and above."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Final, NamedTuple

from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.practice.stages import Stage
from deft_reach.core.practice.verdicts import THREE_CLEAN, Rule

#: The fastest passage is clean for most players at this pace or less: where a ladder begins.
EASY_PACE: Final = 0.6
#: A ladder does not begin closer to its target than this part of it.
BEGIN_BELOW: Final = 0.5
#: Steps that shrink: this part of what is left to the target, but of the tempo no more and no less than these parts.
SHRINK, LARGEST, SMALLEST = 0.25, 0.08, 0.02
#: What is clean is not yet the limit: so much above it there are rungs.
BEYOND_CLEAN: Final = 1.12
#: A rung is played for so long (seconds): between these, and about RUNG_S where nothing else is asked.
RUNG_RANGE_S: Final = (30.0, 60.0)
RUNG_S: Final = 45.0
#: For minutes that are asked for a try may be shorter (seconds): with three of them a rung still lasts that long.
SHORT_TRIES_S: Final = (25.0, 20.0, 15.0, 10.0)
#: A ladder that fills so much of its minutes is as good as a longer one.
FULL: Final = 0.8
#: Between two tries: the count-in and the verdict (seconds).
BETWEEN_S: Final = 4.0
#: Steps larger than this (percent) are taken only where nothing else fits into the minutes.
LARGE_STEP: Final = 15.0
#: A chunk by itself has at most so many rungs: the first tempo, one between, and the target.
ALONE: Final = 3
#: Steps (percent) that are tried to fill the minutes asked for.
PERCENTS: Final = (2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 15.0, 20.0, 25.0, 33.0, 50.0, 75.0, 100.0)
#: A ladder of more rungs than this is a mistake in its step.
MOST_RUNGS: Final = 400
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
class StepSize:
    """How far apart rungs are: so many BPM, so many percent, or shrinking towards the target (neither)."""

    bpm: float | None = None
    percent: float | None = None

    def next(self, tempo: float, target: float) -> float:
        """The rung after ``tempo`` on the way to ``target``, both in BPM."""
        if self.bpm is not None:
            return tempo + self.bpm
        if self.percent is not None:
            return tempo * (1 + self.percent / 100)
        return tempo + max(1.0, SMALLEST * tempo, min(LARGEST * tempo, SHRINK * (target - tempo)))


#: Far away large, near the target small.
SHRINKING: Final = StepSize()
#: Each rung twice as fast as the one before.
DOUBLE: Final = StepSize(percent=100.0)


def parse_step(text: str) -> StepSize:
    """``5`` BPM, ``4%``, ``double``, or ``shrinking``. Raises LadderError."""
    word = text.strip().lower()
    if word in ("shrinking", "auto"):
        return SHRINKING
    if word == "double":
        return DOUBLE
    number, percent = text.strip().rstrip("%"), text.strip().endswith("%")
    try:
        value = float(number)
    except ValueError:
        raise LadderError(
            f"the step is '{text}'; expected BPM such as 5, percent such as 4%, double, or shrinking"
        ) from None
    low, high = (0.5, 100.0) if percent else (1.0, 100.0)
    if not (math.isfinite(value) and low <= value <= high):
        unit = "%" if percent else " BPM"
        raise LadderError(f"the step is {text}; expected {low:g} to {high:g}{unit}")
    return StepSize(percent=value) if percent else StepSize(bpm=value)


def room_above(clean: float | None) -> float | None:
    """How far (BPM) a ladder goes on above what is clean, whatever the model says; None where nothing is clean."""
    return None if clean is None else float(math.floor(clean * BEYOND_CLEAN))


def first_tempo(stages: Sequence[Stage], target: float) -> float:
    """Where to begin: near half the target, or where the fastest passage is easy if that is slower."""
    return begin_below(min((s.tempo_limit for s in stages if s.tempo_limit is not None), default=None), target)


def begin_below(limit: float | None, target: float) -> float:
    """Near half the target (BPM), or where what breaks at this limit (BPM, if any) is easy if that is slower."""
    easy = math.inf if limit is None else limit * EASY_PACE
    return max(TEMPO_RANGE[0], math.floor(min(easy, target * BEGIN_BELOW)))


def build_ladder(
    stages: Sequence[Stage],
    target: float,
    *,
    start: float | None = None,
    step: StepSize | None = None,
    overspeed: float | None = None,
    repeats: int | None = None,
    minutes: float | None = None,
    each: bool = False,
    past_limit: bool = True,
    home: bool = True,
    rule: Rule = THREE_CLEAN,
    least_top: float | None = None,
) -> tuple[Rung, ...]:
    """Rungs from ``start`` to ``target`` (BPM).

    Every stage is met once at the start tempo; the last one climbs. With ``each`` every stage climbs by itself, in a
    few rungs. ``overspeed`` (percent) adds a rung above the target, and with ``home`` the target again after it, so
    that it feels relaxed. Without ``start`` it is chosen from the fastest passage and the target. Without ``repeats``
    a try lasts 30 to 60 seconds; ``minutes`` is how long all of it should take by the ``rule``, if every try is
    clean: steps (if none are given) and repeats are chosen for it, and where they are too few for all stages, those
    that break last are left out. Without ``past_limit`` a stage ends at the player's limit instead of the
    target, but not below ``least_top`` (BPM): what was clean already is no limit.

    Raises LadderError for a start above the target, and for more rungs than anybody climbs.
    """
    low, high = TEMPO_RANGE
    if not (math.isfinite(target) and low <= target <= high):
        raise LadderError(f"the target is {target:.4g} BPM; expected {low:.4g} to {high:.4g} BPM")
    begin = first_tempo(stages, target) if start is None else start
    if not (math.isfinite(begin) and low <= begin <= high):
        raise LadderError(f"the start is {begin:.4g} BPM; expected {low:.4g} to {high:.4g} BPM")
    if begin > target:
        raise LadderError(f"the ladder starts at {begin:.4g} BPM, above its target of {target:.4g} BPM")
    if overspeed is not None and not (math.isfinite(overspeed) and 0 < overspeed <= 30):
        raise LadderError(f"the overspeed is {overspeed:g} %; expected more than 0 and up to 30 %")
    if minutes is not None and not (math.isfinite(minutes) and 1 <= minutes <= 600):
        raise LadderError(f"the ladder should take {minutes:g} min; expected 1 to 600 min")
    if not stages:
        raise LadderError("there is nothing to climb with: the pattern has no strokes")

    def rungs_of(by: StepSize, seconds: float, alone: int, of: Sequence[int]) -> tuple[Rung, ...]:
        rungs = _rungs(stages, of, begin, target, by, repeats, seconds, alone, past_limit, least_top)
        return rungs if overspeed is None else _with_overspeed(stages, rungs, target, overspeed, repeats, home)

    every = range(len(stages))
    if minutes is None:
        return rungs_of(step or SHRINKING, RUNG_S, ALONE if each else 1, every)
    lengths = (RUNG_S, 60.0, 55.0, 50.0, 40.0, 35.0, 30.0, *SHORT_TRIES_S) if repeats is None else (RUNG_S,)
    counts = range(ALONE, 0, -1) if each else range(1, 2)
    steps = (step,) if step is not None else (SHRINKING, *(StepSize(percent=percent) for percent in PERCENTS))

    def takes(rungs: Sequence[Rung]) -> float:
        return seconds_of(rungs, stages, rule) / 60

    return _fitted(rungs_of, takes, stages, minutes, (steps, lengths, counts))


def _fitted(
    rungs_of: Callable[[StepSize, float, int, Sequence[int]], tuple[Rung, ...]],
    takes: Callable[[Sequence[Rung]], float],
    stages: Sequence[Stage],
    minutes: float,
    ways: tuple[Sequence[StepSize], Sequence[float], Sequence[int]],
) -> tuple[Rung, ...]:
    """The ladder that fills the minutes best: of steps, seconds a try, and rungs of a chunk alone, the first that are
    good.
    """
    steps, lengths, counts = ways
    moderate = [by for by in steps if by.percent is None or by.percent <= LARGE_STEP] or list(steps)
    # What breaks first is what the time is for: it stays the longest.
    slowest = sorted(range(len(stages) - 1), key=lambda k: stages[k].tempo_limit or math.inf)
    for count in range(len(slowest), -1, -1):
        of = [*sorted(slowest[:count]), len(stages) - 1]
        fits_at_all = takes(rungs_of(moderate[-1], lengths[-1], 1, of)) <= minutes
        if fits_at_all:
            break
    tried = moderate if fits_at_all else steps
    found = [rungs_of(by, seconds, alone, of) for by in tried for alone in counts for seconds in lengths]
    long = [takes(rungs) for rungs in found]
    fits = [k for k, one in enumerate(long) if one <= minutes]
    # The fullest that fits, or else the shortest there is; of two as long the one of the earlier steps.
    if not fits:
        return found[min(range(len(found)), key=long.__getitem__)]
    return found[max(fits, key=lambda k: (min(FULL, round(long[k] / minutes, 1)), -k))]


def _rungs(
    stages: Sequence[Stage], of: Sequence[int], begin: float, target: float, step: StepSize, repeats: int | None,
    seconds: float, alone: int, past_limit: bool, least_top: float | None,
) -> tuple[Rung, ...]:  # fmt: skip
    rungs: list[Rung] = []
    last = len(stages) - 1
    for k in of:
        stage, top = stages[k], target
        if not past_limit and stage.tempo_limit is not None:
            top = max(begin, min(target, max(math.floor(stage.tempo_limit), least_top or 0.0)))
        climb = [begin]
        if k == last:
            # The steps are those on the way to the target, wherever it ends.
            climb = [tempo for tempo in _climb(begin, target, step) if tempo < top * (1 - SMALLEST)]
            climb = [*climb, top] if climb else [begin]
        elif alone > 1 and top > begin * (1 + SMALLEST):
            middle = float(round(math.sqrt(begin * top)))
            between = alone > 2 and begin * (1 + SMALLEST) <= middle <= top / (1 + SMALLEST)
            climb += [middle, top] if between else [top]
        rungs += [
            _rung(stages, k, at, target, repeats, seconds, f"new: {stage.why}" if at == climb[0] else "")
            for at in climb
        ]
    top = rungs[-1].tempo
    if top < target:
        reached = f"as far as the limit of {top:.4g} BPM: the target of {target:.4g} BPM lies past it"
        rungs[-1] = rungs[-1]._replace(note="; ".join(filter(None, (rungs[-1].note, reached))))
    return tuple(rungs)


def _with_overspeed(
    stages: Sequence[Stage], rungs: tuple[Rung, ...], target: float, percent: float, repeats: int | None, home: bool
) -> tuple[Rung, ...]:
    """Rungs with one above the target, and the target again after it."""
    if rungs[-1].tempo < target:
        return rungs
    last = len(stages) - 1
    few = None if repeats is None else max(1, repeats // 2)
    above = round(target * (1 + percent / 100), 1)
    words = "above home, so that home feels relaxed"
    if not home:
        words += f"; then {target:.4g} BPM again"
    rungs += (_rung(stages, last, above, target, few, RUNG_RANGE_S[0], words),)
    if home:
        rungs += (_rung(stages, last, target, target, few, RUNG_RANGE_S[0], "home again"),)
    return rungs


def _climb(begin: float, target: float, step: StepSize) -> list[float]:
    """Tempi from ``begin`` to ``target``, none of them hardly more than the one before."""
    tempo = begin
    climb = [begin]
    while tempo < target - 1e-9:
        following = step.next(tempo, target)
        # Nobody sets a tempo finer than a BPM, but for one who asks for it.
        if step.bpm is None:
            following = max(math.floor(tempo) + 1, round(following))
            if following < tempo * (1 + SMALLEST):
                following = math.ceil(tempo * (1 + SMALLEST))
        # A last step that is hardly one is part of the one before.
        least = target if step.bpm is not None and step.bpm < SMALLEST * target else target * (1 - SMALLEST)
        tempo = target if following > least + 1e-9 or following >= target else following
        climb.append(tempo)
        if len(climb) > MOST_RUNGS:
            raise LadderError(
                f"that is more than {MOST_RUNGS} rungs: take a larger step, or a start nearer the target"
            )
    return climb


def repeats_for(stage: Stage, tempo: float, seconds: float = RUNG_S) -> int:
    """How often a stage is played at a tempo to last about so many seconds, and 30 to 60 where it can unless that is
    less.
    """
    once = stage.report.summary.duration * stage.report.tempo / tempo
    if once <= 0:
        return 1
    low, high = min(RUNG_RANGE_S[0], seconds), RUNG_RANGE_S[1]
    count = max(1, round(seconds / once))
    if count * once < low:
        count = math.ceil(low / once)
    return max(1, min(count, math.floor(high / once))) if once <= high else 1


def _rung(
    stages: Sequence[Stage], number: int, tempo: float, target: float, repeats: int | None, seconds: float, note: str
) -> Rung:
    limit = stages[number].tempo_limit
    pace = None if limit is None else tempo / limit
    notes = [note] if note else []
    if tempo == target:
        notes.append("the target")
    if pace is not None and pace > 1:
        notes.append("past the limit: stop at pain or numbness")
    elif pace is not None and pace > 0.9:
        notes.append("close to the limit: stay loose")
    count = repeats_for(stages[number], tempo, seconds) if repeats is None else repeats
    return Rung(tempo, number, pace, count, "; ".join(notes))


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


def seconds_of(rungs: Sequence[Rung], stages: Sequence[Stage], rule: Rule | None = None) -> float:
    """How long the rungs take to play once, repeats included, pauses not; with a ``rule`` how long they take by it if
    every try is clean, with a count-in and a verdict for each.
    """
    total = 0.0
    for rung in rungs:
        report = stages[rung.stage].report
        once = report.summary.duration * report.tempo / rung.tempo * rung.repeats
        total += once if rule is None else (once + BETWEEN_S) * rule.tries(rung.pace)
    return total
