"""Reading and analysing a document's plans."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Final

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.report import Report
from deft_reach.core.document.records import Document, Plan
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.layouts import STANDARD_VOICES
from deft_reach.core.model.limbs import DEFAULT_VOICE, EITHER, HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.notation.stroke_text import (
    IncrementalParser,
    StrokeTextError,
    fault_error,
    parse,
    replace_strikes,
    strike_of,
)

#: A report, and what is wrong with the text.
Verdict = tuple[Report | None, StrokeTextError | None]


def analyse_plan(document: Document, plan: Plan, *, unfinished: bool = False) -> Report:
    """Analyse a plan as it stands. Raises StrokeTextError when its text cannot be read.

    ``unfinished`` lets bars pass that do not add up.
    """
    kit = document.kit(plan.kit)
    text = document.score(plan.pattern).text
    pattern = read_unfinished(text, kit) if unfinished else read_text(text, kit)
    return analyse(pattern, kit, document.player(plan.player), plan.tempo, repeat=plan.repeat, weights=plan.weights)


def verdict_on(document: Document, plan: Plan) -> Verdict:
    """The report on a plan, and what is wrong with its text.

    Where only a bar does not add up, there are both. There is no report where the text cannot be read at all.
    """
    return verdict_on_text(
        document.score(plan.pattern).text, document.kit(plan.kit), document.player(plan.player), plan
    )


def verdict_on_text(text: str, kit: Kit, player: Player, plan: Plan) -> Verdict:
    """The same for a text by a player on a kit, at a plan's tempo, as a loop if that is one, with its weights."""
    error: StrokeTextError | None = None
    for read in (read_text, read_unfinished):
        try:
            pattern = read(text, kit)
        except StrokeTextError as found:
            error = error or found
        else:
            report = analyse(pattern, kit, player, plan.tempo, repeat=plan.repeat, weights=plan.weights)
            return report, error
    return None, error


def read_text(text: str, kit: Kit) -> Pattern:
    """Read stroke text for a kit: its own voices and those of the shipped kits are known.

    The last few are kept, so that moving a drum reads nothing anew. Raises StrokeTextError.
    """
    try:
        pattern = _read(text, kit.voices)
    except StrokeTextError:
        # Once more, for the first mistake may be a bar before it that does not add up.
        parse(text, _known_voices(kit.voices))
        raise
    if pattern.faults:
        raise fault_error(text, pattern.faults[0], pattern.finest)
    return pattern


def read_unfinished(text: str, kit: Kit) -> Pattern:
    """As ``read_text``, but bars that do not add up are let pass as the pattern's ``faults``."""
    return _read(text, kit.voices)


def unread_characters(text: str, kit: Kit) -> int:
    """How many characters of a text would have to be read anew: few where it was edited a moment ago."""
    return _REREADER.unread(text, _known_voices(kit.voices))


_REREADER: Final = IncrementalParser()


@lru_cache(maxsize=64)
def _read(text: str, voices: tuple[str, ...]) -> Pattern:
    return _REREADER.read(text, _known_voices(voices))


def _known_voices(voices: tuple[str, ...]) -> frozenset[str]:
    return STANDARD_VOICES | frozenset(voices)


def strikes_on(text: str, kit: Kit, code: str) -> tuple[int, ...]:
    """Indices of the hand strokes on a piece, graces included; none where the text cannot be read."""
    try:
        pattern = read_unfinished(text, kit)
    except StrokeTextError:
        return ()
    hands = (s for s in pattern.strokes if s.limb in (*HANDS, EITHER))
    return tuple(s.index for s in hands if code in (_piece(s.voice), _piece(s.grace_voice)))


def exchange_piece(text: str, kit: Kit, code: str, instead: str) -> str:
    """The text with all strokes on one piece of a kit put on another, in the same zone where that has one.

    A text that cannot be read stays as it is.
    """
    indices = strikes_on(text, kit, code)
    if not indices:
        return text
    pattern = read_unfinished(text, kit)
    return replace_strikes(
        pattern, {index: _moved(strike_of(pattern, index), kit, code, instead) for index in indices}
    )


def _piece(voice: str | None) -> str:
    return "" if voice is None else piece_of(voice)


def _moved(strike: Strike, kit: Kit, code: str, instead: str) -> Strike:
    """A hand's strike on the other piece, graces as well; one written without a voice is on the limb's usual one."""

    def other(voice: str | None) -> str | None:
        if _piece(voice) != code:
            return voice
        full = instead + (voice or "")[len(code) :]
        return full if kit.voice_point(full) is not None else instead

    voice = other(strike.voice or DEFAULT_VOICE[strike.limb])
    # Where the usual voice was meant and stays, it needs no name.
    unnamed = strike.voice is None and voice == DEFAULT_VOICE[strike.limb]
    return replace(strike, voice=None if unnamed else voice, grace_voice=other(strike.grace_voice))
