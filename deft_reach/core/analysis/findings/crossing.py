"""Crossed arms: crossovers and crossed holds; and what is played open-handed instead."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity, caution_if
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, SIDES, Figure, finding
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import HANDS, LEFT, RIGHT, other_hand
from deft_reach.core.model.message import NOTHING, Message
from deft_reach.core.model.pattern import OVER, UNDER
from deft_reach.core.motion.entering import Arrival
from deft_reach.core.motion.reach_table import Cross

#: Arms that pass closer than this (mm) deserve a thought.
TIGHT_MM: Final = 60.0

#: An open-handed passage inside a figure has so many strokes on the hat at least, and is so long (whole notes).
FEWEST_OPEN: Final = 3
SHORTEST_OPEN: Final = Fraction(1, 2)


class _Span(NamedTuple):
    """Moments with crossed arms, and the tightest crossing in them: ``tightest`` on the way there as well, ``held``
    from the stroke on in which it ends.

    ``brought`` is the move that brings the arms across, None where they were never otherwise; ``strokes`` are the
    hand strokes from then on, beginning with the one in which it ends.
    """

    brought: Arrival | None
    strokes: list[int]
    tightest: Cross
    held: Cross


def crossings(figure: Figure) -> Iterator[Finding]:
    """A crossed hold where both hands play while the arms are crossed, a crossover where only one does."""
    for span in _crossed_spans(figure):
        kept = [i for i in span.strokes if span.brought is None or i != span.brought.stroke]
        if span.brought is None or {figure.strokes[i].limb for i in kept} == {RIGHT, LEFT}:
            yield _hold(figure, span)
        else:
            yield _crossover(figure, span.brought, span.strokes, span.tightest)
    for arrival, cross in figure.walk.between.values():
        yield _crossover(figure, arrival, [arrival.stroke], cross, on_the_way=True)


def _hold(figure: Figure, span: _Span) -> Finding:
    cross, first = span.held, span.strokes[0]
    mover = figure.strokes[first].limb if span.brought is None else span.brought.hand
    sentence = sentences.crossed_hold(
        figure.span(first, span.strokes[-1]), figure.names[cross.over], cross.clearance,
        _choice(figure, cross, Arrival(first, mover)), _hold_advice(figure, span.strokes, cross),
    )  # fmt: skip
    severity = caution_if(cross.clearance < TIGHT_MM)
    return finding("crossed-hold", span.strokes, mover, severity, sentence, over=cross.over)


def _crossover(
    figure: Figure, arrival: Arrival, strokes: Sequence[int], cross: Cross, *, on_the_way: bool = False
) -> Finding:
    """One hand's move that brings the arms across, to the stroke in which it ends."""
    stroke, mover = arrival
    here = figure.walk.postures[figure.posture_index(stroke)].voice(mover)
    pace = figure.walk.pace[stroke]
    hurried = pace is not None and pace > HURRIED_PACE
    partner = other_hand(mover)
    sentence = sentences.crossover(
        figure.on(stroke), figure.names[mover], mover == cross.over, SIDES[partner], figure.name(here),
        sentences.goes_too() if on_the_way else _whereabouts(figure, partner, stroke),
        cross.clearance, _choice(figure, cross, arrival), figure.names[other_hand(cross.over)],
        figure.name(_voice_of(figure, other_hand(cross.over), stroke)) if mover == cross.over else None,
    )  # fmt: skip
    severity = caution_if(cross.clearance < TIGHT_MM or hurried)
    return finding("crossover", strokes, mover, severity, sentence, over=cross.over)


def _crossed_spans(figure: Figure) -> list[_Span]:
    """Stretches in which the arms are crossed; in a loop the last one may go on into the first."""
    events, postures = figure.pattern.events, figure.walk.postures
    moments = [n for n, event in enumerate(events) if event.hand_indices]
    crossed = [n for n in moments if postures[n].cross is not None]
    if not crossed:
        return []
    runs: list[list[int]] = [[]]
    for n in moments:
        if postures[n].cross is None:
            runs.append([])
        else:
            runs[-1].append(n)
    if figure.repeat and len(runs) > 1 and runs[0] and runs[-1] and figure.walk.continued:
        runs[0] = runs.pop() + runs[0]
    return [_span_of(figure, run) for run in runs if run]


