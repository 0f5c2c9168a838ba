"""The stroke lane as a place to write: a cursor, a selection, and keys at speaking speed."""

from __future__ import annotations

from collections.abc import Hashable
from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.stroke_lane import COUNT_Y, StrokeLane
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.core.model.pattern import BarFault
from deft_reach.core.session import Session
from deft_reach.core.session.lane import Lane


class LaneEditor(StrokeLane):
    """Types into the plan; everything it knows is in ``lane``."""

    invitation = "Click here and type: R L for the hands, K for the kick; + joins two, - rests."

    def __init__(self, session: Session, axis: TimeAxis, parent: QWidget | None = None) -> None:
        self.lane = Lane(session)
        super().__init__(session, axis, parent)
        self.setAccessibleName("Strokes: type R L K H, marks after them, / and a grid, - rest, = hold, | bar line")
        self.lane.changed.connect(self.refresh)

    def picture_key(self) -> Hashable:
        lane = self.lane
        typed = (lane.at, lane.anchor, lane.pending, lane.inserting, lane.typed, self.hasFocus())
        return (super().picture_key(), typed)

    # --- keys and mouse ---------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._command(event) and not self._typed(event):
            QWidget.keyPressEvent(self, event)

    def _command(self, event: QKeyEvent) -> bool:
        lane, key = self.lane, event.key()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        board = QGuiApplication.clipboard()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            by = 1 if key == Qt.Key.Key_Right else -1
            if alt:
                lane.shift(by, beat=shift)
            elif control:
                lane.move_beat(by, shift)
            else:
                lane.move(by, shift)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            lane.go(0 if key == Qt.Key.Key_Home else lane.steps, shift)
        elif event.matches(QKeySequence.StandardKey.SelectAll):
            lane.select_all()
        elif event.matches(QKeySequence.StandardKey.Copy):
            board.setText(lane.copy())
        elif event.matches(QKeySequence.StandardKey.Cut):
            text = lane.cut()
            if text:
                board.setText(text)
        elif event.matches(QKeySequence.StandardKey.Paste):
            lane.paste(board.text())
        elif control and key == Qt.Key.Key_R:
            lane.repeat()
        elif key == Qt.Key.Key_Backspace:
            lane.backspace()
        elif key == Qt.Key.Key_Delete:
            lane.delete()
        elif key == Qt.Key.Key_Insert:
            lane.inserting = not lane.inserting
            lane.changed.emit()
        elif key == Qt.Key.Key_Escape:
            lane.pending = ""
            lane.go(lane.at)
        else:
            return False
        return True

    def _typed(self, event: QKeyEvent) -> bool:
        control = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
        if event.modifiers() & control or not event.text():
            return False
        if event.text() in ("n", "N"):
            self.session.step_finding(1 if event.text() == "n" else -1)
            return True
        return self.lane.type(event.text())

    def step_at(self, at: QPointF) -> int:
        """The step whose column is nearest, or the place after the last."""
        pattern = self.lane.pattern
        if pattern is None or not pattern.moments:
            return 0
        xs = [self.axis.x(moment.start) for moment in pattern.moments]
        end = self._end_x()
        nearest = min(range(len(xs)), key=lambda k: abs(xs[k] - at.x()))
        return len(xs) if at.x() > (xs[-1] + end) / 2 else nearest

    def mousePressEvent(self, event: QMouseEvent) -> None:
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.lane.go(self.step_at(event.position()), shift)
        # A click on one of several strokes at once means that one.
        stroke = self.stroke_at(event.position())
        if stroke is not None and not shift:
            self.session.select_stroke(stroke)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            step = self.step_at(event.position())
            if step != self.lane.at:
                self.lane.go(step, True)

    # --- drawing ----------------------------------------------------------------------------------------------

    def _end_x(self) -> float:
        """Where the next stroke would come."""
        pattern = self.lane.pattern
        return self.axis.x(pattern.length if pattern is not None else Fraction(0))

    def _x(self, step: int) -> float:
        pattern = self.lane.pattern
        if pattern is not None and step < len(pattern.moments):
            return self.axis.x(pattern.moments[step].start)
        return self._end_x()

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        lane = self.lane
        if lane.pattern is not None and lane.pattern.moments:
            low, high = lane.selection
            if high > low:
                wash = QColor(c.selection)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(wash)
                left = max(self._x(low) - 10, GUTTER - 2.0)
                painter.drawRoundedRect(QRectF(left, 2, self._x(high) - 10 - left, self.height() - 4), 4, 4)
        super().draw(painter)
        if lane.pattern is None:
            return
        self._draw_faults(painter, c)
        x = self._x(lane.at)
        if x < GUTTER - 4 or x > self.width() + 4:
            return
        colour = QColor(c.right if self.hasFocus() else c.muted)
        painter.setPen(QPen(colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        bottom = COUNT_Y * self.stretch - 9
        if lane.inserting or lane.at >= lane.steps:
            painter.drawLine(QPointF(x - 10, 8), QPointF(x - 10, bottom))
        else:
            painter.drawRoundedRect(QRectF(x - 10, 8, 20, bottom - 8), 4, 4)
        if lane.pending:
            halo = QColor(c.ink)
            at = QPointF(x + 14, 16)
            label(painter, at, lane.pending + "…", theme.mono(10), QColor(c.sheet), Qt.AlignmentFlag.AlignLeft, halo)

    def _draw_faults(self, painter: QPainter, c: theme.Colours) -> None:
        """Bars that do not add up: how much is missing or over, at their bar line."""
        pattern = self.lane.pattern
        if pattern is None or not pattern.faults:
            return
        ends = {bar.number: bar.start + bar.length for bar in pattern.bar_rows}
        for fault in pattern.faults:
            x = self.axis.x(ends.get(fault.number, pattern.length)) - 10
            painter.setPen(QPen(QColor(c.stop), 2.4))
            painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))
            halo = QColor(c.sheet)
            right = Qt.AlignmentFlag.AlignRight
            label(
                painter, QPointF(x - 5, 51 * self.stretch), fault_words(fault), theme.lettering(9.5),
                QColor(c.stop), right, halo,
            )  # fmt: skip


#: Note values by how many make a whole note.
_VALUES = (
    (4, "quarter"),
    (8, "eighth"),
    (16, "sixteenth"),
    (12, "eighth triplet"),
    (24, "sixteenth triplet"),
    (32, "thirty-second"),
)


def fault_words(fault: BarFault) -> str:
    """What a bar lacks or has too much, in the largest note value that comes out whole."""
    amount = abs(fault.missing)
    for value, name in _VALUES:
        count = amount * value
        if count.denominator == 1:
            words = f"{count} {name}{'s' if count != 1 else ''}"
            break
    else:
        words = f"{amount} of a whole note"
    return f"{words} {'missing' if fault.missing > 0 else 'over'}"
