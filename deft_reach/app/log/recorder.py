"""Recording a take live: from a MIDI port, or from the simulated kit that plays into the app as a real one would."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from deft_reach.core.practice.hits import Hit
from deft_reach.sound import midi_ports

#: The simulated kit looks so often (ms) whether a hit is due; what it sends has its own time.
TICK_MS = 5


class Recorder(QObject):
    """``heard`` after every hit with how many there are; ``ended`` when the simulated kit has played all of its."""

    heard = Signal(int)
    ended = Signal()
    _arrived = Signal(float, int, int)

    def __init__(self, parent: QObject | None = None, clock: Callable[[], float] = time.perf_counter) -> None:
        super().__init__(parent)
        self.clock = clock
        #: What is listened to, by name.
        self.source = ""
        self.hits: list[Hit] = []
        self._port: Any = None
        self._begin = 0.0
        self._to_play: list[Hit] = []
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(self.tick)
        # A port's hits come in its own thread, with the time they came.
        self._arrived.connect(self._take)

    @property
    def recording(self) -> bool:
        return self._port is not None or self.timer.isActive()

    def record(self, port: str) -> None:
        """Listen to a port. Raises OSError when it cannot be opened."""
        self.stop()
        self.source, self.hits, self._begin = port, [], self.clock()
        self._port = midi_ports.open_notes(
            port, lambda key, velocity: self._arrived.emit(self.clock() - self._begin, key, velocity)
        )

    def perform(self, hits: Sequence[Hit], source: str) -> None:
        """Let the simulated kit play these hits in their own time."""
        self.stop()
        self.source = source
        self.hits, self._to_play, self._begin = [], sorted(hits), self.clock()
        self.timer.start()

    def stop(self) -> tuple[Hit, ...]:
        """Stop listening; what was heard."""
        self.timer.stop()
        if self._port is not None:
            self._port.close()
            self._port = None
        return tuple(self.hits)

    def _take(self, at: float, key: int, velocity: int) -> None:
        if self.recording:
            self.hits.append(Hit(at, key, velocity))
            self.heard.emit(len(self.hits))

    def tick(self) -> None:
        now = self.clock() - self._begin
        while self._to_play and self._to_play[0].time <= now:
            hit = self._to_play.pop(0)
            self._take(hit.time, hit.key, hit.velocity)
        if not self._to_play:
            self.timer.stop()
            self.ended.emit()
