"""The list of hands as it is drawn: each row's letters stand under the strokes' own places in time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.reach.hands_rows import (
    KEPT,
    OWN,
    HandsRow,
    ease_words,
    level_words,
    limit_words,
    mostly_words,
    row_words,
    tip_words,
)
from deft_reach.app.widgets.plain_text import plain_tip

ROW: Final = Qt.ItemDataRole.UserRole
HARDEST: Final = Qt.ItemDataRole.UserRole + 1
#: Height of a row and what its words begin at, px at the usual text size.
HEIGHT: Final = 32.0
LEVEL, EASE, LIMIT, MOSTLY = 168.0, 250.0, 346.0, 440.0
USE, COMPARE = "Use", "Compare"
#: A letter's width in a row (px).
_LETTER = 9.0


class _Delegate(QStyledItemDelegate):
    def __init__(self, view: HandsList) -> None:
        super().__init__(view)
        self.view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, round(HEIGHT * theme.text_scale()))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        c, row = theme.colours(), index.data(ROW)
        rect = QRectF(QRect(option.rect))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, QColor(c.selection))
        self._facts(painter, row, rect)
        if row.report is not None:
            painter.setOpacity(0.5 if row.old else 1.0)
            self._hardness(painter, row, rect, float(index.data(HARDEST)))
            self._hands(painter, row, rect)
            painter.setOpacity(1.0)
        painter.setPen(QColor(c.grid))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.restore()

    def _facts(self, painter: QPainter, row: HandsRow, rect: QRectF) -> None:
        c, scale, y = theme.colours(), theme.text_scale(), rect.top() + rect.height() * 0.27
        links = self.view.links(row, rect)
        end = min((where.left() for where in links.values()), default=rect.right()) - 8
        impossible = row.report is not None and row.report.impossible
        ink = QColor(c.muted if row.old else c.ink)
        # Open hands are no verdict; only what cannot be played is said in red.
        level = QColor(c.stop) if impossible and not row.old else ink
        name = f"{row.name} ✓" if row.source == KEPT else row.name
        columns = (
            (10.0, LEVEL, name, theme.ui_font(10.5, True), ink),
            (LEVEL, EASE, level_words(row), theme.ui_font(10), level),
            (EASE, LIMIT, ease_words(row), theme.ui_font(10), ink),
            (LIMIT, MOSTLY, limit_words(row), theme.ui_font(10), ink),
            (MOSTLY, 0.0, mostly_words(row), theme.ui_font(10), QColor(c.muted)),
        )
        for left, right, words, font, colour in columns:
            x, until = rect.left() + left * scale, rect.left() + right * scale if right else end
            room = min(until, end) - x - 6
            if room > 12 and words:
                words = QFontMetricsF(font).elidedText(words, Qt.TextElideMode.ElideRight, room)
                label(painter, QPointF(x, y), words, font, colour, Qt.AlignmentFlag.AlignLeft)
        for words, where in links.items():
            font = theme.ui_font(10, words == USE)
            label(painter, where.center(), words, font, QColor(c.right))

    def _hardness(self, painter: QPainter, row: HandsRow, rect: QRectF, hardest: float) -> None:
        """How difficult it is, all rows on one scale; the part of what it mostly asks is darker."""
        c, report = theme.colours(), row.report
        assert report is not None
        room, y = GUTTER - 24.0, rect.top() + rect.height() * 0.72
        width = room * min(1.0, report.summary.difficulty / max(hardest, 1e-9))
        share = report.demands[0].share if report.demands else 0.0
        painter.fillRect(QRectF(rect.left() + 10, y - 4, room, 8), QColor(c.band))
        painter.fillRect(QRectF(rect.left() + 10, y - 4, width, 8), QColor(c.line))
        painter.fillRect(QRectF(rect.left() + 10, y - 4, width * share, 8), QColor(c.muted))

    def _hands(self, painter: QPainter, row: HandsRow, rect: QRectF) -> None:
        """The hands at their places in time; what differs from the plan's own stands in a box."""
        c, font = theme.colours(), theme.mono(10)
        assert row.report is not None
        pattern, axis, y = row.report.pattern, self.view.axis, rect.top() + rect.height() * 0.72
        painter.save()
        painter.setClipRect(QRectF(GUTTER - 2, rect.top(), rect.right() - GUTTER, rect.height()))
        last = -1e9
        # A hand that the plan leaves open is none that differs.
        still_open = set(row.own.pattern.unassigned) if row.own is not None else set()
        boxed = set(row.row.differs or ()) - still_open
        for stroke, start in zip(pattern.strokes, pattern.starts):
            if stroke.limb not in "RL?":
                continue
            x = axis.x(start) - self.view.viewport().x()
            if x < GUTTER - 10 or x > rect.right() + 10:
                continue
            # Two at once stand side by side, and so do those that are closer than letters are wide.
            x = max(x, last + _LETTER)
            last = x
            if stroke.index in boxed:
                painter.setPen(QPen(QColor(c.ink), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(x - 5.5, y - 7.5, 11, 15), 2, 2)
            label(painter, QPointF(x, y), stroke.limb, font, c.hand(stroke.limb))
        painter.restore()


class HandsList(QListWidget):
    """Stickings one under the other, on the weave's time axis. Each can be used and held against the plan's own."""

    #: The number of a row that is to be the plan's, or to be drawn beside what is chosen.
    used = Signal(int)
    compared = Signal(int)
    #: The row that is chosen is to be kept no longer.
    dropped = Signal()

    def __init__(self, axis: TimeAxis) -> None:
        super().__init__()
        self.axis = axis
        self.setAccessibleName("Hands: the plan's own first, then others, the easiest first")
        self.setItemDelegate(_Delegate(self))
        self.setFrameShape(QListWidget.Shape.NoFrame)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        axis.changed.connect(lambda: self.viewport().update())
        self.itemActivated.connect(lambda item: self.used.emit(self.row(item)))

    @property
    def rows(self) -> list[HandsRow]:
        return [self.item(k).data(ROW) for k in range(self.count())]

    def fill(self, rows: Sequence[HandsRow]) -> None:
        """Show other rows; what was chosen stays so if it is still there, else the plan's own is."""
        now = self.currentRow()
        chosen = self.item(now).data(ROW).text if now > 0 else None
        hardest = max((r.report.summary.difficulty for r in rows if r.report is not None), default=1.0)
        while self.count() > len(rows):
            self.takeItem(self.count() - 1)
        while self.count() < len(rows):
            self.addItem(QListWidgetItem())
        for k, row in enumerate(rows):
            item = self.item(k)
            item.setData(ROW, row)
            item.setData(HARDEST, hardest)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, row_words(row))
            item.setToolTip(plain_tip(tip_words(row)))
        at = next((k for k, row in enumerate(rows) if k and row.text == chosen), 0)
        if rows:
            self.setCurrentRow(at)
        self.viewport().update()

    def mark_old(self) -> None:
        """Mark all rows but the plan's own as of another state, until the list is filled again."""
        for k in range(1, self.count()):
            row = self.item(k).data(ROW)
            if not row.old:
                self.item(k).setData(ROW, row._replace(old=True))

    def links(self, row: HandsRow, rect: QRectF) -> dict[str, QRectF]:
        """What can be pressed in a row, and where."""
        if row.source == OWN or row.old or row.report is None:
            return {}
        scale, height = theme.text_scale(), rect.height() * 0.54
        use = QRectF(rect.right() - 42 * scale, rect.top(), 38 * scale, height)
        compare = QRectF(use.left() - 66 * scale, rect.top(), 62 * scale, height)
        return {COMPARE: compare, USE: use}

    def link_at(self, at: QPointF) -> tuple[str, int]:
        """What is pressed at a point, and in which row; empty for nothing."""
        index = self.indexAt(at.toPoint())
        if index.isValid():
            for words, where in self.links(index.data(ROW), QRectF(self.visualRect(index))).items():
                if where.contains(at):
                    return words, index.row()
        return "", -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        # A link acts when it is let go; it does not choose its row first.
        if not self.link_at(event.position())[0]:
            super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        link, row = self.link_at(event.position())
        if link and event.button() == Qt.MouseButton.LeftButton:
            (self.used if link == USE else self.compared).emit(row)
        else:
            super().mouseReleaseEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        shape = Qt.CursorShape
        over = self.link_at(event.position())[0]
        self.viewport().setCursor(shape.PointingHandCursor if over else shape.ArrowCursor)
        super().mouseMoveEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_C and not event.modifiers() and self.currentRow() > 0:
            self.compared.emit(self.currentRow())
        elif event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self.dropped.emit()
        else:
            super().keyPressEvent(event)
