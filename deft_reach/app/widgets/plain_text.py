"""Names are what somebody typed, or what a file brought: they are shown letter for letter, never read as markup.

Left to itself Qt guesses: a label whose text looks like it has tags is laid out as rich text, and then reads files.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QMessageBox, QWidget


class PlainLabel(QLabel):
    """A label whose text is plain text."""

    def __init__(self, *args: Any, **named: Any) -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        if args and isinstance(args[0], str):
            self.setText(args[0])
            args = args[1:]
        if args:
            self.setParent(args[0])


def plain_tip(text: str) -> str:
    """A text for a tooltip, which has no format of its own: after each opening bracket stands a joiner that nobody
    sees, so that no tag begins there.
    """
    return text.replace("<", "<\u2060")


def plain_box(parent: QWidget, title: str, text: str, details: str = "") -> QMessageBox:
    """A question whose words are plain text; its buttons are still to be added."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.NoIcon)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(text)
    box.setInformativeText(details)
    return box
