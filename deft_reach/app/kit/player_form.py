"""The player's measures, each with its unit, refused at the field when nobody can be so."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QFormLayout, QLabel, QLineEdit

from deft_reach.app.station import Listener
from deft_reach.core.player import SKILLS, PlayerError
from deft_reach.core.session import Session

#: Field, what it is called, lowest and highest value (mm), and what it means.
LENGTHS = (
    ("stature_mm", "Height", 1000, 2300, "Body height, standing"),
    ("seat_height_mm", "Seat", 250, 900, "From the floor to the top of the seat"),
    ("stick_length_mm", "Stick", 200, 600, "Whole length of a stick"),
    ("grip_mm", "Grip", 100, 500, "From the stick's tip to where it is held"),
)
WORDS = {1.0: "untrained", 0.75: "working", 0.55: "advanced"}


class PlayerForm(Listener):
    """Who plays: everything follows while a measure changes."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        form = QFormLayout(self)
        form.setContentsMargins(10, 8, 10, 6)
        form.setVerticalSpacing(5)
        self.name = QLineEdit()
        self.name.setMaxLength(120)
        self.name.setAccessibleName("Name of the player")
        form.addRow("Name", self.name)
        self.lengths: dict[str, QDoubleSpinBox] = {}
        for field, text, low, high, meaning in LENGTHS:
            box = QDoubleSpinBox()
            box.setDecimals(0)
            box.setRange(low, high)
            box.setSingleStep(5)
            box.setSuffix(" mm")
            box.setToolTip(meaning)
            box.setAccessibleName(f"{meaning}, in millimetres")
            box.valueChanged.connect(lambda value, f=field, t=text: self._change(t, f, value))
            box.editingFinished.connect(session.end_merge)
            form.addRow(text, box)
            self.lengths[field] = box
        self.hand = QComboBox()
        self.hand.addItems(["right", "left"])
        self.hand.setAccessibleName("Handedness")
        form.addRow("Leads with the", self.hand)
        self.skill = QDoubleSpinBox()
        self.skill.setDecimals(2)
        self.skill.setRange(0.2, 3.0)
        self.skill.setSingleStep(0.05)
        self.skill.setPrefix("× ")
        self.skill.setAccessibleName("Skill: what every needed time is multiplied with")
        named = ", ".join(f"{value:g} {name}" for name, value in SKILLS.items())
        self.skill.setToolTip(f"Multiplies every needed time: {named}")
        form.addRow("Skill", self.skill)
        self.words = QLabel()
        self.words.setObjectName("hint")
        self.words.setWordWrap(True)
        form.addRow(self.words)
        self.name.textEdited.connect(lambda text: self._change("Name", "name", text) if text.strip() else None)
        self.hand.activated.connect(lambda _: self._change("Handedness", "handedness", self.hand.currentText()))
        self.skill.valueChanged.connect(lambda value: self._change("Skill", "skill", round(value, 3)))
        self.follow()

    def _change(self, label: str, field: str, value: object) -> None:
        try:
            self.session.change_player(f"Player: {label.lower()}", f"player:{field}", **{field: value})
        except PlayerError as error:
            self.words.setText(str(error))
            self.words.setObjectName("error")
            self._dress()

    def _dress(self) -> None:
        self.words.style().unpolish(self.words)
        self.words.style().polish(self.words)

    def refresh(self) -> None:
        player = self.session.player
        with QSignalBlocker(self.name), QSignalBlocker(self.hand), QSignalBlocker(self.skill):
            if self.name.text() != player.name:
                self.name.setText(player.name)
            self.hand.setCurrentText(player.handedness)
            # Setting a value anew would disturb what is being typed.
            if self.skill.value() != round(player.skill, 2):
                self.skill.setValue(player.skill)
        for field, box in self.lengths.items():
            with QSignalBlocker(box):
                if box.value() != round(getattr(player, field)):
                    box.setValue(getattr(player, field))
        reach = f"Arm {player.arm_mm:.0f} mm from shoulder to grip, shoulders {player.shoulder[2]:.0f} mm high"
        self.words.setText(f"{reach}; {WORDS.get(player.skill, 'own')} speed.")
        self.words.setObjectName("hint")
        self._dress()
