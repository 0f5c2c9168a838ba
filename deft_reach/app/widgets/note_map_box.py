"""The electronic kit that is played on: what its notes stand for, chosen, learned or removed."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QMessageBox, QPushButton, QWidget

from deft_reach.app.dialogs.note_map_dialog import NoteMapDialog
from deft_reach.app.text.words import sentence
from deft_reach.core.model.kit import Kit
from deft_reach.store.note_maps import NoteMaps


class NoteMapBox(QWidget):
    """Every note map there is, and a menu beside it to learn one, or to remove one that was learned."""

    def __init__(self, maps: NoteMaps, kit: Callable[[], Kit]) -> None:
        super().__init__()
        self.maps, self._kit = maps, kit
        self.box = QComboBox()
        self.box.setAccessibleName("What the kit's notes stand for")
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.more = QPushButton("Learn")
        self.more.setObjectName("quiet")
        menu = QMenu(self.more)
        self.learn_action = menu.addAction("Strike each pad once…", self.learn)
        self.remove_action = menu.addAction("Remove", self.remove)
        self.more.setMenu(menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.box, 1)
        row.addWidget(self.more)
        self.box.activated.connect(lambda _: maps.choose(str(self.box.currentData())))
        maps.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Fill the box anew; what is in use is what it shows."""
        blocker = QSignalBlocker(self.box)
        self.box.clear()
        for id, row in self.maps.maps.items():
            self.box.addItem(f"notes: {row.name}", id)
        self.box.setCurrentIndex(self.box.findData(self.maps.chosen_id))
        self.box.setToolTip(self.maps.chosen.about)
        self.remove_action.setText(f"Remove “{self.maps.chosen.name}”…")
        self.remove_action.setVisible(self.maps.chosen_id.startswith("own:"))
        del blocker

    def learn(self) -> None:
        """Ask for each pad, and keep what was learned."""
        dialog = NoteMapDialog(self._kit(), self.window())
        if dialog.exec() and dialog.result_map is not None:
            found = dialog.result_map
            self._try(lambda: self.maps.keep(found))

    def remove(self) -> None:
        """Remove the map in use, if it was learned."""
        name = self.maps.chosen.name
        asked = QMessageBox.question(self, "Remove a note map", f"Remove “{name}”? It has to be learned again then.")
        if asked == QMessageBox.StandardButton.Yes:
            self._try(lambda: self.maps.remove(self.maps.chosen_id))

    def _try(self, change: Callable[[], object]) -> None:
        try:
            change()
        except OSError as error:
            QMessageBox.warning(self, "Note maps", sentence(f"{error.filename}: {error.strerror or error}"))
