"""The shortcut sheet: every key on one page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.shell.actions import sheet_rows
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font

#: The keys of the drawings, which are no entries of any menu.
CANVAS_KEYS: Final = (
    (
        "On weave and plan",
        (
            ("Left, Right", "stroke before, stroke after"),
            ("Home, End", "first stroke, last stroke"),
            ("R L K J H", "give the stroke to a limb"),
            ("T", "try the other hand"),
            ("> .", "accent, ghost"),
            ("x ^ ~ o", "cross-stick, rim shot, buzz, open"),
            ("_ *", "laid back, pushed by 15 ms; in the text by as many as said: L_25"),
            ("' ,", "where the arms cross, this hand goes over, or under"),
            ("F D U", "flam, drag, ruff"),
            ("N, Shift+N", "next finding, finding before"),
            ("Ctrl+wheel, wheel", "zoom, pan"),
            ("1 2 3 (Climb)", "clean, rough, not yet"),
            ("4 (Climb)", "a note with the next verdict"),
            ("Space (Climb)", "play the rung, stop"),
        ),
    ),
    (
        "In the strokes (Write, Voice)",
        (
            ("R L K J H ?", "a stroke here, and on"),
            ("+ then a limb", "together with the last"),
            ("@ and a voice", "where it goes"),
            ("- = |", "rest, hold, bar line"),
            ("/ and a grid", "step length from here"),
            ("M and a meter", "from this bar on: M 7/8 Space"),
            ("Shift+Arrows", "select steps"),
            ("Ctrl+Left, Right", "by a beat"),
            ("Alt+Left, Right", "move the selection"),
            ("Ctrl+C X V R", "copy, cut, paste, repeat"),
            ("G, Shift+G", "group, ungroup"),
            ("Insert", "put in, or type over"),
            ("V, Shift+V", "next voice, voice before"),
        ),
    ),
    (
        "On the practice pads (Write, Tap)",
        (
            ("A S D F", "left hand, the snare under F"),
            ("J K L ;", "right hand, the snare under J"),
            ("the keys above, below", "the same loud, soft"),
            ("Space, G, H", "bass drum, hi-hat foot, second pedal"),
        ),
    ),
    (
        "On the floor plan (Kit)",
        (
            ("[ ]", "piece before, piece after"),
            ("Arrows", "move the piece 1 mm"),
            ("Shift+Arrows", "move it 10 mm"),
            ("Page Up / Down", "raise, lower it"),
            ("M", "take the tape out, put it away"),
            ("Return", "tape: from here, to here, keep"),
            ("Delete", "remove the chosen line, else the piece"),
            ("Esc", "no piece"),
        ),
    ),
)


class ShortcutSheet(QDialog):
    """The keys of the menus, which come from the menus themselves, and those of the drawings."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 18)
        page = QWidget()
        across = QHBoxLayout(page)
        across.setContentsMargins(0, 0, 12, 0)
        across.setSpacing(32)
        parts = (("Anywhere", tuple(sheet_rows())), *CANVAS_KEYS)
        # The menus' keys are as many as all others.
        for some in (parts[:1], parts[1:]):
            side = QVBoxLayout()
            for title, rows in some:
                side.addLayout(self._part(title, rows))
                side.addSpacing(12)
            side.addStretch(1)
            across.addLayout(side, 1)
        area = QScrollArea()
        area.setWidget(page)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        # As wide as it has to be, and no larger than the window it belongs to: what has no room scrolls.
        room = parent.size() if parent is not None else QSize(1024, 700)
        wanted = page.sizeHint().width() + area.verticalScrollBar().sizeHint().width()
        area.setMinimumWidth(min(wanted, room.width() - 80))
        area.setMinimumHeight(min(page.sizeHint().height(), round(room.height() * 0.75)))
        column.addWidget(area)
        close = QPushButton("Close")
        close.setDefault(True)
        close.clicked.connect(self.accept)
        column.addSpacing(10)
        column.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)

    @staticmethod
    def _part(title: str, rows: Sequence[tuple[str, str]]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        head = PlainLabel(title)
        set_font(head, theme.ui_font, 11.5, bold=True)
        grid.addWidget(head, 0, 0, 1, 2)
        for row, (keys, meaning) in enumerate(rows, 1):
            key = PlainLabel(keys)
            set_font(key, theme.lettering, 11)
            grid.addWidget(key, row, 0)
            words = PlainLabel(meaning)
            words.setWordWrap(True)
            grid.addWidget(words, row, 1)
        return grid
