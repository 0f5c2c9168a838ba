"""The button that turns an elevation."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from deft_reach.app.canvas.elevation import Elevation


class ViewSwitch(QPushButton):
    """Turns an elevation from the front to the side and back."""

    def __init__(self, elevation: Elevation) -> None:
        super().__init__()
        self.setObjectName("quiet")
        self.setToolTip("Look from behind the player or from the side")
        self._elevation = elevation
        self.clicked.connect(self._turn)
        self._say()

    def _turn(self) -> None:
        self._elevation.set_from_side(not self._elevation.from_side)
        self._say()

    def _say(self) -> None:
        self.setText("from the side" if self._elevation.from_side else "from behind")
        self.setAccessibleName(f"Elevation {self.text()}; press to turn it")
