"""The stroke lane: the pattern as written, under the weave and on the same time axis."""

from __future__ import annotations

from collections.abc import Hashable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label
from deft_reach.app.canvas.explain import where
from deft_reach.app.canvas.sprites import text_size
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.core.model.elements import GRACES
from deft_reach.core.model.limbs import FEET, HANDS, other_hand
from deft_reach.core.model.pattern import Moment, Pattern
from deft_reach.core.session.plan_view import PlanView

GROUP_Y = 11.0
HAND_Y = {"R": 33.0, "L": 69.0, "?": 51.0}
#: The bass foot, and the foot on the hi-hat side.
FOOT_Y = {"K": 93.0, "J": 107.0, "H": 107.0}
COUNT_Y = 124.0
HEIGHT = 135


class StrokeLane(Timeline):
    """Limbs in rows, groups as brackets, accents and ghosts by size, and what is counted."""

    follows_keys = True
    #: What an empty lane says.
    invitation = "No strokes yet: take them down in Write."

    def __init__(self, session: PlanView, axis: TimeAxis, parent: QWidget | None = None) -> None:
        super().__init__(session, axis, "Strokes, the pattern as written", parent)
        self.setMinimumHeight(round(HEIGHT * self.stretch))
        self.refresh()

    @property
    def stretch(self) -> float:
        """How much further apart the rows are for larger text."""
        return max(1.0, theme.text_scale())

    def sizeHint(self) -> QSize:
        return QSize(640, round(HEIGHT * self.stretch))

    def y_at(self, limb: str) -> float:
        return (FOOT_Y[limb] if limb in FEET else HAND_Y[limb]) * self.stretch

    def stroke_at(self, at: QPointF) -> int | None:
        pattern = self.session.shown_pattern
        if pattern is None:
            return None
        best, distance = None, 20.0
        for i, stroke in enumerate(pattern.strokes):
            dx = abs(self.axis.x(pattern.starts[i]) - at.x())
            dy = abs(self.y_at(stroke.limb) - at.y())
            if dx <= 14 and dx + dy * 0.4 < distance:
                best, distance = i, dx + dy * 0.4
        return best

    def in_words(self) -> str:
        report, index = self.session.report, self.session.stroke
        if report is None or not report.strokes:
            return "No strokes yet."
        chosen = f"Selected: {where(report, index)}, {report.strokes[index].limb}. " if index is not None else ""
        return f"{chosen}{len(report.strokes)} strokes: {report.pattern.sticking}"

    def picture_key(self) -> Hashable:
        """Where a drum stands changes nothing here, so nothing is drawn while one is dragged."""
        pattern = self.session.shown_pattern
        return (
            None if pattern is None else pattern.text,
            self.axis.start,
            self.axis.scale,
            self.session.stroke,
            self.session.outdated,
        )

    def draw(self, painter: QPainter) -> None:
        pattern = self.session.shown_pattern
        c = theme.colours()
        if pattern is None or not pattern.moments:
            self.empty(painter, self.invitation)
            return
        muted = QColor(c.muted)
        right = Qt.AlignmentFlag.AlignRight
        for text, y in (("right", HAND_Y["R"]), ("left", HAND_Y["L"]), ("feet", 100.0), ("count", COUNT_Y)):
            label(painter, QPointF(GUTTER - 8, y * self.stretch), text, theme.lettering(9.5), muted, right)
        painter.save()
        painter.setClipRect(QRectF(GUTTER - 2, 0, self.width() - GUTTER + 2, self.height()))
        index = self.session.stroke
        if index is not None and index < len(pattern.strokes):
            x = self.axis.x(pattern.starts[index])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(c.selection))
            painter.drawRect(QRectF(x - 9, 0, 18, self.height()))
        seen = pattern.bars_between(self.axis.time(GUTTER - 12), self.axis.time(self.width() + 10))
        for bar in [row.start for row in seen if row.number] + [pattern.length]:
            x = self.axis.x(bar) - 10
            painter.setPen(QPen(QColor(c.line), 1.4))
            painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))
        if self.session.outdated:
            painter.setOpacity(0.35)
        self._draw_groups(painter, c)
        self._draw_strokes(painter, c)
        self._draw_counts(painter, c)
        painter.restore()

    def _draw_groups(self, painter: QPainter, c: theme.Colours) -> None:
        pattern = self.session.shown_pattern
        assert pattern is not None
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for group in pattern.groups:
            start = self.axis.x(group.start) - 6
            if start > self.width() or self.axis.x(group.start + group.length) < 0:
                continue
            inside = [
                m
                for m in pattern.moments_between(float(group.start), float(group.start + group.length))
                if m.start < group.start + group.length
            ]
            end = self.axis.x(inside[-1].start) + 6 if inside else start + 12
            painter.setPen(QPen(QColor(c.muted), 1.2))
            painter.drawLine(QPointF(start, GROUP_Y), QPointF(end, GROUP_Y))
            for x in (start, end):
                painter.drawLine(QPointF(x, GROUP_Y), QPointF(x, GROUP_Y + 5))
            words = f"{group.name} · {group.steps}" if group.name else str(group.steps)
            if end - start > text_size(words, theme.lettering(8.5))[0] + 14:
                halo = QColor(c.sheet)
                label(
                    painter,
                    QPointF((start + end) / 2, GROUP_Y - 1),
                    words,
                    theme.lettering(8.5),
                    QColor(c.muted),
                    halo=halo,
                )

    def _in_view(self, pattern: Pattern) -> tuple[Moment, ...]:
        """The steps that are to be seen: of a long plan only a few."""
        return pattern.moments_between(self.axis.time(GUTTER - 30), self.axis.time(self.width() + 30))

    def _draw_strokes(self, painter: QPainter, c: theme.Colours) -> None:
        pattern = self.session.shown_pattern
        assert pattern is not None
        for i in (i for row in self._in_view(pattern) for i in row.strokes):
            stroke = pattern.strokes[i]
            x = self.axis.x(stroke.start)
            y = self.y_at(stroke.limb)
            moment = pattern.moments[stroke.moment].strokes
            if len(moment) > 1 and {"J", "H"} <= {pattern.strokes[k].limb for k in moment}:
                # One foot on both pedals: side by side.
                x += {"J": -5, "H": 5}.get(stroke.limb, 0)
            points = 13 if ">" in stroke.marks else 8.5 if "." in stroke.marks else 11.5
            font = theme.ui_font(points, bold=">" in stroke.marks)
            if "." in stroke.marks:
                font.setWeight(QFont.Weight.Medium)
            label(painter, QPointF(x, y), stroke.limb, font, c.hand(stroke.limb))
            if ">" in stroke.marks:
                top = y - 13.5 * self.stretch
                painter.setPen(QPen(c.hand(stroke.limb), 1.5))
                painter.drawPolyline([QPointF(x - 3.5, top), QPointF(x + 4, top + 2.3), QPointF(x - 3.5, top + 4.5)])
            if stroke.grace:
                # A flam's and a drag's graces are the other hand's.
                limb = other_hand(stroke.limb) if stroke.limb in HANDS else stroke.limb
                label(painter, QPointF(x - 9, y + 4), GRACES[stroke.grace][0], theme.lettering(8), c.hand(limb))
            usual = {"R": "sn", "L": "sn", "?": "sn", "K": "bd", "J": "bd", "H": "hh:foot"}[stroke.limb]
            extra = stroke.marks.translate(str.maketrans("", "", ">."))
            small = ("" if stroke.voice == usual else stroke.voice.replace("hh:foot", "")) + extra
            if stroke.shift:
                # Where it is meant, to the right or the left of where it is written.
                side = 9.0 if stroke.shift > 0 else -9.0
                painter.setPen(QPen(c.hand(stroke.limb), 1.3))
                at, tip = QPointF(x + side * 0.7, y), QPointF(x + side * 1.25, y)
                painter.drawLine(at, tip)
                back = -2.2 if side > 0 else 2.2
                painter.drawPolyline([tip + QPointF(back, -2.2), tip, tip + QPointF(back, 2.2)])
                small = " ".join(filter(None, (small, f"{stroke.shift:+d} ms".replace("-", "−"))))
            if small:
                label(painter, QPointF(x, y + 12.5 * self.stretch), small, theme.lettering(8), QColor(c.muted))

    def _draw_counts(self, painter: QPainter, c: theme.Colours) -> None:
        pattern = self.session.shown_pattern
        assert pattern is not None
        strong, weak = theme.ui_font(10, bold=True), theme.ui_font(9)
        for count in pattern.counts_of(self._in_view(pattern)):
            if not count.said:
                continue
            x = self.axis.x(count.start)
            colour = QColor(c.ink if count.on_beat else c.muted)
            if not count.struck:
                colour.setAlphaF(0.5)
            said = count.said
            if len(said) > 1 and self.axis.scale * count.length < 24:
                said = "·"
            label(painter, QPointF(x, COUNT_Y * self.stretch), said, strong if count.on_beat else weak, colour)
