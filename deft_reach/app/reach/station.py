"""The Reach station: what the hands have to do."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget
from shiboken6 import isValid

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.canvas.elevation import Elevation
from deft_reach.app.canvas.explain import where
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.stroke_lane import StrokeLane
from deft_reach.app.canvas.tempo_rule import TempoRule
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.view_switch import ViewSwitch
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.offers.candidate_preview import CandidateThreads, ChangingDrawing
from deft_reach.app.reach.findings_list import FindingsList, SeverityLegend
from deft_reach.app.reach.hands_form import HandsForm
from deft_reach.app.reach.stroke_card import StrokeCard
from deft_reach.app.shell.station import Station
from deft_reach.app.widgets.elided_label import ElidedLabel
from deft_reach.app.widgets.panel import Panel
from deft_reach.core.analysis.finding import FINDING_NAMES, Finding
from deft_reach.core.analysis.ranking import limit_lost
from deft_reach.core.analysis.report import Report, serious_words
from deft_reach.core.document import Candidate, read_unfinished
from deft_reach.core.model.counting import counted
from deft_reach.core.search.candidates import with_other_hand
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.remedies import Remedy, find_remedies, sticking_name
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView
from deft_reach.core.session.plan_state import PlanKey


def _remedy_words(found: list[Remedy], before: Report) -> str:
    """What was found, in a sentence; what takes something of the limit says so."""
    if not found:
        return "No other hands, voice or tempo removes it by itself; change more of the figure, or the kit."
    settled = " or ".join(row.name for row in found if row.kind == "over")
    names = [(row.name, limit_lost(before, row.report)) for row in found if row.kind != "over"]
    removed = "; ".join(f"{name} ({lost})" if lost else name for name, lost in names)
    words = [f"Settled by: {settled}."] if settled else []
    if removed:
        words.append(f"Removed by: {removed}.")
    return " ".join([*words, "Each was checked."])


if TYPE_CHECKING:
    from deft_reach.app.reach.stroke_table import StrokesDialog

#: What the weave shows.
WEAVE_NOTE: Final = "which hand is where, from far left (top) to far right"


class ReachStation(Station):
    """Where the arms are and what happens on the left; weave, lane, tempo rule and the list of hands on the right."""

    def __init__(self, session: Session) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self.axis = TimeAxis(session, self)
        self.plan = ReachPlan(session)
        self.elevation = Elevation(session, self.plan)
        self.weave = Weave(session, self.axis)
        self.lane = StrokeLane(session, self.axis)
        self.rule = TempoRule(session)
        self.card = StrokeCard(session)
        self.card.tried.connect(self.try_other_hand)

        #: What the page in view offers, drawn and heard in place of the plan.
        self.candidate = CandidateView(session)
        self.findings = FindingsList(session, self.candidate)
        self.plan_view = ChangingDrawing(self.plan, self.candidate, lambda: ReachPlan(self.candidate))
        #: What can be done with the plan on paper and in files; the window fills it.
        self.paper = QMenu(self)
        take_out = QPushButton("Print or export")
        take_out.setObjectName("quiet")
        take_out.setMenu(self.paper)
        self.plan_panel = Panel("Reach plan", self.plan_view, "", take_out)
        elevation_panel = Panel("Heights", self.elevation, "", ViewSwitch(self.elevation))
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical

        threads = QWidget()
        column = QVBoxLayout(threads)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.weave, 1)
        column.addWidget(self.lane)
        threads.setFocusProxy(self.weave)
        self.threads = ChangingDrawing(
            threads, self.candidate, lambda: CandidateThreads(self.candidate, self.leave_offer)
        )
        self.weave_panel = Panel("Weave", self.threads, WEAVE_NOTE)
        self.rule_view = ChangingDrawing(self.rule, self.candidate, lambda: TempoRule(self.candidate))
        rule_panel = Panel("", self.rule_view)
        self.try_it = QPushButton("Try it")
        self.try_it.setObjectName("quiet")
        self.try_it.setToolTip("Look for what removes the chosen finding, and list it to compare")
        self.try_it.clicked.connect(self.ease)
        #: The finding whose remedies are looked for, and the state it was found in.
        self._eased: tuple[Finding | None, PlanKey | None] = (None, None)
        self._with_pedal = ""
        self._strokes: StrokesDialog | None = None
        self._easing = BackgroundTask(SearchError)
        self._easing.finished.connect(self._take_ease)
        happens = QWidget()
        lines = QVBoxLayout(happens)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(0)
        lines.addWidget(self.findings, 1)
        #: Offered where a second bass pedal would help.
        self.add_pedal = QPushButton("Add a second pedal")
        self.add_pedal.setObjectName("quiet")
        self.add_pedal.setToolTip("Put a second bass pedal into the kit, and share the feet's strokes with it")
        self.add_pedal.clicked.connect(self._add_pedal)
        self.add_pedal.hide()
        lines.addWidget(self.add_pedal, 0, Qt.AlignmentFlag.AlignLeft)
        legend = QHBoxLayout()
        self.findings_note = ElidedLabel()
        self.findings_note.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.findings_note.setObjectName("hint")
        self.findings_note.setContentsMargins(0, 0, 10, 0)
        legend.addWidget(SeverityLegend())
        legend.addWidget(self.findings_note, 1)
        lines.addLayout(legend)
        self.tabs, below = self.tab_sheet(((happens, "What happens"), (self.card, "This stroke")))
        corner = QWidget()
        buttons = QHBoxLayout(corner)
        buttons.setContentsMargins(0, 2, 6, 2)
        for page, button in ((happens, self.try_it), (self.card, self.card.other)):
            buttons.addWidget(button)
            self.tabs.currentChanged.connect(lambda _, p=page, b=button: b.setVisible(self.tabs.currentWidget() is p))
        self.card.other.hide()
        self.tabs.setCornerWidget(corner)
        self.hands = HandsForm(session, self.axis)
        hands_panel = Panel("Hands", self.hands, "", self.hands.question)

        left = self.split(down, "reachSide", [self.plan_panel, elevation_panel, below], [300, 126, 274], [4, 1, 3])
        # Larger text takes its room from the list below, which scrolls.
        large = max(1.0, theme.text_scale())
        sizes = [round(348 * large), round(82 * large), max(140, round(699 - 430 * large))]
        right = self.split(down, "reachHands", [self.weave_panel, rule_panel, hands_panel], sizes, [3, 0, 4])
        self.fill(self.split(across, "reachAcross", [left, right], [496, 696], [2, 3]))
        self.offering(self.candidate, self.hands)
        self.hands.offered.connect(self._hold_against)
        self.candidate.shown.connect(self.refresh)
        self.candidate.verdict.connect(self.refresh)
        self.follow()

    def _hold_against(self) -> None:
        """Draw what the chosen sticking is held against."""
        threads = self.threads.candidate
        if isinstance(threads, CandidateThreads) and (threads.beside is not None or self.hands.beside is not None):
            threads.hold_against(self.hands.beside if self.candidate.active else None)

    def leave_offer(self) -> None:
        self.hands.leave()
        super().leave_offer()

    def show_strokes(self) -> None:
        """Show every stroke in a table, in a window of its own."""
        from deft_reach.app.reach.stroke_table import StrokesDialog

        if self._strokes is None or not isValid(self._strokes):
            self._strokes = StrokesDialog(self.session, self)
        self._strokes.show()
        self._strokes.raise_()
        self._strokes.activateWindow()

    def ease(self) -> None:
        """Try what would help against the chosen finding: other hands for its strokes, put in the list."""
        session = self.session
        report, finding, plan = session.report, session.finding, session.plan
        if report is None or finding is None or plan is None or session.outdated:
            return
        self._eased = (finding, session.state.key)
        self.add_pedal.hide()
        self.findings.show_remedies(finding, "Looking for what removes it …")
        self._easing.start(lambda progress: find_remedies(report, finding, plan.weights, progress))

    def _take_ease(self, found: list[Remedy]) -> None:
        finding, key = self._eased
        if finding is None or self.session.state.key != key:
            return
        text = self.session.text
        offered = [Candidate(row.name, row.text) for row in found if row.text != text and row.kind != "pedal"]
        self._with_pedal = next((row.text for row in found if row.kind == "pedal"), "")
        self.add_pedal.setVisible(bool(self._with_pedal))
        assert self.session.report is not None
        self.findings.show_remedies(finding, _remedy_words(found, self.session.report))
        self._compare(offered, f"Try what removes the {FINDING_NAMES[finding.kind]}")

    def _add_pedal(self) -> None:
        """Put the second pedal in that was found to help."""
        if self.session.state.key == self._eased[1]:
            self.session.kits.add_second_pedal(self._with_pedal)
        self.add_pedal.hide()

    def try_other_hand(self) -> None:
        """Put the plan with the other hand for the selected stroke in the list."""
        pattern, index = self.session.pattern(), self.session.stroke
        text = None if pattern is None or index is None else with_other_hand(pattern, index)
        if pattern is not None and text is not None:
            name = sticking_name(pattern, read_unfinished(text, self.session.kit))
            self._compare([Candidate(name, text)], f"Try the {name}")

    def _compare(self, offered: list[Candidate], label: str) -> None:
        """Keep stickings beside the plan's own, and choose the first of them."""
        if offered:
            self.session.stickings.keep_all(offered, label)
            self.hands.show_kept(offered[0].text)

    def find_hands(self) -> None:
        """Ask for the hands of all strokes that have none yet."""
        self.hands.ask_for("open")

    def first_focus(self) -> QWidget:
        return self.weave

    def refresh(self) -> None:
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            self.plan_panel.set_note("")
        else:
            self.plan_panel.set_note(f"stroke {index + 1} of {len(report.strokes)} · {where(report, index)}")
        demand = self.session.demand
        self.weave_panel.set_note(
            WEAVE_NOTE if demand is None else f"marked: {demand.words}, {demand.share * 100:.0f} % of what it takes"
        )
        count = len(report.findings) if report is not None else 0
        serious = serious_words(report) if report is not None else ""
        words = f"{serious}, {counted(count, 'finding')} in all" if serious else counted(count, "finding")
        if self._easing.busy and self._eased[0] is not None and self.session.state.key != self._eased[1]:
            # What would remove a finding of another state is not looked for any more.
            self._easing.cancel()
            self.findings.show_remedies(self._eased[0], "")
        if self.session.state.key != self._eased[1] or self.session.finding != self._eased[0]:
            self.add_pedal.hide()
        offered = self.candidate_shown
        self.try_it.setEnabled(self.session.finding is not None and not self.session.outdated and offered is None)
        if offered is not None and offered.report is not None:
            after = serious_words(offered.report) or "no cautions"
            self.findings_note.setText(f"{serious or 'no cautions'} → {after}, if “{offered.name}” is used")
        else:
            self.findings_note.setText(words + (" · N for the next" if count else ""))
