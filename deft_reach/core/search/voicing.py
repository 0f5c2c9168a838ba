"""Voicings for a given sticking: where around the kit its strokes could go, cheapest first.

The hands are settled, so only voices are searched. Strokes travel in units: groups or beats, doubles together, or as
a wish says. Every voice of the palette is used. Few voicings are all costed by the analysis; of many, those that the
graph (see voicing_graph) finds cheapest.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Final

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.ranking import merit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Event, Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.notation.stroke_text import replace_strikes, strike_of
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.progress import NO_PROGRESS, Progress
from deft_reach.core.search.voicing_graph import Costs, Graph
from deft_reach.core.search.voicing_units import (
    ALONE,
    BY_BEATS,
    BY_STROKES,
    BY_TWOS,
    ONE_WAY,
    Unit,
    along,
    cut,
    in_twos,
    options,
)

#: The ways through a palette: by id, what a player calls them.
CONTOURS: Final = {
    "free": "any way round",
    "down": "down the palette",
    "up": "up the palette",
    "out-and-back": "out and back",
    "pairs": "two strokes a voice",
    "home": "home at the end",
    "hands": "one voice a hand",
    "strokes": "stroke by stroke",
}
#: So many voicings are all costed by the analysis, and the list is proven.
EVERYTHING: Final = 512
#: Of more, so many are costed.
MOST: Final = 240
#: Past so many candidates looked at, the list is as good as it is.
MAX_LOOKED_AT: Final = 60_000
#: More voices than these are too many to search at once.
MOST_VOICES: Final = 8


class VoicingError(SearchError):
    """A question that has no answer: says what to give instead."""


#: A way is told by so many pieces.
MOST_WORDS: Final = 8


@dataclass(frozen=True)
class Voicing:
    """One way round the kit. ``differs`` lists the strokes that sound elsewhere than in the cheapest one."""

    text: str
    voices: tuple[str, ...]
    report: Report
    differs: tuple[int, ...]


@dataclass(frozen=True)
class Voicings:
    """What a search found: the best first, how many voicings were costed, and whether the order is proven."""

    best: tuple[Voicing, ...]
    searched: int
    proven: bool


def way_in_words(pattern: Pattern, kit: Kit, counts: bool = False) -> str:
    """The way that a pattern's hands take over the kit: "snare, small tom, floor tom", "ride, snare × 4"; cut short
    where it is long. With ``counts``: "4 snare, 2 small tom, 2 floor tom".
    """
    runs = [(voice, len(list(run))) for voice, run in groupby(s.voice for s in pattern.strokes if s.limb in HANDS)]
    if counts:
        words = ", ".join(f"{count} {voice_name(kit, voice)}" for voice, count in runs[:MOST_WORDS])
        return f"{words} …" if len(runs) > MOST_WORDS else words
    way = [voice for voice, _ in runs]
    for count in range(2, len(way) // 2 + 1):
        if way == way[:count] * (len(way) // count):
            return f"{', '.join(voice_name(kit, voice) for voice in way[:count])} × {len(way) // count}"
    words = ", ".join(voice_name(kit, voice) for voice in way[:MOST_WORDS])
    return f"{words} …" if len(way) > MOST_WORDS else words


def way_in_codes(pattern: Pattern) -> str:
    """The same with how often each voice is struck, in codes: "3 sn, 4 t1, 4 t2"."""
    runs = groupby(s.voice for s in pattern.strokes if s.limb in HANDS)
    return ", ".join(f"{len(list(run))} {voice}" for voice, run in runs)


def find_voicings(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    palette: Sequence[str],
    *,
    accents: Sequence[str] = (),
    contour: str = "free",
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    only: Collection[int] | None = None,
    progress: Progress = NO_PROGRESS,
) -> Voicings:
    """The ``best`` cheapest voicings of a sticking's hands.

    Strokes written with a voice keep it; if all have one, all are free. With ``only`` (indices of strokes) all others
    keep the voice they have, and that rule holds among these. Free strokes go to the ``palette``, accented
    ones to ``accents`` if any are given. Every voice of the palette is used where there are strokes enough, and none
    much more than the others. Voices change at groups and beats; where those are fewer than the palette needs, every
    two strokes. Doubles stay together.

    ``contour`` follows the palette in its order: ``down`` from first to last, ``up`` from last to first,
    ``out-and-back`` there and back; ``pairs`` changes every two strokes, ``home`` comes back to the palette's first
    at the end, ``hands`` gives each hand one voice, and ``strokes`` lets every stroke have its own. Each voicing
    differs from those before it in two strokes and a tenth of all. ``progress`` hears how many were looked at and can
    stop the search.

    Raises VoicingError for an empty palette, voices the kit lacks, unknown contours, or open hands.
    """
    return _Search(pattern, kit, player, tempo, palette, accents, contour, repeat, weights, only, progress).run(best)


#: Level, difficulty and habit, cost: what voicings are ordered by.
_Rank = tuple[int, int, float]
_FIRST: Final[_Rank] = (-1, 0, 0.0)


def _rank(report: Report) -> _Rank:
    merit = merit_of(report)
    return merit.level, merit.weight, round(report.summary.cost, 6)


class _Search:
    def __init__(
        self,
        pattern: Pattern,
        kit: Kit,
        player: Player,
        tempo: float,
        palette: Sequence[str],
        accents: Sequence[str],
        contour: str,
        repeat: bool,
        weights: Weights,
        only: Collection[int] | None,
        progress: Progress,
    ) -> None:
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.repeat, self.weights, self.progress = repeat, weights, progress
        self.palette = list(dict.fromkeys(palette))
        self.accents = list(dict.fromkeys(accents))
        self.contour = contour
        hands = [s.index for s in pattern.strokes if s.limb in HANDS]
        self.asked = frozenset(hands if only is None else set(hands) & set(only))
        self._check()
        #: The hand strokes' indices in the order in which the graph has their voices.
        self.order = [s.index for event in pattern.events for s in event.hands]
        written = self._written()
        held = [pattern.strokes[k].voice for k in sorted(written)]
        self.names = list(dict.fromkeys([*self.palette, *self.accents, *held]))
        self.number = {name: k for k, name in enumerate(self.names)}
        choices = len({*self.palette, *self.accents})
        if choices > MOST_VOICES:
            raise VoicingError(f"{choices} voices are too many to search at once; give up to {MOST_VOICES}")
        self.written = {k: self.number[pattern.strokes[k].voice] for k in written}

    def _check(self) -> None:
        if not self.palette:
            raise VoicingError("the palette is empty: give the voices to choose from, such as sn,t1,t2,ft")
        for voice in (*self.palette, *self.accents):
            if self._lacks(voice) or voice.endswith(":foot") or voice == "bd":
                hands = [v for v in self.kit.voices if v != "bd" and not v.endswith(":foot")]
                raise VoicingError(
                    f"the kit '{self.kit.name}' has no voice '{voice}' for the hands; it has {', '.join(hands)}"
                )
        if self.contour not in CONTOURS:
            raise VoicingError(f"unknown contour '{self.contour}'; expected one of {', '.join(CONTOURS)}")
        if self.pattern.unassigned:
            raise VoicingError("a voicing needs a settled sticking: give every ? a hand first")
        if not self.asked:
            raise VoicingError("there are no hand strokes to put round the kit")

    def _written(self) -> frozenset[int]:
        """Hand strokes that keep the voice they are written with."""
        hands = [s for s in self.pattern.strokes if s.limb in HANDS]
        written = frozenset(k for k in self.asked if strike_of(self.pattern, k).voice is not None)
        others = frozenset(s.index for s in hands) - self.asked
        written = others | (frozenset() if len(written) == len(self.asked) else written)
        lacking = sorted({s.voice for s in hands if s.index in written and self._lacks(s.voice)})
        if lacking:
            raise VoicingError(
                f"the kit '{self.kit.name}' has no {', '.join(lacking)}, which strokes are written with: write "
                "another voice there, or none, so that they are free"
            )
        return written

    def _lacks(self, voice: str) -> bool:
        return self.kit.voice_point(voice) is None

    # --- units ------------------------------------------------------------------------------------------------

    def _ladder(self) -> list[list[Unit]]:
        """The strokes that travel together: as coarse as the contour allows for this palette, and what may follow
        where that gives too few voicings.
        """
        many = len(self.palette)
        alone = cut(self.pattern, ALONE)
        if self.contour == "hands":
            return [self._with_options([tuple(event for event in self.pattern.events if event.hands)])]
        if self.contour == "pairs":
            rows, needed = [in_twos(self.pattern), alone], 1
        elif self.contour == "strokes":
            rows, needed = [cut(self.pattern, BY_STROKES), alone], 1
        else:
            rows = [cut(self.pattern, BY_BEATS), cut(self.pattern, BY_TWOS), cut(self.pattern, BY_STROKES), alone]
            needed = 2 * many - 1 if self.contour == "out-and-back" else many + (self.contour == "home" and many > 1)
        ladder = [self._with_options(row) for row in rows]
        while len(ladder) > 1 and sum(any(option.uses for option in unit.options) for unit in ladder[0]) < needed:
            ladder.pop(0)
        return ladder[:1] if self.contour not in (*ONE_WAY, "home") or len(ladder) == 1 else ladder[:-1]

    def _with_options(self, rows: Sequence[tuple[Event, ...]]) -> list[Unit]:
        palette = [self.number[name] for name in self.palette]
        accents = [self.number[name] for name in self.accents]
        each_hand = self.contour == "hands"
        return [Unit(row, options(row, self.written, palette, accents, each_hand)) for row in rows]

    def _follows(self, q: int, k: int, place: float) -> bool:
        """Whether a voice of the palette may come after another one (−1: none) at this place in time."""
        if q < 0:
            return True
        if self.contour == "pairs":
            return k != q or len(self.palette) == 1
        if self.contour in ONE_WAY:
            falling = {"down": False, "up": True, "out-and-back": place > 0.5}[self.contour]
            return k <= q if falling else k >= q
        return True

    # --- search -----------------------------------------------------------------------------------------------

    def run(self, best: int) -> Voicings:
        table = reach_table(self.kit, self.player, self.names)
        self.costs = Costs(self.pattern, table, self.names, self.tempo, self.repeat, self.weights)
        rows: list[tuple[_Rank, tuple[int, ...]]] = []
        searched, proven = 0, True
        for units in self._ladder():
            found, complete, usual = self._found(along(units, self.contour, len(self.palette) - 1))
            searched += len(found)
            proven = proven and complete
            # Finer changes come after the coarser ones, however easy they are.
            least = rows[-1][0] if rows else _FIRST
            costed = sorted((_rank(self._report(voices)), voices) for voices in found)
            for row in costed:
                if len(rows) < best and row[0] >= least and all(self._audible(row[1], other[1]) for other in rows):
                    rows.append(row)
            if usual is not None and best > 1 and usual not in [voices for _, voices in rows]:
                # What everybody plays first is always shown, with what it costs.
                rows = [*rows[: best - 1], next(row for row in costed if row[1] == usual)]
            if len(rows) >= best:
                break
        if not rows:
            raise VoicingError("no voicing follows that contour with this palette; try free, or more voices")
        first = rows[0][1]
        return Voicings(tuple(self._voicing(voices, first) for _, voices in rows), searched, proven)

    def _found(self, units: Sequence[Unit]) -> tuple[list[tuple[int, ...]], bool, tuple[int, ...] | None]:
        """Voicings of the units that use as many voices of the palette as can be, whether they are all, and the usual
        one, which is among them.
        """
        required = [k for k in range(len(self.palette)) if k not in self.written.values()]
        uses = sum(max((len(option.uses) for option in unit.options), default=0) for unit in units)
        shared = self.contour in ("free", "pairs", "home")
        most = -(-uses // len(self.palette)) if shared else len(units)
        for least in range(min(len(required), uses), -1, -1):
            graph = Graph(units, self.costs, self._follows, required, least, most, self.repeat, self.progress)
            found, complete = self._collect(graph)
            if found:
                break
        usual = self._in_turn(units) if self.contour == "pairs" and not complete else None
        if usual is not None and usual not in found:
            found.append(usual)
        return found, complete, usual

    def _collect(self, graph: Graph) -> tuple[list[tuple[int, ...]], bool]:
        """All voicings if they are no more than EVERYTHING, else the MOST cheapest as far as the graph knows; and
        whether they are all.
        """
        ways: Iterator[tuple[float, tuple[int, ...]]] = graph.in_order()
        found: list[tuple[int, ...]] = []
        for _, voices in ways:
            if len(found) == EVERYTHING or graph.looked > MAX_LOOKED_AT:
                return found[:MOST], False
            found.append(voices)
        return found, True

    def _in_turn(self, units: Sequence[Unit]) -> tuple[int, ...] | None:
        """The voices of the palette in turn, unit by unit; None where a unit cannot have its voice."""
        voices: list[int] = []
        turn = 0
        for unit in units:
            wanted = turn % len(self.palette)
            option = next((o for o in unit.options if o.main in (-1, wanted)), None)
            if option is None:
                return None
            voices += option.voices
            turn += option.main >= 0
        return tuple(voices)

    def _names(self, voices: Sequence[int]) -> dict[int, str]:
        """The voice of each hand stroke, by its index."""
        return {index: self.names[k] for index, k in zip(self.order, voices)}

    def _report(self, voices: Sequence[int]) -> Report:
        self.progress.at(0)
        strokes = list(self.pattern.strokes)
        for index, voice in self._names(voices).items():
            strokes[index] = strokes[index]._replace(voice=voice)
        pattern = replace(self.pattern, strokes=tuple(strokes))
        return analyse(pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)

    def _voicing(self, voices: Sequence[int], first: Sequence[int]) -> Voicing:
        moved = {}
        for index, voice in self._names(voices).items():
            strike = strike_of(self.pattern, index)
            if strike.voice is not None or voice != self.pattern.strokes[index].voice:
                moved[index] = replace(strike, voice=voice)
        pattern = read_unfinished(replace_strikes(self.pattern, moved), self.kit)
        report = analyse(pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)
        here, there = self._names(voices), self._names(first)
        differs = tuple(sorted(index for index in here if here[index] != there[index]))
        return Voicing(pattern.text, tuple(s.voice for s in pattern.strokes), report, differs)

    def _audible(self, one: Sequence[int], two: Sequence[int]) -> bool:
        """Whether two voicings can be told apart by ear: in two strokes, and in a tenth of all."""
        changed = sum(a != b for a, b in zip(one, two))
        free = len(self.order) - len(self.written)
        return changed >= min(free, max(2, free / 10))
