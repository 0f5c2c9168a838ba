"""A sticking or voicing that is offered, to look at and to hear before it is taken."""

from __future__ import annotations

from deft_reach.core.document import Plan
from deft_reach.core.session import Session
from deft_reach.core.session.signals import Signal
from deft_reach.core.session.stage_view import StageView


class CandidateView(StageView):
    """Shows a candidate of the plan in view of ``main`` until it is cleared, or that plan becomes another.

    The selected stroke is the same in both as long as both have as many strokes. ``shown`` is emitted when a
    candidate comes into view or leaves it.
    """

    def __init__(self, main: Session) -> None:
        self.main = main
        #: Name of the candidate in view, "" where the plan itself is.
        self.name = ""
        self.shown = Signal()
        self._offer: tuple[str, float | None] = ("", None)
        self._beside: tuple[Plan | None, str] = (None, "")
        super().__init__()
        self.watch()

    def watch(self) -> None:
        """Listen to the session; called again when its listeners have been let go."""
        self.main.verdict.connect(self._main_changed)
        self.main.selected.connect(self._main_selected)

    @property
    def active(self) -> bool:
        """Whether a candidate is in view."""
        return bool(self.name)

    def show_candidate(self, name: str, text: str, tempo: float | None = None) -> None:
        """Bring a candidate into view; ``tempo`` is its own, None for the plan's. The plan's own text clears it."""
        main, plan = self.main, self.main.plan
        if plan is None or not name or (text == main.text and tempo in (None, plan.tempo)):
            self.clear()
            return
        self._offer, self._beside = (text, tempo), (plan, main.text)
        self.name = name
        self.show_stage(name, text, main.kit, main.player, plan, tempo or plan.tempo, plan.repeat)
        self._main_selected()
        self.shown.emit()

    def clear(self) -> None:
        """The plan itself again."""
        if self.name:
            self.name = ""
            self.shown.emit()

    def _main_changed(self) -> None:
        """Another plan, or other strokes, end the comparison; on a kit that moves it goes on."""
        if not self.name:
            return
        if (self.main.plan, self.main.text) != self._beside:
            self.clear()
        else:
            self.show_candidate(self.name, *self._offer)

    def _same_strokes(self) -> bool:
        mine, theirs = self.report, self.main.report
        return mine is not None and theirs is not None and len(mine.strokes) == len(theirs.strokes)

    def _main_selected(self) -> None:
        if self.name and self._same_strokes() and self.stroke != self.main.stroke:
            super().select_stroke(self.main.stroke)

    def select_stroke(self, index: int | None) -> None:
        super().select_stroke(index)
        if self.name and self._same_strokes() and self.main.stroke != self.stroke:
            self.main.select_stroke(self.stroke)
