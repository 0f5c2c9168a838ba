"""What the drawings over time have in common: the shared axis, zoom and pan, and strokes that explain themselves."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRect, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas
from deft_reach.app.canvas.explain import stroke_words
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.core.session.plan_view import PlanView


class Timeline(Canvas):
    """A drawing over the shared time axis. Wheel with Ctrl zooms, wheel alone pans, a click selects a stroke."""

    shows_position = True

    def __init__(self, session: PlanView, axis: TimeAxis, name: str, parent: QWidget | None = None) -> None:
        self.axis = axis
        #: Where the place that is played was drawn (px).
        self._played_at: int | None = None
        super().__init__(session, name, parent)
        axis.changed.connect(self.update)

    def over(self, painter: QPainter) -> None:
        """Where the plan is being played."""
        position = self.session.position
        if position is not None:
            x = self.axis.x(position)
            if GUTTER - 2 <= x <= self.width():
                painter.setPen(QPen(QColor(theme.colours().ink), 1.6))
                painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))

    def _moved(self) -> None:
        """Where it is played has changed: only there is anything to draw again."""
        position = self.session.position
        x = None if position is None else round(self.axis.x(position))
        if x is None or self._played_at is None or self.picture_key() is None:
            super()._moved()
        elif self.isVisible():
            for at in (self._played_at, x):
                self.update(QRect(at - 3, 0, 7, self.height()))
        self._played_at = x

    def stroke_at(self, at: QPointF) -> int | None:
        """The index of the stroke whose mark is meant by this point."""
        raise NotImplementedError

    def words_at(self, at: QPointF) -> str:
        """What hovering over a point explains."""
        report, index = self.session.report, self.stroke_at(at)
        return stroke_words(report, index) if report is not None and index is not None else ""

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.axis.set_width(self.width())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.stroke_at(event.position())
        if index is not None:
            self.session.select_stroke(index)

    def wheelEvent(self, event: QWheelEvent) -> None:
        delta = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.axis.zoom(1.0015 ** delta.y(), event.position().x())
        else:
            self.axis.pan(-(delta.x() or delta.y()) * 0.6)
        event.accept()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            words = self.words_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            QToolTip.showText(event.globalPos(), plain_tip(words), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)
