"""Relief for a hand that keeps something going: some of its strokes to the other hand, or left out.

What may go is chosen by its place in the beat, in two beats or in the bar, so that a figure stays a figure; a short
one is searched stroke by stroke. Among rewrites that relieve enough, those that relieve more than they have to are
discarded. They come in the order of their cost, where every stroke that is not heard any more counts as SILENCE, but
as COVERED where the other hand sounds at the same moment: those go first.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import combinations, pairwise, product
from typing import Final, NamedTuple

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse, cost_by_term
from deft_reach.core.analysis.endurance import Endurance, endurance
from deft_reach.core.analysis.ranking import makes_worse
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HANDS, other_hand
from deft_reach.core.model.pattern import Pattern, Stroke, lead_beat
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import rewrite
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: What can be kept as it is: by id, in words.
KEEPS: Final = {
    "beats": "strokes on the beat",
    "backbeats": "strokes on the even beats",
    "accents": "accents",
    "offbeats": "strokes half-way between beats",
}
DEFAULT_KEEP: Final = ("beats", "backbeats", "accents")
DEFAULT_SHARE: Final = 0.75
#: What a stroke that is left out counts for beside the cost.
SILENCE: Final = 0.35
#: The same where the other hand sounds at that moment, and a beat that becomes a ghost.
COVERED: Final = 0.1
GHOST_BEAT: Final = 0.35
#: A gap between what is still heard that differs from the one before.
UNEVEN: Final = 0.1
#: Where the other hand plays ghosts.
GHOSTS: Final = "sn"
#: Figures with no more strokes to give away than this are searched stroke by stroke.
FEW: Final = 6
#: Places in the bar of which every choice is tried; with more, only up to three at a time.
PLACES: Final = 8
#: So many shares are shown at most.
MOST_SHARES: Final = 24
#: Rewrites that are analysed at most.
MOST: Final = 400


class ReliefError(SearchError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Relief:
    """One rewrite. ``moved``, ``dropped`` and ``kept`` are strokes of the original, by index.

    ``share`` is how many of its strokes the hand still plays (0 to 1), ``heard`` how many of all strokes of the
    original are still heard, by either hand.
    """

    text: str
    report: Report
    share: float
    heard: float
    longest_run: int
    moved: tuple[int, ...]
    dropped: tuple[int, ...]
    kept: tuple[int, ...]
    load: Endurance | None
    #: The voice that takes the moved strokes; None where nothing is moved.
    on: str | None = None
    #: What the loss counts for beside the cost, and all that it is ranked by: the least is the best.
    loss: float = 0.0
    rank: float = 0.0


@dataclass(frozen=True)
class Reliefs:
    """The rewrites, best first, the figure as written, and the least share that can be had with what is kept."""

    best: tuple[Relief, ...]
    as_written: Relief
    least_share: float


def find_reliefs(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    hand: str,
    *,
    share: float = DEFAULT_SHARE,
    keep: Collection[str] = DEFAULT_KEEP,
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    progress: Progress = NO_PROGRESS,
) -> Reliefs:
    """Rewrites in which ``hand`` plays at most ``share`` of its strokes; ``keep`` (of KEEPS) stays with it.

    ``best`` is empty where too much is kept for that (``least_share`` says how far it goes), and where every rewrite
    would be harder to play (see analysis.ranking).

    Raises ReliefError for a hand that plays nothing and for unknown things to keep.
    """
    if not (math.isfinite(share) and 0 <= share <= 1):
        raise ReliefError(f"a share of {share:g} makes no sense; expected 0 to 1")
    question = _asked(pattern, kit, player, tempo, hand, keep, repeat, weights)
    return question.run(share, best, progress)


def _asked(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, hand: str, keep: Collection[str], repeat: bool,
    weights: Weights,
) -> _Question:  # fmt: skip
    if hand not in HANDS:
        raise ReliefError(f"'{hand}' is no hand; give R or L")
    unknown = [name for name in keep if name not in KEEPS]
    if unknown:
        raise ReliefError(f"'{unknown[0]}' is nothing that can be kept; expected {', '.join(KEEPS)}")
    if pattern.unassigned:
        raise ReliefError("relief needs a settled sticking: give every ? a hand first")
    question = _Question(pattern, kit, player, tempo, hand, tuple(keep), repeat, weights)
    if not question.mine:
        raise ReliefError(f"the {'right' if hand == 'R' else 'left'} hand plays nothing here")
    return question


def relief_scale(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, hand: str, *, keep: Collection[str] = DEFAULT_KEEP,
    repeat: bool = False, weights: Weights = DEFAULT_WEIGHTS, progress: Progress = NO_PROGRESS,
) -> list[Relief]:  # fmt: skip
    """From as written to the lightest there is: each plays less than the one before, the best of its share."""
    question = _asked(pattern, kit, player, tempo, hand, keep, repeat, weights)
    found = question.run(1.0, 1, NO_PROGRESS)
    rows = [found.as_written]
    written = len(found.as_written.kept)
    count = written - 1
    while count >= 0 and count / written >= found.least_share - 1e-9 and len(rows) < MOST_SHARES:
        share = max(0.0, min(rows[-1].share - 1e-9, count / written))
        following = question.run(share, 1, progress).best
        # Where every rewrite of this share would be harder to play, a lighter one may not be.
        rows += following
        count = len(following[0].kept) - 1 if following else count - 1
    return rows


class _Draft(NamedTuple):
    """A rewrite before it is analysed: what it costs and loses beside others is its ``rank``, the least the best."""

    pattern: Pattern
    moved: frozenset[int]
    dropped: frozenset[int]
    on: str | None
    loss: float
    rank: float


class _Question:
    def __init__(
        self, pattern: Pattern, kit: Kit, player: Player, tempo: float, hand: str, keep: tuple[str, ...],
        repeat: bool, weights: Weights,
    ) -> None:  # fmt: skip
        self.pattern, self.kit, self.player, self.tempo = pattern, kit, player, tempo
        self.hand, self.other, self.repeat, self.weights = hand, other_hand(hand), repeat, weights
        self.report = analyse(pattern, kit, player, tempo, repeat=repeat, weights=weights)
        self.mine = [s for s in pattern.strokes if s.limb == hand]
        busy = {s.moment for s in pattern.strokes if s.limb == self.other}
        #: At these the other hand sounds as well: what beat they are on is heard without them.
        self.covered = {s.index for s in self.mine if s.moment in busy}
        self.movable = [s for s in self.mine if not self._kept(s, keep)]
        #: Whose moment the other hand has nothing to do in.
        self.free = {s.index for s in self.movable if s.moment not in busy}

    def _place(self, stroke: Stroke) -> tuple[Fraction, int]:
        """How far into its beat a stroke is, and which beat of the bar that is, from 0."""
        bar = self.pattern.bar_at(stroke.start)
        beat = lead_beat(bar.meter)
        into = bar.offset + stroke.start - bar.start
        return into % beat / beat, int(into // beat)

    def _kept(self, stroke: Stroke, keep: Collection[str]) -> bool:
        into, beat = self._place(stroke)
        if stroke.index in self.covered:
            return "accents" in keep and ">" in stroke.marks
        return (
            ("accents" in keep and ">" in stroke.marks)
            or ("beats" in keep and into == 0)
            or ("backbeats" in keep and into == 0 and beat % 2 == 1)
            or ("offbeats" in keep and into == Fraction(1, 2))
        )

    # --- what may go ------------------------------------------------------------------------------------------

    def run(self, share: float, best: int, progress: Progress) -> Reliefs:
        n = len(self.mine)
        release = n - math.floor(share * n + 1e-9)
        as_written = self._made(self._draft(frozenset(), frozenset(), None))
        least = (n - len(self.movable)) / n
        if release > len(self.movable):
            return Reliefs((), as_written, least)
        if not release:
            return Reliefs((as_written,), as_written, least)
        drafts: dict[tuple[frozenset[int], frozenset[int], str | None], _Draft] = {}
        lowest: float | None = None
        sets = self._sets(release)
        for moved, dropped in (pair for gone in sets for pair in self._ways(gone, len(sets))):
            for on in self._voices(moved, dropped):
                if (moved, dropped, on) not in drafts:
                    progress.at(len(drafts), MOST, lowest)
                    draft = drafts[moved, dropped, on] = self._draft(moved, dropped, on)
                    lowest = draft.rank if lowest is None else min(lowest, draft.rank)
            if len(drafts) >= MOST:
                break
        ranked = sorted(drafts.values(), key=lambda draft: draft.rank)
        rows = self._first(ranked, best)
        # Hands that share the surface sound like the figure itself: the best of them is always in the list.
        if best > 2:
            shared = self._first([draft for draft in ranked if draft.moved and draft.on != GHOSTS], 1)
            if shared and not shared[0].report.impossible and all(row.text != shared[0].text for row in rows):
                rows[best - 1 :] = shared
        return Reliefs(tuple(rows), as_written, least)

    def _first(self, drafts: Sequence[_Draft], count: int) -> list[Relief]:
        """The first so many, in whole; those that cannot be played come last."""
        possible: list[Relief] = []
        impossible: list[Relief] = []
        for draft in drafts:
            row = self._made(draft)
            if row.report.impossible:
                impossible.append(row)
            elif makes_worse(self.report, row.report) is None:
                possible.append(row)
            if len(possible) == count:
                break
        return [*possible, *impossible][:count]

    def _sets(self, release: int) -> list[frozenset[int]]:
        """Sets of strokes that relieve enough, none with a smaller one of them inside it."""
        found: set[frozenset[int]] = set()
        if len(self.movable) <= FEW:
            indices = [s.index for s in self.movable]
            found |= {frozenset(c) for c in combinations(indices, release)}
        for classes in self._classes():
            sizes = range(1, len(classes) + 1) if len(classes) <= PLACES else range(1, 4)
            for size in sizes:
                for chosen in combinations(classes, size):
                    gone = frozenset().union(*chosen)
                    if len(gone) >= release:
                        found.add(gone)
        if not found:
            # Nothing regular relieves enough with so few places: all that may go.
            found.add(frozenset(s.index for s in self.movable))
        rows = sorted(found, key=lambda gone: (len(gone), sorted(gone)))
        least: list[frozenset[int]] = []
        for gone in rows:
            if not any(smaller < gone for smaller in least):
                least.append(gone)
        return least

    def _classes(self) -> Iterator[list[frozenset[int]]]:
        """Strokes that belong together by their place: in the beat, in two beats, in the bar."""
        for beats in (1, 2, 0):
            rows: dict[object, set[int]] = {}
            for s in self.movable:
                into, beat = self._place(s)
                rows.setdefault((into, beat % beats if beats else beat), set()).add(s.index)
            yield [frozenset(row) for row in rows.values()]

    def _ways(self, gone: frozenset[int], sets: int) -> Iterator[tuple[frozenset[int], frozenset[int]]]:
        """How these can go: to the other hand where it is free, left out, or by turns."""
        free = gone & self.free
        yield free, gone - free
        yield frozenset(), gone
        if len(gone) <= FEW and len(self.movable) <= FEW:
            for choice in product((False, True), repeat=len(free)):
                moved = frozenset(i for i, move in zip(sorted(free), choice) if move)
                yield moved, gone - moved
        elif len(free) > 1 and sets < MOST / 4:
            alternate = frozenset(sorted(free)[::2])
            yield alternate, gone - alternate

    def _voices(self, moved: frozenset[int], dropped: frozenset[int]) -> list[str | None]:
        """Where moved strokes can go: to the snare as ghosts or, where all go that can, to where they are."""
        if not moved:
            return [None]
        if dropped & self.free and len(self.movable) > FEW:
            return [GHOSTS]
        here = {self.pattern.strokes[i].voice for i in moved}
        return [GHOSTS, here.pop()] if len(here) == 1 and here != {GHOSTS} else [GHOSTS]

    def _draft(self, moved: frozenset[int], dropped: frozenset[int], on: str | None) -> _Draft:
        changes: dict[int, Strike | None] = dict.fromkeys(dropped)
        for index in moved:
            stroke = self.pattern.strokes[index]
            changes[index] = Strike(self.other, None, ".") if on == GHOSTS else Strike(self.other, on, stroke.marks)
        pattern = read_unfinished(rewrite(self.pattern, changes), self.kit) if changes else self.pattern
        terms = cost_by_term(
            pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights
        )  # fmt: skip
        loss = self._loss(moved, dropped, on)
        # Passing the surface on is what was asked for: it is not held against the answer.
        rank = sum(cost for name, cost in terms.items() if name != "keep") + loss
        return _Draft(pattern, moved, dropped, on, loss, rank)

    def _made(self, draft: _Draft) -> Relief:
        pattern, moved, dropped, on, loss, rank = draft
        report = analyse(pattern, self.kit, self.player, self.tempo, repeat=self.repeat, weights=self.weights)
        kept = tuple(s.index for s in self.mine if s.index not in moved and s.index not in dropped)
        load = report.summary.load.get(self.hand)
        return Relief(
            pattern.text, report, len(kept) / len(self.mine), 1 - len(dropped) / len(self.pattern.strokes),
            load.longest_run if load else 0, tuple(sorted(moved)), tuple(sorted(dropped)), kept,
            endurance(report, self.hand), on, loss, rank,
        )  # fmt: skip

    def _loss(self, moved: frozenset[int], dropped: frozenset[int], on: str | None) -> float:
        """What is lost of the figure, beside what it costs to play."""
        beats = sum(self._place(self.pattern.strokes[i])[0] == 0 for i in moved) if on == GHOSTS else 0
        covered = len(dropped & self.covered)
        heard = [s.start for s in self.mine if s.index not in dropped or s.index in self.covered]
        gaps = [b - a for a, b in pairwise(heard)]
        uneven = sum(a != b for a, b in pairwise(gaps)) if dropped else 0
        return SILENCE * (len(dropped) - covered) + COVERED * covered + GHOST_BEAT * beats + UNEVEN * uneven


def moved_how(row: Relief) -> str:
    """How the other hand plays what is moved, to follow on "to the other hand"."""
    return "" if not row.moved else " as ghosts" if row.on == GHOSTS else " on the same surface"


def lighter(relief: Relief, as_written: Relief) -> float:
    """How much less the hand has to do than as written: 0 to 1, by its effort."""
    if as_written.load is None or not as_written.load.effort:
        return 0.0
    return 1 - (relief.load.effort if relief.load else 0.0) / as_written.load.effort
