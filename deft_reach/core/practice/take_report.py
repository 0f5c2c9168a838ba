"""What a take that was checked is found to be: its figures, limb by limb and place by place."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

#: What a slip can be.
LEFT_OUT, TWICE, STOP, TOO_SOON, STUMBLE = "left-out", "twice", "stop", "too-soon", "stumble"


class TakeError(ValueError):
    """A performance that cannot be judged: says why and what to do."""


class LimbTake(NamedTuple):
    """One limb (or one voice): its strokes in all rounds, how late it is on the whole and how unsteady (ms), and how
    many were missed.
    """

    strokes: int
    bias_ms: float
    spread_ms: float
    missed: int

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


class PlaceTake(NamedTuple):
    """One stroke of the pattern over all rounds: how late it is as a rule (median, ms; None where it never sounded),
    how unsteady, how often it was missed, and of its graces in how many rounds they were there and how wide (ms);
    None for a stroke without.
    """

    stroke: int
    offset_ms: float | None
    spread_ms: float
    missed: int
    grace: dict[str, float | None] | None

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


class Ignored(NamedTuple):
    """Something that was recognised and not counted: when (seconds), and what it is."""

    time: float
    why: str

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


class Slip(NamedTuple):
    """One slip.

    ``kind`` is left-out, twice, stop, too-soon or stumble; ``round`` counts from 1; ``stroke`` is the first one
    concerned, by its index; ``beats`` says how much was left out or played twice (quarters), ``seconds`` how long the
    player stopped, or how much too soon they went on.
    """

    kind: str
    round: int
    stroke: int
    beats: float
    seconds: float

    def as_dict(self) -> dict[str, Any]:
        return self._asdict()


@dataclass(frozen=True)
class Take:
    """What a take check says.

    ``tempo`` is the tempo played (BPM), ``rounds`` how often. ``missed`` are strokes by index, one entry each time,
    ``extra`` times of hits that belong to none (seconds). ``late`` has every matched stroke's distance from the pulse
    in ms by (round, index). ``evenness`` is played over written spacing, None where there is nothing to compare;
    ``dynamics`` has mean velocities and what was played with the wrong loudness; ``drift`` is how much faster the end
    was than the beginning, as a part; ``slips`` are beats left out or played twice, stops and stumbles.
    """

    verdict: str
    tempo: float
    asked: float
    rounds: int
    tolerance_ms: float
    limbs: dict[str, LimbTake]
    voices: dict[str, LimbTake]
    evenness: dict[str, float | None]
    missed: tuple[int, ...]
    extra: tuple[float, ...]
    dynamics: dict[str, Any]
    flams: dict[str, Any]
    drift: float
    advice: tuple[str, ...]
    late: dict[tuple[int, int], float] = field(default_factory=dict)
    places: tuple[PlaceTake, ...] = ()
    ignored: tuple[Ignored, ...] = ()
    slips: tuple[Slip, ...] = ()

    def told_first(self, line: str | None) -> Take:
        """The same with a line of advice before all others; itself where there is none."""
        return self if line is None else replace(self, advice=(line, *self.advice))

    @property
    def ignored_words(self) -> tuple[str, ...]:
        """What was not counted, one line for each kind."""
        kinds = list(dict.fromkeys(row.why for row in self.ignored))
        lines = []
        for why in kinds:
            count = sum(row.why == why for row in self.ignored)
            lines.append(f"Not counted: {why}" + (f" ({count} times)." if count > 1 else "."))
        return tuple(lines)

    def as_dict(self) -> dict[str, Any]:
        """The command contract's object."""
        return {
            "verdict": self.verdict,
            "tempo": self.tempo,
            "rounds": self.rounds,
            "tolerance_ms": self.tolerance_ms,
            "limbs": {limb: row.as_dict() for limb, row in self.limbs.items()},
            "voices": {voice: row.as_dict() for voice, row in self.voices.items()},
            "evenness": self.evenness,
            "missed": list(self.missed),
            "extra": list(self.extra),
            "dynamics": self.dynamics,
            "flams": self.flams,
            "drift": self.drift,
            "places": [row.as_dict() for row in self.places],
            "slips": [row.as_dict() for row in self.slips],
            "ignored": [row.as_dict() for row in self.ignored],
            "advice": list(self.advice),
        }
