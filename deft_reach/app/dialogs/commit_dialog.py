"""Committing a plan: what is frozen, what was warned of, and why it is committed all the same."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.text import units
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.analysis.report import headroom_words, level_words
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.session import Session


class CommitDialog(QDialog):
    """Shows everything a commitment freezes. Where it warns, it asks for a reason."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(parent)
        plan, report = session.plan, session.report
        assert plan is not None and report is not None
        s = report.summary
        self.setWindowTitle(f"Commit “{plan.name}”")
        self.setMinimumWidth(620)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 18)
        column.setSpacing(10)
        title = PlainLabel(f"Commit “{plan.name}” at {bpm(plan.tempo)}")
        set_font(title, theme.ui_font, 16, bold=True)
        title.setWordWrap(True)
        column.addWidget(title)

        form = QFormLayout()
        form.setHorizontalSpacing(16)
        form.setVerticalSpacing(4)
        sticking = self._sticking(report.pattern)
        limit = "no stroke sets one"
        if s.tempo_limit is not None and s.headroom is not None:
            limit = f"breaks at {s.tempo_limit:.0f} BPM; {bpm(s.tempo)} is {headroom_words(s.headroom)}"
            if s.headroom >= 0:
                limit = f"breaks at {s.tempo_limit:.0f} BPM, {headroom_words(s.headroom)}"
        rows = (
            ("Sticking", sticking),
            ("Kit and player", PlainLabel(f"{session.kit.name}, {session.player.name}")),
            ("Tempo limit", PlainLabel(limit)),
            ("How hard", PlainLabel(level_words(report))),
        )
        for name, widget in rows:
            caption = PlainLabel(name)
            caption.setObjectName("caption")
            form.addRow(caption, widget)
        column.addLayout(form)

        warned = report.serious
        if warned:
            words = PlainLabel("You accept " + ("this:" if len(warned) == 1 else f"these {len(warned)}:"))
            set_font(words, theme.ui_font, 10.5, bold=True)
            column.addWidget(words)
            listed = PlainLabel(
                "\n".join(f"{'■' if f.severity == 'stop' else '▲'}  {units.text_of(f.said)}" for f in warned)
            )
            listed.setWordWrap(True)
            listed.setAlignment(Qt.AlignmentFlag.AlignTop)
            scroll = QScrollArea()
            scroll.setWidget(listed)
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QFrame.Shape.NoFrame)
            scroll.setMaximumHeight(130)
            scroll.setAccessibleName("What you accept")
            column.addWidget(scroll)
        too_fast = s.headroom is not None and s.headroom < 0
        self.reason_needed = too_fast or report.impossible or any(f.severity == "stop" for f in warned)
        if too_fast or any(f.kind == "overload" for f in warned):
            care = PlainLabel(
                "Forcing strokes there is no time for is how wrists and backs get hurt. Warm up, keep the grip "
                "loose, take breaks, and stop at pain or numbness. Ask a clinician if it stays."
            )
            care.setObjectName("hint")
            care.setWordWrap(True)
            column.addWidget(care)
        ask = PlainLabel("Reason (needed, because it is marked above)" if self.reason_needed else "Reason")
        ask.setObjectName("caption")
        self.reason = QPlainTextEdit()
        self.reason.setAccessibleName("Reason for committing")
        self.reason.setTabChangesFocus(True)
        set_scaled(self.reason, QWidget.setMaximumHeight, 64)
        self.reason.setPlaceholderText("clean at rehearsal; the conductor's tempo; the left needs the practice …")
        ask.setBuddy(self.reason)
        column.addWidget(ask)
        column.addWidget(self.reason)

        buttons = QHBoxLayout()
        buttons.addStretch(1)
        cancel = QPushButton("Cancel")
        self.commit = QPushButton("Commit")
        self.commit.setObjectName("primary")
        self.commit.setDefault(True)
        buttons.addWidget(cancel)
        buttons.addWidget(self.commit)
        column.addLayout(buttons)
        cancel.clicked.connect(self.reject)
        self.commit.clicked.connect(self.accept)
        self.reason.textChanged.connect(self._check)
        self._check()
        self.reason.setFocus()

    @staticmethod
    def _sticking(pattern: Pattern) -> QScrollArea:
        """The limbs bar by bar; bars that repeat are said once."""
        rows = pattern.sticking_by_bars
        first = pattern.bar_rows[0].number if pattern.bar_rows else 1
        lines, at = [], 0
        while at < len(rows):
            end = at
            while end + 1 < len(rows) and rows[end + 1] == rows[at]:
                end += 1
            number = f"{first + at}" if end == at else f"{first + at}–{first + end}"
            lines.append(f"bar {number}  {rows[at] or '–'}")
            at = end + 1
        words = PlainLabel("\n".join(lines))
        words.setAccessibleName("Sticking, bar by bar")
        set_font(words, theme.mono, 10.5)
        words.setWordWrap(True)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        scroll = QScrollArea()
        scroll.setWidget(words)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        line = words.fontMetrics().lineSpacing()
        scroll.setFixedHeight(min(8, max(2, len(lines) + 1)) * line)
        return scroll

    @property
    def why(self) -> str:
        return self.reason.toPlainText().strip()[:5000]

    def _check(self) -> None:
        self.commit.setEnabled(bool(self.why) or not self.reason_needed)
