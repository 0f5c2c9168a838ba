"""Boxes whose choices follow the document: filled anew only when these differ, and what was chosen stays."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox

from deft_reach.core.document import Document
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.practice.cautions import LEVELS


def fill_box(box: QComboBox, rows: Sequence[tuple[str, object]], first: int = 0) -> None:
    """Give a box these choices (words, data); ``first`` is chosen where what was chosen is none of them."""
    if list(rows) == [(box.itemText(k), box.itemData(k)) for k in range(box.count())]:
        return
    blocker = QSignalBlocker(box)
    kept, empty = box.currentData(), box.count() == 0
    box.clear()
    for words, data in rows:
        box.addItem(words, data)
    same = next((k for k, (_, data) in enumerate(rows) if data == kept), None)
    box.setCurrentIndex(first if empty or same is None else same)
    del blocker


def kit_choices(document: Document) -> list[tuple[str, object]]:
    """The document's kits, and the layouts that ship with the app."""
    rows: list[tuple[str, object]] = [(kit.name, ("kit", kit.id)) for kit in document.kits]
    return rows + [(f"the “{name}” layout", ("layout", name)) for name in LAYOUTS]


def chosen_kit(box: QComboBox, document: Document) -> Kit | None:
    """The kit that a box of kit choices has; None for what stands for none, or is not there any more."""
    data = box.currentData()
    if data is None:
        return None
    kind, id = data
    return layout(id) if kind == "layout" else next((kit for kit in document.kits if kit.id == id), None)


def level_box(before: str = "") -> QComboBox:
    """What is played on and how loud that is (dBA, the data of each row): a kit, until something else is chosen."""
    box = QComboBox()
    box.setAccessibleName("What is played on, for your hearing")
    for name, level in LEVELS.items():
        box.addItem(f"{before}{name}, about {level:.0f} dBA", level)
    box.setCurrentIndex(list(LEVELS).index("kit"))
    return box
