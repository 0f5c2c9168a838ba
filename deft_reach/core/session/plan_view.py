"""What drawings need of a session: a plan with its report, what is selected in it, and when that changes."""

from __future__ import annotations

from typing import Protocol

from deft_reach.core.analysis.explained import Demand
from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Plan
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.session.signals import Signal
from deft_reach.core.session.strokes import StrokeCommands


class PlanView(Protocol):
    """A plan to look at: the one a session has in view, a song chained to one, or a stage that is practised.

    ``report`` is of the newest text that could be read; ``outdated`` says that the text has changed since. Signals:
    ``verdict`` when report and error are settled, ``selected`` when something else is selected, ``typed`` while keys
    are typed faster than they are analysed, ``moved`` while it is played.
    """

    verdict: Signal
    selected: Signal
    typed: Signal
    moved: Signal
    changed: Signal
    #: What can be done to strokes; nothing, where the plan can only be looked at.
    strokes: StrokeCommands
    report: Report | None
    error: StrokeTextError | None
    #: How the hands use their gaps while it is played: ``early`` or ``late``.
    preparing: str

    @property
    def plan(self) -> Plan | None: ...
    @property
    def kit(self) -> Kit: ...
    @property
    def player(self) -> Player: ...
    @property
    def text(self) -> str: ...
    @property
    def shown_pattern(self) -> Pattern | None: ...
    @property
    def outdated(self) -> bool: ...
    @property
    def behind(self) -> bool: ...
    @property
    def reading(self) -> bool: ...
    @property
    def stroke(self) -> int | None: ...
    @property
    def finding(self) -> Finding | None: ...
    @property
    def demand(self) -> Demand | None: ...
    @property
    def position(self) -> float | None: ...
    def pattern(self) -> Pattern | None:
        """The pattern as the text stands now, None while it cannot be read."""

    def set_position(self, position: float | None) -> None:
        """Say where it is played (whole notes), None where it is not."""

    def select_stroke(self, index: int | None) -> None:
        """Select a stroke."""

    def step_stroke(self, by: int) -> None:
        """Select the stroke so many on."""

    def select_finding(self, finding: Finding | None) -> None:
        """Select a finding and its first stroke."""

    def step_finding(self, by: int) -> None:
        """Select the finding so many on."""

    def catch_up(self) -> None:
        """Analyse what has been typed."""
