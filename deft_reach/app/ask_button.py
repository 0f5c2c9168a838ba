"""The button of a long search: it asks, says how far the search is, and stops it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from deft_reach.app.background import Asker
from deft_reach.core.progress import Progress


class AskButton(QPushButton):
    """Pressed, it wants to ask (``asked``); pressed while an answer is looked for, it gives the search up."""

    asked = Signal()
    #: The search was given up by the player.
    stopped = Signal()

    def __init__(self, text: str, asker: Asker) -> None:
        super().__init__(text)
        self.setObjectName("quiet")
        self._text = text
        self._asker = asker
        self.clicked.connect(self._pressed)
        # A bound method is disconnected when the button goes, a lambda is not.
        asker.answered.connect(self._say)

    def ask(self, work: Callable[[Progress], Any]) -> None:
        """Look for an answer; until it comes the button stops the search."""
        self._asker.ask(work)
        self._say()

    def _pressed(self) -> None:
        if not self._asker.busy:
            self.asked.emit()
            return
        self._asker.forget()
        self._say()
        self.stopped.emit()

    def _say(self, _answer: object = None) -> None:
        self.setText("Stop" if self._asker.busy else self._text)
