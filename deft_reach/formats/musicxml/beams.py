"""Beams and tuplets of the notes in a bar."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.model.elements import Grid
from deft_reach.core.model.pattern import Bar, Stroke

_BEAMS: Final = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4, "128th": 5}


class Chunk(NamedTuple):
    """One written note or rest: how long it sounds, its type, dots, tuplet, and what is struck."""

    start: Fraction
    length: Fraction
    kind: str
    dots: int
    grid: Grid
    steps: int
    strokes: tuple[Stroke, ...]
    tied_from: bool
    tied_to: bool


def modification(grid: Grid) -> tuple[int, int]:
    """So many notes in the time of so many."""
    return (3, 2) if grid.triplet else (grid.count, grid.of)


def beams_of(chunks: Sequence[Chunk], bar: Bar) -> dict[int, list[tuple[int, str]]]:
    """Beams of each chunk: notes shorter than a quarter that follow each other within one beat."""
    beats, value = bar.meter
    beat = Fraction(3, value) if value >= 8 and beats % 3 == 0 else Fraction(1, 4)
    runs: list[list[int]] = []
    for k, chunk in enumerate(chunks):
        if chunk.kind not in _BEAMS or not chunk.strokes:
            runs.append([])
            continue
        where = (bar.offset + chunk.start - bar.start) // beat
        last = chunks[k - 1] if k else None
        if not runs or not runs[-1] or last is None or (bar.offset + last.start - bar.start) // beat != where:
            runs.append([])
        runs[-1].append(k)
    found: dict[int, list[tuple[int, str]]] = {}
    for run in runs:
        if len(run) < 2:
            continue
        levels = [_BEAMS[chunks[k].kind] for k in run]
        for at, k in enumerate(run):
            found[k] = []
            for level in range(1, levels[at] + 1):
                before = at > 0 and levels[at - 1] >= level
                after = at + 1 < len(run) and levels[at + 1] >= level
                if before or after:
                    state = "continue" if before and after else "end" if before else "begin"
                else:
                    state = "forward hook" if at == 0 else "backward hook"
                found[k].append((level, state))
    return found


def tuplets_of(chunks: Sequence[Chunk]) -> dict[int, list[str]]:
    """Where tuplet brackets start and stop: one for as many steps as the tuplet has."""
    found: dict[int, list[str]] = {}
    first, filled = -1, Fraction(0)
    for k, chunk in enumerate(chunks):
        count, of = modification(chunk.grid)
        if (count, of) == (1, 1):
            continue
        if first < 0:
            first, filled = k, Fraction(0)
        filled += chunk.length
        whole = Fraction(of, chunk.grid.value)
        follows = chunks[k + 1] if k + 1 < len(chunks) else None
        if filled >= whole or follows is None or follows.grid != chunk.grid:
            found.setdefault(first, []).append("start")
            found.setdefault(k, []).append("stop")
            first = -1
    return found
