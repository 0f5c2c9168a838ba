"""What the kit sounds like: every voice made from tones and noise, from ghost to accent.

Plain synthesis after textbook recipes: a drum is a few decaying modes of a membrane whose pitch falls a little, plus
the stick; snare wires and cymbals are filtered noise and inharmonic partials. All of it is repeatable to the sample.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.piece_kinds import Timbre, kind_by_name, piece_kind
from deft_reach.core.motion.timing import ACCENT_LEVEL, GHOST_LEVEL, level_of
from deft_reach.sound.click import RATE, Samples

#: How loud a ghost, a plain stroke and an accent are, and how bright (part of the noise that is let through).
LOUDNESS: Final = {GHOST_LEVEL: 0.16, 1: 0.5, ACCENT_LEVEL: 0.9}
BRIGHTNESS: Final = {GHOST_LEVEL: 0.35, 1: 0.75, ACCENT_LEVEL: 1.0}
#: Ratios of a circular membrane's first modes (zeros of Bessel functions; from memory).
MODES: Final = (1.0, 1.594, 2.136, 2.296)
#: Partials of a cymbal: inharmonic, our own choice.
CYMBAL: Final = (1.0, 1.342, 1.789, 2.113, 2.787, 3.361, 4.173, 5.219, 6.367)


def stroke_sound(kit: Kit, voice: str, limb: str, marks: str) -> Samples:
    """The sound of a stroke on a voice of a kit, mono; a voice that the kit lacks sounds as a plain block."""
    code, _, zone = voice.partition(":")
    piece = kit.piece(code)
    kind = piece_kind("block" if piece is None else kind_by_name(piece.kind, piece.name))
    size = piece.diameter if piece is not None else 200.0
    if zone == "foot":
        kind, zone = piece_kind("hi-hat"), "foot"
    manner = next((m for m in "x^~o" if m in marks), "")
    return _sound(kind.timbre, zone, round(size), level_of(marks), manner)


def grace_sound(kit: Kit, voice: str) -> Samples:
    """A grace note on a voice: a ghost."""
    return stroke_sound(kit, voice, "R", ".")


@lru_cache(maxsize=512)
def _sound(timbre: Timbre, zone: str, size: int, level: int, manner: str) -> Samples:
    bright, sound = BRIGHTNESS[level], timbre.sound
    if zone in ("rim", "shell", "edge") and sound not in ("hat", "cymbal"):
        out = _wood(1450.0 if zone == "rim" else 620.0, bright)
    elif manner == "x":
        out = _wood(980.0, bright)
    elif sound == "bass":
        out = _drum(52.0, 0.32, fall=0.9, stick=0.25 * bright)
    elif sound == "snare":
        out = _snare(size, bright, manner)
    elif sound == "tom":
        out = _drum(118.0 * 305.0 / max(size, 120), 0.22 + size / 1500.0, fall=0.35, stick=0.2 * bright)
    elif sound == "hat":
        out = _hat(zone, manner, bright)
    elif sound in ("cymbal", "bell"):
        out = _cymbal(timbre, zone, size, bright)
    else:
        out = _wood(timbre.pitch, bright)
    if manner == "~":
        out = _buzz(out)
    out = out * (LOUDNESS[level] / max(1e-9, float(np.abs(out).max())))
    out[-64:] *= np.linspace(1.0, 0.0, 64)
    return out.astype(np.float32)


def _time(seconds: float) -> np.ndarray:
    return np.arange(round(seconds * RATE)) / RATE


def _noise(count: int, seed: int, low: float, high: float) -> np.ndarray:
    """Noise between two frequencies (Hz)."""
    spectrum = np.fft.rfft(np.random.default_rng(seed).standard_normal(count))
    frequency = np.fft.rfftfreq(count, 1 / RATE)
    band = 1.0 / (1.0 + (low / np.maximum(frequency, 1.0)) ** 4) / (1.0 + (frequency / high) ** 4)
    return np.asarray(np.fft.irfft(spectrum * band, count))


def _drum(pitch: float, decay: float, fall: float, stick: float) -> np.ndarray:
    time = _time(decay * 4)
    bend = 1.0 + fall * np.exp(-time * 38.0)
    out = np.zeros(len(time))
    for k, mode in enumerate(MODES):
        phase = 2 * np.pi * np.cumsum(pitch * mode * bend) / RATE
        out += np.sin(phase) * np.exp(-time / decay * (1.0 + 1.6 * k)) * 0.55**k
    return out + stick * _noise(len(time), 11, 700.0, 5000.0) * np.exp(-time * 160.0)


def _snare(size: int, bright: float, manner: str) -> np.ndarray:
    time = _time(0.42)
    body = _drum(182.0 * 356.0 / max(size, 200), 0.11, fall=0.3, stick=0.3)[: len(time)]
    out = np.zeros(len(time))
    out[: len(body)] += body
    out += 0.9 * bright * _noise(len(time), 23, 1100.0, 3000.0 + 6000.0 * bright) * np.exp(-time * 15.0)
    if manner == "^":
        out += 0.7 * np.sin(2 * np.pi * 1180.0 * time) * np.exp(-time * 55.0)
    return out


def _hat(zone: str, manner: str, bright: float) -> np.ndarray:
    decay = 0.55 if manner == "o" else 0.028 if zone == "foot" else 0.05
    time = _time(decay * 4)
    low = 3200.0 if zone == "foot" else 5200.0
    out = _noise(len(time), 31, low, 7000.0 + 8000.0 * bright) * np.exp(-time / decay)
    ring = sum(np.sin(2 * np.pi * 410.0 * p * time + p) for p in CYMBAL[3:])
    return np.asarray(out + 0.05 * ring * np.exp(-time / decay * 1.5))


def _cymbal(timbre: Timbre, zone: str, size: int, bright: float) -> np.ndarray:
    bell = timbre.sound == "bell"
    decay, tonal = timbre.decay, timbre.tonal
    base = timbre.pitch * (1.0 if bell else 450.0 / max(size, 200))
    time = _time(min(2.6, decay * 3))
    if zone == "bell" and not bell:
        tonal, base = max(tonal, 0.6), base * 2.1
    out = np.zeros(len(time))
    for k, partial in enumerate(CYMBAL):
        out += np.sin(2 * np.pi * base * partial * time + k) * np.exp(-time / decay * (1 + 0.4 * k)) / (1 + 0.3 * k)
    noise = _noise(len(time), 47, 2500.0 if timbre.pitch > 250.0 else 1200.0, 6000.0 + 7000.0 * bright)
    swell = 1.0 - 0.6 * np.exp(-time * 60.0) if timbre.swells else np.exp(-time * 6.0)
    return np.asarray(tonal * out / 3.0 + noise * swell * np.exp(-time / decay * 2.2))


def _wood(pitch: float, bright: float) -> np.ndarray:
    time = _time(0.09)
    out = sum(np.sin(2 * np.pi * pitch * p * time) * np.exp(-time * 70.0 * p) for p in (1.0, 2.4, 3.9))
    return np.asarray(out + 0.3 * bright * _noise(len(time), 59, 1500.0, 9000.0) * np.exp(-time * 220.0))


def _buzz(single: np.ndarray) -> np.ndarray:
    """Many small strokes of one pressed stick, dying away."""
    gap, count = round(0.028 * RATE), 6
    out = np.zeros(len(single) + gap * count)
    for k in range(count):
        out[k * gap : k * gap + len(single)] += single * 0.8**k
    return out