def _span_of(figure: Figure, run: Sequence[int]) -> _Span:
    events, postures = figure.pattern.events, figure.walk.postures
    brought = postures[run[0]].brought
    # Until the hand has landed the other one's strokes belong to what was before.
    landed = 0 if brought is None else figure.posture_index(brought.stroke)
    held = run if brought is None else run[run.index(landed) :] if landed in run else []
    strokes = [i for n in held for i in events[n].hand_indices]
    tightest, kept = (
        min((cross for n in part if (cross := postures[n].cross) is not None), key=lambda cross: cross.clearance)
        for part in (run, held or run)
    )
    if brought is not None:
        strokes = [brought.stroke, *(i for i in strokes if i != brought.stroke)]
    return _Span(brought, strokes, tightest, kept)


def _voice_of(figure: Figure, hand: str, index: int) -> str | None:
    """Where a hand struck last at a stroke's moment."""
    return figure.walk.postures[figure.posture_index(index)].voice(hand)


def _whereabouts(figure: Figure, hand: str, index: int) -> Message:
    """Where a hand is at a stroke of the other one: at a voice, or on its way to the next."""
    posture = figure.walk.postures[figure.posture_index(index)]
    here, mine = posture.voice(hand), figure.by_hand[hand]
    strikes = any(figure.strokes[i].limb == hand for i in posture.strokes)
    if here is None:
        return sentences.waits_for(figure.name(figure.strokes[mine[0]].voice))
    at = bisect_right(mine, posture.strokes[-1])
    later = None
    if at < len(mine) or (figure.repeat and mine):
        later = figure.strokes[mine[at if at < len(mine) else 0]]
    if strikes or later is None or later.voice in (here, None) or later.voice not in figure.table.points:
        return sentences.is_at(figure.name(here))
    return sentences.on_its_way(figure.name(here), figure.name(later.voice))


def _choice(figure: Figure, cross: Cross, arrival: Arrival) -> Message:
    """What there is to say of who goes over in the crossing that a hand's move makes."""
    over, under = figure.names[cross.over], figure.names[other_hand(cross.over)]
    if cross.chosen:
        return sentences.chosen_over(over, under, against=not (cross.clearance or cross.either))
    if not cross.either:
        return NOTHING
    struck = {figure.strokes[i].limb for i in figure.walk.postures[figure.posture_index(arrival.stroke)].strokes}
    # Of hands that strike together none comes second.
    second = arrival.hand == cross.over and not {RIGHT, LEFT} <= struck
    return sentences.either_over(over, second)


def _hold_advice(figure: Figure, indices: Sequence[int], cross: Cross) -> Message:
    """The ordinary crossed posture is the far hand on the hi-hat over the near one on the snare."""
    tight = cross.clearance < TIGHT_MM
    near = figure.kit.hand_beside_hats
    wanted = {near: "snare", other_hand(near): "hi-hat"}
    for index in indices:
        posture = figure.walk.postures[figure.posture_index(index)]
        for hand in HANDS:
            piece = figure.kit.piece(piece_of(posture.voice(hand) or ""))
            if piece is None or piece.kind != wanted[hand]:
                if cross.either and not cross.chosen:
                    return sentences.LET_ONE_OVER
                return sentences.EXCHANGE_HANDS if tight else sentences.keep_low(figure.names[other_hand(cross.over)])
    if tight:
        return sentences.OPEN_HANDED
    return sentences.ORDINARY if cross.over != near else NOTHING


