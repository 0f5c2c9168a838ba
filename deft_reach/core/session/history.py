"""One open document: its history of edits, and what is in view and selected.

Documents are immutable, so undo is a matter of going back to one.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Final

from deft_reach.core.document import (
    Document,
    Verdict,
    new_document,
    unread_characters,
    verdict_on,
)
from deft_reach.core.document.limits import beyond_limits
from deft_reach.core.model.layouts import layout
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.session.plan_state import PlanState
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.session.signals import Signal

#: Edits of one kind that follow each other faster than this (seconds) are one undo step.
MERGE_WITHIN: Final = 1.5
HISTORY: Final = 1000
#: A plan of more steps than this shows what is typed before it is analysed.
LONG: Final = 200
#: A text of more characters than this is worked on in the background: some 2,000 strokes, a tenth of a second.
LONG_TEXT: Final = 8_000


def _prepared(verdict: Verdict) -> Verdict:
    """The same, with what every drawing asks of a pattern already worked out."""
    report = verdict[0]
    if report is not None:
        pattern = report.pattern
        for name in ("starts", "event_starts", "shortest_step", "by_limb_and_voice", "sticking", "unassigned"):
            getattr(pattern, name)
    return verdict


@dataclass(frozen=True)
class UndoStep:
    """One state in the history: the document, the plan in view, and the name of the edit that led here."""

    document: Document
    plan: str
    label: str


class History(PlanView):
    """One open document, the plan in view, what is selected in it, and the edits that led to it.

    Signals beside a view's: ``saved`` when the document has been written to its file. ``changed`` comes after any
    edit, undo or opening. ``typed`` comes alone, ahead of ``changed`` and ``verdict``, when a key has changed a long
    plan: what is written is known then, what it means follows when the keys rest. After an edit of a very long text
    ``typed`` and ``changed`` come at once, and ``verdict`` when the background has worked it out. ``refused`` when an
    edit would have made the document larger than its file may be: nothing was changed then, and ``refusal`` says why.
    """

    def __init__(self, document: Document | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        super().__init__()
        self.saved = Signal()
        self.refusal = ""
        #: Whether the document belongs to a file: without one, nothing is saved, however little has changed.
        self.in_file = False
        #: Puts work off until keys rest; without it everything is worked out at once.
        self.later: Callable[[Callable[[], None]], None] | None = None
        #: Does work in the background and hands its result over, unless other work has been given since; without it
        #: everything is worked out at once.
        self.background: Callable[[Callable[[], Any], Callable[[Any], None]], None] | None = None
        #: Whether the plan in view has just come there.
        self._fresh = False
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
        self._clear_selection()
        self._come_into_view()
        self.saved.emit()

    @property
    def document(self) -> Document:
        return self._steps[self._at].document

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
        if typing and self.later is not None:
            # What is written is known; what it means can wait where that is much.
            self._look(error=self.error, behind=True)
            if self._is_long():
                self.typed.emit()
                self.later(self.keys_rest)
                return
        self._after_edit()

    def _is_long(self) -> bool:
        shown = self.shown_pattern
        return shown is not None and len(shown.moments) > LONG

    def show_plan(self, id: str) -> None:
        """Bring a plan into view. Not an edit: undo does not come back through it."""
        if id == self._steps[self._at].plan or not any(p.id == id for p in self.document.plans):
            return
        self._steps[self._at] = replace(self._steps[self._at], plan=id)
        self._merge = None
        self._stroke = self._finding = self._demand = None
        self._come_into_view()

    def catch_up(self) -> None:
        """Work out at once what was put off, for what cannot wait for it."""
        if self.behind:
            self._work_out()

    def keys_rest(self) -> None:
        """Work out what was put off while keys were typed: a very long text in the background."""
        if self.behind:
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

    def _look(self, *, error: StrokeTextError | None, behind: bool = False, reading: bool = False) -> None:
        """Replace the state by that of the plan in view now; its last report stays until there is a new one."""
        step, before = self._steps[self._at], self.state
        document = step.document
        plan = next((plan for plan in document.plans if plan.id == step.plan), None)
        if plan is None:
            self.state = PlanState(None, document.kits[0] if document.kits else layout("five"))
            return
        same = before.plan is not None and before.plan.id == plan.id and not self._fresh
        report = before.report if same else None
        kit, player, text = document.kit(plan.kit), document.player(plan.player), document.score(plan.pattern).text
        self.state = PlanState(plan, kit, player, text, report, error, behind, reading)

    def _come_into_view(self) -> None:
        """Another plan: nothing is known of it yet, and nothing is selected in it."""
        self._fresh = True
        self._after_edit()

    def _after_edit(self) -> None:
        self._look(error=None)
        document, plan, text = self.document, self.plan, self.text
        # Strokes that are known already are worked out at once: a tempo or a kit that changes follows the hand.
        known = self.report is not None and self.report.pattern.text == text
        if self.background is None or plan is None or len(text) <= LONG_TEXT or known:
            self._work_out()
            return
        # What is new in a text is read at once where it is little, so that it is shown while the rest is worked out.
        self._look(error=None, behind=True, reading=unread_characters(text, self.kit) > LONG_TEXT)

        def arrived(verdict: Verdict) -> None:
            if self.behind and self.plan is plan and self.document is document:
                self._settle(verdict)

        self.background(lambda: _prepared(verdict_on(document, plan)), arrived)
        self.typed.emit()
        self.changed.emit()

    def _work_out(self) -> None:
        plan = self.plan
        self._settle(verdict_on(self.document, plan) if plan is not None else (None, None))

    def _settle(self, verdict: Verdict) -> None:
        """Take over what an edit has led to, and tell everybody."""
        report, error = verdict
        # A text that cannot be read any more: its last verdict stays in view, marked as old, until it can be again.
        self.state = replace(self.state, report=report or self.report, error=error, behind=False, reading=False)
        if self._fresh:
            self._fresh = False
            self._select_first()
        self._clamp()
        self.changed.emit()
        self.verdict.emit()
