"""Tables that are read and chosen from, not typed into."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget

from deft_reach.app import theme
from deft_reach.core.report import Report


def verdict_cells(report: Report) -> tuple[str, str, str]:
    """Ease, tempo limit and cautions of a report, as a table says them."""
    s = report.summary
    cautions = sum(f.severity != "note" for f in report.findings)
    return (
        "impossible" if report.impossible else f"{s.ease:.0f}",
        "–" if s.tempo_limit is None else f"{s.tempo_limit:.0f} BPM",
        str(cautions) if cautions else "none",
    )


def make_list(table: QTableWidget, name: str, columns: list[str], wide: tuple[int, ...]) -> None:
    """Dress a table as a list of rows; the ``wide`` columns share what room is left."""
    table.setColumnCount(len(columns))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(columns)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(round(23 * theme.text_scale()))
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setShowGrid(False)
    table.setFrameShape(QTableWidget.Shape.NoFrame)
    table.setTabKeyNavigation(False)
    header = table.horizontalHeader()
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    for column in wide:
        header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
