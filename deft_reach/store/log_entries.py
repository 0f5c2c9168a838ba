"""What a logbook holds: attempts, takes and sessions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, Final, TypeVar

from deft_reach.core.practice.progress_log import moment_of
from deft_reach.core.practice.verdicts import VERDICTS

#: No number in a logbook is larger than this.
LARGEST: Final = 1e9
#: Characters of an attempt's stroke text, and of every other text.
LONGEST_TEXT: Final = 1_000_000
LONGEST_NAME: Final = 10_000
#: What a take's check found is nested so deeply at most, and holds so many values: some take of an hour.
DEEPEST: Final = 12
MOST_VALUES: Final = 200_000
MOST_LIMBS: Final = 100


class LogbookError(Exception):
    """The logbook cannot be read or written now: says what is wrong and what to do."""


class LogbookBusyError(LogbookError):
    """Another program holds the logbook: it can be tried again."""


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
    """One sitting: when it began and ended (ISO 8601), and what was noted."""

    begun: str
    ended: str | None = None
    note: str = ""
    id: int | None = None


Entry = TypeVar("Entry", Attempt, TakeEntry)
#: Fields that are numbers.
NUMBERS: Final = ("tempo", "seconds", "target", "tempo_limit", "pace", "repeats")


def entry_from(kind: type[Entry], row: Mapping[str, Any]) -> Entry:
    """An entry from a row of a logbook or of another file: what it does not know, and the row's own numbers, are left
    out.

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
            values[name] = _load(value)
        elif name == "found":
            values[name] = _found(value)
        elif name == "speed":
            values[name] = speed_from(value)
        else:
            values[name] = _text(name, value, LONGEST_TEXT if name == "text" else LONGEST_NAME)
    moment_of(values["at"])
    if values["verdict"] not in VERDICTS:
        raise ValueError(f"the verdict is {_short(values['verdict'])}; expected {', '.join(VERDICTS)}")
    if "repeats" in values:
        values["repeats"] = int(values["repeats"])
    return kind(**values)


def checked(entry: Attempt | TakeEntry) -> Attempt | TakeEntry:
    """An entry that a logbook can hold, with its own numbers. Raises ValueError, with the field, where it cannot."""
    if isinstance(entry, Attempt):
        return replace(entry_from(Attempt, vars(entry)), id=entry.id, session=entry.session)
    return replace(entry_from(TakeEntry, vars(entry)), id=entry.id, session=entry.session)


def _number(name: str, value: Any, optional: bool = False) -> float | None:
    if optional and value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value <= LARGEST:
        raise ValueError(f"{name} is {_short(value)}; expected a number from 0 up")
    return value


def _text(name: str, value: Any, longest: int = LONGEST_NAME) -> str:
    if not isinstance(value, str):
        raise ValueError(f"{name} is {_short(value)}; expected text")
    if len(value) > longest:
        raise ValueError(f"{name} has {len(value):,} characters; expected at most {longest:,}")
    # Halves of characters that no file can hold.
    return value.encode("utf-8", "replace").decode("utf-8")


def _mapping(name: str, value: Any) -> Mapping[str, Any]:
    if not isinstance(value, Mapping):
        raise ValueError(f"{name} is {_short(value)}; expected an object")
    return value


def _load(value: Any) -> dict[str, float | None]:
    rows = _mapping("load", value)
    if len(rows) > MOST_LIMBS:
        raise ValueError(f"load has {len(rows)} limbs; expected at most {MOST_LIMBS}")
    return {_text("a limb", limb): _number("load", seconds) for limb, seconds in rows.items()}


def _found(value: Any) -> Mapping[str, Any]:
    """What a check found: any JSON within bounds, and the fields that are shown as they have to be."""
    found: dict[str, Any] = _json("found", _mapping("found", value), [MOST_VALUES])
    advice = found.get("advice", [])
    if not isinstance(advice, list) or not all(isinstance(line, str) for line in advice):
        raise ValueError(f"found has the advice {_short(advice)}; expected a list of texts")
    _mapping("found's constants", found.get("constants", {}))
    return found


def _json(name: str, value: Any, room: list[int], depth: int = DEEPEST) -> Any:
    """The same value with texts that can be written; ``room`` counts down how many values there may still be."""
    room[0] -= 1
    if not depth or room[0] < 0:
        raise ValueError(
            f"{name} is nested too deeply" if not depth else f"{name} holds more than {MOST_VALUES:,} values"
        )
    if isinstance(value, str):
        return _text(name, value, LONGEST_TEXT)
    if isinstance(value, Mapping):
        return {_text(name, key): _json(name, item, room, depth - 1) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [_json(name, item, room, depth - 1) for item in value]
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, (int, float)) and -LARGEST <= value <= LARGEST:
        return value
    raise ValueError(f"{name} holds {_short(value)}; expected numbers up to {LARGEST:g}, texts, lists and objects")


def _short(value: Any) -> str:
    """A value as a message shows it. Numbers of thousands of digits cannot even be written out."""
    if isinstance(value, int) and not -LARGEST <= value <= LARGEST:
        return "a number too large"
    if isinstance(value, (list, tuple, Mapping)):
        return "a list" if not isinstance(value, Mapping) else "an object"
    text = repr(value)
    return text if len(text) <= 60 else f"{text[:60]} …"


def speed_from(value: Any) -> tuple[tuple[str, float, bool], ...]:
    """A take's ``speed`` as JSON has it. Raises ValueError for anything else."""
    wanted = "speed is not rows of limb, pace and whether clean"
    if not isinstance(value, (list, tuple)) or len(value) > MOST_LIMBS:
        raise ValueError(wanted)
    rows = []
    for row in value:
        if not isinstance(row, (list, tuple)) or len(row) != 3:
            raise ValueError(wanted)
        held_by, pace, clean = row
        rows.append((_text("speed's limb", held_by), float(_number("speed's pace", pace) or 0.0), bool(clean)))
    return tuple(rows)
