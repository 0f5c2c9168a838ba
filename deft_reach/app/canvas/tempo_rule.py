"""The tempo rule: home tempo, limit, and every stroke's own limit piling up near the edge."""

from __future__ import annotations

import math
from collections import Counter

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas, Same, label
from deft_reach.app.canvas.explain import stroke_title, where
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.analysis.report import Report
from deft_reach.core.session import Session
from deft_reach.core.session.plan_view import PlanView

SIDE = 26.0
RULE_UP = 22.0


class TempoRule(Canvas):
    """A horizontal rule of tempi."""

    #: It changes what it shows.
    picked = Signal(int)

    def __init__(self, session: PlanView, parent: QWidget | None = None) -> None:
        self._dragging = False
        self._range = (60.0, 200.0)
        #: The marks, and what they were stacked for.
        self._marked: tuple[object, list[tuple[float, float, int]]] = (None, [])
        super().__init__(session, "Tempo rule", parent)
        set_scaled(self, QWidget.setMinimumHeight, 78, least=1.0)
        self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(640, 78)

    def refresh(self) -> None:
        if not self._dragging:
            self._range = self._find_range()
        super().refresh()

    def _find_range(self) -> tuple[float, float]:
        plan, report = self.session.plan, self.session.report
        tempo = plan.tempo if plan is not None else 100.0
        limit = report.summary.tempo_limit if report is not None else None
        low = min(tempo, limit or tempo) * 0.75
        high = max(tempo * 1.4, (limit or tempo) * 2.2)
        return math.floor(low / 10) * 10.0, math.ceil(high / 10) * 10.0

    def x_at(self, bpm: float) -> float:
        low, high = self._range
        return SIDE + (bpm - low) / (high - low) * (self.width() - 2 * SIDE)

    def bpm(self, x: float) -> float:
        low, high = self._range
        return low + (x - SIDE) / (self.width() - 2 * SIDE) * (high - low)

    @property
    def rule_y(self) -> float:
        return self.height() - RULE_UP

    def marks(self) -> list[tuple[float, float, int]]:
        """Each stroke's limit as (x, height it is stacked at, index); those beyond the rule pile up at its end."""
        report = self.session.report
        if report is None:
            return []
        key = (Same(report), self._range, self.width(), self.height())
        if key != self._marked[0]:
            self._marked = key, self._stack(report)
        return self._marked[1]

    def _stack(self, report: Report) -> list[tuple[float, float, int]]:
        high = self._range[1]
        limits = sorted(
            (limit, i) for i, limit in enumerate(report.strokes.tempo_limits()) if limit is not None and limit <= high
        )
        columns = [round(self.x_at(limit) / 5) for limit, _ in limits]
        rise = min(7.0, 31.0 / max(Counter(columns).values(), default=1))
        heights: Counter[int] = Counter()
        found = []
        for column, (_, i) in zip(columns, limits):
            found.append((column * 5.0, self.rule_y - 2 - heights[column] * rise, i))
            heights[column] += 1
        return found

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        plan = self.session.plan
        if plan is None:
            return
        if abs(self.x_at(plan.tempo) - event.position().x()) <= 9 or event.position().y() >= self.rule_y - 1:
            self._dragging = True
            self._drag_to(event)
            return
        near = [(math.hypot(x - event.position().x(), y - event.position().y()), i) for x, y, i in self.marks()]
        if near and min(near)[0] < 12:
            self.session.select_stroke(min(near)[1])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._drag_to(event)
            return
        plan, report = self.session.plan, self.session.report
        grab = plan is not None and abs(self.x_at(plan.tempo) - event.position().x()) <= 9
        self.setCursor(Qt.CursorShape.SizeHorCursor if grab else Qt.CursorShape.ArrowCursor)
        near = [(math.hypot(x - event.position().x(), y - event.position().y()), i) for x, y, i in self.marks()]
        if report is not None and near and min(near)[0] < 8:
            i = min(near)[1]
            limit = report.strokes[i].tempo_limit
            text = f"{where(report, i)}: {stroke_title(report, i)} breaks at {limit:.0f} BPM"
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(text), self)

    def _drag_to(self, event: QMouseEvent) -> None:
        bpm = min(self._range[1], max(self._range[0], round(self.bpm(event.position().x()))))
        self._set_tempo(float(bpm))

    def _set_tempo(self, bpm: float) -> None:
        """Set the home tempo, where that is not only looked at."""
        if isinstance(self.session, Session):
            self.session.plans.set_tempo(bpm)
        else:
            self.session.refused.emit()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            if isinstance(self.session, Session):
                self.session.end_merge()
            self.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        plan = self.session.plan
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 5, Qt.Key.Key_PageDown: -5}
        step = steps.get(Qt.Key(event.key()))
        if plan is not None and step is not None:
            self._set_tempo(plan.tempo + step)
            return
        super().keyPressEvent(event)

    def in_words(self) -> str:
        plan, report = self.session.plan, self.session.report
        if plan is None or report is None:
            return ""
        s = report.summary
        if s.tempo_limit is None or s.headroom is None or s.bottleneck is None:
            return f"Home tempo {bpm(plan.tempo)}. No stroke sets a limit."
        in_way = sum(1 for limit in report.strokes.tempo_limits() if limit is not None and limit < plan.tempo)
        return (
            f"Home tempo {bpm(plan.tempo)}, breaks at {s.tempo_limit:.0f} BPM, headroom {s.headroom * 100:.0f} %. "
            f"{in_way} strokes have no time at the home tempo. The tightest: {where(report, s.bottleneck)}, "
            f"{stroke_title(report, s.bottleneck)}."
        )

    def draw(self, painter: QPainter) -> None:
        # Long: a drawing from the back to the front.
        c = theme.colours()
        plan, report = self.session.plan, self.session.report
        if plan is None or report is None:
            self.empty(painter, "The tempo rule fills once there are strokes.")
            return
        low, high = self._range
        limit = report.summary.tempo_limit
        y = self.rule_y
        if limit is not None:
            room = QColor(c.good)
            room.setAlphaF(0.14)
            over = QColor(c.stop)
            over.setAlphaF(0.1)
            painter.fillRect(QRectF(QPointF(self.x_at(low), y - 30), QPointF(self.x_at(min(limit, high)), y)), room)
            painter.fillRect(QRectF(QPointF(self.x_at(min(limit, high)), y - 30), QPointF(self.x_at(high), y)), over)
        painter.setPen(QPen(QColor(c.ink), 1.3))
        painter.drawLine(QPointF(self.x_at(low), y), QPointF(self.x_at(high), y))
        step = 10 if high - low <= 260 else 20 if high - low <= 600 else 50
        # From the first round number on: only those are named.
        bpm = math.ceil(low / step) * step
        while bpm <= high:
            x = self.x_at(bpm)
            long = bpm % (step * 2) == 0
            painter.setPen(QPen(QColor(c.ink), 1))
            painter.drawLine(QPointF(x, y), QPointF(x, y + (6 if long else 3)))
            if long:
                label(painter, QPointF(x, y + 13), f"{bpm:.0f}", theme.lettering(9), QColor(c.muted))
            bpm += step
        drawn: set[tuple[float, int, str]] = set()
        for x, top, i in self.marks():
            limb = report.pattern.strokes[i].limb
            mark = (x, round(2 * top), limb)
            # Of a long plan thousands lie on each other: one of them is seen.
            if mark in drawn and i != self.session.stroke:
                continue
            drawn.add(mark)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(c.hand(limb))
            if i == self.session.stroke:
                painter.setPen(QPen(QColor(c.ink), 1.5))
                painter.drawRect(QRectF(x - 3, top - 6, 6, 7))
            else:
                painter.drawRect(QRectF(x - 2, top - 5, 4, 5.5))
        beyond = sum(1 for limit in report.strokes.tempo_limits() if limit is not None and limit > high)
        if beyond:
            label(
                painter,
                QPointF(self.width() - SIDE - 2, y - 22),
                f"+{beyond} easier",
                theme.lettering(9),
                QColor(c.muted),
                Qt.AlignmentFlag.AlignRight,
            )
        home = self.x_at(plan.tempo)
        if limit is not None:
            self._draw_limit(painter, c, report, self.x_at(min(limit, high)))
        painter.setPen(QPen(QColor(c.ink), 2))
        painter.drawLine(QPointF(home, y - 34), QPointF(home, y + 1))
        painter.setBrush(QColor(c.ink))
        painter.drawPolygon(QPolygonF([QPointF(home - 6, y - 36), QPointF(home + 6, y - 36), QPointF(home, y - 27)]))
        at, text = self._home_label(plan.tempo)
        label(painter, at, text, theme.lettering(10), QColor(c.ink), halo=QColor(c.sheet))

    def _home_label(self, tempo: float) -> tuple[QPointF, str]:
        """The home tempo's label and its centre: at its mark, but never over the edge."""
        text = f"home {decimal(tempo, '.4g')}"
        width = text_size(text, theme.lettering(10))[0]
        x = min(max(self.x_at(tempo), width / 2 + 4), self.width() - width / 2 - 4)
        return QPointF(x, self.rule_y - 45), text

    def _draw_limit(self, painter: QPainter, c: theme.Colours, report: Report, x: float) -> None:
        """The limit's line and who sets it, on whichever side of the line leaves the home tempo's label alone."""
        y, plan = self.rule_y, self.session.plan
        limit, index = report.summary.tempo_limit, report.summary.bottleneck
        assert limit is not None and plan is not None
        painter.setPen(QPen(QColor(c.stop), 1.8))
        painter.drawLine(QPointF(x, y - 34), QPointF(x, y))
        short = f"{'the others break' if report.impossible else 'breaks'} at {limit:.0f} BPM"
        who = f": {stroke_title(report, index)}" if index is not None else ""
        centre, home = self._home_label(plan.tempo)
        half = text_size(home, theme.lettering(10))[0] / 2 + 6
        for text in (short + who, short):
            width = text_size(text, theme.lettering(10))[0]
            places = (x + 4, x - 4 - width, centre.x() + half + 4)
            for left in places:
                clear = left + width < centre.x() - half or left > centre.x() + half
                if clear and left >= 2 and left + width <= self.width() - 2:
                    at = QPointF(left, y - 41)
                    label(painter, at, text, theme.lettering(10), QColor(c.stop), Qt.AlignmentFlag.AlignLeft)
                    return
