"""What a song is made of once it is chained: its parts, and what keeps sections out."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

from deft_reach.core.analysis.finding import Severity
from deft_reach.core.document import Plan, Song
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.message import Message
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player


class Problem(NamedTuple):
    """Something about one section that keeps it out of the chain (``stop``) or should be known (``note``).

    ``open_hands`` says that strokes of its plan have no hand yet.
    """

    section: int | None
    severity: Severity
    message: Message | str
    open_hands: bool = False


class Part(NamedTuple):
    """One round of a section: where it begins and how long it is, in whole notes of the chain's own time.

    ``start`` is where its first full bar begins; ``head`` and ``tail`` are how far pickup and landing reach over its
    neighbours. ``section`` is its number in the song, ``round`` counts from 0.
    """

    section: int
    round: int
    plan: Plan
    pattern: Pattern
    tempo: float
    start: Fraction
    head: Fraction
    body: Fraction
    tail: Fraction


@dataclass(frozen=True)
class Chain:
    """A song as one pattern.

    ``origin`` says of each stroke which part it comes from and which stroke of that part's own pattern it is.
    ``nominal`` has every stroke's start as it is counted; ``pattern`` has them as they are played, in whole notes at
    ``tempo``, the first section's.
    """

    song: Song
    pattern: Pattern
    nominal: Pattern
    tempo: float
    repeat: bool
    parts: tuple[Part, ...]
    origin: tuple[tuple[int, int], ...]
    kit: Kit
    player: Player
    problems: tuple[Problem, ...]

    @property
    def one_tempo(self) -> bool:
        return len({part.tempo for part in self.parts}) < 2

    def part_at(self, stroke: int) -> Part:
        return self.parts[self.origin[stroke][0]]

    def entry_of(self, section: int) -> Fraction | None:
        """When a section is played first (whole notes of ``pattern``), from its pickup on; None where it is not."""
        part = next((part for part in self.parts if part.section == section), None)
        if part is None:
            return None
        if part is self.parts[0]:
            return Fraction(0)
        written = part.start - part.head + self.nominal.pickup
        counted = self.nominal.bar_at(written)
        played = self.pattern.bar_rows[self.nominal.bar_rows.index(counted)]
        return played.time_of(counted.beat(written) - 1)
