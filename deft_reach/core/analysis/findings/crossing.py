"""Crossed arms: crossovers and crossed holds; and what is played open-handed instead."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from typing import Final, NamedTuple

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity, caution_if
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, SIDES, Figure, finding
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import HANDS, LEFT, RIGHT, other_hand
from deft_reach.core.model.message import NOTHING, Message
from deft_reach.core.motion.reach_table import Cross

#: Arms that pass closer than this (mm) deserve a thought.
TIGHT_MM: Final = 60.0


class _Span(NamedTuple):
    """A run of hand strokes with crossed arms, and the tightest crossing in it.

    ``continued`` says that the arms were crossed before it began.
    """

    strokes: list[int]
    tightest: Cross
    continued: bool


def crossings(figure: Figure) -> Iterator[Finding]:
    """A crossed hold where both hands play while the arms are crossed, a crossover where only one does."""
    for span in _crossed_spans(figure):
        entering = next((i for i in span.strokes if i in figure.walk.entered), span.strokes[0])
        kept = span.strokes if span.continued else [i for i in span.strokes if i != entering]
        if {figure.strokes[i].limb for i in kept} == {RIGHT, LEFT}:
            yield _hold(figure, span, entering)
        else:
            yield _crossover(figure, span, entering)


def _hold(figure: Figure, span: _Span, entering: int) -> Finding:
    cross = span.tightest
    sentence = sentences.crossed_hold(
        figure.span(span.strokes[0], span.strokes[-1]), figure.names[cross.over], cross.clearance,
        _choice(figure, cross), _hold_advice(figure, span.strokes, cross),
    )  # fmt: skip
    severity = caution_if(cross.clearance < TIGHT_MM)
    mover = figure.strokes[entering].limb
    return finding("crossed-hold", sorted(span.strokes), mover, severity, sentence, over=cross.over)


def _crossover(figure: Figure, span: _Span, entering: int) -> Finding:
    cross, mover = span.tightest, figure.strokes[entering].limb
    here = figure.walk.postures[figure.posture_index(entering)].voice(mover)
    pace = figure.walk.pace[entering]
    hurried = pace is not None and pace > HURRIED_PACE
    sentence = sentences.crossover(
        figure.on(entering), figure.names[mover], mover == cross.over, SIDES[other_hand(mover)], figure.name(here),
        _whereabouts(figure, other_hand(mover), entering), cross.clearance, _choice(figure, cross),
        figure.names[other_hand(cross.over)],
    )  # fmt: skip
    severity = caution_if(cross.clearance < TIGHT_MM or hurried)
    return finding("crossover", sorted(span.strokes), mover, severity, sentence, over=cross.over)


def _crossed_spans(figure: Figure) -> list[_Span]:
    spans: list[_Span] = []
    current: list[int] = []
    tightest: Cross | None = None
    began_before = figure.walk.continued
    for event, posture in zip(figure.pattern.events, figure.walk.postures):
        hands = event.hand_indices
        if not hands:
            continue
        if posture.cross is None:
            if current and tightest is not None:
                spans.append(_Span(current, tightest, began_before))
            current, tightest, began_before = [], None, False
            continue
        current.extend(hands)
        if tightest is None or posture.cross.clearance < tightest.clearance:
            tightest = posture.cross
    if current and tightest is not None:
        spans.append(_Span(current, tightest, began_before))
        last = figure.walk.postures[-1]
        if figure.repeat and spans[0].continued and last.cross is not None and len(spans) > 1:
            # In a loop the last span runs on into the first one.
            end, start = spans.pop(), spans.pop(0)
            both = min((end.tightest, start.tightest), key=lambda c: c.clearance)
            spans.append(_Span(end.strokes + start.strokes, both, False))
    return spans


def _whereabouts(figure: Figure, hand: str, index: int) -> Message:
    """Where a hand is at a stroke of the other one: at a voice, or on its way to the next."""
    posture = figure.walk.postures[figure.posture_index(index)]
    here, mine = posture.voice(hand), figure.by_hand[hand]
    strikes = any(figure.strokes[i].limb == hand for i in posture.strokes)
    at = bisect_right(mine, posture.strokes[-1])
    later = None
    if at < len(mine) or (figure.repeat and mine):
        later = figure.strokes[mine[at if at < len(mine) else 0]]
    if strikes or later is None or later.voice in (here, None) or later.voice not in figure.table.points:
        return sentences.is_at(figure.name(here))
    return sentences.on_its_way(figure.name(here), figure.name(later.voice))


def _choice(figure: Figure, cross: Cross) -> Message:
    """What there is to say of who goes over."""
    over, under = figure.names[cross.over], figure.names[other_hand(cross.over)]
    if cross.chosen:
        return sentences.chosen_over(over, under, against=not (cross.clearance or cross.either))
    return sentences.either_over(over) if cross.either else NOTHING


def _hold_advice(figure: Figure, indices: Sequence[int], cross: Cross) -> Message:
    """The ordinary crossed posture is the far hand on the hi-hat over the near one on the snare."""
    tight = cross.clearance < TIGHT_MM
    near = LEFT if figure.kit.hat_side < 0 else RIGHT
    wanted = {near: "snare", other_hand(near): "hi-hat"}
    for index in indices:
        posture = figure.walk.postures[figure.posture_index(index)]
        for hand in HANDS:
            piece = figure.kit.piece(piece_of(posture.voice(hand) or ""))
            if piece is None or piece.kind != wanted[hand]:
                return sentences.EXCHANGE_HANDS if tight else sentences.keep_low(figure.names[other_hand(cross.over)])
    if tight:
        return sentences.OPEN_HANDED
    return sentences.ORDINARY if cross.over != near else NOTHING


def open_handed(figure: Figure) -> Iterator[Finding]:
    """The hi-hat is the near hand's alone in the whole figure, and the other hand plays something else."""
    hat = figure.kit.of_kind("hi-hat")
    if hat is None:
        return
    near = LEFT if figure.kit.hat_side < 0 else RIGHT
    on_hat: dict[str, list[int]] = {limb: [] for limb in HANDS}
    for (limb, voice), indices in figure.pattern.by_limb_and_voice.items():
        if limb in HANDS and piece_of(voice) == hat.code:
            on_hat[limb] += indices
    kept = sorted(on_hat[near])
    far = other_hand(near)
    if len(kept) < 2 or on_hat[far] or not figure.by_hand[far]:
        return
    # Where the arms are crossed meanwhile, nothing is open.
    if any(figure.walk.postures[figure.posture_index(i)].cross is not None for i in kept):
        return
    inside = range(kept[0], kept[-1] + 1)
    sentence = sentences.open_handed(
        figure.span(kept[0], kept[-1]), hat.name, figure.names[near], figure.names[far], len(kept)
    )
    yield finding("open-handed", [s.index for s in figure.hands if s.index in inside], near, Severity.NOTE, sentence)
