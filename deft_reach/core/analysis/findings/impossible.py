"""What cannot be done at any tempo: voices and pedals that are not there, limbs needed in two places at once."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity
from deft_reach.core.analysis.findings.figure import Figure, finding
from deft_reach.core.analysis.sentences import Sentence
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import EITHER, FEET, HAT_FOOT, SECOND_KICK
from deft_reach.core.model.pattern import Moment, Stroke


def impossible(figure: Figure) -> Iterator[Finding]:
    """Strokes on voices that the kit does not have, and of limbs that cannot play theirs."""
    missing: dict[str, list[int]] = {}
    wrong: dict[tuple[str, str], tuple[int, ...]] = {}
    pedal: dict[str, tuple[int, ...]] = {}
    kit = figure.kit
    for (limb, voice), played in figure.pattern.by_limb_and_voice.items():
        code, _, zone = voice.partition(":")
        piece = kit.piece(code)
        if limb in FEET:
            if piece is None:
                missing.setdefault(voice, []).extend(played)
            elif not (zone == "foot" if limb == HAT_FOOT else piece.kind == "bass" and not zone):
                wrong[limb, voice] = played
            elif limb not in figure.table.pedals:
                pedal[limb] = played
        elif piece is None or kit.voice_point(voice) is None:
            missing.setdefault(voice, []).extend(played)
        elif piece.kind == "bass" or zone == "foot":
            wrong[limb, voice] = played
    there = [voice for voice in kit.voices if ":" not in voice]
    for voice, found in missing.items():
        indices = sorted(found)
        yield _stop(indices, None, sentences.no_such_voice(kit.name, voice, figure.on(indices[0]), there))
    for (limb, voice), strokes in wrong.items():
        yield _stop(strokes, limb, sentences.wrong_limb(figure.on(strokes[0]), limb in FEET, figure.name(voice)))
    for limb, strokes in pedal.items():
        yield _stop(strokes, limb, sentences.no_pedal(figure.on(strokes[0]), limb, kit.name))
    yield from _two_at_once(figure)


def too_many(kit: Kit, voices: Sequence[str]) -> Sentence:
    """Why these voices at once are more than two hands can strike, and what to do about it."""
    hats = [voice for voice in voices if voice in kit.hats]
    foot = voice_name(kit, hats[0]) if hats and kit.of_kind("hat-pedal") else None
    return sentences.too_many_hands([voice_name(kit, voice) for voice in voices], foot)


def _stop(indices: Iterable[int], limb: str | None, sentence: Sentence) -> Finding:
    return finding("impossible", tuple(indices), limb, Severity.STOP, sentence)


def _two_at_once(figure: Figure) -> Iterator[Finding]:
    clashes: dict[tuple[str, str, str], list[int]] = {}
    for row in figure.pattern.moments:
        if len(row.strokes) < 2:
            continue
        by_limb = _by_limb(figure, row)
        for limb, both in by_limb.items():
            if limb != EITHER and len(both) > 1 and not _one_sweep(figure, both):
                clashes.setdefault((limb, both[0].voice, both[1].voice), []).extend(s.index for s in both)
        hands = [s for s in (figure.strokes[i] for i in row.strokes) if s.limb not in FEET]
        if len(hands) > 2 and EITHER in by_limb:
            indices = [s.index for s in hands]
            what = too_many(figure.kit, [s.voice for s in hands])
            yield _stop(indices, None, sentences.too_many_at(figure.on(indices[0]), what))
        if SECOND_KICK in by_limb and HAT_FOOT in by_limb and not figure.table.foot_can_split:
            both = by_limb[SECOND_KICK] + by_limb[HAT_FOOT]
            if SECOND_KICK in figure.table.pedals and HAT_FOOT in figure.table.pedals:
                clashes.setdefault((HAT_FOOT, "", ""), []).extend(sorted(s.index for s in both))
    for (limb, a, b), indices in clashes.items():
        when, who = figure.on(indices[0]), figure.names[limb]
        if not a:
            yield _stop(indices, HAT_FOOT, sentences.both_pedals(when, who, figure.kit.foot_pedals_apart))
        elif a == b:
            yield _stop(indices, limb, sentences.twice_at_once(when, who))
        else:
            move = figure.table.moves.get((a, b))
            apart = None if move is None else move.distance
            yield _stop(indices, limb, sentences.two_at_once(when, who, figure.name(a), figure.name(b), apart))


def _by_limb(figure: Figure, row: Moment) -> dict[str, list[Stroke]]:
    found: dict[str, list[Stroke]] = {}
    for index in row.strokes:
        found.setdefault(figure.strokes[index].limb, []).append(figure.strokes[index])
    return found


def _one_sweep(figure: Figure, both: Sequence[Stroke]) -> bool:
    """Whether one hand can strike two voices in passing."""
    if len(both) != 2:
        return False
    a, b = both[0].voice, both[1].voice
    points = figure.table.points
    return a != b and a in points and b in points and figure.table.one_sweep(a, b)
