"""The plan in view on another kit, or with one pedal: what takes the place of what, and what that is like."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.text.words import preview_text
from deft_reach.app.widgets.choices import chosen_kit, fill_box, kit_choices
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import fill_row, make_list, verdict_cells
from deft_reach.core.model.kit import Kit
from deft_reach.core.search.refit import Refitted, refit
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanState

PEDALS = {"as the kit has": None, "one bass pedal": 1, "two bass pedals": 2}


class RefitForm(SearchForm):
    """The kit on the left, the answers in the middle, the substitutions of the chosen one on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Put it on this kit")
        self.found: tuple[Refitted, ...] = ()
        self.chosen: dict[str, str] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(10)
        row.addWidget(self._question())
        row.addLayout(self._answers(), 1)
        self.answer_views = [self.table, self.changes, self.preview]
        self._say("Choose a kit, and the plan in view is put on it: what is closest in sound first.", "hint")
        self.follow()

    def _question(self) -> QWidget:
        side = QWidget()
        set_scaled(side, QWidget.setFixedWidth, 226)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        form = QFormLayout()
        form.setVerticalSpacing(4)
        self.kit, self.pedals = QComboBox(), QComboBox()
        for box, name in ((self.kit, "Kit to play it on"), (self.pedals, "Bass pedals")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(10)
        for words, value in PEDALS.items():
            self.pedals.addItem(words, value)
        form.addRow("Onto", self.kit)
        form.addRow("Pedals", self.pedals)
        column.addLayout(form)
        column.addWidget(self.find_button)
        self.plan_name = PlainLabel()
        self.plan_name.setObjectName("hint")
        self.plan_name.setWordWrap(True)
        column.addWidget(self.plan_name)
        column.addStretch(1)
        self.kit.currentIndexChanged.connect(lambda _: self.chosen.clear())
        return side

    def _answers(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        tables = QHBoxLayout()
        self.table = QTableWidget()
        make_list(
            self.table,
            "The plan on that kit",
            ["ease", "breaks at", "cautions", "changed"],
            wide=(3,),
            empty="Choose a kit and press Put it on this kit.",
        )
        self.changes = QTableWidget()
        make_list(self.changes, "What takes the place of what", ["was", "becomes", "strokes", "why"], wide=(3,))
        tables.addWidget(self.table, 5)
        tables.addWidget(self.changes, 6)
        column.addLayout(tables, 1)
        set_scaled(self.preview, QWidget.setFixedHeight, 32)
        column.addWidget(self.preview)
        low = QHBoxLayout()
        self.keep = QPushButton("Keep as a plan")
        self.keep.setObjectName("quiet")
        low.addWidget(self.words, 1)
        low.addWidget(self.keep)
        column.addLayout(low)
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.table.cellActivated.connect(lambda *_: self.keep_it())
        self.keep.clicked.connect(self.keep_it)
        return column

    def refresh(self) -> None:
        plan = self.session.plan
        self.plan_name.setText(f"Plan in view: {plan.name}" if plan is not None else "No plan in view.")
        document = self.session.document
        fill_box(self.kit, kit_choices(document), first=len(document.kits))
        super().refresh()
        self._show()

    def again_words(self) -> str:
        return "put it on the kit again"

    def target(self) -> Kit:
        return chosen_kit(self.kit, self.session.document) or self.session.kit

    def search(self) -> None:
        session, pattern = self.session, self.session.pattern()
        plan = session.plan
        if plan is None or pattern is None or not pattern.strokes:
            self._say("The plan has to be readable and have strokes first.", "error")
            return
        target, pedals, chosen = self.target(), self.pedals.currentData(), dict(self.chosen)

        def question(state: PlanState) -> Work:
            pattern, plan = state.pattern, state.plan
            assert pattern is not None and plan is not None
            return lambda progress: refit(
                pattern, state.kit, target, state.player, plan.tempo, pedals=pedals, chosen=chosen, best=6,
                repeat=plan.repeat, weights=plan.weights, progress=progress,
            )  # fmt: skip

        self.ask(question)

    def refused(self, why: str) -> None:
        self.chosen.clear()
        super().refused(why)

    def answered(self, result: tuple[Refitted, ...]) -> None:
        self.found = result
        self._say("Closest in sound first. Change what becomes what on the right.", "hint")
        blocker = QSignalBlocker(self.table)
        self.table.setRowCount(len(result))
        for k, row in enumerate(result):
            count = len(row.substitutions)
            changes = str(count) if count else "nothing"
            fill_row(self.table, k, (*verdict_cells(row.report), changes))
        if result:
            self.table.setCurrentCell(0, 0)
        del blocker
        self._show()

    @property
    def current(self) -> Refitted | None:
        row = self.table.currentRow()
        return self.found[row] if self.fresh and 0 <= row < len(self.found) else None

    def _show(self) -> None:
        row = self.current
        self.keep.setEnabled(row is not None)
        self.preview.setText(preview_text(row.text) if row is not None else "")
        subs = row.substitutions if row is not None else ()
        self.changes.setRowCount(len(subs))
        for k, sub in enumerate(subs):
            cells = (sub.source, sub.target, str(len(sub.strokes)), sub.why)
            fill_row(self.changes, k, cells, cells)
            hand = row is not None and sub.target in row.kit.voices and sub.source not in ("J", "K")
            if hand and row is not None:
                self.changes.setCellWidget(k, 1, self._voice_box(sub.source, sub.target, row.kit))
            else:
                self.changes.removeCellWidget(k, 1)

    def _voice_box(self, source: str, target: str, kit: Kit) -> QComboBox:
        """Another voice for this one: the search runs again with it settled."""
        box = QComboBox()
        box.setAccessibleName(f"What {source} becomes")
        for piece in kit:
            if not piece.is_pedal and piece.kind != "bass":
                box.addItem(piece.code)
        if box.findText(target) < 0:
            box.addItem(target)
        box.setCurrentText(target)
        box.activated.connect(lambda _, s=source, b=box: self._settle(s, b.currentText()))
        return box

    def _settle(self, source: str, target: str) -> None:
        self.chosen[source] = target
        self.start_search()

    def keep_it(self) -> None:
        """Add the chosen answer as a plan on that kit; the plan in view stays as it is."""
        row, plan = self.current, self.session.plan
        if row is None or plan is None:
            return
        name = self.session.songs.keep_refit(plan, row.kit, row.text)
        self._say(f"Kept as “{name}”.", "hint")
