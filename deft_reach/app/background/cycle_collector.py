"""Python's search for cycles, kept to the window's own thread and out of the way of its frames.

Left to itself it runs in whichever thread happens to fill the count, and would take widgets apart from a background
thread: Qt does not allow that, and the two can wait for each other for ever.
"""

from __future__ import annotations

import gc
from typing import Final

from PySide6.QtCore import QObject, QTimer

#: So many new objects (all that a few frames make and drop again) before young ones are looked through.
YOUNG: Final = 20_000
#: How many such looks before older ones are, and how many of those before all are.
OLDER, ALL = 20, 10
EVERY_MS: Final = 250


class CycleCollector(QObject):
    """Collects cycles from time to time, in the thread it was made in."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._young = self._older = 0
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collect if there is enough to collect."""
        if gc.get_count()[0] < YOUNG:
            return
        self._young += 1
        if self._young < OLDER:
            gc.collect(0)
            return
        self._young = 0
        self._older += 1
        if self._older < ALL:
            gc.collect(1)
            return
        self._older = 0
        gc.collect()
