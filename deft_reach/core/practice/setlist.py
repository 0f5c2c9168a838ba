"""The whole show: every plan and song of a document, with what there is to say of it on one kit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.finding import Severity
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Plan, read_text, standing
from deft_reach.core.model.counting import place
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.practice.progress_log import (
    CLEAN,
    CLIMBING,
    COMMITTED,
    DRAFTED,
    UNPLAYED,
    PlanPractice,
    progress_of,
)
from deft_reach.core.song.verdict import analyse_song

#: How far a plan has come, in the order of work.
CHANGED = "changed since committed"
ORDER = (DRAFTED, CHANGED, COMMITTED, CLIMBING, CLEAN)


class ShowRow(NamedTuple):
    """One plan or song.

    ``tempo`` is the lowest and the highest in it (BPM), ``limit`` and ``headroom`` are of its tightest section,
    ``hardest`` says where that is; ``severity`` is the highest among its findings; ``problem`` is what keeps it from
    being judged.
    """

    kind: str
    id: str
    name: str
    kit: str
    tempo: tuple[float, float] | None
    limit: float | None
    headroom: float | None
    ease: float | None
    hardest: str
    severity: Severity | None
    state: str
    problem: str = ""


def whole_show(
    document: Document, kit: Kit | None = None, played: Mapping[str, PlanPractice] | None = None
) -> list[ShowRow]:
    """Songs first, in their order, then every plan; on ``kit``, or each on its own where that is None.

    ``played`` is what the log says by ``practice_id``: which are climbing and which are clean.
    """
    if kit is not None:
        document = document.with_kit(kit)
    log = played or {}
    states = {
        plan.id: state_of(document, plan, log.get(document.practice_id(plan.id), UNPLAYED)) for plan in document.plans
    }
    return [*(_song_row(document, number, kit, states) for number in range(len(document.songs))),
            *(_plan_row(document, plan, kit, states[plan.id]) for plan in document.plans)]  # fmt: skip


def _song_row(document: Document, number: int, kit: Kit | None, states_of: Mapping[str, str]) -> ShowRow:
    song = document.songs[number]
    found = analyse_song(document, song if kit is None else replace(song, kit=kit.id))
    states = [states_of[section.plan] for section in song.sections if section.plan in states_of]
    # A song is as far as the least of its plans.
    state = min(states, key=ORDER.index, default=DRAFTED)
    if found.chain is None or found.report is None:
        reason = str(found.problems[0].message) if found.problems else "nothing in it yet"
        return ShowRow("song", song.id, song.name, "", None, None, None, None, "", None, state, reason)
    tempi = [part.tempo for part in found.chain.parts]
    tightest = found.tightest
    hardest = ""
    if tightest is not None and tightest.bottleneck is not None:
        part = found.chain.part_at(tightest.bottleneck)
        hardest = f"{part.plan.name}: {hardest_words(found.report, tightest.bottleneck)}"
    stops = [str(p.message) for p in found.problems if p.severity is Severity.STOP]
    return ShowRow(
        "song", song.id, song.name, found.chain.kit.name, (min(tempi), max(tempi)),
        tightest.tempo_limit if tightest is not None else None,
        tightest.headroom if tightest is not None else None, found.report.summary.ease, hardest,
        found.report.worst, state, stops[0] if stops else "",
    )  # fmt: skip


def _plan_row(document: Document, plan: Plan, kit: Kit | None, state: str) -> ShowRow:
    on = kit or document.kit(plan.kit)
    tempo = (plan.tempo, plan.tempo)
    try:
        pattern = read_text(document.score(plan.pattern).text, on)
    except StrokeTextError as error:
        return ShowRow("plan", plan.id, plan.name, on.name, tempo, None, None, None, "", None, state, str(error))
    report = analyse(pattern, on, document.player(plan.player), plan.tempo, repeat=plan.repeat, weights=plan.weights)
    s = report.summary
    hardest = "" if s.bottleneck is None else hardest_words(report, s.bottleneck)
    problem = "has strokes without a hand" if pattern.unassigned else "" if pattern.strokes else "has no strokes yet"
    return ShowRow(
        "plan", plan.id, plan.name, on.name, tempo, s.tempo_limit, s.headroom, s.ease, hardest, report.worst,
        state, problem,
    )  # fmt: skip


def hardest_words(report: Report, index: int) -> str:
    """A stroke by its place, limb and voice: "right hand on the floor tom, bar 2, 3 &"."""
    stroke = report.strokes[index]
    who = {"R": "right hand", "L": "left hand"}.get(stroke.limb, "foot") if stroke.limb in HANDS else "foot"
    bar = f"bar {stroke.bar}, " if report.strokes[-1].bar > 1 else ""
    return f"{who} on the {voice_name(report.table.kit, stroke.voice)}, {bar}{place(stroke.beat)}"


def state_of(document: Document, plan: Plan, played: PlanPractice = UNPLAYED) -> str:
    """How far a plan has come: drafted, committed (or changed since), climbing, clean."""
    logged = progress_of(document, plan, played).state
    if logged in (CLIMBING, CLEAN):
        return logged
    if not document.commitments_of(plan.id):
        return DRAFTED
    return CHANGED if standing(document, plan) is None else COMMITTED
