"""A new song asks for its plans: those there are on the left, the song as it will be played on the right."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.document import Document
from deft_reach.core.model.counting import counted

_PLAN = Qt.ItemDataRole.UserRole


class NewSongDialog(QDialog):
    """Name and plans of a song in the order they are played; ``name`` and ``plans`` are what was chosen."""

    def __init__(self, document: Document, first: str | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("New song")
        self.setMinimumSize(560, 400)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        self.name_field = QLineEdit(document.free_song_name("New song"))
        self.name_field.setAccessibleName("Name of the song")
        self.name_field.setMaxLength(120)
        self.name_field.selectAll()
        self.available, self.ordered = QListWidget(), QListWidget()
        self.available.setAccessibleName("Plans there are")
        self.ordered.setAccessibleName("The song, in the order it is played")
        self.available.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.ordered.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        for plan in document.plans:
            self._item(self.available, f"{plan.name} · {bpm(plan.tempo)}", plan.id)
        self.add, self.remove = QPushButton("Add ›"), QPushButton("‹ Remove")
        self.words = HintLabel(lines=1)
        self.buttons = QDialogButtonBox()
        self.accept_button = self.buttons.addButton("Create song", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        self.accept_button.setObjectName("primary")
        self._lay_out(column)
        for plan in document.plans:
            if plan.id == first:
                self._item(self.ordered, plan.name, plan.id)
        self.add.clicked.connect(self._add)
        self.remove.clicked.connect(self._remove)
        self.available.itemActivated.connect(lambda _: self._add())
        self.ordered.itemActivated.connect(lambda _: self._remove())
        self.available.itemSelectionChanged.connect(self._say)
        self.ordered.currentRowChanged.connect(lambda _: self._say())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.available.setCurrentRow(0)
        self._say()

    def _lay_out(self, column: QVBoxLayout) -> None:
        grid = QGridLayout()
        for text, widget, at in (
            ("Name", self.name_field, 0), ("Plans", self.available, 2), ("Played in this order", self.ordered, 2),
        ):  # fmt: skip
            caption = PlainLabel(text)
            caption.setObjectName("caption")
            caption.setBuddy(widget)
            right = widget is self.ordered
            grid.addWidget(caption, at, 2 if right else 0)
            grid.addWidget(widget, at + 1, 2 if right else 0, 1, 3 if widget is self.name_field else 1)
        middle = QVBoxLayout()
        middle.addStretch(1)
        middle.addWidget(self.add)
        middle.addWidget(self.remove)
        middle.addStretch(1)
        grid.addLayout(middle, 3, 1)
        grid.setRowStretch(3, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid, 1)
        column.addWidget(self.words)
        column.addWidget(self.buttons)

    @staticmethod
    def _item(rows: QListWidget, text: str, plan: str) -> None:
        item = QListWidgetItem(text)
        item.setData(_PLAN, plan)
        rows.addItem(item)

    @property
    def name(self) -> str:
        return self.name_field.text().strip() or "New song"

    @property
    def plans(self) -> list[str]:
        """Ids of the chosen plans, in order; a plan can be there several times."""
        return [str(self.ordered.item(k).data(_PLAN)) for k in range(self.ordered.count())]

    def _add(self) -> None:
        for item in sorted(self.available.selectedItems(), key=self.available.row):
            self._item(self.ordered, item.text().rpartition(" · ")[0], item.data(_PLAN))
        self._say()

    def _remove(self) -> None:
        if self.ordered.currentRow() >= 0:
            self.ordered.takeItem(self.ordered.currentRow())
        self._say()

    def _say(self) -> None:
        count = self.ordered.count()
        self.add.setEnabled(bool(self.available.selectedItems()))
        self.remove.setEnabled(self.ordered.currentRow() >= 0)
        how = "drag to change the order; how often each is played is set afterwards"
        self.words.setText(f"{counted(count, 'section')}: {how}." if count else "Add plans, or create it empty.")
