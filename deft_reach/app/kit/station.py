"""The Kit station: where everything stands, who plays it, and what that does to the plans."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app.canvas.elevation import Elevation
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.tape_tool import TapeTool
from deft_reach.app.canvas.view_switch import ViewSwitch
from deft_reach.app.kit.effect import PlanEffects
from deft_reach.app.kit.kit_bar import KitBar
from deft_reach.app.kit.pieces_form import PiecesForm
from deft_reach.app.shell.station import Station
from deft_reach.app.widgets.page_tabs import PageTabs, late_page
from deft_reach.app.widgets.panel import Panel
from deft_reach.core.session import Session

DRAGGING = "drag a piece; arrows move it 1 mm, with Shift 10 mm"
MEASURING = "drag from one point to another"


if TYPE_CHECKING:
    from deft_reach.app.kit.compare_form import CompareForm
    from deft_reach.app.kit.player_form import PlayerForm
    from deft_reach.app.kit.shape_form import ShapeForm
    from deft_reach.app.kit.tape_form import TapeForm


class TapeButtons(QWidget):
    """Takes the tape out and keeps or removes what it measured."""

    def __init__(self, tape: TapeTool) -> None:
        super().__init__()
        self.tape = tape
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.measure = QPushButton("Measure")
        self.measure.setCheckable(True)
        self.measure.setToolTip("Measure between any two points (M)")
        self.keep = QPushButton("Keep line")
        self.keep.setToolTip("Keep this dimension line with the kit (Return)")
        self.remove = QPushButton("Remove line")
        self.remove.setToolTip("Remove the chosen dimension line (Delete)")
        for button in (self.keep, self.remove, self.measure):
            button.setObjectName("quiet")
            row.addWidget(button)
        self.measure.clicked.connect(tape.set_on)
        self.keep.clicked.connect(tape.keep)
        self.remove.clicked.connect(tape.remove)
        tape.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.measure.setChecked(self.tape.on)
        self.keep.setVisible(self.tape.on and self.tape.current is not None)
        self.remove.setVisible(self.tape.on and self.tape.chosen is not None)


class KitStation(Station):
    """Plan and elevation as linked drawings; beside them pieces, exact places and what a change does to the plans."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plan = ReachPlan(session, laying_out=True)
        self.elevation = Elevation(session, self.plan)
        assert self.plan.tape is not None
        self.tape = self.plan.tape
        self.tape_buttons = TapeButtons(self.tape)
        self.bar = KitBar(session)
        self.pieces_form = PiecesForm(session, self.plan)
        self.effects = PlanEffects(session)

        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        self.plan_panel = Panel("Floor plan", self.plan, DRAGGING, self.tape_buttons)
        heights = Panel("Heights", self.elevation, "drag up and down", ViewSwitch(self.elevation))
        drawings = self.split(down, "kitLeft", [self.plan_panel, heights], [536, 150], [1, 0])
        self.tabs = PageTabs(self)
        self.tabs.addTab(self.pieces_form, "Pieces")
        self.tabs.addTab("shape_form", "Shape")
        self.tabs.addTab("player_form", "Player")
        self.tabs.addTab("tape_form", "Tape")
        self.tabs.addTab("compare_form", "Compare")
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.tabs, 1)
        self.piece_panel = Panel("Kit and player", body)
        self.effects_panel = Panel("What it does to the plans", self.effects, "against the kit as saved")
        side = self.split(down, "kitRight", [self.piece_panel, self.effects_panel], [450, 220], [1, 1])
        self.fill(self.split(across, "kitAcross", [drawings, side], [700, 492], [1, 0]))

        self.bar.refused.connect(self._refuse)
        self.tabs.currentChanged.connect(lambda _: self._compare())
        self.tape.changed.connect(self._say_tape)
        self.follow()

    @late_page
    def shape_form(self) -> ShapeForm:
        """The chosen piece in numbers."""
        from deft_reach.app.kit.shape_form import ShapeForm

        return ShapeForm(self.session)

    @late_page
    def player_form(self) -> PlayerForm:
        """The player's body and skill."""
        from deft_reach.app.kit.player_form import PlayerForm

        return PlayerForm(self.session)

    @late_page
    def tape_form(self) -> TapeForm:
        """The kit as measured with a tape."""
        from deft_reach.app.kit.tape_form import TapeForm

        return TapeForm(self.session, self.tape)

    @late_page
    def compare_form(self) -> CompareForm:
        """Another kit beside this one."""
        from deft_reach.app.kit.compare_form import CompareForm

        form = CompareForm(self.session)
        form.compared.connect(self._compare)
        return form

    def first_focus(self) -> QWidget:
        return self.plan

    def _refuse(self, why: str) -> None:
        self.tabs.setCurrentWidget(self.pieces_form)
        self.pieces_form.refuse(why)

    def _say_tape(self) -> None:
        line = self.tape.current or self.tape.chosen
        words = self.tape.in_words(line) if line is not None else MEASURING
        self.plan_panel.set_note(words if self.tape.on else DRAGGING)

    def _compare(self) -> None:
        """While the comparison is in front, drawings and list are against the other kit."""
        comparing = self.tabs.currentIndex() == self.tabs.tab_of("compare_form")
        other = self.compare_form.other if comparing else None
        self.plan.ghost = other
        self.plan.refresh()
        as_saved = other is None or self.compare_form.other_box.currentIndex() == 0
        self.effects.compare_with(None if as_saved else other)
        name = "the kit as saved" if as_saved or other is None else f"“{other.name}”"
        self.effects_panel.set_note(f"against {name}")
