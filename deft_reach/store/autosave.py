"""Autosaves: a private copy of every open document, offered again after a crash.

Each open window owns one file and holds a lock beside it. The lock goes when the process does, however it ends, so a
file whose lock is free was left behind by a crash.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import uuid
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from deft_reach.core.document import Document
from deft_reach.formats.document import MAX_BYTES, dump_document, load_document
from deft_reach.formats.plain_text import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.places import autosave_dir

#: An edit is on disk at most this long after it was made (seconds), plus the time one write takes.
DELAY = 0.8


@dataclass(frozen=True)
class Leftover:
    """An autosave whose owner is gone: the document, the file it belongs to, and when it was kept."""

    file: Path
    document: Document
    path: Path | None
    opened: str | None
    time: datetime


class Autosave:
    """One window's autosave file."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or autosave_dir()
        name = uuid.uuid4().hex
        self.file = self.folder / f"{name}.autosave"
        self._lock_path = self.folder / f"{name}.lock"
        self._lock = os.open(self._lock_path, os.O_CREAT | os.O_RDWR, 0o600)
        fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def keep(self, document: Document, path: Path | None, opened: str | None) -> None:
        """Keep the document as it is now. Safe to call from another thread than the window's."""
        head = {
            "format": "deft-reach-autosave",
            "path": None if path is None else str(path),
            "opened": opened,
            "time": datetime.now(UTC).isoformat(),
        }
        line = json.dumps(head, ensure_ascii=True).encode()
        write_atomic(self.file, line + b"\n" + dump_document(document))

    def clear(self) -> None:
        """Forget what was kept: the document is saved."""
        self.file.unlink(missing_ok=True)

    def close(self) -> None:
        """Let go of the lock; what is still kept becomes a leftover for the next start."""
        with contextlib.suppress(OSError):
            os.close(self._lock)
        if not self.file.exists():
            self._lock_path.unlink(missing_ok=True)


def leftovers(folder: Path | None = None) -> list[Leftover]:
    """Autosaves whose owner is gone, the newest first. Unreadable ones are set aside, never deleted."""
    folder = folder or autosave_dir()
    found = []
    for file in folder.glob("*.autosave"):
        if not _ownerless(file):
            continue
        try:
            found.append(_read(file))
        except (OSError, DocumentError, ValueError, KeyError, TypeError):
            with contextlib.suppress(OSError):
                file.rename(file.with_suffix(".unreadable"))
    for lock in folder.glob("*.lock"):
        if not lock.with_suffix(".autosave").exists() and _free(lock):
            lock.unlink(missing_ok=True)
    return sorted(found, key=lambda leftover: leftover.time, reverse=True)


def discard(leftover: Leftover) -> None:
    """Remove a leftover for good."""
    leftover.file.unlink(missing_ok=True)
    leftover.file.with_suffix(".lock").unlink(missing_ok=True)


def _ownerless(file: Path) -> bool:
    lock = file.with_suffix(".lock")
    return not lock.exists() or _free(lock)


def _free(lock: Path) -> bool:
    try:
        handle = os.open(lock, os.O_RDWR)
    except OSError:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def _read(file: Path) -> Leftover:
    if file.stat().st_size > MAX_BYTES + 10_000:
        raise DocumentError("too large")
    head, _, body = file.read_bytes().partition(b"\n")
    facts = json.loads(head)
    path = facts["path"]
    time = datetime.fromisoformat(facts["time"])
    return Leftover(file, load_document(body), None if path is None else Path(path), facts["opened"], time)
