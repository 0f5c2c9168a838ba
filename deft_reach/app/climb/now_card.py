"""What to play now, in large letters: tempo, stage, how often, the three verdicts, and the cautions that matter."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.text.words import VERDICT_WORDS, say
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.cautions import BEFORE, rung_words
from deft_reach.core.practice.runner import Runner

#: Typed on the station: a verdict.
VERDICT_KEYS = {"1": "clean", "2": "rough", "3": "not-yet"}

#: Typed on the station: goes to the note.
NOTE_KEY = "4"


class NowCard(QWidget):
    """``judged`` carries a verdict; ``play`` wants the rung played, or stopped, ``ramp`` the ramp; ``rested`` says a
    break was taken.
    """

    judged = Signal(str)
    play = Signal()
    rested = Signal()
    ramp = Signal()

    def __init__(self) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__()
        self.setAccessibleName("What to play now")
        set_scaled(self, QWidget.setMinimumHeight, 172)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 4, 14, 8)
        column.setSpacing(4)
        top = QHBoxLayout()
        self.tempo = PlainLabel()
        set_font(self.tempo, theme.ui_font, 30, bold=True)
        set_scaled(self.tempo, QWidget.setMinimumHeight, 46)
        facts = QVBoxLayout()
        facts.setSpacing(1)
        self.stage, self.detail = PlainLabel(), PlainLabel()
        set_font(self.stage, theme.ui_font, 12.5, bold=True)
        self.detail.setObjectName("caption")
        self.detail.setWordWrap(True)
        facts.addStretch(1)
        facts.addWidget(self.stage)
        facts.addWidget(self.detail)
        facts.addStretch(1)
        top.addWidget(self.tempo)
        top.addSpacing(14)
        top.addLayout(facts, 1)
        column.addLayout(top)
        row = QGridLayout()
        row.setHorizontalSpacing(8)
        self.start = QPushButton("Play the rung")
        self.start.setObjectName("primary")
        set_scaled(self.start, QWidget.setMinimumHeight, 38)
        self.start.setToolTip("Count-in, then the rung with its repeats (Space)")
        row.addWidget(self.start, 0, 0)
        self.buttons: dict[str, QPushButton] = {}
        for k, (key, verdict) in enumerate(VERDICT_KEYS.items(), 1):
            button = QPushButton(f"{VERDICT_WORDS[verdict]}  {key}")
            button.setToolTip(f"{VERDICT_WORDS[verdict]} ({key})")
            set_scaled(button, QWidget.setMinimumHeight, 38)
            button.clicked.connect(lambda _=False, v=verdict: self.judged.emit(v))
            self.buttons[verdict] = button
            row.addWidget(button, 0, k)
        self.click = QCheckBox("click")
        self.click.setChecked(True)
        self.click.setToolTip("A click on every beat while a rung is played")
        row.addWidget(self.click, 0, 4)
        row.setColumnStretch(0, 2)
        for k in (1, 2, 3):
            row.setColumnStretch(k, 1)
        column.addLayout(row)
        self.change = PlainLabel()
        self.change.setWordWrap(True)
        self.note = QLineEdit()
        self.note.setPlaceholderText(f"note for the log  {NOTE_KEY}")
        self.note.setAccessibleName("Note for the log")
        self.note.setToolTip(f"Kept with the next verdict ({NOTE_KEY}); Enter goes back to the verdict keys")
        self.note.setMaxLength(500)
        set_scaled(self.note, QWidget.setFixedWidth, 190)
        top.addWidget(self.note)
        column.addWidget(self.change)
        self.caution = PlainLabel()
        self.caution.setWordWrap(True)
        self.pause = QPushButton("I had a break")
        self.pause.setObjectName("quiet")
        low = QHBoxLayout()
        low.addWidget(self.caution, 1)
        self.ramp_button = QPushButton("Ramp")
        self.ramp_button.setObjectName("quiet")
        self.ramp_button.setToolTip(
            "This stage from the first tempo to home in one go, a little faster every time: where does it give out?"
        )
        self.ramp_button.clicked.connect(self.ramp.emit)
        self.ramp_rounds = QSpinBox()
        self.ramp_rounds.setRange(3, 60)
        self.ramp_rounds.setValue(12)
        self.ramp_rounds.setSuffix(" rounds")
        self.ramp_rounds.setAccessibleName("How many rounds a ramp has")
        low.addWidget(self.ramp_rounds, 0, Qt.AlignmentFlag.AlignTop)
        low.addWidget(self.ramp_button, 0, Qt.AlignmentFlag.AlignTop)
        low.addWidget(self.pause, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(low)
        column.addStretch(1)
        self.start.clicked.connect(self.play.emit)
        self.pause.clicked.connect(self.rested.emit)

    def show_runner(self, runner: Runner | None, playing: bool, played: int) -> None:
        """Where the session is; ``played`` is how often the rung has been played through."""
        self.start.setEnabled(runner is not None)
        for button in self.buttons.values():
            button.setEnabled(runner is not None)
        self.note.setEnabled(runner is not None)
        self.ramp_button.setEnabled(runner is not None)
        self.start.setText("Stop" if playing else "Play the rung")
        if runner is None:
            self.tempo.setText("–")
            self.stage.setText("Nothing to climb yet")
            self.detail.setText("Write a plan with strokes and a settled sticking first.")
            self.change.setText("")
            say(self.caution, "", "hint")
            self.pause.setVisible(False)
            return
        rung = runner.rung
        self.tempo.setText(bpm(rung.tempo))
        self.stage.setText(runner.stage.name)
        count = f"{played} of {rung.repeats} played" if playing else counted(rung.repeats, "time")
        clean = f", {runner.cleans} clean in a row" if runner.cleans else ""
        pace = "" if rung.pace is None else f", pace {decimal(rung.pace, '.2f')}"
        self.detail.setText(f"rung {runner.at + 1} of {len(runner.rungs)}{pace} · {count}{clean}")
        due = runner.break_due()
        self.pause.setVisible(due is not None)
        first = not runner.tried
        words = due or rung_words(rung) or (BEFORE if first else "")
        say(self.caution, words, "error" if due or (rung.pace or 0) > 1 else "hint")
