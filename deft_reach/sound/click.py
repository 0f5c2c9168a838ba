"""The click: a short tone on every beat, a higher one on the first of the bar, placed to the sample."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]

RATE: Final = 44_100
#: How long a click sounds (seconds), and how high it is (Hz) on the first beat and on the others.
LENGTH: Final = 0.03
FIRST_HZ, OTHER_HZ = 1660.0, 1100.0
#: What falls between beats is lower still.
BETWEEN_HZ: Final = 830.0
LEVEL: Final = 0.5


#: Where in a beat it clicks (parts of it), by what that is called.
PLACES: Final = {
    "beats": (Fraction(0),),
    "off-beats": (Fraction(1, 2),),
    "eighths": (Fraction(0), Fraction(1, 2)),
    "triplets": (Fraction(0), Fraction(1, 3), Fraction(2, 3)),
    "sixteenths": (Fraction(0), Fraction(1, 4), Fraction(1, 2), Fraction(3, 4)),
    "first beats": (Fraction(0),),
}


@dataclass(frozen=True)
class Clicks:
    """Which clicks there are: ``places`` is of PLACES; of every ``sounding`` + ``silent`` bars the last ones are
    silent, so that the player has to keep the time alone.
    """

    places: str = "beats"
    sounding: int = 1
    silent: int = 0

    def __post_init__(self) -> None:
        if self.places not in PLACES:
            raise ValueError(f"there are no clicks on '{self.places}'; expected one of {', '.join(PLACES)}")
        if self.sounding < 1 or self.silent < 0:
            raise ValueError("of some bars one at least has clicks, and no fewer than none are silent")

    def sounds_in(self, bar: int) -> bool:
        """Whether there are clicks in a bar, counted from 0 from where it begins."""
        return bar % (self.sounding + self.silent) < self.sounding


def tone(frequency: float, rate: int = RATE) -> Samples:
    """One click: a sine that dies away, mono, between −1 and 1."""
    time = np.arange(round(LENGTH * rate)) / rate
    return (LEVEL * np.sin(math.tau * frequency * time) * np.exp(-time * 130)).astype(np.float32)


class Click:
    """An endless click from its first beat on.

    ``beat`` is a beat's length in seconds and ``beats`` how many there are in a bar. ``block`` may be asked for any
    stretch; beat k begins at the sample nearest to k · beat.
    """

    def __init__(self, beat: float, beats: int, rate: int = RATE) -> None:
        if not (math.isfinite(beat) and 0.01 <= beat <= 60):
            raise ValueError(f"a beat of {beat:g} s; expected 0.01 to 60 s")
        self.beat, self.beats, self.rate = beat, max(1, beats), rate
        self._first, self._other = tone(FIRST_HZ, rate), tone(OTHER_HZ, rate)

    def start_of(self, number: int) -> int:
        """The sample at which beat ``number`` begins, the first being 0."""
        return round(number * self.beat * self.rate)

    def block(self, start: int, count: int) -> Samples:
        """``count`` samples from sample ``start`` on."""
        out = np.zeros(count, dtype=np.float32)
        number = max(0, math.floor((start - len(self._first)) / (self.beat * self.rate)) - 1)
        while (begin := self.start_of(number)) < start + count:
            sound = self._first if number % self.beats == 0 else self._other
            low, high = max(begin, start), min(begin + len(sound), start + count)
            if high > low:
                out[low - start : high - start] += sound[low - begin : high - begin]
            number += 1
        return out
