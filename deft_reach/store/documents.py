"""Opening and saving documents on disk."""

from __future__ import annotations

import hashlib
from pathlib import Path

from deft_reach.core.document import Document
from deft_reach.formats.document import MAX_BYTES, dump_document, load_document
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import remove_orphans, write_atomic
from deft_reach.store.reading import read_file
from deft_reach.store.settings import Settings

SUFFIX = ".reach"


class ChangedOnDiskError(Exception):
    """The file is no longer what was opened: another program has written it."""


def fingerprint(data: bytes) -> str:
    """A short name for a file's contents."""
    return hashlib.sha256(data).hexdigest()


def _fingerprint_of(path: Path) -> str:
    """The fingerprint of what is in a file now; empty for what could not be a document."""
    try:
        return fingerprint(read_file(path, MAX_BYTES))
    except DocumentError:
        return ""


def open_document(path: Path, settings: Settings | None = None) -> tuple[Document, str]:
    """A document and the fingerprint of the file it came from.

    With ``settings``, a file that passed the schema before is not held against it again: the validator takes longer
    to load than everything else about opening a document.
    """
    data = read_file(path, MAX_BYTES)
    name = fingerprint(data)
    document = load_document(data, validated=settings is not None and settings.is_validated(name))
    if settings is not None:
        settings.remember_validated(name)
    return document, name


def save_document(path: Path, document: Document, opened: str | None = None) -> str:
    """Save atomically and return the new fingerprint.

    ``opened`` is the fingerprint the document was opened or last saved with: if the file on disk no longer has it,
    ChangedOnDiskError is raised and nothing is written. None saves regardless.
    """
    if opened is not None and path.exists() and _fingerprint_of(path) != opened:
        raise ChangedOnDiskError(str(path))
    data = dump_document(document)
    write_atomic(path, data)
    remove_orphans(path.parent, path.name)
    return fingerprint(data)
