"""What follows while something is dragged: the drawing under the pointer at once, everything else a little later.

A frame of the whole window takes longer than a hand waits for. So while a drawing is pressed, the others show the
session at most every EVERY_MS, and exactly as it is at the release.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final
from weakref import WeakSet

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

EVERY_MS: Final = 60


@dataclass
class _Drag:
    """The drawing in which a mouse button is down, and what waits for it."""

    widget: QWidget | None = None
    waiting: WeakSet[DragPace] = field(default_factory=WeakSet)


_drag = _Drag()


def pressed(widget: QWidget) -> None:
    """A mouse button went down in a drawing."""
    _drag.widget = widget


def dragging() -> bool:
    """Whether a mouse button is down in a drawing."""
    return _drag.widget is not None


def released() -> None:
    """It came up again: what waited is done now."""
    _drag.widget = None
    for pace in list(_drag.waiting):
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
        return self in _drag.waiting

    def ask(self) -> None:
        """The session has changed."""
        if _drag.widget is None or _drag.widget is self._widget:
            self._do()
        else:
            _drag.waiting.add(self)
            if not self._timer.isActive():
                self._timer.start(self._offset)

    def catch_up(self) -> None:
        """Do what was asked for and waits."""
        if self.waiting:
            self._do()
            if _drag.widget is not None:
                self._timer.start(EVERY_MS)

    def _do(self) -> None:
        _drag.waiting.discard(self)
        self._work()
