"""Ways out of a hard exit: other feet, a shorter run, a group less and a flam, a landing by the other hand."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.analysis.ranking import in_order, limit_lost, makes_worse, merit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Song
from deft_reach.core.model.counting import in_bar
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.limbs import HANDS, KICK, SECOND_KICK, other_hand
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import rewrite, strike_of
from deft_reach.core.song.parts import Chain
from deft_reach.core.song.seams import Seam, near_seam
from deft_reach.core.song.verdict import SongReport, analyse_song

#: So much of the end of a plan (whole notes) counts as its exit.
EXIT: Final = Fraction(1, 1)


class _Idea(NamedTuple):
    """A change to one plan's text, in words: what is done and what is lost."""

    name: str
    plan: str
    text: str
    lost: str


@dataclass(frozen=True)
class Exit:
    """One way out of a seam: which plan's text changes and to what, and what the song is like then.

    ``cost`` and ``tempo_limit`` are of the whole chain; ``pace`` is the highest at the seam; ``lost`` says what is
    given up, of the song's limit too. Offers come in the order of every list (see analysis.ranking); as good ones by
    how much they ease the seam.
    """

    name: str
    plan: str
    text: str
    cost: float
    cost_change: float
    tempo_limit: float | None
    pace: float
    pace_before: float
    lost: str


def exits(document: Document, song: Song, found: SongReport, seam: Seam) -> list[Exit]:
    """Offers for the exit at a seam, the easiest first; none makes the song harder, and where nothing would be easier
    there are none.
    """
    chain, report = found.chain, found.report
    if chain is None or report is None:
        return []
    before = _pace_at(found, seam)
    offers: list[tuple[Exit, Report]] = []
    seen: set[tuple[str, str]] = set()
    for idea in _ideas(found, seam):
        if (idea.plan, idea.text) in seen:
            continue
        seen.add((idea.plan, idea.text))
        plan = document.plan(idea.plan)
        changed = analyse_song(document.with_text(plan, idea.text), song)
        if changed.report is None or changed.chain is None or len(changed.chain.parts) != len(chain.parts):
            continue
        if makes_worse(report, changed.report) is not None:
            continue
        same = next((s for s in changed.seams if (s.before, s.after) == (seam.before, seam.after)), None)
        after = _pace_at(changed, same) if same is not None else 0.0
        s = changed.report.summary
        offer = Exit(
            idea.name, idea.plan, idea.text, s.cost, s.cost - report.summary.cost, s.tempo_limit, after, before,
            "; ".join(filter(None, [idea.lost, limit_lost(report, changed.report)])),
        )  # fmt: skip
        offers.append((offer, changed.report))
    easier = [row for row in offers if row[0].pace < before - 1e-6 or row[0].cost_change < -1e-6]
    easier.sort(key=lambda row: (round(max(row[0].pace, 0.6), 2), row[0].cost))
    return [offer for offer, _ in in_order(easier, lambda row: merit_of(row[1]))]


def _pace_at(found: SongReport, seam: Seam | None) -> float:
    """The highest pace from the last beat before a seam to the first beat after it."""
    if found.chain is None or found.report is None or seam is None:
        return 0.0
    return max((found.report.strokes[i].pace or 0.0 for i in _near(found.chain, seam)), default=0.0)


def _near(chain: Chain, seam: Seam) -> list[int]:
    """The strokes from the last beat before a seam to the first beat after it."""
    first = next((k for k, s in enumerate(chain.pattern.strokes) if s.start == seam.start), None)
    return near_seam(chain, first)


def _ideas(found: SongReport, seam: Seam) -> Iterator[_Idea]:
    assert found.chain is not None
    a, b = found.chain.parts[seam.before], found.chain.parts[seam.after]
    text = a.pattern
    run = _last_run(text)
    if run:
        yield from _other_feet(a.plan.id, text, run, found)
        yield from _shorter(a.plan.id, text, run)
    yield from _group_less(a.plan.id, text)
    yield from _other_landing(b.plan.id, b.pattern)
    yield from _stroke_less(found, seam)


def _last_run(pattern: Pattern) -> list[int]:
    """The foot strokes without hands that end a pattern, in order."""
    run: list[int] = []
    for event in reversed(pattern.events):
        if not event.feet or event.hands:
            break
        run += [s.index for s in reversed(event.feet)]
    return run[::-1]


