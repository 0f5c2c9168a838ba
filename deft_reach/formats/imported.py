"""What reading a foreign file gives, and what somebody who knows it can say beforehand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Final

from deft_reach.core.notation.stroke_text import StrokeTextError, parse, with_tempo

#: Tempi that differ by no more than this are one (BPM): a file rounds it.
SAME_TEMPO: Final = 0.01


@dataclass(frozen=True)
class Imported:
    """A pattern from elsewhere: its stroke text, tempo (None if the file says nothing), and remarks for the player.

    ``tracks`` names every part that could have been read, with its number of notes; ``track`` is the one that was,
    None where all were read as one. ``keys`` says what each MIDI key was taken for. ``tempi`` are the tempo changes
    that the text cannot have: when each begins (whole notes), and its tempo (BPM). ``repeat`` says that it is a loop.
    """

    text: str
    tempo: float | None
    tracks: tuple[tuple[str, int], ...] = ()
    track: int | None = None
    remarks: tuple[str, ...] = ()
    keys: tuple[tuple[int, str], ...] = ()
    tempi: tuple[tuple[Fraction, float], ...] = ()
    repeat: bool = False


@dataclass(frozen=True)
class Choices:
    """What somebody who knows the file says of it, in place of what is found: voices by key, the meter, whether it
    may swing, and the grid (a step in beats, None for those that are found).
    """

    voices: Mapping[int, str] = field(default_factory=dict)
    meter: tuple[int, int] | None = None
    swing: bool = True
    grid: Fraction | None = None


def as_written(text: str, tempo: float | None) -> str | None:
    """The stroke text that a file of ours carries, with the tempo that the file has now.

    None where it cannot be read, as when a newer version wrote it: the strokes in the file still say what they say.
    """
    try:
        pattern = parse(text)
    except StrokeTextError:
        return None
    changed = pattern.tempo is not None and tempo is not None and abs(tempo - pattern.tempo) > SAME_TEMPO
    return with_tempo(pattern, tempo) if changed and tempo is not None else text


#: Everything as it is found.
AS_FOUND: Final = Choices()
