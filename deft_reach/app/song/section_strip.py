"""The whole song at a glance, to time: the headroom of each section, where they meet, and what is in view below."""

from __future__ import annotations

from collections.abc import Hashable
from itertools import pairwise
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Same, label
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.app.text.numbers import bpm
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.session.song_view import SongView

HEIGHT = 88
#: Where names stand, the height of the most headroom that is told apart, of none, and of the lowest below it (px).
NAME, MOST, NONE, LEAST = 11.0, 26.0, 66.0, 82.0
#: Headroom that stands at MOST, and how far above the limit stands at LEAST.
AMPLE, BEYOND = 1.0, 0.4
#: A seam is no narrower than this (px) to either side.
SEAM = 5.0


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
            painter.drawRect(QRectF(left, 1.5, self.x_at(end) - left, self.height() - 3))
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

    @staticmethod
    def level_of(headroom: float | None) -> float:
        """The height at which a headroom stands (px at the usual text size); no limit stands as high as any."""
        if headroom is None:
            return MOST
        if headroom >= 0:
            return NONE - (NONE - MOST) * min(headroom, AMPLE) / AMPLE
        return NONE + (LEAST - NONE) * min(-headroom, BEYOND) / BEYOND

    def _level(self, block: Block, stretch: float) -> float:
        found = self.view.found
        row = next((r for r in found.sections if r.section == block.section), None) if found is not None else None
        return self.level_of(row.headroom if row is not None else None) * stretch

    def draw(self, painter: QPainter) -> None:
        found = self.view.found
        blocks = self.blocks()
        if found is None or not blocks:
            return
        c, stretch = theme.colours(), max(1.0, theme.text_scale())
        none = NONE * stretch
        strokes, index = found.chain.pattern.strokes if found.chain else (), self.view.stroke
        now = float(strokes[index].start) if index is not None and index < len(strokes) else -1.0
        right = Qt.AlignmentFlag.AlignRight
        for words, y in (("headroom", MOST * stretch), ("at its limit", none)):
            label(painter, QPointF(GUTTER - 8, y), words, theme.lettering(9.5), QColor(c.muted), right)
        for block in blocks:
            self._draw_section(painter, block, block.start <= now < block.end, stretch)
        for before, after in pairwise(blocks):
            self._draw_seam(painter, before, after, stretch)
        painter.setPen(QPen(QColor(c.edge), 1))
        painter.drawLine(QPointF(self.x_at(0.0), none), QPointF(self.x_at(blocks[-1].end), none))

    def _draw_section(self, painter: QPainter, block: Block, chosen: bool, stretch: float) -> None:
        """A section's headroom over its time, a tick for each time it is played, and its name above."""
        c, found = theme.colours(), self.view.found
        assert found is not None
        row = next((r for r in found.sections if r.section == block.section), None)
        left, right, none, level = (
            self.x_at(block.start), self.x_at(block.end), NONE * stretch, self._level(block, stretch),
        )  # fmt: skip
        beyond = row is not None and row.headroom is not None and row.headroom < 0
        if chosen:
            painter.fillRect(QRectF(left, 0, right - left, self.height()), QColor(c.selection))
        area = QColor(c.stop if beyond else c.good)
        area.setAlpha(38)
        painter.fillRect(QRectF(left, min(level, none), right - left, abs(level - none)), area)
        painter.setPen(QPen(QColor(c.stop if beyond else c.good), 2.2))
        painter.drawLine(QPointF(left, level), QPointF(right, level))
        painter.setPen(QPen(QColor(c.edge), 1))
        for start in block.rounds:
            x = self.x_at(start)
            painter.drawLine(QPointF(x, none), QPointF(x, none + 5))
        x, room, y = left + 4, right - left - 8, NAME * stretch
        align, severity = Qt.AlignmentFlag.AlignLeft, row.severity if row is not None else ""
        if severity and room > 24:
            theme.draw_severity(painter, severity, QPointF(x + 5, y), 4.6)
            x, room = x + 14, room - 14
        font = theme.ui_font(10, bold=True)
        if room > 16:
            text = QFontMetricsF(font).elidedText(self._name(block.section), Qt.TextElideMode.ElideRight, room)
            label(painter, QPointF(x, y), text, font, QColor(c.ink), align)
        if row is not None and right - left > 40:
            limit = "no limit" if row.tempo_limit is None else f"breaks at {row.tempo_limit:.0f}"
            font = theme.ui_font(9)
            text = QFontMetricsF(font).elidedText(limit, Qt.TextElideMode.ElideRight, right - left - 8)
            # Over its line, but under it where the name stands there.
            over = min(level, none) - 9 * stretch
            at = QPointF(left + 7, over if over > (NAME + 14) * stretch else level + 11 * stretch)
            label(painter, at, text, font, QColor(c.stop if beyond else c.muted), align)

    def _draw_seam(self, painter: QPainter, before: Block, after: Block, stretch: float) -> None:
        """Where two sections meet: the last beat of one and the first of the next lie over each other."""
        c, x = theme.colours(), self.x_at(after.start)
        wide = max(SEAM, self.x_at(after.start + 0.25) - x)
        tops = (self._level(before, stretch), self._level(after, stretch))
        low = max(*tops, NONE * stretch)
        hatch = QColor(c.edge)
        painter.fillRect(
            QRectF(x - wide, min(tops), 2 * wide, low - min(tops)), QBrush(hatch, Qt.BrushStyle.BDiagPattern)
        )
        path = QPainterPath(QPointF(x - wide, tops[0]))
        path.cubicTo(QPointF(x, tops[0]), QPointF(x, tops[1]), QPointF(x + wide, tops[1]))
        painter.setPen(QPen(QColor(c.ink), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
