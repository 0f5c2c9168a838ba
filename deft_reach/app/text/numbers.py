"""Numbers as the player's locale writes them. Files, commands and stroke text have a point everywhere."""

from __future__ import annotations

from PySide6.QtCore import QLocale


def decimal_point() -> str:
    """The decimal mark of the player's locale."""
    return QLocale().decimalPoint()


def localised(text: str) -> str:
    """A number written with a point, as the locale writes it."""
    point = decimal_point()
    return text if point == "." else text.replace(".", point)


def decimal(value: float, spec: str) -> str:
    """A number in a format of Python (``.1f``)."""
    return localised(format(value, spec))


def bpm(tempo: float) -> str:
    """A tempo with its unit."""
    return f"{decimal(tempo, '.4g')} BPM"
