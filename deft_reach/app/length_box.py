"""A field for a length: holds millimetres, shows the chosen unit, and understands both."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QWidget

from deft_reach.app import theme, units


class LengthBox(QDoubleSpinBox):
    """A length in mm within a range.

    ``refused`` says in a sentence why what was typed cannot be; the field goes back to what it was.
    """

    refused = Signal(str)

    def __init__(self, name: str, low: float, high: float, step: float = 1.0, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setDecimals(2)
        self.setRange(low, high)
        # An inch rule is read in sixteenths.
        self.setSingleStep(step if units.unit() == "mm" else max(1.5875, round(step / 6.35) * 6.35))
        self.setAccessibleName(f"{name}, in {'millimetres' if units.unit() == 'mm' else 'inches'}")
        self.setToolTip(name)
        self._name = name
        self.setMinimumWidth(round(72 * theme.text_scale()))

    def textFromValue(self, value: float) -> str:
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
