"""A day's practice as values: what the log says of it, the things to do, and all of them in order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final, NamedTuple

from deft_reach.core.document import Plan
from deft_reach.core.practice.forecast import Forecast
from deft_reach.core.practice.progress_log import PlanPractice, PlanProgress, Point

#: What an item is.
WARM_UP, DUE, CHUNK, RUNGS, SONG, BREAK, TAKE, TEST = (
    "warm-up", "due", "chunk", "rungs", "song", "break", "take", "test",
)  # fmt: skip
#: What comes first where nothing can be practised yet.
WRITE, COMMIT = "write", "commit"
#: What each is called.
KINDS: Final = {
    WARM_UP: "Warm up",
    DUE: "Does it hold?",
    CHUNK: "The part that breaks",
    RUNGS: "Next rungs",
    SONG: "The song through",
    BREAK: "Break",
    TAKE: "Record a take",
    TEST: "Hand test",
    WRITE: "Write a plan",
    COMMIT: "Commit a plan",
}


class Item(NamedTuple):
    """One thing to do: what, with which plan or song (id and name), at which tempo (BPM), for how many minutes, and
    why; ``stage`` names the chunk.
    """

    what: str
    plan: str
    name: str
    tempo: float | None
    minutes: float
    why: str
    stage: str = ""


@dataclass(frozen=True)
class Played:
    """What the log says, by ``Document.practice_id``: each plan's practice, its attempts at the whole figure, and
    minutes played today; of which plans a chunk was played today; when a take was checked, and a hand test done last.
    """

    practice: Mapping[str, PlanPractice] = field(default_factory=dict)
    points: Mapping[str, Sequence[Point]] = field(default_factory=dict)
    minutes: Mapping[str, float] = field(default_factory=dict)
    chunked: frozenset[str] = frozenset()
    took: date | None = None
    tested: date | None = None


@dataclass(frozen=True)
class Today:
    """What to do in what order; ``minutes`` are those that it fills, ``played`` those of today that are over, and
    ``progress`` is how far each plan is.
    """

    items: tuple[Item, ...]
    asked: float
    played: float
    forecasts: tuple[tuple[Plan, Forecast], ...]
    cautions: tuple[str, ...]
    progress: tuple[PlanProgress, ...] = ()

    @property
    def minutes(self) -> float:
        """What the items fill."""
        return sum(item.minutes for item in self.items)

    def as_dict(self) -> dict[str, Any]:
        """The command contract's shape: tempi in BPM, plans and songs by name."""
        return {
            "items": [
                {"what": i.what, "plan": i.name or None, "tempo": i.tempo, "minutes": i.minutes, "why": i.why,
                 **({"stage": i.stage} if i.stage else {})}
                for i in self.items
            ],
            "minutes": self.minutes,
            "forecast": [
                {"plan": plan.name, "sessions": f.sessions, "spread": [f.low, f.high]} for plan, f in self.forecasts
            ],
            "played": round(self.played, 1),
            "cautions": list(self.cautions),
        }  # fmt: skip
