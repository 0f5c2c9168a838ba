"""The pieces of the kit: the list with each hand's comfort, where the chosen one stands, adding and removing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.canvas.explain import comfort_lines
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.kit.remove_piece_dialog import RemovePieceDialog
from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.words import say
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.model.kit import KitError, gaps
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.piece_kinds import PIECE_KINDS
from deft_reach.core.motion.comfort import comforts, easier
from deft_reach.core.session import Session

AXES = (("x", "right +", "to the right of the seat"), ("y", "forward +", "forward of the seat"))
REACH_TIP = "Reach in parts of the arm; ✓ marks the hand that has it easier"
HEIGHT = ("z", "height", "above the floor")


class PiecesForm(Listener):
    """What stands in the kit; the chosen piece's exact place."""

    def __init__(self, session: Session, plan: ReachPlan) -> None:
        super().__init__(session)
        self.plan = plan
        self.list = QTableWidget()
        make_list(self.list, "Pieces of the kit", ["", "piece", "height", "right hand", "left hand"], wide=(3, 4))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the piece")
        self.name.setMaxLength(60)
        self.add = QPushButton("Add")
        self.add.setToolTip("Add a drum, a cymbal, a block or a pedal")
        menu = QMenu(self.add)
        for kind, words in PIECE_KINDS.items():
            menu.addAction(words, partial(self.edit, partial(session.kits.add_piece, kind)))
        self.add.setMenu(menu)
        self.duplicate = QPushButton("Duplicate")
        self.remove = QPushButton("Remove")
        for button in (self.add, self.duplicate, self.remove):
            button.setObjectName("quiet")
        self.places = {axis: self._make_place(axis, words) for axis, _, words in (*AXES, HEIGHT)}
        self.facts = PlainLabel()
        self.facts.setWordWrap(True)
        self.facts.setObjectName("hint")
        self.facts.setAlignment(Qt.AlignmentFlag.AlignTop)
        set_scaled(self.facts, QWidget.setMinimumHeight, 52)
        self._refusal = ""

        place = QGridLayout()
        place.setContentsMargins(10, 2, 10, 2)
        for column, (axis, text, _) in enumerate((*AXES, HEIGHT)):
            caption = PlainLabel(text)
            caption.setObjectName("caption")
            caption.setBuddy(self.places[axis])
            place.addWidget(caption, 0, column)
            place.addWidget(self.places[axis], 1, column)
        edit = QHBoxLayout()
        edit.setContentsMargins(10, 2, 10, 2)
        edit.addWidget(self.name, 1)
        for button in (self.add, self.duplicate, self.remove):
            edit.addWidget(button)
        facts = QHBoxLayout()
        facts.setContentsMargins(10, 2, 10, 0)
        facts.addWidget(self.facts)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(2)
        layout.addWidget(self.list, 1)
        layout.addLayout(edit)
        layout.addLayout(place)
        layout.addLayout(facts)
        self.name.textEdited.connect(self._rename)
        self.name.editingFinished.connect(session.end_merge)
        self.duplicate.clicked.connect(lambda: self.edit(lambda: session.kits.duplicate_piece(session.piece or "")))
        self.remove.clicked.connect(self.remove_piece)
        self.plan.removal_asked.connect(self.remove_piece)
        gone = QShortcut(QKeySequence.StandardKey.Delete, self.list, self.remove_piece)
        gone.setContext(Qt.ShortcutContext.WidgetShortcut)
        self.list.currentCellChanged.connect(self._choose)
        self.follow()

    def _make_place(self, axis: str, words: str) -> LengthBox:
        box = LengthBox(f"Strike centre, {words}", 0 if axis == "z" else -3000, 2500 if axis == "z" else 3000)
        box.setKeyboardTracking(False)
        box.valueChanged.connect(self._place)
        box.refused.connect(self.refuse)
        return box

    def _choose(self, row: int, *_: int) -> None:
        item = self.list.item(row, 0) if row >= 0 else None
        if item is not None:
            self.session.select_piece(item.text())

    def _place(self) -> None:
        code = self.session.piece
        if code is not None:
            self.plan.place(code, *(self.places[axis].value() for axis in "xyz"))

    def edit(self, act: Callable[[], None]) -> None:
        """Do something to the kit, or say at the fields why it cannot be."""
        try:
            act()
        except KitError as error:
            self.refuse(units.text_of(error))

    def remove_piece(self) -> None:
        """Take the chosen piece away; where plans are played on it, ask what takes their strokes."""
        kits, kit = self.session.kits, self.session.kit
        piece = kit.piece(self.session.piece) if self.session.piece else None
        if piece is None:
            return
        plans = () if piece.code not in kit.struck else kits.plans_with(piece.code)
        if not plans:
            self.edit(lambda: kits.remove_piece(piece.code))
            return
        dialog = RemovePieceDialog(kit, piece, plans, self.window())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.edit(lambda: kits.remove_piece(piece.code, dialog.instead)))
        dialog.open()

    def refuse(self, why: str) -> None:
        self._refusal = why
        self._say()
        self._refusal = ""

    def _rename(self, text: str) -> None:
        code = self.session.piece
        # A field that is empty for the moment is no name; and what is typed is not trimmed under the fingers.
        if code is not None and text.strip():
            self.session.kits.change_piece(code, "Rename piece", "piece name", name=text)

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        session = self.session
        piece = session.kit.piece(session.piece) if session.piece else None
        self._fill_list()
        for axis, box in self.places.items():
            with QSignalBlocker(box):
                box.setEnabled(piece is not None)
                box.set_empty(piece is None)
                if piece is not None and box.value() != getattr(piece, axis):
                    box.setValue(getattr(piece, axis))
        for widget in (self.name, self.duplicate, self.remove):
            widget.setEnabled(piece is not None)
        self.duplicate.setEnabled(piece is not None and not piece.is_pedal)
        if self.name.text() != (piece.name if piece else ""):
            self.name.setText(piece.name if piece else "")
        self.name.setPlaceholderText("" if piece else "no piece chosen")
        self._say()

    def _say(self) -> None:
        """Why something was refused, or what the kit lacks, or else how the chosen piece sits."""
        session = self.session
        piece = session.kit.piece(session.piece) if session.piece else None
        lacking = gaps(session.kit)
        if self._refusal or lacking:
            text, tone = self._refusal or " ".join(lacking), "error"
        elif piece is None:
            text = (
                "Choose a piece, in a drawing or in the list, to see how it sits and to set exactly where it stands."
            )
            tone = "hint"
        else:
            lines = comfort_lines(session.kit, session.player, piece.code)
            kind = "" if piece.name == PIECE_KINDS[piece.kind] else f" ({PIECE_KINDS[piece.kind]})"
            text = "\n".join(line[:1].upper() + line[1:] for line in lines)
            text = text or f"{piece.name[:1].upper()}{piece.name[1:]}{kind}, played by foot."
            tone = "hint"
        say(self.facts, text, tone)

    def _fill_list(self) -> None:
        kit, player = self.session.kit, self.session.player
        found = comforts(kit, player, kit.struck)
        with QSignalBlocker(self.list):
            self.list.setRowCount(len(kit.pieces))
            for row, piece in enumerate(kit):
                cells = [piece.code, piece.name, units.length(piece.z), "by foot", ""]
                better = None
                if piece.code in found:
                    hands = found[piece.code]
                    better = easier(hands)
                    for column, hand in ((3, RIGHT), (4, LEFT)):
                        word = "" if hands[hand].word == "comfortable" else f" {hands[hand].word}"
                        cells[column] = f"{hands[hand].reach * 100:.0f} %{word}"
                        if better == hand:
                            cells[column] += " ✓"
                for column, text in enumerate(cells):
                    item = self.list.item(row, column)
                    if item is None:
                        item = QTableWidgetItem()
                        self.list.setItem(row, column, item)
                    if item.text() != text:
                        item.setText(text)
                        item.setToolTip(REACH_TIP if column > 2 else "")
            codes = [piece.code for piece in kit]
            if self.session.piece in codes:
                self.list.setCurrentCell(codes.index(self.session.piece), 0)
            else:
                self.list.setCurrentCell(-1, -1)
                self.list.clearSelection()
