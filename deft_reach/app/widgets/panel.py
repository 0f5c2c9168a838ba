"""A titled sheet on the drawing table: the frame every drawing and list stands in."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

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
        row.setContentsMargins(10, 5, 8, 3)
        row.setSpacing(10)
        self.title = PlainLabel(title)
        self.title.setObjectName("panelTitle")
        self.title.setBuddy(body)
        self.note = PlainLabel(note)
        self.note.setObjectName("panelNote")
        self.note.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.note.setMinimumWidth(10)
        row.addWidget(self.title)
        row.addWidget(self.note, 1)
        if corner is not None:
            row.addWidget(corner)
        column.addLayout(row)
        column.addWidget(body, 1)

    def set_note(self, text: str) -> None:
        if self.note.text() != text:
            self.note.setText(text)
