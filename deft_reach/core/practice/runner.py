"""A practice session on a ladder: what each verdict leads to, by a rule the player can see and change."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from deft_reach.core.analysis.endurance import SUSTAINED, Endurance, endurance
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.counting import counted
from deft_reach.core.model.limbs import FEET
from deft_reach.core.practice.ladder import Rung
from deft_reach.core.practice.stages import Stage
from deft_reach.core.practice.verdicts import CLEAN, NOT_YET, THREE_CLEAN, VERDICTS, Rule

#: Unbroken seconds of high load, and of any playing, after which a break is part of the plan. Common practice.
HIGH_LOAD_S: Final = 300.0
UNBROKEN_S: Final = 1500.0
#: A break shorter than this (seconds) is none.
BREAK_S: Final = 60.0


class RungChange(NamedTuple):
    """What a verdict leads to: ``up``, ``hold``, ``back`` or ``done``; the rung then, and why."""

    kind: str
    rung: int
    why: str


class Tried(NamedTuple):
    """One verdict: on which rung, which, and how many seconds of playing it took."""

    rung: int
    verdict: str
    seconds: float


class Runner:
    """Where a session is. It takes verdicts and the time that playing took, and knows no clock of its own."""

    def __init__(
        self,
        rungs: Sequence[Rung],
        stages: Sequence[Stage],
        rule: Rule = THREE_CLEAN,
        at: int = 0,
        warm_up_to: int = 0,
    ) -> None:
        if not rungs:
            raise ValueError("a session needs at least one rung")
        self.rungs, self.stages, self.rule = tuple(rungs), tuple(stages), rule
        self.at = min(max(0, at), len(rungs) - 1)
        #: Rungs before this one are to warm up: one clean try leads on.
        self.warm_up_to = warm_up_to
        self.tried: list[Tried] = []
        self.done = False
        self._clean = self._not_yet = 0
        #: Seconds since the last break, and those of them under high load.
        self.unbroken = self.high_load = 0.0

    @property
    def rung(self) -> Rung:
        return self.rungs[self.at]

    @property
    def stage(self) -> Stage:
        return self.stages[self.rung.stage]

    @property
    def cleans(self) -> int:
        """Clean in a row on this rung."""
        return self._clean

    def take(self, verdict: str, seconds: float) -> RungChange:
        """A verdict on the present rung. Raises ValueError for one that is none."""
        if verdict not in VERDICTS:
            raise ValueError(f"'{verdict}' is no verdict; expected {', '.join(VERDICTS)}")
        first = not any(row.rung == self.at for row in self.tried)
        self.tried.append(Tried(self.at, verdict, seconds))
        self.unbroken += seconds
        if self.effort() > 0:
            self.high_load += seconds
        self._clean = self._clean + 1 if verdict == CLEAN else 0
        self._not_yet = self._not_yet + 1 if verdict == NOT_YET else 0
        at_once = verdict == CLEAN and (self.at < self.warm_up_to or (first and self.rule.tries(self.rung.pace) == 1))
        if self._clean >= self.rule.up_after or at_once:
            return self._up()
        if self._not_yet >= self.rule.back_after:
            back = max(0, self.at - self.rule.back_by)
            # What fails is not to warm up any more.
            self.warm_up_to = min(self.warm_up_to, back)
            why = f"{counted(self._not_yet, 'time')} not yet: {self.rungs[back].tempo:.4g} BPM again"
            if back == self.at:
                why = "the lowest rung: slower still, or fewer strokes at a time"
            return self._to("back" if back < self.at else "hold", back, why)
        left = self.rule.up_after - self._clean
        return RungChange("hold", self.at, f"{left} more clean, then up" if verdict == CLEAN else "once more, looser")

    def _up(self) -> RungChange:
        if self.at == len(self.rungs) - 1:
            self.done = True
            self._clean = self._not_yet = 0
            return RungChange("done", self.at, "the top of the ladder, clean: leave it there for today")
        following = self.rungs[self.at + 1]
        new = following.stage != self.rung.stage
        what = f"on to {self.stages[following.stage].name}" if new else f"up to {following.tempo:.4g} BPM"
        return self._to("up", self.at + 1, what)

    def _to(self, kind: str, rung: int, why: str) -> RungChange:
        self.at = rung
        self._clean = self._not_yet = 0
        return RungChange(kind, rung, why)

    def go_to(self, rung: int) -> None:
        """To a rung of the player's own choice."""
        self._to("hold", min(max(0, rung), len(self.rungs) - 1), "")
        self.done = False

    def rest(self, seconds: float) -> None:
        """A break; a short one changes nothing."""
        if seconds >= BREAK_S:
            self.unbroken = self.high_load = 0.0

    def effort(self) -> float:
        """How far the hardest working limb is above what it can keep up at this rung; 0 where all can go on."""
        found = 0.0
        for one in efforts(self.stage.report, self.rung.tempo):
            found = max(found, one.effort - SUSTAINED["foot" if one.limb in FEET else "hand"])
        return found

    def break_due(self) -> str | None:
        """Why a break is due now, or None."""
        if self.high_load >= HIGH_LOAD_S:
            loaded = counted(round(self.high_load / 60), "minute")
            return f"{loaded} of high load: put the sticks down for a minute or two."
        if self.unbroken >= UNBROKEN_S:
            unbroken = counted(round(self.unbroken / 60), "minute")
            return f"{unbroken} without a break: stand up, shake out, drink something."
        return None


def efforts(report: Report, tempo: float) -> list[Endurance]:
    """Every limb's endurance at another tempo than the report's: efforts go with it."""
    found = []
    for limb in report.summary.load:
        one = endurance(report, limb)
        if one is not None:
            found.append(one._replace(effort=one.effort * tempo / report.tempo))
    return found
