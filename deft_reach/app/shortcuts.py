"""The shortcut sheet: every key on one page."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QGridLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.plain_text import PlainLabel

SHEET = (
    (
        "Anywhere",
        (
            ("Ctrl+1 to 7", "the stations, Kit to Log"),
            ("Ctrl+Page Up / Down", "plan before, plan after"),
            ("Ctrl+Up / Down", "home tempo by 1 BPM"),
            ("Ctrl+Shift+Up / Down", "home tempo by 5 BPM"),
            ("Ctrl+L", "loop, or played once"),
            ("Ctrl+Enter", "commit"),
            ("Ctrl+Shift+Enter", "what was committed"),
            ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo, of everything"),
            ("F8, Shift+F8", "next finding, finding before"),
            ("Ctrl+N, Ctrl+D", "new plan, duplicate plan"),
            ("Ctrl+O, Ctrl+S", "open, save"),
            ("Ctrl+E", "export the kit: floor plan, table"),
            ("Ctrl+Shift+E", "export the plan: MIDI, MusicXML"),
            ("F1", "this sheet"),
        ),
    ),
    (
        "On weave and plan",
        (
            ("Left, Right", "stroke before, stroke after"),
            ("Home, End", "first stroke, last stroke"),
            ("R L K J H", "give the stroke to a limb"),
            ("T", "try the other hand"),
            ("> .", "accent, ghost"),
            ("x ^ ~ o", "cross-stick, rim shot, buzz, open"),
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
        "On the floor plan (Kit)",
        (
            ("[ ]", "piece before, piece after"),
            ("Arrows", "move the piece 1 mm"),
            ("Shift+Arrows", "move it 10 mm"),
            ("Page Up / Down", "raise, lower it"),
            ("M", "take the tape out, put it away"),
            ("Return", "tape: from here, to here, keep"),
            ("Delete", "remove the chosen line"),
            ("Esc", "no piece"),
        ),
    ),
)


class ShortcutSheet(QDialog):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 18)
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        for part, (title, rows) in enumerate(SHEET):
            head = PlainLabel(title)
            head.setFont(theme.ui_font(11.5, bold=True))
            grid.addWidget(head, 0, part * 2, 1, 2)
            for row, (keys, meaning) in enumerate(rows, 1):
                key = PlainLabel(keys)
                key.setFont(theme.lettering(11))
                grid.addWidget(key, row, part * 2)
                grid.addWidget(PlainLabel(meaning), row, part * 2 + 1)
        column.addLayout(grid)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        column.addSpacing(10)
        column.addWidget(close)
