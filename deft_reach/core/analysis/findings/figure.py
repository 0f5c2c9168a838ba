"""What the findings are made from: a walked pattern, with names for its places, limbs and voices."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity
from deft_reach.core.model.counting import place
from deft_reach.core.model.kit import voice_name
from deft_reach.core.model.limbs import HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.message import Message, message
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.walk import Walk

#: From this pace on a move is hurried.
HURRIED_PACE: Final = 0.85
#: From this pace on there is no time, whatever the rounding.
LATE: Final = 1 + 1e-9

#: A hand named as such, and by its side alone.
HAND_NAMES: Final = {RIGHT: message("right hand"), LEFT: message("left hand")}
SIDES: Final = {RIGHT: message("right"), LEFT: message("left")}


class Figure:
    """A walked pattern; ``times`` are the strokes' times and ``length`` the pattern's, in seconds."""

    def __init__(
        self, pattern: Pattern, walk: Walk, table: ReachTable, times: Sequence[float], length: float, repeat: bool
    ) -> None:
        self.pattern = pattern
        self.strokes = pattern.strokes
        self.walk = walk
        self.table = table
        self.kit = table.kit
        self.times = times
        self.length = length
        self.repeat = repeat
        self.hands = [s for s in self.strokes if s.limb in HANDS]
        self.by_hand = {hand: [s.index for s in self.hands if s.limb == hand] for hand in HANDS}
        self.many_bars = pattern.many_bars
        feet = message("right foot"), message("left foot")
        bass, hat = feet if self.kit.bass_foot_side > 0 else feet[::-1]
        self.names = {**HAND_NAMES, KICK: bass, SECOND_KICK: hat, HAT_FOOT: hat}

    def at(self, index: int) -> Message:
        """Where a stroke falls."""
        stroke = self.strokes[index]
        return sentences.at(place(stroke.beat), stroke.bar, self.many_bars)

    def on(self, index: int) -> Message:
        """On which place a stroke falls."""
        return sentences.on(place(self.strokes[index].beat), self.at(index))

    def name(self, voice: str | None) -> object:
        return voice_name(self.kit, voice) if voice else message("where it rests")

    def span(self, first: int, last: int) -> Message:
        """From which stroke to which."""
        if len(self.hands) > 1 and first <= self.hands[0].index and last >= self.hands[-1].index:
            return message("all through")
        if first == last:
            return self.on(first)
        if self.strokes[first].bar == self.strokes[last].bar:
            return message("from {start} to {end}", start=place(self.strokes[first].beat), end=self.at(last))
        return message("from {start} to {end}", start=self.at(first), end=self.at(last))

    def posture_index(self, index: int) -> int:
        """Which posture a stroke belongs to."""
        low, high = 0, len(self.walk.postures) - 1
        while low < high:
            middle = (low + high) // 2
            if self.walk.postures[middle].strokes[-1] < index:
                low = middle + 1
            else:
                high = middle
        return low


def finding(
    kind: str, strokes: Sequence[int], limb: str | None, severity: Severity, sentence: sentences.Sentence,
    over: str | None = None,
) -> Finding:  # fmt: skip
    """A finding with its sentence."""
    return Finding(kind, tuple(strokes), limb, over, severity, *sentence)
