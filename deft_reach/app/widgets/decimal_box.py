"""A box for numbers with a part after the mark, written as people write it anywhere: 98.5 or 98,5."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QLocale
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QWidget

from deft_reach.app.text.numbers import decimal_point, localised


class DecimalBox(QDoubleSpinBox):
    """Both decimal marks are accepted, and no mark ever groups thousands: 98,5 is never 985."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        locale = QLocale.c()
        locale.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator | QLocale.NumberOption.RejectGroupSeparator)
        self.setLocale(locale)

    def textFromValue(self, value: float) -> str:
        return localised(super().textFromValue(value))

    def validate(self, text: str, pos: int) -> Any:
        if text and text == self.specialValueText():
            return QValidator.State.Acceptable, text, pos
        number = self._number(text)
        if number.count(".") > 1 or any(c not in "0123456789.+-" for c in number):
            return QValidator.State.Invalid, text, pos
        try:
            value = float(number)
        except ValueError:
            return QValidator.State.Intermediate, text, pos
        if value > max(self.maximum(), 0.0):
            return QValidator.State.Invalid, text, pos
        within = self.minimum() <= value <= self.maximum()
        return (QValidator.State.Acceptable if within else QValidator.State.Intermediate), text, pos

    def valueFromText(self, text: str) -> float:
        if text and text == self.specialValueText():
            return self.minimum()
        try:
            return round(float(self._number(text)), self.decimals())
        except ValueError:
            return self.value()

    def _number(self, text: str) -> str:
        """What is typed without prefix and suffix, with a point for the mark."""
        bare = text.strip()
        if self.suffix() and bare.endswith(self.suffix().strip()):
            bare = bare[: -len(self.suffix().strip())]
        if self.prefix() and bare.startswith(self.prefix().strip()):
            bare = bare[len(self.prefix().strip()) :]
        return bare.strip().replace(decimal_point(), ".").replace(",", ".")
