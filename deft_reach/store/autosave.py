"""Autosaves: a private copy of every open document, offered again after a crash.

Each open window owns one file and holds a lock beside it. The lock goes when the process does, however it ends, so a
file whose lock is free was left behind by a crash.
"""

from __future__ import annotations

import contextlib
import json
import uuid
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from deft_reach.core.document import Document
from deft_reach.formats.document import MAX_BYTES, dump_document, load_document
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import remove_orphans, write_atomic
from deft_reach.store.file_lock import FileLock, is_free, remove_idle
from deft_reach.store.places import autosave_dir
from deft_reach.store.reading import read_file

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
    """One window's autosave file, in ``folder`` or where autosaves usually are.

    Nothing is made before there is something to keep: a window starts without a folder that can be written.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self._name = uuid.uuid4().hex
        self._lock: FileLock | None = None
        #: The file once something was kept.
        self.file: Path | None = None

    def keep(self, document: Document, path: Path | None, opened: str | None) -> None:
        """Keep the document as it is now. Safe to call from another thread than the window's.

        Raises OSError where that cannot be.
        """
        folder = self._folder or autosave_dir()
        if self._lock is None:
            self._lock = FileLock(folder / f"{self._name}.lock")
        file = folder / f"{self._name}.autosave"
        head = {
            "format": "deft-reach-autosave",
            "path": None if path is None else str(path),
            "opened": opened,
            "time": datetime.now(UTC).isoformat(),
        }
        line = json.dumps(head, ensure_ascii=True).encode()
        write_atomic(file, line + b"\n" + dump_document(document), private=True)
        self.file = file

    def clear(self) -> None:
        """Forget what was kept: the document is saved."""
        if self.file is not None:
            self.file.unlink(missing_ok=True)

    def close(self) -> None:
        """Let go of the lock; what is still kept becomes a leftover for the next start."""
        if self._lock is not None:
            self._lock.release(remove=self.file is None or not self.file.exists())
            self._lock = None


def leftovers(folder: Path | None = None) -> list[Leftover]:
    """Autosaves whose owner is gone, the newest first. Unreadable ones are set aside, never deleted.

    Raises OSError where there can be no folder for them.
    """
    folder = folder or autosave_dir()
    remove_orphans(folder)
    found = []
    for file in folder.glob("*.autosave"):
        if not is_free(file.with_suffix(".lock")):
            continue
        try:
            found.append(_read(file))
        except (OSError, DocumentError, ValueError, KeyError, TypeError, OverflowError, RecursionError):
            with contextlib.suppress(OSError):
                file.rename(file.with_suffix(".unreadable"))
    remove_idle(folder.glob("*.lock"), ".autosave")
    return sorted(found, key=lambda leftover: leftover.time, reverse=True)


def discard(leftover: Leftover) -> None:
    """Remove a leftover for good."""
    leftover.file.unlink(missing_ok=True)
    leftover.file.with_suffix(".lock").unlink(missing_ok=True)


def _read(file: Path) -> Leftover:
    head, _, body = read_file(file, MAX_BYTES + 10_000).partition(b"\n")
    facts = json.loads(head)
    path = facts["path"]
    time = datetime.fromisoformat(facts["time"])
    # All are compared with each other: one without a zone is taken as this machine's.
    time = (time if time.tzinfo is not None else time.astimezone()).astimezone(UTC)
    if not isinstance(facts["opened"], str | None):
        raise DocumentError("damaged")
    return Leftover(file, load_document(body), None if path is None else Path(path), facts["opened"], time)