def open_handed(figure: Figure) -> Iterator[Finding]:
    """Passages in which the hi-hat is the near hand's alone and nothing is crossed, while the other hand plays
    something else; with the places where the hat passes from one hand to the other.
    """
    hat = figure.kit.of_kind("hi-hat")
    if hat is None:
        return
    near = figure.kit.hand_beside_hats
    far = other_hand(near)
    on_hat = [s.index for s in figure.hands if piece_of(s.voice) == hat.code]
    for run in _open_runs(figure, on_hat, near):
        whole = len(run) == len(on_hat)
        inside = _hands_from_to(figure, run[0], run[-1])
        others = figure.by_hand[far] if whole else [i for i in inside if figure.strokes[i].limb == far]
        if not others or not (whole or _lasts(figure, on_hat, run)):
            continue
        passes = [
            sentences.hat_passes(figure.names[limb], figure.on(i)) for limb, i in _passes(figure, on_hat, run, near)
        ]
        sentence = sentences.open_handed(
            figure.span(run[0], run[-1]), hat.name, figure.names[near], figure.names[far], len(run), passes
        )
        yield finding("open-handed", inside, near, Severity.NOTE, sentence)


def _open_runs(figure: Figure, on_hat: Sequence[int], near: str) -> list[list[int]]:
    """Two and more strokes of the near hand on the hat, with neither the other hand on it nor crossed arms between;
    in a loop the last run may go on into the first.
    """
    runs: list[list[int]] = [[]]
    for i in on_hat:
        if figure.strokes[i].limb != near:
            runs.append([])
        elif runs[-1] and not _uncrossed(figure, runs[-1][-1], i):
            runs.append([i])
        elif _uncrossed(figure, i, i):
            runs[-1].append(i)
    if figure.repeat and len(runs) > 1 and runs[0] and runs[-1] and _uncrossed(figure, runs[-1][-1], runs[0][0]):
        runs[0] = runs.pop() + runs[0]
    return [run for run in runs if len(run) > 1]


def _moments_from_to(figure: Figure, first: int, last: int) -> list[int]:
    """The events from one stroke's to another's, round the loop where that comes before it."""
    start, end = figure.posture_index(first), figure.posture_index(last)
    if start <= end:
        return list(range(start, end + 1))
    return [*range(start, len(figure.pattern.events)), *range(end + 1)]


def _uncrossed(figure: Figure, first: int, last: int) -> bool:
    return all(figure.walk.postures[n].cross is None for n in _moments_from_to(figure, first, last))


def _hands_from_to(figure: Figure, first: int, last: int) -> list[int]:
    events = figure.pattern.events
    return [i for n in _moments_from_to(figure, first, last) for i in events[n].hand_indices]


def _lasts(figure: Figure, on_hat: Sequence[int], run: Sequence[int]) -> bool:
    """Whether a run is a passage, and not a few strokes between those of the other hand."""
    if len(run) < FEWEST_OPEN:
        return False
    end = on_hat.index(run[-1]) + 1
    start = figure.strokes[run[0]].start
    until = figure.strokes[on_hat[end % len(on_hat)]].start if end < len(on_hat) or figure.repeat else None
    if until is None:
        until = figure.pattern.length
    return (until - start if until > start else until - start + figure.pattern.length) >= SHORTEST_OPEN


def _passes(figure: Figure, on_hat: Sequence[int], run: Sequence[int], near: str) -> Iterator[tuple[str, int]]:
    """Where the hat passes to a hand around a run: the hand, and its first stroke there."""
    far, n = other_hand(near), len(on_hat)
    before, after = on_hat.index(run[0]) - 1, on_hat.index(run[-1]) + 1
    if (before >= 0 or figure.repeat) and figure.strokes[on_hat[before]].limb == far:
        yield near, run[0]
    if (after < n or figure.repeat) and figure.strokes[on_hat[after % n]].limb == far:
        yield far, on_hat[after % n]


def idle_marks(figure: Figure) -> Iterator[Finding]:
    """Marks for who goes over that decide nothing, because no arms cross there."""
    idle = [
        s.index for s in figure.hands if (OVER in s.marks or UNDER in s.marks) and s.index not in figure.walk.deciding
    ]
    if idle:
        marks = "".join(mark for mark in (OVER, UNDER) if mark in figure.strokes[idle[0]].marks)
        sentence = sentences.idle_marks(figure.on(idle[0]), marks, len(idle))
        yield finding("mark", idle, figure.strokes[idle[0]].limb, Severity.NOTE, sentence)
