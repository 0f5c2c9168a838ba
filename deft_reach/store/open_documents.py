"""Which documents are open in a window, so that a second one can say so."""

from __future__ import annotations

import hashlib
import os
import time
from contextlib import suppress
from pathlib import Path
from typing import Final

from deft_reach.store.file_lock import FileLock, is_free
from deft_reach.store.places import open_documents_dir

#: Locks that a killed process left behind are removed after so long (seconds).
_OLD: Final = 86_400.0


class OpenDocument:
    """One window's claim to a document's file."""

    def __init__(self) -> None:
        self.path: Path | None = None
        #: Whether another window has the same document open.
        self.is_shared = False
        self._lock: FileLock | None = None

    def claim(self, path: Path | None) -> None:
        """Have this document open, and no other one any more; None for one without a file."""
        real = None if path is None else Path(os.path.realpath(path))
        if real == self.path and (real is None or self._lock is not None):
            return
        self.release()
        self.path = real
        if real is None:
            return
        # Without a place for locks nothing is known, which is no reason to open nothing.
        with suppress(OSError):
            folder = open_documents_dir()
            _remove_old(folder)
            try:
                self._lock = FileLock(folder / f"{hashlib.sha256(os.fsencode(real)).hexdigest()}.lock")
            except BlockingIOError:
                self.is_shared = True

    def release(self) -> None:
        """Let go of the document."""
        if self._lock is not None:
            with suppress(OSError):
                self._lock.release()
        self._lock, self.path, self.is_shared = None, None, False


def _remove_old(folder: Path) -> None:
    for lock in folder.glob("*.lock"):
        with suppress(OSError):
            if time.time() - lock.stat().st_mtime > _OLD and is_free(lock):
                lock.unlink()
