"""Elements and strikes as stroke text."""

from __future__ import annotations

from collections.abc import Iterable

from deft_reach.core.model.elements import (
    BarLine,
    Comment,
    Grid,
    GroupClose,
    GroupOpen,
    LineBreak,
    Meter,
    Rest,
    Step,
    Strike,
    Swing,
    Tempo,
    Tie,
    shift_text,
)
from deft_reach.core.model.layouts import STANDARD_VOICES
from deft_reach.core.model.pattern import Element


def write(elements: Iterable[Element]) -> str:
    """Write elements as tidy stroke text: reading it again gives equal elements."""
    out: list[str] = []
    glue = True  # no space before the next item
    for element in elements:
        if isinstance(element, LineBreak):
            out.append("\n")
            glue = True
            continue
        if isinstance(element, GroupClose):
            out.append(f"){shift_text(element.shift)}")
            glue = False
            continue
        if not glue:
            out.append(" ")
        out.append(_element_text(element))
        glue = isinstance(element, GroupOpen)
    return "".join(out)


def write_strike(strike: Strike) -> str:
    """One strike as text."""
    voice = f"@{strike.voice}" if strike.voice else ""
    if voice and strike.marks[:1] in ("x", "o") and strike.voice not in STANDARD_VOICES:
        # Behind a voice that is not known a letter would be read as part of it.
        return f"{strike.grace_text}{strike.limb}{strike.marks}{voice}{shift_text(strike.shift)}"
    return f"{strike.grace_text}{strike.limb}{voice}{strike.marks}{shift_text(strike.shift)}"


def _element_text(element: Element) -> str:
    match element:
        case Step():
            return "+".join(write_strike(strike) for strike in element.strikes)
        case Rest():
            return "-"
        case Tie():
            return "="
        case Grid():
            return element.text
        case BarLine():
            return "|"
        case GroupOpen():
            return f'("{element.name}" ' if element.name else "("
        case Meter():
            return f"meter {element.beats}/{element.value}"
        case Tempo():
            return f"tempo {element.bpm:.6f}".rstrip("0").rstrip(".")
        case Swing():
            return element.text
        case Comment():
            return element.text
        case _:
            raise TypeError(f"not an element of stroke text: {element!r}")
