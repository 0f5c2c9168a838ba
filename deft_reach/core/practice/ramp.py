"""Ramps: a figure played round after round from one tempo to another in one go, and where its strokes gave out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.counting import in_bar
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.practice.hit_matching import match_pads, pad_of, quickest_spacing
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_advice import SAME_PIECE
from deft_reach.core.practice.take_alignment import FAR_S, TOLERANCE, TOLERANCE_BOUNDS
from deft_reach.core.practice.take_report import TakeError

Floats = NDArray[np.float64]

ROUND_RANGE: Final = (2, 200)
#: A stroke has given out where it fails in so many of the rounds from there on.
FAILS: Final = 2 / 3
#: Where the first stroke may be among the first hits of a recording.
FIRST_HITS: Final = 6
#: So many strokes are looked at to find where it begins, and a hit so near (seconds) is one.
LOOKED_AT: Final = 64
NEAR_S: Final = 0.03
#: A round of which so much was found was played.
PLAYED: Final = 0.3


class RampError(ValueError):
    """A ramp that cannot be: says what to give instead."""


@dataclass(frozen=True)
class Ramp:
    """From ``start`` to ``end`` (BPM) in so many ``rounds``: each round has one tempo, and the steps are equal."""

    start: float
    end: float
    rounds: int

    def __post_init__(self) -> None:
        low, high = TEMPO_RANGE
        for tempo in (self.start, self.end):
            if not (math.isfinite(tempo) and low <= tempo <= high):
                raise RampError(f"a ramp's tempo is {tempo:.4g} BPM; expected {low:.4g} to {high:.4g} BPM")
        if not ROUND_RANGE[0] <= self.rounds <= ROUND_RANGE[1]:
            raise RampError(f"a ramp has {self.rounds} rounds; expected {ROUND_RANGE[0]} to {ROUND_RANGE[1]}")

    @property
    def tempi(self) -> Floats:
        """Each round's tempo (rounds,), BPM."""
        return np.linspace(self.start, self.end, self.rounds)

    def seconds_at(self, places: Any, length: float) -> Any:
        """When places (whole notes from the beginning) are played, in seconds, if a round is ``length`` whole notes.

        Before the first round and after the last one their tempi go on.
        """
        wholes = 240.0 / self.tempi
        begins = np.concatenate([[0.0], np.cumsum(wholes * length)])
        turn = np.clip(np.floor_divide(places, length), 0, self.rounds - 1).astype(np.intp)
        return begins[turn] + (places - turn * length) * wholes[turn]

    def places_at(self, seconds: Any, length: float) -> Any:
        """The inverse of ``seconds_at``."""
        wholes = 240.0 / self.tempi
        begins = np.concatenate([[0.0], np.cumsum(wholes * length)])
        turn = np.clip(np.searchsorted(begins, seconds, side="right") - 1, 0, self.rounds - 1)
        return turn * length + (seconds - begins[turn]) / wholes[turn]


def parse_ramp(text: str) -> Ramp:
    """``80-140x12``: from 80 to 140 BPM in 12 rounds. Raises RampError."""
    tempi, _, rounds = text.lower().replace("×", "x").replace(" ", "").partition("x")
    start, _, end = tempi.replace("–", "-").partition("-")
    try:
        return Ramp(float(start), float(end), int(rounds))
    except ValueError as error:
        if isinstance(error, RampError):
            raise
        raise RampError(f"the ramp is '{text}'; expected tempi and rounds such as 80-140x12") from None


class GaveOut(NamedTuple):
    """From which tempo on (BPM) a stroke was no longer in time; None where it held to the end."""

    stroke: int
    tempo: float | None


@dataclass(frozen=True)
class RampTake:
    """What a ramp says: the tempo up to which everything was in time (BPM; None: nothing was), where each stroke gave
    out, how many rounds were played, and which strokes were missed in them (round, index).
    """

    ramp: Ramp
    held: float | None
    strokes: tuple[GaveOut, ...]
    rounds: int
    missed: tuple[tuple[int, int], ...]
    advice: tuple[str, ...]

    def as_dict(self) -> dict[str, Any]:
        """The fields of the command contract, tempi in BPM."""
        return {
            "ramp": {"start": self.ramp.start, "end": self.ramp.end, "rounds": self.ramp.rounds},
            "rounds": self.rounds,
            "held": self.held,
            "strokes": [{"stroke": row.stroke, "gave_out": row.tempo} for row in self.strokes],
            "missed": [list(row) for row in self.missed],
            "advice": list(self.advice),
        }


