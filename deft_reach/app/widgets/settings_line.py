"""The settings of a search in one line: a button that says what is set, and a popover with the fields.

A form declares its fields once; their rows, accessible names, mnemonics and tips are made from that.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.styled import set_scaled, styled

#: Between what the line says of two fields.
BETWEEN: Final = " · "


@dataclass(frozen=True)
class Field:
    """One setting: its name in code, its label with a mnemonic, and what it means where the label does not say it."""

    name: str
    label: str
    tip: str = ""
    #: What a screen reader says where the label alone is too short.
    spoken: str = ""

    def make(self) -> QWidget:
        """The widget that sets it."""
        raise NotImplementedError

    def value(self, widget: Any) -> Any:
        """What is set."""
        raise NotImplementedError

    def set(self, widget: Any, value: Any) -> None:
        """Set it."""
        raise NotImplementedError

    def words(self, widget: Any) -> str:
        """What the line says of it, empty for nothing."""
        raise NotImplementedError

    def heard(self, widget: Any) -> Any:
        """The signal that says it has changed."""
        raise NotImplementedError


@dataclass(frozen=True)
class Choice(Field):
    """One of several, each with its text; ``said`` has what the line says where that is not the text."""

    choices: Mapping[Any, str] | Sequence[tuple[Any, str]] = ()
    first: Any = None
    said: Mapping[Any, str] | None = None
    #: Whether another one can be typed.
    editable: bool = False

    def make(self) -> QComboBox:
        box = QComboBox()
        if self.editable:
            box.setEditable(True)
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        rows = self.choices.items() if isinstance(self.choices, Mapping) else self.choices
        for value, text in rows:
            box.addItem(text, value)
        if self.first is not None:
            self.set(box, self.first)
        return box

    def value(self, widget: QComboBox) -> Any:
        return widget.currentData()

    def set(self, widget: QComboBox, value: Any) -> None:
        # By hand: findData does not know objects of ours.
        widget.setCurrentIndex(next((k for k in range(widget.count()) if widget.itemData(k) == value), 0))

    def words(self, widget: QComboBox) -> str:
        data = None if self.editable else widget.currentData()
        return (self.said or {}).get(data, widget.currentText())

    def heard(self, widget: QComboBox) -> Any:
        return widget.currentTextChanged if self.editable else widget.currentIndexChanged


@dataclass(frozen=True)
class Number(Field):
    """A number with its unit; ``none`` is what the lowest one is called where it stands for no number at all."""

    low: float = 0
    high: float = 100
    first: float = 0
    step: float = 1
    decimals: int = 0
    prefix: str = ""
    suffix: str = ""
    none: str = ""
    #: Whether its value is a float, even without decimals.
    floating: bool = False

    def make(self) -> QSpinBox | QDoubleSpinBox:
        box: QSpinBox | QDoubleSpinBox
        if self.decimals or self.floating:
            box = DecimalBox()
            box.setDecimals(self.decimals)
        else:
            box = QSpinBox()
        box.setRange(self.low, self.high)  # type: ignore[arg-type]
        box.setSingleStep(self.step)  # type: ignore[arg-type]
        box.setPrefix(self.prefix)
        box.setSuffix(self.suffix)
        box.setSpecialValueText(self.none)
        box.setValue(self.first)  # type: ignore[arg-type]
        return box

    def value(self, widget: QSpinBox | QDoubleSpinBox) -> float | int | None:
        return None if self.none and widget.value() == self.low else widget.value()

    def set(self, widget: QSpinBox | QDoubleSpinBox, value: float | None) -> None:
        widget.setValue(self.low if value is None else value)  # type: ignore[arg-type]

    def words(self, widget: QSpinBox | QDoubleSpinBox) -> str:
        return "" if self.value(widget) is None else widget.text()

    def heard(self, widget: QSpinBox | QDoubleSpinBox) -> Any:
        return widget.valueChanged


@dataclass(frozen=True)
class Text(Field):
    """A line of text; ``empty`` is what stands in it, and in the line, as long as it is empty."""

    first: str = ""
    empty: str = ""
    said: str = "{}"

    def make(self) -> QLineEdit:
        line = QLineEdit(self.first)
        line.setPlaceholderText(self.empty)
        return line

    def value(self, widget: QLineEdit) -> str:
        return widget.text()

    def set(self, widget: QLineEdit, value: str) -> None:
        widget.setText(value)

    def words(self, widget: QLineEdit) -> str:
        text = widget.text().strip()
        return self.said.format(text) if text else ""

    def heard(self, widget: QLineEdit) -> Any:
        return widget.textChanged


@dataclass(frozen=True)
class Switch(Field):
    """On or off; ``on`` and ``off`` are what the line says."""

    first: bool = False
    on: str = ""
    off: str = ""

    def make(self) -> QCheckBox:
        box = QCheckBox(self.label)
        box.setChecked(self.first)
        return box

    def value(self, widget: QCheckBox) -> bool:
        return widget.isChecked()

    def set(self, widget: QCheckBox, value: bool) -> None:
        widget.setChecked(value)

    def words(self, widget: QCheckBox) -> str:
        return self.on if widget.isChecked() else self.off

    def heard(self, widget: QCheckBox) -> Any:
        return widget.toggled


class Fields(QWidget):
    """Declared fields in rows; ``changed`` says that one has another value."""

    changed = Signal()

    def __init__(self, fields: Sequence[Field]) -> None:
        super().__init__()
        self.fields = {field.name: field for field in fields}
        self.widgets: dict[str, Any] = {}
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(6)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        for field in fields:
            widget = self.widgets[field.name] = field.make()
            widget.setAccessibleName(field.spoken or field.label.replace("&", ""))
            widget.setToolTip(field.tip)
            widget.setAccessibleDescription(field.tip)
            set_scaled(widget, QWidget.setMinimumHeight, 24)
            if isinstance(field, Switch):
                form.addRow(widget)
            else:
                form.addRow(field.label, widget)
            field.heard(widget).connect(lambda *_: self.changed.emit())

    def value(self, name: str) -> Any:
        """What a field is set to."""
        return self.fields[name].value(self.widgets[name])

    def set(self, name: str, value: Any) -> None:
        """Set a field; ``changed`` follows where that is another value."""
        self.fields[name].set(self.widgets[name], value)

    @property
    def words(self) -> str:
        """What is set, in one line."""
        said = (field.words(self.widgets[name]) for name, field in self.fields.items())
        return BETWEEN.join(words for words in said if words)


class SettingsLine(QPushButton):
    """What is set, on a button; pressed, the fields open below it, with ``more`` under them. Esc closes them.

    With ``shown`` the button says that and not what is set.
    """

    changed = Signal()

    def __init__(
        self, name: str, fields: Sequence[Field], more: Sequence[QWidget] = (), shown: str | None = None
    ) -> None:
        super().__init__()
        self.setObjectName("settings")
        self._name, self._shown = name, shown
        self.fields = Fields(fields)
        self.popover = QFrame(self, Qt.WindowType.Popup)
        self.popover.setObjectName("popover")
        self.popover.setAccessibleName(name)
        column = QVBoxLayout(self.popover)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addWidget(self.fields)
        for widget in more:
            column.addWidget(widget)
        policy = QSizePolicy.Policy
        self.setSizePolicy(policy.Expanding if shown is None else policy.Preferred, policy.Fixed)
        self.setMinimumWidth(60)
        self.setToolTip(f"{name}: press to change")
        self.clicked.connect(self.open)
        self.fields.changed.connect(self._changed)
        # The words are fitted to the size of the text, too.
        styled(self, SettingsLine._say)

    def value(self, name: str) -> Any:
        """What a field is set to."""
        return self.fields.value(name)

    def field(self, name: str) -> Any:
        """The widget of a field."""
        return self.fields.widgets[name]

    def open(self) -> None:
        """Show the fields below the line, on the screen it is on."""
        self.popover.adjustSize()
        size, at = self.popover.size(), self.mapToGlobal(QPoint(0, self.height() + 2))
        screen = self.screen().availableGeometry() if self.screen() is not None else None
        if screen is not None:
            at.setX(max(screen.left(), min(at.x(), screen.right() - size.width())))
            if at.y() + size.height() > screen.bottom():
                at.setY(max(screen.top(), self.mapToGlobal(QPoint(0, 0)).y() - size.height() - 2))
        self.popover.move(at)
        self.popover.show()
        first = next(iter(self.fields.widgets.values()), None)
        if first is not None:
            first.setFocus()

    def close_fields(self) -> None:
        """Close the popover, if it is open."""
        self.popover.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._say()

    def _changed(self) -> None:
        self._say()
        self.changed.emit()

    def _say(self) -> None:
        words = self.fields.words
        if self._shown is not None:
            self.setText(f"{self._shown} ▾")
            return
        self.setAccessibleName(f"{self._name}: {words}")
        room = max(20, self.width() - 34)
        self.setText(self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room) + " ▾")
