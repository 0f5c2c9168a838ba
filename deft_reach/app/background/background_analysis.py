"""Very long texts are read and analysed in the background, so that the window goes on answering."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.core.session import Session


class BackgroundAnalysis(QObject):
    """Does the work that a session puts into the background, one job at a time; of those that wait, the newest."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._task = BackgroundTask(expected=Exception)
        self._task.finished.connect(self._finished)
        self._next: tuple[Callable[[], Any], Callable[[Any], None]] | None = None
        self._done: Callable[[Any], None] = lambda _: None
        session.background = self._ask

    def _ask(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        self._next = (work, done)
        if not self._task.busy:
            self._begin()

    def _begin(self) -> None:
        if self._next is not None:
            (work, self._done), self._next = self._next, None
            self._task.start(lambda _: work())

    def _finished(self, result: Any) -> None:
        if self._next is not None:
            self._begin()
        elif isinstance(result, str):
            # It failed. Done again in the window's thread, the fault is reported as any other is.
            self._session.catch_up()
        else:
            self._done(result)
