"""Replacing a file so that a crash at any moment leaves either the old contents or the new, never a mixture."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import tempfile
import time
from pathlib import Path
from typing import Final

from deft_reach.store.replacing import is_device, no_place

#: A temporary file of this age (seconds) was left behind by a process that ended while it wrote.
ORPHANED_AFTER: Final = 600.0


def write_atomic(path: Path, data: bytes, *, private: bool = False) -> None:
    """Write ``data`` to ``path`` through a temporary file beside it: write, fsync, rename, fsync the folder.

    A symbolic link is followed, so that the link stays one; permissions of an existing file are kept, and a
    ``private`` file can be read by its owner alone. A character device is written to as it is; a pipe, a socket or a
    folder is never replaced. Raises OSError for those, and when the folder cannot be written; the old file is then
    untouched.
    """
    target = Path(os.path.realpath(path))
    if is_device(target):
        with target.open("wb") as device:
            device.write(data)
        return
    never = no_place(target)
    if never:
        raise OSError(errno.EINVAL, f"nothing can be written there: {never}")
    handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if not private:
            try:
                mode = stat.S_IMODE(target.stat().st_mode)
            except FileNotFoundError:
                mode = 0o666 & ~_umask()
            os.chmod(name, mode)
        os.replace(name, target)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(name)
        raise
    sync_folder(target.parent)


def remove_orphans(folder: Path, name: str = "") -> None:
    """Remove temporary files in a folder that a process left behind which was stopped while it wrote; ``name`` says
    of which file, empty for all.
    """
    with contextlib.suppress(OSError):
        for entry in os.scandir(folder):
            if entry.name.startswith(f".{name}") and entry.name.endswith(".part"):
                with contextlib.suppress(OSError):
                    if entry.is_file() and time.time() - entry.stat().st_mtime > ORPHANED_AFTER:
                        os.unlink(entry.path)


def sync_folder(folder: Path) -> None:
    """Make a rename in this folder last through a power loss."""
    # Some network file systems cannot sync a folder, some folders cannot be looked into; the rename itself is done.
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
