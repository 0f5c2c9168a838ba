"""Tables that are read and chosen from, not typed into."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QLabel, QTableWidget, QTableWidgetItem
from shiboken6 import isValid

from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.analysis.report import Report, serious_words


def verdict_cells(report: Report) -> tuple[str, str, str]:
    """Ease, tempo limit, and stops and cautions of a report, as a table says them."""
    s = report.summary
    return (
        "impossible" if report.impossible else f"{s.ease:.0f} {s.level or ''}".rstrip(),
        "–" if s.tempo_limit is None else f"{s.tempo_limit:.0f} BPM",
        serious_words(report) or "none",
    )


def compared_words(report: Report, before: Report | None) -> str:
    """Ease, tempo limit, and stops and cautions of a report, with what the ease is more or less than before."""
    ease, limit, serious = verdict_cells(report)
    ease += ease_change(report, before)
    breaks = "no limit" if limit == "–" else f"breaks at {limit}"
    ease = ease if report.impossible else f"ease {ease}"
    serious = serious if report.serious else "no cautions"
    return ", ".join([ease, *([] if report.impossible else [breaks]), serious])


def ease_change(report: Report, before: Report | None) -> str:
    """How much easier than before, with its sign, in brackets; nothing where one of the two is impossible or has open
    hands.
    """
    if before is None or report.impossible or before.impossible or before.pattern.unassigned:
        return ""
    change = f"{round(report.summary.ease - before.summary.ease):+d}"
    return f" ({change.replace('-', '−').replace('+0', '±0')})"


#: Between what a column holds and the next one (pixels).
AIR = 6


class _Fit(QObject):
    """Makes columns as wide as what they hold, once after every burst of changes.

    The header's own mode for this measures all rows again for every cell that changes: a list of some hundred rows
    filled anew would take a minute.
    """

    def __init__(self, table: QTableWidget, columns: Sequence[int]) -> None:
        super().__init__(table)
        self.table, self.columns = table, columns
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(0)
        self._late.timeout.connect(self.fit)
        model = table.model()
        for signal in (
            model.dataChanged,
            model.headerDataChanged,
            model.rowsInserted,
            model.rowsRemoved,
            model.modelReset,
        ):
            signal.connect(lambda *_: self._late.start())
        table.installEventFilter(self)
        self._late.start()

    def eventFilter(self, table: QObject, event: QEvent) -> bool:
        # Before it is seen for the first time, and after its lettering has changed size.
        if event.type() == QEvent.Type.Show:
            self.fit()
        elif event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._late.start()
        return False

    def fit(self) -> None:
        """Fit the columns now."""
        self._late.stop()
        for column in self.columns:
            header = self.table.horizontalHeader().sectionSizeHint(column)
            self.table.setColumnWidth(column, max(header, self.table.sizeHintForColumn(column)) + AIR)


def fill_row(
    table: QTableWidget, row: int, cells: Sequence[str], tips: Sequence[str] = (), numbers: Collection[int] = ()
) -> None:
    """Put texts into a row, and tips under the pointer, one for each cell, where there are any; the columns of
    ``numbers`` end at the right.
    """
    for column, text in enumerate(cells):
        item = QTableWidgetItem(text)
        if tips:
            item.setToolTip(plain_tip(tips[column]))
        if column in numbers:
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        table.setItem(row, column, item)


class _Empty(QLabel):
    """A sentence over a table, as long as it has no row."""

    def __init__(self, table: QTableWidget, text: str) -> None:
        super().__init__(text, table.viewport())
        self._table = table
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setObjectName("hint")
        self.setWordWrap(True)
        self.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.setContentsMargins(8, 6, 8, 6)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        model = table.model()
        for signal in (model.rowsInserted, model.rowsRemoved, model.modelReset):
            signal.connect(self._say)
        table.viewport().installEventFilter(self)
        self._say()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.setGeometry(self._table.viewport().rect())
        return False

    def _say(self, *_: object) -> None:
        if not isValid(self._table):
            return
        empty = self._table.rowCount() == 0
        self.setVisible(empty)
        self._table.setAccessibleDescription(self.text() if empty else "")


def make_list(
    table: QTableWidget,
    name: str,
    columns: list[str],
    wide: tuple[int, ...],
    row_height: float = 23,
    empty: str = "",
) -> None:
    """Dress a table as a list of rows (px, at the usual text size); the ``wide`` columns share what room is left.

    ``empty`` is what it says while it has none: what would stand here, and how it comes about.
    """
    if empty:
        _Empty(table, empty)
    table.setColumnCount(len(columns))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(columns)
    table.verticalHeader().hide()
    set_scaled(table.verticalHeader(), QHeaderView.setDefaultSectionSize, row_height)
    # Less than three rows and the heading is no list.
    set_scaled(table, QTableWidget.setMinimumHeight, 3 * row_height + 44)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setShowGrid(False)
    table.setFrameShape(QTableWidget.Shape.NoFrame)
    table.setTabKeyNavigation(False)
    header = table.horizontalHeader()
    header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
    for column in wide:
        header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
    _Fit(table, [column for column in range(len(columns)) if column not in wide])
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
