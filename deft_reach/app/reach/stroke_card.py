"""The selected stroke in full, and the button that tries the other hand."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout

from deft_reach.app import theme
from deft_reach.app.canvas.explain import stroke_facts, stroke_title, where
from deft_reach.app.reach.cost_bar import CostBar
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.explanations import WORDS, explained
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.elided_label import ElidedLabel
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.styled import set_font
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.search.candidates import if_other_hand
from deft_reach.core.session import Session

ROWS = 8
#: In longer plans the other hand is only tried when asked.
MOST_STROKES = 512
#: While something is dragged, the other hand is tried once it rests (ms): it is an analysis of its own.
REST_MS = 120


class StrokeCard(Listener):
    """Facts about one stroke as name and value, its cost, and "try the other hand"."""

    #: The other hand is to be compared with the one there is.
    tried = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setAccessibleName("Selected stroke")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 0, 10, 4)
        column.setSpacing(2)
        self.headline = PlainLabel()
        self.headline.setWordWrap(True)
        set_font(self.headline, theme.ui_font, 11.5, bold=True)
        column.addWidget(self.headline)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(1, 1)
        self.names: list[QLabel] = []
        self.values: list[QLabel] = []
        for row in range(ROWS):
            name, value = PlainLabel(), ElidedLabel()
            name.setObjectName("caption")
            value.setMinimumWidth(40)
            grid.addWidget(name, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(value, row, 1)
            self.names.append(name)
            self.values.append(value)
        column.addLayout(grid)
        self.cost = CostBar(session)
        column.addWidget(self.cost)
        column.addStretch(1)
        #: Stands in the corner of the panel.
        self.other = QPushButton("Try the other hand")
        self.other.setObjectName("quiet")
        self.other.setToolTip("List the plan with this stroke's other hand, to compare (T changes the plan itself)")
        self.other.clicked.connect(self.tried)
        self._tried: tuple[Report, int] | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._rested)
        self.follow()

    def _rested(self) -> None:
        self._tried = None
        self.refresh()

    def _exchange(self, report: Report, index: int) -> list[tuple[str, str]]:
        """What if the other hand took this stroke."""
        plan = self.session.plan
        limb = report.pattern.strokes[index].limb
        if plan is None or self.session.outdated or len(report.strokes) > MOST_STROKES or limb not in HANDS:
            return []
        if self._tried is not None and self._tried[1] == index and self._tried[0] is not report:
            self._rest.start()
            return [("other hand", "…")]
        self._tried = (report, index)
        found = if_other_hand(report, index, plan.weights)
        if found is None:
            return []
        if found.impossible:
            return [("other hand", "could not play it")]
        change = "costs the same" if abs(found.cost) < 0.05 else f"costs {decimal(abs(found.cost), '.1f')} "
        if abs(found.cost) >= 0.05:
            change += "more" if found.cost > 0 else "less"
        limit = "" if found.tempo_limit is None else f", breaks at {found.tempo_limit:.0f} BPM"
        return [("other hand", change + limit)]

    def refresh(self) -> None:
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            self.headline.setText("No stroke selected")
            facts: list[tuple[str, str]] = []
            self.other.setEnabled(False)
        else:
            self.headline.setText(f"{where(report, index)} · {stroke_title(report, index)}")
            facts = [*stroke_facts(report, index), *self._exchange(report, index)]
            self.other.setEnabled(report.strokes[index].limb in HANDS and not self.session.outdated)
        for row in range(ROWS):
            name, value = facts[row] if row < len(facts) else ("", "")
            self.names[row].setText(name)
            self.names[row].setToolTip(explained(name) if name in WORDS else "")
            self.values[row].setText(value)
            self.values[row].setToolTip(plain_tip(value))
            for widget in (self.names[row], self.values[row]):
                widget.setVisible(bool(name))
