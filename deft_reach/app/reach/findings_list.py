"""What happens: the findings as a list that reads well aloud and selects the strokes it speaks of."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QHideEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QShowEvent,
    QTextLayout,
    QTextOption,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.background.drag_pace import DragPace
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.text import units
from deft_reach.app.text.explanations import explained
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled, styled
from deft_reach.core.analysis.finding import FINDING_NAMES, Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView

FINDING = Qt.ItemDataRole.UserRole
#: What was found to remove it, in words.
REMEDIES = Qt.ItemDataRole.UserRole + 1
#: What becomes of it if the offer is used: GONE, NEW, or nothing.
CHANGE = Qt.ItemDataRole.UserRole + 2
GONE, NEW = "gone, if the offer is used", "new, if the offer is used"
_LEFT = 34
#: So many rows are laid out at a time.
BATCH = 25
#: Heights of so many rows are kept.
MOST_HEIGHTS = 4096


class _Delegate(QStyledItemDelegate):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        #: By width, text size and what is written: a list is laid out again after every edit.
        self._heights: dict[object, float] = {}

    def _layout(self, text: str, font: QFont, width: float) -> tuple[QTextLayout, float]:
        layout = QTextLayout(text, font)
        option = QTextOption()
        option.setWrapMode(QTextOption.WrapMode.WordWrap)
        layout.setTextOption(option)
        layout.beginLayout()
        height = 0.0
        while (line := layout.createLine()).isValid():
            line.setLineWidth(width)
            line.setPosition(QPointF(0, height))
            height += line.height()
        layout.endLayout()
        return layout, height

    def _rows(
        self, finding: Finding, remedies: str | None, chosen: bool, change: str | None
    ) -> list[tuple[str, float, str]]:
        """What is written of a finding: text, size and colour of each part."""
        rows = [(units.text_of(finding.said), 10.5, "muted" if change == GONE else "ink")]
        if change:
            rows.append((change, 10.0, "muted" if change == GONE else "caution"))
        if chosen and (remedies or finding.advised):
            # What was checked takes the place of what usually helps.
            rows.append((remedies or units.text_of(finding.advised), 10.0, "muted"))
        return rows

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        view = option.widget
        assert isinstance(view, QListWidget)
        width = view.viewport().width() - _LEFT - 12
        chosen = view.currentRow() == index.row()
        rows = self._rows(index.data(FINDING), index.data(REMEDIES), chosen, index.data(CHANGE))
        key = (width, theme.text_scale(), *((text, size) for text, size, _ in rows))
        height = self._heights.get(key)
        if height is None:
            if len(self._heights) > MOST_HEIGHTS:
                self._heights.clear()
            height = sum(self._layout(text, theme.ui_font(size), width)[1] for text, size, _ in rows)
            self._heights[key] = height
        return QSize(view.viewport().width(), int(height + 12))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        c = theme.colours()
        finding: Finding = index.data(FINDING)
        rect: QRect = option.rect
        view = option.widget
        # As its height is found, whatever is selected meanwhile: nothing is written over the next row.
        chosen = isinstance(view, QListWidget) and view.currentRow() == index.row()
        painter.save()
        painter.setClipRect(rect)
        if bool(option.state & QStyle.StateFlag.State_Selected):
            painter.fillRect(rect, QColor(c.selection))
        theme.draw_severity(painter, finding.severity, QPointF(rect.left() + 17, rect.top() + 15), 7)
        y = rect.top() + 5.0
        for text, size, colour in self._rows(finding, index.data(REMEDIES), chosen, index.data(CHANGE)):
            layout, height = self._layout(text, theme.ui_font(size), rect.width() - _LEFT - 12)
            painter.setPen(QColor(getattr(c, colour)))
            layout.draw(painter, QPointF(rect.left() + _LEFT, y))
            y += height
        painter.setPen(QColor(c.grid))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()


class _Item(QListWidgetItem):
    """A finding in words, put together when they are asked for: of a long plan hardly any are."""

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.setData(FINDING, finding)

    def data(self, role: int) -> Any:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return super().data(role)
        finding: Finding = super().data(FINDING)
        words = f"{finding.severity.capitalize()}, {FINDING_NAMES[finding.kind]}: {units.text_of(finding.said)}"
        if role == Qt.ItemDataRole.DisplayRole:
            return words
        if super().data(CHANGE):
            words = f"{words} ({super().data(CHANGE)})"
        return f"{words} {super().data(REMEDIES) or units.text_of(finding.advised)}"


class FindingsList(QListWidget):
    """The findings, the most serious first; the chosen one shows what would help.

    As long as something is offered, what would be gone and what would be new says so.
    """

    def __init__(self, session: Session, offer: CandidateView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.offer = session, offer
        self.setAccessibleName("What happens: findings")
        self.setItemDelegate(_Delegate(self))
        self.setFrameShape(QListWidget.Shape.NoFrame)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setBatchSize(BATCH)
        self.setMinimumHeight(60)
        self._filling = False
        #: The findings that are listed, or will be once the list is shown; and what removes some of them.
        self._findings: list[tuple[Finding, str]] = []
        self._remedies: list[tuple[Finding, str]] = []
        self.currentRowChanged.connect(self._choose)
        self._pace = DragPace(self, lambda: self.fill())
        session.verdict.connect(self._pace.ask)
        offer.verdict.connect(self._pace.ask)
        offer.shown.connect(self._pace.ask)
        styled(self, FindingsList.restyle)
        session.selected.connect(self._follow)
        self.fill()

    def restyle(self) -> None:
        """Write the findings again: they have lengths in them."""
        self._empty()
        self.fill()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fill()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        # Nothing is laid out any more where nobody sees it.
        self._empty()

    def _empty(self) -> None:
        self._filling = True
        self.clear()
        self._filling = False

    def fill(self) -> None:
        """Show the findings as they are now; out of sight that waits until they are shown."""
        report = self.session.report
        findings = [] if report is None else _compared(report, self.offer.report if self.offer.active else None)
        other = findings != self._findings
        if [finding for finding, change in findings if change != NEW] != [
            finding for finding, change in self._findings if change != NEW
        ]:
            self._remedies.clear()
        self._findings = findings
        if not self.isVisible():
            return
        if other or self.count() != len(findings):
            self._filling = True
            place = self.verticalScrollBar().value()
            self.clear()
            # A long list is laid out a part at a time.
            self.setLayoutMode(QListWidget.LayoutMode.Batched)
            for finding, change in findings:
                item = _Item(finding)
                item.setData(CHANGE, change)
                words = next((words for eased, words in self._remedies if eased == finding), None)
                if words is not None:
                    item.setData(REMEDIES, words)
                self.addItem(item)
            self.verticalScrollBar().setValue(place)
            self._filling = False
        self._follow()

    def show_remedies(self, finding: Finding, words: str) -> None:
        """Say below a finding what was found to remove it, until the verdict is another one."""
        self._remedies = [(eased, said) for eased, said in self._remedies if eased != finding]
        self._remedies.append((finding, words))
        for row in range(self.count()):
            item = self.item(row)
            if item.data(FINDING) == finding:
                item.setData(REMEDIES, words)
                self.scheduleDelayedItemsLayout()
                self.scrollToItem(item)

    def _choose(self, row: int) -> None:
        self.scheduleDelayedItemsLayout()
        if not self._filling and 0 <= row < self.count():
            self._select(self.item(row))

    def _select(self, item: QListWidgetItem) -> None:
        """Select what a row speaks of: what would be new is selected in the offer."""
        view = self.offer if item.data(CHANGE) == NEW else self.session
        view.select_finding(item.data(FINDING))

    def _follow(self) -> None:
        """Show which finding is chosen, without choosing it again."""
        self._filling = True
        rows = [i for i in range(self.count()) if self.item(i).data(FINDING) == self.session.finding]
        if rows:
            self.setCurrentRow(rows[0])
            if not self.visualItemRect(self.item(rows[0])).isValid():
                # Its place is not known yet, so the whole list is laid out now.
                self.setLayoutMode(QListWidget.LayoutMode.SinglePass)
                self.doItemsLayout()
            self.scrollToItem(self.item(rows[0]))
        else:
            self.setCurrentRow(-1)
            self.clearSelection()
        self._filling = False

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        item = self.itemAt(event.position().toPoint())
        if item is not None:
            self._select(item)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.count() == 0:
            painter = QPainter(self.viewport())
            painter.setPen(QColor(theme.colours().muted))
            painter.setFont(theme.ui_font(10.5))
            report = self.session.report
            words = (
                "Nothing to watch out for."
                if report is not None and report.strokes
                else "Findings appear here once there are strokes."
            )
            painter.drawText(
                QRectF(self.viewport().rect()).adjusted(12, 8, -12, -8),
                int(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap),
                words,
            )
            painter.end()


def _compared(report: Report, after: Report | None) -> list[tuple[Finding, str]]:
    """The findings, and beside what is offered what becomes of them.

    Stops first, then cautions; among those alike the earlier first.
    """
    rows = [(finding, "") for finding in report.said]
    if after is not None:
        kept, found = _places(report), _places(after)
        rows = [(finding, "" if place in found else GONE) for place, finding in zip(kept, report.said)]
        rows += [(finding, NEW) for place, finding in zip(found, after.said) if place not in kept]
    return sorted(rows, key=lambda row: -row[0].severity.rank)


def _places(report: Report) -> list[tuple[str, str, float]]:
    """Of every finding its kind, how serious it is, and where it begins."""
    strokes = report.pattern.strokes
    return [(f.kind, f.severity, float(strokes[f.strokes[0]].start)) for f in report.said]


class SeverityLegend(QWidget):
    """The three marks and their names, on one line; what they mean is under the pointer."""

    WORDS = (("stop", "cannot be played"), ("caution", "nothing to spare"), ("note", "worth knowing"))

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("; ".join(f"{name}: {words}" for name, words in self.WORDS))
        self.setToolTip(plain_tip("\n".join(explained(name) for name, _ in self.WORDS)))
        set_scaled(self, QWidget.setFixedHeight, 20)
        set_scaled(self, QWidget.setFixedWidth, 182)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = sheet_painter(self)
        x, y, font = 12.0, self.height() / 2, theme.ui_font(9)
        for name, _ in self.WORDS:
            theme.draw_severity(painter, name, QPointF(x + 5, y), 4.6)
            box = label(
                painter, QPointF(x + 15, y), name, font, QColor(theme.colours().muted),
                Qt.AlignmentFlag.AlignLeft,
            )  # fmt: skip
            x = box.right() + 10
        painter.end()
