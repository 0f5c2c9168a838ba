"""What drawings look at: the state of a plan, what is selected in it, and when that changes."""

from __future__ import annotations

from typing import Protocol

from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Plan
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.session.plan_state import PlanState
from deft_reach.core.session.selection import Selection
from deft_reach.core.session.signals import Signal


class StrokeEdits(Protocol):
    """What drawings do to strokes, by their index."""

    def set_limb(self, index: int, limb: str) -> None:
        """Give a stroke to another limb."""

    def other_hand(self, index: int) -> None:
        """Give a stroke to the other hand."""

    def toggle_mark(self, index: int, mark: str) -> None:
        """Set or clear a mark."""

    def toggle_grace(self, index: int, grace: str) -> None:
        """Set or clear a grace."""

    def exchange_over(self, index: int) -> None:
        """Let the other arm go over at a crossing."""


class PlanView(Selection):
    """A plan to look at: the one a session has in view, a song joined to one, what is offered, or what is practised.

    ``state`` is replaced whole. Signals: ``changed`` when it has been, ``verdict`` right after it, once report, error
    and selection are settled; ``selected`` when nothing but the selection changes; ``typed`` while keys are typed
    faster than they are analysed; ``moved`` while it is played; ``refused`` when an edit comes to nothing.
    """

    def __init__(self) -> None:
        super().__init__()
        self.state = PlanState()
        self.changed = Signal()
        self.verdict = Signal()
        self.typed = Signal()
        self.refused = Signal()
        #: How the hands use their gaps while the plan is played: ``early`` or ``late``, see motion.paths.
        self.preparing = "early"
        #: What can be done to strokes: nothing, where the plan can only be looked at.
        self.strokes: StrokeEdits = _NoEdits(self.refused)

    @property
    def report(self) -> Report | None:
        return self.state.report

    @property
    def error(self) -> StrokeTextError | None:
        return self.state.error

    @property
    def plan(self) -> Plan | None:
        return self.state.plan

    @property
    def kit(self) -> Kit:
        return self.state.kit

    @property
    def player(self) -> Player:
        return self.state.player

    @property
    def text(self) -> str:
        return self.state.text

    @property
    def behind(self) -> bool:
        """Whether what was typed is not analysed yet."""
        return self.state.behind

    @property
    def reading(self) -> bool:
        """Whether the text is so new that the background is still reading it; until then there is no pattern."""
        return self.state.reading

    @property
    def shown_pattern(self) -> Pattern | None:
        return self.state.shown_pattern

    @property
    def outdated(self) -> bool:
        return self.state.outdated

    def pattern(self) -> Pattern | None:
        """The pattern as the text stands now, None while it cannot be read."""
        return self.state.pattern

    def catch_up(self) -> None:
        """Work out at once what was put off, for what cannot wait for it."""


class _NoEdits:
    """Edits that come to nothing, which is said: a plan is edited in its own station."""

    def __init__(self, refused: Signal) -> None:
        self._refused = refused

    def set_limb(self, index: int, limb: str) -> None:
        self._refused.emit()

    def other_hand(self, index: int) -> None:
        self._refused.emit()

    def toggle_mark(self, index: int, mark: str) -> None:
        self._refused.emit()

    def toggle_grace(self, index: int, grace: str) -> None:
        self._refused.emit()

    def exchange_over(self, index: int) -> None:
        self._refused.emit()
