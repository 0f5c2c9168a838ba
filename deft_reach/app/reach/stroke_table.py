"""The strokes as a table: what weave, reach plan and tempo rule show, in words and numbers."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QSortFilterProxyModel, Qt
from PySide6.QtWidgets import QAbstractItemView, QDialog, QHeaderView, QTableView, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.explain import where
from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.analysis.report import Report, pace_word
from deft_reach.core.model.kit import voice_name
from deft_reach.core.model.limbs import HANDS, RIGHT
from deft_reach.core.session import Session

COLUMNS: Final = ("when", "limb", "on", "how", "from", "has", "needs", "pace", "breaks at", "cost", "arms")
_TIPS: Final = (
    "Bar and beat",
    "R, L: hands; K: bass foot; J, H: the foot on the hi-hat side",
    "What is struck",
    "Full, down, up or tap",
    "How far this limb comes",
    "Time since this limb's last stroke",
    "Time it needs at least",
    "Needed time over the time there is; 1.00 is the limit",
    "The tempo at which this stroke breaks",
    "What the stroke costs in motion",
    "Which arm is over, and how much room there is",
)
SORT: Final = Qt.ItemDataRole.UserRole
_NUMBERS: Final = range(4, 10)


class StrokeModel(QAbstractTableModel):
    """The report's strokes, a row a stroke; cells are made when they are looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.report: Report | None = None

    def show_report(self, report: Report | None) -> None:
        if report is not self.report:
            self.beginResetModel()
            self.report = report
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(self.report.strokes) if self.report is not None and not parent.isValid() else 0

    def columnCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Horizontal:
            if role == Qt.ItemDataRole.DisplayRole:
                return COLUMNS[section]
            if role == Qt.ItemDataRole.ToolTipRole:
                return _TIPS[section]
        return None

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.report is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self._words(index.row(), index.column())
        if role == SORT:
            return self._value(index.row(), index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() in _NUMBERS:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == 7:
            return pace_word(self.report.strokes[index.row()].pace)
        return None

    def _words(self, row: int, column: int) -> str:
        report = self.report
        assert report is not None
        stroke = report.strokes[row]
        match COLUMNS[column]:
            case "when":
                return where(report, row)
            case "limb":
                return stroke.grace + stroke.limb + stroke.marks
            case "on":
                return voice_name(report.table.kit, stroke.voice)
            case "how":
                return stroke.stroke_type
            case "from":
                return units.length(stroke.travel_mm) if stroke.travel_mm else "stays"
            case "has":
                return "–" if stroke.gap is None else f"{stroke.gap * 1000:.0f} ms"
            case "needs":
                return f"{stroke.needed * 1000:.0f} ms"
            case "pace":
                return "–" if stroke.pace is None else decimal(stroke.pace, ".2f")
            case "breaks at":
                return "–" if stroke.tempo_limit is None else f"{stroke.tempo_limit:.0f} BPM"
            case "arms":
                cross = report.cross_at(row) if stroke.limb in HANDS else None
                if cross is None:
                    return ""
                return f"{'right' if cross.over == RIGHT else 'left'} over, {units.length(cross.clearance)}"
        return decimal(stroke.total, ".2f")

    def _value(self, row: int, column: int) -> object:
        """What a column is sorted by."""
        assert self.report is not None
        stroke = self.report.strokes[row]
        match COLUMNS[column]:
            case "when":
                return row
            case "from":
                return stroke.travel_mm
            case "has":
                return -1.0 if stroke.gap is None else stroke.gap
            case "needs":
                return stroke.needed
            case "pace":
                return -1.0 if stroke.pace is None else stroke.pace
            case "breaks at":
                return 1e9 if stroke.tempo_limit is None else stroke.tempo_limit
            case "cost":
                return stroke.total
        return self._words(row, column)


class StrokeTable(Listener):
    """The table, in the order of time until a heading is clicked; its row is the selected stroke."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.model = StrokeModel()
        self.sorted = QSortFilterProxyModel()
        self.sorted.setSourceModel(self.model)
        self.sorted.setSortRole(SORT)
        self.view = QTableView(self)
        self.view.setModel(self.sorted)
        self.view.setAccessibleName("Strokes as a table")
        self.view.setSortingEnabled(True)
        self.view.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.view.verticalHeader().hide()
        set_scaled(self.view.verticalHeader(), QHeaderView.setDefaultSectionSize, 22)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setShowGrid(False)
        self.view.setFrameShape(QTableView.Shape.NoFrame)
        self.view.setTabKeyNavigation(False)
        self.view.setWordWrap(False)
        header = self.view.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setResizeContentsPrecision(64)
        header.setStretchLastSection(True)
        # Eleven columns have to fit beside each other.
        header.setStyleSheet("QHeaderView::section { padding: 3px 2px 3px 4px; }")
        set_font(self.view, theme.ui_font, 10)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self._showing = False
        self.view.selectionModel().currentRowChanged.connect(self._chosen)
        # Columns as wide as their contents ask for every cell, seen or not.
        self.follow(shown_later=True)

    def resizeEvent(self, event: object) -> None:
        self.view.setGeometry(self.rect())

    def _chosen(self, index: QModelIndex) -> None:
        if not self._showing and index.isValid():
            self.session.select_stroke(self.sorted.mapToSource(index).row())

    def refresh(self) -> None:
        self._showing = True
        self.model.show_report(self.session.report)
        index = self.session.stroke
        if index is not None and index < self.model.rowCount():
            place = self.sorted.mapFromSource(self.model.index(index, 0))
            if self.view.currentIndex().row() != place.row():
                self.view.setCurrentIndex(place)
                self.view.scrollTo(place)
        self._showing = False


class StrokesDialog(QDialog):
    """The table in a window of its own beside the drawings, which go on working; Esc closes it."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Strokes")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(760, 420)
        self.table = StrokeTable(session)
        self.table.setMinimumSize(360, 160)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.table)
        self.setFocusProxy(self.table.view)
