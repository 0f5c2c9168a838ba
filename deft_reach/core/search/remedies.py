"""What removes a finding: other hands, another voice, fewer accents, a ghost or grace less, or a slower tempo.

Every remedy is analysed whole before it is offered: with it the finding is gone, nothing as serious has come in its
place, and the figure is no harder (see analysis.ranking). Where arms cross, who goes over is settled first.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Final

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.finding import Finding, Severity
from deft_reach.core.analysis.ranking import better, in_order, makes_worse, merit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.counting import counted, in_bar, place
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit, piece_of, voice_name
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, SECOND_KICK, other_hand
from deft_reach.core.model.pattern import OVER, UNDER, Pattern
from deft_reach.core.model.substitutes import like, pieces_like, substitute
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import rewrite, strike_of
from deft_reach.core.search.candidates import differing, opened
from deft_reach.core.search.planner import PlanError, find_stickings
from deft_reach.core.search.progress import NO_PROGRESS, Progress
from deft_reach.core.search.refit import with_pedals
from deft_reach.core.search.refit_feet import foot_changes

#: Strokes of the same hands before and after a finding that may change hands with it.
NEIGHBOURS: Final = 3
#: Stickings that are looked at for each hand that must change.
STICKINGS: Final = 4
#: Strokes of a finding whose hand is forced to change, one after the other.
FORCED: Final = 4
#: Other voices that are tried for each voice of a finding, the nearest first.
VOICES: Final = 3
#: The slowest tempo that is offered (BPM).
SLOWEST: Final = 40
#: Strokes that a name lists one by one.
LISTED: Final = 2
#: Findings in which the arms cross.
CROSSINGS: Final = frozenset({"crossover", "crossed-hold"})
_HAND_WORDS: Final = {"R": "right", "L": "left"}


@dataclass(frozen=True)
class Remedy:
    """One change that removes a finding.

    ``kind`` is ``over``, ``hands``, ``pedal``, ``feet``, ``voice``, ``accent``, ``omission`` or ``tempo``; ``tempo``
    (BPM) is the one to play at, ``report`` the analysis of ``text`` at it. ``over`` settles a crossing and leaves
    it; ``pedal`` needs another kit, which the report is of.
    """

    kind: str
    name: str
    text: str
    tempo: float
    report: Report


def removed(finding: Finding, before: Report, after: Report) -> bool:
    """Whether a finding is gone and nothing as serious, no further caution and no further stop, has come for it."""
    starts = _starts(finding, before)
    least = max(finding.severity.rank, Severity.CAUTION.rank)
    for other in after.findings:
        where = _starts(other, after)
        if other.kind == finding.kind and where & starts:
            return False
        if other.severity.rank >= least:
            # What stood before, or what is left of it, is nothing new.
            rows = [f for f in before.findings if f.kind == other.kind and f.severity.rank >= other.severity.rank]
            if not where <= frozenset().union(*(_starts(f, before) for f in rows)):
                return False
    return after.stops <= before.stops


def find_remedies(
    report: Report, finding: Finding, weights: Weights, progress: Progress = NO_PROGRESS
) -> list[Remedy]:
    """The easiest remedy of every kind that has one, what helps most first; empty where nothing helps. A crossing's
    begin with who goes over, and a slower tempo comes last.

    ``finding`` is one of the report's own. Raises Cancelled.
    """
    found: dict[str, Remedy] = {}
    seen: set[str] = set()
    over = list(_who_goes_over(report, finding, weights))
    own = report.table.kit
    for kind, name, text in _changes(report, finding, weights, progress):
        if (text in seen) and kind != "pedal":
            continue
        seen.add(text)
        progress.at(len(seen))
        kit = with_pedals(own, 2) if kind == "pedal" else own
        after = _analysed(report, read_unfinished(text, kit), report.tempo, weights, kit)
        best = found.get(kind)
        # What is done with the feet comes in order: the first leaves most as it is.
        easier = best is None or (kind not in ("pedal", "feet") and better(after, best.report))
        if easier and removed(finding, report, after) and makes_worse(report, after) is None:
            found[kind] = Remedy(kind, name, text, report.tempo, after)
    kinds = [found[kind] for kind in ("hands", "pedal", "feet", "voice", "accent", "omission") if kind in found]
    rows = in_order(kinds, lambda row: merit_of(row.report))
    slower = _slower(report, finding, weights, progress)
    return [*over, *rows] if slower is None else [*over, *rows, slower]


def _who_goes_over(report: Report, finding: Finding, weights: Weights) -> Iterator[Remedy]:
    """Who goes over: either hand where the heights leave it open and nothing is said yet, the proposed one first; the
    upper hand where the lower one is told to.
    """
    if finding.kind not in CROSSINGS:
        return
    first = finding.strokes[0]
    cross, limb = report.cross_at(first), report.pattern.strokes[first].limb
    if cross is None or limb not in HANDS:
        return
    against = cross.chosen and not cross.either and not cross.clearance
    if not against and (cross.chosen or not cross.either):
        return
    for hand in (other_hand(cross.over),) if against else (cross.over, other_hand(cross.over)):
        changes = {}
        for i in finding.strokes:
            strike = strike_of(report.pattern, i)
            marks = "".join(mark for mark in strike.marks if mark not in (OVER, UNDER))
            if i == first:
                marks += OVER if limb == hand else UNDER
            if marks != strike.marks:
                changes[i] = replace(strike, marks=marks)
        text = rewrite(report.pattern, changes)
        after = _analysed(report, read_unfinished(text, report.table.kit), report.tempo, weights)
        now = after.cross_at(first)
        if now is not None and now.over == hand and makes_worse(report, after) is None:
            name = f"{_HAND_WORDS[hand]} hand over {_on(report.pattern, [first])}"
            yield Remedy("over", name, text, report.tempo, after)


def sticking_name(pattern: Pattern, other: Pattern) -> str:
    """What differs in another sticking of the same strokes, as a player would say it.

    >>> from deft_reach.core.notation.stroke_text import parse
    >>> sticking_name(parse("R L R L"), parse("R R R L"))
    'right hand on 1 e'
    """
    indices = [i for i in differing(pattern, other) if other.strokes[i].limb in HANDS]
    if not indices:
        return "as it stands"
    if len(indices) > LISTED:
        return "other hands from " + " to ".join(_places(pattern, (indices[0], indices[-1])))
    words = (_HAND_WORDS[other.strokes[i].limb] for i in indices)
    return ", ".join(f"{hand} hand on {where}" for hand, where in zip(words, _places(pattern, indices)))


def _places(pattern: Pattern, indices: Sequence[int]) -> list[str]:
    """Where strokes fall, with the bar where there are several and it is another one than the stroke before has."""
    found, bar = [], None if pattern.many_bars else pattern.strokes[indices[0]].bar
    for stroke in (pattern.strokes[i] for i in indices):
        found.append(place(stroke.beat) if stroke.bar == bar else in_bar(stroke.bar, stroke.beat))
        bar = stroke.bar
    return found


def _starts(finding: Finding, report: Report) -> frozenset[Fraction]:
    """When the strokes of a finding begin: what stays the same where strokes are left out."""
    return frozenset(report.pattern.strokes[i].start for i in finding.strokes)


def _analysed(report: Report, pattern: Pattern, tempo: float, weights: Weights, kit: Kit | None = None) -> Report:
    return analyse(
        pattern, kit or report.table.kit, report.table.player, tempo, repeat=report.repeat, weights=weights
    )  # fmt: skip


def _changes(
    report: Report, finding: Finding, weights: Weights, progress: Progress
) -> Iterator[tuple[str, str, str]]:
    """Kind, name and text of everything that is tried."""
    pattern = report.pattern
    own = [i for i in finding.strokes if pattern.strokes[i].limb in HANDS]
    for other in _stickings(report, own, weights, progress):
        yield "hands", sticking_name(pattern, other), other.text
    yield from _pedals(report, finding)
    kicks = [i for i in finding.strokes if pattern.strokes[i].limb == KICK]
    for shared in (kicks[::2], kicks[1::2]):
        if shared:
            given = {i: replace(strike_of(pattern, i), limb=SECOND_KICK) for i in shared}
            yield "feet", f"second pedal {_on(pattern, shared)}", rewrite(pattern, given)
    yield from _voices(report, own)
    accented = [i for i in own if ">" in pattern.strokes[i].marks]
    if accented:
        plain = {i: replace(s := strike_of(pattern, i), marks=s.marks.replace(">", "")) for i in accented}
        yield "accent", f"no accent {_on(pattern, accented)}", rewrite(pattern, plain)
    yield from _omissions(pattern, finding)


def _pedals(report: Report, finding: Finding) -> Iterator[tuple[str, str, str]]:
    """On a kit with one bass pedal: a second one for what asks for it or hurries the one foot, and the one foot alone
    for what asks for two.
    """
    pattern, kit = report.pattern, report.table.kit
    limbs = {pattern.strokes[i].limb for i in finding.strokes}
    if kit.of_kind("second-bass-pedal") is not None or not limbs & {KICK, SECOND_KICK}:
        return
    player, both = report.table.player, with_pedals(kit, 2)
    if SECOND_KICK in limbs:
        yield "pedal", "add a second pedal", pattern.text
    else:
        for change in foot_changes(pattern, both, player, report.tempo, report.repeat):
            if change.strikes:
                yield "pedal", "add a second pedal", rewrite(pattern, change.strikes)
        return
    for change in foot_changes(pattern, kit, player, report.tempo, report.repeat):
        changes = dict(change.strikes)
        for index in change.flams:
            strike = strike_of(pattern, index)
            changes[index] = replace(strike, grace=strike.grace or "f")
        gone = sum(strike is None for strike in changes.values())
        hands = any(strike is not None and strike.limb in HANDS for strike in changes.values())
        name = "one foot and the hands" if hands else "one foot alone"
        yield "feet", name + (f", {counted(gone, 'stroke')} less" if gone else ""), rewrite(pattern, changes)


def _stickings(report: Report, own: list[int], weights: Weights, progress: Progress) -> Iterator[Pattern]:
    """The cheapest stickings in which one stroke of the finding has the other hand, its neighbours as it suits."""
    pattern, table = report.pattern, report.table
    hands = [s.index for s in pattern.strokes if s.limb in HANDS]
    at = {index: k for k, index in enumerate(hands)}
    if not own:
        return
    near = hands[max(0, at[own[0]] - NEIGHBOURS) : at[own[-1]] + NEIGHBOURS + 1]
    question = opened(pattern, near, table.kit)
    for forced in own[:FORCED]:
        try:
            found = find_stickings(
                question, table.kit, table.player, report.tempo, best=STICKINGS,
                repeat=report.repeat, weights=weights, excluded={forced: pattern.strokes[forced].limb},
                progress=progress,
            )  # fmt: skip
        except PlanError:
            continue
        for row in found.best:
            yield row.pattern


def _voices(report: Report, own: list[int]) -> Iterator[tuple[str, str, str]]:
    """All strokes of the finding that are on one voice, on another one near it."""
    pattern, kit = report.pattern, report.table.kit
    for voice in dict.fromkeys(pattern.strokes[i].voice for i in own):
        moved = [i for i in own if pattern.strokes[i].voice == voice]
        for other in _others_like(kit, voice):
            changes = {i: replace(strike_of(pattern, i), voice=other) for i in moved}
            yield "voice", f"{voice_name(kit, other)} {_on(pattern, moved)}", rewrite(pattern, changes)


def _others_like(kit: Kit, voice: str) -> list[str]:
    """Pieces of a kind that can stand in for a voice, the nearest first."""
    code = piece_of(voice)
    piece = kit.piece(code)
    if kit.voice_point(voice) is None or piece is None:
        found = substitute(kit, voice)
        return [] if found is None else [found]
    likes = like(piece.kind)
    return [other for other in pieces_like(kit, code) if (p := kit.piece(other)) and p.kind in likes][:VOICES]


def _omissions(pattern: Pattern, finding: Finding) -> Iterator[tuple[str, str, str]]:
    """Ghosts of the finding left out, its graces, its last foot stroke, or the strokes of its hi-hat foot."""
    ghosts = [i for i in finding.strokes if "." in pattern.strokes[i].marks]
    if ghosts and len(ghosts) < len(pattern.strokes):
        dropped: Mapping[int, Strike | None] = dict.fromkeys(ghosts)
        yield "omission", f"no ghost {_on(pattern, ghosts)}", rewrite(pattern, dropped)
    feet = [i for i in finding.strokes if pattern.strokes[i].limb in FEET]
    hats = [i for i in feet if pattern.strokes[i].limb == HAT_FOOT]
    for name, indices in (("foot stroke", feet[-1:]), ("hi-hat foot", hats)):
        if indices and len(indices) < len(pattern.strokes):
            yield "omission", f"no {name} {_on(pattern, indices)}", rewrite(pattern, dict.fromkeys(indices))
    graced = [i for i in finding.strokes if pattern.strokes[i].grace]
    if graced:
        bare = {i: replace(strike_of(pattern, i), grace="", grace_voice=None, grace_marks="") for i in graced}
        yield "omission", f"no grace {_on(pattern, graced)}", rewrite(pattern, bare)


def _on(pattern: Pattern, indices: Sequence[int]) -> str:
    """On which places, as far as a name can list them."""
    rows = _places(pattern, indices)
    if len(rows) > LISTED:
        return f"on {rows[0]} and {len(rows) - 1} more"
    return "on " + " and ".join(rows)


def _slower(report: Report, finding: Finding, weights: Weights, progress: Progress) -> Remedy | None:
    """The fastest whole tempo below the present one at which the finding is gone."""
    low, high = SLOWEST, math.ceil(report.tempo) - 1
    best: Report | None = None
    while low <= high:
        progress.at(0)
        # The slowest first: most findings are there at every tempo, and are done with at once.
        middle = low if best is None else (low + high + 1) // 2
        after = _analysed(report, report.pattern, middle, weights)
        if removed(finding, report, after):
            best, low = after, middle + 1
        elif best is None:
            return None
        else:
            high = middle - 1
    if best is None:
        return None
    return Remedy("tempo", f"at {best.tempo:.0f} BPM", report.pattern.text, best.tempo, best)
