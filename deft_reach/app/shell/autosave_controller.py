"""Keeps the open document on disk while it is edited, without ever holding up the window."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal

from deft_reach.core.document import Document
from deft_reach.core.session import Session
from deft_reach.formats.reading import DocumentError
from deft_reach.store.autosave import DELAY, Autosave

#: A write that failed is tried again after so long (ms).
RETRY_MS = 2000


class _Write(QRunnable):
    def __init__(
        self, controller: AutosaveController, document: Document, path: Path | None, opened: str | None
    ) -> None:
        super().__init__()
        self.controller, self.document, self.path, self.opened = controller, document, path, opened

    def run(self) -> None:
        controller = self.controller
        try:
            controller.storage.keep(self.document, self.path, self.opened)
        except DocumentError as error:
            self._done()
            controller.failed.emit(str(error))
        except OSError as error:
            self._done()
            where = f"{error.filename}: " if isinstance(error.filename, str) else ""
            controller.failed.emit(f"{where}{error.strerror or error}")
        else:
            # What is on disk is known by the disk alone.
            controller.on_disk = self.document
            self._done()

    def _done(self) -> None:
        # A later edit may be waiting to be written already.
        if self.controller.writing is self.document:
            self.controller.writing = None


class AutosaveController(QObject):
    """Writes an autosave a moment after an edit. One writer at a time, so the last edit is what stays.

    A write that failed is tried again on a timer, until the document is on disk or saved. ``on_disk`` is the document
    that was last written for certain, ``writing`` the one that is being written now.
    """

    failed = Signal(str)

    def __init__(self, session: Session, folder: Path | None = None) -> None:
        super().__init__()
        self.session = session
        self.path: Path | None = None
        self.opened: str | None = None
        self._folder = folder
        self.storage = Autosave(folder)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(int(DELAY * 1000))
        self._timer.timeout.connect(self.keep)
        self.on_disk: Document | None = None
        self.writing: Document | None = None
        self.failed.connect(self._try_again)

    def watch(self) -> None:
        """Listen to the session (again, after its listeners were cleared)."""
        self.session.changed.connect(self._changed)
        # While a long plan is typed nothing else hears of it until the keys rest.
        self.session.typed.connect(self._changed)

    def _changed(self) -> None:
        # Not restarted by further edits: a long drag is kept while it goes on.
        if not self._timer.isActive():
            self._timer.start()

    def _try_again(self, why: str) -> None:
        if not self._timer.isActive() and not self.session.is_saved:
            self._timer.start(RETRY_MS)

    def keep(self) -> None:
        # A later edit is kept after the usual moment again.
        self._timer.setInterval(int(DELAY * 1000))
        document = self.session.document
        if self.session.is_saved:
            self._pool.waitForDone(2000)
            self._clear()
        elif document is not (self.writing or self.on_disk):
            self.writing = document
            self._pool.start(_Write(self, document, self.path, self.opened))

    def _clear(self) -> None:
        """Nothing is left to bring back; a copy that cannot be removed is offered once more, and does no harm."""
        self.on_disk = None
        with suppress(OSError):
            self.storage.clear()

    def keep_now(self) -> bool:
        """Keep at once and wait until it is on disk; whether it is, or there is nothing that is not saved."""
        self._timer.stop()
        self.keep()
        self._pool.waitForDone(5000)
        return self.session.is_saved or self.on_disk is self.session.document

    def forget(self) -> None:
        """The document is saved or given up: nothing is left to bring back."""
        self._timer.stop()
        self._pool.waitForDone(5000)
        self._clear()

    def hand_over(self) -> bool:
        """Leave what is kept for a later start, and begin afresh for another document; False where it could not be
        kept, and then nothing was done.
        """
        if not self.keep_now():
            return False
        self.storage.close()
        self.storage = Autosave(self._folder)
        self.on_disk = None
        return True

    def close(self) -> None:
        self._timer.stop()
        self._pool.waitForDone(5000)
        self.storage.close()
