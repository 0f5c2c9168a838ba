"""The time axis that weave and lane share, so that eyes drop straight down from thread to stroke."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QObject, Signal

from deft_reach.core.session.plan_view import PlanView

#: Room for labels left of the axis and for air right of it (px).
GUTTER = 92
RIGHT_MARGIN = 26
#: A step narrower than this (px) cannot be read; longer patterns scroll instead.
MIN_STEP = 17.0
MAX_SCALE = 4000.0


class TimeAxis(QObject):
    """Maps whole notes to pixels: ``x = GUTTER + (time − start) · scale``."""

    changed = Signal()

    def __init__(self, session: PlanView, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.start = 0.0
        self.scale = 500.0
        self.width = 600
        self._zoomed = False
        self._plan = ""
        session.verdict.connect(self._follow)
        session.typed.connect(self._follow)
        session.selected.connect(self._show_selection)
        session.moved.connect(self._show_position)
        self._follow()

    @property
    def length(self) -> float:
        """Length of the pattern in whole notes."""
        pattern = self.session.shown_pattern
        return float(pattern.length) if pattern is not None and pattern.length else 1.0

    @property
    def room(self) -> float:
        return max(40.0, self.width - GUTTER - RIGHT_MARGIN)

    @property
    def whole(self) -> bool:
        """Whether the whole pattern is in view."""
        return self.length * self.scale <= self.room + 1

    def x(self, time: Fraction | float) -> float:
        return GUTTER + 10 + (float(time) - self.start) * self.scale

    def time(self, x: float) -> float:
        return (x - GUTTER - 10) / self.scale + self.start

    def set_width(self, width: int) -> None:
        if width != self.width:
            self.width = width
            self._follow()

    def fit(self) -> None:
        """The whole pattern, or as much of it as can be read."""
        self._zoomed = False
        self._follow()

    def zoom(self, factor: float, x: float) -> None:
        """Zoom about a place in the widget."""
        anchor = self.time(x)
        least = self.room / self.length
        self.scale = min(MAX_SCALE, max(min(least, MAX_SCALE), self.scale * factor))
        self._zoomed = self.scale > least * 1.001
        self.start = anchor - (x - GUTTER - 10) / self.scale
        self._clamp()
        self.changed.emit()

    def pan(self, pixels: float) -> None:
        self.start += pixels / self.scale
        self._clamp()
        self.changed.emit()

    def _follow(self) -> None:
        before = (self.start, self.scale, self._plan)
        plan = self.session.plan
        id = plan.id if plan is not None else ""
        other = id != self._plan
        if other:
            self._plan, self._zoomed, self.start = id, False, 0.0
        if not self._zoomed:
            pattern = self.session.shown_pattern
            step = pattern.shortest_step if pattern is not None and pattern.moments else 0.25
            self.scale = min(MAX_SCALE, max((self.room - 10) / self.length, MIN_STEP / step))
        self._clamp()
        if (self.start, self.scale, self._plan) != before:
            self.changed.emit()
        if other or self.scale != before[1]:
            # Another plan, or another width: what is chosen is to be seen.
            self._show_selection()

    def _clamp(self) -> None:
        most = max(0.0, self.length - (self.room - 10) / self.scale)
        self.start = min(max(0.0, self.start), most)

    def _show_position(self) -> None:
        """A long plan turns its pages as it is played."""
        position = self.session.position
        if position is not None and not self.whole:
            right = self.start + (self.room - 30) / self.scale
            if position < self.start or position > right:
                self.start = position
                self._clamp()
                self.changed.emit()

    def _show_selection(self) -> None:
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.strokes):
            return
        time = report.pattern.starts[index]
        left, right = self.start, self.start + (self.room - 30) / self.scale
        if time < left or time > right:
            self.start = time - (right - left) * 0.3
            self._clamp()
            self.changed.emit()
