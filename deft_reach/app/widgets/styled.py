"""Widgets that follow theme, text size and unit: what depends on them is set again when they change.

Colours are read when something is painted, and the style sheet is the application's; what is left are fonts and sizes
of single widgets, icons, and fields that show lengths.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable
from typing import Any, TypeVar

import shiboken6
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme

W = TypeVar("W", bound=QWidget)

_styled: list[tuple[weakref.ref[QWidget], Callable[[Any], object]]] = []


def styled(widget: W, style: Callable[[W], object]) -> None:
    """Style a widget now, and again whenever theme, text size or unit change."""
    style(widget)
    _styled.append((weakref.ref(widget), style))


def set_font(widget: QWidget, face: Callable[..., QFont], points: float, **more: Any) -> None:
    """Give a widget a font of the theme, such as ``theme.ui_font``."""
    styled(widget, lambda w: w.setFont(face(points, **more)))


def set_scaled(widget: W, set_size: Callable[[W, int], object], pixels: float, least: float = 0.0) -> None:
    """Give a widget a size that goes with the text; it shrinks no further than ``least`` times the usual one."""
    styled(widget, lambda w: set_size(w, round(pixels * max(least, theme.text_scale()))))


def set_property(widget: QWidget, name: str, value: Any) -> None:
    """Set a property that the style sheet asks for; nothing happens where it is so already."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)
        widget.update()


def restyle() -> None:
    """Style everything again that is still there."""
    there = []
    for held, style in _styled:
        widget = held()
        if widget is not None and shiboken6.isValid(widget):
            style(widget)
            there.append((held, style))
    _styled[:] = there
