"""Pages behind tabs that scroll where they have no room, so that nothing in them is cut off."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QTabWidget, QWidget

#: A page wider than this (px) scrolls sideways rather than widen the window.
WIDEST = 420


class _Area(QScrollArea):
    """As wide as its page has to be, with its own scroll bar beside it."""

    def minimumSizeHint(self) -> QSize:
        page = self.widget()
        bar = self.verticalScrollBar().sizeHint().width()
        wide = page.minimumSizeHint().width() + bar if page is not None else 0
        return QSize(min(WIDEST, wide), super().minimumSizeHint().height())


def scrolling(page: QWidget) -> QScrollArea:
    """A page in an area that scrolls once it is smaller than the page can be."""
    area = _Area()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(page)
    return area


class PageTabs(QTabWidget):
    """A tab widget whose pages are what is handed in; the scroll area around each is its own affair."""

    def __init__(self) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self._areas: list[QScrollArea] = []

    def addTab(self, page: QWidget, title: str) -> int:  # type: ignore[override]
        area = scrolling(page)
        self._areas.append(area)
        return int(super().addTab(area, title))

    def widget(self, index: int) -> QWidget | None:
        """The page itself."""
        return self._areas[index].widget() if 0 <= index < len(self._areas) else None

    def indexOf(self, page: QWidget) -> int:
        return next((k for k, area in enumerate(self._areas) if page in (area, area.widget())), -1)

    def currentWidget(self) -> QWidget | None:  # type: ignore[override]
        return self.widget(self.currentIndex())

    def setCurrentWidget(self, page: QWidget) -> None:
        self.setCurrentIndex(self.indexOf(page))
