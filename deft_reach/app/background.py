"""Questions asked in the background: only the newest answer counts, and the window never waits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal


class _Job(QRunnable):
    def __init__(self, asker: Asker, number: int, work: Callable[[], Any], refusals: type[Exception]) -> None:
        super().__init__()
        self.asker, self.number, self.work, self.refusals = asker, number, work, refusals

    def run(self) -> None:
        try:
            result: Any = self.work()
        except self.refusals as error:
            result = str(error)
        self.asker.done.emit(self.number, result)


class Asker(QObject):
    """Asks one question at a time; ``answered`` carries its result, or the words of its refusal as a string."""

    done = Signal(int, object)
    answered = Signal(object)

    def __init__(self, refusals: type[Exception]) -> None:
        super().__init__()
        self._refusals = refusals
        self._number = 0
        self.done.connect(self._take)

    def ask(self, work: Callable[[], Any]) -> None:
        """Do this in the background; an earlier question that is not answered yet is forgotten."""
        self._number += 1
        QThreadPool.globalInstance().start(_Job(self, self._number, work, self._refusals))

    def forget(self) -> None:
        self._number += 1

    def _take(self, number: int, result: object) -> None:
        if number == self._number:
            self.answered.emit(result)
