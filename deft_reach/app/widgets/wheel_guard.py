"""The wheel changes a number or a choice only where it has the keyboard; elsewhere the page scrolls."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QAbstractSlider, QAbstractSpinBox, QComboBox, QScrollBar, QWidget


class WheelGuard(QObject):
    """Lets no wheel through to a field that it would change unasked."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return False


def guard_wheels(parent: QWidget) -> None:
    """Guard every field inside a widget; those that are guarded already stay so."""
    for kind in (QAbstractSpinBox, QComboBox, QAbstractSlider):
        for field in parent.findChildren(kind):
            if isinstance(field, QScrollBar) or field.property("guarded"):
                continue
            field.setProperty("guarded", True)
            if field.focusPolicy() == Qt.FocusPolicy.WheelFocus:
                # Else the wheel would give it the keyboard first.
                field.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            field.installEventFilter(WheelGuard(field))
