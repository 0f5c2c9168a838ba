"""Learning which notes an electronic kit sends: each pad is asked for and struck once."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.port_box import SIMULATED_KIT, PortBox
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.model.kit import Kit
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.note_map import Learner, NoteMap

#: The notes of the simulated kit go up from here, and it strikes a pad every so many seconds.
FIRST_NOTE, EVERY_S = 60, 0.4
INVITATION = "Press Start, then strike each pad once as it is asked for. Save when the rest is not on your kit."


class NoteMapDialog(QDialog):
    """``result_map`` is what was learned once it is accepted."""

    def __init__(self, kit: Kit, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Learn your kit's notes")
        self.learner = Learner(kit)
        self.recorder = Recorder(self)
        self.result_map: NoteMap | None = None
        self.ports = PortBox("What is played on", last=(SIMULATED_KIT,))
        self.start = QPushButton("Start")
        self.asked = PlainLabel()
        set_font(self.asked, theme.ui_font, 15, bold=True)
        self.words = HintLabel(INVITATION)
        self.table = QTableWidget()
        make_list(self.table, "Pads and their notes", ["strike", "note", ""], wide=(0,))
        self.back = QPushButton("Back")
        self.back.setToolTip("Ask for the pad before once more")
        self.skip = QPushButton("Not on my kit")
        self.skip.setToolTip("Go on to the next pad")
        self.name = QLineEdit("My kit")
        self.name.setMaxLength(60)
        self.name.setAccessibleName("Name of the note map")
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        self._lay_out()
        self.recorder.heard.connect(self._hear)
        self.start.clicked.connect(self.listen)
        self.back.clicked.connect(self._go_back)
        self.skip.clicked.connect(self._skip)
        self.name.textChanged.connect(lambda _: self._show())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.finished.connect(lambda _: self.recorder.stop())
        self._show()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(8)
        live = QHBoxLayout()
        live.addWidget(self.ports, 1)
        live.addWidget(self.start)
        column.addLayout(live)
        column.addWidget(self.asked)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)
        steps = QHBoxLayout()
        for button in (self.start, self.back, self.skip):
            button.setObjectName("quiet")
            button.setAutoDefault(False)
        steps.addWidget(self.back)
        steps.addWidget(self.skip)
        steps.addStretch(1)
        column.addLayout(steps)
        named = QHBoxLayout()
        caption = PlainLabel("Name")
        caption.setObjectName("caption")
        caption.setBuddy(self.name)
        named.addWidget(caption)
        named.addWidget(self.name, 1)
        column.addLayout(named)
        column.addWidget(self.buttons)
        set_scaled(self, QWidget.setMinimumWidth, 460)
        set_scaled(self, QWidget.setMinimumHeight, 520)

    # --- listening --------------------------------------------------------------------------------------------

    def listen(self) -> None:
        """Begin to listen to the chosen port, or stop."""
        if self.recorder.recording:
            self.recorder.stop()
            self._show()
            return
        source = self.ports.currentText()
        try:
            if source == SIMULATED_KIT:
                self.recorder.perform(self._simulated(), source)
            else:
                self.recorder.record(source)
        except OSError as error:
            say(self.words, sentence(error), "error")
            return
        self._show()

    def _simulated(self) -> list[Hit]:
        """What the simulated kit sends: notes of its own, from the pad that is asked for on."""
        rows = range(self.learner.at, len(self.learner.pads))
        return [Hit(EVERY_S * (k + 1), FIRST_NOTE + row, 90) for k, row in enumerate(rows)]

    def _hear(self, count: int) -> None:
        self.learner.hear(self.recorder.hits[count - 1])
        self._show()

    def _go_back(self) -> None:
        self.learner.back()
        self._show()

    def _skip(self) -> None:
        self.learner.skip()
        self._show()

    # --- what is shown ----------------------------------------------------------------------------------------

    def _show(self) -> None:
        learner, listening = self.learner, self.recorder.recording
        heard = [note for note in learner.notes if note is not None]
        self.start.setText("Stop" if listening else "Start")
        asked = learner.asked
        self.asked.setText("All pads are done." if asked is None else f"Strike the {asked.words}")
        if asked is None:
            say(
                self.words,
                f"{len(heard)} of {len(learner.pads)} pads were heard. Name and save it.",
                "hint",
            )
        elif listening:
            say(
                self.words,
                f"Pad {learner.at + 1} of {len(learner.pads)}. Save when the rest is not on your kit.",
                "hint",
            )
        else:
            say(self.words, INVITATION, "hint")
        self.table.setRowCount(len(learner.pads))
        for k, pad in enumerate(learner.pads):
            note, same = learner.notes[k], learner.same_as(k)
            passed = k < learner.at
            number = str(note) if note is not None else "not there" if passed else "–"
            fill_row(self.table, k, (pad.words, number, "" if same is None else f"as the {same.words}"))
        self.table.setCurrentCell(min(learner.at, len(learner.pads) - 1), 0)
        self.back.setEnabled(learner.at > 0)
        self.skip.setEnabled(asked is not None)
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        save.setEnabled(bool(heard) and bool(self.name.text().strip()))

    def accept(self) -> None:
        """Take what was learned."""
        self.result_map = self.learner.map(self.name.text().strip())
        super().accept()
