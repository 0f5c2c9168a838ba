"""What a player has set in fields, boxes and tabs, so that it is still set when they are made anew."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from PySide6.QtWidgets import QAbstractButton, QComboBox, QDoubleSpinBox, QLineEdit, QSpinBox, QTabWidget, QWidget

Inputs = dict[tuple[str, int, str], object]


def inputs_of(root: QWidget) -> Inputs:
    """The values of all fields that the app's own widgets under ``root`` have as attributes."""
    return {key: _value(field) for key, field in _fields(root)}


def set_inputs(root: QWidget, values: Inputs) -> None:
    """Set them again in widgets of the same making; what is not there any more is left as it is."""
    for key, field in _fields(root):
        if key in values:
            _set(field, values[key])


def _fields(root: QWidget) -> Iterator[tuple[tuple[str, int, str], QWidget]]:
    """Every field with the class of its owner, which one of that class it is, and its name there."""
    seen: Counter[str] = Counter()
    for owner in (root, *root.findChildren(QWidget)):
        if not type(owner).__module__.startswith("deft_reach."):
            continue
        kind = type(owner).__name__
        number, seen[kind] = seen[kind], seen[kind] + 1
        for name, value in vars(owner).items():
            parts = value.items() if isinstance(value, dict) else [("", value)]
            for part, field in parts:
                if isinstance(field, (QSpinBox, QDoubleSpinBox, QComboBox, QLineEdit, QTabWidget)) or (
                    isinstance(field, QAbstractButton) and field.isCheckable()
                ):
                    yield (kind, number, f"{name} {part}"), field


#: How each kind of field is read and set; the first that fits.
_WAYS: tuple[tuple[type[QWidget], str, str], ...] = (
    (QSpinBox, "value", "setValue"),
    (QDoubleSpinBox, "value", "setValue"),
    (QComboBox, "currentText", "setCurrentText"),
    (QLineEdit, "text", "setText"),
    (QTabWidget, "currentIndex", "setCurrentIndex"),
    (QAbstractButton, "isChecked", "setChecked"),
)


def _value(field: QWidget) -> object:
    return next(getattr(field, read)() for kind, read, _ in _WAYS if isinstance(field, kind))


def _set(field: QWidget, value: object) -> None:
    if _value(field) != value:
        next(getattr(field, write) for kind, _, write in _WAYS if isinstance(field, kind))(value)
