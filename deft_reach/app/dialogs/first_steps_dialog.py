"""The first minute: the kit most like yours, your height and leading hand, and what to begin with, on one page."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.document import new_document
from deft_reach.core.model.layouts import LAYOUTS
from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.motion.comfort import comforts, easier
from deft_reach.core.session import Session

#: What each shipped layout is, as a drummer says it.
KITS: Final = {
    "five": "five drums: two rack toms, one floor tom",
    "five-double": "five drums and two bass pedals",
    "compact": "four drums: one rack tom, one floor tom",
    "large": "seven drums, two bass pedals, splash and china",
    "pit": "a cramped kit in a theatre pit",
}
WAYS: Final = {"write": "Write it", "tap": "Tap it", "open": "Open a file…"}


class FirstStepsDialog(QDialog):
    """``session`` has the kit and the player that were chosen, ``way`` what to begin with (of WAYS)."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Set up in three steps")
        self.way = ""
        self.session = Session(new_document())
        self.picture = ReachPlan(self.session)
        self.picture.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.picture.setEnabled(False)
        set_scaled(self.picture, QWidget.setMinimumWidth, 380)
        self.kit = QComboBox()
        self.kit.setAccessibleName("The kit most like yours")
        for name in (*KITS, *(name for name in LAYOUTS if name not in KITS)):
            self.kit.addItem(KITS.get(name, name), name)
        self.height_box = LengthBox("Body height, standing", 1000, 2300, 10.0)
        self.height_box.setValue(self.session.player.stature_mm)
        self.hand = QComboBox()
        self.hand.setAccessibleName("Leading hand")
        self.hand.addItem("right-handed", "right")
        self.hand.addItem("left-handed, the kit mirrored", "left")
        self.verdict = HintLabel(lines=3)
        self.buttons: dict[str, QPushButton] = {}
        self._lay_out()
        self.kit.currentIndexChanged.connect(lambda _: self._choose())
        self.hand.currentIndexChanged.connect(lambda _: self._choose())
        self.height_box.valueChanged.connect(lambda _: self._choose())
        self._choose()

    def _lay_out(self) -> None:
        across = QHBoxLayout(self)
        across.setContentsMargins(24, 18, 24, 18)
        across.setSpacing(24)
        column = QVBoxLayout()
        column.setSpacing(6)
        for number, words, fields in (
            (1, "The kit most like yours", (self.kit,)),
            (2, "You", (self.height_box, self.hand)),
        ):
            column.addWidget(self._title(f"{number}  {words}"))
            for field in fields:
                column.addWidget(field)
            column.addSpacing(12)
        column.addWidget(self.verdict)
        column.addStretch(1)
        column.addWidget(self._title("3  What do you want to know about?"))
        row = QHBoxLayout()
        for way, words in WAYS.items():
            button = self.buttons[way] = QPushButton(words)
            button.setObjectName("primary" if way == "write" else "")
            button.clicked.connect(lambda _=False, w=way: self._begin(w))
            row.addWidget(button)
        column.addLayout(row)
        later = PlainLabel("Everything can be changed later, to the millimetre, in Kit.")
        later.setObjectName("hint")
        column.addWidget(later)
        across.addLayout(column, 1)
        across.addWidget(self.picture, 1)
        set_scaled(self, QWidget.setMinimumWidth, 820)
        set_scaled(self, QWidget.setMinimumHeight, 420)

    @staticmethod
    def _title(words: str) -> PlainLabel:
        title = PlainLabel(words)
        set_font(title, theme.ui_font, 12, bold=True)
        return title

    def _choose(self) -> None:
        """Have kit and player as chosen, and say what of the kit is out of comfortable reach."""
        document = new_document()
        self.session.start(document.with_text(document.plans[0], "/8 R@hh L R@hh L R@hh L R@hh L |"))
        self.session.kits.use_layout(str(self.kit.currentData()))
        self.session.kits.change_player("Height", stature_mm=self.height_box.value())
        if self.hand.currentData() == "left":
            self.session.kits.mirror_kit()
        kit, player = self.session.kit, self.session.player
        strained = []
        for code, hands in comforts(kit, player, kit.struck).items():
            best = hands[easier(hands) or RIGHT]
            if all(hands[hand].word != "comfortable" for hand in (LEFT, RIGHT)):
                piece = kit.piece(code)
                name = piece.name if piece is not None else code
                strained.append(f"the {name} ({best.reach * 100:.0f} % of the arm)")
        if strained:
            self.verdict.setText(f"At your height either hand has to stretch for {', '.join(strained)}.")
        else:
            self.verdict.setText("At your height one hand reaches every piece comfortably.")

    def _begin(self, way: str) -> None:
        self.way = way
        self.accept()
