"""One drawing as a PDF page, written whole or not at all."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF
from PySide6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter

from deft_reach.store.atomic import write_atomic


def write_pdf(path: Path, paper: QPageSize, title: str, draw: Callable[[QPainter, QPdfWriter], None]) -> None:
    """Write a page without margins; ``draw`` is given the painter and the page. Raises OSError."""
    # In memory first: the writer does not say when a disk is full.
    page = QBuffer()
    page.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(page)
    writer.setPageLayout(QPageLayout(paper, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)))
    writer.setResolution(300)
    writer.setTitle(title)
    writer.setCreator("Deft Reach")
    painter = QPainter()
    if not painter.begin(writer):
        raise OSError(f"{path.name} cannot be written")
    try:
        draw(painter, writer)
    finally:
        painter.end()
    page.close()
    write_atomic(path, bytes(page.data().data()))
