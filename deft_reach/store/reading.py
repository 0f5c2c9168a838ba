"""Reading files that anybody may have put there."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from deft_reach.formats.reading import DocumentError

#: No file that could be read is larger than this, unless its reader says so.
MOST: Final = 32_000_000


def read_file(path: Path, limit: int = MOST) -> bytes:
    """A file's bytes, refusing folders, devices and sizes over ``limit`` before anything is read.

    Raises OSError as the system gives it, DocumentError for the rest.
    """
    try:
        if path.exists() and not path.is_file():
            raise DocumentError("not a plain file")
        size = path.stat().st_size
    except ValueError as error:
        if isinstance(error, DocumentError):
            raise
        raise DocumentError("no file can have this name") from None
    if size <= limit:
        with path.open("rb") as file:
            # It may have grown since, and some files do not know how long they are.
            data = file.read(limit + 1)
        size = len(data)
    if size > limit:
        raise DocumentError(f"the file has {size:,} bytes; at most {limit:,} are read")
    return data


def is_file(path: Path) -> bool:
    """Whether this is a file that is there; a name that cannot even be one is none."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False
