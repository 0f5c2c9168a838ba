"""What the forms of all searches have in common: the button, the words, and waiting for the answer."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt

from deft_reach.app import theme
from deft_reach.app.background_task import BackgroundTask
from deft_reach.app.hint_label import HintLabel
from deft_reach.app.plain_text import PlainLabel
from deft_reach.app.search_button import SearchButton
from deft_reach.app.station import Listener
from deft_reach.app.styled import set_font
from deft_reach.app.words import STOPPED, say, sentence
from deft_reach.core.search.errors import SearchError
from deft_reach.core.session import Session


class SearchForm(Listener):
    """A question and its answers. ``search`` asks in the background; only the newest answer counts.

    ``find_button`` starts and stops the search, ``words`` says how it goes, ``preview`` shows the answer that is
    chosen. A form lays them out, and says in ``answered`` what it does with an answer.
    """

    def __init__(self, session: Session, button: str) -> None:
        super().__init__(session)
        self.task = BackgroundTask(SearchError)
        self.task.finished.connect(self._finished)
        self.task.progressed.connect(self.progress)
        self.find_button = SearchButton(button, self.task)
        self.find_button.requested.connect(self.start_search)
        self.find_button.stopped.connect(self.stopped)
        self.words = HintLabel()
        self.preview = PlainLabel()
        set_font(self.preview, theme.mono, 9.5)
        self.preview.setWordWrap(True)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)

    def start_search(self) -> None:
        """Search in the plan as it is written, whatever of it is still being read."""
        self.session.catch_up()
        self.search()

    def search(self) -> None:
        """Ask what the fields say."""
        raise NotImplementedError

    def answered(self, result: Any) -> None:
        """Show what was found."""
        raise NotImplementedError

    def refused(self, why: str) -> None:
        """Say why there is no answer."""
        self._say(sentence(why), "error")

    def progress(self, looked: int, of: int | None, found: object) -> None:
        """Hear how far the search is."""

    def stopped(self) -> None:
        """Say that it was stopped."""
        self._say(STOPPED, "hint")

    def _finished(self, result: object) -> None:
        if isinstance(result, str):
            self.refused(result)
        else:
            self.answered(result)

    def _say(self, text: str, tone: str) -> None:
        say(self.words, text, tone)
