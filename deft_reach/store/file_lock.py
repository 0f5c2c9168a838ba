"""Locks that say whose a file is: they go when the process does, however it ends."""

from __future__ import annotations

import contextlib
import fcntl
import os
from collections.abc import Iterable
from pathlib import Path


class FileLock:
    """Holds ``path`` until it is released. Raises BlockingIOError where somebody else holds it, OSError where the
    lock's file cannot be made.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._handle = os.open(path, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(self._handle)
            raise

    def release(self, *, remove: bool = True) -> None:
        """Let go; ``remove`` takes the lock's own file away with it."""
        if remove:
            self.path.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.close(self._handle)


def is_free(path: Path) -> bool:
    """Whether nobody holds this lock."""
    try:
        handle = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    except FileNotFoundError:
        return True
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def remove_idle(locks: Iterable[Path], suffix: str) -> None:
    """Remove the locks that nobody holds and whose files, of the same name with this suffix, are gone."""
    for lock in locks:
        if not lock.with_suffix(suffix).exists() and is_free(lock):
            with contextlib.suppress(OSError):
                lock.unlink(missing_ok=True)
