"""Pages behind tabs that scroll where they have no room, so that nothing in them is cut off."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QTabWidget, QWidget

#: A page wider than this (px) scrolls sideways rather than widen the window.
WIDEST = 420


class _Holder(QWidget):
    """A page as small as it can be: left alone, a scroll area gives wrapped texts the height they would like to have,
    and scrolls where all of the page would fit.
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self.page = page
        page.setParent(self)

    def minimumSizeHint(self) -> QSize:
        least, layout = self.page.minimumSizeHint(), self.page.layout()
        if layout is not None and layout.hasHeightForWidth():
            width = max(self.width(), least.width())
            return QSize(least.width(), max(0, layout.minimumHeightForWidth(width)))
        return least.expandedTo(QSize(0, 0))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.page.setGeometry(self.rect())


class _Area(QScrollArea):
    """As wide as its page has to be, with its own scroll bar beside it."""

    @property
    def page(self) -> QWidget:
        return self._page

    def hold(self, page: QWidget) -> None:
        """Show a page."""
        self._page = page
        self.setWidget(_Holder(page))

    def minimumSizeHint(self) -> QSize:
        page = self._page
        bar = self.verticalScrollBar().sizeHint().width()
        return QSize(min(WIDEST, page.minimumSizeHint().width() + bar), super().minimumSizeHint().height())


def scrolling(page: QWidget) -> _Area:
    """A page in an area that scrolls once it is smaller than the page can be."""
    area = _Area()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.hold(page)
    return area


class PageTabs(QTabWidget):
    """A tab widget whose pages are what is handed in; the scroll area around each is its own affair."""

    def __init__(self) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self._areas: list[_Area] = []

    def addTab(self, page: QWidget, title: str) -> int:  # type: ignore[override]
        area = scrolling(page)
        self._areas.append(area)
        return int(super().addTab(area, title))

    def widget(self, index: int) -> QWidget | None:
        """The page itself."""
        return self._areas[index].page if 0 <= index < len(self._areas) else None

    def indexOf(self, page: QWidget) -> int:
        return next((k for k, area in enumerate(self._areas) if page in (area, area.page)), -1)

    def currentWidget(self) -> QWidget | None:  # type: ignore[override]
        return self.widget(self.currentIndex())

    def setCurrentWidget(self, page: QWidget) -> None:
        self.setCurrentIndex(self.indexOf(page))
