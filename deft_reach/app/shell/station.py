"""What the stations have in common: panels between splitters, and no work while out of sight."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import NamedTuple, Protocol, runtime_checkable

from PySide6.QtCore import QEvent, QObject, Qt, Signal, SignalInstance
from PySide6.QtGui import QHideEvent, QKeyEvent, QShowEvent
from PySide6.QtWidgets import QFormLayout, QFrame, QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from deft_reach.app.background.drag_pace import DragPace
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.widgets.page_tabs import PageTabs
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.wheel_guard import guard_wheels
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.session.song_view import SongView


class Offer(NamedTuple):
    """Something a form offers in place of the plan: its name, its text, and its own tempo, None for the plan's."""

    name: str
    text: str
    tempo: float | None = None


@runtime_checkable
class Offers(Protocol):
    """A page that offers something in place of the plan; ``offered`` says that it is another, or nothing."""

    offered: SignalInstance

    def offer(self) -> Offer | None:
        """What is chosen, None for nothing."""


class _Failure(PlainLabel):
    """Over the top of a widget that could not be refreshed: what it shows may be old."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._under = parent
        self.setObjectName("failure")
        self.setWordWrap(True)
        self.setContentsMargins(12, 8, 12, 8)
        self.setAutoFillBackground(True)
        parent.installEventFilter(self)

    def say(self, error: Exception) -> None:
        self.setText(
            f"This part could not be shown as it stands now ({type(error).__name__}: {str(error)[:200]}). Everything "
            "else works, and your work is kept."
        )
        self._lie_on_top()
        self.show()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._lie_on_top()
        return bool(super().eventFilter(watched, event))

    def _lie_on_top(self) -> None:
        width = self._under.width()
        self.setGeometry(0, 0, width, self.heightForWidth(width))
        self.raise_()


class Listener(QWidget):
    """A widget that follows the session while it can be seen, and catches up when it is shown."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.failure: _Failure | None = None
        self._pace = DragPace(self, lambda: self._refresh_or_say())

    def follow(self, shown_later: bool = False) -> None:
        """Begin to listen; called once everything is built. What is dear to fill can wait until it is shown."""
        self.session.verdict.connect(self._heard)
        self.session.selected.connect(self._heard)
        if not shown_later:
            self.refresh()

    def _heard(self) -> None:
        if self.isVisible():
            self._pace.ask()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        guard_wheels(self)
        self._refresh_or_say()

    def _refresh_or_say(self) -> None:
        """Refresh; what goes wrong is said in its place, and everything else works on."""
        try:
            self.refresh()
        except Exception as error:
            # Reported as any other fault is.
            sys.excepthook(type(error), error, error.__traceback__)
            if self.failure is None:
                self.failure = _Failure(self)
            self.failure.say(error)
        else:
            if self.failure is not None:
                self.failure.hide()

    def restyle(self) -> None:
        """Show everything again in another theme, text size or unit; out of sight that waits until it is shown."""
        if self.isVisible():
            self._refresh_or_say()

    def refresh(self) -> None:
        """Show the session as it is now."""


class Station(Listener):
    """A whole screen of work. ``splitters`` are those whose places are remembered, by their names."""

    #: What is played has changed: see ``played``.
    plays = Signal()
    #: Another station is wanted, or ``commit``.
    wanted = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.splitters: list[QSplitter] = []
        #: The time axis of its drawings, where it has any.
        self.axis: TimeAxis | None = None
        self._candidate: CandidateView | None = None
        self._forms: PageTabs | QWidget | None = None

    @property
    def played(self) -> PlanView:
        """What the transport plays while the station is in view: the plan, or the candidate drawn in its place."""
        candidate = self._candidate
        return candidate if candidate is not None and candidate.active else self.session

    @property
    def song_shown(self) -> SongView | None:
        """The song whose verdict is in the header while the station is in view, None for the plan's."""
        return None

    def played_changed(self) -> None:
        """Something else is played while the station is in view."""
        if self.isVisible():
            self.plays.emit()

    @property
    def candidate_shown(self) -> CandidateView | None:
        """What is offered in place of the plan, None where nothing is."""
        return self._candidate if self._candidate is not None and self._candidate.active else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Esc leaves what is offered.
        if event.key() == Qt.Key.Key_Escape and self.candidate_shown is not None:
            self.leave_offer()
        else:
            super().keyPressEvent(event)

    def leave_offer(self) -> None:
        """Show the plan itself again."""
        if self._candidate is not None:
            self._candidate.clear()

    def offering(self, view: CandidateView, forms: PageTabs | QWidget) -> None:
        """Show what a form offers as a candidate; of forms behind tabs, what the one in view does."""
        self._candidate, self._forms = view, forms
        if isinstance(forms, PageTabs):
            for page in forms.pages:
                self._hear(page)
            forms.made.connect(self._hear)
            forms.currentChanged.connect(lambda _: self._show_offer())
        else:
            self._hear(forms)
        view.shown.connect(self.played_changed)

    def _hear(self, page: QWidget) -> None:
        if isinstance(page, Offers):
            page.offered.connect(self._show_offer)

    def _show_offer(self) -> None:
        view, forms = self._candidate, self._forms
        if view is None or forms is None:
            return
        page = forms.currentWidget() if isinstance(forms, PageTabs) else forms
        offer = page.offer() if isinstance(page, Offers) and self.isVisible() else None
        if offer is None:
            view.clear()
        elif not view.active or (view.name, view.text) != (offer.name, offer.text):
            view.show_candidate(*offer)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self._candidate is not None:
            self._candidate.clear()

    def restyle(self) -> None:
        super().restyle()
        for part in self.findChildren(Listener):
            part.restyle()
        for form in self.findChildren(QFormLayout):
            # It remembers how high its labels were.
            form.invalidate()

    def first_focus(self) -> QWidget:
        """What has the keyboard when the station is gone to."""
        raise NotImplementedError

    def split(
        self,
        orientation: Qt.Orientation,
        name: str,
        parts: Sequence[QWidget],
        sizes: Sequence[int],
        stretch: Sequence[int],
    ) -> QSplitter:
        """Panels side by side or on top of each other; ``stretch`` says who gets the room of a larger window."""
        splitter = QSplitter(orientation)
        splitter.setObjectName(name)
        for k, part in enumerate(parts):
            splitter.addWidget(part)
            splitter.setStretchFactor(k, stretch[k])
        splitter.setSizes(list(sizes))
        splitter.setChildrenCollapsible(False)
        splitter.setHandleWidth(6)
        self.splitters.append(splitter)
        return splitter

    def tab_sheet(self, pages: Sequence[tuple[QWidget | str, str]]) -> tuple[PageTabs, QFrame]:
        """Pages behind tabs on a sheet of their own: the tabs, and the sheet to lay out.

        A page that is too large scrolls: it never pushes the drawings aside.
        """
        tabs = PageTabs(self)
        for form, title in pages:
            tabs.addTab(form, title)
        tabs.setMinimumSize(300, 140)
        sheet = QFrame()
        sheet.setObjectName("panel")
        column = QVBoxLayout(sheet)
        column.setContentsMargins(1, 1, 1, 1)
        column.addWidget(tabs)
        return tabs, sheet

    def fill(self, splitter: QSplitter) -> None:
        """Lay the outermost splitter out over the whole station."""
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 6, 8, 6)
        row.addWidget(splitter)
