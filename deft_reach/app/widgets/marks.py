"""Small marks for lists and tables."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap

from deft_reach.app import theme


def severity_icon(severity: str | None) -> QIcon:
    """The mark of a severity; for none an empty place, so that the words of all rows begin below each other."""
    return _icon(severity or "", theme.colours().name)


def verdict_colour(verdict: str) -> QColor:
    """Of an attempt or a take: clean, rough or not yet."""
    c = theme.colours()
    return QColor({"clean": c.good, "rough": c.caution, "not-yet": c.stop}[verdict])


@lru_cache(maxsize=16)
def _icon(severity: str, _theme: str) -> QIcon:
    pixmap = QPixmap(32, 32)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    if severity:
        theme.draw_severity(painter, severity, QPointF(8, 8), 5.4)
    painter.end()
    return QIcon(pixmap)
