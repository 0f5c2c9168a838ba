"""What is out of reach, and what a hand has to stretch or lean for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity, caution_if
from deft_reach.core.analysis.findings.figure import Figure, finding
from deft_reach.core.model.limbs import HANDS, other_hand
from deft_reach.core.model.message import Message
from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM

#: Leaning further than this (mm) deserves a thought.
FAR_LEAN_MM: Final = 60.0


def out_of_reach(figure: Figure) -> Iterator[Finding]:
    """Voices that a hand cannot reach, however far the player leans."""
    for (hand, voice), indices in _by_hand_and_voice(figure):
        lean = figure.table.lean[hand][voice]
        if lean > MAX_LEAN_MM:
            names = figure.names[hand], figure.names[other_hand(hand)]
            sentence = sentences.out_of_reach(
                figure.on(indices[0]), figure.name(voice), *names, lean - MAX_LEAN_MM, MAX_LEAN_MM
            )
            yield finding("out-of-reach", indices, hand, Severity.STOP, sentence)


def strained_reach(figure: Figure) -> Iterator[Finding]:
    """One finding for each hand, and one for what it has to lean far for."""
    found: dict[tuple[str, Severity], list[tuple[str, tuple[int, ...]]]] = {}
    for (hand, voice), indices in _by_hand_and_voice(figure):
        lean, reach = figure.table.lean[hand][voice], figure.table.reach[hand][voice]
        if lean <= MAX_LEAN_MM and (lean > 0 or reach > COMFORTABLE_REACH[1]):
            found.setdefault((hand, caution_if(lean > FAR_LEAN_MM)), []).append((voice, indices))
    for (hand, severity), voices in found.items():
        strokes = sorted(i for _, each in voices for i in each)
        sentence = sentences.strained_reach(
            figure.names[hand],
            figure.names[other_hand(hand)],
            [_effort(figure, hand, voice) for voice, _ in voices],
            [figure.name(voice) for voice, _ in voices],
            figure.on(strokes[0]),
        )
        yield finding("strained-reach", strokes, hand, severity, sentence)


def _by_hand_and_voice(figure: Figure) -> Iterator[tuple[tuple[str, str], tuple[int, ...]]]:
    for key, indices in figure.pattern.by_limb_and_voice.items():
        if key[0] in HANDS and key[1] in figure.table.points:
            yield key, indices


def _effort(figure: Figure, hand: str, voice: str) -> Message:
    """How far a hand has to go for a voice."""
    lean = figure.table.lean[hand][voice]
    if lean > 0:
        return sentences.lean_for(figure.name(voice), lean)
    return sentences.stretch_for(figure.name(voice), figure.table.reach[hand][voice])
