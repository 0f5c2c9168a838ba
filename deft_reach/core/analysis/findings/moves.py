"""Moves of one limb: sweeps, what is hurried, and what tires; and when the lead changes hands."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from fractions import Fraction
from functools import partial
from typing import Final

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.endurance import SUSTAINED, kind_of, lasting
from deft_reach.core.analysis.finding import Finding, Severity
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, LATE, Figure, finding
from deft_reach.core.model.elements import GRACES
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import FEET, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK, other_hand
from deft_reach.core.model.message import Message
from deft_reach.core.model.pattern import Stroke, lead_beat
from deft_reach.core.motion.walk import GraceWalk

#: A limb that can keep up a loop no longer than this (seconds) is overloaded.
TIRES_WITHIN: Final = 120.0


def sweeps(figure: Figure) -> Iterator[Finding]:
    """One hand striking different pieces on directly consecutive strokes, each within a beat of the last; the
    tightest first.
    """
    runs = [run for run in map(partial(_within_beats, figure), _swept(figure)) if len(run) > 1]
    yield from (_sweep(figure, run) for run in sorted(runs, key=lambda run: -_pace(figure, run)))


def _swept(figure: Figure) -> Iterator[list[int]]:
    """Runs of strokes of one hand, on a piece other than the last one each, with none of the other hand between."""
    run: list[Stroke] = []
    for event in figure.pattern.events:
        hands = event.hands
        if not hands:
            continue
        # A unison can begin a sweep by neither hand: the next stroke starts afresh.
        stroke = hands[0] if len(hands) == 1 and hands[0].voice in figure.table.points else None
        if run and stroke is not None and stroke.limb == run[-1].limb and not stroke.grace:
            last = run[-1]
            near = stroke.start - last.start < _beat_at(figure, last)[1]
            if near and stroke.voice != last.voice and piece_of(stroke.voice) != piece_of(last.voice):
                run.append(stroke)
                continue
        yield [s.index for s in run]
        run = [] if stroke is None else [stroke]
    yield [s.index for s in run]


def _within_beats(figure: Figure, run: list[int]) -> list[int]:
    """The part of a run that is a sweep: where one figure ends with a beat and the next one begins, nothing is swept
    from one to the other.
    """
    while len(run) > 1 and _joins(figure, run[0], run[1], figure.strokes[run[0]], -1):
        run = run[1:]
    while len(run) > 1 and _joins(figure, run[-2], run[-1], figure.strokes[run[-1]], 1):
        run = run[:-1]
    return run


def _joins(figure: Figure, first: int, second: int, outer: Stroke, step: int) -> bool:
    """Whether two strokes on either side of a beat line belong to two figures: they are as far apart as eighths, or
    the hand keeps the ``outer`` one's piece on two directly consecutive strokes before or after (``step`` −1 or 1).
    """
    a, b = figure.strokes[first], figure.strokes[second]
    number, beat = _beat_at(figure, a)
    if a.bar == b.bar and number == _beat_at(figure, b)[0]:
        return False
    if b.start - a.start >= beat / 2:
        return True
    mine = figure.by_hand[outer.limb]
    at = bisect_left(mine, outer.index)
    if not 0 <= at + 2 * step < len(mine):
        return False
    kept = mine[min(at, at + 2 * step) : max(at, at + 2 * step) + 1]
    low, high = figure.posture_index(kept[0]), figure.posture_index(kept[-1])
    moments = [event for event in figure.pattern.events[low : high + 1] if event.hands]
    return len(moments) == len(kept) and {piece_of(figure.strokes[i].voice) for i in kept} == {piece_of(outer.voice)}


def _beat_at(figure: Figure, stroke: Stroke) -> tuple[int, Fraction]:
    """The number of the beat in its bar into which a stroke falls, and how long it is in whole notes as they sound;
    a quarter where the meter counts eighths.
    """
    bar = figure.pattern.bar_at(stroke.start)
    beat = max(lead_beat(bar.meter), Fraction(1, 4))
    return int((stroke.beat - 1) / bar.meter[1] // beat), beat * bar.stretch


def _pace(figure: Figure, run: Sequence[int]) -> float:
    return max((p for i in run[1:] if (p := figure.walk.pace[i]) is not None), default=0.0)


def _sweep(figure: Figure, run: Sequence[int]) -> Finding:
    first, last = run[0], run[-1]
    hand = figure.strokes[first].limb
    # Whether there is time for it is the hurried finding's to say; twice would be noise.
    sentence = sentences.sweep(
        figure.span(first, last), figure.names[hand], figure.names[other_hand(hand)],
        [figure.name(figure.strokes[i].voice) for i in run], sum(figure.walk.travel[i] for i in run[1:]),
        figure.times[last] - figure.times[first], _pace(figure, run),
    )  # fmt: skip
    return finding("sweep", run, hand, Severity.NOTE, sentence)


def hurried(figure: Figure) -> Iterator[Finding]:
    """One finding for each move that is hurried, and one where there is no time for it, however often they come."""
    walk = figure.walk
    moves: dict[tuple[str, str | None, str, bool], list[int]] = {}
    for i, pace in enumerate(walk.pace):
        if pace is not None and pace > HURRIED_PACE and i not in walk.flammed:
            stroke = figure.strokes[i]
            start = walk.came_from[i] if walk.travel[i] else stroke.voice
            moves.setdefault((stroke.limb, start, stroke.voice, pace > LATE), []).append(i)
    for (limb, start, voice, late), indices in moves.items():
        worst = max(indices, key=lambda i: walk.pace[i] or 0.0)
        pace, gap = walk.pace[worst], walk.gap[worst]
        assert pace is not None and gap is not None
        stays = start == voice
        share = sentences.SHARE_FEET if limb in FEET else sentences.OTHER_HAND
        sentence = sentences.hurried(
            figure.on(worst), figure.names[limb], late, _move(figure, limb, start, voice, worst),
            walk.needed[worst], gap, pace, len(indices), not (stays or limb in FEET), share,
        )  # fmt: skip
        yield finding("hurried", indices, limb, Severity.STOP if late else Severity.CAUTION, sentence)
    yield from _hurried_graces(figure)


def _hurried_graces(figure: Figure) -> Iterator[Finding]:
    graces: dict[tuple[str, str, str, bool], list[GraceWalk]] = {}
    for grace in figure.walk.graces:
        if grace.pace > HURRIED_PACE:
            graces.setdefault((grace.limb, grace.came_from, grace.voice, grace.pace > LATE), []).append(grace)
    for (limb, start, voice, late), rows in graces.items():
        one = max(rows, key=lambda row: row.pace)
        called = GRACES[figure.strokes[one.index].grace]
        move = sentences.for_the(_move(figure, limb, start, voice, one.index), called)
        sentence = sentences.hurried(
            figure.on(one.index), figure.names[limb], late, move, one.needed, one.gap, one.pace, len(rows),
            start != voice, sentences.grace_in_place(called),
        )  # fmt: skip
        indices = [row.index for row in rows]
        yield finding("hurried", indices, limb, Severity.STOP if late else Severity.CAUTION, sentence)


def _move(figure: Figure, limb: str, start: str | None, voice: str, stroke: int) -> Message:
    """What there is no time for."""
    if limb in FEET:
        return sentences.CHANGE_PEDALS if figure.walk.travel[stroke] else sentences.strike_again(None)
    if start == voice:
        return sentences.strike_again(figure.name(voice))
    points = figure.table.points
    far = math.dist(points[start], points[voice]) if start in points and voice in points else None
    return sentences.from_to(figure.name(start), figure.name(voice), far)


def overload(figure: Figure) -> Iterator[Finding]:
    """Limbs that tire before the figure is over, or before a loop has gone on for long (see endurance)."""
    for key, stream in _streams(figure).items():
        if not stream:
            continue
        if figure.repeat:
            effort = math.fsum(figure.walk.needed[i] for i in stream) / figure.length if figure.length else 0.0
            lasts = lasting(key, effort)
            if lasts is not None and lasts < TIRES_WITHIN:
                yield _overload(figure, key, stream, effort, lasts)
            continue
        for run in _sustained_runs(figure, key, stream):
            time = figure.times[run[-1]] - figure.times[run[0]]
            effort = math.fsum(figure.walk.needed[k] for k in run[1:]) / time if time else 0.0
            lasts = lasting(key, effort)
            if lasts is not None and lasts < time:
                yield _overload(figure, key, run, effort, lasts)


def _sustained_runs(figure: Figure, key: str, stream: Sequence[int]) -> Iterator[list[int]]:
    """Runs of two and more strokes at a pace that this kind of limb cannot keep up for ever."""
    run: list[int] = []
    for i in [*stream, None]:
        pace = None if i is None else figure.walk.pace[i]
        if i is not None and pace is not None and pace > SUSTAINED[kind_of(key)]:
            run.append(i)
            continue
        if len(run) > 1:
            yield run
        run = []


def _overload(figure: Figure, key: str, run: Sequence[int], effort: float, lasts: float) -> Finding:
    gaps = [g for i in run if (g := figure.walk.gap[i])]
    rate = len(gaps) / sum(gaps) if gaps else 0.0
    sentence = sentences.overload(figure.span(run[0], run[-1]), figure.names[key], rate, effort, lasts)
    return finding("overload", run, key, Severity.CAUTION, sentence)


def _streams(figure: Figure) -> dict[str, list[int]]:
    """Stroke indices of each physical limb: the hi-hat foot plays both ``J`` and ``H``."""
    found: dict[str, list[int]] = {RIGHT: [], LEFT: [], KICK: [], HAT_FOOT: []}
    for stroke in figure.strokes:
        limb = HAT_FOOT if stroke.limb == SECOND_KICK else stroke.limb
        if limb in found:
            found[limb].append(stroke.index)
    return found


def lead_switch(figure: Figure) -> Iterator[Finding]:
    """Beats on which the lead changes hands: one note for all of them."""
    switches = figure.walk.switches
    if not switches:
        return
    limb = figure.strokes[switches[0]].limb
    sentence = sentences.lead_switch(figure.names[limb], figure.on(switches[0]), len(switches), len(figure.walk.lead))
    yield finding("lead-switch", switches, limb, Severity.NOTE, sentence)
