"""The staff: the whole plan engraved, with the same selection as everywhere else."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Hashable
from threading import Lock
from typing import Final

from PySide6.QtCore import QByteArray, QLineF, QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QResizeEvent, QWheelEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.canvas.base import Canvas, Same
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.core.search.progress import Progress
from deft_reach.core.session.plan_view import PlanView

#: The engraver does one thing at a time.
_ENGRAVER: Final = Lock()


class Staff(Canvas):
    """Engraves in the background a moment after the last change; a click selects, the wheel scrolls."""

    shows_position = True

    def __init__(self, session: PlanView, parent: QWidget | None = None, axis: TimeAxis | None = None) -> None:
        #: The axis of the drawings above, to which the chosen note is joined.
        self.axis = axis
        self._renderer: QSvgRenderer | None = None
        self._shown: object = None
        self._asked: object = None
        self._problem = ""
        self._top = 0.0
        self.boxes: dict[int, QRectF] = {}
        #: When something is struck (whole notes, in order), where its note is, and the stretch of its line.
        self._line: list[tuple[float, QRectF, QRectF]] = []
        # Whatever the engraver stumbles over is said.
        self._engraving = BackgroundTask(Exception)
        self._soon = QTimer()
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)
        super().__init__(session, "Staff, the plan as drum notation", parent)
        # Not before it is an object of Qt: only then do these connections end with it.
        self._engraving.finished.connect(self._take)
        self._soon.timeout.connect(self._ask)
        if axis is not None:
            axis.changed.connect(self.update)

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
        kit, tempo, width, c = self.session.kit, plan.tempo, self.width() - 16, theme.colours()
        ink, colours = c.ink, {limb: c.hand(limb).name() for limb in "RLKJH?"}

        def work(progress: Progress) -> bytes:
            # Late and out of the window's thread: the engraver takes a moment to load.
            from deft_reach.formats.engraving import engrave

            with _ENGRAVER:
                progress.at(0)
                return engrave(pattern, kit, tempo, width, ink, colours.__getitem__)

        self._engraving.start(work)

    def _take(self, result: bytes | str) -> None:
        svg, self._problem = (b"", result or "engraving failed") if isinstance(result, str) else (result, "")
        self._shown = self._asked
        renderer = QSvgRenderer(QByteArray(svg)) if svg else None
        self._renderer = renderer if renderer is not None and renderer.isValid() else None
        self.boxes = {}
        report = self.session.report
        if self._renderer is not None and report is not None:
            for index in range(len(report.strokes)):
                name = f"s{index}"
                if self._renderer.elementExists(name):
                    box = self._renderer.boundsOnElement(name)
                    self.boxes[index] = self._renderer.transformForElement(name).mapRect(box)
        self._lay_lines()
        self._reveal()
        self.update()

    def _lay_lines(self) -> None:
        """Which notes stand on one line of the page: a line ends where the next note is further left."""
        report = self.session.report
        lines: list[list[tuple[float, QRectF]]] = []
        for index, box in self.boxes.items():
            start = float(report.pattern.strokes[index].start) if report is not None else 0.0
            if not lines or box.center().x() < lines[-1][-1][1].left() - 12:
                lines.append([])
            lines[-1].append((start, box))
        self._line = []
        for line in lines:
            whole = line[0][1]
            for _, box in line:
                whole = whole.united(box)
            self._line += [(start, box, whole) for start, box in line]

    def playing_at(self) -> QLineF | None:
        """Where what is being played stands, px on the page; None where nothing plays."""
        position = self.session.position
        k = bisect_right(self._line, position, key=lambda row: row[0]) - 1 if position is not None else -1
        if position is None or k < 0:
            return None
        start, box, whole = self._line[k]
        x = box.center().x()
        later = next((row for row in self._line[k + 1 :] if row[0] > start), None)
        if later is not None and later[2] == whole:
            x += (later[1].center().x() - x) * (position - start) / (later[0] - start)
        return QLineF(x, whole.top() - 26, x, whole.bottom() + 26)

    def _moved(self) -> None:
        line = self.playing_at()
        if line is not None and self.isVisible():
            self._show_stretch(line.y1(), line.y2())
        super()._moved()

    @property
    def ready(self) -> bool:
        """Whether what is shown is what is written now."""
        return self._renderer is not None and self._shown == self._asked and not self._soon.isActive()

    def place(self, index: int) -> QRectF | None:
        """Where a stroke's note is, px."""
        box = self.boxes.get(index)
        return None if box is None else box.translated(8, 4 - self._top)

    def _reveal(self) -> None:
        """Scroll until the selected stroke is in view."""
        index = self.session.stroke
        box = self.boxes.get(index) if index is not None else None
        if box is not None:
            self._show_stretch(box.top() - 40, box.bottom() + 24)
        self._limit()

    def _show_stretch(self, top: float, bottom: float) -> None:
        """Scroll so that a stretch of the page is in view."""
        if top < self._top:
            self._top = max(0.0, top)
        elif bottom > self._top + self.height():
            self._top = bottom - self.height()
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
            for index, box in self.boxes.items()
            if box.adjusted(-8, -40, 8, 40).contains(at)
        ]
        if near:
            self.session.select_stroke(min(near)[1])

    def in_words(self) -> str:
        report = self.session.report
        if report is None or not report.strokes:
            return "Nothing to engrave yet."
        return f"{len(report.strokes)} strokes as drum notation, sticking below: {report.pattern.sticking}"

    def picture_key(self) -> Hashable:
        report = self.session.report
        written = report is not None and bool(report.strokes)
        return (Same(self._renderer), self._top, self.session.stroke, self.ready, self._problem, written)

    def over(self, painter: QPainter) -> None:
        """Where the plan is being played."""
        self._join(painter)
        line = self.playing_at()
        if line is not None:
            painter.setPen(QPen(QColor(theme.colours().ink), 1.6))
            painter.drawLine(line.translated(8, 4 - self._top))

    def _join(self, painter: QPainter) -> None:
        """A hairline from where the chosen stroke stands above to its note: engraving has its own spacing."""
        index, report = self.session.stroke, self.session.report
        box = self.place(index) if index is not None else None
        if self.axis is None or box is None or report is None or index is None or not self.ready:
            return
        x = self.axis.x(report.pattern.starts[index])
        if GUTTER - 2 <= x <= self.width():
            painter.setPen(QPen(QColor(theme.colours().muted), 1.0))
            painter.drawPolyline([QPointF(x, 0), QPointF(x, 5), QPointF(box.center().x(), box.top() - 8)])

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
