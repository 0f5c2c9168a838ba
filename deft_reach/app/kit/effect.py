"""What the kit as it stands now does to every plan of the document."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem, QWidget

from deft_reach.app import theme
from deft_reach.app.tables import make_list
from deft_reach.core.document import Document, Plan, analyse_plan
from deft_reach.core.report import Report
from deft_reach.core.session import Session
from deft_reach.core.stroke_text import StrokeTextError


class PlanEffects(QTableWidget):
    """One row a plan: ease and limit now, and how they differ from the kit as last saved."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._base: Document | None = None
        self._before: dict[str, Report | None] = {}
        make_list(self, "What the kit does to the plans", ["plan", "home", "breaks at", "ease"], wide=(0,))
        # While something is dragged the drawings come first; the list follows a moment later.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(120)
        self._later.timeout.connect(self.fill)
        self.cellActivated.connect(self._open)
        self.cellDoubleClicked.connect(self._open)
        session.changed.connect(self._soon)
        session.saved.connect(self._soon)

    def _soon(self) -> None:
        if self.isVisible() and not self._later.isActive():
            self._later.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fill()

    def _open(self, row: int, _: int) -> None:
        self.session.show_plan(self.item(row, 0).data(Qt.ItemDataRole.UserRole))

    def fill(self) -> None:
        c = theme.colours()
        base = self.session.saved_document
        if base is not self._base:
            self._base, self._before = base, {}
        rows = self.session.verdicts()
        self.setRowCount(len(rows))
        for row, (plan, report) in enumerate(rows):
            before = self._report_before(plan)
            cells = [plan.name, f"{plan.tempo:g} BPM", "cannot be read", ""]
            colours = [c.ink, c.muted, c.stop, c.ink]
            if report is not None:
                limit, ease = report.summary.tempo_limit, report.summary.ease
                cells[2] = "–" if limit is None else f"{limit:.0f} BPM"
                cells[3] = "impossible" if report.impossible else f"{ease:.0f}"
                colours[2] = c.stop if limit is not None and limit < plan.tempo else c.ink
                colours[3] = c.stop if report.impossible else c.ink
                if before is not None and limit and before.summary.tempo_limit:
                    cells[2] += _difference(limit - before.summary.tempo_limit)
                if before is not None and not report.impossible:
                    cells[3] += _difference(ease - before.summary.ease)
            for column, (text, colour) in enumerate(zip(cells, colours)):
                item = self.item(row, column)
                if item is None:
                    item = QTableWidgetItem()
                    self.setItem(row, column, item)
                item.setText(text)
                item.setForeground(QColor(colour))
                item.setData(Qt.ItemDataRole.UserRole, plan.id)
                font = theme.ui_font(10.5, bold=self.session.plan is not None and plan.id == self.session.plan.id)
                item.setFont(font)

    def _report_before(self, plan: Plan) -> Report | None:
        if self._base is None:
            return None
        if plan.id not in self._before:
            report = None
            try:
                if any(p.id == plan.id for p in self._base.plans):
                    report = analyse_plan(self._base, self._base.plan(plan.id))
            except (StrokeTextError, KeyError):
                report = None
            self._before[plan.id] = report
        return self._before[plan.id]


def _difference(change: float) -> str:
    rounded = round(change)
    return f"  ({rounded:+d})".replace("-", "−") if rounded else ""
