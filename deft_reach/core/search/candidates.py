"""Stickings side by side: which strokes to think about again, what differs, and parts of one put into another."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from typing import Final, NamedTuple

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Candidate, read_unfinished
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.limbs import EITHER, HANDS, other_hand
from deft_reach.core.model.pattern import Pattern, Stroke
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.scopes import strokes_in
from deft_reach.core.notation.stroke_text import StrokeTextError, replace_strikes, strike_of
from deft_reach.core.search.planner import PlanError, find_stickings
from deft_reach.core.search.planner.assign import given
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: Which strokes to think about again: by id, what a player calls them.
WHICH: Final = {
    "open": "strokes written ?",
    "finding": "strokes of the finding",
    "group": "this group",
    "bar": "this bar",
    "all": "all hands",
}


#: Which part of a kept sticking to take over: by id, what a player calls it.
PARTS: Final = {
    "group": "this group",
    "bar": "this bar",
    "stroke": "this stroke",
    "on": "from this stroke on",
    "until": "up to this stroke",
}


class Row(NamedTuple):
    """A kept sticking, its analysis (None where it cannot be read), the strokes that differ from the plan's own (None
    where it has other strokes altogether), and those that only have other marks.
    """

    candidate: Candidate
    report: Report | None
    differs: tuple[int, ...] | None
    marked: tuple[int, ...] = ()


def rethought(pattern: Pattern, which: str, stroke: int | None, finding: Finding | None) -> tuple[int, ...]:
    """Indices of the hand strokes that a question of WHICH is about."""
    if which == "open":
        return pattern.unassigned
    at = pattern.strokes[stroke] if stroke is not None and stroke < len(pattern.strokes) else None
    within: Collection[int] | None = None
    if which == "finding":
        within = () if finding is None else finding.strokes
    elif which == "group":
        within = () if at is None or at.group < 0 else {s.index for s in pattern.strokes if s.group == at.group}
    elif which == "bar":
        within = () if at is None else {s.index for s in pattern.strokes if s.bar == at.bar}
    return tuple(strokes_in(pattern, "all", within))


def part_of(pattern: Pattern, part: str, stroke: int | None) -> tuple[int, ...]:
    """Indices of the strokes that a part of PARTS means, seen from a stroke; none where there is no such part."""
    if stroke is None or not 0 <= stroke < len(pattern.strokes):
        return ()
    at = pattern.strokes[stroke]
    meant: dict[str, Callable[[Stroke], bool]] = {
        "group": lambda s: s.group == at.group >= 0,
        "bar": lambda s: s.bar == at.bar,
        "stroke": lambda s: s.start == at.start,
        "on": lambda s: s.start >= at.start,
        "until": lambda s: s.start <= at.start,
    }
    return tuple(s.index for s in pattern.strokes if meant[part](s))


def opened(pattern: Pattern, indices: Collection[int], kit: Kit) -> Pattern:
    """The pattern with these strokes' hands open again; the text keeps its letters but for those."""
    text = pattern.text
    for index in sorted(indices, reverse=True):
        stroke = pattern.strokes[index]
        if stroke.limb in HANDS:
            at = text.index(stroke.limb, stroke.span.start)
            text = text[:at] + EITHER + text[at + 1 :]
    return read_unfinished(text, kit)


def with_part(pattern: Pattern, other: Pattern, part: Collection[int]) -> str:
    """The text with the hands and voices of these strokes as another sticking of the same strokes has them.

    Raises ValueError where the other one has not the same strokes.
    """
    if not same_strokes(pattern, other):
        raise ValueError("the two have different strokes; only the whole can be used")
    taken = {
        index: replace(strike_of(pattern, index), limb=other.strokes[index].limb, voice=strike_of(other, index).voice)
        for index in differing(pattern, other)
        if index in part
    }
    return replace_strikes(pattern, taken)


def differing(pattern: Pattern, other: Pattern) -> tuple[int, ...]:
    """The strokes that another sticking of the same strokes gives to another limb or voice."""
    return tuple(a.index for a, b in zip(pattern.strokes, other.strokes) if (a.limb, a.voice) != (b.limb, b.voice))


def same_strokes(pattern: Pattern, other: Pattern) -> bool:
    """Whether two patterns have strokes at the same times."""
    return [s.start for s in pattern.strokes] == [s.start for s in other.strokes]


