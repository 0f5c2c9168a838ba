"""The Song station: does it work where it is played."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from deft_reach.app.canvas.explain import where
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.stroke_lane import StrokeLane
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.shell.station import Station
from deft_reach.app.shell.transport import Transport
from deft_reach.app.song.meet_form import MeetForm
from deft_reach.app.song.section_strip import SectionStrip
from deft_reach.app.song.song_bar import SongBar
from deft_reach.app.widgets.page_tabs import late_page
from deft_reach.app.widgets.panel import Panel
from deft_reach.core.session import Session
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.session.song_view import SongView
from deft_reach.store.practice_log import PracticeLog

if TYPE_CHECKING:
    from deft_reach.app.song.layout_form import LayoutForm
    from deft_reach.app.song.refit_form import RefitForm
    from deft_reach.app.song.relief_form import ReliefForm
    from deft_reach.app.song.show_form import ShowForm


class SongStation(Station):
    """The song's list and the reach plan on the left; strip, weave, lane and the work on the right."""

    def __init__(self, session: Session, log: PracticeLog, transport: Transport) -> None:
        super().__init__(session)
        self.transport, self.log = transport, log
        self.view = SongView(session)
        self.axis = TimeAxis(self.view, self)
        self.bar = SongBar(session, self.view)
        self.plan = ReachPlan(self.view)
        self.plan.setMinimumSize(280, 200)
        self.strip = SectionStrip(self.view, self.axis)
        self.weave = Weave(self.view, self.axis)
        self.lane = StrokeLane(self.view, self.axis)
        self.weave.invitation = "The hands of the song appear here once its sections can be played."
        self.lane.invitation = "Its strokes stand here, one section after the other."
        self.meet = MeetForm(session, self.view)
        self.plan_panel = Panel("Reach plan", self.plan)
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        left = self.split(down, "songLeft", [Panel("Song", self.bar), self.plan_panel], [492, 210], [1, 1])
        threads = QWidget()
        column = QVBoxLayout(threads)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(self.weave, 1)
        column.addWidget(self.lane)
        self.weave_panel = Panel("The song as one", threads)
        pages = (
            (self.meet, "Where they meet"),
            ("relief", "Relief"),
            ("refit", "Another kit"),
            ("layout_form", "Move pieces"),
            ("show_form", "Whole show"),
        )
        self.tabs, bottom = self.tab_sheet(pages)
        right = self.split(down, "songRight", [self.weave_panel, bottom], [350, 350], [1, 1])
        self.fill(self.split(across, "songAcross", [left, right], [392, 800], [1, 3]))
        self.tabs.currentChanged.connect(lambda _: self._draw_places())
        self.bar.played_from.connect(self._play_from)
        self.view.refused.connect(self._refused)
        self.view.verdict.connect(self._say)
        self.view.selected.connect(self._say)
        self.follow()

    @late_page
    def relief(self) -> ReliefForm:
        """Rests and easier bars for tired limbs."""
        from deft_reach.app.song.relief_form import ReliefForm

        return ReliefForm(self.session, self.view)

    @late_page
    def refit(self) -> RefitForm:
        """The plan on another kit."""
        from deft_reach.app.song.refit_form import RefitForm

        return RefitForm(self.session)

    @late_page
    def layout_form(self) -> LayoutForm:
        """Better places for pieces."""
        from deft_reach.app.song.layout_form import LayoutForm

        form = LayoutForm(self.session)
        form.shown.connect(self._draw_places)
        return form

    @late_page
    def show_form(self) -> ShowForm:
        """All songs in order."""
        from deft_reach.app.song.show_form import ShowForm

        return ShowForm(self.session, self.view, self.log)

    def showEvent(self, event: QShowEvent) -> None:
        self.view.set_active(True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.view.set_active(False)

    @property
    def played(self) -> PlanView:
        """What is in view here is played, not the plan."""
        return self.view

    @property
    def song_shown(self) -> SongView | None:
        return self.view

    def _play_from(self, section: int) -> None:
        """Play the song from a section on."""
        found = self.view.found
        time = found.chain.entry_of(section) if found is not None and found.chain is not None else None
        if time is not None:
            self.transport.start_from(time)

    def first_focus(self) -> QWidget:
        return self.weave

    def refresh(self) -> None:
        self._say()

    def _say(self) -> None:
        report, index = self.view.report, self.view.stroke
        if report is None:
            song = self.session.songs.song
            there = song is not None and bool(song.sections)
            none = "No section can be played yet: its mark says why."
            self.weave_panel.set_note(none if there else "Add plans to a song, and they are chained here.")
            self.plan_panel.set_note("")
            return
        found = self.view.found
        assert found is not None and found.chain is not None
        serious = len(report.serious)
        think = f", {serious} to think about" if serious else ""
        self.weave_panel.set_note(f"{len(report.findings)} findings{think} · N for the next")
        if index is None or index >= len(report.strokes):
            self.plan_panel.set_note("")
        else:
            self.plan_panel.set_note(f"{found.chain.part_at(index).plan.name} · {where(report, index)}")

    def _refused(self) -> None:
        self.weave_panel.set_note("A song is edited plan by plan: this stroke's plan is in view in Write and Reach.")

    def _draw_places(self) -> None:
        """While places are searched, the kit that would be, with the present one in outlines."""
        searched = self.tabs.currentIndex() == self.tabs.tab_of("layout_form")
        layout = self.layout_form.current if searched else None
        ghost = layout.kit if layout is not None else None
        if ghost != self.plan.ghost:
            self.plan.ghost = ghost
            self.plan.update()
