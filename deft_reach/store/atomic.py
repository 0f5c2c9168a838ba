"""Replacing a file so that a crash at any moment leaves either the old contents or the new, never a mixture."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
from pathlib import Path


def write_atomic(path: Path, data: bytes) -> None:
    """Write ``data`` to ``path`` through a temporary file beside it: write, fsync, rename, fsync the folder.

    A symbolic link is followed, so that the link stays one; permissions of an existing file are kept. Raises
    OSError when the folder cannot be written; the old file is then untouched.
    """
    target = Path(os.path.realpath(path))
    handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
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


def sync_folder(folder: Path) -> None:
    """Make a rename in this folder last through a power loss."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    except OSError:
        pass  # some network file systems cannot sync a folder; the rename itself is done
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
