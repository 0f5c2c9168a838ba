"""Opening and saving documents on disk."""

from __future__ import annotations

import hashlib
from pathlib import Path

from deft_reach.core.document import Document
from deft_reach.formats.document import MAX_BYTES, dump_document, load_document
from deft_reach.formats.plain_text import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.recent import Memory

SUFFIX = ".reach"


class ChangedOnDiskError(Exception):
    """The file is no longer what was opened: another program has written it."""


def fingerprint(data: bytes) -> str:
    """A short name for a file's contents."""
    return hashlib.sha256(data).hexdigest()


def read_file(path: Path, limit: int = MAX_BYTES) -> bytes:
    """A file's bytes, refusing folders, devices and sizes over ``limit`` before anything is read.

    Raises OSError as the system gives it, DocumentError for the rest.
    """
    if path.exists() and not path.is_file():
        raise DocumentError("not a plain file")
    size = path.stat().st_size
    if size > limit:
        raise DocumentError(f"the file has {size:,} bytes; at most {limit:,} are read")
    return path.read_bytes()


def open_document(path: Path, memory: Memory | None = None) -> tuple[Document, str]:
    """A document and the fingerprint of the file it came from.

    With a ``memory``, a file that passed the schema before is not held against it again: the validator takes longer
    to load than everything else about opening a document.
    """
    data = read_file(path)
    name = fingerprint(data)
    document = load_document(data, validated=memory is not None and memory.is_validated(name))
    if memory is not None:
        memory.remember_validated(name)
    return document, name


def save_document(path: Path, document: Document, opened: str | None = None) -> str:
    """Save atomically and return the new fingerprint.

    ``opened`` is the fingerprint the document was opened or last saved with: if the file on disk no longer has it,
    ChangedOnDiskError is raised and nothing is written. None saves regardless.
    """
    if opened is not None and path.exists() and fingerprint(path.read_bytes()) != opened:
        raise ChangedOnDiskError(str(path))
    data = dump_document(document)
    write_atomic(path, data)
    return fingerprint(data)
