"""A field for a length: holds millimetres, shows the chosen unit, and understands both."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QWidget

from deft_reach.app.text import units
from deft_reach.app.widgets.styled import set_scaled, styled


class LengthBox(QDoubleSpinBox):
    """A length in mm within a range.

    ``refused`` says in a sentence why what was typed cannot be; the field goes back to what it was.
    """

    refused = Signal(str)
    _empty = False

    def __init__(self, name: str, low: float, high: float, step: float = 1.0, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setDecimals(2)
        self.setRange(low, high)
        self.setToolTip(name)
        self._name, self._step = name, step
        styled(self, LengthBox.restyle)
        set_scaled(self, QWidget.setMinimumWidth, 72)

    def restyle(self) -> None:
        """Show the length in the chosen unit."""
        in_mm = units.unit() == "mm"
        # An inch rule is read in sixteenths.
        self.setSingleStep(self._step if in_mm else max(1.5875, round(self._step / 6.35) * 6.35))
        self.setAccessibleName(f"{self._name}, in {'millimetres' if in_mm else 'inches'}")
        if not self.specialValueText() or self.value() != self.minimum():
            with QSignalBlocker(self):
                self.lineEdit().setText(self.textFromValue(self.value()))

    def set_empty(self, empty: bool) -> None:
        """Show nothing, where there is nothing to have a length."""
        if empty != self._empty:
            self._empty = empty
            with QSignalBlocker(self):
                self.lineEdit().setText(self.textFromValue(self.value()))

    def textFromValue(self, value: float) -> str:
        if self._empty:
            return ""
        return f"{units.number(value, exact=True)} {units.unit()}"

    def valueFromText(self, text: str) -> float:
        # A field that was only visited keeps its value to the last digit.
        found = None if text == self.textFromValue(self.value()) else units.parse(text)
        return self.value() if found is None else found

    def validate(self, text: str, position: int) -> Any:
        found = units.parse(text)
        if text == self.specialValueText():
            return QValidator.State.Acceptable, text, position
        if found is None or not self.minimum() <= found <= self.maximum():
            return QValidator.State.Intermediate, text, position
        return QValidator.State.Acceptable, text, position

    def fixup(self, text: str) -> str:
        low, high = units.number(self.minimum()), units.number(self.maximum())
        said = text.strip() or "nothing"
        self.refused.emit(f"{self._name}: {said} cannot be; expected {low} to {high} {units.unit()}.")
        return text
