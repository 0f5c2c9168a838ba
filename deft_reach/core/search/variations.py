"""A page of variations from one seed figure: begun elsewhere, other hands, grids, accents, cells and voices."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.ranking import in_order, merit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Moment, Pattern
from deft_reach.core.model.piece_kinds import CYMBALS, DRUMS
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.cells import Cell, find_cells
from deft_reach.core.notation.stretch import cut_out, put_back
from deft_reach.core.notation.stroke_text import StrokeTextError, replace_strikes, strike_of
from deft_reach.core.notation.transform_tools import TransformError
from deft_reach.core.notation.transforms import TRANSFORMS, rotate
from deft_reach.core.search.voicing import Voicing, VoicingError, find_voicings, way_in_words

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


#: So many ways round the kit there are at the most, out of so many of each contour; the contours for drums.
MOST_WAYS: Final = 10
EACH_WAY: Final = 3
WAYS_OF_DRUMS: Final = ("down", "up", "out-and-back", "pairs", "home")
#: How many steps a cell has that is recognised by its repeating.
CELL_STEPS: Final = range(3, 9)


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
    """Other ways round the kit for the same hands: the likeliest first, then always the one that is most unlike those
    before it. Accents go to cymbals in some of them.
    """
    # Voicings go to the drums that hands play; accents to cymbals as well.
    drums = list(palette) or [p.code for p in kit if p.kind in DRUMS and p.kind != "bass"]
    cymbals = [] if palette else [p.code for p in kit if p.kind in CYMBALS]
    accented = any(">" in s.marks and s.limb in HANDS for s in pattern.strokes)
    wishes: list[tuple[str, list[str], tuple[str, ...]]] = [(contour, drums, ()) for contour in WAYS_OF_DRUMS]
    # A hand of its own may be on a cymbal.
    wishes.append(("hands", [*drums[:1], *cymbals] if cymbals else drums, ()))
    if accented:
        wishes += [("down", drums, (cymbal,)) for cymbal in cymbals]
    found: dict[tuple[str, ...], Voicing] = {}
    for contour, places, accents in wishes:
        try:
            voiced = find_voicings(
                pattern, kit, player, tempo, places, accents=accents, contour=contour, best=EACH_WAY, weights=weights
            )
        except (VoicingError, StrokeTextError):
            continue
        for row in voiced.best:
            found.setdefault(row.voices, row)
    rows = in_order(found.values(), lambda row: merit_of(row.report))
    own = tuple(s.voice for s in pattern.strokes)
    named: set[str] = set()
    for row in _most_unlike([row for row in rows if row.voices != own], MOST_WAYS):
        name = way_in_words(row.report.pattern, kit)
        name = way_in_words(row.report.pattern, kit, counts=True) if name in named else name
        named.add(name)
        yield name, "voices", row.text, 1.0


def _most_unlike(rows: list[Voicing], most: int) -> Iterator[Voicing]:
    """The first, and then always the one that differs most from the nearest of those before it."""
    left, taken = list(rows), list[Voicing]()
    while left and len(taken) < most:
        best = max(left, key=lambda row: min((_unlike(row, other) for other in taken), default=0))
        left.remove(best)
        taken.append(best)
        yield best


def _unlike(one: Voicing, other: Voicing) -> int:
    """On how many strokes two voicings differ."""
    return sum(a != b for a, b in zip(one.voices, other.voices))


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
    """Each group, or else each cell that repeats, exchanged for cells of its length that hand over to the right."""
    inside = []
    for group in pattern.groups:
        moments = [m for m in pattern.moments if group.start <= m.start < group.start + group.length]
        if moments and len(moments) == group.steps:
            inside.append(moments)
    cells = inside or repeating_cells(pattern)
    spans = [(moments[0].span.start, moments[-1].span.end) for moments in cells]
    if len(cells) > 1 and len({pattern.text[start:end] for start, end in spans}) == 1:
        for cell in _others(len(cells[0])):
            text = pattern.text
            for start, end in reversed(spans):
                text = text[:start] + cell.text + text[end:]
            yield f"{cell.name} everywhere", "cells", text, 1.0
    for number, (moments, (start, end)) in enumerate(zip(cells[:3], spans), 1):
        for cell in _others(len(moments)):
            text = pattern.text[:start] + cell.text + pattern.text[end:]
            where = f", cell {number} of {len(cells)}" if len(cells) > 1 else ""
            yield f"{cell.name} for {pattern.text[start:end]}{where}", "cells", text, 1.0


def _others(steps: int) -> list[Cell]:
    """Cells of a length that hand over to the right."""
    return list(find_cells(family="hands and foot", steps=steps)[:3])


def repeating_cells(pattern: Pattern) -> list[list[Moment]]:
    """The moments of each cell where the same limbs come round again and again, without brackets: the shortest cell
    of CELL_STEPS that fills the pattern but for a rest of less than a cell. Empty where there is none.
    """
    moments = list(pattern.moments)
    limbs = [(tuple(pattern.strokes[i].limb for i in m.strokes), m.length) for m in moments]
    for steps in CELL_STEPS:
        if len(moments) >= 2 * steps and all(limbs[k] == limbs[k - steps] for k in range(steps, len(limbs))):
            if len(set(limbs[:steps])) < 2:
                continue
            return [moments[k : k + steps] for k in range(0, len(moments) - steps + 1, steps)]
    return []
