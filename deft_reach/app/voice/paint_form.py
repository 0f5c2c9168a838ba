"""Putting strokes on voices: by sets of strokes, or one set of voices for another."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.shell.station import Listener
from deft_reach.app.text.words import say
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.model.kit import voice_name
from deft_reach.core.model.limbs import EITHER, HANDS
from deft_reach.core.model.substitutes import missing_voices
from deft_reach.core.notation.scopes import SCOPES, strokes_in
from deft_reach.core.session.lane import Lane

SELECTION = "selection"


class PaintForm(Listener):
    """Which strokes above; where each voice of the plan goes below."""

    def __init__(self, lane: Lane) -> None:
        super().__init__(lane.session)
        self.lane = lane
        self.becomes: dict[str, QComboBox] = {}
        self._rows: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        column.addLayout(self._painting())
        head = PlainLabel("Same hands, other voices")
        head.setObjectName("panelTitle")
        column.addWidget(head)
        self._add_exchange(column)
        self.put.clicked.connect(lambda: self.paint(self.voice.currentText()))
        self.before.clicked.connect(lambda: self.step(-1))
        self.after.clicked.connect(lambda: self.step(1))
        self.exchange.clicked.connect(self._exchange)
        self.scope.currentIndexChanged.connect(lambda _: self._say())
        lane.changed.connect(self._say)
        self.follow()

    def _painting(self) -> QGridLayout:
        grid = QGridLayout()
        self.scope = QComboBox()
        self.scope.setAccessibleName("Which strokes")
        self.scope.addItem("the selected strokes", SELECTION)
        for name, (words, _) in SCOPES.items():
            self.scope.addItem(words, name)
        self.voice = QComboBox()
        self.voice.setAccessibleName("Voice to put them on")
        self.put = QPushButton("Put there")
        self.before, self.after = QPushButton("‹"), QPushButton("›")
        for button, words in ((self.before, "The voice before (Shift+V)"), (self.after, "The next voice (V)")):
            button.setToolTip(plain_tip(words))
            button.setAccessibleName(words)
            button.setMaximumWidth(34)
        for button in (self.put, self.before, self.after):
            button.setObjectName("quiet")
        for row, (text, box) in enumerate((("strokes", self.scope), ("on", self.voice))):
            caption = PlainLabel(text)
            caption.setObjectName("caption")
            caption.setBuddy(box)
            grid.addWidget(caption, row, 0)
            grid.addWidget(box, row, 1)
        grid.setColumnStretch(1, 1)
        steps = QHBoxLayout()
        for button in (self.before, self.after):
            steps.addWidget(button)
        grid.addLayout(steps, 0, 2)
        grid.addWidget(self.put, 1, 2)
        return grid

    def _add_exchange(self, column: QVBoxLayout) -> None:
        self.table = QTableWidget()
        make_list(
            self.table,
            "Voices of the plan and what they become",
            ["voice", "strokes", "becomes"],
            wide=(0, 2),
            row_height=30,
        )
        column.addWidget(self.table, 1)
        buttons = QHBoxLayout()
        self.words = HintLabel()
        self.exchange = QPushButton("Exchange")
        self.exchange.setObjectName("quiet")
        buttons.addWidget(self.words, 1)
        buttons.addWidget(self.exchange)
        column.addLayout(buttons)

    def chosen(self) -> list[int]:
        """Indices of the hand strokes that are meant: of a set only those in the selection, where there is one."""
        pattern = self.session.pattern()
        if pattern is None:
            return []
        name = self.scope.currentData()
        low, high = self.lane.selection
        within = [i for m in pattern.moments[low:high] for i in m.strokes] if high > low else None
        if name != SELECTION:
            return strokes_in(pattern, name, within)
        if within is not None:
            found = within
        else:
            found = [self.session.stroke] if self.session.stroke is not None else []
        return [i for i in found if pattern.strokes[i].limb in (*HANDS, EITHER)]

    def paint(self, voice: str) -> None:
        """Put what is meant on a voice."""
        indices = self.chosen()
        if indices and voice:
            low, high = self.lane.selection
            inside = " in the selection" if high > low else ""
            named = self.scope.currentData() != SELECTION
            words = f"{self.scope.currentText()}{inside}" if named else f"{len(indices)} strokes"
            self.session.strokes.set_voices(
                dict.fromkeys(indices, voice), f"{words[:1].upper()}{words[1:]} to {voice}"
            )

    def step(self, by: int) -> None:
        """The next or previous voice for what is meant."""
        self.session.strokes.step_voice(self.chosen(), by)

    def _exchange(self) -> None:
        exchange = {old: box.currentText() for old, box in self.becomes.items() if box.currentText() != old}
        if exchange:
            self.session.strokes.replace_voices(exchange)

    def _say(self) -> None:
        if not self.isVisible():
            return
        count = len(self.chosen())
        low, high = self.lane.selection
        self.put.setText(f"Put {count} there" if count else "Put there")
        self.put.setToolTip("Only in the selection" if high > low else "In the whole plan")
        for button in (self.put, self.before, self.after):
            button.setEnabled(count > 0)

    def refresh(self) -> None:
        kit, pattern = self.session.kit, self.session.pattern()
        voices = [v for v in kit.voices if v != "bd" and not v.endswith(":foot")]
        with QSignalBlocker(self.voice):
            if voices != [self.voice.itemText(k) for k in range(self.voice.count())]:
                self.voice.clear()
                self.voice.addItems(voices)
        self._say()
        counts: dict[str, int] = {}
        for stroke in pattern.strokes if pattern is not None else ():
            if stroke.limb in (*HANDS, EITHER):
                counts[stroke.voice] = counts.get(stroke.voice, 0) + 1
        missing = missing_voices(kit, tuple(counts))
        if (rows := (tuple(counts.items()), tuple(voices), tuple(missing.items()))) == self._rows:
            return
        self._rows = rows
        self.becomes = {}
        self.table.setRowCount(len(counts))
        for row, (voice, count) in enumerate(counts.items()):
            name = f"{voice_name(kit, voice)} ({voice})" if voice not in missing else f"{voice}: not on this kit"
            self.table.setItem(row, 0, QTableWidgetItem(name))
            self.table.setItem(row, 1, QTableWidgetItem(str(count)))
            box = QComboBox()
            box.addItems(voices if voice in voices else [voice, *voices])
            box.setCurrentText(missing.get(voice) or voice)
            box.setAccessibleName(f"What {voice} becomes")
            self.becomes[voice] = box
            self.table.setCellWidget(row, 2, box)
        if missing:
            say(self.words, "The kit lacks a voice: the nearest it has is proposed.", "error")
        else:
            say(self.words, "Every stroke on a voice goes where you send that voice.")
