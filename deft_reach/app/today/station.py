"""The Today station: what fills the minutes I have."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.shell.station import Station
from deft_reach.app.text.numbers import bpm
from deft_reach.app.text.words import sentence
from deft_reach.app.today.day_strip import DayStrip, item_words
from deft_reach.app.widgets.choices import level_box
from deft_reach.app.widgets.panel import Panel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.cautions import HEAT
from deft_reach.core.practice.day import BREAK, KINDS, Item, Today
from deft_reach.core.practice.progress_log import CLEAN
from deft_reach.core.practice.today import MINUTES_RANGE, USUAL_MINUTES, plan_today
from deft_reach.core.session import Session
from deft_reach.store.day_log import played_by
from deft_reach.store.practice_log import PracticeLog

COLUMNS: Final = ["min", "what", "plan", "tempo", "why"]
HOME: Final = ["plan", "state", "clean", "home", "home tempo is"]


class TodayStation(Station):
    """How long there is, what fills it in order, and how far away home is; ``begun`` has the item that is started."""

    begun = Signal(object)

    def __init__(self, session: Session, log: PracticeLog) -> None:
        super().__init__(session)
        self.log = log
        self.now: Callable[[], datetime] = lambda: datetime.now().astimezone()
        self.day: Today | None = None
        self._shown: object = None
        self._task = BackgroundTask(ValueError)
        self._task.finished.connect(self._take)
        self.strip = DayStrip()
        self.items = QTableWidget()
        make_list(self.items, "What to do today, in order", COLUMNS, wide=(4,), empty="Enough for today.")
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.start = QPushButton("Start")
        self.start.setObjectName("primary")
        self.start.setToolTip("Go to where this is practised (Return)")
        set_scaled(self.start, QWidget.setMinimumHeight, 38)
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        self.home = QTableWidget()
        make_list(self.home, "How far home tempo is", HOME, wide=(4,), empty="No plan is committed or played yet.")
        self.home.setToolTip("At the rate at which the log says that each plan has climbed")
        self.cautions = PlainLabel()
        self.cautions.setWordWrap(True)
        self.cautions.setContentsMargins(10, 2, 10, 8)
        self.cautions.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.cautions.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        room = QScrollArea()
        room.setWidget(self.cautions)
        room.setWidgetResizable(True)
        room.setFrameShape(QScrollArea.Shape.NoFrame)
        below = [Panel("How far is home?", _padded(self.home)), Panel("Ears, breaks and hands", room)]
        low = self.split(across, "todayAcross", below, [790, 400], [3, 2])
        parts = [Panel("Today", self.strip, "", self._settings()), Panel("In order", self._list()), low]
        self.fill(self.split(down, "todayDown", parts, [170, 330, 190], [0, 2, 1]))
        self.items.currentCellChanged.connect(lambda row, *_: self._choose(row))
        # Return comes up to the station: a list passes it on.
        self.items.cellDoubleClicked.connect(lambda *_: self.begin())
        self.start.clicked.connect(self.begin)
        self.strip.picked.connect(lambda row: self.items.setCurrentCell(row, 1))
        self.minutes.valueChanged.connect(lambda _: self._ask())
        self.level.currentIndexChanged.connect(lambda _: self._ask())
        log.changed.connect(self._heard)
        self.follow(shown_later=True)

    def _settings(self) -> QWidget:
        """How long there is, and how loud it will be."""
        corner = QWidget()
        row = QHBoxLayout(corner)
        row.setContentsMargins(0, 0, 0, 0)
        self.minutes = QSpinBox()
        self.minutes.setRange(int(MINUTES_RANGE[0]), int(MINUTES_RANGE[1]))
        self.minutes.setSingleStep(5)
        self.minutes.setValue(int(USUAL_MINUTES))
        self.minutes.setSuffix(" min")
        self.minutes.setKeyboardTracking(False)
        self.minutes.setAccessibleName("How long there is today")
        have = PlainLabel("I have")
        have.setBuddy(self.minutes)
        self.level = level_box("on ")
        for part in (have, self.minutes, self.level):
            row.addWidget(part)
        return corner

    def _list(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(10, 2, 10, 8)
        column.setSpacing(6)
        column.addWidget(self.items, 1)
        low = QHBoxLayout()
        low.addWidget(self.words, 1)
        low.addWidget(self.start, 0, Qt.AlignmentFlag.AlignBottom)
        column.addLayout(low)
        return page

    def first_focus(self) -> QWidget:
        return self.items

    # --- the day ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self._ask()

    def _ask(self) -> None:
        document, now = self.session.document, self.now()
        log = played_by(self.log, document, now.date())
        minutes, level = float(self.minutes.value()), float(self.level.currentData())
        key = (document, log, minutes, level, now.date())
        if key != self._shown:
            self._shown = key
            self._task.start(lambda _: plan_today(document, log, minutes, now.date(), level))

    def _take(self, day: Today | str) -> None:
        if isinstance(day, str):
            self.words.setText(sentence(day))
            return
        self.day = day
        self.items.setRowCount(len(day.items))
        for k, item in enumerate(day.items):
            tempo = "" if item.tempo is None else bpm(item.tempo)
            part = f" · {item.stage}" if item.stage else ""
            minutes = f"{item.minutes:.0f}" if item.minutes else ""
            cells = (minutes, KINDS[item.what], f"{item.name}{part}", tempo, item.why)
            fill_row(self.items, k, cells, [item_words(item)] * len(cells), numbers=(0, 3))
        self.items.setCurrentCell(0 if day.items else -1, 1)
        self._choose(0 if day.items else -1)
        self._show_home(day)
        self.cautions.setText("\n".join((*day.cautions, HEAT)))

    def _show_home(self, day: Today) -> None:
        """Every plan that is on its way, with how many sessions it may take."""
        away = {plan.id: one for plan, one in day.forecasts}
        rows = [row for row in day.progress if row.state != CLEAN] + [r for r in day.progress if r.state == CLEAN]
        self.home.setRowCount(len(rows))
        for k, row in enumerate(rows):
            clean = "–" if row.clean_tempo is None else bpm(round(row.clean_tempo))
            found = away.get(row.plan.id)
            if row.state == CLEAN:
                words = "at home"
            elif found is None:
                words = "the log is too thin to say, or it did not climb of late"
            else:
                often = counted(found.sessions, "session")
                words = f"about {often} away, eight times in ten {found.low} to {found.high}"
            cells = (row.plan.name, row.state, clean, bpm(row.plan.tempo), words)
            fill_row(self.home, k, cells, cells, numbers=(2, 3))

    @property
    def chosen(self) -> Item | None:
        """The item that is started next."""
        row = self.items.currentRow()
        return self.day.items[row] if self.day is not None and 0 <= row < len(self.day.items) else None

    def _choose(self, row: int) -> None:
        item, day = self.chosen, self.day
        self.strip.show_day(day, row)
        self.start.setEnabled(item is not None and item.what != BREAK)
        self.start.setText("Start" if item is None else f"Start: {KINDS[item.what].lower()}")
        if day is None:
            return
        if item is None:
            self.words.setText(f"{day.played:.0f} min are played: that is enough for today.")
            return
        played = f"{day.played:.0f} min are played. " if day.played >= 1 else ""
        self.words.setText(f"{played}{item_words(item)}")

    def begin(self) -> None:
        """Go to where the chosen item is practised."""
        item = self.chosen
        if item is not None and item.what != BREAK:
            self.begun.emit(item)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.begin()
        else:
            super().keyPressEvent(event)


def _padded(table: QWidget) -> QWidget:
    """A list with a little air about it."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(10, 2, 10, 8)
    column.addWidget(table)
    return page
