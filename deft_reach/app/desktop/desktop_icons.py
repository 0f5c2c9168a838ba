"""The icon in every size a desktop asks for: ``python -m deft_reach.app.desktop.desktop_icons FOLDER``."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from deft_reach.app.paper.png import png_of
from deft_reach.store.atomic import write_atomic

SIZES: Final = (16, 22, 24, 32, 48, 64, 128, 256, 512)
ICON: Final = Path(__file__).resolve().parents[2] / "desktop" / "deft-reach.svg"


def write_icons(folder: Path) -> list[Path]:
    """PNG files under ``folder``/SIZExSIZE/apps, as icon themes have them. Raises OSError."""
    renderer = QSvgRenderer(str(ICON))
    found = []
    for size in SIZES:
        picture = QImage(size, size, QImage.Format.Format_ARGB32)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        renderer.render(painter)
        painter.end()
        path = folder / f"{size}x{size}" / "apps" / "deft-reach.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(path, png_of(picture))
        found.append(path)
    return found


if __name__ == "__main__":
    for written in write_icons(Path(sys.argv[1])):
        print(written)
