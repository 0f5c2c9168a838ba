"""How the ladder is built: stages or straight to the kit, start, target, steps, repeats, and the rule for moving."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.choices import fill_box
from deft_reach.app.tables import make_list
from deft_reach.app.words import say
from deft_reach.core.practice.ladder import Equivalent, Step
from deft_reach.core.practice.runner import Rule
from deft_reach.core.practice.stages import Stage
from deft_reach.core.stroke_text import TEMPO_RANGE

STEPS = {
    "smaller near the target": Step(),
    "1 BPM": Step(bpm=1),
    "2 BPM": Step(bpm=2),
    "5 BPM": Step(bpm=5),
    "10 BPM": Step(bpm=10),
    "3 %": Step(percent=3),
    "5 %": Step(percent=5),
}
RULES = {
    "3 clean: up, 2 not yet: back two": Rule(),
    "2 clean: up, 2 not yet: back one": Rule(up_after=2, back_by=1),
    "5 clean: up, 3 not yet: back three": Rule(up_after=5, back_after=3, back_by=3),
    "adaptive: easy rungs at once": Rule(adaptive=True),
}


class LadderForm(QWidget):
    """``changed`` when the ladder has to be built anew."""

    changed = Signal()
    rule_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 2, 10, 8)
        column.setSpacing(5)
        form = QFormLayout()
        form.setVerticalSpacing(4)
        low, high = int(TEMPO_RANGE[0]), int(TEMPO_RANGE[1])
        self.start = QSpinBox()
        self.start.setRange(low - 1, high)
        self.start.setSpecialValueText("where it is easy")
        self.start.setSuffix(" BPM")
        self.start.setAccessibleName("Tempo to begin with")
        self.step, self.rule = QComboBox(), QComboBox()
        for box, rows, name in ((self.step, STEPS, "Steps"), (self.rule, RULES, "Rule for moving")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(14)
            for words in rows:
                box.addItem(words)
        self.repeats = QSpinBox()
        self.repeats.setRange(1, 64)
        self.repeats.setValue(4)
        self.repeats.setPrefix("× ")
        self.repeats.setAccessibleName("How often a rung is played before a verdict")
        self.straight = QCheckBox("Straight to the kit")
        self.over = QCheckBox("A rung above home")
        self.over.setChecked(True)
        self.what = QComboBox()
        self.what.setAccessibleName("What to climb")
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what.setMinimumContentsLength(14)
        self.minutes = QSpinBox()
        self.minutes.setRange(0, 180)
        self.minutes.setSingleStep(5)
        self.minutes.setSuffix(" min")
        self.minutes.setSpecialValueText("no end")
        self.minutes.setAccessibleName("Minutes of playing after which to stop")
        form.addRow("Climb", self.what)
        form.addRow("Begin at", self.start)
        form.addRow("Steps", self.step)
        form.addRow("Each rung", self.repeats)
        form.addRow("Rule", self.rule)
        form.addRow("Stop after", self.minutes)
        column.addLayout(form)
        ticks = QHBoxLayout()
        ticks.addWidget(self.straight)
        ticks.addWidget(self.over)
        column.addLayout(ticks)
        self.stages = QTableWidget()
        make_list(self.stages, "Stages", ["stage", "breaks at"], wide=(0,))
        column.addWidget(self.stages, 1)
        self.words = QLabel()
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.what.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.start.setKeyboardTracking(False)
        self.repeats.setKeyboardTracking(False)
        self.start.valueChanged.connect(lambda _: self.changed.emit())
        self.repeats.valueChanged.connect(lambda _: self.changed.emit())
        self.step.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.straight.toggled.connect(lambda _: self.changed.emit())
        self.over.toggled.connect(lambda _: self.changed.emit())
        self.rule.currentIndexChanged.connect(lambda _: self.rule_changed.emit())

    def show_choices(self, songs: list[tuple[str, str]]) -> None:
        """What can be climbed: the plan in view, or a song's plans in a chain."""
        rows = [(f"the plans of {name}, four times each", id) for name, id in songs]
        fill_box(self.what, [("the plan in view", None), *rows])

    @property
    def chain(self) -> str | None:
        """The song whose plans are climbed in a chain; None for the plan in view."""
        return self.what.currentData()  # type: ignore[no-any-return]

    @property
    def begin(self) -> float | None:
        return None if self.start.value() < TEMPO_RANGE[0] else float(self.start.value())

    @property
    def steps(self) -> Step:
        return STEPS[self.step.currentText()]

    @property
    def moving(self) -> Rule:
        return RULES[self.rule.currentText()]

    def show_stages(self, stages: tuple[Stage, ...], current: int) -> None:
        self.stages.setRowCount(len(stages))
        for k, stage in enumerate(stages):
            limit = "–" if stage.tempo_limit is None else f"{stage.tempo_limit:.0f} BPM"
            for column, text in enumerate((stage.name, limit)):
                item = QTableWidgetItem(text)
                item.setToolTip(f"{stage.name}: {stage.why}")
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.stages.setItem(k, column, item)
        self.stages.setCurrentCell(current if stages else -1, 0)

    def say_equivalents(self, rows: tuple[Equivalent, ...], minutes: float) -> None:
        same = ", ".join(
            f"{e.grid} at {e.tempo:g}" for e in rows if e.grid in ("eighth triplets", "sixteenths", "thirty-seconds")
        )
        text = f"About {minutes:.0f} min of playing."
        if same:
            text += f" The target is as fast as {same}."
        say(self.words, text, "hint")
