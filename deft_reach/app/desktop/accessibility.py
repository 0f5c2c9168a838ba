"""What a screen reader is told of drawings: that they are pictures, what they show, and what is chosen in them."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget

from deft_reach.app.canvas.base import Canvas, ChosenStroke


class DrawingInterface(QAccessibleWidget):
    """A drawing: a graphic whose value is the chosen stroke and the finding that is chosen with it."""

    def __init__(self, canvas: Canvas) -> None:
        super().__init__(canvas, QAccessible.Role.Graphic, canvas.accessibleName())

    def text(self, kind: QAccessible.Text) -> str:
        canvas = self.object()
        if kind == QAccessible.Text.Value and isinstance(canvas, Canvas):
            return canvas.chosen_in_words()
        return super().text(kind)

    def focusChild(self) -> QAccessibleInterface:
        canvas = self.object()
        if isinstance(canvas, Canvas) and canvas.hasFocus() and canvas.session.stroke is not None:
            return QAccessible.queryAccessibleInterface(canvas.chosen)
        return super().focusChild()


class StrokeInterface(QAccessibleWidget):
    """The chosen stroke of a drawing: its name says what it is, and the finding that is chosen with it."""

    def __init__(self, chosen: ChosenStroke) -> None:
        super().__init__(chosen, QAccessible.Role.ListItem)

    def text(self, kind: QAccessible.Text) -> str:
        chosen = self.object()
        if kind == QAccessible.Text.Name and isinstance(chosen, ChosenStroke):
            return chosen.canvas.chosen_in_words()
        return super().text(kind)


def _interface(key: str, thing: QObject) -> QAccessibleInterface | None:
    """Drawings and the stroke that is chosen in them have their own; everything else is as Qt has it."""
    if isinstance(thing, Canvas):
        return DrawingInterface(thing)
    return StrokeInterface(thing) if isinstance(thing, ChosenStroke) else None


def install() -> None:
    """Have drawings described; called once for an application."""
    QAccessible.installFactory(_interface)
