"""What follows while something is dragged: the drawing under the pointer at once, everything else a little later.

A frame of the whole window takes longer than a hand waits for. So while a drawing is pressed, the others show the
session at most every EVERY_MS, and exactly as it is at the release.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Final
from weakref import WeakSet

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

EVERY_MS: Final = 60


class _Held:
    """The drawing in which a mouse button is down, and what waits for it."""

    widget: QWidget | None = None
    waiting: WeakSet[DragPace]


_Held.waiting = WeakSet()


def pressed(widget: QWidget) -> None:
    """A mouse button went down in a drawing."""
    _Held.widget = widget


def released() -> None:
    """It came up again: what waited is done now."""
    _Held.widget = None
    for pace in list(_Held.waiting):
        pace.catch_up()


class DragPace(QObject):
    """Does ``work`` when it is asked for, or a little later while another drawing than ``widget`` is dragged in."""

    #: How many there have been.
    _count = 0

    def __init__(self, widget: QWidget, work: Callable[[], object]) -> None:
        super().__init__(widget)
        self._widget, self._work = widget, work
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.catch_up)
        # Each begins at a time of its own, so that not everything falls into one frame.
        DragPace._count += 1
        self._offset = EVERY_MS * (DragPace._count * 7 % 16 + 1) // 16

    @property
    def waiting(self) -> bool:
        """Whether work was asked for and is still to come."""
        return self in _Held.waiting

    def ask(self) -> None:
        """The session has changed."""
        if _Held.widget is None or _Held.widget is self._widget:
            self._do()
        else:
            _Held.waiting.add(self)
            if not self._timer.isActive():
                self._timer.start(self._offset)

    def catch_up(self) -> None:
        """Do what was asked for and waits."""
        if self.waiting:
            self._do()
            if _Held.widget is not None:
                self._timer.start(EVERY_MS)

    def _do(self) -> None:
        _Held.waiting.discard(self)
        self._work()
