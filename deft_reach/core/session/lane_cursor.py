"""The cursor among the steps of a plan: where it is, what is selected, and how the text is changed there."""

from __future__ import annotations

from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.document import read_unfinished
from deft_reach.core.model.elements import (
    Grid,
    Rest,
    Step,
    Tie,
)
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stretch import grid_before
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.notation.swing import straight
from deft_reach.core.session import Session
from deft_reach.core.session.signals import Signal

#: Edits that follow each other quickly are one undo step.
MERGE: Final = "lane"
BEING_READ: Final = "the text is still being read"


class Extent(NamedTuple):
    """A step in the text: where it begins, where its own letters end, and where what prolongs it ends."""

    start: int
    own_end: int
    end: int
    element: Step | Rest


class LaneCursor:
    """The cursor. ``changed`` says that it, the selection, or what is half typed is different."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.changed = Signal()
        self.at = 0
        self.anchor: int | None = None
        self.pending = ""
        self.typed: int | None = None
        self.inserting = False
        self.problem = ""
        self._moving = False
        self._late = False
        self._plan = ""
        session.selected.connect(self._follow)
        session.verdict.connect(self._clamp)
        session.typed.connect(self._clamp)
        self._clamp()

    @property
    def pattern(self) -> Pattern | None:
        return self.session.pattern()

    @property
    def written(self) -> Pattern | None:
        """The pattern as it is written, without its swing: lengths are counted in it."""
        pattern = self.pattern
        return None if pattern is None else straight(pattern)

    @property
    def steps(self) -> int:
        pattern = self.pattern
        return 0 if pattern is None else len(pattern.moments)

    @property
    def selection(self) -> tuple[int, int]:
        """First selected step and the one after the last; an empty range where nothing is selected."""
        if self.anchor is None:
            return self.at, self.at
        return min(self.at, self.anchor), max(self.at, self.anchor)

    def extents(self) -> list[Extent]:
        """Every step's place in the text."""
        pattern = self.pattern
        found: list[Extent] = []
        if pattern is None:
            return found
        open_step = False
        for element in pattern.elements:
            if isinstance(element, (Step, Rest)):
                found.append(Extent(element.span.start, element.span.end, element.span.end, element))
                open_step = True
            elif isinstance(element, Tie) and open_step:
                found[-1] = found[-1]._replace(end=element.span.end)
            else:
                open_step = False
        return found

    def grid_at(self, step: int) -> Grid:
        """The grid in force just before a step."""
        return Grid(16) if self.pattern is None else grid_before(self.pattern, step)

    def go(self, step: int, extend: bool = False) -> None:
        """Put the cursor on a step; ``extend`` selects from where it was."""
        self.finish_pending()
        if extend and self.anchor is None:
            self.anchor = self.at
        elif not extend:
            self.anchor = None
        self.at = max(0, min(step, self.steps))
        self.typed = None
        self.show()

    def move(self, by: int, extend: bool = False) -> None:
        self.go(self.at + by, extend)

    def move_beat(self, by: int, extend: bool = False) -> None:
        """To the step on or after the next beat, or on or before the last one."""
        pattern = self.pattern
        if pattern is None or not pattern.moments:
            return
        starts = [m.start for m in pattern.moments]
        now = starts[self.at] if self.at < len(starts) else pattern.length
        bar = pattern.bar_at(min(now, starts[-1]))
        beat = Fraction(1, bar.meter[1])
        if by > 0:
            target = (now // beat + 1) * beat
            self.go(next((k for k, s in enumerate(starts) if s >= target), len(starts)), extend)
        else:
            target = (-(-now // beat) - 1) * beat
            self.go(max((k for k, s in enumerate(starts) if s <= target), default=0), extend)

    def select_all(self) -> None:
        self.anchor, self.at = 0, self.steps
        self.show()

    def show(self) -> None:
        """Let everything else select the stroke under the cursor; while keys are typed, once they rest."""
        if self.session.behind:
            self._late = True
            self.changed.emit()
            return
        pattern = self.pattern
        if pattern is not None and self.at < len(pattern.moments):
            strokes = pattern.moments[self.at].strokes
            if strokes and self.session.stroke not in strokes:
                self._moving = True
                self.session.select_stroke(strokes[0])
                self._moving = False
        self.changed.emit()

    def _follow(self) -> None:
        """A stroke chosen elsewhere takes the cursor along."""
        pattern, stroke = self.pattern, self.session.stroke
        if self._moving or pattern is None or stroke is None or stroke >= len(pattern.strokes):
            return
        moment = next((k for k, m in enumerate(pattern.moments) if stroke in m.strokes), None)
        if moment is not None and moment != self.at:
            self.at, self.anchor, self.typed = moment, None, None
            self.changed.emit()

    def _clamp(self) -> None:
        plan = self.session.plan
        if plan is not None and plan.id != self._plan:
            # Another plan: the cursor goes where that one is looked at.
            self._plan = plan.id
            self.at, self.anchor, self.typed, self.pending = 0, None, None, ""
            self._follow()
        if self._late and not self.session.behind:
            self._late = False
            self.show()
        if self.pattern is not None:
            self.at = min(self.at, self.steps)
            if self.anchor is not None:
                self.anchor = min(self.anchor, self.steps)
            if self.typed is not None and self.typed >= self.steps:
                self.typed = None
        self.changed.emit()

    def finish_pending(self) -> None:
        """Carry out what is half typed, before the cursor leaves it."""
        self.pending = ""

    # --- text -------------------------------------------------------------------------------------------------

    def insert_text(self, token: str, label: str, merge: str | None = MERGE) -> bool:
        """Put text in before the step under the cursor, or at the end."""
        extents = self.extents()
        if self.at < len(extents):
            place = extents[self.at].start
            return self.splice(place, place, token + " ", label, merge)
        place = self._end()
        text = self.session.text
        before = " " if place > 0 and text[place - 1] not in " \n(" else ""
        return self.splice(place, place, before + token, label, merge)

    def _end(self) -> int:
        """Where a new step goes at the end: before trailing remarks and blank lines."""
        pattern = self.pattern
        last = 0
        for element in pattern.elements if pattern is not None else ():
            if type(element).__name__ not in ("LineBreak", "Comment"):
                last = element.span.end
        return last if last else (len(self.session.text) if pattern is not None and pattern.elements else 0)

    def splice(self, start: int, end: int, piece: str, label: str, merge: str | None = MERGE) -> bool:
        text = self.session.text
        return self.apply(text[:start] + piece + text[end:], label, merge)

    def apply(self, text: str, label: str, merge: str | None = None) -> bool:
        """Make the edit, unless the text could not be read any more: then say why and leave it."""
        if self.session.reading:
            self.problem = BEING_READ
            self.changed.emit()
            return False
        try:
            read_unfinished(text, self.session.kit)
        except StrokeTextError as error:
            self.problem = f"found {error.found}, expected {error.expected}"
            self.changed.emit()
            return False
        self.session.strokes.set_text(text, label, merge, typing=merge == MERGE)
        self.changed.emit()
        return True
