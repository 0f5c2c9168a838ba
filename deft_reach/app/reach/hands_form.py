"""One list of hands: the plan's own sticking, those a search finds and those kept with the plan."""

from __future__ import annotations

from functools import partial
from typing import Any, Final

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.background.drag_pace import dragging
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.reach.hands_list import HandsList
from deft_reach.app.reach.hands_question import EMPTY, NOTHING, SETTINGS, answer_words
from deft_reach.app.reach.hands_rows import FOUND, KEPT, OWN, HandsRow, hands_rows
from deft_reach.app.shell.station import Offer
from deft_reach.app.text.words import searching_words
from deft_reach.app.widgets.search_button import SearchButton
from deft_reach.app.widgets.settings_line import SettingsLine
from deft_reach.core.analysis.ranking import better
from deft_reach.core.document import Candidate
from deft_reach.core.notation.transforms import exchange_hands
from deft_reach.core.search.candidates import PARTS, Row, both_hats, compare, opened, part_of, rethought
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner import Stickings, find_stickings
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanKey, PlanState
from deft_reach.core.session.stickings import MOST

#: While a drum is dragged, kept stickings are analysed once it rests (ms).
REST_MS: Final = 120


class HandsForm(SearchForm):
    """Ask for hands, and keep, name, compare and use stickings. The first row is the plan as it is written."""

    def __init__(self, session: Session, axis: TimeAxis) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session, "Find the best hands")
        self.found: Stickings | None = None
        #: What is drawn beside the row that is chosen, None where that stands alone.
        self.beside: Candidate | None = None
        self._hats_of: PlanKey | None = None
        self._hats = BackgroundTask(SearchError)
        self._hats.finished.connect(self._take_hats)
        self._hats.progressed.connect(self.progress)
        self.lead = QPushButton("Keep either lead")
        self.lead.setToolTip("Keep the figure as it is and with its hands exchanged, to compare who leads")
        self.hats = SearchButton("Hi-hat both ways", self._hats)
        self.hats.setToolTip(
            "Keep the best crossed and the best open-handed sticking, and the best in which the hi-hat passes over"
        )
        self.lead.setObjectName("quiet")
        self.settings = SettingsLine("What to look for", SETTINGS, (self.lead, self.hats))
        self.list = HandsList(axis)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.keep = QPushButton("Keep")
        self.keep.setToolTip("Keep it with the plan, to compare; it is saved with the document")
        self.name, self.drop = QAction("Name…", self), QAction("Drop", self)
        self.part, self.use = QPushButton("Use part"), QPushButton("Use it")
        self.part.setToolTip("Take over only some of its strokes, counted from the selected one")
        self.parts = QMenu(self)
        self.part.setMenu(self.parts)
        for button in (self.keep, self.part, self.use):
            button.setObjectName("quiet")
        #: The question in one line, for the corner of the panel.
        self.question = QWidget()
        self.question.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        top, low, column = QHBoxLayout(self.question), QHBoxLayout(), QVBoxLayout(self)
        top.setContentsMargins(0, 0, 0, 0)
        top.addWidget(self.settings, 1)
        top.addWidget(self.find_button)
        low.setContentsMargins(10, 0, 8, 2)
        low.addWidget(self.words, 1)
        for button in (self.keep, self.part, self.use):
            low.addWidget(button)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.list, 1)
        column.addLayout(low)

        self._shown: Any = None
        self._kept: tuple[Any, list[Row]] = (None, [])
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(REST_MS)
        self._settle.timeout.connect(self._rested)
        self.list.currentRowChanged.connect(lambda _: self._chosen())
        self.list.used.connect(self._use_row)
        self.list.compared.connect(self.compare_row)
        self.list.dropped.connect(self._drop)
        self.list.customContextMenuRequested.connect(self._menu)
        self.lead.clicked.connect(self.keep_either_lead)
        self.hats.requested.connect(self.keep_both_hats)
        self.hats.stopped.connect(self.stopped)
        self.keep.clicked.connect(self._keep_row)
        self.name.triggered.connect(self._rename)
        self.drop.triggered.connect(self._drop)
        self.use.clicked.connect(lambda: self._use_row(self.list.currentRow()))
        self.parts.aboutToShow.connect(self._fill_parts)
        self._say(EMPTY, "hint")
        self.follow()

    # --- the rows ---------------------------------------------------------------------------------------------

    @property
    def rows(self) -> list[HandsRow]:
        return self.list.rows

    @property
    def chosen(self) -> HandsRow | None:
        """The row that is chosen, if anything can be done with it."""
        rows, at = self.rows, self.list.currentRow()
        return rows[at] if 0 <= at < len(rows) and not rows[at].old else None

    def refresh(self) -> None:
        if self._waits:
            # What only moves a drum waits until it rests: till then all but the plan's own is of another state.
            self.list.mark_old()
            self._shown = self._shown[:2]
            self._settle.start()
        elif not self._same_rows or not self.session.stickings.candidates:
            self._analyse_kept()
        elif self._kept[0] != (self.session.state.key, self.session.stickings.candidates):
            self._settle.start()
        super().refresh()
        self._fill()
        self._chosen()

    @property
    def _same_rows(self) -> bool:
        """Whether plan, strokes and kept stickings are those that are listed."""
        return self._shown is not None and self._shown[:2] == self._plan_and_kept()

    @property
    def _waits(self) -> bool:
        """Whether only a drum is moved: the list waits until it rests."""
        return dragging() and self._same_rows

    def _plan_and_kept(self) -> tuple[Any, Any]:
        plan = self.session.plan
        written = (plan.id, self.session.text) if plan is not None else None
        return (written, self.session.stickings.candidates)

    def _rested(self) -> None:
        if dragging():
            self._settle.start()
            return
        self._analyse_kept()
        self._fill()
        self._chosen()

    def _analyse_kept(self) -> None:
        """Analyse the kept stickings as the plan stands now."""
        state, kept = self.session.state, self.session.stickings.candidates
        key = (state.key, kept)
        if key == self._kept[0]:
            return
        plan, pattern, rows = state.plan, state.pattern, []
        if plan is not None and pattern is not None:
            rows = compare(kept, pattern, state.kit, state.player, plan.tempo, plan.repeat, plan.weights)
        self._kept = (key, rows)

    def _fill(self) -> None:
        if self._waits:
            return
        state = self.session.state
        current = (state.key, self.session.stickings.candidates) == self._kept[0]
        key = (*self._plan_and_kept(), state.key, self.found, self.fresh, current)
        if key == self._shown:
            return
        self._shown = key
        kept = self._kept[1]
        asked = self._answered
        here = isinstance(asked, PlanKey) and state.plan is not None and asked.plan == state.plan.id
        found = self.found.best if self.found is not None and here else ()
        rows = hands_rows(state, found, kept, not self.fresh)
        if not current:
            # Not analysed again yet: shown as what they are, of another state.
            rows = [row._replace(old=True) if row.source == KEPT else row for row in rows]
        self.list.fill(rows)

    def _mark(self, old: bool) -> None:
        self._fill()

    def _chosen(self) -> None:
        """Say what can be done with the row that is chosen, and offer it."""
        row = self.chosen
        other = row is not None and row.source != OWN
        self.keep.setEnabled(row is not None and row.source != KEPT and len(self.session.stickings.candidates) < MOST)
        for button in (self.name, self.drop):
            button.setEnabled(row is not None and row.source == KEPT)
        self.use.setEnabled(other and row is not None and row.report is not None)
        same = row is not None and other and row.row.differs is not None
        self.part.setEnabled(same and self.session.stroke is not None)
        if self.beside is not None and (row is None or row.text == self.beside.text):
            self.beside = None
        self.offered.emit()

    def offer(self) -> Offer | None:
        """The chosen sticking, to be drawn and heard; None for the plan as it is written."""
        row = self.chosen
        if row is None or row.source == OWN or row.report is None:
            return None
        return Offer(row.name, row.text)

    def leave(self) -> None:
        """Leave what is offered: the plan as it is written again."""
        self.beside = None
        self.list.setCurrentRow(0)

    def compare_row(self, number: int) -> None:
        """Draw a row beside the one that is chosen, or beside the plan's own."""
        rows, row = self.rows, self.chosen
        if not 0 < number < len(rows):
            return
        first = row if row is not None and row.source != OWN and row.text != rows[number].text else self.rows[0]
        self.beside = first.row.candidate
        if self.list.currentRow() == number:
            self.offered.emit()
        else:
            self.list.setCurrentRow(number)

    def _menu(self, at: QPoint) -> None:
        """What can be done with the row under the pointer."""
        item = self.list.itemAt(at)
        if item is None:
            return
        self.list.setCurrentItem(item)
        menu = QMenu(self)
        for button in (self.use, self.keep):
            menu.addAction(button.text(), button.click).setEnabled(button.isEnabled())
        if self.list.currentRow() > 0:
            menu.addAction("Compare with the plan's own", partial(self._compare_with_own, self.list.currentRow()))
        menu.addSeparator()
        menu.addActions([self.name, self.drop])
        menu.popup(self.list.viewport().mapToGlobal(at))

    def _compare_with_own(self, number: int) -> None:
        self.leave()
        self.compare_row(number)

    # --- asking -----------------------------------------------------------------------------------------------

    def ask_for(self, which: str) -> None:
        """Ask about a part of WHICH at once, with everything else as it is set."""
        self.settings.fields.set("which", which)
        self.start_search()

    def search(self) -> None:
        """Ask in the background; only the newest answer counts."""
        session, pattern = self.session, self.session.pattern()
        if session.plan is None or pattern is None:
            self._say("The stroke text has to be readable first.", "error")
            return
        which = str(self.settings.value("which"))
        indices = rethought(pattern, which, session.stroke, session.finding)
        if not indices:
            self._say(NOTHING.get(which, "Select a stroke first."), "error")
            return
        self.found = None
        self._fill()
        wanted: dict[str, Any] = {
            "school": self.settings.value("school"), "hat": self.settings.value("hat"),
            "max_run": self.settings.value("run"), "best": 8,
        }  # fmt: skip

        def question(state: PlanState) -> Work:
            pattern, plan = state.pattern, state.plan
            assert pattern is not None and plan is not None
            asked = opened(pattern, indices, state.kit)
            return lambda progress: find_stickings(
                asked, state.kit, state.player, plan.tempo, repeat=plan.repeat, weights=plan.weights, **wanted,
                progress=progress,
            )  # fmt: skip

        self.ask(question)

    def progress(self, looked: int, of: int | None, found: object) -> None:
        """How far the search is, and the cheapest it has so far."""
        self._say(searching_words(looked, of, found), "hint")

    def answer_texts(self) -> list[str]:
        return [row.text for row in self.found.best] if self.found is not None else []

    def answered(self, result: Stickings) -> None:
        again = self.found is not None
        self.found = result
        self._say(*answer_words(result, self.session.report))
        self._fill()
        own, best = self.session.report, result.best[0] if result.best else None
        # By now another plan may be in view.
        if best is None or own is None or again or not self.fresh:
            self._chosen()
            return
        if own.pattern.unassigned or better(best.report, own):
            at = next((k for k, row in enumerate(self.rows) if row.text == best.text), None)
            if at is not None:
                self.list.setCurrentRow(at)
        self._chosen()

    # --- acting -----------------------------------------------------------------------------------------------

    def _use_row(self, number: int) -> None:
        """Make a row the plan's: one step that can be undone."""
        rows = self.rows
        row = rows[number] if 0 <= number < len(rows) else None
        if row is None or row.old or row.report is None or row.source == OWN:
            return
        self.beside = None
        if row.source == KEPT:
            self.session.stickings.use(row.number)
        else:
            self.session.strokes.set_text(row.text, "Other hands", None)
        self.leave()

    def _keep_row(self) -> None:
        row = self.chosen
        if row is not None:
            number = len(self.session.stickings.candidates) + 1
            self._keep(row.name if row.source == FOUND else f"sticking {number}", row.text)

    def _rename(self) -> None:
        row = self.chosen
        if row is None or row.source != KEPT:
            return
        name, done = QInputDialog.getText(self, "Name", "What is this sticking called?", text=row.name)
        if done:
            self.session.stickings.rename_candidate(row.number, name)

    def _drop(self) -> None:
        row = self.chosen
        if row is not None and row.source == KEPT:
            self.session.stickings.drop(row.number)

    def keep_either_lead(self) -> None:
        """Keep the figure as it is and led by the other hand, to compare."""
        pattern, report = self.session.pattern(), self.session.report
        self.settings.close_fields()
        if pattern is None or report is None:
            return
        lead = {"R": "right", "L": "left"}
        own = report.summary.lead or "R"
        other = "L" if own == "R" else "R"
        self._keep(f"{lead[own]} hand leads", pattern.text)
        self._keep(f"{lead[other]} hand leads", exchange_hands(pattern).text)

    def keep_both_hats(self) -> None:
        """The best sticking with the hi-hat crossed, the best open-handed, and the best of both."""
        session, pattern, plan = self.session, self.session.pattern(), self.session.plan
        self.settings.close_fields()
        if pattern is not None and plan is not None:
            self._say("Searching …", "hint")
            self._hats_of = session.state.key
            question = (pattern, session.kit, session.player, plan.tempo, plan.repeat, plan.weights)
            self.hats.start(lambda progress: both_hats(*question, progress))

    def _take_hats(self, result: list[Candidate] | str) -> None:
        if isinstance(result, str):
            self._say(result, "error")
            return
        for candidate in result if self._hats_of == self.session.state.key else ():
            self._keep(candidate.name, candidate.text)

    def _keep(self, name: str, text: str) -> None:
        if self.session.stickings.keep(name, text):
            self._say(f"“{name}” is kept with the plan.", "hint")
        else:
            self._say(f"{MOST} are kept already, or this one is: drop one to make room.", "hint")

    def show_kept(self, text: str) -> None:
        """Choose a kept sticking by its text."""
        self.refresh()
        texts = [row.text for row in self.rows]
        if text in texts:
            self.list.setCurrentRow(texts.index(text))
        else:
            self._say(f"{MOST} are kept already: drop one to make room.", "error")

    def _fill_parts(self) -> None:
        """The parts there are at the selected stroke."""
        self.parts.clear()
        pattern = self.session.pattern()
        for part, words in PARTS.items():
            if pattern is not None and part_of(pattern, part, self.session.stroke):
                action = QAction(words, self.parts)
                action.triggered.connect(lambda _=False, p=part: self._use_part(p))
                self.parts.addAction(action)

    def _use_part(self, part: str) -> None:
        pattern, row = self.session.pattern(), self.chosen
        if pattern is None or row is None:
            return
        chosen = part_of(pattern, part, self.session.stroke)
        self.session.stickings.use_part(row.row.candidate, chosen)
