"""This kit against another one: piece by piece, as outlines in the plan, and for every plan."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QTableWidget, QTableWidgetItem, QVBoxLayout

from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.kit_difference import kit_difference
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.session import Session

SAVED = "saved"


class CompareForm(Listener):
    """``compared`` says that another kit is chosen (or none: the one as saved)."""

    compared = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._rows: list[tuple[str, tuple[str, str]]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 6)
        self.other_box = QComboBox()
        self.other_box.setAccessibleName("Compare with")
        column.addWidget(self.other_box)
        self.table = QTableWidget()
        make_list(
            self.table,
            "What differs from the other kit",
            ["piece", "here, against the other"],
            wide=(1,),
            empty="Nothing differs, or no other kit is chosen.",
        )
        column.addWidget(self.table, 1)
        self.words = HintLabel()
        column.addWidget(self.words)
        self.other_box.activated.connect(lambda _: self._chosen())
        self.follow()

    @property
    def other(self) -> Kit | None:
        """The other kit; None when nothing of that kind is there any more."""
        data = self.other_box.currentData()
        if data is None:
            return None
        kind, id = data
        if kind == SAVED:
            saved = self.session.saved_document
            kits = saved.kits if saved is not None else ()
            return next((kit for kit in kits if kit.id == self.session.kit.id), None)
        if kind == "layout":
            return layout(id)
        return next((kit for kit in self.session.document.kits if kit.id == id), None)

    def _chosen(self) -> None:
        self.refresh()
        self.compared.emit()

    def refresh(self) -> None:
        session = self.session
        rows = [("this kit as saved", (SAVED, ""))]
        rows += [(kit.name, ("own", kit.id)) for kit in session.document.kits if kit.id != session.kit.id]
        rows += [(f"{name} (shipped layout)", ("layout", name)) for name in LAYOUTS]
        if rows != self._rows:
            with QSignalBlocker(self.other_box):
                before = self.other_box.currentData()
                self._rows = rows
                self.other_box.clear()
                for text, data in rows:
                    self.other_box.addItem(text, data)
                datas = [data for _, data in rows]
                self.other_box.setCurrentIndex(datas.index(before) if before in datas else 0)
            if before is not None and self.other_box.currentData() != before:
                self.compared.emit()
        other = self.other
        found = [] if other is None else kit_difference(other, session.kit)
        self.table.setRowCount(len(found))
        for row, (name, what) in enumerate(found):
            for k, text in enumerate((name, units.text_of(what))):
                item = self.table.item(row, k)
                if item is None:
                    item = QTableWidgetItem()
                    self.table.setItem(row, k, item)
                item.setText(text)
                item.setToolTip(plain_tip(text))
        if other is None:
            self.words.setText("This kit was never saved, so there is nothing to compare it with yet.")
        elif not found:
            self.words.setText("No difference: every piece stands where it does there.")
        else:
            self.words.setText(
                "The other kit shows as outlines in the floor plan; the list below says what each plan gains "
                "or loses against it."
            )
