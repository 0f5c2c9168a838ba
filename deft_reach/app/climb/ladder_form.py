"""How the ladder is built: by layers, chunks or straight to the kit; its steps, its time, the rule for moving."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from deft_reach.app.text.words import say
from deft_reach.app.widgets.choices import fill_box
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.settings_line import Choice, Number, SettingsLine, Switch
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.practice.ladder import Equivalent, StepSize, parse_step
from deft_reach.core.practice.stages import Stage
from deft_reach.core.practice.verdicts import Rule

#: Steps to choose from; any other can be typed.
STEPS = ("smaller near the target", "2 BPM", "5 BPM", "10 BPM", "15 BPM", "3 %", "5 %", "double")
LAYERS, CHUNKS, STRAIGHT = "layers", "chunks", "straight"
WAYS = {
    LAYERS: "layers: one thing at a time",
    CHUNKS: "chunks: part by part",
    STRAIGHT: "straight to the kit",
}
RULES = {
    "3 clean: up, 2 not yet: back two": Rule(),
    "2 clean: up, 2 not yet: back one": Rule(up_after=2, back_by=1),
    "5 clean: up, 3 not yet: back three": Rule(up_after=5, back_after=3, back_by=3),
    "adaptive: easy rungs at once": Rule(adaptive=True),
}


SETTINGS: Final = (
    Choice("what", "&Climb", spoken="What to climb", choices=((None, "the plan in view"),)),
    Choice("way", "&Build by", spoken="How it is built up", choices=WAYS,
           said={way: words.partition(":")[0] for way, words in WAYS.items()}),
    Number("start", "B&egin at", spoken="Tempo to begin with", low=int(TEMPO_RANGE[0]) - 1, high=int(TEMPO_RANGE[1]),
           first=int(TEMPO_RANGE[0]) - 1, suffix=" BPM", none="where it is easy"),
    Choice("step", "&Steps", "Choose, or type your own: 7 BPM, 12 %, double", choices={step: step for step in STEPS},
           editable=True),
    Number("repeats", "Each &rung", spoken="How often a rung is played before a verdict", high=64, prefix="× ",
           none="30 to 60 s"),
    Choice("rule", "R&ule", spoken="Rule for moving", choices=[(rule, words) for words, rule in RULES.items()]),
    Number("minutes", "&In all", "Stages, steps and repeats are chosen for it, by the rule; then it says stop",
           spoken="Minutes of playing in all", high=180, step=5, suffix=" min", none="as long as it takes"),
    Number("over", "&Above the target", "A rung above the target, so that it feels relaxed when played again",
           spoken="How far above the target, before it is played once more", high=30, first=5, prefix="+ ",
           suffix=" %", none="none"),
    Switch("past", "&Past my limit", "Off: the ladder ends where the model says that you break", on="past my limit"),
)  # fmt: skip


class LadderForm(QWidget):
    """``changed`` when the ladder has to be built anew."""

    changed = Signal()
    rule_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 2, 10, 6)
        column.setSpacing(4)
        self.settings = SettingsLine("How the ladder is built", SETTINGS)
        field = self.settings.field
        self.what, self.way, self.start, self.step = field("what"), field("way"), field("start"), field("step")
        self.repeats, self.rule, self.minutes = field("repeats"), field("rule"), field("minutes")
        self.over, self.past = field("over"), field("past")
        column.addWidget(self.settings)
        self.stages = QTableWidget()
        make_list(self.stages, "Stages", ["stage", "breaks at"], wide=(0,))
        column.addWidget(self.stages, 1)
        #: Stages that are ticked off, by plan.
        self._off: dict[str, set[str]] = {}
        self._plan, self._filling = "", False
        self.stages.itemChanged.connect(self._ticked)
        # What follows fills the list anew: not while the list itself handles the click.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self.changed.emit)
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
        return self.settings.value("what")  # type: ignore[no-any-return]

    @property
    def way_chosen(self) -> str:
        """LAYERS, CHUNKS or STRAIGHT."""
        return str(self.settings.value("way"))

    def choose(self, way: str, song: str | None) -> None:
        """Build up in another way, or climb a song's chain; None for the plan in view."""
        self.way.setCurrentIndex(max(0, self.way.findData(way)))
        self.what.setCurrentIndex(max(0, self.what.findData(song)))

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
        return self.settings.value("repeats")  # type: ignore[no-any-return]

    @property
    def overspeed(self) -> float | None:
        return float(self.over.value()) or None

    @property
    def in_all(self) -> float | None:
        return float(self.minutes.value()) or None

    @property
    def moving(self) -> Rule:
        return self.settings.value("rule")  # type: ignore[no-any-return]

    def ticked_off(self, plan: str) -> frozenset[str]:
        """The names of stages of a plan that are not needed any more."""
        return frozenset(self._off.get(plan, ()))

    def show_stages(self, stages: tuple[Stage, ...], current: int, plan: str) -> None:
        """List the stages of a plan; a tick says that one is climbed, and the last one always is."""
        self._plan, self._filling = plan, True
        off = self.ticked_off(plan)
        self.stages.setRowCount(len(stages))
        for k, stage in enumerate(stages):
            limit = "–" if stage.tempo_limit is None else f"{stage.tempo_limit:.0f} BPM"
            for column, text in enumerate((stage.name, limit)):
                item = QTableWidgetItem(text)
                own = column == 0 and k < len(stages) - 1
                hint = ". Without its tick it is left out" if own else ""
                item.setToolTip(plain_tip(f"{stage.name}: {stage.why}{hint}"))
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                elif own:
                    ticked = stage.name not in off
                    item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
                self.stages.setItem(k, column, item)
        self.stages.setCurrentCell(current if stages else -1, 0)
        self._filling = False

    def _ticked(self, item: QTableWidgetItem) -> None:
        """A stage is left out, or climbed again."""
        if self._filling or item.column():
            return
        off = self._off.setdefault(self._plan, set())
        (off.add if item.checkState() == Qt.CheckState.Unchecked else off.discard)(item.text())
        self._later.start()

    def say_equivalents(self, rows: tuple[Equivalent, ...], minutes: float, ends: str = "") -> None:
        """How long it is by the rule, what the target is as fast as, and where it ends short of it."""
        same = ", ".join(
            f"{e.grid} at {e.tempo:.0f}"
            for e in rows
            if e.grid in ("eighth triplets", "sixteenths", "thirty-seconds")
        )
        text = f"About {minutes:.0f} min by this rule, if all is clean."
        if same:
            text += f" The target is as fast as {same}."
        say(self.words, f"{ends} {text}" if ends else text, "warning" if ends else "hint")
