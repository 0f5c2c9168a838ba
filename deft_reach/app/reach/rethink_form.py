"""Other hands: which strokes to think about again, by which school, and the easiest stickings found."""

from __future__ import annotations

from typing import Any, Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.shell.station import Offer
from deft_reach.app.text.numbers import decimal
from deft_reach.app.text.words import searching_words, sentence
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.search_button import SearchButton
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import ease_change, make_list, verdict_cells
from deft_reach.core.analysis.explained import MOSTLY
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Candidate
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.notation.transforms import exchange_hands
from deft_reach.core.search.candidates import WHICH, both_hats, opened, rethought
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner import Sticking, Stickings, find_stickings
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanKey, PlanState

SCHOOL_WORDS = {
    "free": "free: whatever costs least",
    "right-lead": "right hand leads every beat",
    "left-lead": "left hand leads every beat",
    "natural": "natural: hand to hand on the grid",
    "alternate": "strictly hand to hand",
}
HAT_WORDS = {"free": "either way", "crossed": "crossed", "open": "open-handed"}


#: What is said of each sticking found.
COLUMNS: Final = ["kind", "hands", "ease", "breaks at", "mostly", "cautions", "cost"]
HANDS_COLUMN: Final = COLUMNS.index("hands")


def _hands(report: Report) -> str:
    """The hands of a sticking, as letters one after the other."""
    return "".join(stroke.limb for stroke in report.pattern.strokes if stroke.limb in HANDS)


