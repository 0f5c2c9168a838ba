"""A plan as it stands at one moment: one immutable value that views read and sessions replace whole."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Plan, read_unfinished
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import StrokeTextError


class PlanKey(NamedTuple):
    """Everything that an answer about a plan is made from. Answers with another key are of another state."""

    plan: str
    text: str
    kit: Kit
    player: Player
    tempo: float
    repeat: bool
    weights: Weights


@dataclass(frozen=True, eq=False)
class PlanState:
    """All there is to say of a plan: what it is, what is written, and what that means.

    ``report`` is of the newest text that could be read, ``error`` what is wrong with the present one. While keys are
    typed faster than they are analysed the state is ``behind``, and while a very long text is still being read it is
    ``reading`` as well: there is no pattern then.
    """

    plan: Plan | None = None
    kit: Kit = layout("five")  # noqa: RUF009
    player: Player = Player()  # noqa: RUF009
    text: str = ""
    report: Report | None = None
    error: StrokeTextError | None = None
    behind: bool = False
    reading: bool = False

    @cached_property
    def key(self) -> PlanKey | None:
        """What an answer to a question about this state is made from; None where there is no plan."""
        plan = self.plan
        if plan is None:
            return None
        return PlanKey(plan.id, self.text, self.kit, self.player, plan.tempo, plan.repeat, plan.weights)

    @cached_property
    def shown_pattern(self) -> Pattern | None:
        """The pattern as the text stands, or while that cannot be read, as it last did."""
        last = self.report.pattern if self.report is not None else None
        if self.plan is None or self.reading or (last is not None and last.text == self.text):
            return last
        try:
            return read_unfinished(self.text, self.kit)
        except StrokeTextError:
            return last

    @property
    def pattern(self) -> Pattern | None:
        """The pattern as the text stands, None while it cannot be read."""
        shown = self.shown_pattern
        return shown if shown is not None and shown.text == self.text else None

    @property
    def outdated(self) -> bool:
        """Whether the report is of an earlier text, because the present one cannot be read."""
        return self.report is not None and self.report.pattern.text != self.text
