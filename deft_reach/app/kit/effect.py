"""What the kit as it stands now does to every plan of the document."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem, QWidget

from deft_reach.app import theme
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.styled import styled
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Plan, analyse_plan
from deft_reach.core.model.kit import Kit
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.session import Session


class PlanEffects(QTableWidget):
    """One row a plan: tempo, limit, ease and findings now, and how they differ from before.

    "Before" is the document as last saved, or every plan on the kit given to ``compare_with``.
    """

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._other: Kit | None = None
        #: By plan: what it was analysed from, and the verdict; one for now and one for before.
        self._now: dict[str, tuple[object, Report | None]] = {}
        self._before: dict[str, tuple[object, Report | None]] = {}
        self._waiting: list[str] = []
        columns = ["plan", "home", "breaks at", "ease", "findings"]
        make_list(
            self, "What the kit does to the plans", columns, wide=(0,), empty="No plan is played on this kit yet."
        )
        # While something is dragged the drawings come first: the list follows a plan at a time.
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.setInterval(15)
        self._next.timeout.connect(self._do_next)
        self.cellActivated.connect(self._open)
        self.cellDoubleClicked.connect(self._open)
        session.changed.connect(self._soon)
        session.saved.connect(self._soon)
        styled(self, PlanEffects.restyle)

    def restyle(self) -> None:
        """Show the verdicts in the theme's colours; out of sight that waits until it is shown."""
        if self.isVisible():
            self.fill()

    def compare_with(self, other: Kit | None) -> None:
        """Show the differences against another kit; None for the document as saved."""
        self._other = other
        self.fill()

    def _soon(self) -> None:
        if not self.isVisible():
            return
        plans = [plan.id for plan in self.session.document.plans]
        if self.rowCount() != len(plans):
            self.fill()
            return
        # The plan in view first; the others in turn, so that none starves while a drag goes on.
        view = self.session.plan
        order = ([view.id] if view is not None else []) + self._waiting + plans
        self._waiting = [id for id in dict.fromkeys(order) if id in plans]
        if not self._next.isActive():
            self._next.start()

    def _do_next(self) -> None:
        plans = {plan.id: row for row, plan in enumerate(self.session.document.plans)}
        while self._waiting:
            id = self._waiting.pop(0)
            if id not in plans:
                continue
            plan = self.session.document.plans[plans[id]]
            fresh = self._is_fresh(plan)
            self._fill_row(plans[id], plan)
            if not fresh:
                break
        if self._waiting:
            self._next.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fill()

    def _open(self, row: int, _: int) -> None:
        item = self.item(row, 0)
        if item is not None:
            self.session.show_plan(item.data(Qt.ItemDataRole.UserRole))

    def fill(self) -> None:
        """Every row at once."""
        self._waiting = []
        plans = self.session.document.plans
        self.setRowCount(len(plans))
        for row, plan in enumerate(plans):
            self._fill_row(row, plan)

    # --- verdicts ---------------------------------------------------------------------------------------------

    def _is_fresh(self, plan: Plan) -> bool:
        known = self._now.get(plan.id)
        return known is not None and known[0] == _inputs(self.session.document, plan)

    def _verdict(
        self, document: Document, plan: Plan, kept: dict[str, tuple[object, Report | None]]
    ) -> Report | None:
        inputs = _inputs(document, plan)
        known = kept.get(plan.id)
        if known is None or known[0] != inputs:
            try:
                kept[plan.id] = (inputs, analyse_plan(document, plan))
            except StrokeTextError:
                kept[plan.id] = (inputs, None)
        return kept[plan.id][1]

    def _report_now(self, plan: Plan) -> Report | None:
        session = self.session
        if session.plan is not None and plan.id == session.plan.id:
            report = session.report if session.error is None else None
            self._now[plan.id] = (_inputs(session.document, plan), report)
            return report
        return self._verdict(session.document, plan, self._now)

    def _report_before(self, plan: Plan) -> Report | None:
        document = self.session.saved_document
        if self._other is not None:
            document = self.session.document.with_kit(replace(self._other, id="compared"))
            return self._verdict(document, replace(plan, kit="compared"), self._before)
        if document is None:
            return None
        # Today's plan on the kit and with the player as saved: only what these have changed is a difference.
        now = self.session.document
        for kit in document.kits:
            if kit.id == plan.kit:
                now = now.with_kit(kit)
        for player in document.players:
            if player.id == plan.player:
                now = now.with_player(player)
        return self._verdict(now, plan, self._before)

    def _fill_row(self, row: int, plan: Plan) -> None:
        c = theme.colours()
        report, before = self._report_now(plan), self._report_before(plan)
        cells = [plan.name, bpm(plan.tempo), "cannot be read", "", ""]
        colours = [c.ink, c.muted, c.stop, c.ink, c.ink]
        if report is not None:
            limit, ease = report.summary.tempo_limit, report.summary.ease
            serious = len(report.serious)
            cells[2] = "–" if limit is None else f"{limit:.0f} BPM"
            cells[3] = "impossible" if report.impossible else f"{ease:.0f}"
            cells[4] = str(serious) if serious else "none"
            colours[2] = c.stop if limit is not None and limit < plan.tempo else c.ink
            colours[3] = c.stop if report.impossible else c.ink
            if before is not None:
                if limit and before.summary.tempo_limit:
                    cells[2] += _difference(limit - before.summary.tempo_limit)
                if before.impossible != report.impossible:
                    cells[3] += "  (new)" if report.impossible else "  (was impossible)"
                elif not report.impossible:
                    cells[3] += _difference(ease - before.summary.ease)
                cells[4] += _difference(serious - len(before.serious))
        font = theme.ui_font(10.5, bold=self.session.plan is not None and plan.id == self.session.plan.id)
        for column, (text, colour) in enumerate(zip(cells, colours)):
            item = self.item(row, column)
            if item is None:
                item = QTableWidgetItem()
                self.setItem(row, column, item)
            if item.text() != text:
                item.setText(text)
            item.setForeground(QColor(colour))
            item.setData(Qt.ItemDataRole.UserRole, plan.id)
            item.setFont(font)


def _inputs(document: Document, plan: Plan) -> object:
    """All that a verdict depends on."""
    return plan, document.score(plan.pattern).text, document.kit(plan.kit), document.player(plan.player)


def _difference(change: float) -> str:
    rounded = round(change)
    return f"  ({rounded:+d})".replace("-", "−") if rounded else ""