class RethinkForm(SearchForm):
    """The question on the left, the answers on the right; an answer can be used, or kept in the tray."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Find the best hands")
        self.found: Stickings | None = None
        self._hats_of: PlanKey | None = None
        self._hats = BackgroundTask(SearchError)
        self._hats.finished.connect(self._take_hats)
        self._hats.progressed.connect(self.progress)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(12)
        question = QScrollArea()
        question.setWidget(self._question())
        question.setWidgetResizable(True)
        question.setFrameShape(QScrollArea.Shape.NoFrame)
        question.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        set_scaled(question, QWidget.setFixedWidth, 272)
        row.addWidget(question, 0)
        row.addLayout(self._answers(), 1)
        self.answer_views = [self.table]
        self._say("Choose what to think about again, and the easiest hands are found.", "hint")
        self.follow()

    def _question(self) -> QWidget:
        side = QWidget()
        set_scaled(side, QWidget.setFixedWidth, 258)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        form = QFormLayout()
        form.setVerticalSpacing(4)
        self.which, self.school, self.hat = QComboBox(), QComboBox(), QComboBox()
        for box, words, name in (
            (self.which, WHICH, "Strokes to think about again"),
            (self.school, SCHOOL_WORDS, "School"),
            (self.hat, HAT_WORDS, "Hi-hat"),
        ):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(12)
            for key, text in words.items():
                box.addItem(text, key)
        self.which.setCurrentIndex(list(WHICH).index("all"))
        self.run = QSpinBox()
        self.run.setRange(0, 12)
        self.run.setSpecialValueText("any")
        self.run.setSuffix(" in a row")
        self.run.setAccessibleName("Longest run of one hand")
        for field in (self.which, self.school, self.hat, self.run):
            # A row is as high as its words, whatever their size.
            set_scaled(field, QWidget.setMinimumHeight, 24)
        form.addRow("Rethink", self.which)
        form.addRow("School", self.school)
        form.addRow("Hi-hat", self.hat)
        form.addRow("Longest run", self.run)
        self.lead = QPushButton("Other lead")
        self.lead.setToolTip("Keep the same figure with its hands exchanged, to compare who leads")
        self.hats = SearchButton("Hi-hat both ways", self._hats)
        self.hats.setToolTip(
            "Keep the best crossed and the best open-handed sticking, and the best in which the hi-hat passes over"
        )
        self.lead.setObjectName("quiet")
        column.addWidget(self.find_button)
        both = QHBoxLayout()
        both.addWidget(self.lead)
        both.addWidget(self.hats)
        column.addLayout(both)
        column.addLayout(form)
        column.addStretch(1)
        self.lead.clicked.connect(self.keep_other_lead)
        self.hats.requested.connect(self.keep_both_hats)
        self.hats.stopped.connect(self.stopped)
        return side

    def _answers(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.table = QTableWidget()
        self.table.setMinimumWidth(120)
        make_list(self.table, "Stickings found", COLUMNS, wide=())
        column.addWidget(self.table, 1)
        low = QHBoxLayout()
        self.use = QPushButton("Use it")
        self.keep = QPushButton("Keep")
        self.keep.setToolTip("Put it in the tray, to compare")
        low.addWidget(self.words, 1)
        for button in (self.keep, self.use):
            button.setObjectName("quiet")
            low.addWidget(button)
        column.addLayout(low)
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.table.cellClicked.connect(lambda *_: self.offered.emit())
        self.table.cellActivated.connect(lambda *_: self.apply())
        self.use.clicked.connect(self.apply)
        self.keep.clicked.connect(self.keep_it)
        return column

    def refresh(self) -> None:
        super().refresh()
        self._show()

    # --- asking -----------------------------------------------------------------------------------------------

    def ask_for(self, which: str) -> None:
        """Ask about a part of WHICH at once, with everything else as it is set."""
        self.which.setCurrentIndex(self.which.findData(which))
        self.start_search()

    def search(self) -> None:
        """Ask in the background; only the newest answer counts."""
        session = self.session
        pattern = session.pattern()
        if session.plan is None or pattern is None:
            self._say("The stroke text has to be readable first.", "error")
            return
        which = str(self.which.currentData())
        indices = rethought(pattern, which, session.stroke, session.finding)
        if not indices:
            missing = {
                "open": "No stroke is written ?; choose another part, or write ? for a hand.",
                "finding": "Choose a finding first.",
                "group": "The selected stroke is in no group.",
            }
            self._say(missing.get(which, "Select a stroke first."), "error")
            return
        self.found = None
        self._fill()
        wanted: dict[str, Any] = {
            "school": self.school.currentData(), "hat": self.hat.currentData(), "max_run": self.run.value() or None,
            "best": 8,
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
        before = self.table.currentRow() if self.found is not None else 0
        chosen = self.answer_texts()[before : before + 1]
        self.found = result
        sure = "that nothing costs less is proven" if result.proven else "the best found; others may be as good"
        text, tone = f"{result.searched:,} moves weighed; {sure}.", "hint"
        if result.twice:
            text = f"Hand to hand it comes round every other time: it is written twice. {text}"
        if result.easier is not None:
            easier = result.easier.report
            text += (
                f" Easier, but against what hands have learned: {_hands(easier)}, ease {verdict_cells(easier)[0]}."
            )
        habits = result.best[0].player.habits.words if result.best else ""
        if habits:
            text += f" By your habits: {habits}."
        if result.open:
            more = {1: "", 2: " So does one more moment."}.get(
                len(result.open), f" So do {len(result.open) - 1} more moments."
            )
            text, tone = f"{sentence(result.open_in_words[0])}{more} The rest is planned.", "error"
        self._say(text, tone)
        # Asked again, what was chosen stays so.
        texts = self.answer_texts()
        self._fill(texts.index(chosen[0]) if chosen and chosen[0] in texts else 0)

    def _fill(self, choose: int = 0) -> None:
        rows = self.found.best if self.found is not None else ()
        self.table.setRowCount(len(rows))
        for k, row in enumerate(rows):
            ease, limit, cautions = verdict_cells(row.report)
            ease += ease_change(row.report, rows[0].report) if k else ""
            mostly = MOSTLY[row.report.demands[0].kind] if row.report.demands else "–"
            cost = decimal(row.report.summary.cost, ".1f")
            cells = (row.kind, _hands(row.report), ease, limit, mostly, cautions, cost)
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(text))
                if column == HANDS_COLUMN:
                    item.setFont(theme.mono(10))
                self.table.setItem(k, column, item)
        if rows:
            self.table.setCurrentCell(choose, 0)
        self._show()

    @property
    def chosen(self) -> Sticking | None:
        rows = self.found.best if self.found is not None and self.fresh else ()
        row = self.table.currentRow()
        return rows[row] if 0 <= row < len(rows) else None

    def _show(self) -> None:
        ready = self.chosen is not None
        same = self.chosen is not None and self.chosen.text == self.session.text
        self.use.setEnabled(ready and not same)
        self.keep.setEnabled(ready)
        self.offered.emit()

    def offer(self) -> Offer | None:
        """The chosen answer, to be drawn and heard."""
        chosen = self.chosen
        return Offer(f"hands {self.table.currentRow() + 1}", chosen.text) if chosen is not None else None

    # --- acting -----------------------------------------------------------------------------------------------

    def apply(self) -> None:
        """Make the chosen sticking the plan's: one step that can be undone."""
        if self.chosen is not None:
            self.session.strokes.set_text(self.chosen.text, "Other hands", None)

    def keep_it(self) -> None:
        if self.chosen is not None:
            self._keep(
                f"{self.school.currentText().partition(':')[0]} {self.table.currentRow() + 1}", self.chosen.text
            )

    def keep_other_lead(self) -> None:
        """The same figure led by the other hand, beside the one there is."""
        pattern, report = self.session.pattern(), self.session.report
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
            self._say(f"“{name}” is in the tray.", "hint")
        else:
            self._say("The tray is full, or holds it already.", "hint")

        self.words.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
