"""Sound files: 16-bit mono WAV."""

from __future__ import annotations

import io
import wave

import numpy as np

from deft_reach.sound.click import RATE
from deft_reach.sound.playback import Playback

#: A sound file is no longer than this (s): about 100 MB.
LONGEST = 1200.0


class WavError(ValueError):
    """What cannot be written as a sound file, and why."""


def write_wav(playback: Playback, rounds: int = 1) -> bytes:
    """A playback as the bytes of a WAV file; a loop goes round ``rounds`` times.

    Raises WavError where it would be too long.
    """
    count = playback.samples
    if count is None:
        count = round((playback.lead_in + rounds * playback.length) * RATE)
    if count > LONGEST * RATE:
        raise WavError(f"it would be {count / RATE / 60:.0f} minutes long; at most {LONGEST / 60:.0f} are written")
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        for start in range(0, count, RATE):
            block = playback.block(start, min(RATE, count - start))
            file.writeframes((np.clip(block, -1.0, 1.0) * 32767.0).round().astype("<i2").tobytes())
    return out.getvalue()
