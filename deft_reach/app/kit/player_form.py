"""The player's measures, each with its unit, refused at the field when nobody can be so."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.kit.habits_form import HabitsForm, put_field
from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.app.text.words import say
from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.model.player import SEGMENT_NAMES, SEGMENT_PARTS, SKILLS, SPEED_NAMES, PlayerError
from deft_reach.core.session import Session

#: Field, what it is called, lowest and highest value (mm), and what it means.
LENGTHS = (
    ("stature_mm", "Height", 1000, 2300, "Body height, standing"),
    ("seat_height_mm", "Seat", 250, 900, "Seat height, from the floor to the top of the seat"),
    ("stick_length_mm", "Stick", 200, 600, "Stick length, end to end"),
    ("grip_mm", "Grip", 100, 500, "Grip, from the stick's tip to where it is held"),
)
WORDS = {1.0: "untrained", 0.75: "working", 0.55: "advanced"}


class PlayerForm(Listener):
    """Who plays: everything follows while a measure changes."""

    def __init__(self, session: Session) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        form = QGridLayout()
        form.setVerticalSpacing(5)
        form.setHorizontalSpacing(8)
        self.name = QLineEdit()
        self.name.setMaxLength(120)
        self.name.setMinimumWidth(90)
        self.name.setAccessibleName("Name of the player")
        put_field(form, 0, 0, "Name", self.name, across=3)
        self.lengths: dict[str, LengthBox] = {}
        for place, (field, text, low, high, meaning) in enumerate(LENGTHS, 2):
            box = LengthBox(meaning, low, high, 5.0)
            box.valueChanged.connect(lambda value, f=field, t=text: self._change(t, f, value))
            box.editingFinished.connect(session.end_merge)
            box.refused.connect(self._refuse)
            put_field(form, *divmod(place, 2), text, box)
            self.lengths[field] = box
        self.hand = QComboBox()
        self.hand.addItems(["right", "left"])
        self.hand.setAccessibleName("Handedness")
        put_field(form, 3, 0, "Strong hand", self.hand)
        self.skill = DecimalBox()
        self.skill.setDecimals(2)
        self.skill.setRange(0.2, 3.0)
        self.skill.setSingleStep(0.05)
        self.skill.setPrefix("× ")
        self.skill.setAccessibleName("Skill: what every needed time is multiplied with")
        self.skill.setToolTip("Every needed time is multiplied with this: less is faster")
        self.skill_name = QComboBox()
        self.skill_name.setAccessibleName("Skill in words")
        self.skill_name.setToolTip("How fast the hands are; the number beside it says it exactly")
        for name, value in SKILLS.items():
            self.skill_name.addItem(name, value)
        self.skill_name.addItem("own value", None)
        self.skill_name.activated.connect(self._choose_skill)
        skill = QHBoxLayout()
        skill.addWidget(self.skill_name, 1)
        skill.addWidget(self.skill)
        put_field(form, 3, 1, "Skill", skill)

        own = QGridLayout()
        own.setVerticalSpacing(5)
        own.setHorizontalSpacing(8)
        head = PlainLabel("Measured yourself? Tick it.")
        head.setObjectName("caption")
        own.addWidget(head, 0, 0, 1, 4)
        self.own: dict[str, QCheckBox] = {}
        self.segments: dict[str, LengthBox] = {}
        for place, (name, (_, least, most)) in enumerate(SEGMENT_PARTS.items(), 2):
            words = SEGMENT_NAMES[name]
            tick = QCheckBox(words[:1].upper() + words[1:])
            tick.setToolTip(f"Set the {words} yourself instead of taking it from the body height")
            tick.clicked.connect(lambda on, n=name: self._own(n, on))
            box = LengthBox(words[:1].upper() + words[1:], least, most, 5.0)
            box.valueChanged.connect(lambda value, n=name: self._segment(n, value))
            box.editingFinished.connect(session.end_merge)
            box.refused.connect(self._refuse)
            row, column = divmod(place, 2)
            own.addWidget(tick, row, 2 * column)
            own.addWidget(box, row, 2 * column + 1)
            own.setColumnStretch(2 * column + 1, 1)
            self.own[name], self.segments[name] = tick, box

        self.words = PlainLabel()
        self.words.setObjectName("hint")
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        set_scaled(self.words, QWidget.setMinimumHeight, 36)
        self.habits = HabitsForm(session)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(10, 8, 10, 6)
        whole.setSpacing(8)
        whole.addLayout(form)
        whole.addWidget(self.words)
        whole.addWidget(self.habits)
        whole.addLayout(own)
        whole.addStretch(1)
        self.name.textEdited.connect(lambda text: self._change("Name", "name", text) if text.strip() else None)
        self.hand.activated.connect(lambda _: self._change("Handedness", "handedness", self.hand.currentText()))
        self.skill.valueChanged.connect(lambda value: self._change("Skill", "skill", round(value, 3)))
        self.follow()

    def _change(self, label: str, field: str, value: object) -> None:
        try:
            self.session.kits.change_player(f"Player: {label.lower()}", f"player:{field}", **{field: value})
        except PlayerError as error:
            self._refuse(units.text_of(error))

    def _segment(self, name: str, value: float | None) -> None:
        changes: dict[str, Any] = {name: value}
        segments = replace(self.session.player.segments, **changes)
        label = f"Player: {SEGMENT_NAMES[name]}"
        try:
            self.session.kits.change_player(label, f"player:{name}", segments=segments)
        except PlayerError as error:
            self._refuse(units.text_of(error))

    def _choose_skill(self, row: int) -> None:
        value = self.skill_name.itemData(row)
        if value is None:
            self.skill.setFocus()
            self.skill.selectAll()
        else:
            self.skill.setValue(value)

    def _own(self, name: str, on: bool) -> None:
        """Checked: the estimated length becomes the initial value. Unchecked: estimated from height again."""
        self._segment(name, float(round(self.session.player.segment(name))) if on else None)
        self.session.end_merge()
        if on:
            self.segments[name].setFocus()
            self.segments[name].selectAll()

    def _refuse(self, why: str) -> None:
        self._say(why, "error")

    def _say(self, text: str, tone: str) -> None:
        say(self.words, text, tone)

    def refresh(self) -> None:
        player = self.session.player
        with QSignalBlocker(self.name), QSignalBlocker(self.hand), QSignalBlocker(self.skill):
            if self.name.text() != player.name:
                self.name.setText(player.name)
            self.hand.setCurrentText(player.handedness)
            # Setting a value anew would disturb what is being typed.
            if self.skill.value() != round(player.skill, 2):
                self.skill.setValue(player.skill)
        named = self.skill_name.findData(round(player.skill, 2))
        self.skill_name.setCurrentIndex(named if named >= 0 else self.skill_name.count() - 1)
        for field, box in self.lengths.items():
            with QSignalBlocker(box):
                if box.value() != round(getattr(player, field), 2):
                    box.setValue(getattr(player, field))
        for name, box in self.segments.items():
            with QSignalBlocker(box):
                own = getattr(player.segments, name) is not None
                self.own[name].setChecked(own)
                box.setEnabled(own)
                if box.value() != round(player.segment(name), 2):
                    box.setValue(player.segment(name) if own else round(player.segment(name)))
        arm, shoulders = units.length(player.arm_mm), units.length(player.shoulder[2])
        elbows = units.length(player.resting_elbow_mm)
        speeds = {words: getattr(player.speeds, name) for name, words in SPEED_NAMES.items()}
        differ = ", ".join(f"{words} × {decimal(factor, '.2f')}" for words, factor in speeds.items() if factor != 1)
        self._say(
            f"Arm {arm} from shoulder to grip; shoulders {shoulders} high, hanging elbows {elbows}; "
            f"{WORDS.get(player.skill, 'own')} speed{f' (by the log: {differ})' if differ else ''}.",
            "hint",
        )
