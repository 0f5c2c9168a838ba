"""A page of variations of the plan in view, of the sorts that are wanted: drawn and heard, to keep or to drop."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.shell.station import Offer
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.settings_line import SettingsLine, Switch
from deft_reach.app.widgets.tables import compared_words, ease_change, make_list
from deft_reach.core.analysis.comparing import is_worse
from deft_reach.core.analysis.report import Report, serious_words
from deft_reach.core.model.counting import counted
from deft_reach.core.search.progress import Progress
from deft_reach.core.search.variations import SORTS, Variation, variations
from deft_reach.core.session.lane import Lane
from deft_reach.core.session.plan_state import PlanState

ROLE = Qt.ItemDataRole.UserRole
#: The sorts that are ticked to begin with.
USUAL = ("hands", "accents", "voices")


SETTINGS: Final = (
    *(Switch(sort, words[:1].upper() + words[1:], first=sort in USUAL, on=words) for sort, words in SORTS.items()),
    Switch(
        "harder", "Also &harder ones",
        "Show what is harder than the plan as it stands, or has more to think about, too", on="also harder ones",
    ),
)  # fmt: skip


class _Number(QTableWidgetItem):
    """A cell that sorts by its number, not by its letters."""

    def __init__(self, text: str, value: float) -> None:
        super().__init__(text)
        self.value = value

    def __lt__(self, other: QTableWidgetItem) -> bool:
        return self.value < getattr(other, "value", 0.0)


class VariationsForm(SearchForm):
    """What to vary above, the page below, with what each gains or loses against the plan as it stands.

    A selection in the lane is all that is varied.
    """

    def __init__(self, lane: Lane) -> None:
        super().__init__(lane.session, "Make a page")
        self.lane = lane
        #: Those that are harder than the plan as it stands: shown only when asked for.
        self.harder_ones: list[Variation] = []
        self._before: Report | None = None
        self._taken = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        self.settings = SettingsLine("What to vary", SETTINGS)
        self.settings.changed.connect(self._say_what)
        self.sorts = {sort: self.settings.field(sort) for sort in SORTS}
        self.harder = self.settings.field("harder")
        self.harder.toggled.connect(self._toggle_harder)
        question = QHBoxLayout()
        question.addWidget(self.settings, 1)
        question.addWidget(self.find_button)
        column.addLayout(question)
        self.table = QTableWidget()
        columns = ["variation", "ease", "breaks at", "cautions"]
        make_list(self.table, "Variations of the plan in view", columns, wide=(0,), empty="Press Make a page.")
        self.table.setSortingEnabled(True)
        column.addWidget(self.table, 1)
        self.answer_views = [self.table]
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        self.keep = QPushButton("Keep as a plan")
        self.drop = QPushButton("Drop")
        for button in (self.keep, self.drop):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.keep.clicked.connect(self.keep_chosen)
        self.drop.clicked.connect(self.drop_chosen)
        self.table.cellActivated.connect(lambda *_: self.keep_chosen())
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.table.cellClicked.connect(lambda *_: self._show())
        lane.changed.connect(self._say_what)
        self._show()
        self.follow()

    # --- making them ------------------------------------------------------------------------------------------

    def _stretch(self) -> tuple[int, int] | None:
        low, high = self.lane.selection
        return (low, high) if high > low else None

    def refresh(self) -> None:
        super().refresh()
        self._say_what()
        self._show()

    def again_words(self) -> str:
        return "make a page again"

    def _say_what(self) -> None:
        """What a page would be made of."""
        if self.isVisible() and not self.task.busy and not self.table.rowCount():
            stretch = self._stretch()
            what = f"the {counted(stretch[1] - stretch[0], 'selected step')}" if stretch else "the whole plan"
            self._say(f"Choose what to vary, then make a page from {what}.", "hint")
        self.find_button.setEnabled(self.task.busy or any(self.settings.value(sort) for sort in SORTS))

    def search(self) -> None:
        """Make the page anew in the background, a row as each is ready."""
        pattern = self.session.pattern()
        if self.session.plan is None or pattern is None or not pattern.strokes:
            self._say("Write something that can be read first.", "error")
            return
        sorts, stretch = [sort for sort in SORTS if self.settings.value(sort)], self._stretch()

        def question(state: PlanState) -> Work:
            pattern, plan = state.pattern, state.plan
            assert pattern is not None and plan is not None
            self._clear()
            self._before = state.report
            every = variations(
                pattern, state.kit, state.player, plan.tempo, repeat=plan.repeat, weights=plan.weights, sorts=sorts,
                stretch=stretch,
            )  # fmt: skip

            def work(progress: Progress) -> tuple[Variation, ...]:
                found: list[Variation] = []
                for variation in every:
                    found.append(variation)
                    progress.at(len(found), None, tuple(found))
                return tuple(found)

            return work

        self.ask(question)
        self._say("Making variations …", "hint")

    def _clear(self) -> None:
        self.table.setRowCount(0)
        self.harder_ones, self._taken = [], 0
        self._show()

    def progress(self, looked: int, of: int | None, found: object) -> None:
        """Show those that are ready."""
        if isinstance(found, tuple):
            self._take(found)

    def stopped(self) -> None:
        self._say(f"{counted(self.table.rowCount(), 'variation')} so far.", "hint")
        self._say_what()

    def answered(self, result: tuple[Variation, ...]) -> None:
        self._take(result)
        self._say_found()

    def _take(self, found: tuple[Variation, ...]) -> None:
        """Add the rows that are new."""
        for variation in found[self._taken :]:
            # Leaving one drum is harder than staying on it: that does not count against a way round the kit.
            ease = variation.sort != "voices"
            harder = self._before is not None and is_worse(variation.report, self._before, ease)
            if harder:
                self.harder_ones.append(variation)
            if not harder or self.settings.value("harder"):
                self._add_row(variation)
        self._taken = len(found)
        self.take_partial()

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
        if not self.task.busy:
            self._say_found()

    def _say_found(self) -> None:
        if self._before is None:
            return
        hidden = 0 if self.settings.value("harder") else len(self.harder_ones)
        left = f" {counted(hidden, 'harder one')} not shown." if hidden else ""
        if not self.table.rowCount():
            self._say_hint(f"No variation that is no harder than as it stands.{left}")
            return
        as_it_stands = f"As it stands: {compared_words(self._before, None)}."
        self._say_hint(f"{as_it_stands} {counted(self.table.rowCount(), 'variation')}.{left}")

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

    def _say_hint(self, text: str) -> None:
        self._say(text, "hint")

    # --- the chosen one ---------------------------------------------------------------------------------------

    @property
    def chosen(self) -> Variation | None:
        item = self.table.item(self.table.currentRow(), 0)
        found = item.data(ROLE) if item is not None else None
        return found if isinstance(found, Variation) else None

    def offer(self) -> Offer | None:
        """The chosen variation, to be drawn and heard; None once the plan is another."""
        found = self.chosen
        if found is None or not self.fresh:
            return None
        return Offer(found.name, found.text, found.tempo)

    def _show(self) -> None:
        variation = self.chosen
        self.keep.setEnabled(variation is not None and self.fresh)
        self.drop.setEnabled(variation is not None)
        self.offered.emit()

    def keep_chosen(self) -> None:
        """Add the chosen variation as a plan; the plan in view stays in view."""
        variation, plan = self.chosen, self.session.plan
        if variation is None or plan is None:
            return
        name = f"{plan.name}, {variation.name}"[:120]
        self.session.plans.new_plan(name, variation.text, copy_of=plan, tempo=variation.tempo, show=False)
        self._say_hint(f"Kept as “{name}”.")
        self.drop_chosen()

    def drop_chosen(self) -> None:
        if self.table.currentRow() >= 0:
            self.table.removeRow(self.table.currentRow())
            self._show()
