"""The button of a long search: it starts the search and stops it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.core.search.progress import Progress


class SearchButton(QPushButton):
    """Pressed, it emits ``requested``; pressed while the search runs, it cancels the search."""

    requested = Signal()
    #: The player cancelled the search.
    stopped = Signal()

    def __init__(self, text: str, task: BackgroundTask) -> None:
        super().__init__(text)
        self.setObjectName("quiet")
        self._text = text
        self._task = task
        self.clicked.connect(self._pressed)
        # A bound method is disconnected when the button goes, a lambda is not.
        task.finished.connect(self._say)

    def start(self, work: Callable[[Progress], Any]) -> None:
        """Start the search; until it has finished the button stops it."""
        self._task.start(work)
        self._say()

    def _pressed(self) -> None:
        if not self._task.busy:
            self.requested.emit()
            return
        self.cancel()
        self.stopped.emit()

    def cancel(self) -> None:
        """Cancel the search, if there is one."""
        self._task.cancel()
        self._say()

    def _say(self, _result: object = None) -> None:
        self.setText("Stop" if self._task.busy else self._text)
