"""What to do next: up to three steps, each with the button that begins it; what else there is to say below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.practice.progress_log import CLIMB, COMMIT, REACH, SPEED, Next

#: So many steps have a button.
MOST: Final = 3
BUTTONS: Final = {CLIMB: "Climb it", REACH: "Other hands", SPEED: "Your own speed", COMMIT: "Commit…"}


class NextSteps(QWidget):
    """The steps in the order in which they press; ``chosen`` has the plan's id ("" for none) and what to do."""

    chosen = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 2, 8, 6)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(0, 1)
        self.words = [PlainLabel() for _ in range(MOST + 1)]
        self.buttons = [QPushButton() for _ in range(MOST)]
        self._steps: tuple[Next, ...] = ()
        for k, label in enumerate(self.words):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(label, k, 0, 1, 1 if k < MOST else 2)
        for k, button in enumerate(self.buttons):
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, k=k: self._choose(k))
            grid.addWidget(button, k, 1, Qt.AlignmentFlag.AlignTop)
        grid.setRowStretch(MOST, 1)

    def show_steps(self, steps: Sequence[Next]) -> None:
        """Show what is next, the most pressing first."""
        first = [step for step in steps if step.do][:MOST]
        rest = [step.words for step in steps if step not in first]
        self._steps = tuple(first)
        for k, button in enumerate(self.buttons):
            step = first[k] if k < len(first) else None
            self.words[k].setVisible(step is not None)
            button.setVisible(step is not None)
            if step is not None:
                self.words[k].setText(step.words)
                button.setText(BUTTONS[step.do])
                button.setAccessibleDescription(step.words)
        self.words[MOST].setText("\n".join(rest))

    def text(self) -> str:
        """All that is said."""
        return "\n".join(label.text() for label in self.words if label.text() and not label.isHidden())

    def _choose(self, k: int) -> None:
        if k < len(self._steps):
            self.chosen.emit(self._steps[k].plan, self._steps[k].do)
