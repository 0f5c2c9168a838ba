"""The rows of the list of hands: the plan's own sticking, those found and those kept, and their words."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain, count
from typing import Final, NamedTuple

from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.tables import ease_change
from deft_reach.core.analysis.explained import MOSTLY
from deft_reach.core.analysis.ranking import in_order, merit_of
from deft_reach.core.analysis.report import Report, serious_words
from deft_reach.core.document import Candidate
from deft_reach.core.model.counting import counted
from deft_reach.core.motion.cost import TERM_NAMES, TERMS
from deft_reach.core.search.candidates import Row, differing, same_strokes
from deft_reach.core.search.planner import Sticking
from deft_reach.core.session.plan_state import PlanState

OWN, FOUND, KEPT = "own", "found", "kept"
OWN_NAME: Final = "as written"
_LEAD = {"R": "right leads", "L": "left leads", None: "no hand leads"}


class HandsRow(NamedTuple):
    """A sticking in the list: where it comes from, its number there, what it is and what differs; the kind of hands
    where it was found, and the plan's own report to hold it against. ``old`` says that it is of another state.
    """

    source: str
    number: int
    row: Row
    kind: str = ""
    own: Report | None = None
    old: bool = False

    @property
    def name(self) -> str:
        return self.row.candidate.name

    @property
    def text(self) -> str:
        return self.row.candidate.text

    @property
    def report(self) -> Report | None:
        return self.row.report

    @property
    def source_words(self) -> str:
        """Where it comes from, said of those that a list could lose."""
        if self.old:
            return "found before the plan changed"
        return {OWN: "", FOUND: "found", KEPT: "kept with the plan"}[self.source]


def hands_rows(state: PlanState, found: Sequence[Sticking], kept: Sequence[Row], old: bool) -> list[HandsRow]:
    """The rows: the plan's own first, the others the best first. A sticking that was found and is kept is one row;
    ``old`` says that what was found is of another state.
    """
    pattern, own = state.pattern, state.report
    if pattern is None or own is None:
        return []
    kinds = {sticking.text: sticking.kind for sticking in found} if not old else {}
    first = HandsRow(OWN, 0, Row(Candidate(OWN_NAME, state.text), own, ()), kinds.get(state.text, ""))
    rows = [
        HandsRow(KEPT, k, row, kinds.get(row.candidate.text, ""), own)
        for k, row in enumerate(kept)
        if row.candidate.text != state.text
    ]
    names = {row.name for row in rows}
    seen = {state.text, *(row.text for row in rows)}
    for k, sticking in enumerate(found):
        if sticking.text in seen:
            continue
        seen.add(sticking.text)
        other = sticking.pattern
        differs = differing(pattern, other) if same_strokes(pattern, other) else None
        kind = sticking.kind or "hands"
        name = next(name for name in chain((kind,), (f"{kind} {n}" for n in count(2))) if name not in names)
        names.add(name)
        row = Row(Candidate(name, sticking.text), sticking.report, differs)
        rows.append(HandsRow(FOUND, k, row, sticking.kind, own, old))
    readable = [row for row in rows if row.report is not None and not row.old]
    return [
        first,
        *in_order(readable, lambda row: merit_of(row.report)),  # type: ignore[arg-type]
        *(row for row in rows if row.report is None or row.old),
    ]


def level_words(row: HandsRow) -> str:
    if row.report is None:
        return "not on this kit"
    return "impossible" if row.report.impossible else row.report.summary.level or "hands open"


def ease_words(row: HandsRow) -> str:
    report = row.report
    if report is None or report.impossible or report.pattern.unassigned:
        return ""
    return f"ease {report.summary.ease:.0f}{ease_change(report, row.own)}"


def limit_words(row: HandsRow) -> str:
    if row.report is None or row.report.pattern.unassigned:
        return ""
    limit = row.report.summary.tempo_limit
    return "no limit" if limit is None else f"breaks at {limit:.0f}"


def mostly_words(row: HandsRow) -> str:
    """What it mostly asks, and its stops and cautions."""
    if row.report is None:
        return ""
    mostly = [MOSTLY[demand.kind] for demand in row.report.demands[:1]]
    serious = serious_words(row.report)
    return ", ".join([*mostly, *([serious] if serious else [])])


def differs_words(row: Row) -> str:
    """How a sticking differs from the plan's own."""
    if row.differs is None:
        return "other strokes"
    if row.differs:
        return counted(len(row.differs), "stroke differs", "strokes differ")
    return f"other marks on {counted(len(row.marked), 'stroke')}" if row.marked else "the plan's own"


def row_words(row: HandsRow) -> str:
    """A row as it is read aloud."""
    if row.report is None:
        return f"{row.name}: cannot be read on this kit"
    s = row.report.summary
    mostly = [f"mostly {MOSTLY[demand.kind]}" for demand in row.report.demands[:1]]
    facts = [
        level_words(row), ease_words(row), "" if row.report.impossible else limit_words(row), *mostly,
        serious_words(row.report) or "no cautions", _LEAD[s.lead], differs_words(row.row), row.source_words,
    ]  # fmt: skip
    return f"{row.name}: {', '.join(fact for fact in facts if fact)}"


def tip_words(row: HandsRow) -> str:
    """A row in full: its words, and what it costs by term."""
    if row.report is None:
        return row_words(row)
    terms = row.report.summary.terms
    lines = [f"{TERM_NAMES[t]} {decimal(terms[t], '.2f')}" for t in TERMS if terms[t] > 0.005]
    whole = f"motion cost {decimal(row.report.summary.cost, '.1f')}, of which"
    return "\n".join([row_words(row), whole, *lines] if lines else [row_words(row)])
