"""What the forms of all searches have in common: a question about the plan, and answers that hold while it is so."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection
from dataclasses import replace
from typing import Any, Final

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.words import STOPPED, say, sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.search_button import SearchButton
from deft_reach.app.widgets.styled import set_font, set_property
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.progress import Progress
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanKey, PlanState

#: What a question asks in the background, and how it is built from a state.
Work = Callable[[Progress], Any]
Question = Callable[[PlanState], Work]

#: A search that took no longer than this (seconds) is asked again by itself, so long (ms) after the last change.
QUICK: Final = 2.0
REST_MS: Final = 400
#: What has changed since answers were found.
CHANGED: Final = {
    "plan": "Another plan is in view", "text": "The strokes have changed since", "kit": "The kit has changed since",
    "player": "The player has changed since", "tempo": "The tempo has changed since",
    "repeat": "Loop has changed since", "weights": "The weights of the cost have changed since",
}  # fmt: skip


class SearchForm(Listener):
    """A question and its answers. ``search`` asks in the background; only the newest answer counts.

    ``find_button`` starts and stops the search, ``words`` says how it goes, ``preview`` shows the answer that is
    chosen. A form lays them out, and says in ``answered`` what it does with an answer. Answers are of the state that
    they were asked with: once the plan, kit, player or tempo is another, ``answer_views`` are marked as old, nothing
    of them is offered, and the question is asked again where the strokes are the same and the search is quick.
    """

    #: Another answer is chosen, or none: see ``offer`` of the form.
    offered = Signal()

    def __init__(self, session: Session, button: str) -> None:
        super().__init__(session)
        self.task = BackgroundTask(SearchError)
        self.task.finished.connect(self._finished)
        self.task.progressed.connect(self.progress)
        self.find_button = SearchButton(button, self.task)
        self.find_button.requested.connect(self.start_search)
        self.find_button.stopped.connect(self._stopped)
        self.words = HintLabel()
        self.preview = PlainLabel()
        set_font(self.preview, theme.mono, 9.5)
        self.preview.setWordWrap(True)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        #: What shows answers.
        self.answer_views: list[QWidget] = []
        self._asking: Question | None = None
        #: What the newest question was asked of, and what the answers in view hold for.
        self._asked: Any = None
        self._answered: Any = None
        self._began = self._took = 0.0
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._ask_again)

    # --- asking -----------------------------------------------------------------------------------------------

    def start_search(self) -> None:
        """Search in the plan as it is written, whatever of it is still being read."""
        self.session.catch_up()
        self.search()

    def search(self) -> None:
        """Ask what the fields say."""
        raise NotImplementedError

    def ask(self, question: Question) -> None:
        """Ask a question about the plan as it stands."""
        self._asking, self._asked, self._answered, self._took = question, self.key(), None, 0.0
        self._start(question(self.session.state))
        self._say("Searching …", "hint")

    def _start(self, work: Work) -> None:
        self._rest.stop()
        self._began = time.monotonic()
        self.find_button.start(work)

    def _ask_again(self) -> None:
        """Ask the same question about the same strokes, now that something else is otherwise."""
        if self._asking is None or self._current(self._asked) or not self.isVisible() or self.session.behind:
            return
        now, asked = self.session.state, self._asked
        state = now if now.text == asked.text else replace(now, text=asked.text, report=None, error=None)
        if state.pattern is not None:
            self._asked = state.key
            self._start(self._asking(state))

    # --- whether the answers hold -----------------------------------------------------------------------------

    def key(self) -> Any:
        """What answers are made from: everything that a state's key has."""
        return self.session.state.key

    def answer_texts(self) -> Collection[str]:
        """What the answers would write: with one of them used the others are still answers."""
        return ()

    @property
    def fresh(self) -> bool:
        """Whether what was answered holds for the plan as it stands."""
        return self._current(self._answered)

    def _current(self, key: Any) -> bool:
        """Whether a key is that of the plan as it stands."""
        now = self.key()
        return key is not None and (now == key or self._same_strokes(now, key) == key)

    def _same_strokes(self, now: Any, asked: Any) -> Any:
        """The key now as if nothing of the answers had been used."""
        if isinstance(now, PlanKey) and isinstance(asked, PlanKey) and now.text in self.answer_texts():
            return now._replace(text=asked.text)
        return now

    def refresh(self) -> None:
        """Mark answers that do not hold any more, and ask again where that is quick."""
        if self._asked is None:
            return
        fresh = self.fresh
        self._mark(old=not fresh)
        if fresh or self._current(self._asked):
            # The answers hold, or are on their way, or there are none.
            return
        again = self._can_ask_again()
        self.find_button.cancel()
        self._say(f"{self.changed_words()}: {'asked again …' if again else f'{self.again_words()}.'}", "hint")
        if again:
            self._rest.start()

    def changed_words(self) -> str:
        """What has changed since the answers were found."""
        now, asked = self.key(), self._asked
        if not isinstance(now, PlanKey) or not isinstance(asked, PlanKey):
            return "The plan has changed since"
        now = self._same_strokes(now, asked)
        return next(CHANGED[name] for name in PlanKey._fields if getattr(now, name) != getattr(asked, name))

    def again_words(self) -> str:
        """What to do then."""
        return "find again"

    def _can_ask_again(self) -> bool:
        now, asked = self.key(), self._asked
        if self._asking is None or self._took > QUICK:
            return False
        if not isinstance(now, PlanKey) or not isinstance(asked, PlanKey):
            return False
        now = self._same_strokes(now, asked)
        return (now.plan, now.text) == (asked.plan, asked.text)

    def _mark(self, old: bool) -> None:
        for view in self.answer_views:
            set_property(view, "old", old)

    # --- answers ----------------------------------------------------------------------------------------------

    def answered(self, result: Any) -> None:
        """Show what was found."""
        raise NotImplementedError

    def refused(self, why: str) -> None:
        """Say why there is no answer."""
        self._say(sentence(why), "error")

    def progress(self, looked: int, of: int | None, found: object) -> None:
        """Hear how far the search is."""

    def take_partial(self) -> None:
        """What a search has found so far holds as an answer, should it be stopped."""
        self._answered = self._asked

    def stopped(self) -> None:
        """Say that it was stopped."""
        self._say(STOPPED, "hint")

    def _stopped(self) -> None:
        # What was stopped is not asked again by itself.
        self._asking = None
        self.stopped()

    def _finished(self, result: object) -> None:
        self._took = time.monotonic() - self._began
        if isinstance(result, str):
            self.refused(result)
        else:
            self._answered = self._asked
            self._mark(old=False)
            self.answered(result)
        self.refresh()

    def _say(self, text: str, tone: str) -> None:
        say(self.words, text, tone)