def compare(
    candidates: Sequence[Candidate], pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool,
    weights: Weights,
) -> list[Row]:  # fmt: skip
    """Every kept sticking with its analysis on this kit, by this player, at this tempo."""
    rows = []
    for candidate in candidates:
        try:
            other = read_unfinished(candidate.text, kit)
        except StrokeTextError:
            rows.append(Row(candidate, None, None))
            continue
        same = same_strokes(pattern, other)
        differs = differing(pattern, other) if same else None
        marked = tuple(a.index for a, b in zip(pattern.strokes, other.strokes) if same and a.marks != b.marks)
        report = analyse(other, kit, player, tempo, repeat=repeat, weights=weights)
        rows.append(Row(candidate, report, differs, marked))
    return rows


def with_other_hand(pattern: Pattern, index: int) -> str | None:
    """The text with one stroke given to the other hand; None for a foot, or a stroke whose hand is open."""
    limb = pattern.strokes[index].limb
    if limb not in HANDS:
        return None
    return replace_strikes(pattern, {index: replace(strike_of(pattern, index), limb=other_hand(limb))})


def both_hats(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool, weights: Weights,
    progress: Progress = NO_PROGRESS,
) -> list[Candidate]:  # fmt: skip
    """The best sticking of all hands with the hi-hat crossed, the best open-handed, and where it can be the best
    in which the hat passes over from one hand to the other. Raises PlanError.
    """
    question = opened(pattern, rethought(pattern, "all", None, None), kit)
    rows, reports = [], []
    for hat, name in (("crossed", "hi-hat crossed"), ("open", "open-handed")):
        found = find_stickings(
            question, kit, player, tempo, hat=hat, best=1, repeat=repeat, weights=weights, progress=progress
        )
        rows.append(Candidate(name, found.best[0].text))
        reports.append(analyse(found.best[0].pattern, kit, player, tempo, repeat=repeat, weights=weights))
    excluded = _mixed_hats(question, kit, *reports)
    if excluded:
        try:
            found = find_stickings(
                question, kit, player, tempo, best=1, repeat=repeat, weights=weights, excluded=excluded,
                progress=progress,
            )  # fmt: skip
        except PlanError:
            return rows
        rows.append(Candidate("hi-hat passes over", found.best[0].text))
    return rows


def _mixed_hats(question: Pattern, kit: Kit, crossed: Report, open_: Report) -> dict[int, str]:
    """The hand that each stroke on the hat must not have, where the hat is crossed in some bars and open in others:
    in each the way that costs less there, and another one at least where it costs the least more. Parts of a single
    bar are its halves. Empty where all of the hat is in one part.
    """
    hat = kit.of_kind("hi-hat")
    beside = kit.hand_beside_hats
    parts: dict[tuple[int, int], list[int]] = {}
    for stroke in question.strokes:
        bar = question.bar_at(stroke.start)
        into = bar.offset + (stroke.start - bar.start) / bar.stretch
        half = 0 if question.many_bars else int(2 * into * bar.meter[1] / bar.meter[0])
        parts.setdefault((stroke.bar, half), []).append(stroke.index)
    on_hat = {
        part: [
            i for i in indices if hat and question.strokes[i].limb == EITHER
            and piece_of(question.strokes[i].voice) == hat.code
        ]
        for part, indices in parts.items()
    }  # fmt: skip
    costs = [report.strokes.totals() for report in (crossed, open_)]
    more = {part: sum(costs[1][i] - costs[0][i] for i in parts[part]) for part, indices in on_hat.items() if indices}
    if len(more) < 2:
        return {}
    opened_parts = {part for part, cost in more.items() if cost < 0}
    if len(opened_parts) in (0, len(more)):
        opened_parts ^= {min(more, key=lambda part: abs(more[part]))}
    return {i: other_hand(beside) if part in opened_parts else beside for part in more for i in on_hat[part]}


class Exchange(NamedTuple):
    """What giving one stroke to the other hand would change: cost, and the plan's limit (BPM)."""

    cost: float
    tempo_limit: float | None
    impossible: bool


def if_other_hand(report: Report, index: int, weights: Weights) -> Exchange | None:
    """What if the other hand took this stroke; None for a foot, or a stroke whose hand is open."""
    pattern, table = report.pattern, report.table
    limb = pattern.strokes[index].limb
    if limb not in HANDS:
        return None
    swapped = replace(pattern, strokes=given(pattern, {index: other_hand(limb)}))
    other = analyse(swapped, table.kit, table.player, report.tempo, repeat=report.repeat, weights=weights)
    return Exchange(
        other.summary.cost - report.summary.cost,
        other.summary.tempo_limit,
        other.impossible and not report.impossible,
    )
