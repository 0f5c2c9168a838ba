"""The Write station: rhythm and sticking on one surface."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QSignalBlocker, Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.canvas.staff import Staff
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.shell.station import Station
from deft_reach.app.text.words import say
from deft_reach.app.widgets.page_tabs import late_page
from deft_reach.app.widgets.panel import Panel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.app.write.cells_form import CellsForm
from deft_reach.app.write.lane_editor import LaneEditor
from deft_reach.app.write.text_editor import TextEditor
from deft_reach.core.model.counting import phrase
from deft_reach.core.session import Session
from deft_reach.core.session.lane_groups import group, group_words
from deft_reach.store.note_maps import NoteMaps

if TYPE_CHECKING:
    from deft_reach.app.write.change_form import ChangeForm
    from deft_reach.app.write.tap_form import TapForm

CRIB = (
    ("R  L", "right, left hand"),
    ("K  J  H", "bass, second bass, hi-hat foot"),
    ("R+K", "together"),
    ("R@t1", "on a voice: sn hh t1 ft rd …"),
    ("R>  R.", "accent, ghost"),
    ("fR  dR  uR", "flam, drag, ruff"),
    ("Rx R^ R~ Ro", "cross-stick, rim shot, buzz, open"),
    ("R' R,", "goes over, goes under where the arms cross"),
    ("R_ L*25", "laid back by 15 ms, pushed by 25: on purpose"),
    ("(R L)_20", "all of a group laid back"),
    ("-   =", "rest, hold one step longer"),
    ('(R L)  ("a" R L)', "a group, with a name"),
    ("|", "end of the bar"),
    ("/8  /16t", "step length, t for triplets"),
    ("/5:4/16", "five in the time of four"),
    ("meter 3/4", "at the start or after |; # a remark"),
    ("swing 66 /8", "at the start: eighths swing, 50 is straight"),
)


#: The text is as high as its lines, from so many to so many; more lines scroll.
LEAST_LINES, MOST_LINES = 3, 8

LANE_NOTE = "type R L K H ?, marks after; / grid, - rest, = hold, | bar; Shift+arrows select"


class WriteStation(Station):
    """Stroke text on top, as high as its lines; lane, threads and staff below; tools beside them."""

    def __init__(self, session: Session, notes: NoteMaps) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self.axis = TimeAxis(session, self)
        self.editor = TextEditor(session)
        self.lane = LaneEditor(session, self.axis)
        self.weave = Weave(session, self.axis)
        self.message = PlainLabel()
        self.message.setWordWrap(True)
        set_scaled(self.message, QWidget.setMinimumHeight, 26)
        self.message.setAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
        self.message.setContentsMargins(10, 2, 10, 4)
        self.go_there = QPushButton("Go there")
        self.go_there.setObjectName("link")
        self.go_there.setToolTip("Put the cursor where the text cannot be read")
        self.go_there.clicked.connect(lambda: self.editor.show_error())
        self.go_there.hide()
        said = QHBoxLayout()
        said.setContentsMargins(0, 0, 10, 0)
        said.addWidget(self.message, 1)
        said.addWidget(self.go_there)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the plan")
        self.name.setMaxLength(120)
        self.note = QLineEdit()
        self.note.setAccessibleName("Remark on the plan")
        self.note.setMaxLength(1000)
        self.note.setPlaceholderText("anything worth knowing at the kit")
        self.loop = QCheckBox("Loop")
        self.loop.setToolTip("Its end meets its start: judged as one that goes round (Ctrl+L)")

        writing = QWidget()
        column = QVBoxLayout(writing)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.editor, 1)
        column.addLayout(said)
        self.editor.setFrameShape(TextEditor.Shape.NoFrame)
        about = QWidget()
        about.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        fields = QHBoxLayout(about)
        fields.setContentsMargins(0, 0, 0, 0)
        for caption, field, share in (("Name", self.name, 2), ("Remark", self.note, 3)):
            label = PlainLabel(caption)
            label.setBuddy(field)
            label.setObjectName("caption")
            fields.addWidget(label)
            fields.addWidget(field, share)
        fields.addWidget(self.loop)
        self.text_panel = Panel("Stroke text", writing, "", about)

        self.cells = CellsForm(self.lane.lane)
        self.notes = notes
        pages = ((self.cells, "Cells"), ("change", "Change"), ("tap", "Tap"), ("crib", "Signs"))
        self.tabs, tools = self.tab_sheet(pages)

        threads = QWidget()
        below = QVBoxLayout(threads)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(self.lane)
        below.addWidget(self.weave, 1)
        self.lane_panel = Panel("Strokes", threads, LANE_NOTE, self._lane_buttons())
        self.staff = Staff(session, axis=self.axis)
        staff_panel = Panel("", self.staff)

        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        drawings = self.split(down, "writeDrawings", [self.lane_panel, staff_panel], [380, 150], [3, 1])
        left = QWidget()
        stack = QVBoxLayout(left)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(8)
        stack.addWidget(self.text_panel)
        stack.addWidget(drawings, 1)
        self.fill(self.split(across, "writeSides", [left, tools], [856, 352], [3, 1]))

        self._fit = QTimer(self)
        self._fit.setSingleShot(True)
        self._fit.setInterval(0)
        self._fit.timeout.connect(self._fit_text)
        self.editor.document().documentLayout().documentSizeChanged.connect(lambda _: self._fit.start())
        # Another width wraps it otherwise.
        self.editor.viewport().installEventFilter(self)
        self.lane.lane.changed.connect(self._say_lane)
        self.name.textEdited.connect(self._rename)
        self.name.editingFinished.connect(session.end_merge)
        self.note.textEdited.connect(lambda text: session.plans.change_plan("Remark", "note", note=text))
        self.note.editingFinished.connect(session.end_merge)
        self.loop.toggled.connect(session.plans.set_repeat)
        session.typed.connect(self._say_reading)
        self.follow()
        self._say_lane()
        self._fit_text()

    @late_page
    def change(self) -> ChangeForm:
        """What can be done to the whole pattern."""
        from deft_reach.app.write.change_form import ChangeForm

        return ChangeForm(self.session)

    @late_page
    def tap(self) -> TapForm:
        """Tapping a rhythm in."""
        from deft_reach.app.write.tap_form import TapForm

        return TapForm(self.lane.lane, self.notes)

    @late_page
    def crib(self) -> QWidget:
        """The signs of stroke text."""
        page = QWidget()
        sheet = QGridLayout(page)
        sheet.setContentsMargins(10, 0, 10, 6)
        sheet.setHorizontalSpacing(12)
        sheet.setVerticalSpacing(1)
        for row, (text, meaning) in enumerate(CRIB):
            sign, words = PlainLabel(text), PlainLabel(meaning)
            set_font(sign, theme.mono, 9.5)
            words.setObjectName("hint")
            sheet.addWidget(sign, row, 0)
            sheet.addWidget(words, row, 1)
        sheet.setColumnStretch(1, 1)
        sheet.setRowStretch(len(CRIB), 1)
        return page

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._fit.start()
        return False

    def _fit_text(self) -> None:
        """Make the text as high as its lines, within what the drawings can spare."""
        line = self.editor.fontMetrics().lineSpacing()
        lines = min(max(self.editor.document().size().height(), LEAST_LINES), MOST_LINES)
        self.editor.setFixedHeight(round(lines * line + 2 * self.editor.document().documentMargin() + 14))

    def restyle(self) -> None:
        super().restyle()
        self._fit_text()

    def clear(self) -> None:
        """An empty plan to write into, in one step that can be undone."""
        self.session.strokes.set_text("", "Empty plan", None)
        self.editor.setFocus()

    def first_focus(self) -> QWidget:
        return self.editor

    def _lane_buttons(self) -> QWidget:
        """What is done to a selection."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        self.group_button = QPushButton("Group")
        self.group_button.setToolTip("Bracket the selection (G); Shift+G opens it again")
        self.name_button = QPushButton("Name…")
        self.name_button.setToolTip("Bracket the selection and give the group a name")
        self.fill_button = QPushButton("Fill bar")
        self.fill_button.setToolTip("Repeat the selection to the end of its bar")
        for button in (self.group_button, self.name_button, self.fill_button):
            button.setObjectName("quiet")
            row.addWidget(button)
        lane = self.lane.lane
        self.group_button.clicked.connect(lambda: group(lane))
        self.name_button.clicked.connect(self._name_group)
        self.fill_button.clicked.connect(lambda: lane.fill_bar())
        return holder

    def _name_group(self) -> None:
        name, done = QInputDialog.getText(self, "Name the group", "What the group is called")
        name = name.replace('"', "").strip()[:60]
        if done and name:
            group(self.lane.lane, name)

    def _say_lane(self) -> None:
        """What the cursor has to say: a problem, how the selection sits in its bar, or which keys there are."""
        lane = self.lane.lane
        self.lane_panel.set_note(lane.problem or group_words(lane) or LANE_NOTE)
        low, high = lane.selection
        for button in (self.group_button, self.name_button, self.fill_button):
            button.setVisible(high > low)

    def _rename(self, text: str) -> None:
        # A field that is empty for the moment is no name; the plan keeps its own.
        if text.strip():
            self.session.plans.change_plan("Rename plan", "name", name=text)

    def _say_reading(self) -> None:
        if self.session.reading and self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        session = self.session
        plan, report, error = session.plan, session.report, session.error
        for field in (self.name, self.note, self.loop):
            field.setEnabled(plan is not None)
        with QSignalBlocker(self.name), QSignalBlocker(self.note), QSignalBlocker(self.loop):
            if plan is not None:
                if self.name.text() != plan.name:
                    self.name.setText(plan.name)
                if self.note.text() != plan.note:
                    self.note.setText(plan.note)
                    self.note.setCursorPosition(0)
                self.loop.setChecked(plan.repeat)
        self.go_there.setVisible(plan is not None and error is not None and not session.reading)
        if plan is None:
            self.message.setText("There is no plan to write in. Plan › New plan makes one (Ctrl+N).")
            return
        if session.reading:
            say(self.message, f"Reading {len(session.text):,} characters …")
        elif error is not None:
            place = f"line {error.line}, column {error.column}"
            say(self.message, f"{place}: found {error.found}; expected {error.expected}.", "error")
        else:
            assert report is not None
            say(self.message, _in_words(session))


def _in_words(session: Session) -> str:
    """What was read, as a player would say it."""
    report = session.report
    if report is None or not report.pattern.moments:
        return "Nothing written yet. Try /8 R L R R  L R L L |"
    pattern = report.pattern
    bars = pattern.bars
    full = int(bars) if bars.denominator == 1 else round(float(bars), 2)
    words = [
        f"{len(pattern.strokes)} strokes in {full} bar{'s' if full != 1 else ''} of "
        + ", ".join(dict.fromkeys(f"{bar.meter[0]}/{bar.meter[1]}" for bar in pattern.bar_rows))
    ]
    if pattern.pickup:
        words.append("begins with a pickup")
    if pattern.groups:
        words.append("groups " + phrase(group.steps for group in pattern.groups))
    if pattern.unassigned:
        count = len(pattern.unassigned)
        words.append(f"{count} stroke{'s have' if count != 1 else ' has'} no hand yet: give it R or L")
    if report.summary.linear and len(pattern.strokes) > 1:
        words.append("linear")
    return ", ".join(words) + "."
