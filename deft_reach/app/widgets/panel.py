"""A titled sheet on the drawing table: the frame every drawing and list stands in."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from deft_reach.app.widgets.plain_text import PlainLabel


class Panel(QFrame):
    """A title, a quiet remark beside it, and one widget below."""

    def __init__(self, title: str, body: QWidget, note: str = "", corner: QWidget | None = None) -> None:
        super().__init__()
        self.setObjectName("panel")
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(10, 4, 8, 2)
        row.setSpacing(10)
        self.title = PlainLabel(title)
        self.title.setObjectName("panelTitle")
        self.title.setBuddy(body)
        self.note = PlainLabel(note)
        self.note.setObjectName("panelNote")
        self.note.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.note.setMinimumWidth(10)
        row.addWidget(self.title)
        wide = corner is not None and corner.sizePolicy().horizontalPolicy() == QSizePolicy.Policy.Expanding
        row.addWidget(self.note, 0 if wide else 1)
        if corner is not None:
            row.addWidget(corner, 1 if wide else 0)
        if title:
            column.addLayout(row)
        else:
            # A drawing that says itself what it is has all the room.
            for part in (self.title, self.note):
                part.setParent(self)
                part.hide()
        column.addWidget(body, 1)

    def set_note(self, text: str) -> None:
        if self.note.text() != text:
            self.note.setText(text)
