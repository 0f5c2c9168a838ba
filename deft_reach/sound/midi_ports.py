"""MIDI ports to play on, where the machine has any."""

from __future__ import annotations

from collections.abc import Callable
from importlib.util import find_spec
from pathlib import Path
from typing import Any


def input_names() -> list[str]:
    """Ports that can be played on; empty without a MIDI system."""
    if not Path("/dev/snd/seq").exists():
        return []
    try:
        import mido

        return list(mido.get_input_names())
    except Exception:  # the MIDI system raises whatever it likes where it is not there
        return []


def why_no_ports() -> str:
    """What is missing, in words, where there are no ports."""
    if find_spec("rtmidi") is None:
        return (
            "Live MIDI needs the package python-rtmidi, which is not installed; recordings can be checked without it."
        )
    if not Path("/dev/snd/seq").exists():
        return "This machine has no MIDI system; recordings can be checked without it."
    return "No MIDI device is connected."


def open_notes(name: str, hit: Callable[[int, int], None]) -> Any:
    """Open a port; ``hit`` is called with key and velocity for every note, in the port's own thread.

    Raises OSError when the port cannot be opened.
    """
    import mido

    def heard(message: Any) -> None:
        if message.type == "note_on" and message.velocity > 0:
            hit(message.note, message.velocity)

    try:
        return mido.open_input(name, callback=heard)
    except Exception as error:  # as above
        raise OSError(f"the MIDI port “{name}” cannot be opened: {error}") from None
