"""What is played on: the MIDI ports there are, and what a form offers beside them."""

from __future__ import annotations

from typing import Final

from PySide6.QtWidgets import QComboBox

from deft_reach.app.widgets.choices import fill_box
from deft_reach.sound.midi_ports import input_names, why_no_ports

#: The stand-in for an electronic kit that ships with the app.
SIMULATED_KIT: Final = "simulated kit"


class PortBox(QComboBox):
    """A choice of sources by name. ``first`` stand before the ports, ``last`` after them."""

    def __init__(self, name: str, first: tuple[str, ...] = (), last: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._first, self._last = first, last
        self.refresh()

    def refresh(self) -> None:
        """Offer the ports there are now; where there are none, the tooltip says why."""
        names = input_names()
        fill_box(self, [(name, name) for name in (*self._first, *names, *self._last)])
        self.setToolTip("" if names else why_no_ports())