def _other_feet(plan: str, pattern: Pattern, run: list[int], found: SongReport) -> Iterator[_Idea]:
    """The run begun by the other foot, so that the landing's foot has just rested."""
    assert found.chain is not None
    if not any(piece.kind == "second-bass-pedal" for piece in found.chain.kit):
        return
    for name, feet in (("other feet", (SECOND_KICK, KICK)), ("feet in turn", (KICK, SECOND_KICK))):
        # Counted from the end: the last one before the landing is the foot that does not land.
        limbs = [feet[0] if k % 2 == 0 else feet[1] for k in range(len(run))][::-1]
        changes: dict[int, Strike | None] = {}
        for index, limb in zip(run, limbs):
            s = pattern.strokes[index]
            if s.limb in (KICK, SECOND_KICK) and s.limb != limb:
                changes[index] = replace(s.strike(False), limb=limb)
        if changes:
            yield _Idea(name, plan, rewrite(pattern, changes), "nothing: every stroke is heard")


def _shorter(plan: str, pattern: Pattern, run: list[int]) -> Iterator[_Idea]:
    """The run's last strokes left out, or every second one."""
    for count in (1, 2):
        if len(run) > count:
            gone: dict[int, Strike | None] = dict.fromkeys(run[-count:])
            words = "the last foot stroke" if count == 1 else f"the last {count} foot strokes"
            yield _Idea("a shorter run", plan, rewrite(pattern, gone), words)
    if len(run) > 3:
        thin: dict[int, Strike | None] = dict.fromkeys(run[1::2])
        yield _Idea(
            "a thinner run", plan, rewrite(pattern, thin), f"every second foot stroke, {len(run[1::2])} of them"
        )


def _group_less(plan: str, pattern: Pattern) -> Iterator[_Idea]:
    """The last group left out, and a flam in its place."""
    end = pattern.length
    late = [g for g in pattern.groups if g.start + g.length >= end - Fraction(1, 4) and g.start >= end - EXIT]
    if late:
        group = late[-1]
        inside = [s for s in pattern.strokes if group.start <= s.start < group.start + group.length]
        what = f"the last group, {group.steps} steps"
    else:
        last = pattern.strokes[-1].start
        inside = [s for s in pattern.strokes if s.start > last - Fraction(1, 4)]
        what = "the last beat's figure"
    hands = [s for s in inside if s.limb in HANDS]
    if not hands or len(inside) < 3:
        return
    first = hands[0]
    accent = first.marks if ">" in first.marks else ">" + first.marks.replace(".", "")
    changes: dict[int, Strike | None] = {s.index: None for s in inside if s.index != first.index}
    changes[first.index] = Strike(first.limb, strike_of(pattern, first.index).voice, accent, "f")
    text = rewrite(pattern, changes)
    yield _Idea("one group less and a flam", plan, text, f"{what}: {len(inside) - 1} strokes")


def _stroke_less(found: SongReport, seam: Seam) -> Iterator[_Idea]:
    """The most hurried stroke there left out, or the one of its limb before it, which it comes from."""
    chain, report = found.chain, found.report
    assert chain is not None and report is not None
    near = _near(chain, seam)
    if not near:
        return
    hurried = max(near, key=lambda i: report.strokes[i].pace or 0.0)
    limb, count = chain.pattern.strokes[hurried].limb, len(chain.pattern.strokes)
    back = ((hurried - k) % count for k in range(1, count if chain.repeat else hurried + 1))
    before = next((i for i in back if chain.pattern.strokes[i].limb == limb), None)
    for index in (before, hurried):
        if index is None:
            continue
        part, own = chain.origin[index]
        plan, pattern = chain.parts[part].plan, chain.parts[part].pattern
        if len(pattern.strokes) > 1:
            stroke = pattern.strokes[own]
            what = f"{limb} on {stroke.voice}, {in_bar(stroke.bar, stroke.beat)}"
            yield _Idea("one stroke less", plan.id, rewrite(pattern, {own: None}), what)


def _other_landing(plan: str, pattern: Pattern) -> Iterator[_Idea]:
    """The first stroke of a hand given to the other hand, where that one is free."""
    event = pattern.events[0] if pattern.events else None
    if event is None or len(event.hands) != 1:
        return
    stroke = event.hands[0]
    strike = replace(strike_of(pattern, stroke.index), limb=other_hand(stroke.limb))
    yield _Idea(
        "a landing by the other hand", plan, rewrite(pattern, {stroke.index: strike}),
        "the usual hand on the first stroke",
    )  # fmt: skip
