"""What the selected stroke, and the whole plan, cost: term by term, side by side."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas, label
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.motion.cost import TERM_NAMES, TERMS
from deft_reach.core.session import Session


def term_colour(term: str) -> QColor:
    """A colour for a cost term: a calm run of shades that also differ in lightness."""
    dark = theme.colours().name == "dark"
    shades = {
        "pace": ("#1d5c6b", "#7cc4d4"),
        "reach": ("#b98a2f", "#e3bd6d"),
        "cross": ("#93264b", "#f08cab"),
        "squeeze": ("#c56a4d", "#e8a58d"),
        "turn": ("#5d6d46", "#a9bf89"),
        "lift": ("#87969c", "#93a6ae"),
        "load": ("#4b3f72", "#b2a4e0"),
        "switch": ("#c7b299", "#6f6353"),
        "keep": ("#a3477c", "#e0a0c6"),
        "figure": ("#3f6fb0", "#a4c4ee"),
        "control": ("#2f7d5b", "#8fd3b4"),
        "coordination": ("#a0522d", "#d9a07f"),
    }
    return QColor(shades[term][1 if dark else 0])


class CostBar(Canvas):
    """A stacked bar for the plan with its terms named beneath."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Motion cost by term", parent)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        set_scaled(self, QWidget.setFixedHeight, 59, least=1.0)
        self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(240, 59)

    def _shares(self) -> list[tuple[str, float]]:
        report = self.session.report
        if report is None:
            return []
        return [(term, report.summary.terms[term]) for term in TERMS if report.summary.terms[term] > 0.005]

    def in_words(self) -> str:
        return "; ".join(f"{TERM_NAMES[term]} {decimal(value, '.2f')}" for term, value in self._shares())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        QToolTip.showText(event.globalPosition().toPoint(), plain_tip(self.in_words().replace("; ", "\n")), self)

    def draw(self, painter: QPainter) -> None:
        shares = self._shares()
        total = sum(value for _, value in shares)
        c = theme.colours()
        report = self.session.report
        if report is None or not total:
            return
        label(
            painter,
            QPointF(0, 9),
            f"whole plan: cost {decimal(total, '.1f')}",
            theme.ui_font(9.5),
            QColor(c.muted),
            Qt.AlignmentFlag.AlignLeft,
        )
        x, y = 0.0, 18.0
        width = self.width() - 2.0
        for term, value in shares:
            part = width * value / total
            painter.fillRect(QRectF(x, y, max(part - 1, 1), 10), term_colour(term))
            x += part
        x, y = 0.0, 36.0
        painter.setFont(theme.ui_font(9))
        for term, value in sorted(shares, key=lambda share: -share[1]):
            text = f"{TERM_NAMES[term]} {decimal(value, '.1f')}"
            room = painter.fontMetrics().horizontalAdvance(text) + 22
            if x + room > width + 8:
                if y > 37:
                    break
                x, y = 0.0, y + 13
            painter.fillRect(QRectF(x, y - 4, 8, 8), term_colour(term))
            label(painter, QPointF(x + 11, y), text, theme.ui_font(9), QColor(c.muted), Qt.AlignmentFlag.AlignLeft)
            painter.setFont(theme.ui_font(9))
            x += room
