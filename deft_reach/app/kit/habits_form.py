"""What the player prefers where hands are open, set by hand or learned from what was committed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QGridLayout, QLayout, QVBoxLayout, QWidget

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.words import STOPPED, say, sentence
from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.search_button import SearchButton
from deft_reach.core.model.player import Player
from deft_reach.core.model.sticking_habits import HATS, LEADS, NO_HABITS, ORDER_RANGE, STICKINGS
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.learned_habits import LearnedHabits, learn_habits, played_by
from deft_reach.core.session import Session

#: Field, what it is called, what it can be, and what it means.
CHOICES: tuple[tuple[str, str, Mapping[str, str], str], ...] = (
    ("lead", "Led by", LEADS, "The hand that leads and begins where strokes are open"),
    ("hats", "Hats", HATS, "How the hi-hat is played where its hand is open"),
    ("sticking", "Prefers", STICKINGS, "Which is preferred where singles and doubles are about as easy"),
)
MEANING = "They decide between hands that are about as easy, and change no verdict."


def put_field(
    grid: QGridLayout, row: int, column: int, text: str, field: QWidget | QLayout, across: int = 1
) -> None:  # fmt: skip
    """Put a named field into a grid, two in a row; it is as wide as so many of the grid's columns."""
    name = PlainLabel(text)
    grid.addWidget(name, row, 2 * column)
    if isinstance(field, QWidget):
        name.setBuddy(field)
        grid.addWidget(field, row, 2 * column + 1, 1, across)
    else:
        grid.addLayout(field, row, 2 * column + 1, 1, across)
    grid.setColumnStretch(2 * column + 1, 1)


class HabitsForm(Listener):
    """The habits of the player in view; each change is one step that can be undone."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        grid.setHorizontalSpacing(8)
        self.choices: dict[str, QComboBox] = {}
        for place, (field, text, choices, meaning) in enumerate(CHOICES):
            box = QComboBox()
            box.setAccessibleName(meaning)
            box.setToolTip(meaning)
            for value, words in choices.items():
                box.addItem(words, value)
            box.activated.connect(lambda _, f=field: self._change(f, self.choices[f].currentData()))
            put_field(grid, *divmod(place, 2), text, box)
            self.choices[field] = box
        self.order = DecimalBox()
        self.order.setDecimals(1)
        self.order.setRange(*ORDER_RANGE)
        self.order.setSingleStep(0.5)
        self.order.setPrefix("× ")
        meaning = "How much it counts to keep to practised orders of hands: 0 not at all, 1 as for most players"
        self.order.setAccessibleName(meaning)
        self.order.setToolTip(meaning)
        self.order.valueChanged.connect(lambda value: self._change("order", round(value, 2)))
        self.order.editingFinished.connect(session.end_merge)
        put_field(grid, *divmod(len(CHOICES), 2), "Orders", self.order)
        head = PlainLabel("Habits, where hands are open")
        head.setObjectName("caption")
        self.task = BackgroundTask(SearchError)
        self.learn = SearchButton("Learn from what I committed", self.task)
        self.learn.setToolTip("Find the habits that explain the hands of the plans this player has committed")
        self.words = HintLabel()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(5)
        whole.addWidget(head)
        whole.addLayout(grid)
        line = QGridLayout()
        line.addWidget(self.learn, 0, 0)
        line.addWidget(self.words, 0, 1)
        line.setColumnStretch(1, 1)
        whole.addLayout(line)
        self._asked: Player | None = None
        self.learn.requested.connect(self.learn_them)
        self.learn.stopped.connect(lambda: say(self.words, STOPPED, "hint"))
        self.task.progressed.connect(self._progress)
        self.task.finished.connect(self._finished)
        say(self.words, MEANING, "hint")
        self.follow(shown_later=True)

    def _change(self, field: str, value: object) -> None:
        changed: dict[str, Any] = {field: value}
        habits = replace(self.session.player.habits, **changed)
        if habits != self.session.player.habits:
            self.session.kits.change_player("Player: habits", f"player:habits:{field}", habits=habits)

    def learn_them(self) -> None:
        """Ask what was committed, in the background."""
        document, player = self.session.document, self.session.player
        self._asked = player
        self.learn.start(lambda progress: learn_habits(played_by(document, player), player, progress))
        say(self.words, "Reading what you committed …", "hint")

    def _progress(self, looked: int, of: int | None, found: object) -> None:
        say(self.words, f"{looked} plans read …", "hint")

    def _finished(self, result: LearnedHabits | str) -> None:
        if isinstance(result, str):
            say(self.words, sentence(result), "error")
            return
        player = self.session.player
        if self._asked is None or player.id != self._asked.id:
            say(self.words, "The plan in view has another player now: nothing was changed.", "hint")
            return
        new = result.habits if result.habits != NO_HABITS else replace(NO_HABITS, extra=player.habits.extra)
        if new != player.habits:
            self.session.end_merge()
            self.session.kits.change_player("Habits from what was committed", habits=new)
        say(self.words, sentence(result.words), "hint")

    def refresh(self) -> None:
        habits = self.session.player.habits
        for field, box in self.choices.items():
            with QSignalBlocker(box):
                box.setCurrentIndex(box.findData(getattr(habits, field)))
        with QSignalBlocker(self.order):
            if self.order.value() != round(habits.order, 1):
                self.order.setValue(habits.order)
