"""The shelf of cells: rudiments and hand-and-foot figures, to put in or to exchange for a group."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.shell.station import Listener
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.notation.cells import Cell, find_cells, in_place_of, shelf
from deft_reach.core.session.lane import Lane
from deft_reach.core.session.lane_groups import fit_words


class CellsForm(Listener):
    """Filters above, the cells that fit below."""

    def __init__(self, lane: Lane) -> None:
        super().__init__(lane.session)
        self.lane = lane
        self.found: list[Cell] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        families = list(dict.fromkeys(cell.family for cell in shelf()))
        lengths = sorted({cell.steps for cell in shelf()})
        self.family = self._choice("Family", "any family", [(name, name) for name in families])
        steps = [("as long as the group", -1), *((f"{n} steps", n) for n in lengths)]
        self.steps = self._choice("Length in steps", "any length", steps)
        self.starts = self._choice("Starts on", "starts: any", [(f"starts: {limb}", limb) for limb in "RLK"])
        self.ends = self._choice("Ends on", "ends: any", [(f"ends: {limb}", limb) for limb in "RLKJ"])
        self.counts = {limb: self._count(limb) for limb in "RLKJ"}
        for k, box in enumerate((self.family, self.steps, self.starts, self.ends)):
            grid.addWidget(box, k // 2, k % 2 * 2, 1, 2)
        for k, box in enumerate(self.counts.values()):
            grid.addWidget(box, 2, k)
        column.addLayout(grid)
        self.table = QTableWidget()
        make_list(self.table, "Cells that fit", ["cell", "steps", "then"], wide=(0,))
        column.addWidget(self.table, 1)
        self.words = HintLabel(lines=3)
        column.addWidget(self.words)
        buttons = QHBoxLayout()
        self.insert = QPushButton("Put in")
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
        for box in (self.family, self.steps, self.starts, self.ends, *self.counts.values()):
            box.currentIndexChanged.connect(lambda _: self.fill())
        self.insert.clicked.connect(self._insert)
        self.swap.clicked.connect(self._swap)
        self.tail.clicked.connect(self._fill_with_tail)
        self.table.cellActivated.connect(lambda *_: self._insert())
        self.table.currentCellChanged.connect(lambda *_: self._say())
        lane.changed.connect(self._lane_moved)
        self.fill()
        self.follow()

    @staticmethod
    def _choice(name: str, whole: str, rows: Sequence[tuple[str, object]]) -> QComboBox:
        box = QComboBox()
        box.addItem(whole, None)
        for text, value in rows:
            box.addItem(text, value)
        box.setAccessibleName(name)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(4)
        return box

    def _count(self, limb: str) -> QComboBox:
        """How many strokes a limb gets, as far as any cell goes."""
        most = max(cell.count(limb) for cell in shelf())
        return self._choice(f"Strokes of {limb}", f"{limb}: any", [(f"{limb}: {n}", n) for n in range(most + 1)])

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
            if self.steps.currentData() == -1:
                self.fill()
            else:
                self._say()

    def fill(self) -> None:
        """The cells that fit the filters."""
        steps = self.steps.currentData()
        if steps == -1:
            target = self._target()
            steps = target[1] - target[0] if target is not None else None
        self.found = find_cells(
            family=self.family.currentData(),
            steps=steps,
            starts_on=self.starts.currentData(),
            ends_on=self.ends.currentData(),
            counts={k: box.currentData() for k, box in self.counts.items() if box.currentData() is not None},
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
            self.words.setText("No cell fits all of that: widen a filter.")
        else:
            self.words.setText(f"{cell.text}\n{fit_words(self.lane, cell.length, self.lane.at).capitalize()}.")

    def refresh(self) -> None:
        self._say()

    def _insert(self) -> None:
        if self.chosen is not None:
            self.lane.go(self.lane.at)
            self.lane.paste(self.chosen.text, f"Put in {self.chosen.name}")

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
