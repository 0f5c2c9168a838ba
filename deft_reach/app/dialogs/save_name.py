"""Asking under which name to save: the ending is the right one, and no file is overwritten unasked."""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from deft_reach.app.widgets.plain_text import plain_box
from deft_reach.store.replacing import is_protected

#: Endings of files that the app knows: one of them says what somebody wants.
KNOWN = frozenset({
    ".reach", ".mid", ".midi", ".musicxml", ".mxl", ".xml", ".csv", ".txt", ".json", ".pdf", ".svg", ".png", ".wav",
})  # fmt: skip


class OtherFormatError(ValueError):
    """A name whose ending means a format that cannot be written here: says which can."""


def ask_name(
    parent: QWidget, title: str, proposal: str, filters: str, endings: dict[str, str], default: str,
    allowed: Collection[str],
) -> tuple[Path, str] | None:  # fmt: skip
    """A file to write, and the filter that was chosen; None where it was called off.

    ``endings`` are those of each filter, ``default`` the one without any, ``allowed`` all that can be written. A name
    without one of the known endings gets one; if a file of that name is there already, it is asked about.

    Raises OtherFormatError for an ending that means another format.
    """
    name, chosen = QFileDialog.getSaveFileName(parent, title, proposal, filters)
    if not name:
        return None
    path = with_ending(Path(name), endings.get(chosen, default), allowed)
    # The dialog has asked about the name that was typed, and not about this one.
    if str(path) != name and path.exists() and not _may_overwrite(parent, path):
        return None
    return (path, chosen) if may_replace(parent, path) else None


def with_ending(path: Path, ending: str, allowed: Collection[str]) -> Path:
    """A path that ends as it can be written: ``v1.2`` becomes ``v1.2.reach``.

    Raises OtherFormatError for an ending that means another format.
    """
    suffix = path.suffix.lower()
    if suffix in allowed:
        return path
    if suffix in KNOWN:
        raise OtherFormatError(
            f"{path.name} ends in {suffix}, which is another format; this can be written as {', '.join(allowed)}"
        )
    return path.with_name(path.name + ending)


def may_replace(parent: QWidget, path: Path) -> bool:
    """Ask whether a file may be replaced that is read-only or has another name; other files may."""
    why = is_protected(path)
    if not why:
        return True
    box = plain_box(parent, "Write over it?", f"{path.name} is not replaced without asking: {why}.")
    over = box.addButton("Write over it", QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(stay)
    box.exec()
    return box.clickedButton() is over


def _may_overwrite(parent: QWidget, path: Path) -> bool:
    box = plain_box(parent, "Overwrite?", f"There is a file {path.name} already.")
    over = box.addButton("Overwrite it", QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(stay)
    box.exec()
    return box.clickedButton() is over


def file_stem(name: str) -> str:
    """A file's name made from what something is called: never a path, whatever is in it."""
    words = "".join(char if char.isalnum() or char in "-_." else "-" for char in name.lower())
    return re.sub("-+", "-", words).strip("-.")[:80] or "untitled"
