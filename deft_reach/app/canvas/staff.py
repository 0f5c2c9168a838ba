"""The staff: the whole plan engraved, with the same selection as everywhere else."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QObject, QPointF, QRectF, QRunnable, QSize, Qt, QThreadPool, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QResizeEvent, QWheelEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Canvas
from deft_reach.core.kit import Kit
from deft_reach.core.pattern import Pattern
from deft_reach.core.session import Session


class _Answer(QObject):
    """Carries a drawing from the worker to the window."""

    done = Signal(int, bytes, str)


class _Engrave(QRunnable):
    def __init__(self, answer: _Answer, number: int, pattern: Pattern, kit: Kit, tempo: float, width: int) -> None:
        super().__init__()
        self.answer, self.number = answer, number
        self.pattern, self.kit, self.tempo, self.width = pattern, kit, tempo, width
        c = theme.colours()
        self.ink = c.ink
        self.colours = {limb: c.hand(limb).name() for limb in "RLKJH?"}

    def run(self) -> None:
        # Late and out of the window's thread: the engraver takes a moment to load.
        from deft_reach.formats.engraving import engrave

        try:
            svg = engrave(self.pattern, self.kit, self.tempo, self.width, self.ink, self.colours.__getitem__)
        except Exception as error:  # whatever the engraver stumbles over is said, never raised in a worker
            self.answer.done.emit(self.number, b"", str(error) or type(error).__name__)
        else:
            self.answer.done.emit(self.number, svg, "")


class Staff(Canvas):
    """Engraves in the background a moment after the last change; a click selects, the wheel scrolls."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        self._renderer: QSvgRenderer | None = None
        self._shown: object = None
        self._asked: object = None
        self._number = 0
        self._problem = ""
        self._top = 0.0
        self._boxes: dict[int, QRectF] = {}
        self._answer = _Answer()
        self._answer.done.connect(self._take)
        self._pool = QThreadPool()
        # One at a time: only the newest counts.
        self._pool.setMaxThreadCount(1)
        self._soon = QTimer()
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)
        self._soon.timeout.connect(self._ask)
        super().__init__(session, "Staff, the plan as drum notation", parent)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 120)

    def refresh(self) -> None:
        if self.isVisible():
            pattern = self.session.pattern()
            key = None if pattern is None else (pattern.text, self.session.kit, self.width(), theme.colours().name)
            if key is not None and key != self._asked:
                self._asked = key
                self._soon.start()
            self._reveal()
        super().refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.refresh()

    def _ask(self) -> None:
        pattern, plan = self.session.pattern(), self.session.plan
        if pattern is None or plan is None or not pattern.strokes:
            return
        self._number += 1
        self._pool.clear()
        self._pool.start(
            _Engrave(self._answer, self._number, pattern, self.session.kit, plan.tempo, self.width() - 16)
        )

    def _take(self, number: int, svg: bytes, problem: str) -> None:
        if number != self._number:
            return
        self._problem = problem
        self._shown = self._asked
        renderer = QSvgRenderer(QByteArray(svg)) if svg else None
        self._renderer = renderer if renderer is not None and renderer.isValid() else None
        self._boxes = {}
        report = self.session.report
        if self._renderer is not None and report is not None:
            for index in range(len(report.strokes)):
                name = f"s{index}"
                if self._renderer.elementExists(name):
                    box = self._renderer.boundsOnElement(name)
                    self._boxes[index] = self._renderer.transformForElement(name).mapRect(box)
        self._reveal()
        self.update()

    @property
    def ready(self) -> bool:
        """Whether what is shown is what is written now."""
        return self._renderer is not None and self._shown == self._asked and not self._soon.isActive()

    def place(self, index: int) -> QRectF | None:
        """Where a stroke's note is, px."""
        box = self._boxes.get(index)
        return None if box is None else box.translated(8, 4 - self._top)

    def _reveal(self) -> None:
        """Scroll until the selected stroke is in view."""
        index = self.session.stroke
        box = self._boxes.get(index) if index is not None else None
        if box is not None:
            if box.top() - 40 < self._top:
                self._top = max(0.0, box.top() - 40)
            elif box.bottom() + 60 > self._top + self.height():
                self._top = box.bottom() + 60 - self.height()
        self._limit()

    def _limit(self) -> None:
        high = self._renderer.defaultSize().height() if self._renderer is not None else 0
        self._top = max(0.0, min(self._top, high + 8 - self.height()))

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._top -= event.angleDelta().y() * 0.5
        self._limit()
        self.update()
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position() + QPointF(-8, self._top - 4)
        near = [
            ((box.center() - at).manhattanLength(), index)
            for index, box in self._boxes.items()
            if box.adjusted(-8, -40, 8, 40).contains(at)
        ]
        if near:
            self.session.select_stroke(min(near)[1])

    def in_words(self) -> str:
        report = self.session.report
        if report is None or not report.strokes:
            return "Nothing to engrave yet."
        return f"{len(report.strokes)} strokes as drum notation, sticking below: {report.pattern.sticking}"

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        if self._problem:
            self.empty(painter, f"This cannot be engraved: {self._problem}.")
            return
        report = self.session.report
        if report is None or not report.strokes:
            self.empty(painter, "Write a few strokes, and they appear here as notes.")
            return
        if self._renderer is None:
            self.empty(painter, "Engraving …")
            return
        index = self.session.stroke
        box = self.place(index) if index is not None else None
        if box is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(c.selection))
            painter.drawRoundedRect(box.adjusted(-6, -8, 6, 8), 4, 4)
        size = self._renderer.defaultSize()
        if not self.ready:
            painter.setOpacity(0.4)
        self._renderer.render(painter, QRectF(8, 4 - self._top, size.width(), size.height()))
        painter.setOpacity(1.0)
        if box is not None:
            painter.setPen(QPen(QColor(c.ink), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-6, -8, 6, 8), 4, 4)
