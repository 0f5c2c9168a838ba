"""What an attempt at a rung can be, and by which rule verdicts move one on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from deft_reach.core.model.counting import counted

CLEAN, ROUGH, NOT_YET = "clean", "rough", "not-yet"
VERDICTS: Final = (CLEAN, ROUGH, NOT_YET)
#: A rung at a lower pace than this is far from its limit.
EASY_RUNG: Final = 0.75


@dataclass(frozen=True)
class Rule:
    """When to move: up after so many clean in a row, back by so many rungs after so many "not yet" in a row.

    ``adaptive`` goes up at once after a first try that is clean on a rung far from its limit.
    """

    up_after: int = 3
    back_after: int = 2
    back_by: int = 2
    adaptive: bool = False

    def tries(self, pace: float | None) -> int:
        """How often a rung at a pace is played before it is left upwards, if every try is clean."""
        return 1 if self.adaptive and pace is not None and pace < EASY_RUNG else self.up_after

    def in_words(self) -> str:
        """The rule as a sentence."""
        quick = "; at once where a rung is easy" if self.adaptive else ""
        return (
            f"Up after {self.up_after} clean in a row{quick}; "
            f"back {counted(self.back_by, 'rung')} after {counted(self.back_after, 'time')} not yet."
        )


#: Up after three clean in a row, back two rungs after "not yet" twice. Common practice.
THREE_CLEAN: Final = Rule()
