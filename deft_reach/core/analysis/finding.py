"""A finding: something about a pattern that is worth knowing; its kinds, and how serious it can be."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Any, Final, NamedTuple

from deft_reach.core.model.message import NOTHING, Message


class Severity(StrEnum):
    """``note``: ordinary; ``caution``: worth a thought; ``stop``: cannot be played so.

    >>> worst(["note", "stop", "caution"])
    <Severity.STOP: 'stop'>
    """

    NOTE = "note"
    CAUTION = "caution"
    STOP = "stop"

    @property
    def rank(self) -> int:
        """0 for a note, 2 for a stop."""
        return _RANKS[self]

    @property
    def serious(self) -> bool:
        """Whether it is more than a note."""
        return self is not Severity.NOTE


_RANKS = {severity: rank for rank, severity in enumerate(Severity)}


def caution_if(condition: bool) -> Severity:
    """A caution where the condition holds, else a note."""
    return Severity.CAUTION if condition else Severity.NOTE


def worst(severities: Iterable[str]) -> Severity | None:
    """The highest of some severities, None where there is none."""
    return max((Severity(s) for s in severities), key=lambda s: s.rank, default=None)


#: The kinds in the order in which they are looked for, with a name of a word or two.
FINDING_NAMES: Final = {
    "impossible": "impossible",
    "out-of-reach": "out of reach",
    "strained-reach": "stretch",
    "crossover": "crossover",
    "crossed-hold": "crossed hold",
    "open-handed": "open-handed",
    "sweep": "sweep",
    "near-miss": "near miss",
    "hurried": "hurried",
    "overload": "overload",
    "split-foot": "split foot",
    "unattended-hat": "open hat",
    "uneven-feet": "uneven feet",
    "exit-run": "run to landing",
    "lead-switch": "lead changes",
    # Said beside the findings.
    "mark": "mark",
}
#: What cannot be played at any tempo.
NEVER_PLAYABLE: Final = frozenset({"impossible", "out-of-reach"})


class Finding(NamedTuple):
    """Something worth knowing, in one plain sentence.

    ``strokes`` are indices in time order; ``limb`` whom it concerns; ``over`` the hand that passes over, where
    arms cross; ``said`` what there is to know and ``advised`` what would help, both with their fields.
    """

    kind: str
    strokes: tuple[int, ...]
    limb: str | None
    over: str | None
    severity: Severity
    said: Message
    advised: Message = NOTHING

    @property
    def message(self) -> str:
        """What there is to know, in English and millimetres."""
        return str(self.said)

    @property
    def advice(self) -> str:
        """What would help, in English and millimetres; empty where there is nothing to say."""
        return str(self.advised)

    def as_dict(self) -> dict[str, Any]:
        """The fields of the command contract; ``strokes`` are indices."""
        return {
            "kind": self.kind,
            "strokes": list(self.strokes),
            "limb": self.limb,
            "over": self.over,
            "severity": str(self.severity),
            "message": self.message,
        }
