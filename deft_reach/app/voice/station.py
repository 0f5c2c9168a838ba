"""The Voice station: which drum or cymbal gets each stroke."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.stick_heights import StickHeights
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.offers.candidate_preview import CandidateThreads, ChangingDrawing
from deft_reach.app.shell.station import Station
from deft_reach.app.voice.adviser_form import AdviserForm
from deft_reach.app.voice.paint_form import PaintForm
from deft_reach.app.voice.paint_plan import PaintPlan
from deft_reach.app.voice.variations_form import VariationsForm
from deft_reach.app.widgets.panel import Panel
from deft_reach.app.write.lane_editor import LaneEditor
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView


class VoiceStation(Station):
    """Lane, stick heights and threads on the left; the kit to click on and the tools on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.axis = TimeAxis(session, self)
        self.lane = LaneEditor(session, self.axis)
        self.heights = StickHeights(session, self.axis)
        self.weave = Weave(session, self.axis)
        self.plan = PaintPlan(session)
        self.paint = PaintForm(self.lane.lane)
        self.adviser = AdviserForm(self.lane.lane)
        self.variations = VariationsForm(self.lane.lane)
        #: What adviser or variations offer, drawn and heard in place of the plan.
        self.candidate = CandidateView(session)
        self.plan_view = ChangingDrawing(self.plan, self.candidate, lambda: ReachPlan(self.candidate))
        threads = QWidget()
        column = QVBoxLayout(threads)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.lane)
        column.addWidget(self.heights)
        column.addWidget(self.weave, 1)
        note = "choose strokes (Shift+arrows or drag), then click a piece; V steps through the voices"
        threads.setFocusProxy(self.lane)
        self.threads = ChangingDrawing(threads, self.candidate, self._candidate_threads)
        self.lane_panel = Panel("Strokes and voices", self.threads, note)
        pages = ((self.paint, "Paint"), (self.adviser, "Adviser"), (self.variations, "Variations"))
        self.tabs, tools = self.tab_sheet(pages)
        self.plan_panel = Panel("Reach plan", self.plan_view, "click where the chosen strokes go")
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        left = self.split(down, "voicePalette", [self.plan_panel, tools], [380, 322], [1, 1])
        self.fill(self.split(across, "voiceSides", [left, self.lane_panel], [560, 648], [2, 3]))
        self.plan.painted.connect(self.paint.paint)
        self.offering(self.candidate, self.tabs)
        self.follow()

    def _candidate_threads(self) -> CandidateThreads:
        """What is offered, its weave under the plan's own."""
        threads = CandidateThreads(self.candidate)
        threads.below_the_plan()
        return threads

    def first_focus(self) -> QWidget:
        return self.lane

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() in ("v", "V"):
            self.paint.step(1 if event.text() == "v" else -1)
        else:
            super().keyPressEvent(event)
