"""A tape on the drawings: from any point to any other, with height; lines worth having are kept with the kit."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.text import units
from deft_reach.core.model.kit import FLOOR, SEAT, Dimension, Spot, voice_name
from deft_reach.core.session import Session
from deft_reach.core.session.signals import Signal

Point = tuple[float, float, float]
Project = Callable[[float, float, float], QPointF]

#: So near (px) a point is taken for the strike centre, zone or pedal there.
SNAP = 13.0


class TapeTool:
    """Shared by plan and elevation: ``on`` while the mouse measures, ``current`` the line just measured.

    ``changed`` says that something about it is different.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self.changed = Signal()
        self.on = False
        self.start: Spot | None = None
        self.current: Dimension | None = None
        self.chosen: Dimension | None = None
        #: The two points that are to be measured, where the player is led.
        self.asked: tuple[Spot, Spot] | None = None

    def ask(self, points: tuple[Spot, Spot] | None) -> None:
        """Mark two points as those to be measured; None for none."""
        if points != self.asked:
            self.asked = points
            self.changed.emit()

    def set_on(self, on: bool) -> None:
        self.on, self.start = on, None
        if not on:
            self.current = self.chosen = None
        self.changed.emit()

    # --- points -----------------------------------------------------------------------------------------------

    def place(self, spot: Spot) -> Point | None:
        """Where a spot is now, mm; None once its piece is gone."""
        return self.session.kit.spot_point(spot, self.session.player.seat_height_mm)

    def spots(self) -> list[Spot]:
        """Every point that has a name."""
        kit = self.session.kit
        found = [Spot(voice) for voice in kit.voices if not voice.endswith(":foot")]
        found += [Spot(piece.code) for piece in kit if piece.is_pedal]
        return [*found, Spot(SEAT)]

    def spot_at(self, at: QPointF, project: Project, free: Callable[[QPointF], Point] | None) -> Spot | None:
        """The named point under the mouse, or else the bare point there; without ``free`` the nearest named one."""
        best, distance = None, math.inf
        for spot in self.spots():
            place = self.place(spot)
            if place is None:
                continue
            off = project(*place) - at
            away = math.hypot(off.x(), off.y())
            # Several can lie on top of each other: the highest is what a tape would touch.
            if away < distance - 2 or (away < distance + 2 and best is not None and place[2] > self._height(best)):
                best, distance = spot, away
        if best is not None and (distance <= SNAP or free is None):
            return best
        if free is None:
            return None
        x, y, z = free(at)
        return Spot(FLOOR, float(round(x)), float(round(y)), float(round(z)))

    def _height(self, spot: Spot) -> float:
        place = self.place(spot)
        return -math.inf if place is None else place[2]

    def line_at(self, at: QPointF, project: Project) -> Dimension | None:
        """The kept line under the mouse."""
        for dimension in self.session.kit.dimensions:
            ends = self._ends(dimension, project)
            if ends is None:
                continue
            a, b = ends
            line = b - a
            size = max(math.hypot(line.x(), line.y()), 1e-6)
            along = QPointF.dotProduct(at - a, line) / size**2
            off = at - (a + line * min(1.0, max(0.0, along)))
            if math.hypot(off.x(), off.y()) < 7 and 0.08 < along < 0.92:
                return dimension
        return None

    def _ends(self, dimension: Dimension, project: Project) -> tuple[QPointF, QPointF] | None:
        a, b = self.place(dimension.a), self.place(dimension.b)
        return None if a is None or b is None else (project(*a), project(*b))

    # --- mouse and keys ---------------------------------------------------------------------------------------

    def press(self, at: QPointF, project: Project, free: Callable[[QPointF], Point] | None) -> None:
        self.chosen = self.line_at(at, project)
        self.current = None
        self.start = None if self.chosen is not None else self.spot_at(at, project, free)
        self.changed.emit()

    def move(self, at: QPointF, project: Project, free: Callable[[QPointF], Point] | None) -> None:
        if self.start is not None:
            end = self.spot_at(at, project, free)
            self.current = None if end is None or end == self.start else Dimension(self.start, end)
            self.changed.emit()

    def release(self) -> None:
        self.start = None
        self.changed.emit()

    def key(self, key: Qt.Key) -> bool:
        """Keys while the tape is out; True if it meant something.

        Return takes hold at the selected piece, then lets go at the next, then keeps the line; Delete takes the
        chosen line away.
        """
        if not self.on:
            return False
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            piece = self.session.piece
            if self.current is not None:
                self.keep()
            elif piece is not None and self.start is None:
                self.start = Spot(piece)
            elif piece is not None and self.start is not None and Spot(piece) != self.start:
                self.current, self.start = Dimension(self.start, Spot(piece)), None
            self.changed.emit()
            return True
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
            return True
        if key == Qt.Key.Key_Escape:
            self.set_on(self.current is not None or self.start is not None)
            self.current = None
            self.changed.emit()
            return True
        return False

    def keep(self) -> None:
        """Keep the line just measured with the kit."""
        if self.current is not None:
            self.session.kits.keep_dimension(self.current)
            self.chosen, self.current = self.current, None
            self.changed.emit()

    def remove(self) -> None:
        """Take the chosen line away, or the one just measured."""
        if self.chosen is not None:
            self.session.kits.remove_dimension(self.chosen)
        self.chosen = self.current = None
        self.changed.emit()

    # --- words and drawing ------------------------------------------------------------------------------------

    def name(self, spot: Spot) -> str:
        if spot.at == SEAT:
            return "seat"
        if spot.at == FLOOR:
            return "a point"
        piece = self.session.kit.piece(spot.at)
        return piece.name if piece is not None and piece.is_pedal else voice_name(self.session.kit, spot.at)

    def in_words(self, dimension: Dimension) -> str:
        """Both ends, how far apart along the tape, level, and in height."""
        a, b = self.place(dimension.a), self.place(dimension.b)
        if a is None or b is None:
            return f"{self.name(dimension.a)} to {self.name(dimension.b)}: one of them is gone"
        level, rise = math.dist(a[:2], b[:2]), b[2] - a[2]
        words = f"{self.name(dimension.a)} to {self.name(dimension.b)}: {units.length(math.dist(a, b))}"
        if abs(rise) >= 0.5:
            words += f" ({units.length(level)} level, {units.length(abs(rise))} {'up' if rise > 0 else 'down'})"
        return words

    def lines(self) -> list[tuple[Dimension, str]]:
        """What is to be drawn: kept lines, the chosen one, the one just measured."""
        found = [
            (d, "chosen" if d == self.chosen else "kept")
            for d in self.session.kit.dimensions
            if d != self.current or not self.on
        ]
        if self.on and self.current is not None:
            found.append((self.current, "current"))
        return found

    def draw(self, painter: QPainter, project: Project) -> None:
        c = theme.colours()
        halo = QColor(c.sheet)
        halo.setAlphaF(0.9)
        if self.on and self.start is not None:
            place = self.place(self.start)
            if place is not None:
                painter.setPen(QPen(QColor(c.ink), 1.6))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(project(*place), 7, 7)
        self._draw_asked(painter, project)
        taken: list[QRectF] = []
        for dimension, state in self.lines():
            ends = self._ends(dimension, project)
            a, b = self.place(dimension.a), self.place(dimension.b)
            if ends is None or a is None or b is None:
                continue
            start, end = ends
            colour = QColor(c.muted if state == "kept" else c.ink)
            for pen in (QPen(halo, 4.5), QPen(colour, 1.3 if state == "kept" else 2.0)):
                painter.setPen(pen)
                painter.drawLine(start, end)
                for at in ends:
                    # The slash of an architect's dimension line.
                    painter.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5))
            rise = b[2] - a[2]
            text = units.length(math.dist(a, b))
            if abs(rise) >= 0.5:
                text += f", {units.number(abs(rise))} {'up' if rise > 0 else 'down'}"
            width, height = text_size(text, theme.lettering(10))
            for part in (0.5, 0.32, 0.68, 0.18, 0.82):
                at = start + (end - start) * part
                box = QRectF(at.x() - width / 2 - 2, at.y() - height / 2, width + 4, height)
                if not any(box.intersects(other) for other in taken):
                    break
            taken.append(box)
            label(painter, box.center(), text, theme.lettering(10), colour, halo=halo)

    def _draw_asked(self, painter: QPainter, project: Project) -> None:
        """The two points to measure, numbered, and the way of the tape between them."""
        places = [self.place(spot) for spot in self.asked or ()]
        if len(places) != 2 or places[0] is None or places[1] is None:
            return
        c = theme.colours()
        a, b = project(*places[0]), project(*places[1])
        if (b - a).manhattanLength() < 24:
            # Seen from above, what is measured straight down lies in one point.
            b = a + QPointF(24, 18)
        painter.setPen(QPen(QColor(c.sheet), 5))
        painter.drawLine(a, b)
        painter.setPen(QPen(QColor(c.ink), 2.2, Qt.PenStyle.DashLine))
        painter.drawLine(a, b)
        for number, at in (("1", a), ("2", b)):
            painter.setPen(QPen(QColor(c.sheet), 2))
            painter.setBrush(QColor(c.ink))
            painter.drawEllipse(at, 11, 11)
            label(painter, at, number, theme.ui_font(11, bold=True), QColor(c.sheet))
