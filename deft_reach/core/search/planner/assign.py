"""A pattern with hands given to its open strokes: the same text, letter for letter, but for those."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from deft_reach.core.model.elements import Step
from deft_reach.core.model.limbs import EITHER
from deft_reach.core.model.pattern import Pattern, Stroke
from deft_reach.core.notation.stroke_text import StrokeTextError, parse


def given(pattern: Pattern, limbs: Mapping[int, str]) -> tuple[Stroke, ...]:
    """The pattern's strokes with some of them, by index, given to other limbs."""
    strokes = list(pattern.strokes)
    for index, limb in limbs.items():
        strokes[index] = strokes[index].played_by(limb)
    return tuple(strokes)


def with_hands(pattern: Pattern, hands: dict[int, str]) -> Pattern:
    """The pattern with open strokes (by index) given to ``R`` or ``L`` (or left open, ``?``); all else is untouched.

    One letter takes the place of another, so every place in the text stays where it was and nothing is read again.

    >>> from deft_reach.core import parse
    >>> with_hands(parse("? L ?@ft"), {0: "R", 2: "R"}).text
    'R L R@ft'
    """
    letters = list(pattern.text)
    by_span: dict[object, str] = {}
    for index, hand in hands.items():
        stroke = pattern.strokes[index]
        assert stroke.limb == EITHER
        letters[pattern.text.index(EITHER, stroke.span.start)] = hand
        by_span[stroke.span] = hand
    elements = tuple(
        replace(e, strikes=tuple(replace(s, limb=by_span[s.span]) if s.span in by_span else s for s in e.strikes))
        if isinstance(e, Step) and any(s.span in by_span for s in e.strikes)
        else e
        for e in pattern.elements
    )
    return replace(pattern, elements=elements, text="".join(letters), strokes=given(pattern, hands))


def written_twice(pattern: Pattern) -> Pattern | None:
    """The pattern once more after itself; None where its text cannot simply be written twice.

    >>> from deft_reach.core import parse
    >>> written_twice(parse("/16 R ? ?@ft")).sticking
    'R ? ? R ? ?'
    """
    text = pattern.text.rstrip()
    whole = pattern.bars.denominator == 1 and not text.endswith("|")
    for between in (" | ", " ") if whole else (" ", " | "):
        try:
            found = parse(text + between + pattern.text)
        except StrokeTextError:
            continue
        own = [(s.limb, s.voice, s.marks, s.grace) for s in pattern.strokes]
        if [(s.limb, s.voice, s.marks, s.grace) for s in found.strokes] == own * 2 and (
            found.length == 2 * pattern.length
            and [float(event.start) for event in found.events[len(pattern.events) :]]
            == [float(event.start + pattern.length) for event in pattern.events]
        ):
            return found
    return None
