"""The few words of our own, each explained in one sentence where it stands: under the pointer, and on one sheet."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QFrame, QScrollArea, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_font, set_scaled

WORDS: Final = {
    "stop": "It cannot be played like this, whoever plays it.",
    "caution": "It can be played, but with nothing to spare: a small slip and it fails.",
    "note": "Worth knowing, and nothing to put right: a crossover, a sweep, a stretch.",
    "pace": "Time needed as a part of the time there is: slack below 0.6, hurried from 0.85, too late above 1.",
    "breaks at": "The tempo at which a stroke has no time left to get where it is played.",
    "headroom": "How much faster than the home tempo it goes before the first stroke breaks.",
    "home tempo": "The tempo the plan is meant for, in quarter notes a minute; everything is judged at it.",
    "cost": "What every move takes, added up: hurry, distance, crossing, turning, runs of one hand; lower is easier.",
    "ease": "How hard it is on a scale that drummers read: 100 is nothing to do, 50 is where hard begins.",
    "level": "Ease in one word: easy, busy, hard or impossible.",
    "demand": "What makes it as hard as it is, by name and place: speed, moves, limbs that do different things.",
    "lead": "The hand that plays on the beat. A ring marks where the other hand takes over.",
    "crossover": "One arm goes over the other for a stroke.",
    "crossed hold": "The arms stay crossed for several strokes, as with the hi-hat played right over left.",
    "open-handed": "Each hand plays on its own side: nothing crosses.",
    "sweep": "One hand goes on in the same direction from drum to drum.",
    "weave": "Both hands over time: the higher, the further to the left; where arms cross, the upper one is on top.",
    "reach": "How far the arm is stretched: from 80 % on it is strained.",
}


def explained(word: str) -> str:
    """A word and its sentence."""
    return f"{word[:1].upper()}{word[1:]}: {WORDS[word][:1].lower()}{WORDS[word][1:]}"


class WordsDialog(QDialog):
    """Every word of our own on one sheet."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Words")
        page = QWidget()
        form = QFormLayout(page)
        form.setHorizontalSpacing(18)
        form.setVerticalSpacing(8)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        for word, meaning in WORDS.items():
            name, sentence = PlainLabel(word), PlainLabel(meaning)
            set_font(name, theme.ui_font, 10.5, bold=True)
            sentence.setWordWrap(True)
            form.addRow(name, sentence)
        area = QScrollArea()
        area.setWidget(page)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        set_scaled(area, QWidget.setMinimumWidth, 560)
        set_scaled(area, QWidget.setMinimumHeight, 420)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 16, 22, 16)
        column.addWidget(area)
        column.addWidget(buttons)
