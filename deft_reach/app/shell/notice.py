"""The notice bar: what has to be said, over the top of the page; nothing is pushed aside by it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from deft_reach.app.widgets.plain_text import PlainLabel


class NoticeBar(QFrame):
    """One sentence with up to three things to do about it; gone when there is nothing to say.

    What does not hold any more is taken away by ``check``.
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__(page)
        self._page = page
        page.installEventFilter(self)
        self.setObjectName("notice")
        self.setAccessibleName("Notice")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 6, 10, 6)
        self.text = PlainLabel()
        self.text.setWordWrap(True)
        self._row.addWidget(self.text, 1)
        self.buttons: list[QPushButton] = []
        self._holds: Callable[[], bool] | None = None
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._lie_on_top()
        return False

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._lie_on_top()

    def _lie_on_top(self) -> None:
        if self.isVisible():
            width = self._page.width()
            self.setGeometry(0, 0, width, max(self.minimumSizeHint().height(), self.heightForWidth(width)))
            self.raise_()

    def check(self) -> None:
        """Take the notice away if what it says does not hold any more."""
        if self._holds is not None and not self._holds():
            self._holds = None
            self.hide()

    def say(
        self,
        text: str,
        *choices: tuple[str, Callable[[], object]],
        tone: str = "",
        holds: Callable[[], bool] | None = None,
    ) -> None:
        """Show a sentence; each choice is a button, and there is always one to close the notice.

        ``holds`` tells as long as it has to be said; without it only the player closes it.
        """
        self._holds = holds
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = []
        self.text.setText(text)
        self.setProperty("tone", tone)
        self.style().unpolish(self)
        self.style().polish(self)
        for label, action in (*choices, ("Close", lambda: None)):
            button = QPushButton(label)
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, a=action: self._act(a))
            self._row.addWidget(button)
            self.buttons.append(button)
        self.show()
        self._lie_on_top()

    def _act(self, action: Callable[[], None]) -> None:
        self.hide()
        action()
