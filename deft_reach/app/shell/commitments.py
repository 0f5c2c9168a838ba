"""What was committed: every commitment of the plan in view, and what has changed since the newest."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFrame, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.text import units
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font
from deft_reach.core.document import Commitment
from deft_reach.core.session import Session


def day(date: str, form: str = "%-d %B %Y, %H:%M") -> str:
    """A date as people say it; as it was written where it is not ISO."""
    try:
        return datetime.fromisoformat(date).strftime(form)
    except ValueError:
        return date


def in_words(commitment: Commitment) -> list[str]:
    """A commitment as plain lines."""
    limit = "no stroke set a limit"
    if commitment.tempo_limit is not None:
        limit = f"broke at {commitment.tempo_limit:.0f} BPM"
    lines = [f"{bpm(commitment.tempo)} on {commitment.kit.name}, {limit}, ease {commitment.ease:.0f}"]
    if commitment.reason:
        lines.append(f"“{commitment.reason}”")
    if commitment.accepted:
        lines.append("Accepted:")
        lines += [f"  ▲  {message}" for message in commitment.accepted]
    return lines


class Commitments(QDialog):
    """The newest first, with what has changed since."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        plan = session.plan
        assert plan is not None
        self.setWindowTitle(f"Commitments of “{plan.name}”")
        self.setMinimumWidth(600)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 18)
        body = QWidget()
        listed = QVBoxLayout(body)
        listed.setContentsMargins(0, 0, 0, 0)
        listed.setSpacing(6)
        self.session = session
        self.backs: list[QPushButton] = []
        rows = session.document.commitments_of(plan.id)
        if not rows:
            listed.addWidget(self._text("Nothing is committed yet. Plan › Commit freezes the plan as it stands."))
        for number, commitment in enumerate(reversed(rows)):
            head = PlainLabel(day(commitment.date))
            set_font(head, theme.ui_font, 12, bold=True)
            listed.addWidget(head)
            listed.addWidget(self._text("\n".join(in_words(commitment))))
            if number or session.plans.changes():
                back = QPushButton("Go back to this")
                back.setObjectName("quiet")
                back.setToolTip("Make the plan again what was committed here; Ctrl+Z takes that back")
                back.clicked.connect(lambda _=False, c=commitment: self._go_back(c))
                listed.addWidget(back, 0, Qt.AlignmentFlag.AlignLeft)
                self.backs.append(back)
            if number == 0:
                changes = session.plans.changes()
                lines = [f"  •  {units.text_of(line)}" for line in changes]
                self.since = self._text("\n".join(["Changed since:", *lines]))
                if not changes:
                    self.since.setText("Nothing has changed since.")
                self.since.setObjectName("panelTitle" if changes else "fine")
                listed.addWidget(self.since)
            listed.addSpacing(10)
        listed.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(body)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setMinimumHeight(260)
        column.addWidget(scroll)
        close = QPushButton("Close")
        close.setDefault(True)
        close.clicked.connect(self.accept)
        column.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)

    def _go_back(self, commitment: Commitment) -> None:
        self.session.plans.take_back(commitment)
        self.accept()

    @staticmethod
    def _text(text: str) -> QLabel:
        label = PlainLabel(text)
        label.setWordWrap(True)
        label.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        return label
