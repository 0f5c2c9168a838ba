"""A sentence whose room is reserved: what it says changes, and nothing around it moves."""

from __future__ import annotations

from PySide6.QtWidgets import QSizePolicy

from deft_reach.app.widgets.plain_text import PlainLabel


class HintLabel(PlainLabel):
    """A wrapped hint of so many ``lines``: with fewer it keeps their room, so that no button moves under the pointer.

    Only a longer text makes it grow.
    """

    def __init__(self, text: str = "", lines: int = 2) -> None:
        super().__init__(text)
        self.lines = lines
        self.setObjectName("hint")
        self.setWordWrap(True)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def heightForWidth(self, width: int) -> int:
        return max(super().heightForWidth(width), self.lines * self.fontMetrics().lineSpacing())
