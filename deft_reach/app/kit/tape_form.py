"""Readings from a tape: entered one by one, solved in the background, and stood up only when asked."""

from __future__ import annotations

import math

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor, QHideEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.canvas.tape_tool import TapeTool
from deft_reach.app.kit.tape_guide import TapeGuide
from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import FLOOR, SEAT, Kit, KitError, Reading
from deft_reach.core.model.player import Player
from deft_reach.core.model.tape import Measured, TapeError, measure
from deft_reach.core.model.tape_guide import pair_key
from deft_reach.core.session import Session


def _measured(readings: tuple[Reading, ...], kit: Kit, player: Player) -> Measured | TapeError | KitError:
    """What readings add up to, or what is wrong with them: said in the unit that is set by then."""
    try:
        return measure(readings, kit, player)
    except (TapeError, KitError) as error:
        return error


class TapeForm(Listener):
    """A reading at a time above, all readings with how far off they are below, and what they add up to."""

    def __init__(self, session: Session, tape: TapeTool) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self.solution: Measured | None = None
        self._asked: tuple[Kit, Player] | None = None
        self.task = BackgroundTask(TapeError)
        self.task.finished.connect(self._solved)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        self.guide = TapeGuide(session, tape)
        self.guide.hide()
        self.lead = QPushButton("Lead me through it")
        self.lead.setToolTip("Measure the whole kit reading by reading: the two points are marked in the drawings")
        self.by_hand = QWidget()
        entry = QHBoxLayout(self.by_hand)
        entry.setContentsMargins(0, 0, 0, 0)
        self.a, self.b = QComboBox(), QComboBox()
        self.a.setAccessibleName("Measured from")
        self.b.setAccessibleName("Measured to")
        for box in (self.a, self.b):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(9)
        self.mm = LengthBox("Distance", 0, 5000)
        self.mm.setSpecialValueText("distance")
        self.mm.refused.connect(lambda why: self._say(why, "error"))
        self.enter = QPushButton("Enter")
        self.enter.setObjectName("quiet")
        self.enter.setToolTip("Add this reading, or correct the one there is")
        for widget, stretch in ((self.a, 3), (self.b, 3), (self.mm, 2), (self.enter, 0)):
            entry.addWidget(widget, stretch)
        column.addWidget(self.guide)
        column.addWidget(self.lead)
        column.addWidget(self.by_hand)
        self.table = QTableWidget()
        make_list(
            self.table,
            "Tape readings",
            ["reading", "measured", "off by"],
            wide=(0,),
            empty="Measure with a tape: readings are listed here.",
        )
        column.addWidget(self.table, 1)
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.words.setObjectName("hint")
        set_scaled(self.words, QWidget.setMinimumHeight, 52)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.words)
        side = QHBoxLayout()
        self.side_question = PlainLabel()
        self.side_question.setWordWrap(True)
        self.on_left, self.on_right = QPushButton("Left"), QPushButton("Right")
        side.addWidget(self.side_question, 1)
        for button, name in ((self.on_left, "left"), (self.on_right, "right")):
            button.setObjectName("quiet")
            button.clicked.connect(lambda _=False, n=name: self._answer_side(n))
            side.addWidget(button)
        column.addLayout(side)
        buttons = QHBoxLayout()
        self.suggest = QPushButton("Next reading")
        self.suggest.setToolTip("Fill in the one reading that would help most")
        self.drop = QPushButton("Remove")
        self.apply = QPushButton("Use these positions")
        for button in (self.suggest, self.drop, self.apply):
            button.setObjectName("quiet")
            buttons.addWidget(button)
        column.addLayout(buttons)
        self.lead.clicked.connect(self._lead)
        self.guide.left.connect(self._led)
        self.guide.entered.connect(self._keep)
        self.enter.clicked.connect(self._enter)
        self.mm.editingFinished.connect(self._entered_by_key)
        self.drop.clicked.connect(self._drop)
        self.suggest.clicked.connect(self._suggest)
        self.apply.clicked.connect(self._apply)
        self.table.currentCellChanged.connect(self._pick)
        self.follow()

    # --- entering ---------------------------------------------------------------------------------------------

    def _entered_by_key(self) -> None:
        """Return in the distance enters the reading; leaving the field does not."""
        if self.mm.hasFocus():
            self._enter()

    def _enter(self) -> None:
        a, b, mm = self.a.currentData(), self.b.currentData(), self.mm.value()
        if a is None or b is None or a == b or mm <= 0:
            self._say("Choose two different points and how far apart they are.", "error")
            return
        self._keep(a, b, mm)
        self.mm.setValue(0)

    def _keep(self, a: str, b: str, mm: float) -> None:
        """Add a reading, or correct the one there is where it stands."""
        reading, readings = Reading(a, b, mm), list(self.session.kit.readings)
        same = [k for k, r in enumerate(readings) if pair_key((r.a, r.b)) == pair_key((a, b))]
        if same:
            readings[same[0]] = reading
        else:
            readings.append(reading)
        self.session.kits.set_readings(tuple(readings), f"Reading {reading.name}")

    def _lead(self) -> None:
        """Ask for the readings one after the other."""
        self.by_hand.hide()
        self.lead.hide()
        self.guide.begin()

    def _led(self) -> None:
        self.by_hand.show()
        self.lead.show()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        # The marks in the drawings go with the page.
        self.guide.tape.ask(None)

    def _drop(self) -> None:
        row = self.table.currentRow()
        readings = self.session.kit.readings
        if 0 <= row < len(readings):
            left = tuple(r for k, r in enumerate(readings) if k != row)
            self.session.kits.set_readings(left, "Remove reading")

    def _pick(self, row: int, *_: int) -> None:
        readings = self.session.kit.readings
        if 0 <= row < len(readings):
            self._show_pair(readings[row].a, readings[row].b)
            self.mm.setValue(readings[row].mm)

    def _show_pair(self, a: str, b: str) -> None:
        self.a.setCurrentIndex(self.a.findData(a))
        self.b.setCurrentIndex(self.b.findData(b))

    def _suggest(self) -> None:
        if self.solution is not None and self.solution.suggestion is not None:
            self._show_pair(*self.solution.suggestion)
            self.mm.setValue(0)
            self.mm.setFocus()
            self.mm.selectAll()

    def _apply(self) -> None:
        if self.solution is not None and self.solution.fits:
            self.session.kits.stand_up(self.solution.kit)

    def _asked_about(self) -> str | None:
        """The piece to ask the side of: measured, and furthest out; None once the side is known."""
        kit = self.session.kit
        if kit.left in kit or kit.right in kit:
            return None
        measured = {code for r in kit.readings for code in (r.a, r.b)}
        found = [piece for piece in kit if piece.code in measured]
        hats = [piece for piece in found if piece.kind == "hi-hat"]
        widest = max(hats or found, key=lambda piece: abs(piece.x), default=None)
        return None if widest is None else widest.code

    def _answer_side(self, side: str) -> None:
        code = self._asked_about()
        if code is not None:
            self.session.kits.set_side(code, side)

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        kit = self.session.kit
        points = [(f"{piece.name} ({piece.code})", piece.code) for piece in kit]
        ends = [*points, ("the seat, on top", SEAT), ("the floor, straight down", FLOOR)]
        for box, rows in ((self.a, points), (self.b, ends)):
            if rows != [(box.itemText(i), box.itemData(i)) for i in range(box.count())]:
                with QSignalBlocker(box):
                    box.clear()
                    for text, code in rows:
                        box.addItem(text, code)
                    box.setCurrentIndex(-1 if not rows else min(box is self.b, len(rows) - 1))
        if self._asked is None or self._asked[0] != kit or self._asked[1] != self.session.player:
            self._ask()
        self._fill()
        self.guide.refresh()
        asked = self._asked_about()
        for widget in (self.side_question, self.on_left, self.on_right):
            widget.setVisible(asked is not None)
        piece = kit.piece(asked) if asked is not None else None
        if piece is not None:
            self.side_question.setText(f"A tape cannot tell left from right: where does the {piece.name} stand?")

    def _ask(self) -> None:
        """Solve in the background; only the newest answer counts."""
        kit, player = self.session.kit, self.session.player
        self._asked = (kit, player)
        self.task.cancel()
        self.solution = None
        if not kit.readings:
            self._say(
                "Measure between strike centres, from the top of the seat, and heights above the floor, in any "
                "order. Three readings a piece are enough.",
                "hint",
            )
            return
        self._say("Solving …", "hint")
        self.task.start(lambda _: _measured(kit.readings, kit, player))

    def _solved(self, result: Measured | TapeError | KitError | str) -> None:
        if isinstance(result, (Exception, str)):
            self._say(sentence(result), "error")
        else:
            self.solution = result
            self.guide.suggestion = result.suggestion
            self.guide.refresh()
            words, tone = _in_words(result)
            self._say(words, tone)
        self._fill()

    def _fill(self) -> None:
        readings = self.session.kit.readings
        c = theme.colours()
        off = {} if self.solution is None else {(r.reading.a, r.reading.b): r for r in self.solution.residuals}
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(readings))
            for row, r in enumerate(readings):
                found = off.get((r.a, r.b))
                if found is None or not found.checked:
                    words = "" if found is None else "not checked"
                else:
                    words = ("+" if found.residual > 0 else "") + units.length(found.residual)
                for k, text in enumerate((r.name, units.length(r.mm), words)):
                    item = self.table.item(row, k)
                    if item is None:
                        item = QTableWidgetItem()
                        self.table.setItem(row, k, item)
                    item.setText(text + ("  misread?" if k == 2 and found is not None and found.suspect else ""))
                    suspect = found is not None and found.suspect
                    item.setForeground(QColor(c.stop if suspect else c.ink))
        solution = self.solution
        self.suggest.setEnabled(solution is not None and solution.suggestion is not None)
        self.drop.setEnabled(bool(readings))
        self.apply.setEnabled(solution is not None and solution.fits)

    def _say(self, text: str, tone: str) -> None:
        say(self.words, text, tone)


def _in_words(found: Measured) -> tuple[str, str]:
    """What the readings add up to, and the tone to say it in."""
    if found.contradictions:
        return f"These cannot be: {units.text_of(found.contradictions[0])}.", "error"
    if found.suspects:
        r = found.suspects[0]
        here, others = units.length(r.reading.mm), units.length(r.by_others)
        return f"Measure again: {r.reading.name} is {here} here; the others make it {others}.", "error"
    names = {piece.code: piece.name for piece in found.kit}
    count, checked = len(found.residuals), [r for r in found.residuals if r.checked]
    if checked:
        off = math.sqrt(sum(r.residual**2 for r in checked) / len(checked))
        words = f"{counted(count, 'reading')}, {len(checked)} of them checked by others: {units.length(off)} off."
    else:
        words = f"{counted(count, 'reading')}. None can be checked yet: nothing was measured twice over."
    if found.undetermined:
        words += f" Still open: {', '.join(names[code] for code in found.undetermined)}."
    if found.suggestion is not None:
        words += f" Most helpful next: {Reading(*found.suggestion, 0).name}."
    return words, "hint"
