"""Keeps the open document on disk while it is edited, without ever holding up the window."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal

from deft_reach.core.document import Document
from deft_reach.core.session import Session
from deft_reach.store.autosave import DELAY, Autosave


class _Write(QRunnable):
    def __init__(self, keeper: Keeper, document: Document, path: Path | None, opened: str | None) -> None:
        super().__init__()
        self.keeper, self.document, self.path, self.opened = keeper, document, path, opened

    def run(self) -> None:
        try:
            self.keeper.autosave.keep(self.document, self.path, self.opened)
        except OSError as error:
            self.keeper.failed.emit(str(error.strerror or error))


class Keeper(QObject):
    """Writes an autosave a moment after an edit. One writer at a time, so the last edit is what stays."""

    failed = Signal(str)

    def __init__(self, session: Session, folder: Path | None = None) -> None:
        super().__init__()
        self.session = session
        self.path: Path | None = None
        self.opened: str | None = None
        self._folder = folder
        self.autosave = Autosave(folder)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(int(DELAY * 1000))
        self._timer.timeout.connect(self.keep)
        self._kept: Document | None = None

    def watch(self) -> None:
        """Listen to the session (again, after its listeners were cleared)."""
        self.session.changed.connect(self._changed)

    def _changed(self) -> None:
        # Not restarted by further edits: a long drag is kept while it goes on.
        if not self._timer.isActive():
            self._timer.start()

    def keep(self) -> None:
        document = self.session.document
        if self.session.is_saved:
            self._pool.waitForDone(2000)
            self.autosave.clear()
            self._kept = None
        elif document is not self._kept:
            self._kept = document
            self._pool.start(_Write(self, document, self.path, self.opened))

    def keep_now(self) -> None:
        """Keep at once and wait until it is on disk."""
        self._timer.stop()
        self.keep()
        self._pool.waitForDone(5000)

    def forget(self) -> None:
        """The document is saved or given up: nothing is left to bring back."""
        self._timer.stop()
        self._pool.waitForDone(5000)
        self.autosave.clear()
        self._kept = None

    def hand_over(self) -> None:
        """Leave what is kept for a later start, and begin afresh for another document."""
        self.keep_now()
        self.autosave.close()
        self.autosave = Autosave(self._folder)
        self._kept = None

    def close(self) -> None:
        self._timer.stop()
        self._pool.waitForDone(5000)
        self.autosave.close()
