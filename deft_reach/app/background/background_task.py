"""Work in a background thread: only the newest result counts, and the window never waits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final, Protocol
from weakref import WeakSet

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from deft_reach.core.search.progress import Cancelled, Progress

#: So many jobs run side by side, whatever the machine: a long search must not keep a short job waiting.
JOBS: Final = 8


class Cancellable(Protocol):
    """What works in the background until it is done or cancelled."""

    def cancel(self) -> None: ...


_running: WeakSet[Cancellable] = WeakSet()


def started(job: Cancellable) -> None:
    """Note that something works in the background."""
    _running.add(job)


def cancel_all() -> None:
    """Cancel whatever works in the background: nobody is left to take its results."""
    for job in list(_running):
        job.cancel()
    _running.clear()


class _Job(QRunnable):
    def __init__(
        self, task: BackgroundTask, number: int, work: Callable[[Progress], Any], expected: type[Exception]
    ) -> None:
        super().__init__()
        self.task, self.number, self.work, self.expected = task, number, work, expected
        self.progress = Progress(lambda *told: task.reported.emit(number, told))

    def run(self) -> None:
        try:
            result: Any = self.work(self.progress)
        except Cancelled:
            return
        except self.expected as error:
            result = str(error)
        except Exception as error:
            # Unexpected: the job has ended all the same, and the exception is reported.
            self.task.done.emit(self.number, f"this could not be worked out, by a fault of the program ({error!r})")
            raise
        self.task.done.emit(self.number, result)


class BackgroundTask(QObject):
    """Runs one job at a time; ``finished`` carries its result, or the message of an expected error as a string.

    While it runs, ``progressed`` carries how much is done, of how much (None: not known), and the best result so far.
    """

    done = Signal(int, object)
    reported = Signal(int, object)
    finished = Signal(object)
    progressed = Signal(object, object, object)

    def __init__(self, expected: type[Exception]) -> None:
        super().__init__()
        self._expected = expected
        self._number = 0
        self._job: _Job | None = None
        self.done.connect(self._take)
        self.reported.connect(self._hear)

    @property
    def busy(self) -> bool:
        """Whether a job is running."""
        return self._job is not None

    def start(self, work: Callable[[Progress], Any]) -> None:
        """Run this in the background; a job that is still running is cancelled."""
        self.cancel()
        self._job = _Job(self, self._number, work, self._expected)
        started(self)
        QThreadPool.globalInstance().start(self._job)

    def cancel(self) -> None:
        """Cancel the job: it stops at its next step, and its result is discarded."""
        self._number += 1
        if self._job is not None:
            self._job.progress.cancel()
            self._job = None

    def _take(self, number: int, result: object) -> None:
        if number == self._number:
            self._job = None
            self.finished.emit(result)

    def _hear(self, number: int, told: tuple[int, int | None, object]) -> None:
        if number == self._number:
            self.progressed.emit(*told)
