"""Where everything of the weave is: rows, threads, crossed stretches, meetings and marks."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QFontMetricsF
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import Same
from deft_reach.app.canvas.thread import GRACE_PX, Thread
from deft_reach.app.canvas.time_axis import GUTTER, TimeAxis
from deft_reach.app.canvas.timeline import Timeline
from deft_reach.core.analysis.finding import FINDING_NAMES, Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import HANDS, KICK, LEFT, RIGHT
from deft_reach.core.session.plan_view import PlanView

TOP = 30
FEET_ROOM = 47
#: The strip at the very bottom says who leads each beat.
LEAD_ROOM = 13
#: Two hands on one voice sit this far either side of it (px).
BESIDE = 4.5


class WeaveGeometry(Timeline):
    """What the weave's drawing is made of, in pixels."""

    def __init__(self, session: PlanView, axis: TimeAxis, name: str, parent: QWidget | None = None) -> None:
        self._rows: tuple[object, dict[str, float]] | None = None
        super().__init__(session, axis, name, parent)

    def rows(self, report: Report) -> dict[str, float]:
        """The height of each voice (px); worked out once for a report and a height."""
        key = (Same(report), self.height())
        if self._rows is None or self._rows[0] != key:
            self._rows = (key, self._rows_of(report))
        return self._rows[1]

    def _rows_of(self, report: Report) -> dict[str, float]:
        """The height of each voice (px), far left on top: by bearing from the seat, spread so that labels clear."""
        voices = {v for limb, v in report.pattern.by_limb_and_voice if limb in HANDS and v in report.table.points}
        voices |= {v for v in report.pattern.grace_voices if v in report.table.points}
        bearing = {v: math.atan2(report.table.points[v][0], max(report.table.points[v][1], 1.0)) for v in voices}
        order = sorted(voices, key=lambda v: (bearing[v], v))
        if not order:
            return {}
        top, bottom = TOP + 14.0, self.height() - FEET_ROOM - 9.0
        low, high = bearing[order[0]], bearing[order[-1]]
        spread = (bottom - top) / (high - low) if high > low else 0.0
        ys = [top + (bearing[v] - low) * spread for v in order]
        if high == low:
            ys = [(top + bottom) / 2] * len(ys)
        gap = min(19.0, (bottom - top) / max(len(order) - 1, 1))
        for _ in range(40):
            moved = False
            for i in range(len(ys) - 1):
                lack = gap - (ys[i + 1] - ys[i])
                if lack > 0.05:
                    ys[i], ys[i + 1] = ys[i] - lack / 2, ys[i + 1] + lack / 2
                    moved = True
            if ys[0] < top:
                ys[0] = top
            if ys[-1] > bottom:
                ys[-1] = bottom
            if not moved:
                break
        return dict(zip(order, ys))

    def threads(self, report: Report, rows: dict[str, float]) -> dict[str, Thread]:
        found = {hand: Thread() for hand in HANDS}
        for i in self.in_view(report):
            stroke = report.pattern.strokes[i]
            if stroke.limb not in HANDS or stroke.voice not in rows:
                continue
            x, y = self.axis.x(report.pattern.starts[i]), self.hand_y(report, rows, i)
            if stroke.grace:
                for grace in report.strokes[i].graces:
                    if grace.voice in rows:
                        side = BESIDE if grace.limb == RIGHT else -BESIDE
                        at = rows[grace.voice] + (side if grace.voice == stroke.voice else 0.0)
                        found[grace.limb].add(x - GRACE_PX, at, i, grace.pace, grace=True)
            found[stroke.limb].add(x, y, i, report.strokes[i].pace)
        return found

    @staticmethod
    def hand_y(report: Report, rows: dict[str, float], index: int) -> float:
        """The height of a hand's stroke (px): two hands on one voice stand beside each other."""
        stroke, posture = report.pattern.strokes[index], report.postures[report.posture_of[index]]
        if posture.right != posture.left:
            return rows[stroke.voice]
        return rows[stroke.voice] + (BESIDE if stroke.limb == RIGHT else -BESIDE)

    def in_view(self, report: Report) -> range:
        """The strokes that are to be seen, and beyond them on both sides the next of each hand."""
        starts, strokes = report.pattern.starts, report.pattern.strokes
        first = bisect_left(starts, self.axis.time(GUTTER - 30))
        last = bisect_right(starts, self.axis.time(self.width() + 30))
        for step, at in ((-1, first), (1, last - 1)):
            wanted = set(HANDS)
            while wanted and 0 <= at + step < len(starts):
                at += step
                wanted.discard(strokes[at].limb)
            first, last = (at, last) if step < 0 else (first, at + 1)
        return range(max(0, first), min(last, len(starts)))

    def foot_y(self, limb: str) -> float:
        return self.height() - FEET_ROOM + (8 if limb == KICK else 21)

    def crossed_stretches(self, report: Report) -> list[tuple[float, float, str, float]]:
        """Stretches of crossed arms as (start x, end x, who is over, clearance)."""
        found: list[tuple[float, float, str, float]] = []
        start: float | None = None
        over, clearance = RIGHT, math.inf
        before = 0.0
        times = report.pattern.event_starts
        first = max(0, bisect_left(times, self.axis.time(GUTTER - 30)) - 1)
        last = bisect_right(times, self.axis.time(self.width() + 30)) + 2
        seen = slice(first, last)
        rows = zip(times[seen], report.pattern.events[seen], report.postures[seen])
        for number, (time, event, posture) in enumerate(rows, first):
            x = self.axis.x(time)
            if posture.cross is not None:
                if start is None:
                    start = (before + x) / 2 if before else x - 14
                    over, clearance = posture.cross.over, posture.cross.clearance
                clearance = min(clearance, posture.cross.clearance)
            elif start is not None and event.hands:
                found.append((start, (before + x) / 2, over, clearance))
                start, clearance = None, math.inf
            elif before and number in report.crossed_before:
                # They cross and part again between the two.
                cross = report.crossed_before[number][1]
                found.append(((3 * before + x) / 4, (before + 3 * x) / 4, cross.over, cross.clearance))
            if event.hands:
                before = x
        if start is not None:
            found.append((start, before + 10, over, clearance))
        return [stretch for stretch in found if stretch[1] > GUTTER and stretch[0] < self.width()]

    def meetings(self, report: Report, threads: dict[str, Thread]) -> list[tuple[float, str]]:
        """Where the threads meet while the core says that the arms cross: x, and the hand that is over."""
        right, left = threads[RIGHT], threads[LEFT]
        if not right.xs or not left.xs:
            return []
        begin = max(right.xs[0], left.xs[0], GUTTER - 20.0)
        end = min(right.xs[-1], left.xs[-1], self.width() + 20.0)
        if end <= begin:
            return []
        x = np.arange(begin, end + 2.0, 2.0)
        side = np.sign(right.heights(x) - left.heights(x))
        found = []
        for k in np.nonzero(side[:-1] * side[1:] < 0)[0].tolist():
            at = float(x[k]) + 1.0
            event = bisect_right(report.pattern.event_starts, self.axis.time(at))
            near = [p.cross for p in report.postures[max(0, event - 1) : event + 1] if p.cross is not None]
            if event in report.crossed_before:
                near.append(report.crossed_before[event][1])
            if near:
                found.append((at, near[0].over))
        return found

    def placed_findings(self) -> list[tuple[Finding, QRectF, bool]]:
        """The mark above the threads of each finding in view and of the chosen one.

        With it come its rectangle and whether there is room for its name.
        """
        report = self.session.report
        if report is None:
            return []
        metrics_width = {}
        metrics = QFontMetricsF(theme.lettering(9))
        starts = report.pattern.starts
        seen = range(
            bisect_left(starts, self.axis.time(GUTTER - 60)), bisect_right(starts, self.axis.time(self.width()))
        )
        marks = []
        for finding in report.findings:
            first = finding.strokes[0]
            if first in seen or finding is self.session.finding:
                metrics_width[finding.kind] = metrics.horizontalAdvance(FINDING_NAMES[finding.kind])
                marks.append((self.axis.x(starts[first]), finding))
        marks.sort(key=lambda m: (m[0], -m[1].severity.rank))
        placed = []
        taken = -1e9
        for k, (x, finding) in enumerate(marks):
            left = max(x - 7, taken)
            following = marks[k + 1][0] - 8 if k + 1 < len(marks) else 1e9
            width = 16 + metrics_width[finding.kind] + 8
            named = left + width <= max(following, left) and left + width < self.width()
            rect = QRectF(left, 3, width if named else 16, 20)
            placed.append((finding, rect, named))
            taken = rect.right() + 1
        return placed
