"""The shelf of cells: rudiments and hand-and-foot figures, to put in or to exchange for a group."""

from __future__ import annotations

from typing import Any, Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.shell.station import Listener
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.settings_line import Choice, SettingsLine
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.notation.cells import Cell, find_cells, in_place_of, shelf
from deft_reach.core.session.lane import Lane
from deft_reach.core.session.lane_groups import fit_words

#: The limbs that cells are written for.
LIMB_NAMES: Final = {"R": "right hand", "L": "left hand", "K": "bass foot", "J": "second bass foot"}


class CellsForm(Listener):
    """One line that says which cells are wanted, and the cells that fit."""

    def __init__(self, lane: Lane) -> None:
        super().__init__(lane.session)
        self.lane = lane
        self.found: list[Cell] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        families = list(dict.fromkeys(cell.family for cell in shelf()))
        lengths = sorted({cell.steps for cell in shelf()})
        any_: dict[Any, str] = {None: "any"}
        self.filter = SettingsLine(
            "Which cells",
            (
                Choice("family", "&Family", choices={None: "any family", **{name: name for name in families}}),
                Choice(
                    "steps", "&Length", "In steps of the grid at the cursor",
                    choices={None: "any length", -1: "as long as the group", **{n: f"{n} steps" for n in lengths}},
                ),
                Choice(
                    "starts", "&Starts on", choices=any_ | {limb: LIMB_NAMES[limb] for limb in "RLK"},
                    said={None: "", **{limb: f"starts {limb}" for limb in "RLK"}},
                ),
                Choice(
                    "ends", "&Ends on", choices=any_ | {limb: LIMB_NAMES[limb] for limb in "RLKJ"},
                    said={None: "", **{limb: f"ends {limb}" for limb in "RLKJ"}},
                ),
                *(self._count(limb) for limb in "RLKJ"),
            ),
        )  # fmt: skip
        column.addWidget(self.filter)
        self.table = QTableWidget()
        make_list(
            self.table, "Cells that fit", ["cell", "steps", "then"], wide=(0,), empty="No cell fits all of that."
        )
        column.addWidget(self.table, 1)
        self.words = HintLabel(lines=3)
        column.addWidget(self.words)
        buttons = QHBoxLayout()
        self.insert = QPushButton("Insert")
        self.insert.setToolTip("At the cursor")
        self.swap = QPushButton("Exchange group")
        self.swap.setToolTip(
            "Put the cell in place of the group under the cursor, or of the selection; voices and accents stay"
        )
        self.tail = QPushButton("Fill, end with it")
        self.tail.setToolTip("Repeat the selection to the end of its bar and finish with this cell")
        for button in (self.insert, self.swap, self.tail):
            button.setObjectName("quiet")
            buttons.addWidget(button)
        column.addLayout(buttons)
        self.filter.changed.connect(self.fill)
        self.insert.clicked.connect(self._insert)
        self.swap.clicked.connect(self._swap)
        self.tail.clicked.connect(self._fill_with_tail)
        self.table.cellActivated.connect(lambda *_: self._insert())
        self.table.currentCellChanged.connect(lambda *_: self._say())
        lane.changed.connect(self._lane_moved)
        self.fill()
        self.follow()

    @staticmethod
    def _count(limb: str) -> Choice:
        """How many strokes a limb gets, as far as any cell goes."""
        most = max(cell.count(limb) for cell in shelf())
        numbers = range(most + 1)
        return Choice(
            limb, f"Strokes of &{limb}", f"How many strokes of the cell are by the {LIMB_NAMES[limb]}",
            choices={None: "any number", **{n: str(n) for n in numbers}},
            said={None: "", **{n: f"{n} × {limb}" for n in numbers}},
        )  # fmt: skip

    @property
    def chosen(self) -> Cell | None:
        row = self.table.currentRow()
        return self.found[row] if 0 <= row < len(self.found) else None

    def _target(self) -> tuple[int, int] | None:
        """Steps to be exchanged: the selection, or the group under the cursor."""
        low, high = self.lane.selection
        if high > low:
            return low, high
        pattern = self.lane.pattern
        if pattern is None or self.lane.at >= len(pattern.moments):
            return None
        at = pattern.moments[self.lane.at].start
        for group in pattern.groups:
            if group.start <= at < group.start + group.length:
                inside = [
                    k for k, m in enumerate(pattern.moments) if group.start <= m.start < group.start + group.length
                ]
                return inside[0], inside[-1] + 1
        return None

    def _lane_moved(self) -> None:
        if self.isVisible():
            if self.filter.value("steps") == -1:
                self.fill()
            else:
                self._say()

    def fill(self) -> None:
        """The cells that fit the filters."""
        steps = self.filter.value("steps")
        if steps == -1:
            target = self._target()
            steps = target[1] - target[0] if target is not None else None
        self.found = find_cells(
            family=self.filter.value("family"),
            steps=steps,
            starts_on=self.filter.value("starts"),
            ends_on=self.filter.value("ends"),
            counts={limb: self.filter.value(limb) for limb in "RLKJ" if self.filter.value(limb) is not None},
        )
        self.table.setRowCount(len(self.found))
        for row, cell in enumerate(self.found):
            then = "the right goes on" if cell.hands_over_to_right else "the left goes on"
            for k, text in enumerate((cell.name, str(cell.steps), then)):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(cell.text))
                if k == 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, k, item)
        if self.found:
            self.table.setCurrentCell(0, 0)
        self._say()

    def _say(self) -> None:
        cell, target = self.chosen, self._target()
        self.insert.setEnabled(cell is not None)
        self.swap.setEnabled(cell is not None and target is not None)
        low, high = self.lane.selection
        self.tail.setEnabled(cell is not None and high > low)
        if cell is None:
            self.words.setText("No cell fits all of that: ask for less in the line above.")
        else:
            self.words.setText(f"{cell.text}\n{fit_words(self.lane, cell.length, self.lane.at).capitalize()}.")

    def refresh(self) -> None:
        self._say()

    def _insert(self) -> None:
        if self.chosen is not None:
            self.lane.go(self.lane.at)
            self.lane.paste(self.chosen.text, f"Insert {self.chosen.name}")

    def _swap(self) -> None:
        target = self._target()
        if self.chosen is not None and target is not None:
            self.lane.anchor, self.lane.at = target
            pattern = self.lane.pattern
            assert pattern is not None
            text = in_place_of(self.chosen, pattern, *target)
            self.lane.paste(text, f"Exchange for {self.chosen.name}")

    def _fill_with_tail(self) -> None:
        if self.chosen is not None:
            self.lane.fill_bar(self.chosen.text)
