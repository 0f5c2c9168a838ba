"""Small pictures that are painted once and then only placed: labels, drums, cymbals.

While something is dragged every drawing is made anew, and most of what is on it looks the same as before.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import lru_cache
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPixmap

#: So many pictures are kept; the one not used for the longest time goes first.
KEPT: Final = 1500

_kept: OrderedDict[Hashable, QPixmap] = OrderedDict()


def painted(width: float, height: float, ratio: float, paint: Callable[[QPainter], None]) -> QPixmap:
    """A picture of ``width`` × ``height`` (logical px), transparent where nothing is painted."""
    found = QPixmap(max(1, round(width * ratio)), max(1, round(height * ratio)))
    found.setDevicePixelRatio(ratio)
    found.fill(Qt.GlobalColor.transparent)
    painter = QPainter(found)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint(painter)
    painter.end()
    return found


def sprite(key: Hashable, width: float, height: float, ratio: float, paint: Callable[[QPainter], None]) -> QPixmap:
    """A picture of ``width`` × ``height`` (logical px), painted by ``paint`` unless it is kept under ``key``."""
    full = (key, ratio)
    found = _kept.get(full)
    if found is None:
        found = _kept[full] = painted(width, height, ratio, paint)
        if len(_kept) > KEPT:
            _kept.popitem(last=False)
    else:
        _kept.move_to_end(full)
    return found


def stamp(painter: QPainter, picture: QPixmap, left: float, top: float) -> None:
    """Place a picture on whole device pixels, where it stays sharp."""
    ratio = picture.devicePixelRatioF()
    painter.drawPixmap(QPointF(round(left * ratio) / ratio, round(top * ratio) / ratio), picture)


@lru_cache(maxsize=4000)
def _size(text: str, font: str) -> tuple[float, float]:
    face = QFont()
    face.fromString(font)
    metrics = QFontMetricsF(face)
    return metrics.horizontalAdvance(text), metrics.height()


def text_size(text: str, font: QFont) -> tuple[float, float]:
    """Width and line height of a text, px."""
    return _size(text, font.key())


def text_picture(text: str, font: QFont, colour: QColor, halo: QColor | None, ratio: float) -> QPixmap:
    """A label with two pixels of room on each side, on a halo if there is one."""
    width, height = text_size(text, font)
    box = QRectF(0, 0, width + 6, height)

    def paint(painter: QPainter) -> None:
        if halo is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(halo)
            painter.drawRoundedRect(box.adjusted(0, 1, 0, -1), 3, 3)
        painter.setFont(font)
        painter.setPen(colour)
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)

    key = ("text", text, font.key(), colour.rgba(), None if halo is None else halo.rgba())
    return sprite(key, box.width(), box.height(), ratio, paint)
