"""Bringing in a MIDI file: what was understood and what was guessed, each to be changed before it is taken."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QProgressBar,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.text.numbers import bpm
from deft_reach.app.text.words import sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.tapping import GRIDS
from deft_reach.core.song.sectioning import Stretch, sections_of
from deft_reach.formats.general_midi import key_name
from deft_reach.formats.imported import Choices, Imported
from deft_reach.formats.midi import load_midi
from deft_reach.formats.reading import DocumentError

METERS: Final = ("as in the file", "4/4", "3/4", "2/4", "6/8", "12/8", "5/4", "7/8")
#: A file of more bars than this is proposed as a song.
LONG: Final = 16

Read = tuple[Imported, Pattern, tuple[Stretch, ...]]


class ImportDialog(QDialog):
    """Reads the file beside the window's thread, again after every change; ``found`` is what was read last.

    ``as_song`` says that repeated bars are to become plans, and the piece a song.
    """

    #: It was read, or cannot be.
    settled = Signal()

    def __init__(self, path: Path, data: bytes, kit: Kit, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.path, self.data, self.kit = path, data, kit
        self.found: Imported | None = None
        self.pattern: Pattern | None = None
        self.stretches: tuple[Stretch, ...] = ()
        self.voices: dict[int, str] = {}
        self._boxes: dict[int, QComboBox] = {}
        self._task = BackgroundTask(DocumentError)
        self._task.finished.connect(self._take)
        self.setWindowTitle(f"Bring in “{path.name}”")
        self._lay_out()
        self.part.activated.connect(lambda _: self.read())
        self.meter.activated.connect(lambda _: self.read())
        self.grid.activated.connect(lambda _: self.read())
        self.swing.clicked.connect(lambda _: self.read())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.read()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        self.facts = HintLabel(lines=2)
        self.part, self.meter, self.grid = QComboBox(), QComboBox(), QComboBox()
        self.meter.addItems(METERS)
        for name, step in GRIDS.items():
            self.grid.addItem("as found" if step is None else name, step)
        self.swing = QCheckBox("Write what swings straight, with a swing setting")
        self.swing.setChecked(True)
        form = QFormLayout()
        form.setHorizontalSpacing(16)
        for caption, box in (("Part", self.part), ("Meter", self.meter), ("Grid", self.grid)):
            box.setAccessibleName(caption)
            form.addRow(caption, box)
        form.addRow("", self.swing)
        self.remarks = PlainLabel()
        self.remarks.setWordWrap(True)
        self.remarks.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea()
        area.setWidget(self.remarks)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        set_scaled(area, QWidget.setMinimumHeight, 96)
        area.setAccessibleName("What was guessed")
        self.table = QTableWidget()
        make_list(
            self.table, "What each MIDI key is played on", ["key", "sound", "played on"], wide=(1, 2), row_height=30
        )
        set_scaled(self.table, QWidget.setMinimumHeight, 150)
        self.as_song_box = QCheckBox()
        self.progress = QProgressBar()
        self.progress.setRange(0, 0)
        self.progress.setTextVisible(False)
        self.progress.setMaximumHeight(6)
        self.buttons = QDialogButtonBox()
        self.open_button = self.buttons.addButton("Bring it in", QDialogButtonBox.ButtonRole.AcceptRole)
        self.open_button.setObjectName("primary")
        self.buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        column.addWidget(self.facts)
        middle = QHBoxLayout()
        middle.setSpacing(24)
        left = QVBoxLayout()
        left.addLayout(form)
        head = PlainLabel("What was guessed")
        head.setObjectName("panelTitle")
        left.addWidget(head)
        left.addWidget(area, 1)
        middle.addLayout(left, 1)
        middle.addWidget(self.table, 1)
        column.addLayout(middle, 1)
        column.addWidget(self.as_song_box)
        column.addWidget(self.progress)
        column.addWidget(self.buttons)
        set_scaled(self, QWidget.setMinimumWidth, 780)
        set_scaled(self, QWidget.setMinimumHeight, 460)

    @property
    def as_song(self) -> bool:
        return self.as_song_box.isChecked() and len(self.stretches) > 1

    @property
    def choices(self) -> Choices:
        """What was chosen in place of what is found."""
        meter = self.meter.currentText().partition("/")
        grid = self.grid.currentData()
        return Choices(
            dict(self.voices),
            (int(meter[0]), int(meter[2])) if meter[1] else None,
            self.swing.isChecked(),
            Fraction(grid) if grid is not None else None,
        )

    def read(self) -> None:
        """Read the file in the background, with what is chosen."""
        self.progress.show()
        self.open_button.setEnabled(False)
        data, kit, choices, part = self.data, self.kit, self.choices, self.part.currentData()

        def work(progress: object) -> Read:
            found = load_midi(data, kit, part, choices)
            pattern = read_unfinished(found.text, kit)
            return found, pattern, sections_of(pattern, found.tempi)

        self._task.start(work)

    def _take(self, result: Read | str) -> None:
        self.progress.hide()
        if isinstance(result, str):
            self.facts.setText(f"{self.path.name} cannot be brought in: {sentence(result)}")
            self.settled.emit()
            return
        first = self.found is None
        self.found, self.pattern, self.stretches = result
        self.open_button.setEnabled(True)
        self._show(self.found, self.pattern, first)
        self.settled.emit()

    def _show(self, found: Imported, pattern: Pattern, first: bool) -> None:
        meters = ", ".join(dict.fromkeys(f"{bar.meter[0]}/{bar.meter[1]}" for bar in pattern.bar_rows))
        tempo = bpm(found.tempo) if found.tempo is not None else "no tempo in the file"
        bars = counted(len(pattern.bar_rows), "bar")
        swing = f", {pattern.swing.text}" if pattern.swing is not None else ""
        self.facts.setText(f"{counted(len(pattern.strokes), 'stroke')} in {bars} of {meters}, {tempo}{swing}.")
        self.remarks.setText("\n".join(f"• {sentence(remark)}" for remark in found.remarks) or "Nothing.")
        plans = len({stretch.text for stretch in self.stretches})
        self.as_song_box.setText(
            f"As a song: repeated bars become {counted(plans, 'plan')} in {counted(len(self.stretches), 'section')}"
        )
        self.as_song_box.setEnabled(len(self.stretches) > 1)
        if first:
            long = len(pattern.bar_rows) > LONG or bool(found.tempi)
            self.as_song_box.setChecked(long and len(self.stretches) > 1)
            self.part.addItem("all drum tracks as one" if len(found.tracks) > 1 else "the drums", None)
            if len(found.tracks) > 1:
                for k, (name, count) in enumerate(found.tracks):
                    self.part.addItem(f"{name} ({counted(count, 'note')})", k)
            self.part.setEnabled(len(found.tracks) > 1)
        self._fill_keys(found)

    def _fill_keys(self, found: Imported) -> None:
        keys = [key for key, _ in found.keys]
        if keys == list(self._boxes):
            return
        self._boxes = {}
        self.table.setRowCount(len(keys))
        for row, (key, voice) in enumerate(found.keys):
            self.table.setItem(row, 0, QTableWidgetItem(str(key)))
            self.table.setItem(row, 1, QTableWidgetItem(key_name(key)))
            box = QComboBox()
            for one in [*self.kit.voices, *([] if voice in self.kit.voices else [voice])]:
                name = voice_name(self.kit, one) if one in self.kit.voices else "nothing on this kit"
                box.addItem(f"{name} ({one})", one)
            box.setCurrentIndex(box.findData(voice))
            box.setAccessibleName(f"What key {key} is played on")
            box.activated.connect(lambda _, k=key, b=box: self._choose(k, b.currentData()))
            self._boxes[key] = box
            self.table.setCellWidget(row, 2, box)

    def _choose(self, key: int, voice: str) -> None:
        self.voices[key] = voice
        self.read()

    def done(self, result: int) -> None:
        self._task.cancel()
        super().done(result)
