"""Changes of the whole pattern: each shown before it is made."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout

from deft_reach.app import theme
from deft_reach.app.station import Listener
from deft_reach.app.words import say, sentence
from deft_reach.core.document import analyse_plan
from deft_reach.core.session import Session
from deft_reach.core.stroke_text import TEMPO_RANGE, StrokeTextError
from deft_reach.core.transforms import TRANSFORMS, Changed, TransformError


class ChangeForm(Listener):
    """A list of changes; the chosen one with its outcome and what that would cost."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._change: Changed | None = None
        self._shown: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        self.list = QListWidget()
        self.list.setAccessibleName("Changes of the whole pattern")
        for name, (words, _) in TRANSFORMS.items():
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.list.addItem(item)
        column.addWidget(self.list, 1)
        self.preview = QLabel()
        self.preview.setFont(theme.mono(9.5))
        self.preview.setWordWrap(True)
        self.preview.setMinimumHeight(round(48 * theme.text_scale()))
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.preview.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.preview)
        row = QHBoxLayout()
        self.words = QLabel()
        self.words.setObjectName("hint")
        self.words.setWordWrap(True)
        self.make = QPushButton("Change")
        self.make.setObjectName("quiet")
        row.addWidget(self.words, 1)
        row.addWidget(self.make)
        column.addLayout(row)
        self.list.currentRowChanged.connect(lambda _: self.refresh())
        self.list.itemActivated.connect(lambda _: self.apply())
        self.make.clicked.connect(self.apply)
        self.list.setCurrentRow(0)
        self.follow()

    def refresh(self) -> None:
        """Work the chosen change out and say what it would do; nothing is changed yet."""
        session = self.session
        item, plan, pattern = self.list.currentItem(), session.plan, session.pattern()
        key = (None if item is None else item.text(), plan, None if pattern is None else pattern.text, session.kit)
        if key == self._shown:
            return
        self._shown = key
        self._change = None
        if item is None or plan is None or pattern is None or not pattern.moments:
            self._say("", "Write something first; then it can be changed here.", "hint")
            return
        try:
            change = TRANSFORMS[item.data(Qt.ItemDataRole.UserRole)][1](pattern)
            document = session.document.with_text(plan, change.text)
            low, high = TEMPO_RANGE
            after = replace(plan, tempo=min(high, max(low, plan.tempo * change.tempo)))
            report = analyse_plan(document.with_plan(after), after, unfinished=True)
        except TransformError as error:
            self._say("", sentence(error), "error")
            return
        except StrokeTextError as error:
            self._say("", f"This leads to something that cannot be written: {error}.", "error")
            return
        self._change = change
        before = session.report.summary if session.report is not None else None
        words = [] if report.impossible else [f"ease {report.summary.ease:.0f}"]
        if report.impossible:
            words.append("cannot be played")
        elif before is not None:
            words[0] += f" ({report.summary.ease - before.ease:+.0f})".replace("-", "−")
        if report.summary.tempo_limit is not None:
            words.append(f"breaks at {report.summary.tempo_limit:.0f} BPM")
        if change.tempo != 1.0:
            words.append(f"home tempo {after.tempo:g} BPM")
        if report.pattern.faults:
            words.append("bars would not add up")
        if change.remark:
            words.append(change.remark)
        short = change.text if len(change.text) < 220 else change.text[:220] + " …"
        self._say(short, ", ".join(words) + ".", "hint")

    def _say(self, preview: str, words: str, tone: str) -> None:
        self.preview.setText(preview)
        say(self.words, words, tone)
        self.make.setEnabled(self._change is not None)

    def apply(self) -> None:
        """Make the change: one step that can be undone."""
        item = self.list.currentItem()
        if self._change is not None and item is not None:
            self.session.change_pattern(self._change.text, item.text(), self._change.tempo)
