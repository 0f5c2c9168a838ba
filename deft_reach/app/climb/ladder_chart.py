"""The ladder as a picture: rungs from left to right as high as their tempo, the limits above them, where one is."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.widgets.marks import verdict_colour
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.tempo_grid import draw_tempo_grid
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.runner import Runner

LEFT, RIGHT, TOP, BOTTOM = 46.0, 12.0, 14.0, 24.0
_MARKS = {"clean": "●", "rough": "◐", "not-yet": "○"}


class LadderChart(QWidget):
    """Click a rung, or use Up and Down, to go to it."""

    picked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.runner: Runner | None = None
        self.setAccessibleName("Ladder: rungs by their tempo")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 72)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(600, 160)

    def show_runner(self, runner: Runner | None) -> None:
        self.runner = runner
        self.setAccessibleDescription(self.in_words())
        self.update()

    def in_words(self) -> str:
        """The ladder as text."""
        runner = self.runner
        if runner is None:
            return "No ladder yet."
        rung = runner.rung
        return (
            f"{len(runner.rungs)} rungs from {bpm(runner.rungs[0].tempo)} to {bpm(runner.rungs[-1].tempo)}; "
            f"now rung {runner.at + 1}, {bpm(rung.tempo)}, {runner.stage.name}."
        )

    # --- geometry ---------------------------------------------------------------------------------------------

    def _range(self) -> tuple[float, float]:
        assert self.runner is not None
        tempi = [rung.tempo for rung in self.runner.rungs]
        limits = [s.tempo_limit for s in self.runner.stages if s.tempo_limit is not None]
        low, high = min(tempi), max(tempi)
        near = [limit for limit in limits if limit < high * 1.35]
        high = max([high, *near])
        room = max(6.0, (high - low) * 0.12)
        return low - room, high + room

    def y_at(self, tempo: float) -> float:
        low, high = self._range()
        return self.height() - BOTTOM - (tempo - low) / (high - low) * (self.height() - TOP - BOTTOM)

    def box(self, number: int) -> QRectF:
        """Where a rung is drawn."""
        assert self.runner is not None
        wide = (self.width() - LEFT - RIGHT) / len(self.runner.rungs)
        tempo = self.runner.rungs[number].tempo
        return QRectF(LEFT + number * wide + min(2.0, wide * 0.12), self.y_at(tempo) - 3, max(2.0, wide * 0.8), 6)

    def rung_at(self, at: QPointF) -> int | None:
        if self.runner is None:
            return None
        wide = (self.width() - LEFT - RIGHT) / len(self.runner.rungs)
        number = int((at.x() - LEFT) / wide)
        return number if 0 <= number < len(self.runner.rungs) and at.x() >= LEFT else None

    # --- acting -----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self.rung_at(event.position())
        if number is not None:
            self.picked.emit(number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Left: -1}
        by = steps.get(Qt.Key(event.key()))
        if by is None or self.runner is None:
            super().keyPressEvent(event)
            return
        self.picked.emit(min(max(0, self.runner.at + by), len(self.runner.rungs) - 1))

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and self.runner is not None:
            number = self.rung_at(QPointF(event.pos()))  # type: ignore[attr-defined]
            if number is not None:
                rung = self.runner.rungs[number]
                pace = "" if rung.pace is None else f", pace {decimal(rung.pace, '.2f')}"
                note = f"\n{rung.note}" if rung.note else ""
                stage, often = self.runner.stages[rung.stage].name, counted(rung.repeats, "time")
                words = f"{bpm(rung.tempo)}: {stage}, {often}{pace}{note}"
                QToolTip.showText(event.globalPos(), plain_tip(words), self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    # --- drawing ----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        runner = self.runner
        if runner is not None:
            self._draw(painter, c, runner)
        if self.hasFocus():
            painter.setPen(QPen(QColor(c.right), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

    def _draw(self, painter: QPainter, c: theme.Colours, runner: Runner) -> None:
        small = theme.lettering(9)
        low, high = self._range()
        draw_tempo_grid(painter, low, high, self.y_at, LEFT, self.width() - RIGHT)
        # Where each stage breaks, over its own rungs.
        for number, stage in enumerate(runner.stages):
            mine = [k for k, rung in enumerate(runner.rungs) if rung.stage == number]
            if not mine:
                continue
            first, last = self.box(mine[0]), self.box(mine[-1])
            limit = stage.tempo_limit
            if limit is not None and low < limit < high:
                painter.setPen(QPen(QColor(c.stop), 1.6))
                painter.drawLine(QPointF(first.left(), self.y_at(limit)), QPointF(last.right(), self.y_at(limit)))
                if len(mine) > 4:
                    # On the left: there the rungs are below it.
                    at, side = QPointF(first.left(), self.y_at(limit) - 9), Qt.AlignmentFlag.AlignLeft
                    label(painter, at, f"breaks at {limit:.0f} BPM", small, QColor(c.stop), side)
        tried: dict[int, str] = {row.rung: row.verdict for row in runner.tried}
        for number, rung in enumerate(runner.rungs):
            box = self.box(number)
            here = number == runner.at
            painter.setPen(Qt.PenStyle.NoPen)
            hard = rung.pace is not None and rung.pace > 1
            painter.setBrush(QColor(c.ink if here else c.stop if hard else c.muted))
            painter.drawRoundedRect(box.adjusted(0, -2, 0, 2) if here else box, 2, 2)
            verdict = tried.get(number)
            if verdict is not None:
                middle = QPointF(box.center().x(), box.bottom() + 9)
                label(painter, middle, _MARKS[verdict], theme.ui_font(9), verdict_colour(verdict))
            if here:
                words = bpm(rung.tempo)
                above = QPointF(min(max(box.center().x(), LEFT + 30), self.width() - 40), box.top() - 11)
                label(painter, above, words, theme.ui_font(10, bold=True), QColor(c.ink), halo=QColor(c.sheet))
        begins = [
            next(k for k, r in enumerate(runner.rungs) if r.stage == n) for n in {r.stage for r in runner.rungs}
        ]
        for number in sorted(begins):
            name = runner.stages[runner.rungs[number].stage].name
            x = self.box(number).left()
            if number == max(begins):
                at = QPointF(x, self.height() - 10)
                label(painter, at, name, small, QColor(c.muted), Qt.AlignmentFlag.AlignLeft)
