"""The manual that ships with the app: pages in the order of work, each with a picture."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage, QTextDocument
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from deft_reach.app.widgets.styled import set_scaled

PAGES: Final = Path(__file__).resolve().parents[2] / "manual"
#: Where pictures are: in the source tree, and beside the installed package.
PICTURES: Final = (
    Path(__file__).resolve().parents[3] / "docs" / "screenshots",
    Path(sys.prefix) / "share" / "deft-reach" / "pictures",
)
_WIDEST: Final = 640


class Page(QTextBrowser):
    """A page of the manual; links lead to other pages, and pictures are found wherever they are installed."""

    def loadResource(self, kind: int, name: QUrl | str) -> object:
        path = QUrl(name).toString() if isinstance(name, str) else name.toString()
        if kind == QTextDocument.ResourceType.ImageResource.value or path.endswith(".png"):
            for folder in PICTURES:
                file = folder / Path(path).name
                if file.is_file():
                    picture = QImage(str(file))
                    smooth = Qt.TransformationMode.SmoothTransformation
                    return picture.scaledToWidth(_WIDEST, smooth) if picture.width() > _WIDEST else picture
        return super().loadResource(kind, name)


class ManualDialog(QDialog):
    """Pages on the left, the one in view on the right; it stays open beside the work."""

    def __init__(self, page: str = "0-index", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Manual")
        self.files = sorted(PAGES.glob("*.md"))
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        for file in self.files:
            title = file.read_text(encoding="utf-8").partition("\n")[0].lstrip("# ")
            self.list.addItem(title.partition(":")[0].partition(",")[0])
        set_scaled(self.list, QWidget.setFixedWidth, 130)
        self.page = Page()
        self.page.setAccessibleName("Page of the manual")
        self.page.setOpenLinks(False)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        across = QHBoxLayout()
        across.addWidget(self.list)
        across.addWidget(self.page, 1)
        column = QVBoxLayout(self)
        column.addLayout(across, 1)
        column.addWidget(buttons)
        set_scaled(self, QWidget.setMinimumWidth, 860)
        set_scaled(self, QWidget.setMinimumHeight, 520)
        self.list.currentRowChanged.connect(self._show)
        self.page.anchorClicked.connect(lambda url: self.go(Path(url.toString()).stem))
        buttons.rejected.connect(self.reject)
        self.go(page)

    def go(self, stem: str) -> None:
        """Show the page of this file name, or the first one."""
        rows = [k for k, file in enumerate(self.files) if file.stem == stem or file.stem.endswith(f"-{stem}")]
        self.list.setCurrentRow(rows[0] if rows else 0)

    def _show(self, row: int) -> None:
        if 0 <= row < len(self.files):
            self.page.setMarkdown(self.files[row].read_text(encoding="utf-8"))
