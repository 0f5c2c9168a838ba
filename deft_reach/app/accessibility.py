"""What a screen reader is told of drawings: that they are pictures, with a name and a description."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QAccessibleWidget

from deft_reach.app.canvas.base import Canvas


def _interface(key: str, thing: QObject) -> QAccessibleInterface | None:
    """Drawings are graphics with a name and a description; everything else is as Qt has it."""
    if isinstance(thing, Canvas):
        return QAccessibleWidget(thing, QAccessible.Role.Graphic, thing.accessibleName())
    return None


def install() -> None:
    """Have drawings described; called once for an application."""
    QAccessible.installFactory(_interface)
