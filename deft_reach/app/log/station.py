"""The Log station: is it clean, and what is next."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.canvas.explain import limb_name
from deft_reach.app.log.charts import PracticeChart, TempoChart
from deft_reach.app.log.next_steps import NextSteps
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.log.take_form import TakeForm
from deft_reach.app.shell.station import Station
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.page_tabs import late_page
from deft_reach.app.widgets.panel import Panel
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.document import read_text
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.practice.progress_log import SPEED, PlanProgress, progress, what_next, when
from deft_reach.core.session import Session
from deft_reach.store.note_maps import NoteMaps
from deft_reach.store.practice_log import PracticeLog

if TYPE_CHECKING:
    from deft_reach.app.log.entries_form import EntriesForm
    from deft_reach.app.log.hand_speed_form import HandTestForm
    from deft_reach.app.log.own_speed_form import CalibrationForm

ID = Qt.ItemDataRole.UserRole
#: So many attempts at one plan are drawn: some years of them.
MOST = 10_000


class LogStation(Station):
    """What is next and every plan's state on the left; tempo over weeks and the work on the right."""

    def __init__(self, session: Session, log: PracticeLog, recorder: Recorder, notes: NoteMaps) -> None:
        super().__init__(session)
        self.log = log
        self.now: Callable[[], datetime] = lambda: datetime.now().astimezone()
        #: Plans' limits by id, with what they were worked out from.
        self._known: dict[str, tuple[object, float | None]] = {}
        self.next = NextSteps()
        self.next.chosen.connect(self._begin)
        room = QScrollArea()
        room.setWidget(self.next)
        room.setWidgetResizable(True)
        room.setFrameShape(QScrollArea.Shape.NoFrame)
        self.plans = QTableWidget()
        make_list(
            self.plans,
            "Plans and how far they have come",
            ["plan", "state", "clean", "home"],
            wide=(0,),
            empty="No plan yet.",
        )
        self.practised = PracticeChart()
        self.limbs = PlainLabel()
        self.limbs.setObjectName("hint")
        self.limbs.setWordWrap(True)
        self.limbs.setContentsMargins(10, 0, 10, 6)
        days = QWidget()
        column = QVBoxLayout(days)
        column.setContentsMargins(8, 0, 8, 4)
        column.setSpacing(2)
        column.addWidget(self.practised, 1)
        column.addWidget(self.limbs)
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        parts = [Panel("What next", room), Panel("Plans", self.plans), Panel("Practised", days)]
        left = self.split(down, "logSteps", parts, [214, 276, 200], [0, 1, 0])
        self.tempo = TempoChart()
        self.tempo_panel = Panel("Tempo over time", self.tempo)
        self.takes = TakeForm(session, log, recorder, notes)
        self.notes = notes
        pages = (
            (self.takes, "Check a take"), ("hand_test", "Hand test"), ("calibration", "Your own speed"),
            ("entries", "Entries"),
        )  # fmt: skip
        self.tabs, bottom = self.tab_sheet(pages)
        right = self.split(down, "logTake", [self.tempo_panel, bottom], [230, 470], [1, 2])
        self.fill(self.split(across, "logAcross", [left, right], [380, 812], [1, 3]))
        self.plans.currentCellChanged.connect(lambda row, *_: self._picked(row))
        log.changed.connect(self._heard)
        self._filling = False
        self.follow(shown_later=True)

    @late_page
    def hand_test(self) -> HandTestForm:
        """Each hand alone against the click."""
        from deft_reach.app.log.hand_speed_form import HandTestForm

        return HandTestForm(self.session, self.log, self.notes)

    @late_page
    def calibration(self) -> CalibrationForm:
        """How fast this player moves, from what was played."""
        from deft_reach.app.log.own_speed_form import CalibrationForm

        return CalibrationForm(self.session, self.log)

    @late_page
    def entries(self) -> EntriesForm:
        """Every attempt in a table."""
        from deft_reach.app.log.entries_form import EntriesForm

        return EntriesForm(self.session, self.log)

    def _begin(self, plan: str, what: str) -> None:
        """Begin a next step."""
        if plan:
            self.session.show_plan(plan)
        if what == SPEED:
            self.tabs.setCurrentWidget(self.calibration)
        else:
            self.wanted.emit(what)

    def first_focus(self) -> QWidget:
        return self.plans

    def refresh(self) -> None:
        document, plan, report = self.session.document, self.session.plan, self.session.report
        now = self.now()
        rows = progress(document, self.log.played(), now.date())
        self.next.show_steps(what_next(rows, now, self._limits(rows)))
        self._filling = True
        self.plans.setRowCount(len(rows))
        for k, row in enumerate(rows):
            clean = "–" if row.clean_tempo is None else bpm(row.clean_tempo)
            state = "stuck" if row.stuck else row.state
            for column, text in enumerate((row.plan.name, state, clean, bpm(row.plan.tempo))):
                item = QTableWidgetItem(text)
                item.setData(ID, row.plan.id)
                item.setToolTip(plain_tip(f"{row.plan.name}: {row.attempts} attempts, {row.minutes:.0f} min"))
                self.plans.setItem(k, column, item)
        if plan is not None:
            at = next((k for k, row in enumerate(rows) if row.plan.id == plan.id), 0)
            self.plans.setCurrentCell(at, 0)
        self._filling = False
        limit = report.summary.tempo_limit if report is not None else None
        if plan is not None:
            points = self.log.points(document.practice_id(plan.id), MOST)
            committed = [when(row.date) for row in document.commitments_of(plan.id)]
            self.tempo.show_plan(plan.name, plan.tempo, limit, points, committed)
            part = f", the newest {MOST:,} attempts" if len(points) == MOST else ""
            self.tempo_panel.set_note(f"{plan.name}: filled is clean, half is rough, empty is not yet{part}")
        worked = self.log.worked()
        self.practised.show_days(worked.days, worked.by_day, now.date())
        kit, busy = self.session.kit, sorted(worked.limbs.items())
        words = [f"{limb_name(kit, limb)} {minutes:.0f} min" for limb, minutes in busy if minutes >= 0.5]
        self.limbs.setText(self.practised.in_words() + (f" In all: {', '.join(words)}." if words else ""))
        news = "; ".join(self.log.news()) or self.log.problem
        if news:
            self.tempo_panel.set_note(news)

    def _limits(self, rows: list[PlanProgress]) -> dict[str, float | None]:
        """The tempo limits of the plans that have been clean at some tempo."""
        document = self.session.document
        found = {}
        for row in rows:
            if row.clean_tempo is None:
                continue
            plan = row.plan
            kit, player = document.kit(plan.kit), document.player(plan.player)
            key = (document.score(plan.pattern).text, kit, player, plan.repeat)
            if self._known.get(plan.id, (None, None))[0] != key:
                try:
                    pattern = read_text(key[0], kit)
                except StrokeTextError:
                    continue
                limit = analyse(pattern, kit, player, plan.tempo, repeat=plan.repeat).summary.tempo_limit
                self._known[plan.id] = key, limit
            found[plan.id] = self._known[plan.id][1]
        return found

    def _picked(self, row: int) -> None:
        item = self.plans.item(row, 0)
        if not self._filling and item is not None:
            self.session.show_plan(str(item.data(ID)))
