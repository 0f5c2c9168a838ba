"""A combo box whose text ends in an ellipsis where it has no room; all of it is under the pointer."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QHelpEvent, QPaintEvent
from PySide6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QStylePainter, QToolTip

from deft_reach.app.plain_text import plain_tip


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
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
            and self.elided != self.currentText()
        ):
            own = f"\n{self.toolTip()}" if self.toolTip() else ""
            QToolTip.showText(event.globalPos(), plain_tip(self.currentText()) + own, self)
            return True
        return super().event(event)
