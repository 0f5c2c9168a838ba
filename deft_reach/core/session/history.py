"""One open document: its history of edits, and what is in view and selected.

Documents are immutable, so undo is a matter of going back to one.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Final

from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Plan, analyse_plan, new_document, read_unfinished
from deft_reach.core.document.limits import beyond_limits
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.session.signals import Signal

#: Edits of one kind that follow each other faster than this (seconds) are one undo step.
MERGE_WITHIN: Final = 1.5
HISTORY: Final = 1000
#: A plan of more steps than this shows what is typed before it is analysed.
LONG: Final = 200


@dataclass(frozen=True)
class UndoStep:
    """One state in the history: the document, the plan in view, and the name of the edit that led here."""

    document: Document
    plan: str
    label: str


class History:
    """One open document, what is selected in it, and the edits that led to it.

    Signals: ``changed`` after any edit, undo or opening; ``verdict`` right after it, once report, error and selection
    are settled; ``selected`` when nothing but the selected stroke, finding or piece changes; ``saved`` when the
    document has been written to its file. ``typed`` comes alone, ahead of the first two, when a key has changed a
    long plan: what is written is known then, what it means follows when the keys rest. ``moved`` when the playing
    position has changed. ``refused`` when an edit would have made the document larger than its file may be: nothing
    was changed then, and ``refusal`` says why.
    """

    def __init__(self, document: Document | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        self.changed = Signal()
        self.verdict = Signal()
        self.selected = Signal()
        self.saved = Signal()
        self.typed = Signal()
        self.moved = Signal()
        self.refused = Signal()
        self.refusal = ""
        #: Whether the document belongs to a file: without one, nothing is saved, however little has changed.
        self.in_file = False
        self._position: float | None = None
        #: How the hands use their gaps while the plan is played: ``early`` or ``late``, see motion.paths.
        self.preparing = "early"
        #: Puts work off until keys rest; without it everything is worked out at once.
        self.later: Callable[[Callable[[], None]], None] | None = None
        self._behind = False
        self._clock = clock
        self.start(document or new_document())

    # --- the document and its history -------------------------------------------------------------------------

    def start(self, document: Document, plan: str | None = None, *, clean: bool = True) -> None:
        """Show another document and forget the history. ``clean`` says that it stands so in its file."""
        first = document.plans[0].id if document.plans else ""
        known = plan if plan is not None and any(p.id == plan for p in document.plans) else first
        self._steps = [UndoStep(document, known, "")]
        self._at = 0
        self._merge: str | None = None
        self._merge_time = 0.0
        self._saved: Document | None = document if clean else None
        self._stroke: int | None = None
        self._finding: Finding | None = None
        self._piece: str | None = None
        self.report: Report | None = None
        self.error: StrokeTextError | None = None
        self._refresh()
        self._select_first()
        self.changed.emit()
        self.verdict.emit()
        self.saved.emit()

    @property
    def document(self) -> Document:
        return self._steps[self._at].document

    @property
    def plan(self) -> Plan | None:
        """The plan in view; None in a document without plans."""
        id = self._steps[self._at].plan
        return next((plan for plan in self.document.plans if plan.id == id), None)

    @property
    def kit(self) -> Kit:
        """The kit of the plan in view, else the document's first."""
        plan = self.plan
        if plan is not None:
            return self.document.kit(plan.kit)
        return self.document.kits[0] if self.document.kits else layout("five")

    @property
    def player(self) -> Player:
        plan = self.plan
        return self.document.player(plan.player) if plan is not None else Player()

    @property
    def text(self) -> str:
        plan = self.plan
        return self.document.score(plan.pattern).text if plan is not None else ""

    def apply(
        self,
        document: Document,
        label: str,
        merge: str | None = None,
        plan: str | None = None,
        typing: bool = False,
    ) -> None:
        """Make an edit: one undo step named ``label``.

        Edits with the same ``merge`` key that follow each other quickly are one step; ``plan`` brings another plan
        into view with it. ``typing`` lets the analysis of a long plan wait until the keys rest.
        """
        now = self._clock()
        view = plan if plan is not None else self._steps[self._at].plan
        if document == self.document and view == self._steps[self._at].plan:
            return
        beyond = beyond_limits(document, self.document)
        if beyond is not None:
            self.refusal = f"{beyond} Nothing was changed."
            self.refused.emit()
            # Whoever shows the edit already shows what there is again.
            self.changed.emit()
            self.verdict.emit()
            return
        joined = (
            merge is not None and merge == self._merge and now - self._merge_time <= MERGE_WITHIN and self._at > 0
        )
        step = UndoStep(document, view, label)
        del self._steps[self._at + 1 :]
        if joined:
            self._steps[self._at] = step
        else:
            self._steps.append(step)
            if len(self._steps) > HISTORY:
                del self._steps[0]
            self._at = len(self._steps) - 1
        self._merge, self._merge_time = merge, now
        shown = self.shown_pattern
        if typing and self.later is not None and shown is not None and len(shown.moments) > LONG:
            self._behind = True
            self.typed.emit()
            self.later(self.catch_up)
        else:
            self._after_edit()

    def show_plan(self, id: str) -> None:
        """Bring a plan into view. Not an edit: undo does not come back through it."""
        if id == self._steps[self._at].plan or not any(p.id == id for p in self.document.plans):
            return
        self._steps[self._at] = replace(self._steps[self._at], plan=id)
        self._merge = None
        self._stroke = self._finding = None
        self.report = None
        self._refresh()
        self._select_first()
        self.changed.emit()
        self.verdict.emit()

    def pattern(self) -> Pattern | None:
        """The pattern as the text stands now, None while it cannot be read."""
        if self.plan is None:
            return None
        shown = self.shown_pattern
        return shown if shown is not None and shown.text == self.text else None

    @property
    def behind(self) -> bool:
        """Whether what was typed is not analysed yet."""
        return self._behind

    def catch_up(self) -> None:
        """Work out what was put off while keys were typed."""
        if self._behind:
            self._after_edit()

    def keep_merge(self, merge: str) -> None:
        """The gesture of this merge key goes on, however long it rests."""
        if merge == self._merge:
            self._merge_time = self._clock()

    def end_merge(self) -> None:
        """The gesture is over: the next edit is a step of its own."""
        self._merge = None

    @property
    def undo_label(self) -> str | None:
        """The name of the edit that undo would take back, None if there is none."""
        return self._steps[self._at].label if self._at > 0 else None

    @property
    def redo_label(self) -> str | None:
        return self._steps[self._at + 1].label if self._at + 1 < len(self._steps) else None

    def undo(self) -> None:
        """Go back one step; nothing happens at the first."""
        if self._at > 0:
            self._at -= 1
            self._merge = None
            self._after_edit()

    def redo(self) -> None:
        """Take back the last undo; nothing happens after the last step."""
        if self._at + 1 < len(self._steps):
            self._at += 1
            self._merge = None
            self._after_edit()

    @property
    def is_saved(self) -> bool:
        return self._saved is not None and self.document == self._saved

    @property
    def saved_document(self) -> Document | None:
        """The document as its file holds it, None if it was never saved."""
        return self._saved

    def mark_saved(self, document: Document | None = None) -> None:
        """The document (as it was when the writing began) is in its file now."""
        self._saved = self.document if document is None else document
        self.saved.emit()

    def _after_edit(self) -> None:
        self._behind = False
        self._refresh()
        self._clamp()
        self.changed.emit()
        self.verdict.emit()

    def _refresh(self) -> None:
        plan = self.plan
        self.error = None
        if plan is None:
            self.report = None
            return
        try:
            self.report = analyse_plan(self.document, plan)
        except StrokeTextError as error:
            self.error = error
            # Where only a bar does not add up, all the rest is known. Otherwise the last verdict stays in view,
            # marked as old, until the text can be read again.
            with suppress(StrokeTextError):
                self.report = analyse_plan(self.document, plan, unfinished=True)

    @property
    def shown_pattern(self) -> Pattern | None:
        """The pattern as the text stands now, or while that cannot be read, as it last did."""
        try:
            return read_unfinished(self.text, self.kit)
        except StrokeTextError:
            return self.report.pattern if self.report is not None else None

    @property
    def outdated(self) -> bool:
        """Whether the report is of an earlier text, because the present one cannot be read."""
        return self.report is not None and self.report.pattern.text != self.text

    # --- what is selected -------------------------------------------------------------------------------------

    @property
    def stroke(self) -> int | None:
        """Index of the selected stroke."""
        return self._stroke

    @property
    def finding(self) -> Finding | None:
        return self._finding

    @property
    def piece(self) -> str | None:
        """Code of the selected piece."""
        return self._piece

    @property
    def position(self) -> float | None:
        """Where the plan is being played (whole notes), None while it is not."""
        return self._position

    def set_position(self, position: float | None) -> None:
        if position != self._position:
            self._position = position
            self.moved.emit()

    def select_stroke(self, index: int | None) -> None:
        """Select a stroke by its index, or none; the nearest one where there are fewer."""
        count = len(self.report.strokes) if self.report else 0
        if index is not None:
            index = max(0, min(index, count - 1)) if count else None
        if index != self._stroke or self._finding is not None:
            self._stroke, self._finding = index, None
            self.selected.emit()

    def step_stroke(self, by: int) -> None:
        """Select the stroke so many further on; from nothing, the first or last one."""
        if self._stroke is None:
            self.select_stroke(0 if by > 0 else 10**9)
        else:
            self.select_stroke(self._stroke + by)

    def select_finding(self, finding: Finding | None) -> None:
        """Select a finding and its first stroke."""
        if finding is not None and finding != self._finding:
            self._finding = finding
            self._stroke = finding.strokes[0]
            self.selected.emit()

    def step_finding(self, by: int) -> None:
        """Go to the next or previous finding, round and round."""
        findings = self.report.findings if self.report else ()
        if not findings:
            return
        if self._finding in findings:
            at = findings.index(self._finding) + by
        else:
            at = 0 if by > 0 else len(findings) - 1
        self.select_finding(findings[at % len(findings)])

    def select_piece(self, code: str | None) -> None:
        if code != self._piece:
            self._piece = code
            self.selected.emit()

    def _select_first(self) -> None:
        """A new pattern comes up with something worth seeing: its worst finding, or else its first stroke."""
        if self.report and self.report.strokes:
            serious = self.report.serious
            self._stroke = serious[0].strokes[0] if serious else 0

    def _clamp(self) -> None:
        count = len(self.report.strokes) if self.report else 0
        if self._stroke is not None and self._stroke >= count:
            self._stroke = count - 1 if count else None
        if self._finding is not None and self.report:
            same = [
                f for f in self.report.findings if (f.kind, f.strokes) == (self._finding.kind, self._finding.strokes)
            ]
            self._finding = same[0] if same else None
        if self._piece is not None and self._piece not in self.kit:
            self._piece = None
