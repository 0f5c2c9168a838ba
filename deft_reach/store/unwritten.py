"""Practice entries that are not in the logbook yet, on disk all the same: written ahead of it, a line each.

Each running app owns one file beside the logbook, or where that folder cannot be written in the state folder, and
holds a lock beside it. What a run leaves behind is taken up by the next one.
"""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Final, NamedTuple

from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import remove_orphans, write_atomic
from deft_reach.store.file_lock import FileLock, is_free, remove_idle
from deft_reach.store.log_entries import Attempt, TakeEntry, entry_from
from deft_reach.store.places import private_folder
from deft_reach.store.reading import MOST, read_file

_SUFFIX: Final = ".waiting"
_KINDS: Final = {"attempt": Attempt, "take": TakeEntry}


class LeftBehind(NamedTuple):
    """Entries that an earlier run could not write into the logbook, and the files they are in: whole ones, and
    damaged ones.
    """

    entries: tuple[Attempt | TakeEntry, ...]
    files: tuple[Path, ...]
    damaged: tuple[Path, ...]


class UnwrittenEntries:
    """One running app's file of entries on their way into a logbook.

    ``folders`` says where it may be, the first that can be written; they are functions because asking for a folder
    can fail. ``on_disk`` are the entries that are in the file now, ``problem`` why others are not.
    """

    def __init__(self, name: str, folders: Sequence[Callable[[], Path]]) -> None:
        self.name, self.folders = name, folders
        self.on_disk: tuple[Attempt | TakeEntry, ...] = ()
        self.problem = ""
        self._file: Path | None = None
        self.lock: FileLock | None = None

    def keep(self, entries: Sequence[Attempt | TakeEntry]) -> bool:
        """Have these entries, and no others, on disk; False where they cannot be."""
        wanted = tuple(entries)
        if wanted == self.on_disk:
            return True
        if not wanted:
            if self._file is not None:
                with suppress(OSError):
                    self._file.unlink(missing_ok=True)
            self.on_disk, self.problem = (), ""
            return True
        data = "".join(_line(entry) for entry in wanted).encode()
        try:
            write_atomic(self._own_file(), data, private=True)
        except OSError as error:
            self.problem = f"{error.filename or self.name}: {error.strerror or error}"
            return False
        self.on_disk, self.problem = wanted, ""
        return True

    def left_behind(self) -> LeftBehind:
        """What earlier runs left behind."""
        found: list[Attempt | TakeEntry] = []
        files: list[Path] = []
        damaged: list[Path] = []
        for folder in self._there():
            remove_orphans(folder, self.name)
            for file in sorted(folder.glob(f"{self.name}.*{_SUFFIX}")):
                if file == self._file or not is_free(_lock_of(file)):
                    continue
                try:
                    rows, whole = _read(file)
                except (OSError, DocumentError):
                    continue
                found += rows
                (files if whole else damaged).append(file)
            remove_idle(folder.glob(f"{self.name}.*.lock"), _SUFFIX)
        return LeftBehind(tuple(found), tuple(files), tuple(damaged))

    def close(self) -> None:
        """Let go of the file; what is still in it is left behind for the next run."""
        if self.lock is not None:
            self.lock.release(remove=not self.on_disk)
            self.lock = self._file = None

    def _own_file(self) -> Path:
        """This run's file, in the first folder in which it can be. Raises OSError where it can be nowhere."""
        if self._file is None:
            for k, folder in enumerate(self.folders):
                try:
                    file = private_folder(folder()) / f"{self.name}.{uuid.uuid4().hex}{_SUFFIX}"
                    self.lock = FileLock(_lock_of(file))
                    self._file = file
                    break
                except OSError:
                    if k == len(self.folders) - 1:
                        raise
        assert self._file is not None
        return self._file

    def _there(self) -> list[Path]:
        found = []
        for folder in self.folders:
            with suppress(OSError):
                path = folder()
                if path.is_dir():
                    found.append(path)
        return found


def forget(left: LeftBehind) -> None:
    """Remove the files of entries that are in the logbook now; damaged ones are set aside, never deleted."""
    for file in left.files:
        with suppress(OSError):
            file.unlink(missing_ok=True)
            _lock_of(file).unlink(missing_ok=True)
    for file in left.damaged:
        with suppress(OSError):
            file.rename(file.with_suffix(".unreadable"))
            _lock_of(file).unlink(missing_ok=True)


def _lock_of(file: Path) -> Path:
    return file.with_suffix(".lock")


def _line(entry: Attempt | TakeEntry) -> str:
    kind = "attempt" if isinstance(entry, Attempt) else "take"
    values = {name: value for name, value in vars(entry).items() if name not in ("id", "session")}
    return json.dumps({"kind": kind, **values}) + "\n"


def _read(file: Path) -> tuple[list[Attempt | TakeEntry], bool]:
    """The entries of a file, and whether every line was one."""
    rows: list[Attempt | TakeEntry] = []
    whole = True
    for line in read_file(file, MOST).splitlines():
        try:
            raw = json.loads(line)
            rows.append(entry_from(_KINDS[raw["kind"]], raw))
        except (ValueError, KeyError, TypeError, RecursionError):
            whole = False
    return rows, whole
