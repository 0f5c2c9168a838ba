"""What the colours of the cost bars mean: the terms that occur, the largest first."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.reach.cost_bar import term_colour
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.motion.cost import TERM_NAMES, TERMS
from deft_reach.core.search.candidates import Row


class CostLegend(QWidget):
    """A square and a name for each cost term of the stickings shown; all of them are named under the pointer."""

    def __init__(self) -> None:
        super().__init__()
        self.terms: list[str] = []
        self.setAccessibleName("Colours of the cost bars")
        set_scaled(self, QWidget.setFixedHeight, 18)

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Name the terms that these stickings cost."""
        reports = [row.report for row in rows if row.report is not None]
        most = {term: max((r.summary.terms[term] for r in reports), default=0.0) for term in TERMS}
        terms = sorted((term for term in TERMS if most[term] > 0.005), key=lambda term: -most[term])
        if terms != self.terms:
            self.terms = terms
            names = ", ".join(TERM_NAMES[term] for term in terms)
            self.setAccessibleDescription(names)
            self.setToolTip(f"In the cost bars, from left to right by colour: {names}")
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter: QPainter = sheet_painter(self)
        font, muted = theme.ui_font(9), QColor(theme.colours().muted)
        x, y = 10.0, self.height() / 2
        for term in self.terms:
            name = TERM_NAMES[term]
            room = text_size(name, font)[0] + 24
            if x + room > self.width() - 14:
                label(painter, QPointF(x, y), "…", font, muted, Qt.AlignmentFlag.AlignLeft)
                break
            painter.fillRect(QRectF(x, y - 4, 8, 8), term_colour(term))
            label(painter, QPointF(x + 12, y), name, font, muted, Qt.AlignmentFlag.AlignLeft)
            x += room
        painter.end()
