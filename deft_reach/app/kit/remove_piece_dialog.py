"""Taking away a piece that plans are played on: where its strokes go is asked first."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QPushButton, QVBoxLayout, QWidget

from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.document import Plan
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit, Piece, voice_name
from deft_reach.core.model.substitutes import pieces_like

#: Plans that are named one by one.
NAMED = 3


class RemovePieceDialog(QDialog):
    """Names the plans that use the piece and proposes the nearest one like it; ``instead`` is what was chosen."""

    def __init__(self, kit: Kit, piece: Piece, plans: Sequence[Plan], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        #: Code of the piece that takes the strokes; None where they stay as they are written.
        self.instead: str | None = None
        self.setWindowTitle(f"Remove the {piece.name}")
        self.setMinimumWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        names = [f"“{plan.name}”" for plan in plans[:NAMED]]
        more = [f"{len(plans) - NAMED} more"] if len(plans) > NAMED else []
        listed = ", ".join([*names, *more])
        words = PlainLabel(f"The {piece.name} is struck in {counted(len(plans), 'plan')}: {listed}.")
        words.setWordWrap(True)
        column.addWidget(words)
        caption = PlainLabel("Play its strokes on the")
        caption.setObjectName("caption")
        column.addWidget(caption)
        self.others = QComboBox()
        self.others.setAccessibleName("Piece that takes the strokes")
        for code in pieces_like(kit, piece.code):
            self.others.addItem(voice_name(kit, code), code)
        caption.setBuddy(self.others)
        column.addWidget(self.others)
        self.exchange = QPushButton("Remove and exchange")
        self.leave = QPushButton("Remove, leave the strokes")
        self.leave.setToolTip("Its strokes stay as they are written and are said to be impossible")
        buttons = QDialogButtonBox()
        buttons.addButton(self.exchange, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(self.leave, QDialogButtonBox.ButtonRole.DestructiveRole)
        self.cancel = buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        column.addWidget(buttons)
        self.exchange.setDefault(True)
        self.exchange.setEnabled(self.others.count() > 0)
        self.exchange.clicked.connect(self._exchange)
        self.leave.clicked.connect(self.accept)
        buttons.rejected.connect(self.reject)

    def _exchange(self) -> None:
        self.instead = self.others.currentData()
        self.accept()
