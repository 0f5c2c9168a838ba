"""A page of variations of the plan in view: sortable, each to keep as a plan of its own or to drop."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.hint_label import HintLabel
from deft_reach.app.plain_text import PlainLabel, plain_tip
from deft_reach.app.station import Listener
from deft_reach.app.styled import set_font, set_scaled
from deft_reach.app.tables import make_list
from deft_reach.app.words import preview_text
from deft_reach.core.search.variations import Variation, variations
from deft_reach.core.session import Session

ROLE = Qt.ItemDataRole.UserRole


class _Answer(QObject):
    """Carries each variation from the worker to the window; None says that there are no more."""

    found = Signal(int, object)


class _Make(QRunnable):
    def __init__(self, answer: _Answer, number: int, question: dict[str, Any]) -> None:
        super().__init__()
        self.answer, self.number, self.question = answer, number, question
        self.stopped = False

    def run(self) -> None:
        for variation in variations(**self.question):
            if self.stopped:
                return
            self.answer.found.emit(self.number, variation)
        self.answer.found.emit(self.number, None)


class _Number(QTableWidgetItem):
    """A cell that sorts by its number, not by its letters."""

    def __init__(self, text: str, value: float) -> None:
        super().__init__(text)
        self.value = value

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return self.value < getattr(other, "value", 0.0)


class VariationsForm(Listener):
    """The page, with what each gains or loses."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.worker: _Make | None = None
        self._number = 0
        self._answer = _Answer()
        self._answer.found.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        self.table = QTableWidget()
        columns = ["variation", "ease", "breaks at", "cautions"]
        make_list(self.table, "Variations of the plan in view", columns, wide=(0,))
        self.table.setSortingEnabled(True)
        column.addWidget(self.table, 1)
        self.preview = PlainLabel()
        set_font(self.preview, theme.mono, 9.5)
        self.preview.setWordWrap(True)
        set_scaled(self.preview, QWidget.setFixedHeight, 34)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.preview)
        self.words = HintLabel()
        column.addWidget(self.words)
        row = QHBoxLayout()
        self.make = QPushButton("Make a page")
        self.keep = QPushButton("Keep as a plan")
        self.drop = QPushButton("Drop")
        for button in (self.make, self.keep, self.drop):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.make.clicked.connect(self.fill)
        self.keep.clicked.connect(self.keep_chosen)
        self.drop.clicked.connect(self.drop_chosen)
        self.table.cellActivated.connect(lambda *_: self.keep_chosen())
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.words.setText("Make a page of variations from the plan in view.")
        self._show()
        self.follow()

    def fill(self) -> None:
        """Make the page anew in the background, a row as each is ready; pressed while it runs, it stops."""
        if self.worker is not None:
            self._stop()
            return
        session = self.session
        plan, pattern = session.plan, session.pattern()
        if plan is None or pattern is None or not pattern.strokes:
            self.words.setText("Write something that can be read first.")
            return
        self.table.setRowCount(0)
        self._number += 1
        question = {
            "pattern": pattern,
            "kit": session.kit,
            "player": session.player,
            "tempo": plan.tempo,
            "repeat": plan.repeat,
            "weights": plan.weights,
        }
        self.worker = _Make(self._answer, self._number, question)
        self.worker.setAutoDelete(False)
        self.make.setText("Stop")
        self.words.setText("Making variations …")
        QThreadPool.globalInstance().start(self.worker)

    def _stop(self) -> None:
        if self.worker is not None:
            self.worker.stopped = True
            self.worker = None
        self._number += 1
        self.make.setText("Make a page")
        self.words.setText(f"{self.table.rowCount()} variations so far.")

    def _take(self, number: int, variation: Variation | None) -> None:
        if number != self._number:
            return
        if variation is None:
            self.worker = None
            self.make.setText("Make a page")
            self.words.setText(f"{self.table.rowCount()} variations; click a heading to sort.")
            return
        s = variation.report.summary
        limit = s.tempo_limit or 0.0
        cells = [
            QTableWidgetItem(variation.name),
            _Number("impossible" if variation.report.impossible else f"{s.ease:.0f}", s.ease),
            _Number(f"{limit:.0f} BPM" if limit else "–", limit),
            _Number(str(variation.cautions) if variation.cautions else "none", variation.cautions),
        ]
        self.table.setSortingEnabled(False)
        row = self.table.rowCount()
        self.table.insertRow(row)
        for column, item in enumerate(cells):
            item.setData(ROLE, variation)
            item.setToolTip(plain_tip(f"{variation.name} ({variation.sort})"))
            self.table.setItem(row, column, item)
        self.table.setSortingEnabled(True)
        if self.table.currentRow() < 0:
            self.table.setCurrentCell(0, 0)

    @property
    def chosen(self) -> Variation | None:
        item = self.table.item(self.table.currentRow(), 0)
        found = item.data(ROLE) if item is not None else None
        return found if isinstance(found, Variation) else None

    def _show(self) -> None:
        variation = self.chosen
        self.preview.setText(preview_text(variation.text) if variation is not None else "")
        self.keep.setEnabled(variation is not None)
        self.drop.setEnabled(variation is not None)

    def keep_chosen(self) -> None:
        """Add the chosen variation as a plan; the plan in view stays in view."""
        variation, plan = self.chosen, self.session.plan
        if variation is None or plan is None:
            return
        name = f"{plan.name}, {variation.name}"[:120]
        self.session.plans.new_plan(name, variation.text, copy_of=plan, tempo=variation.tempo, show=False)
        self.words.setText(f"Kept as “{name}”.")
        self.drop_chosen()

    def drop_chosen(self) -> None:
        if self.table.currentRow() >= 0:
            self.table.removeRow(self.table.currentRow())
            self._show()
