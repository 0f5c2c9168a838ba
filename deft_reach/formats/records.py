"""Records to plain dictionaries and back, keeping what this version does not know."""

from __future__ import annotations

import types
import typing
from collections.abc import Mapping
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from typing import Any, Final, TypeVar

T = TypeVar("T")
#: Fields that this version does not know may be nested so deeply.
DEEPEST: Final = 32


def to_dict(record: Any) -> dict[str, Any]:
    """A dataclass as a dictionary, its unknown fields back where they were."""
    out: dict[str, Any] = {}
    for field in fields(record):
        if field.name != "extra":
            out[field.name] = _plain(getattr(record, field.name))
    out.update(getattr(record, "extra", {}))
    return out


def from_dict(kind: type[T], data: Mapping[str, Any]) -> T:
    """A dictionary as a dataclass; fields it does not have take their defaults, unknown ones go to ``extra``.

    The data must have passed the schema: types are converted here, not checked. Raises ValueError where an unknown
    field is nested deeper than DEEPEST.

    Raises KeyError for a field that is missing.
    """
    hints: dict[str, Any] = _hints(kind)  # type: ignore[arg-type]
    values: dict[str, Any] = {}
    for field in fields(kind):  # type: ignore[arg-type]
        if field.name == "extra":
            continue
        if field.name in data:
            values[field.name] = _typed(hints[field.name], data[field.name])
        elif field.default is MISSING and field.default_factory is MISSING:
            raise KeyError(field.name)
    if "extra" in hints:
        values["extra"] = {key: value for key, value in data.items() if key not in hints or key == "extra"}
        _check_depth(values["extra"])
    return kind(**values)


def _check_depth(extra: Mapping[str, Any]) -> None:
    """Refuse fields that nobody knows and that are nested so deeply that they could not be written again."""
    level: list[Any] = [extra]
    for _ in range(DEEPEST):
        level = [
            item
            for value in level
            if isinstance(value, (dict, list))
            for item in (value.values() if isinstance(value, dict) else value)
        ]
        if not level:
            return
    raise ValueError(f"the field '{next(iter(extra))[:60]}' is nested more than {DEEPEST} deep")


@cache
def _hints(kind: type[Any]) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _plain(value: Any) -> Any:
    if is_dataclass(value) and not isinstance(value, type):
        return to_dict(value)
    if isinstance(value, tuple):
        return [_plain(item) for item in value]
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return int(value)
    return value


def _typed(hint: Any, value: Any) -> Any:
    origin = typing.get_origin(hint)
    if origin is tuple:
        return tuple(_typed(typing.get_args(hint)[0], item) for item in value)
    if origin is types.UnionType:
        if value is None:
            return None
        return _typed(next(arg for arg in typing.get_args(hint) if arg is not type(None)), value)
    if is_dataclass(hint) and isinstance(hint, type):
        return from_dict(hint, value)
    return float(value) if hint is float else value
