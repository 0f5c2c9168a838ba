"""Tapping a rhythm in: on keys, on the practice pads, or on a MIDI port, against a click that is heard where there is
sound, and seen everywhere. What is tapped stands in the lane as it falls.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout

from deft_reach.app.shell.station import Listener
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.note_map_box import NoteMapBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.port_box import PortBox
from deft_reach.app.write.practice_pad import PracticePad
from deft_reach.core.model.counting import counted
from deft_reach.core.model.limbs import DEFAULT_VOICE
from deft_reach.core.notation.tapping import GRIDS, Tap, write_taps
from deft_reach.core.session.lane import Lane
from deft_reach.formats.general_midi import sound_of
from deft_reach.sound.click import Click
from deft_reach.sound.midi_ports import open_notes
from deft_reach.sound.output import BUFFER_MS, Output, open_output
from deft_reach.store.note_maps import NoteMaps

#: From these MIDI velocities on a stroke is an accent, and below this one a ghost (common practice).
ACCENT_FROM, GHOST_BELOW = 105, 45
#: What the ports stand beside.
KEYS = "keys and the pads above"
INVITATION = "Press Start, watch the pulse, and tap with the hands you mean: strokes stand in the lane as they fall."
_MERGE = "tap in"


class TapForm(Listener):
    """One bar is counted in; what is tapped is written at the cursor, stroke by stroke, as one step to undo."""

    #: Key and velocity from a port.
    _played = Signal(int, int)

    def __init__(self, lane: Lane, notes: NoteMaps, clock: Callable[[], float] = time.perf_counter) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(lane.session)
        self.lane = lane
        self.clock = clock
        self.taps: list[Tap] = []
        self.begun: float | None = None
        self.output: Output | None = None
        self._told = False
        self._plan = ""
        #: The text, and the lane's cursor and anchor, before anything was tapped; and the text that was written.
        self._before: tuple[str, int, int | None] = ("", 0, None)
        self._written = ""
        self._pulse = QTimer(self)
        self._pulse.setInterval(15)
        self._pulse.timeout.connect(self.tick)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        self.pad = PracticePad(lane.session.kit)
        column.addWidget(self.pad, 1)
        self.words = HintLabel()
        column.addWidget(self.words)
        self.ports = PortBox("What is played on", (KEYS,))
        self.notes = NoteMapBox(notes, lambda: lane.session.kit)
        column.addWidget(self.ports)
        column.addWidget(self.notes)
        row = QHBoxLayout()
        self.grid = QComboBox()
        self.grid.setAccessibleName("Grid that taps are written on")
        for name, step in GRIDS.items():
            self.grid.addItem(name, step)
        caption = PlainLabel("Grid")
        caption.setObjectName("caption")
        caption.setBuddy(self.grid)
        self.start = QPushButton("Start")
        self.start.setToolTip("A bar is counted in at the home tempo; then tap")
        self.discard = QPushButton("Discard")
        self.discard.setToolTip("Stop, and take back what was tapped")
        row.addWidget(caption)
        row.addWidget(self.grid, 1)
        for button in (self.start, self.discard):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.pad.hit.connect(self._hit)
        # A port calls from a thread of its own; the signal brings its strokes here.
        self._port: Any = None
        self._played.connect(self._take_played)
        self.ports.currentIndexChanged.connect(lambda _: self.notes.setVisible(self.ports.currentText() != KEYS))
        self.notes.setVisible(False)
        self.start.clicked.connect(self.begin)
        self.discard.clicked.connect(self.take_back)
        self.grid.currentIndexChanged.connect(lambda _: self._write())
        self.discard.setEnabled(False)
        self._say(INVITATION)
        self.follow()

    @property
    def _tempo(self) -> float:
        plan = self.session.plan
        return plan.tempo if plan is not None else 100.0

    @property
    def meter(self) -> tuple[int, int]:
        pattern = self.lane.pattern
        return pattern.meter if pattern is not None else (4, 4)

    def begin(self) -> None:
        """Count a bar in, and listen; pressed again it is done."""
        if self.begun is not None:
            self.finish()
            return
        self.lane.finish_pending()
        self.taps = []
        self._before = (self.session.text, self.lane.at, self.lane.anchor)
        self._written = self.session.text
        beats, value = self.meter
        self.pad.beats = beats
        bar = 240.0 / self._tempo * beats / value
        name = self.ports.currentText()
        if name != KEYS:
            try:
                self._port = open_notes(name, self._played.emit)
            except OSError as error:
                self._say(f"{error}.")
                return
        self.session.end_merge()
        self.output = open_output(Click(bar / beats, beats))
        silent = self.output is None and not self._told
        # What is handed to the device is heard a buffer later, and the pulse waits for it.
        self.begun = self.clock() + bar + (0.0 if self.output is None else BUFFER_MS / 1000)
        self._pulse.start()
        self.start.setText("Done")
        self.discard.setEnabled(True)
        self.pad.setFocus()
        self.tick()
        if silent:
            self._told = True
            self._say("There is no sound here: follow the pulse with your eyes.")

    def _stop(self) -> None:
        self.begun = None
        for thing in (self.output, self._port):
            if thing is not None:
                thing.close()
        self.output = self._port = None
        self._pulse.stop()
        self.pad.beat = None
        self.pad.update()
        self.start.setText("Start")
        self.discard.setEnabled(False)
        self.session.end_merge()

    def tick(self) -> None:
        """Show the pulse where it is; called many times a second."""
        if self.begun is None:
            return
        self.session.keep_merge(_MERGE)
        beats, value = self.meter
        beat = 240.0 / self._tempo / value
        number = int((self.clock() - self.begun + beats * beat) // beat)
        if number != self.pad.beat:
            self.pad.beat = number
            self.pad.update()
            if number < beats:
                self._say(f"{number % beats + 1} …")
            else:
                self._say(f"Tapping: {counted(len(self.taps), 'stroke')}.")

    # --- what is tapped ---------------------------------------------------------------------------------------

    def _hit(self, limb: str, voice: str, marks: str) -> None:
        if self.begun is None:
            self._say("Press Start first; then tap.")
            return
        own = voice if voice and voice != DEFAULT_VOICE[limb] else None
        self.taps.append(Tap(self.clock() - self.begun, limb, own, marks))
        self._write()

    def _take_played(self, key: int, velocity: int) -> None:
        """A stroke from the port: its pad is shown, and its loudness is heard."""
        meant = self.notes.maps.chosen.key(key)
        if meant is None:
            return
        sound = sound_of(self.session.kit, meant)
        loud = ">" if velocity >= ACCENT_FROM else "." if velocity < GHOST_BELOW else ""
        marks = loud + sound.marks if sound.limb == "?" else ""
        self.pad.light(sound.limb, sound.voice, marks)
        self._hit(sound.limb, sound.voice, marks)

    def _write(self) -> None:
        """Write what was tapped so far in the place of what was written before."""
        if self.begun is None or not self.taps:
            return
        text, at, anchor = self._before
        if self.session.text != self._written:
            self._stop()
            self._say("The strokes were changed in between, so tapping has stopped.")
            return
        taps = write_taps(self.taps, self._tempo, self.meter, grid=self.grid.currentData(), pickup=not text.strip())
        self.session.strokes.set_text(text, "Tap in", _MERGE)
        self.lane.at, self.lane.anchor = at, anchor
        if not text.strip():
            # Nothing stands there: what was tapped is all there is, with its bar lines.
            self.session.strokes.set_text(taps, "Tap in", _MERGE)
        elif not self.lane.paste(taps, "Tap in", _MERGE):
            self._say(self.lane.problem)
        self._written = self.session.text

    def finish(self) -> None:
        """What was tapped stays."""
        taps = len(self.taps)
        self.tick()
        self._stop()
        if not taps:
            self._say("Nothing was tapped, so nothing was written.")
        else:
            self._say(f"Written: {counted(taps, 'stroke')}. Undo takes them back.")

    def take_back(self) -> None:
        """Stop, and go back to what stood there before."""
        text, at, anchor = self._before
        if self.begun is not None and self.session.text == self._written:
            self.session.strokes.set_text(text, "Tap in", _MERGE)
            self.lane.at, self.lane.anchor = at, anchor
        self._stop()
        self._say("Discarded; nothing was written.")

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        plan = self.session.plan.id if self.session.plan is not None else ""
        if plan != self._plan:
            # What was said was about another plan.
            self._plan = plan
            if self.begun is not None:
                self._stop()
            self._say(INVITATION)
        self.pad.use_kit(self.session.kit)
        if self.begun is None:
            self.ports.refresh()
        self.ports.setVisible(self.ports.count() > 1)

    def hideEvent(self, event: QHideEvent) -> None:
        # Nothing clicks on out of sight.
        if self.begun is not None:
            self.finish()
        super().hideEvent(event)

    def _say(self, text: str) -> None:
        self.words.setText(text)
