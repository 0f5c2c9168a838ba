"""The candidate tray: the plan's own sticking and those kept beside it, one under the other."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QAction, QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
)

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.reach.cost_bar import term_colour
from deft_reach.app.reach.cost_legend import CostLegend
from deft_reach.app.shell.station import Listener, Offer
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.analysis.explained import MOSTLY
from deft_reach.core.analysis.report import Report, serious_words
from deft_reach.core.document import Candidate
from deft_reach.core.model.counting import counted
from deft_reach.core.motion.cost import TERM_NAMES, TERMS
from deft_reach.core.search.candidates import PARTS, Row, compare, part_of
from deft_reach.core.session import Session
from deft_reach.core.session.stickings import MOST

ROW = Qt.ItemDataRole.UserRole
HIGHEST = Qt.ItemDataRole.UserRole + 1
_LEAD = {"R": "right leads", "L": "left leads", None: "no hand leads"}
_BAR = 116.0


def row_words(row: Row) -> str:
    """A sticking and its verdict in one line."""
    if row.report is None:
        return f"{row.candidate.name}: cannot be read on this kit"
    return f"{row.candidate.name}: {', '.join(facts(row.report))}; {differs_words(row)}"


def facts(report: Report) -> list[str]:
    s = report.summary
    limit = "no limit" if s.tempo_limit is None else f"breaks at {s.tempo_limit:.0f} BPM"
    return [
        "impossible" if report.impossible else f"{s.level or 'hands open'}, ease {s.ease:.0f}",
        *(f"mostly {MOSTLY[row.kind]}" for row in report.demands[:1]),
        f"cost {decimal(s.cost, '.1f')}",
        *([] if report.impossible else [limit]),
        serious_words(report) or "no cautions",
        _LEAD[s.lead],
    ]


def differs_words(row: Row) -> str:
    if row.differs is None:
        return "other strokes"
    if row.differs:
        return counted(len(row.differs), "stroke differs", "strokes differ")
    return f"other marks on {counted(len(row.marked), 'stroke')}" if row.marked else "the plan's own"


class _Delegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, round(43 * theme.text_scale()))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        c, row = theme.colours(), index.data(ROW)
        rect = QRectF(QRect(option.rect))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, QColor(c.selection))
        left, first, second = rect.left() + 10, rect.top() + rect.height() * 0.29, rect.top() + rect.height() * 0.72
        align = Qt.AlignmentFlag.AlignLeft
        name = label(
            painter, QPointF(left, first), row.candidate.name, theme.ui_font(10.5, True), QColor(c.ink), align
        )
        words = " · ".join(facts(row.report)) if row.report is not None else "cannot be read on this kit"
        font, room = theme.ui_font(10), rect.right() - 8 - (name.right() + 12)
        words = QFontMetricsF(font).elidedText(words, Qt.TextElideMode.ElideRight, max(room, 0.0))
        label(painter, QPointF(name.right() + 12, first), words, font, QColor(c.muted), align)
        if row.report is not None:
            self._bar(painter, row.report, QRectF(left, second - 5, _BAR, 10), float(index.data(HIGHEST)))
            self._hands(painter, row, left + _BAR + 12, second, rect.right() - 6)
        painter.setPen(QColor(c.grid))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()

    def _bar(self, painter: QPainter, report: Report, room: QRectF, highest: float) -> None:
        """Cost by term; all bars share one scale, so that their lengths can be compared."""
        x = room.left()
        for term in TERMS:
            width = room.width() * report.summary.terms[term] / max(highest, 1e-9)
            painter.fillRect(QRectF(x, room.top(), max(width - 0.6, 0.0), room.height()), term_colour(term))
            x += width

    def _hands(self, painter: QPainter, row: Row, left: float, y: float, right: float) -> None:
        """The limbs in their order; what differs from the plan's own stands in a box."""
        c, font = theme.colours(), theme.mono(10)
        assert row.report is not None
        x = left
        for stroke in row.report.pattern.strokes:
            if stroke.limb not in "RL?":
                continue
            if x + 9 > right:
                label(painter, QPointF(x, y), "…", font, QColor(c.muted), Qt.AlignmentFlag.AlignLeft)
                break
            if row.differs is not None and stroke.index in row.differs:
                painter.setPen(QPen(QColor(c.ink), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(x - 1.5, y - 8, 11, 16), 2, 2)
            label(painter, QPointF(x + 4, y), stroke.limb, font, c.hand(stroke.limb))
            x += 11


class Tray(Listener):
    """Keep, name, compare and use stickings. The first row is the plan as it stands."""

    #: Another sticking is chosen: see ``offer``.
    offered = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(2)
        self.list = QListWidget()
        self.list.setAccessibleName("Candidate tray: stickings side by side")
        self.list.setItemDelegate(_Delegate(self.list))
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.list, 1)
        self.legend = CostLegend()
        column.addWidget(self.legend)
        low = QHBoxLayout()
        low.setContentsMargins(10, 0, 8, 0)
        self.words = PlainLabel()
        self.words.setObjectName("hint")
        low.addWidget(self.words, 1)
        self.keep = QPushButton("Keep the plan's own")
        self.name = QPushButton("Name…")
        self.drop = QPushButton("Drop")
        self.part = QPushButton("Use part")
        self.part.setToolTip("Take over only some of its strokes, counted from the selected one")
        self.parts = QMenu(self)
        self.parts.aboutToShow.connect(self._fill_parts)
        self.part.setMenu(self.parts)
        self.use = QPushButton("Use it")
        for button in (self.keep, self.name, self.drop, self.part, self.use):
            button.setObjectName("quiet")
            low.addWidget(button)
        column.addLayout(low)
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.list.itemActivated.connect(lambda _: self._use())
        self.list.itemClicked.connect(lambda _: self.offered.emit())
        self.keep.clicked.connect(self._keep)
        self.name.clicked.connect(self._name)
        self.drop.clicked.connect(lambda: self.session.stickings.drop(self.list.currentRow() - 1))
        self.use.clicked.connect(self._use)
        self._shown: object = None
        self.follow()

    @property
    def rows(self) -> list[Row]:
        return [self.list.item(k).data(ROW) for k in range(self.list.count())]

    def refresh(self) -> None:
        session = self.session
        plan, pattern = session.plan, session.pattern()
        key = (plan, session.kit, session.player, session.text)
        if key != self._shown:
            self._shown = key
            at = self.list.currentRow()
            self.list.clear()
            if plan is not None and pattern is not None:
                own = Candidate("as it stands", session.text)
                rows = compare(
                    (own, *session.stickings.candidates), pattern, session.kit, session.player, plan.tempo,
                    plan.repeat, plan.weights,
                )  # fmt: skip
                highest = max((r.report.summary.cost for r in rows if r.report is not None), default=1.0)
                for row in rows:
                    item = QListWidgetItem()
                    item.setData(ROW, row)
                    item.setData(HIGHEST, highest)
                    item.setData(Qt.ItemDataRole.AccessibleTextRole, row_words(row))
                    item.setToolTip(self._cost_words(row))
                    self.list.addItem(item)
                self.list.setCurrentRow(min(max(at, 0), self.list.count() - 1))
        self._show()

    @staticmethod
    def _cost_words(row: Row) -> str:
        if row.report is None:
            return ""
        terms = row.report.summary.terms
        lines = [f"{TERM_NAMES[t]} {decimal(terms[t], '.2f')}" for t in TERMS if terms[t] > 0.005]
        return "\n".join([row_words(row), *lines])

    def _show(self) -> None:
        row = self.list.currentRow()
        rows = self.rows
        kept = 0 < row < len(rows)
        same = kept and rows[row].differs is not None
        self.keep.setEnabled(bool(rows) and len(self.session.stickings.candidates) < MOST)
        for button in (self.name, self.drop, self.use):
            button.setEnabled(kept)
        self.part.setEnabled(same and self.session.stroke is not None)
        if len(rows) < 2:
            self.words.setText("Keep stickings here, from Other hands or as they stand, and compare them.")
        else:
            self.words.setText(differs_words(rows[row]) if 0 <= row < len(rows) else "")
        self.legend.show_rows(rows)
        self.offered.emit()

    def offer(self) -> Offer | None:
        """The chosen sticking, to be drawn and heard; None for the plan as it stands."""
        row = self.list.currentRow()
        rows = self.rows
        if not 0 < row < len(rows) or rows[row].report is None:
            return None
        return Offer(rows[row].candidate.name, rows[row].candidate.text)

    def _keep(self) -> None:
        self.session.stickings.keep(f"sticking {len(self.session.stickings.candidates) + 1}", self.session.text)

    def _name(self) -> None:
        row = self.list.currentRow()
        name, done = QInputDialog.getText(
            self, "Name", "What is this sticking called?", text=self.rows[row].candidate.name
        )
        if done:
            self.session.stickings.rename_candidate(row - 1, name)

    def _use(self) -> None:
        if self.list.currentRow() > 0:
            self.session.stickings.use(self.list.currentRow() - 1)

    def _fill_parts(self) -> None:
        """The parts there are at the selected stroke."""
        self.parts.clear()
        pattern = self.session.pattern()
        for part, words in PARTS.items():
            if pattern is not None and part_of(pattern, part, self.session.stroke):
                action = QAction(words, self.parts)
                action.triggered.connect(lambda _=False, p=part: self._use_part(p))
                self.parts.addAction(action)

    def _use_part(self, part: str) -> None:
        pattern = self.session.pattern()
        if pattern is not None:
            self.session.stickings.use(self.list.currentRow() - 1, part_of(pattern, part, self.session.stroke))
