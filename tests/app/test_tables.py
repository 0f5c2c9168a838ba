"""Lists: columns fit what they hold, and filling a long one costs what its rows cost, not their square."""

import pytest
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QTableWidget

from deft_reach.app.widgets.tables import fill_row, make_list

COLUMNS = ["when", "plan", "tempo", "note"]


class Counted(QTableWidget):
    """Knows how often a column was measured."""

    measured = 0

    def sizeHintForColumn(self, column):
        self.measured += 1
        return super().sizeHintForColumn(column)


@pytest.fixture
def table(qapp, qtbot):
    table = Counted()
    qtbot.addWidget(table)
    make_list(table, "Entries", COLUMNS, wide=(1,))
    table.resize(700, 300)
    table.show()
    qapp.processEvents()
    return table


def fill(table, rows):
    table.setRowCount(len(rows))
    for k, row in enumerate(rows):
        fill_row(table, k, row, row)


def wide_enough(table, columns=(0, 2, 3)):
    return all(table.columnWidth(k) >= QTableWidget.sizeHintForColumn(table, k) for k in columns)


@pytest.mark.parametrize("count", [30, 400])
def test_columns_are_measured_once_for_all_rows(table, qapp, count):
    for turn in range(3):
        table.measured = 0
        fill(table, [(f"{k}", "a plan", f"{k * turn} BPM", "note " * (k % 4)) for k in range(count)])
        qapp.processEvents()
        assert table.measured <= len(COLUMNS) and wide_enough(table)


def test_columns_follow_what_is_in_them_and_the_size_of_letters(table, qapp):
    fill(table, [("now", "a plan", "90 BPM", "")])
    qapp.processEvents()
    before = table.columnWidth(2)
    table.item(0, 2).setText("far more than 90 BPM")
    qapp.processEvents()
    assert table.columnWidth(2) > before and wide_enough(table)
    table.setFont(QFont(table.font().family(), 2 * table.font().pointSize()))
    qapp.processEvents()
    larger = table.columnWidth(2)
    assert wide_enough(table)
    table.setRowCount(0)
    qapp.processEvents()
    assert table.columnWidth(2) < larger


def test_a_list_filled_out_of_sight_fits_when_it_is_first_seen(qapp, qtbot):
    table = QTableWidget()
    qtbot.addWidget(table)
    make_list(table, "Entries", COLUMNS, wide=(1,))
    fill(table, [("a long while ago", "a plan", "90 BPM", "tired and slow")])
    table.show()
    assert wide_enough(table), "at once, not only after a flash at another width"