def check_ramp(pattern: Pattern, keys: Sequence[int], hits: Sequence[Hit], ramp: Ramp) -> RampTake:
    """Hold a recorded ramp against its pattern; ``keys`` has the General MIDI key of each stroke.

    The ramp gives the time, not the pulse of one who is carried away: only where it begins is found.
    Raises TakeError where there is nothing to hold, or what was played is something else.
    """
    if not pattern.strokes:
        raise TakeError("the plan has no strokes to hold it against")
    played = sorted(hit for hit in hits if hit.velocity > 0 and math.isfinite(hit.time))
    if not played:
        raise TakeError("there are no drum hits in this performance")
    length, count = float(pattern.length), len(pattern.strokes)
    places = np.concatenate([np.array(pattern.starts) + turn * length for turn in range(ramp.rounds)])
    wanted = np.asarray(ramp.seconds_at(places, length)) + np.tile(pattern.shifts, ramp.rounds)
    pads = np.tile([pad_of(key) for key in keys], ramp.rounds)
    times, own = np.array([hit.time for hit in played]), np.array([pad_of(hit.key) for hit in played])
    loud = np.array([hit.velocity for hit in played], dtype=float)
    begin = _begin(wanted, pads, times, own)
    far = max(FAR_S, quickest_spacing(pattern) * 240.0 / max(ramp.start, ramp.end))
    match = match_pads(wanted + begin, pads, times, own, loud, far)
    away = np.where(match >= 0, times[np.maximum(match, 0)] - wanted - begin, np.nan).reshape(-1, count)
    there = ~np.isnan(away)
    if there.mean() < SAME_PIECE and there[: max(2, ramp.rounds // 3)].mean() < SAME_PIECE:
        raise TakeError(
            "only a few of the strokes were found where the ramp has them: check the plan, and the ramp's tempi"
        )
    rounds = int(np.flatnonzero(there.mean(axis=1) >= PLAYED)[-1]) + 1
    return _judge(pattern, ramp, away[:rounds])


def _begin(wanted: Floats, pads: NDArray[np.intp], times: Floats, own: NDArray[np.intp]) -> float:
    """When the ramp began (seconds): where most strokes of the first rounds have a hit."""
    first = slice(0, min(len(wanted), LOOKED_AT))
    best = (-math.inf, 0.0)
    for k in range(min(FIRST_HITS, len(times))):
        for j in np.flatnonzero(pads[first] == own[k])[:FIRST_HITS].tolist():
            begin = float(times[k] - wanted[j])
            near = _nearest(wanted[first] + begin, pads[first], times, own)
            # Of two as good the one that begins with the first hit.
            score = float(np.exp(-((near / NEAR_S) ** 2)).sum()) - 0.01 * (j + k)
            best = max(best, (score, begin))
    return best[1]


def _nearest(wanted: Floats, pads: NDArray[np.intp], times: Floats, own: NDArray[np.intp]) -> Floats:
    """How far each stroke is from the nearest hit of its pad (seconds)."""
    found = np.full(len(wanted), np.inf)
    for pad in np.unique(pads).tolist():
        mine, there = np.flatnonzero(pads == pad), times[own == pad]
        if len(there):
            at = np.searchsorted(there, wanted[mine])
            left, right = there[np.maximum(at - 1, 0)], there[np.minimum(at, len(there) - 1)]
            found[mine] = np.minimum(np.abs(left - wanted[mine]), np.abs(right - wanted[mine]))
    return found


def _judge(pattern: Pattern, ramp: Ramp, away: Floats) -> RampTake:
    """``away`` (rounds, strokes): how late each stroke was (seconds), NaN where it was missed."""
    tempi, (rounds, count) = ramp.tempi, away.shape
    first = away[: max(2, rounds // 3)]
    # Whoever is late throughout, or hears the click late, has not given out.
    usual = float(np.nanmedian(first)) if not np.isnan(first).all() else 0.0
    spacing = quickest_spacing(pattern) * 240.0 / tempi
    low, high = TOLERANCE_BOUNDS
    tolerance = np.clip(TOLERANCE * spacing, low, high)[:rounds, None]
    held = np.abs(away - usual) <= tolerance
    rows = []
    for index in range(count):
        gone = None
        for turn in range(rounds):
            if not held[turn, index] and (~held[turn:, index]).mean() >= FAILS:
                gone = round(float(tempi[turn]), 1)
                break
        rows.append(GaveOut(index, gone))
    lost = [row.tempo for row in rows if row.tempo is not None]
    top: float | None = round(float(tempi[rounds - 1]), 1)
    if lost:
        before = tempi[tempi < min(lost) - 0.05] if ramp.end >= ramp.start else tempi[tempi > max(lost) + 0.05]
        top = round(float(before[-1]), 1) if len(before) else None
    missed = tuple((int(turn), int(index)) for turn, index in np.argwhere(np.isnan(away)))
    return RampTake(ramp, top, tuple(rows), rounds, missed, tuple(_advice(pattern, ramp, rows, top, rounds)))


def _advice(pattern: Pattern, ramp: Ramp, rows: Sequence[GaveOut], held: float | None, rounds: int) -> list[str]:
    lines = []
    if rounds < ramp.rounds:
        lines.append(f"{rounds} of {ramp.rounds} rounds were played.")
    if held is not None:
        lines.append(f"Everything holds up to {held:.4g} BPM.")
    lost = sorted((row.tempo, row.stroke) for row in rows if row.tempo is not None)
    for tempo, index in lost[:4]:
        stroke = pattern.strokes[index]
        lines.append(f"{stroke.limb} on {in_bar(stroke.bar, stroke.beat)} gives out at {tempo:.4g} BPM.")
    if len(lost) > 4:
        lines.append(f"{len(lost)} of {len(rows)} strokes give out on the way.")
    return lines
