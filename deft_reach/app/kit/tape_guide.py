"""A tape that is led: the two points to measure are marked in the drawings, and one large number is typed."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.tape_tool import TapeTool
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.model.kit import FLOOR, SEAT, Kit, Spot
from deft_reach.core.model.tape_guide import Pair, measured, next_pair, pair_key, usual_pairs
from deft_reach.core.session import Session


def end_words(kit: Kit, end: str) -> str:
    """An end of a tape as one says it."""
    if end == SEAT:
        return "the middle of the seat, on top"
    if end == FLOOR:
        return "the floor, straight down"
    piece = kit.piece(end)
    return f"the {piece.name}'s strike centre" if piece is not None else end


class TapeGuide(QFrame):
    """Asks for one reading after the other until the kit is measured; what is skipped is not asked for again."""

    #: The reading of a pair: from, to, mm.
    entered = Signal(str, str, float)
    #: Leading ends.
    left = Signal()

    def __init__(self, session: Session, tape: TapeTool) -> None:
        super().__init__()
        self.session, self.tape = session, tape
        self.asked: Pair | None = None
        self.suggestion: Pair | None = None
        self._skipped: list[frozenset[str]] = []
        self.count = PlainLabel()
        self.count.setObjectName("caption")
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        set_font(self.words, theme.ui_font, 12, bold=True)
        set_scaled(self.words, QWidget.setMinimumHeight, 40)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.mm = LengthBox("Distance between the two marked points", 0, 5000)
        self.mm.setSpecialValueText(" ")
        self.mm.setButtonSymbols(LengthBox.ButtonSymbols.NoButtons)
        set_font(self.mm, theme.ui_font, 22, bold=True)
        set_scaled(self.mm, QWidget.setMinimumHeight, 48)
        self.enter = QPushButton("Enter")
        self.enter.setObjectName("primary")
        self.skip, self.back, self.leave = QPushButton("Skip"), QPushButton("Back"), QPushButton("By hand")
        self.skip.setToolTip("This cannot be measured, or need not be: ask for the next one")
        self.back.setToolTip("Ask for the one before again")
        self.leave.setToolTip("Choose the points yourself")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.count)
        column.addWidget(self.words)
        typed = QHBoxLayout()
        typed.addWidget(self.mm, 1)
        typed.addWidget(self.enter)
        column.addLayout(typed)
        row = QHBoxLayout()
        for button in (self.back, self.skip, self.leave):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.enter.clicked.connect(self.take)
        self.mm.lineEdit().returnPressed.connect(self.take)
        self.skip.clicked.connect(self._skip)
        self.back.clicked.connect(self._back)
        self.leave.clicked.connect(self.stop)

    @property
    def on(self) -> bool:
        return not self.isHidden()

    def begin(self) -> None:
        """Ask for the first reading that is missing."""
        self._skipped = []
        self.show()
        self.refresh()
        self.mm.setFocus()

    def stop(self) -> None:
        """Let the player choose the points again."""
        self.hide()
        self.asked = None
        self.tape.ask(None)
        self.left.emit()

    def refresh(self) -> None:
        """Ask for what is missing now."""
        if not self.on:
            return
        kit = self.session.kit
        pair = next_pair(kit, kit.readings, self.suggestion, self._skipped)
        usual = usual_pairs(kit)
        have = len({pair_key(p) for p in usual} & (measured(kit.readings) | set(self._skipped)))
        self.back.setEnabled(bool(self._skipped or kit.readings))
        for widget in (self.mm, self.enter, self.skip):
            widget.setEnabled(pair is not None)
        if pair is None:
            self.count.setText(f"{len(kit.readings)} readings")
            self.words.setText("Everything that helps is measured. Look at what is off, then use the positions.")
        else:
            more = have < len(usual)
            self.count.setText(f"{have + 1} of {len(usual)}" if more else "one more, to be sure")
            self.words.setText(f"From {end_words(kit, pair[0])} ① to {end_words(kit, pair[1])} ②")
        if pair != self.asked:
            self.asked = pair
            self.mm.setValue(0)
            self.mm.selectAll()
        self.tape.ask(None if pair is None else (self._spot(pair[0], pair[1]), self._spot(pair[1], pair[0])))

    def _spot(self, end: str, other: str) -> Spot:
        """Where an end of the tape is; the floor is below the other end."""
        if end != FLOOR:
            return Spot(end)
        piece = self.session.kit.piece(other)
        return Spot(FLOOR) if piece is None else Spot(FLOOR, piece.x, piece.y, 0.0)

    def take(self) -> None:
        """Enter what is typed, and ask for the next."""
        self.mm.interpretText()
        if self.asked is not None and self.mm.value() > 0:
            a, b = self.asked
            self.entered.emit(a, b, self.mm.value())
            self.mm.setFocus()
            self.mm.selectAll()

    def _skip(self) -> None:
        if self.asked is not None:
            self._skipped.append(pair_key(self.asked))
            self.refresh()
            self.mm.setFocus()

    def _back(self) -> None:
        """The last one skipped, or else the last reading, is asked for again."""
        if self._skipped:
            self._skipped.pop()
        elif self.session.kit.readings:
            self.session.kits.set_readings(self.session.kit.readings[:-1], "Measure it again")
        self.refresh()
        self.mm.setFocus()
