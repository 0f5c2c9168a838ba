"""A page of variations from one seed figure: begun elsewhere, other hands, grids, accents, cells and voices."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.cells import find_cells
from deft_reach.core.notation.stretch import cut_out, put_back
from deft_reach.core.notation.stroke_text import StrokeTextError, replace_strikes, strike_of
from deft_reach.core.notation.transform_tools import TransformError
from deft_reach.core.notation.transforms import TRANSFORMS, rotate
from deft_reach.core.search.voicing import VoicingError, find_voicings

#: The sorts of variation there are, and what a player calls them.
SORTS: Final = {
    "hands": "other hands",
    "accents": "accents and ghosts",
    "voices": "round the kit",
    "cells": "other cells",
    "grid": "another grid",
    "feet": "the feet",
    "rotation": "begun elsewhere",
}


@dataclass(frozen=True)
class Variation:
    """One of the page: what was done, of which sort, the text, the tempo it is meant at, and its verdict."""

    name: str
    sort: str
    text: str
    tempo: float
    report: Report

    @property
    def cautions(self) -> int:
        """How many findings are more than a note."""
        return len(self.report.serious)


def variations(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    *,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    palette: Sequence[str] = (),
    sorts: Collection[str] = tuple(SORTS),
    stretch: tuple[int, int] | None = None,
) -> Iterator[Variation]:
    """Variations one by one, each different from the seed and from those before it.

    ``palette`` is where other voicings may go; without one the kit's drums serve. ``sorts`` are those of SORTS that
    are wanted. With ``stretch`` (the first step and the one after the last) only that part is varied, and keeps its
    length. Those that cannot be read or made are left out.
    """
    seen = {_key(pattern)}
    seed = pattern if stretch is None else read_unfinished(cut_out(pattern, *stretch), kit)
    for name, sort, text, factor in _texts(seed, kit, player, tempo, weights, palette, sorts):
        try:
            if stretch is not None:
                if factor != 1.0 or read_unfinished(text, kit).length != seed.length:
                    continue
                text = put_back(pattern, *stretch, text)
            new = read_unfinished(text, kit)
        except StrokeTextError:
            continue
        if not new.strokes or _key(new) in seen or new.faults:
            continue
        seen.add(_key(new))
        at = tempo * factor
        if 10 <= at <= 1000:
            report = analyse(new, kit, player, at, repeat=repeat, weights=weights)
            yield Variation(name, sort, text, at, report)


def _key(pattern: Pattern) -> object:
    return tuple((s.start, s.limb, s.voice, frozenset(s.marks), s.grace_text) for s in pattern.strokes)


def _texts(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    weights: Weights,
    palette: Sequence[str],
    sorts: Collection[str],
) -> Iterator[tuple[str, str, str, float]]:
    """(name, sort, text, tempo factor) of everything that comes into question, sort by sort."""
    for name, sort in (
        ("exchange-hands", "hands"), ("reverse", "hands"), ("exchange-feet", "feet"), ("feet-first", "feet"),
        ("on-8t", "grid"), ("on-16", "grid"), ("on-16t", "grid"), ("on-5", "grid"), ("faster", "grid"),
        ("slower", "grid"), ("without-ghosts", "accents"), ("accents-only", "accents"),
        ("hat-quarters", "feet"), ("hat-off-beats", "feet"),
    ):  # fmt: skip
        words, change = TRANSFORMS[name]
        if sort not in sorts:
            continue
        try:
            found = change(pattern)
        except TransformError:
            continue
        yield words.lower(), sort, found.text, found.tempo
    if "accents" in sorts:
        yield from _accents(pattern)
    if "cells" in sorts:
        yield from _cells(pattern)
    if "voices" in sorts:
        yield from _voices(pattern, kit, player, tempo, weights, palette)
    steps = len(pattern.moments)
    for by in range(1, min(steps, 8) if "rotation" in sorts else 0):
        try:
            yield f"begin {counted(by, 'step')} later", "rotation", rotate(pattern, by).text, 1.0
        except TransformError:
            break


def _voices(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, weights: Weights, palette: Sequence[str]
) -> Iterator[tuple[str, str, str, float]]:
    """Other ways round the kit for the same hands."""
    drums = [p.code for p in kit if p.kind in ("snare", "tom", "floor-tom")]
    places = list(palette) or drums
    for contour in ("down", "up", "out-and-back", "pairs"):
        try:
            voiced = find_voicings(pattern, kit, player, tempo, places, contour=contour, best=2, weights=weights)
        except (VoicingError, StrokeTextError):
            continue
        for number, row in enumerate(voiced.best, 1):
            yield f"{contour.replace('-', ' ')} the kit {number}", "voices", row.text, 1.0


def _accents(pattern: Pattern) -> Iterator[tuple[str, str, str, float]]:
    """The same hands with an accent on every third, every fourth, or the first of each group."""
    hands = [s.index for s in pattern.strokes if s.limb in HANDS]
    firsts = {
        min(s.index for s in pattern.strokes if s.group == k) for k in {s.group for s in pattern.strokes} - {-1}
    }
    wishes = [("accent every third", set(hands[::3])), ("accent every fourth", set(hands[::4]))]
    if firsts:
        wishes.append(("accent the first of each group", firsts & set(hands)))
    for name, wanted in wishes:
        marked = {}
        for index in hands:
            strike = strike_of(pattern, index)
            marks = strike.marks.replace(">", "")
            if index in wanted:
                marks = ">" + marks.replace(".", "")
            marked[index] = replace(strike, marks=marks)
        yield name, "accents", replace_strikes(pattern, marked), 1.0


def _cells(pattern: Pattern) -> Iterator[tuple[str, str, str, float]]:
    """Each group exchanged for cells of its length that hand over to the right."""
    for group in pattern.groups[:3]:
        inside = [m for m in pattern.moments if group.start <= m.start < group.start + group.length]
        if len(inside) != group.steps or not inside:
            continue
        start, end = inside[0].span.start, inside[-1].span.end
        for cell in find_cells(family="hands and foot", steps=group.steps)[:3]:
            text = pattern.text[:start] + cell.text + pattern.text[end:]
            yield f"{cell.name} for {pattern.text[start:end]}", "cells", text, 1.0
