"""What is selected in a plan, and where it is being played."""

from __future__ import annotations

from deft_reach.core.analysis.explained import Demand
from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.kit import Kit
from deft_reach.core.session.signals import Signal


class Selection:
    """The selected stroke, finding and piece, and the playing position.

    Signals: ``selected`` when one of the first three changes, ``moved`` when the playing position has changed.
    """

    def __init__(self) -> None:
        self.selected = Signal()
        self.moved = Signal()
        self._stroke: int | None = None
        self._finding: Finding | None = None
        self._demand: Demand | None = None
        self._piece: str | None = None
        self._position: float | None = None

    @property
    def report(self) -> Report | None:
        """What strokes and findings are selected in."""
        raise NotImplementedError

    @property
    def kit(self) -> Kit:
        """The kit whose pieces can be selected."""
        raise NotImplementedError

    @property
    def stroke(self) -> int | None:
        """Index of the selected stroke."""
        return self._stroke

    @property
    def finding(self) -> Finding | None:
        return self._finding

    @property
    def demand(self) -> Demand | None:
        """The demand of the report in view that is selected."""
        return self._demand if self.report is not None and self._demand in self.report.demands else None

    @property
    def piece(self) -> str | None:
        """Code of the selected piece."""
        return self._piece

    @property
    def position(self) -> float | None:
        """Where the plan is being played (whole notes), None while it is not."""
        return self._position

    def set_position(self, position: float | None) -> None:
        if position != self._position:
            self._position = position
            self.moved.emit()

    def select_stroke(self, index: int | None) -> None:
        """Select a stroke by its index, or none; the nearest one where there are fewer."""
        count = len(self.report.strokes) if self.report else 0
        if index is not None:
            index = max(0, min(index, count - 1)) if count else None
        if index != self._stroke or self._finding is not None or self._demand is not None:
            self._stroke, self._finding, self._demand = index, None, None
            self.selected.emit()

    def step_stroke(self, by: int) -> None:
        """Select the stroke so many further on; from nothing, the first or last one."""
        if self._stroke is None:
            self.select_stroke(0 if by > 0 else 10**9)
        else:
            self.select_stroke(self._stroke + by)

    def select_finding(self, finding: Finding | None) -> None:
        """Select a finding and its first stroke."""
        if finding is not None and (finding != self._finding or self._demand is not None):
            self._finding, self._demand = finding, None
            self._stroke = finding.strokes[0]
            self.selected.emit()

    def select_demand(self, demand: Demand) -> None:
        """Select a demand and its first stroke."""
        self._finding, self._demand = None, demand
        self._stroke = demand.strokes[0]
        self.selected.emit()

    def step_finding(self, by: int) -> None:
        """Go to the next or previous finding, round and round."""
        findings = self.report.findings if self.report else ()
        if not findings:
            return
        if self._finding in findings:
            at = findings.index(self._finding) + by
        else:
            at = 0 if by > 0 else len(findings) - 1
        self.select_finding(findings[at % len(findings)])

    def select_piece(self, code: str | None) -> None:
        if code != self._piece:
            self._piece = code
            self.selected.emit()

    def _select_first(self) -> None:
        """A new pattern comes up with something worth seeing: its worst finding, or else its first stroke."""
        if self.report and self.report.strokes:
            serious = self.report.serious
            self._stroke = serious[0].strokes[0] if serious else 0

    def _clear_selection(self) -> None:
        self._stroke = self._finding = self._demand = self._piece = None

    def _clamp(self) -> None:
        """Keep of the selection what there still is."""
        count = len(self.report.strokes) if self.report else 0
        if self._stroke is not None and self._stroke >= count:
            self._stroke = count - 1 if count else None
        if self._finding is not None and self.report:
            same = [f for f in self.report.said if (f.kind, f.strokes) == (self._finding.kind, self._finding.strokes)]
            self._finding = same[0] if same else None
        if self._piece is not None and self._piece not in self.kit:
            self._piece = None
