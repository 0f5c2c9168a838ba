"""What a logbook holds: attempts, takes and sessions."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, Final, TypeVar

from deft_reach.core.practice.runner import VERDICTS

#: No number in a logbook is larger than this.
LARGEST: Final = 1e9


class LogbookError(Exception):
    """The logbook cannot be read or written now: says what is wrong and what to do."""


@dataclass(frozen=True)
class Attempt:
    """A rung tried: when (ISO 8601 with offset), what exactly, and how it went.

    ``text`` is the stage's stroke text; ``pace`` is for an untrained player and ``held_by`` the group that limited it
    (see calibration); ``load`` has seconds of playing by limb. ``committed`` is the date of the commitment that the
    plan stood by, and ``commitment`` its id; empty where it had none, or had changed since.
    """

    at: str
    plan: str
    plan_name: str
    text: str
    stage: str
    tempo: float
    verdict: str
    repeats: int = 1
    seconds: float = 0.0
    target: float | None = None
    tempo_limit: float | None = None
    pace: float | None = None
    held_by: str = ""
    load: Mapping[str, float] = field(default_factory=dict)
    note: str = ""
    session: int | None = None
    id: int | None = None
    committed: str = ""
    commitment: str = ""


@dataclass(frozen=True)
class TakeEntry:
    """A take that was checked: when, of which plan, and what the check found.

    ``speed`` is what it says of the player's speed, as an attempt does with its ``held_by``, ``pace`` and verdict: a
    row for each limb that could be judged.
    """

    at: str
    plan: str
    plan_name: str
    tempo: float
    verdict: str
    found: Mapping[str, Any]
    session: int | None = None
    id: int | None = None
    speed: Sequence[tuple[str, float, bool]] = ()
    note: str = ""


@dataclass(frozen=True)
class SessionEntry:
    begun: str
    ended: str | None = None
    note: str = ""
    id: int | None = None


Entry = TypeVar("Entry", Attempt, TakeEntry)
#: Fields that are numbers.
NUMBERS: Final = ("tempo", "seconds", "target", "tempo_limit", "pace", "repeats")


def entry_from(kind: type[Entry], row: Mapping[str, Any]) -> Entry:
    """An entry from another file's row: what it does not know, and the other file's own numbers, are left out.

    Raises ValueError, with the field, for what no logbook could hold.
    """
    if not isinstance(row, Mapping):
        raise ValueError("an entry is no object")
    known = {f.name: f for f in fields(kind) if f.name not in ("id", "session")}
    values = {name: row[name] for name in known if name in row}
    lacking = [name for name in ("at", "plan", "plan_name", "tempo", "verdict") if name not in values]
    if lacking:
        raise ValueError(f"an entry lacks {', '.join(lacking)}")
    for name, value in values.items():
        if name in NUMBERS:
            values[name] = _number(name, value, optional=name in ("target", "tempo_limit", "pace"))
        elif name == "load":
            values[name] = {str(limb): _number(name, seconds) for limb, seconds in _mapping(name, value).items()}
        elif name == "found":
            values[name] = _mapping(name, value)
        elif name == "speed":
            values[name] = speed_from(value)
        elif not isinstance(value, str):
            raise ValueError(f"{name} is {value!r}; expected text")
        else:
            # Halves of characters that no file can hold.
            values[name] = value.encode("utf-8", "replace").decode("utf-8")
    if values["verdict"] not in VERDICTS:
        raise ValueError(f"the verdict is {values['verdict']!r}; expected {', '.join(VERDICTS)}")
    if "repeats" in values:
        values["repeats"] = int(values["repeats"])
    return kind(**values)


def _number(name: str, value: Any, optional: bool = False) -> float | None:
    if optional and value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value <= LARGEST:
        raise ValueError(f"{name} is {value!r}; expected a number from 0 up")
    return value


def _mapping(name: str, value: Any) -> Mapping[str, Any]:
    if not isinstance(value, Mapping):
        raise ValueError(f"{name} is {value!r}; expected an object")
    return value


def speed_from(value: Any) -> tuple[tuple[str, float, bool], ...]:
    """A take's ``speed`` as JSON has it. Raises ValueError for anything else."""
    try:
        rows = tuple((str(held_by), float(pace), bool(clean)) for held_by, pace, clean in value)
    except TypeError:
        raise ValueError(f"speed is {value!r}; expected rows of limb, pace and whether clean") from None
    if not all(math.isfinite(pace) for _, pace, _ in rows):
        raise ValueError("speed has a pace that is no number")
    return rows
