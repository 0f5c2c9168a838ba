"""What a screen reader is told of drawings: that they are pictures, what they show, and what is chosen in them."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget

from deft_reach.app.canvas.base import Canvas


class DrawingInterface(QAccessibleWidget):
    """A drawing: a graphic whose value is the chosen stroke and the finding that is chosen with it."""

    def __init__(self, canvas: Canvas) -> None:
        super().__init__(canvas, QAccessible.Role.Graphic, canvas.accessibleName())

    def text(self, kind: QAccessible.Text) -> str:
        canvas = self.object()
        if kind == QAccessible.Text.Value and isinstance(canvas, Canvas):
            return canvas.chosen_in_words()
        return super().text(kind)


def _interface(key: str, thing: QObject) -> QAccessibleInterface | None:
    """Drawings have their own; everything else is as Qt has it."""
    return DrawingInterface(thing) if isinstance(thing, Canvas) else None


def install() -> None:
    """Have drawings described; called once for an application."""
    QAccessible.installFactory(_interface)
