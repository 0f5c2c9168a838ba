"""A page of variations of the plan in view, of the sorts that are wanted: drawn and heard, to keep or to drop."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.background_task import started
from deft_reach.app.hint_label import HintLabel
from deft_reach.app.plain_text import plain_tip
from deft_reach.app.station import Listener, Offer
from deft_reach.app.tables import compared_words, ease_change, make_list
from deft_reach.core.analysis.comparing import is_worse
from deft_reach.core.analysis.report import Report, serious_words
from deft_reach.core.model.counting import counted
from deft_reach.core.search.variations import SORTS, Variation, variations
from deft_reach.core.session.lane import Lane

ROLE = Qt.ItemDataRole.UserRole
#: The sorts that are ticked to begin with.
USUAL = ("hands", "accents", "voices")


class _Answer(QObject):
    """Carries each variation from the worker to the window; None says that there are no more."""

    found = Signal(int, object)


class _Make(QRunnable):
    def __init__(self, answer: _Answer, number: int, question: dict[str, Any]) -> None:
        super().__init__()
        self.answer, self.number, self.question = answer, number, question
        self.stopped = False

    def cancel(self) -> None:
        self.stopped = True

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
    """What to vary above, the page below, with what each gains or loses against the plan as it stands.

    A selection in the lane is all that is varied.
    """

    #: Another variation is chosen, or none: see ``offer``.
    offered = Signal()

    def __init__(self, lane: Lane) -> None:
        super().__init__(lane.session)
        self.lane = lane
        self.worker: _Make | None = None
        self._number = 0
        #: Those that are harder than the plan as it stands: shown only when asked for.
        self.harder_ones: list[Variation] = []
        self._before: Report | None = None
        self._text = ""
        self._answer = _Answer()
        self._answer.found.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        column.addLayout(self._choices())
        self.table = QTableWidget()
        columns = ["variation", "ease", "breaks at", "cautions"]
        make_list(self.table, "Variations of the plan in view", columns, wide=(0,))
        self.table.setSortingEnabled(True)
        column.addWidget(self.table, 1)
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
        self.table.cellClicked.connect(lambda *_: self._show())
        lane.changed.connect(self._say_what)
        self._show()
        self.follow()

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        self.sorts: dict[str, QCheckBox] = {}
        for number, (sort, words) in enumerate(SORTS.items()):
            box = self.sorts[sort] = QCheckBox(words)
            box.setChecked(sort in USUAL)
            box.toggled.connect(lambda _: self._say_what())
            grid.addWidget(box, number // 2, number % 2)
        self.harder = QCheckBox("also harder ones")
        self.harder.setToolTip("Show what is harder than the plan as it stands, or has more to think about, too")
        self.harder.toggled.connect(self._toggle_harder)
        grid.addWidget(self.harder, len(SORTS) // 2, 1)
        return grid

    # --- making them ------------------------------------------------------------------------------------------

    def _stretch(self) -> tuple[int, int] | None:
        low, high = self.lane.selection
        return (low, high) if high > low else None

    def refresh(self) -> None:
        self._say_what()

    def _say_what(self) -> None:
        """What a page would be made of."""
        if self.isVisible() and self.worker is None and not self.table.rowCount():
            stretch = self._stretch()
            what = f"the {counted(stretch[1] - stretch[0], 'selected step')}" if stretch else "the whole plan"
            self.words.setText(f"Choose what to vary, then make a page from {what}.")
        self.make.setEnabled(self.worker is not None or any(box.isChecked() for box in self.sorts.values()))

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
        self._show()
        self._number += 1
        self.harder_ones, self._before, self._text = [], session.report, session.text
        question = {
            "pattern": pattern,
            "kit": session.kit,
            "player": session.player,
            "tempo": plan.tempo,
            "repeat": plan.repeat,
            "weights": plan.weights,
            "sorts": [sort for sort, box in self.sorts.items() if box.isChecked()],
            "stretch": self._stretch(),
        }
        self.worker = _Make(self._answer, self._number, question)
        self.worker.setAutoDelete(False)
        self.make.setText("Stop")
        self.words.setText("Making variations …")
        started(self.worker)
        QThreadPool.globalInstance().start(self.worker)

    def _stop(self) -> None:
        if self.worker is not None:
            self.worker.cancel()
            self.worker = None
        self._number += 1
        self.make.setText("Make a page")
        self.words.setText(f"{counted(self.table.rowCount(), 'variation')} so far.")

    def _take(self, number: int, variation: Variation | None) -> None:
        if number != self._number:
            return
        if variation is None:
            self.worker = None
            self.make.setText("Make a page")
            self._say_found()
            return
        # Leaving one drum is harder than staying on it: that does not count against a way round the kit.
        ease = variation.sort != "voices"
        if self._before is not None and is_worse(variation.report, self._before, ease):
            self.harder_ones.append(variation)
            if not self.harder.isChecked():
                return
        self._add_row(variation)

    def _toggle_harder(self, shown: bool) -> None:
        """Put the harder ones in, or take them out again."""
        if shown:
            for variation in self.harder_ones:
                self._add_row(variation)
        else:
            for row in reversed(range(self.table.rowCount())):
                item = self.table.item(row, 0)
                if item is not None and item.data(ROLE) in self.harder_ones:
                    self.table.removeRow(row)
        if self.worker is None:
            self._say_found()

    def _say_found(self) -> None:
        if self._before is None:
            return
        hidden = 0 if self.harder.isChecked() else len(self.harder_ones)
        left = f" {counted(hidden, 'harder one')} not shown." if hidden else ""
        if not self.table.rowCount():
            self.words.setText(f"No variation that is no harder than as it stands.{left}")
            return
        as_it_stands = f"As it stands: {compared_words(self._before, None)}."
        self.words.setText(f"{as_it_stands} {counted(self.table.rowCount(), 'variation')}.{left}")

    def _add_row(self, variation: Variation) -> None:
        s = variation.report.summary
        limit, change = s.tempo_limit or 0.0, ease_change(variation.report, self._before)
        cells = [
            QTableWidgetItem(variation.name),
            _Number("impossible" if variation.report.impossible else f"{s.ease:.0f}{change}", s.ease),
            _Number(f"{limit:.0f} BPM" if limit else "–", limit),
            _Number(serious_words(variation.report) or "none", variation.cautions),
        ]
        self.table.setSortingEnabled(False)
        row = self.table.rowCount()
        self.table.insertRow(row)
        for column, item in enumerate(cells):
            item.setData(ROLE, variation)
            item.setToolTip(plain_tip(f"{variation.name} ({SORTS[variation.sort]})"))
            self.table.setItem(row, column, item)
        self.table.setSortingEnabled(True)
        if self.table.currentRow() < 0:
            self.table.setCurrentCell(0, 0)

    # --- the chosen one ---------------------------------------------------------------------------------------

    @property
    def chosen(self) -> Variation | None:
        item = self.table.item(self.table.currentRow(), 0)
        found = item.data(ROLE) if item is not None else None
        return found if isinstance(found, Variation) else None

    def offer(self) -> Offer | None:
        """The chosen variation, to be drawn and heard; None once the plan is another."""
        found = self.chosen
        if found is None or self._text != self.session.text:
            return None
        return Offer(found.name, found.text, found.tempo)

    def _show(self) -> None:
        variation = self.chosen
        self.keep.setEnabled(variation is not None)
        self.drop.setEnabled(variation is not None)
        self.offered.emit()

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
