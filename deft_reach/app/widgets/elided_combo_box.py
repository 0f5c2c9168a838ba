"""A combo box whose text ends in an ellipsis where it has no room; all of it is under the pointer."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QStylePainter

from deft_reach.app.widgets.elided_label import show_whole


class ElidedComboBox(QComboBox):
    """``currentText`` is always all of it; only what is drawn is shortened."""

    @property
    def elided(self) -> str:
        """What is drawn."""
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        field = QStyle.SubControl.SC_ComboBoxEditField
        room = self.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, field, self).width()
        return self.fontMetrics().elidedText(self.currentText(), Qt.TextElideMode.ElideRight, room)

    def paintEvent(self, event: QPaintEvent) -> None:
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        option.currentText = self.elided
        painter = QStylePainter(self)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.end()

    def event(self, event: QEvent) -> bool:
        return show_whole(self, event, self.currentText(), self.elided) or super().event(event)
