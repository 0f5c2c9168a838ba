"""Pages behind tabs: made when they are first shown, and scrolling where they have no room."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, Protocol, TypeVar, overload

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent, QShowEvent
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
    """A page that scrolls once there is less room than it needs; as wide as it has to be, its scroll bar beside it.

    ``make`` makes the page when it is first needed.
    """

    def __init__(self, make: Callable[[], object] | None = None) -> None:
        super().__init__()
        self._make = make
        self._page: QWidget | None = None
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    @property
    def page(self) -> QWidget | None:
        """The page, None where it has not been made."""
        return self._page

    def hold(self, page: QWidget) -> None:
        """Show a page."""
        self._page = page
        self.setWidget(_Holder(page))

    def make(self) -> QWidget | None:
        """The page, made if it has not been."""
        if self._page is None and self._make is not None:
            self._make()
        return self._page

    def showEvent(self, event: QShowEvent) -> None:
        self.make()
        super().showEvent(event)

    def minimumSizeHint(self) -> QSize:
        # A page that is still to be made must not widen anything later.
        page = self._page
        bar = self.verticalScrollBar().sizeHint().width()
        width = WIDEST if page is None else page.minimumSizeHint().width() + bar
        return QSize(min(WIDEST, width), super().minimumSizeHint().height())


def scrolling(page: QWidget) -> _Area:
    """A page in an area that scrolls once it is smaller than the page can be."""
    area = _Area()
    area.hold(page)
    return area


class PageTabs(QTabWidget):
    """A tab widget whose pages are what is handed in; the scroll area around each is its own affair.

    A page that is given as the name of a ``late_page`` of ``owner`` is made when it is first shown or asked for;
    ``made`` says that it has been.
    """

    made = Signal(QWidget)

    def __init__(self, owner: QWidget | None = None) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self.tabBar().setDrawBase(False)
        self._owner = owner
        self._areas: list[_Area] = []
        self._late: dict[str, _Area] = {}

    def addTab(self, page: QWidget | str, title: str) -> int:  # type: ignore[override]
        if isinstance(page, str):
            area = self._late[page] = _Area(lambda: getattr(self._owner, page))
        else:
            area = scrolling(page)
        self._areas.append(area)
        return int(super().addTab(area, title))

    def place(self, name: str, page: QWidget) -> None:
        """Put a late page where it was announced."""
        self._late[name].hold(page)
        self.made.emit(page)

    def tab_of(self, name: str) -> int:
        """Where a late page is, whether it has been made or not."""
        return self._areas.index(self._late[name])

    @property
    def pages(self) -> list[QWidget]:
        """The pages that have been made."""
        return [area.page for area in self._areas if area.page is not None]

    def widget(self, index: int) -> QWidget | None:
        """The page itself, made if it has not been."""
        return self._areas[index].make() if 0 <= index < len(self._areas) else None

    def indexOf(self, page: QWidget) -> int:
        return next((k for k, area in enumerate(self._areas) if page in (area, area.page)), -1)

    def currentWidget(self) -> QWidget | None:  # type: ignore[override]
        return self.widget(self.currentIndex())

    def setCurrentWidget(self, page: QWidget) -> None:
        self.setCurrentIndex(self.indexOf(page))


class _HasTabs(Protocol):
    """A station with pages."""

    tabs: PageTabs


W = TypeVar("W", bound=QWidget)


class late_page(Generic[W]):
    """Decorator: a method that makes a page becomes the page, made when it is first shown or asked for."""

    def __init__(self, make: Callable[[Any], W]) -> None:
        self._make = make
        self._name = make.__name__
        self.__doc__ = make.__doc__

    @overload
    def __get__(self, station: None, owner: type) -> late_page[W]: ...
    @overload
    def __get__(self, station: _HasTabs, owner: type) -> W: ...
    def __get__(self, station: _HasTabs | None, owner: type) -> late_page[W] | W:
        if station is None:
            return self
        page = self._make(station)
        # From now on the attribute is found before the descriptor.
        station.__dict__[self._name] = page
        station.tabs.place(self._name, page)
        return page
