"""Changes of the whole pattern: each shown before it is made."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.numbers import bpm
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.document import analyse_plan, read_unfinished
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import TEMPO_RANGE, StrokeTextError
from deft_reach.core.notation.transform_tools import Changed, TransformError
from deft_reach.core.notation.transforms import TRANSFORMS, feet_under
from deft_reach.core.session import Session

#: What the names of changes begin with that put a plan's feet under this one.
_UNDER = "under "


class ChangeForm(Listener):
    """A list of changes; the chosen one with its outcome and what that would cost."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._change: Changed | None = None
        self._shown: object = None
        self._plans: object = None
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
        self.preview = PlainLabel()
        set_font(self.preview, theme.mono, 9.5)
        self.preview.setWordWrap(True)
        set_scaled(self.preview, QWidget.setMinimumHeight, 48)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.preview.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.preview)
        row = QHBoxLayout()
        self.words = HintLabel()
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
        self._list_plans()
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
            change = self._changed(item.data(Qt.ItemDataRole.UserRole), pattern)
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
            words.append(f"home tempo {bpm(after.tempo)}")
        if report.pattern.faults:
            words.append("bars would not add up")
        if change.remark:
            words.append(change.remark)
        short = change.text if len(change.text) < 220 else change.text[:220] + " …"
        self._say(short, ", ".join(words) + ".", "hint")

    def _changed(self, name: str, pattern: Pattern) -> Changed:
        """What a change of the list makes of the pattern. Raises TransformError, StrokeTextError."""
        if name == "exchange-pedals" and self.session.kit.of_kind("second-bass-pedal") is None:
            raise TransformError("this kit has one bass pedal")
        if not name.startswith(_UNDER):
            return TRANSFORMS[name][1](pattern)
        session = self.session
        other = session.document.plan(name[len(_UNDER) :])
        return feet_under(pattern, read_unfinished(session.document.score(other.pattern).text, session.kit))

    def _list_plans(self) -> None:
        """The other plans, whose feet can be put under this one."""
        session = self.session
        here = session.plan.id if session.plan is not None else ""
        rows = [(plan.id, plan.name) for plan in session.document.plans if plan.id != here]
        if rows == self._plans:
            return
        self._plans = rows
        with QSignalBlocker(self.list):
            while self.list.count() > len(TRANSFORMS):
                self.list.takeItem(self.list.count() - 1)
            for id, name in rows:
                item = QListWidgetItem(f"The feet of “{name}” under it")
                item.setData(Qt.ItemDataRole.UserRole, _UNDER + id)
                self.list.addItem(item)

    def _say(self, preview: str, words: str, tone: str) -> None:
        self.preview.setText(preview)
        say(self.words, words, tone)
        self.make.setEnabled(self._change is not None)

    def apply(self) -> None:
        """Make the change: one step that can be undone."""
        item = self.list.currentItem()
        if self._change is not None and item is not None:
            self.session.strokes.change_pattern(self._change.text, item.text(), self._change.tempo)
