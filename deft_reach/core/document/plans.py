"""Reading and analysing a document's plans."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.report import Report
from deft_reach.core.document.records import Document, Plan
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import STANDARD_VOICES
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import IncrementalParser, StrokeTextError, fault_error, parse


def analyse_plan(document: Document, plan: Plan, *, unfinished: bool = False) -> Report:
    """Analyse a plan as it stands. Raises StrokeTextError when its text cannot be read.

    ``unfinished`` lets bars pass that do not add up.
    """
    kit = document.kit(plan.kit)
    text = document.score(plan.pattern).text
    pattern = read_unfinished(text, kit) if unfinished else read_text(text, kit)
    return analyse(pattern, kit, document.player(plan.player), plan.tempo, repeat=plan.repeat, weights=plan.weights)


def read_text(text: str, kit: Kit) -> Pattern:
    """Read stroke text for a kit: its own voices and those of the shipped kits are known.

    The last few are kept, so that moving a drum reads nothing anew. Raises StrokeTextError.
    """
    try:
        pattern = _read(text, kit.voices)
    except StrokeTextError:
        # Once more, for the first mistake may be a bar before it that does not add up.
        parse(text, STANDARD_VOICES | frozenset(kit.voices))
        raise
    if pattern.faults:
        raise fault_error(text, pattern.faults[0], pattern.finest)
    return pattern


def read_unfinished(text: str, kit: Kit) -> Pattern:
    """As ``read_text``, but bars that do not add up are let pass as the pattern's ``faults``."""
    return _read(text, kit.voices)


_REREADER: Final = IncrementalParser()


@lru_cache(maxsize=64)
def _read(text: str, voices: tuple[str, ...]) -> Pattern:
    return _REREADER.read(text, STANDARD_VOICES | frozenset(voices))
