"""What is offered, drawn and heard in place of the plan: drawings that change over, and the banner that says so."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.stroke_lane import StrokeLane
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.widgets.elided_label import ElidedLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled, styled
from deft_reach.app.widgets.tables import compared_words
from deft_reach.core.document import Candidate
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView

#: The least height of a weave, and of each of two above each other (px at the usual text size).
LEAST, LEAST_OF_TWO = 136, 96


class ChangingDrawing(QStackedWidget):
    """A drawing of the plan, and in its place one of the candidate while there is any.

    The candidate's is made when it is first needed.
    """

    def __init__(self, plan: QWidget, view: CandidateView, make: Callable[[], QWidget]) -> None:
        super().__init__()
        self.view, self._make = view, make
        self.candidate: QWidget | None = None
        self.addWidget(plan)
        view.shown.connect(self._change)

    def _change(self) -> None:
        if self.view.active and self.candidate is None:
            self.candidate = self._make()
            self.addWidget(self.candidate)
        before, focus = self.currentWidget(), self.window().focusWidget()
        self.setCurrentIndex(1 if self.view.active else 0)
        after = self.currentWidget()
        if before is None or after is None or after is before or focus is None:
            return
        if before.isAncestorOf(focus):
            # The keyboard stays at the drawing, whichever it is.
            after.setFocus()


class _Beside(QWidget):
    """The weave of what a candidate is held against: the plan itself, or another candidate."""

    def __init__(self, main: Session) -> None:
        super().__init__()
        self.main, self.other = main, CandidateView(main)
        self.words = PlainLabel()
        self.words.setObjectName("caption")
        self.words.setContentsMargins(10, 2, 8, 0)
        self.stack = QStackedWidget()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.words)
        column.addWidget(self.stack, 1)
        self._weaves: dict[bool, Weave] = {}
        self.other.verdict.connect(self._heard)
        main.verdict.connect(self._heard)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._say()

    def _heard(self) -> None:
        if self.isVisible():
            self._say()

    def show_candidate(self, candidate: Candidate) -> None:
        """Draw a sticking: the plan itself where it is that."""
        own = candidate.text == self.main.text
        if own:
            self.other.clear()
        else:
            self.other.show_candidate(candidate.name, candidate.text)
        if own not in self._weaves:
            view = self.main if own else self.other
            weave = self._weaves[own] = Weave(view, TimeAxis(view, self))
            set_scaled(weave, QWidget.setMinimumHeight, LEAST_OF_TWO, least=1.0)
            self.stack.addWidget(weave)
        self.stack.setCurrentWidget(self._weaves[own])
        self._say()

    def _say(self) -> None:
        view = self.other if self.other.active else self.main
        if view.report is not None:
            name = self.other.name if self.other.active else "The plan as written"
            self.words.setText(f"{name} · {compared_words(view.report, None)}")


class CandidateThreads(QWidget):
    """Weave and lane of the candidate, below a banner that says it is not the plan.

    Held against another sticking, the weave of that one stands above it in place of the lane. ``leave`` goes back to
    the plan.
    """

    def __init__(self, view: CandidateView, leave: Callable[[], None] | None = None) -> None:
        super().__init__()
        self.view = view
        self.beside: _Beside | None = None
        self.axis = TimeAxis(view, self)
        self.weave, self.lane = Weave(view, self.axis), StrokeLane(view, self.axis)
        banner = QFrame()
        banner.setObjectName("banner")
        self.words = ElidedLabel()
        self.back = QPushButton("Back to the plan")
        self.back.setObjectName("quiet")
        row = QHBoxLayout(banner)
        row.setContentsMargins(10, 4, 8, 4)
        row.addWidget(self.words, 1)
        row.addWidget(self.back)
        column = self._column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(banner)
        column.addWidget(self.weave, 1)
        column.addWidget(self.lane)
        self.setFocusProxy(self.weave)
        # The banner takes its room from the drawing: nothing else moves when a candidate is shown.
        styled(self, CandidateThreads._fit)
        self.back.clicked.connect(leave or view.clear)
        view.shown.connect(self._say)
        view.verdict.connect(self._say)
        view.refused.connect(self._refused)
        self._say()

    def below_the_plan(self) -> None:
        """Draw the plan's own weave above, for as long as anything is offered."""
        self._show_beside(Candidate("", self.view.main.text))

    def hold_against(self, candidate: Candidate | None) -> None:
        """Draw another sticking above this one, or none."""
        if candidate is not None:
            self._show_beside(candidate)
        if self.beside is not None:
            self.beside.setVisible(candidate is not None)
        self.lane.setVisible(candidate is None)
        self._fit()

    def _show_beside(self, candidate: Candidate) -> None:
        if self.beside is None:
            self.beside = _Beside(self.view.main)
            self._column.insertWidget(0, self.beside, 1)
        self.beside.show_candidate(candidate)

    def _fit(self) -> None:
        """Give the weave its least height: less where two stand above each other in place of the lane."""
        least = LEAST_OF_TWO if self.lane.isHidden() else LEAST
        self.weave.setMinimumHeight(round(least * max(1.0, theme.text_scale())))

    def _say(self) -> None:
        report, before = self.view.report, self.view.main.report
        if self.view.active and report is not None:
            self.words.setText(f"Offered, not taken: {self.view.name} · {compared_words(report, before)}")

    def _refused(self) -> None:
        self.words.setText(f"“{self.view.name}” is only offered: use it first, then it can be edited.")
