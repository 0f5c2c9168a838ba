"""Questions asked in the background: only the newest answer counts, and the window never waits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from deft_reach.core.progress import Cancelled, Progress


class _Job(QRunnable):
    def __init__(self, asker: Asker, number: int, work: Callable[[Progress], Any], refusals: type[Exception]) -> None:
        super().__init__()
        self.asker, self.number, self.work, self.refusals = asker, number, work, refusals
        self.progress = Progress(lambda *told: asker.told.emit(number, told))

    def run(self) -> None:
        try:
            result: Any = self.work(self.progress)
        except Cancelled:
            return
        except self.refusals as error:
            result = str(error)
        except Exception as error:
            # Not foreseen: the question is over all the same, and whoever looks after the program hears of it.
            self.asker.done.emit(self.number, f"this could not be worked out, by a fault of the program ({error!r})")
            raise
        self.asker.done.emit(self.number, result)


class Asker(QObject):
    """Asks one question at a time; ``answered`` carries its result, or the words of its refusal as a string.

    While it is looked for, ``progressed`` carries how much has been looked at, of how much (None: nobody knows), and
    what has been found so far.
    """

    done = Signal(int, object)
    told = Signal(int, object)
    answered = Signal(object)
    progressed = Signal(object, object, object)

    def __init__(self, refusals: type[Exception]) -> None:
        super().__init__()
        self._refusals = refusals
        self._number = 0
        self._job: _Job | None = None
        self.done.connect(self._take)
        self.told.connect(self._hear)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._job is not None

    def ask(self, work: Callable[[Progress], Any]) -> None:
        """Do this in the background; an earlier question that is not answered yet is given up."""
        self.forget()
        self._job = _Job(self, self._number, work, self._refusals)
        QThreadPool.globalInstance().start(self._job)

    def forget(self) -> None:
        """Give the question up: the search stops at its next step, and nothing comes of it."""
        self._number += 1
        if self._job is not None:
            self._job.progress.cancel()
            self._job = None

    def _take(self, number: int, result: object) -> None:
        if number == self._number:
            self._job = None
            self.answered.emit(result)

    def _hear(self, number: int, told: tuple[int, int | None, object]) -> None:
        if number == self._number:
            self.progressed.emit(*told)
