"""Tapping a rhythm in: on keys, or on the simulated practice pad, against a click that is heard where there is sound,
and seen everywhere.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.hint_label import HintLabel
from deft_reach.app.station import Listener
from deft_reach.app.styled import set_scaled
from deft_reach.core.notation.tapping import Tap, write_taps
from deft_reach.core.session.lane import Lane
from deft_reach.sound.click import Click
from deft_reach.sound.midi_ports import input_names, open_input
from deft_reach.sound.output import BUFFER_MS, Output, open_output

#: Keys under the two hands and the thumb.
TAP_KEYS = {Qt.Key.Key_F: "L", Qt.Key.Key_J: "R", Qt.Key.Key_Space: "K"}
PADS = (("L", "left · F"), ("K", "foot · Space"), ("R", "right · J"))


class PracticePad(QWidget):
    """Three pads to hit with the mouse or the keys; they light up when they are hit."""

    hit = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        set_scaled(self, QWidget.setMinimumHeight, 74)
        self.setAccessibleName("Practice pad: F left hand, J right hand, space bass foot")
        self.beat: int | None = None
        self.beats = 4
        self._lit: set[str] = set()
        self._dark = QTimer(self)
        self._dark.setSingleShot(True)
        self._dark.setInterval(90)
        self._dark.timeout.connect(self._darken)

    def strike(self, limb: str) -> None:
        self._lit.add(limb)
        self._dark.start()
        self.update()
        self.hit.emit(limb)

    def _darken(self) -> None:
        self._lit.clear()
        self.update()

    def box(self, k: int) -> QRectF:
        wide = (self.width() - 16) / 3
        return QRectF(4 + k * (wide + 4), 20, wide, self.height() - 24)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        limb = TAP_KEYS.get(Qt.Key(event.key()))
        if limb is None:
            super().keyPressEvent(event)
        elif not event.isAutoRepeat():
            self.strike(limb)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        for k, (limb, _) in enumerate(PADS):
            if self.box(k).contains(event.position()):
                self.strike(limb)

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k in range(self.beats):
            on = self.beat is not None and self.beat % self.beats == k
            painter.setPen(QPen(QColor(c.muted), 1.2))
            painter.setBrush(QColor(c.ink if on else c.sheet))
            size = 11.0 if k == 0 else 8.0
            painter.drawEllipse(QRectF(8 + k * 22 - size / 2 + 5, 9 - size / 2, size, size))
        for k, (limb, words) in enumerate(PADS):
            colour = c.hand(limb)
            fill = QColor(colour)
            fill.setAlphaF(0.5 if limb in self._lit else 0.1)
            painter.setPen(QPen(colour, 2.4 if self.hasFocus() else 1.4))
            painter.setBrush(fill)
            painter.drawRoundedRect(self.box(k), 8, 8)
            painter.setPen(QColor(c.ink))
            painter.setFont(theme.lettering(10))
            painter.drawText(self.box(k), int(Qt.AlignmentFlag.AlignCenter), words)
        painter.end()


class TapForm(Listener):
    """One bar is counted in; what is tapped from then on is written when tapping stops."""

    _struck = Signal(str)

    def __init__(self, lane: Lane, clock: Callable[[], float] = time.perf_counter) -> None:
        super().__init__(lane.session)
        self.lane = lane
        self.clock = clock
        self.taps: list[Tap] = []
        self.begun: float | None = None
        self.output: Output | None = None
        self._told = False
        self._pulse = QTimer(self)
        self._pulse.setInterval(15)
        self._pulse.timeout.connect(self.tick)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        self.pad = PracticePad()
        column.addWidget(self.pad, 1)
        self.words = HintLabel(lines=3)
        column.addWidget(self.words)
        self.ports = QComboBox()
        self.ports.setAccessibleName("What is played on")
        self.ports.addItem("keys and the pad above", "")
        column.addWidget(self.ports)
        row = QHBoxLayout()
        self.start = QPushButton("Start")
        self.start.setToolTip("A bar is counted in at the home tempo; then tap")
        self.write = QPushButton("Write it down")
        for button in (self.start, self.write):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.pad.hit.connect(self._hit)
        # A port calls from a thread of its own; the signal brings its strokes here.
        self._port: Any = None
        self._struck.connect(self.pad.strike)
        self.start.clicked.connect(self.begin)
        self.write.clicked.connect(self.finish)
        self._say("Watch the pulse, tap the rhythm with the hands you mean; it is written at the cursor.")
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
        """Count a bar in, and listen."""
        if self.begun is not None:
            self._stop()
            self._say("Stopped; nothing was written.")
            return
        self.taps = []
        beats, value = self.meter
        self.pad.beats = beats
        bar = 240.0 / self._tempo * beats / value
        name = self.ports.currentData()
        if name:
            try:
                self._port = open_input(name, self._struck.emit)
            except OSError as error:
                self._say(f"{error}.")
                return
        self.output = open_output(Click(bar / beats, beats))
        silent = self.output is None and not self._told
        # What is handed to the device is heard a buffer later, and the pulse waits for it.
        self.begun = self.clock() + bar + (0.0 if self.output is None else BUFFER_MS / 1000)
        self._pulse.start()
        self.start.setText("Stop")
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

    def tick(self) -> None:
        if self.begun is None:
            return
        beats, value = self.meter
        beat = 240.0 / self._tempo / value
        number = int((self.clock() - self.begun + beats * beat) // beat)
        if number != self.pad.beat:
            self.pad.beat = number
            self.pad.update()
            if number < beats:
                self._say(f"{number % beats + 1} …")
            else:
                self._say(f"Tapping: {len(self.taps)} strokes.")

    def _hit(self, limb: str) -> None:
        if self.begun is None:
            self._say("Press Start first; then tap.")
            return
        moment = self.clock() - self.begun
        # A little before the first beat is on it; earlier is only counting along.
        if moment > -0.25 * 60.0 / self._tempo:
            self.taps.append(Tap(max(0.0, moment), limb))

    def finish(self) -> None:
        """Write what was tapped at the cursor."""
        taps, self.taps = self.taps, []
        self._stop()
        text = write_taps(taps, self._tempo, self.meter)
        if not text:
            self._say("Nothing was tapped, so there is nothing to write.")
            return
        if self.lane.paste(text, "Tap in"):
            self._say(f"Written: {text[:120]}")
        else:
            self._say(self.lane.problem)

    def refresh(self) -> None:
        names = input_names() if self.begun is None else []
        if self.begun is None and names != [self.ports.itemData(k) for k in range(1, self.ports.count())]:
            while self.ports.count() > 1:
                self.ports.removeItem(1)
            for name in names:
                self.ports.addItem(name, name)
        self.ports.setVisible(self.ports.count() > 1)

    def hideEvent(self, event: QHideEvent) -> None:
        # Nothing clicks on out of sight.
        if self.begun is not None:
            self._stop()
        super().hideEvent(event)

    def _say(self, text: str) -> None:
        self.words.setText(text)
