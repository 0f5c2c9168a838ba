"""The whole song at a glance: a block a section, with what it is like, and which part of it is in view below."""

from __future__ import annotations

from collections.abc import Hashable
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Same, label
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.session.song_view import SongView

HEIGHT = 46
TOP, BOTTOM = 5.0, 41.0


def _two_lines(name: str) -> list[str]:
    """A name broken at the blank nearest to its middle; whole where it has none."""
    blanks = [k for k, char in enumerate(name) if char == " "]
    if not blanks:
        return [name]
    at = min(blanks, key=lambda k: abs(2 * k - len(name)))
    return [name[:at], name[at + 1 :]]


class Block(NamedTuple):
    """A section in a row: its number, where it begins and ends (whole notes), its rounds' beginnings."""

    section: int
    start: float
    end: float
    rounds: tuple[float, ...]


class SectionStrip(Timeline):
    """Click a block to go to its first stroke."""

    view: SongView

    def __init__(self, view: SongView, axis: TimeAxis, parent: QWidget | None = None) -> None:
        self.view = view
        super().__init__(view, axis, "Sections of the song", parent)
        set_scaled(self, QWidget.setFixedHeight, HEIGHT, least=1.0)

    def sizeHint(self) -> QSize:
        return QSize(640, HEIGHT)

    @property
    def whole(self) -> float:
        """Length of the song in whole notes, as it is played."""
        report = self.view.report
        return max(float(report.pattern.length), 1e-9) if report is not None else 1.0

    def x_at(self, time: float) -> float:
        """Where a time is: the strip always has all of the song."""
        return GUTTER + time / self.whole * (self.width() - GUTTER - 10)

    def time(self, x: float) -> float:
        return (x - GUTTER) / (self.width() - GUTTER - 10) * self.whole

    def over(self, painter: QPainter) -> None:
        """What is in view below, and where it is being played."""
        if self.view.report is None:
            return
        c = theme.colours()
        end = min(self.whole, self.axis.start + self.axis.room / self.axis.scale)
        if not self.axis.whole:
            painter.setPen(QPen(QColor(c.ink), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            left = self.x_at(self.axis.start)
            painter.drawRoundedRect(QRectF(left, 1.5, self.x_at(end) - left, self.height() - 3), 4, 4)
        position = self.view.position
        if position is not None:
            painter.setPen(QPen(QColor(c.ink), 1.6))
            painter.drawLine(QPointF(self.x_at(position), 2), QPointF(self.x_at(position), self.height() - 2))

    def blocks(self) -> list[Block]:
        """Sections that follow each other, as they are played."""
        found = self.view.found
        if found is None or found.chain is None:
            return []
        chain = found.chain
        bars = {
            nominal.start: played.start for nominal, played in zip(chain.nominal.bar_rows, chain.pattern.bar_rows)
        }
        lead_in = chain.nominal.pickup
        rows: list[Block] = []
        starts = [float(bars.get(part.start + lead_in, part.start + lead_in)) for part in chain.parts]
        ends = [*starts[1:], float(chain.pattern.length)]
        for part, start, end in zip(chain.parts, starts, ends):
            if rows and rows[-1].section == part.section and part.round:
                rows[-1] = rows[-1]._replace(end=end, rounds=(*rows[-1].rounds, start))
            else:
                rows.append(Block(part.section, start, end, (start,)))
        return rows

    def picture_key(self) -> Hashable:
        return (Same(self.view.found), self.view.stroke)

    def stroke_at(self, at: QPointF) -> int | None:
        found = self.view.found
        if found is None or found.chain is None:
            return None
        time = self.time(at.x())
        block = next((b for b in self.blocks() if b.start <= time < b.end), None)
        if block is None:
            return None
        begin = max(start for start in block.rounds if start <= time)
        return next((s.index for s in found.chain.pattern.strokes if float(s.start) >= begin - 1e-9), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.stroke_at(event.position())
        if index is not None:
            self.view.select_stroke(index)

    def words_at(self, at: QPointF) -> str:
        time = self.time(at.x())
        block = next((b for b in self.blocks() if b.start <= time < b.end), None)
        return self.block_words(block) if block is not None else ""

    def block_words(self, block: Block) -> str:
        found = self.view.found
        assert found is not None
        row = next((r for r in found.sections if r.section == block.section), None)
        times = f", {len(block.rounds)} times" if len(block.rounds) > 1 else ""
        name = self._name(block.section)
        if row is None:
            return f"{name}{times}"
        limit = "nothing limits it" if row.tempo_limit is None else f"breaks at {row.tempo_limit:.0f} BPM here"
        alone = "" if row.alone_limit is None else f", at {row.alone_limit:.0f} BPM alone"
        return f"{name}{times} at {bpm(row.tempo)}: {limit}{alone}."

    def _name(self, section: int) -> str:
        found = self.view.found
        if found is None or found.chain is None:
            return ""
        return next((part.plan.name for part in found.chain.parts if part.section == section), "")

    def in_words(self) -> str:
        blocks = self.blocks()
        return " ".join(self.block_words(block) for block in blocks) if blocks else "No song to show yet."

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        found = self.view.found
        blocks = self.blocks()
        if found is None or not blocks:
            return
        stretch = max(1.0, theme.text_scale())
        top, bottom = TOP * stretch, BOTTOM * stretch
        strokes, index = found.chain.pattern.strokes if found.chain else (), self.view.stroke
        now = float(strokes[index].start) if index is not None and index < len(strokes) else -1.0
        align = Qt.AlignmentFlag.AlignLeft
        for block in blocks:
            left, right = self.x_at(block.start), self.x_at(block.end) - 2
            row = next((r for r in found.sections if r.section == block.section), None)
            box = QRectF(left, top, right - left, bottom - top)
            fill = QColor(c.selection if block.start <= now < block.end else c.band)
            painter.setPen(QPen(QColor(c.line), 1))
            painter.setBrush(fill)
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(QPen(QColor(c.line), 1, Qt.PenStyle.DotLine))
            for start in block.rounds[1:]:
                x = self.x_at(start)
                painter.drawLine(QPointF(x, top + 2), QPointF(x, bottom - 2))
            x = left + 7
            room = right - x - 8
            severity = row.severity if row is not None else ""
            if severity and room > 24:
                theme.draw_severity(painter, severity, QPointF(x + 5, top + 10 * stretch), 4.6)
                x, room = x + 16, room - 16
            times = f" × {len(block.rounds)}" if len(block.rounds) > 1 else ""
            font = theme.ui_font(10, bold=True)
            whole = self._name(block.section) + times
            lines = [whole] if text_size(whole, font)[0] <= room else _two_lines(whole)
            if room > 20:
                for k, line in enumerate(lines):
                    text = QFontMetricsF(font).elidedText(line, Qt.TextElideMode.ElideRight, room)
                    label(painter, QPointF(x, top + (10 + 16 * k) * stretch), text, font, QColor(c.ink), align)
            if row is not None and room > 20 and len(lines) == 1:
                limit = "" if row.tempo_limit is None else f", breaks at {row.tempo_limit:.0f}"
                font = theme.ui_font(9)
                text = QFontMetricsF(font).elidedText(f"{bpm(row.tempo)}{limit}", Qt.TextElideMode.ElideRight, room)
                tight = row.headroom is not None and row.headroom < 0
                colour = QColor(c.stop if tight else c.muted)
                label(painter, QPointF(x, top + 26 * stretch), text, font, colour, align)
