"""The hand test: guided, from a recording, or by the simulated player; what it measured, and its use."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.log.hand_chart import HandChart, Test
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.note_map_box import NoteMapBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.port_box import PortBox
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.player import CONSTANTS, Constants
from deft_reach.core.practice.cautions import HAND_TEST_CAUTION
from deft_reach.core.practice.hand_speed import (
    FAR,
    NAMES,
    NEAR,
    AimedMove,
    HandTest,
    HandTestError,
    exercises_of,
    measure,
    moves_of,
)
from deft_reach.core.practice.hand_speed_guide import Guide
from deft_reach.core.practice.hand_speed_simulation import perform_test
from deft_reach.core.practice.hits import Hit
from deft_reach.core.session import Session
from deft_reach.formats.general_midi import FOOT_KEYS, hand_test_keys
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.midi_take import load_performance, load_texts
from deft_reach.formats.reading import DocumentError
from deft_reach.store.day_log import HAND_TEST
from deft_reach.store.log_entries import TakeEntry
from deft_reach.store.note_maps import NoteMaps
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.reading import read_file

SIMULATED, KEYBOARD = "simulated player", "this computer's keys"
#: By what name hand tests stand in the log.
PLAN, PLAN_NAME = HAND_TEST, "Hand test"
TICK_MS = 100


class HandTestForm(Listener):
    """Where the test comes from and what to do now on the left; what was measured on the right."""

    def __init__(self, session: Session, log: PracticeLog, notes: NoteMaps) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self.log = log
        self.recorder = Recorder(self)
        self.now: Callable[[], datetime] = lambda: datetime.now().astimezone()
        self.found: HandTest | None = None
        self.guide: Guide | None = None
        self._source = ""
        #: The moves of the test that is played, and when it began (by the recorder's clock).
        self._moves: dict[str, AimedMove] = {}
        self._began = 0.0
        self._typed: list[Hit] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(12)
        side = QWidget()
        set_scaled(side, QWidget.setFixedWidth, 270)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.ports = PortBox("What the test is played on", (KEYBOARD, SIMULATED))
        self.start = QPushButton("Begin the test")
        self.browse_button = QPushButton("A recording…")
        for button in (self.start, self.browse_button):
            button.setObjectName("quiet")
        self.notes = NoteMapBox(notes, lambda: session.kit)
        column.addWidget(self.ports)
        column.addWidget(self.notes)
        live = QHBoxLayout()
        live.addWidget(self.start)
        live.addWidget(self.browse_button)
        column.addLayout(live)
        self.todo = PlainLabel()
        self.todo.setWordWrap(True)
        set_font(self.todo, theme.ui_font, 12, bold=True)
        self.countdown = PlainLabel()
        set_font(self.countdown, theme.ui_font, 20, bold=True)
        self.caution = PlainLabel(HAND_TEST_CAUTION)
        self.caution.setWordWrap(True)
        self.caution.setObjectName("hint")
        for words in (self.todo, self.countdown, self.caution):
            column.addWidget(words)
        column.addStretch(1)
        row.addWidget(side)
        column = QVBoxLayout()
        column.setSpacing(4)
        self.table = QTableWidget()
        make_list(
            self.table,
            "What was measured",
            ["what", "measured", "spread", "usual"],
            wide=(0,),
            empty="Begin the test: each hand's speed is listed here.",
        )
        self.words = HintLabel()
        self.chart = HandChart()
        self.use = QPushButton("Use it for this player")
        self.back = QPushButton("Back to the skill")
        buttons = QHBoxLayout()
        for button in (self.use, self.back):
            button.setObjectName("quiet")
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addWidget(self.table, 3)
        column.addWidget(self.words)
        column.addLayout(buttons)
        column.addWidget(self.chart, 2)
        row.addLayout(column, 1)
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self._tick)
        self.notes.setVisible(False)
        self.ports.currentTextChanged.connect(lambda name: self.notes.setVisible(name not in (KEYBOARD, SIMULATED)))
        self.start.clicked.connect(self.begin)
        self.browse_button.clicked.connect(self.browse)
        self.use.clicked.connect(self.apply)
        self.back.clicked.connect(self.forget)
        self.start.installEventFilter(self)
        log.changed.connect(self._heard)
        self._say_idle()
        self.follow(shown_later=True)

    def refresh(self) -> None:
        self.ports.refresh()
        self.chart.show_tests(_tests(self.log.takes(PLAN)))
        measured = self.session.player.constants != Constants()
        self.back.setVisible(measured)
        self.use.setEnabled(self.found is not None and self._constants() != self.session.player.constants)
        if self.found is None:
            own = self.session.player.constants
            words = "In use: what a hand test measured." if measured else "About three minutes, whenever you like."
            self.table.setRowCount(0)
            rows = [(name, getattr(own, name)) for name in CONSTANTS if getattr(own, name) is not None]
            self.table.setRowCount(len(rows))
            for k, (name, value) in enumerate(rows):
                fill_row(self.table, k, (CONSTANTS[name][0], _value(name, value), "–", "–"))
            say(self.words, words, "hint")

    # --- the test ---------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Begin the guided test; pressed again, stop it and measure what was played."""
        if self.guide is not None:
            self._end()
            return
        session = self.session
        self._source = self.ports.currentText() or KEYBOARD
        self._moves = {} if self._source == KEYBOARD else moves_of(session.kit, session.player)
        names = [name for name in NAMES if not name.endswith("move") or name in self._moves]
        self.guide = Guide(names, 1.0) if self._source == SIMULATED else Guide(names)
        self._typed, self._began = [], self.recorder.clock()
        try:
            if self._source == SIMULATED:
                played = perform_test(session.player, session.kit, hand_test_keys(session.kit), names=names)
                self.recorder.perform(played.hits, SIMULATED)
            elif self._source != KEYBOARD:
                self.recorder.record(self._source)
        except OSError as error:
            self.guide = None
            say(self.words, sentence(error), "error")
            return
        self.start.setText("Stop")
        self.start.setFocus()
        self.timer.start()
        self._tick()

    def _tick(self) -> None:
        guide = self.guide
        if guide is None:
            return
        passed = self.recorder.clock() - self._began
        now = guide.at(passed)
        if now is None:
            self._end()
            return
        words = self._in_words(now.exercise.words)
        self.todo.setText(words if now.playing else f"Rest. Next: {words[0].lower()}{words[1:]}")
        hits = len(self._typed if self._source == KEYBOARD else self.recorder.hits)
        self.countdown.setText(f"{math.ceil(now.left)} s · {hits} strokes")

    def _in_words(self, words: str) -> str:
        """What to do, with the places of this kit, and the keys where the computer's are played."""
        words = words.format(near=self._places(NEAR), far=self._places(FAR))
        if self._source == KEYBOARD:
            words += " Any letter key counts; for the feet tap with the foot's hand."
        return words

    def _places(self, exercise: str) -> str:
        """The two voices of a move, as far as the kit has one."""
        return " and ".join(self._moves[exercise].voices) if exercise in self._moves else "two pads"

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keys are strokes while a test is played on them."""
        if (
            self.guide is not None
            and self._source == KEYBOARD
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.text().isalpha()
        ):
            if not event.isAutoRepeat():
                now = self.guide.at(passed := self.recorder.clock() - self._began)
                foot = now is not None and now.exercise.limbs in FEET
                keys = hand_test_keys(self.session.kit)
                key = keys[now.exercise.limbs] if now is not None and foot else keys["sn"]
                self._typed.append(Hit(passed, key, 80))
            return True
        return bool(super().eventFilter(watched, event))

    def _end(self) -> None:
        guide, self.guide = self.guide, None
        self.timer.stop()
        self.start.setText("Begin the test")
        hits = list(self.recorder.stop()) if self._source != KEYBOARD else self._typed
        if self._source not in (KEYBOARD, SIMULATED):
            hits = list(self.notes.maps.chosen.heard(hits))
        self._say_idle()
        assert guide is not None
        if not hits:
            say(self.words, "Nothing was heard: is the kit on, and the right port chosen?", "error")
            return
        self._measure(hits, guide.marks, self._source)

    def _say_idle(self) -> None:
        self.todo.setText("Each hand and foot alone as fast as it stays even, doubles, and two moves.")
        self.countdown.setText("")

    def browse(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Measure a recording", "", "MIDI files (*.mid *.midi)")
        if name:
            self.measure_file(Path(name))

    def measure_file(self, path: Path) -> None:
        """Measure a recorded test."""
        try:
            data = read_file(path, MAX_BYTES)
            hits, texts = load_performance(data), load_texts(data)
        except (DocumentError, OSError) as error:
            say(self.words, f"{path.name}: {getattr(error, 'strerror', None) or error}.", "error")
            return
        self._measure(list(self.notes.maps.chosen.heard(hits)), texts, path.name)

    def _measure(self, hits: list[Hit], marks: tuple[tuple[float, str], ...], source: str) -> None:
        try:
            found = measure(exercises_of(hits, marks, FOOT_KEYS), self.session.kit, self.session.player)
        except HandTestError as error:
            say(self.words, sentence(error), "error")
            return
        self.found = found
        self.table.setRowCount(len(found.constants))
        for k, (name, row) in enumerate(found.constants.items()):
            words = CONSTANTS[name][0] if name in CONSTANTS else "hand to hand, stroke to stroke"
            cells = (words, _value(name, row.value), _value(name, row.spread), _value(name, row.usual))
            tip = f"{words}: from {row.source}. Usual: what the model has for this player's skill."
            fill_row(self.table, k, cells, [tip] * len(cells))
        notes = " ".join(f"{note[0].upper()}{note[1:]}." for note in found.notes)
        own = source == SIMULATED
        kept = "Played by the simulated player; not kept in the log." if own else f"From {source}; kept in the log."
        say(self.words, f"{kept} {notes}".strip(), "hint")
        if not own:
            self._log(found)
        self.use.setEnabled(self._constants() != self.session.player.constants)

    def _log(self, found: HandTest) -> None:
        hand = found.constants.get("hand_to_hand") or found.constants.get("right")
        # As hand to hand in sixteenths.
        tempo = round(15.0 / hand.value, 1) if hand is not None else 0.0
        constants = {name: row.value for name, row in found.constants.items()}
        at = self.now().isoformat(timespec="seconds")
        if not self.log.add(TakeEntry(at, PLAN, PLAN_NAME, tempo, "clean", {"constants": constants})):
            say(
                self.words,
                sentence(self.log.trouble_in_words),
                "error",
            )

    # --- its use ----------------------------------------------------------------------------------------------

    def _constants(self) -> Constants | None:
        return None if self.found is None else self.found.player.constants

    def apply(self) -> None:
        """The player's own constants from here on: one step that can be undone."""
        if self.found is not None:
            new = self.found.player
            self.session.kits.change_player("Own constants", constants=new.constants, speeds=new.speeds)

    def forget(self) -> None:
        """The skill stands again."""
        self.session.kits.change_player("Back to the skill", constants=Constants())


def _value(name: str, value: float) -> str:
    return f"{value * 100:.0f} %" if name.endswith("rebound") else f"{value * 1000:.0f} ms"


def _tests(entries: list[TakeEntry]) -> list[Test]:
    """Hand tests that can be drawn, in their order."""
    found = []
    for entry in entries:
        rows = entry.found.get("constants")
        try:
            at = datetime.fromisoformat(entry.at).astimezone()
        except (ValueError, OverflowError, OSError):
            continue
        if isinstance(rows, dict):
            fine = {
                name: float(value)
                for name, value in rows.items()
                if isinstance(value, (int, float)) and 0.01 < value < 2.0
            }
            if fine:
                found.append(Test(at, fine))
    return sorted(found)
