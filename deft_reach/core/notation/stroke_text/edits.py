"""Changes of single strokes in a text that leave everything else untouched."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from deft_reach.core.model.elements import Strike, Tempo
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text.writer import write, write_strike


def replace_strike(pattern: Pattern, index: int, strike: Strike) -> str:
    """The pattern's text with one stroke rewritten and everything else untouched."""
    return replace_strikes(pattern, {index: strike})


def replace_strikes(pattern: Pattern, strikes: Mapping[int, Strike]) -> str:
    """The pattern's text with these strokes rewritten and everything else untouched."""
    text = pattern.text
    for index in sorted(strikes, reverse=True):
        span = pattern.strokes[index].span
        text = text[: span.start] + write_strike(strikes[index]) + text[span.end :]
    return text


def with_tempo(pattern: Pattern, tempo: float) -> str:
    """The pattern's text with this tempo (quarter notes a minute) at its head, in place of another if it has one."""
    setting = write([Tempo(tempo)])
    if pattern.tempo == tempo:
        return pattern.text
    written = next((element for element in pattern.elements if isinstance(element, Tempo)), None)
    if written is not None:
        span = written.span
        return pattern.text[: span.start] + setting + pattern.text[span.end :]
    return f"{setting}\n{pattern.text}"


def rewrite(pattern: Pattern, changes: Mapping[int, Strike | None]) -> str:
    """The pattern's text with strokes rewritten, or left out where None is given; everything else untouched.

    A step of which nothing is left becomes a rest, so that all others keep their time.
    """
    text = pattern.text
    for moment in reversed(pattern.moments):
        if not any(i in changes for i in moment.strokes):
            continue
        kept = []
        for i in moment.strokes:
            span = pattern.strokes[i].span
            if i not in changes:
                kept.append(text[span.start : span.end])
            elif (strike := changes[i]) is not None:
                kept.append(write_strike(strike))
        first, last = pattern.strokes[moment.strokes[0]].span, pattern.strokes[moment.strokes[-1]].span
        text = text[: first.start] + ("+".join(kept) or "-") + text[last.end :]
    return text


def strike_of(pattern: Pattern, index: int) -> Strike:
    """The strike behind a stroke, as written."""
    stroke = pattern.strokes[index]
    written = pattern.text[stroke.span.start : stroke.span.end]
    # Graces may name a voice of their own before the limb.
    return replace(stroke.strike("@" in written), span=stroke.span)
