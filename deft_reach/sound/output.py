"""The way out: a sound device, or nothing where there is none."""

from __future__ import annotations

import os
from collections.abc import Generator
from pathlib import Path
from typing import Any, Final, Protocol

from deft_reach.sound.click import RATE, Samples

#: Sound is handed over so far ahead (ms): short enough to play along to, long enough not to break off.
BUFFER_MS: Final = 40


class Source(Protocol):
    """Whatever can give any stretch of its samples."""

    def block(self, start: int, count: int) -> Samples: ...


class Output:
    """A running device that plays a source from its first sample on; ``played`` counts the samples handed over."""

    def __init__(self, source: Source, *, null: bool = False) -> None:
        import miniaudio

        self.played = 0
        self._source = source
        backends = [miniaudio.Backend.NULL] if null else None
        self._device: Any = miniaudio.PlaybackDevice(
            output_format=miniaudio.SampleFormat.FLOAT32,
            nchannels=1,
            sample_rate=RATE,
            buffersize_msec=BUFFER_MS,
            backends=backends,
            app_name="Deft Reach",
        )
        stream = self._stream()
        next(stream)
        self._device.start(stream)

    def _stream(self) -> Generator[bytes, int, None]:
        count = yield b""
        while True:
            block = self._source.block(self.played, count)
            self.played += count
            count = yield block.tobytes()

    def close(self) -> None:
        """Stop playing; closing twice does nothing."""
        if self._device is not None:
            self._device.close()
            self._device = None


def can_sound() -> bool:
    """Whether there is anything to ask for sound: a card, or a sound server's socket."""
    if os.environ.get("DEFT_REACH_SILENT"):
        return False
    runtime = Path(os.environ.get("XDG_RUNTIME_DIR", "/nonexistent"))
    sockets = (runtime / "pulse" / "native", runtime / "pipewire-0")
    cards = Path("/dev/snd")
    return any(path.exists() for path in sockets) or (cards.is_dir() and any(cards.iterdir()))


def open_output(source: Source) -> Output | None:
    """A device that plays ``source``, or None where there is no sound. Never raises for want of a device."""
    if not can_sound():
        return None
    try:
        return Output(source)
    except Exception:  # whatever the sound system says, the answer is the same: no sound
        return None
