"""What stands where a file is to be written, and whether it may be replaced."""

from __future__ import annotations

import os
import stat
from pathlib import Path
from typing import Final

from deft_reach.formats.kinds import DOCUMENT, EMPTY, kind_of
from deft_reach.formats.reading import DocumentError
from deft_reach.store.reading import read_file

#: What is no place for a file at all, by the kind of its directory entry.
_NO_PLACE: Final = (
    (stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"),
    (stat.S_ISBLK, "a block device"),
)  # fmt: skip


def no_place(path: Path) -> str:
    """Why nothing can be written to a path at all, empty if it can: it is a pipe, for instance."""
    try:
        mode = os.stat(path).st_mode
    except (OSError, ValueError):
        return ""
    return next((f"it is {what}" for is_so, what in _NO_PLACE if is_so(mode)), "")


def is_device(path: Path) -> bool:
    """Whether this is a character device, such as ``/dev/null``: it is written to as it is."""
    try:
        return stat.S_ISCHR(os.stat(path).st_mode)
    except (OSError, ValueError):
        return False


def is_protected(path: Path) -> str:
    """Why somebody may not want this file to be replaced, whatever it holds; empty for no reason.

    It is read-only, for root as well, or has another name, which would keep the old contents.
    """
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        return ""
    if not stat.S_ISREG(found.st_mode):
        return ""
    if not found.st_mode & 0o222 or not os.access(path, os.W_OK):
        return "it is read-only"
    if found.st_nlink > 1:
        return "it has another name as well (a hard link), which would keep the old contents"
    return ""


def holds_other(path: Path, kind: str) -> str:
    """Why a file of this kind may not be put in the place of what is there, empty if it may."""
    if is_device(path) or no_place(path) or not path.exists():
        return ""
    try:
        there = kind_of(read_file(path))
    except (OSError, DocumentError):
        there = ""
    if there == DOCUMENT:
        return "it is a document, with everything in it"
    return "" if there in (kind, EMPTY) else f"it holds {there or 'something else'}, not {kind}"
