"""Pictures as PNG, in memory, so that they are written as all files are: whole or not at all."""

from __future__ import annotations

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QImage, QImageWriter


def png_of(picture: QImage) -> bytes:
    """A picture as a PNG file's bytes."""
    data = QBuffer()
    data.open(QIODevice.OpenModeFlag.WriteOnly)
    QImageWriter(data, b"png").write(picture)
    return bytes(data.data().data())
