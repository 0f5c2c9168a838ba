"""What was struck in a performance, as an electronic kit sends it."""

from __future__ import annotations

from typing import NamedTuple


class Hit(NamedTuple):
    """Something struck: seconds from the beginning, a General MIDI key, and how hard (1 to 127)."""

    time: float
    key: int
    velocity: int
