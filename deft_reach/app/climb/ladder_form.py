"""How the ladder is built: by layers, chunks or straight to the kit; its steps, its time, the rule for moving."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.text.words import say
from deft_reach.app.widgets.choices import fill_box
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.practice.ladder import Equivalent, StepSize, parse_step
from deft_reach.core.practice.runner import Rule
from deft_reach.core.practice.stages import Stage

#: Steps to choose from; any other can be typed.
STEPS = ("smaller near the target", "2 BPM", "5 BPM", "10 BPM", "15 BPM", "3 %", "5 %", "double")
LAYERS, CHUNKS, STRAIGHT = "layers", "chunks", "straight"
WAYS = {
    "layers: one thing at a time": LAYERS,
    "chunks: part by part": CHUNKS,
    "straight to the kit": STRAIGHT,
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
        # Long: widgets in the order in which they are laid out.
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
        self.way = QComboBox()
        for box, rows, name in (
            (self.way, WAYS, "How it is built up"), (self.step, STEPS, "Steps"),
            (self.rule, RULES, "Rule for moving"),
        ):  # fmt: skip
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(14)
            for words in rows:
                box.addItem(words)
        self.repeats = QSpinBox()
        self.repeats.setRange(0, 64)
        self.repeats.setSpecialValueText("30 to 60 s")
        self.repeats.setPrefix("× ")
        self.repeats.setAccessibleName("How often a rung is played before a verdict")
        self.step.setEditable(True)
        self.step.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.step.setToolTip("Choose, or type your own: 7 BPM, 12 %, double")
        self.over = QSpinBox()
        self.over.setRange(0, 30)
        self.over.setValue(5)
        self.over.setSuffix(" %")
        self.over.setPrefix("+ ")
        self.over.setSpecialValueText("none")
        self.over.setAccessibleName("How far above the target, before it is played once more")
        self.over.setToolTip("A rung above the target, so that it feels relaxed when it is played once more")
        self.past = QCheckBox("Past my limit")
        self.past.setToolTip("Off: the ladder ends where the model says that you break")
        self.what = QComboBox()
        self.what.setAccessibleName("What to climb")
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what.setMinimumContentsLength(14)
        self.minutes = QSpinBox()
        self.minutes.setRange(0, 180)
        self.minutes.setSingleStep(5)
        self.minutes.setSuffix(" min")
        self.minutes.setSpecialValueText("as long as it takes")
        self.minutes.setAccessibleName("Minutes of playing in all")
        self.minutes.setToolTip("Steps and repeats are chosen for so much playing, and then it says stop")
        self.minutes.setKeyboardTracking(False)
        form.addRow("Climb", self.what)
        form.addRow("Build by", self.way)
        form.addRow("Begin at", self.start)
        form.addRow("Steps", self.step)
        form.addRow("Each rung", self.repeats)
        form.addRow("Rule", self.rule)
        form.addRow("In all", self.minutes)
        above = QHBoxLayout()
        above.addWidget(self.over)
        above.addWidget(self.past)
        form.addRow("Above", above)
        column.addLayout(form)
        self.stages = QTableWidget()
        make_list(self.stages, "Stages", ["stage", "breaks at"], wide=(0,))
        column.addWidget(self.stages, 1)
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.what.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.start.setKeyboardTracking(False)
        self.repeats.setKeyboardTracking(False)
        self.start.valueChanged.connect(lambda _: self.changed.emit())
        self.repeats.valueChanged.connect(lambda _: self.changed.emit())
        self.minutes.valueChanged.connect(lambda _: self.changed.emit())
        self.over.setKeyboardTracking(False)
        self.over.valueChanged.connect(lambda _: self.changed.emit())
        self._step = self.step.currentText()
        self.step.currentIndexChanged.connect(lambda _: self._stepped())
        line = self.step.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._stepped)
        self.way.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.past.toggled.connect(lambda _: self.changed.emit())
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
    def way_chosen(self) -> str:
        """LAYERS, CHUNKS or STRAIGHT."""
        return WAYS[self.way.currentText()]

    @property
    def begin(self) -> float | None:
        return None if self.start.value() < TEMPO_RANGE[0] else float(self.start.value())

    def _stepped(self) -> None:
        """Another step, chosen or typed."""
        if self.step.currentText() != self._step:
            self._step = self.step.currentText()
            self.changed.emit()

    @property
    def steps(self) -> StepSize | None:
        """The steps, None where they may be chosen for the minutes. Raises LadderError for what is none."""
        text = self.step.currentText().strip()
        if text == STEPS[0]:
            return None
        return parse_step(text.upper().removesuffix("BPM").strip() or text)

    @property
    def times(self) -> int | None:
        """How often a rung is played; None for as often as fills its time."""
        return self.repeats.value() or None

    @property
    def overspeed(self) -> float | None:
        return float(self.over.value()) or None

    @property
    def in_all(self) -> float | None:
        return float(self.minutes.value()) or None

    @property
    def moving(self) -> Rule:
        return RULES[self.rule.currentText()]

    def show_stages(self, stages: tuple[Stage, ...], current: int) -> None:
        self.stages.setRowCount(len(stages))
        for k, stage in enumerate(stages):
            limit = "–" if stage.tempo_limit is None else f"{stage.tempo_limit:.0f} BPM"
            for column, text in enumerate((stage.name, limit)):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(f"{stage.name}: {stage.why}"))
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.stages.setItem(k, column, item)
        self.stages.setCurrentCell(current if stages else -1, 0)

    def say_equivalents(self, rows: tuple[Equivalent, ...], minutes: float, ends: str = "") -> None:
        """How long it is, what the target is as fast as, and where it ends short of it."""
        same = ", ".join(
            f"{e.grid} at {e.tempo:.0f}"
            for e in rows
            if e.grid in ("eighth triplets", "sixteenths", "thirty-seconds")
        )
        text = f"About {minutes:.0f} min of playing."
        if same:
            text += f" The target is as fast as {same}."
        say(self.words, f"{ends} {text}" if ends else text, "warning" if ends else "hint")
