"""What is offered, drawn and heard in place of the plan: drawings that change over, and the banner that says so."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from deft_reach.app.canvas.stroke_lane import StrokeLane
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import compared_words
from deft_reach.core.session.candidate_view import CandidateView


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


class CandidateThreads(QWidget):
    """Weave and lane of the candidate, below a banner that says it is not the plan."""

    def __init__(self, view: CandidateView) -> None:
        super().__init__()
        self.view = view
        self.axis = TimeAxis(view, self)
        self.weave, self.lane = Weave(view, self.axis), StrokeLane(view, self.axis)
        banner = QFrame()
        banner.setObjectName("banner")
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.back = QPushButton("Back to the plan")
        self.back.setObjectName("quiet")
        row = QHBoxLayout(banner)
        row.setContentsMargins(10, 4, 8, 4)
        row.addWidget(self.words, 1)
        row.addWidget(self.back)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(banner)
        column.addWidget(self.weave, 1)
        column.addWidget(self.lane)
        self.setFocusProxy(self.weave)
        # The banner takes its room from the drawing: nothing else moves when a candidate is shown.
        set_scaled(self.weave, QWidget.setMinimumHeight, 136, least=1.0)
        self.back.clicked.connect(view.clear)
        view.shown.connect(self._say)
        view.verdict.connect(self._say)
        view.refused.connect(self._refused)
        self._say()

    def _say(self) -> None:
        report, before = self.view.report, self.view.main.report
        if self.view.active and report is not None:
            self.words.setText(f"Offered, not taken: {self.view.name} · {compared_words(report, before)}")

    def _refused(self) -> None:
        self.words.setText(f"“{self.view.name}” is only offered: use it first, then it can be edited.")
