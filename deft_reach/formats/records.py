"""Records to plain dictionaries and back, keeping what this version does not know."""

from __future__ import annotations

import types
import typing
from collections.abc import Callable, Hashable, Mapping
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from typing import Any, Final, TypeVar, cast

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


def from_dict(kind: type[T], data: Mapping[str, Any], made: dict[int, Any] | None = None) -> T:
    """A dictionary as a dataclass; fields it does not have take their defaults, unknown ones go to ``extra``.

    The data must have passed the schema: types are converted here, not checked. With ``made``, a dictionary that
    stands in several places is converted once; it has by ``id`` what there is already.

    Raises ValueError where an unknown field is nested deeper than DEEPEST, KeyError for a field that is missing.
    """
    if made is not None and id(data) in made:
        return cast("T", made[id(data)])
    converters, has_extra = _converters(cast("Hashable", kind))
    values: dict[str, Any] = {}
    for name, convert, needed in converters:
        if name in data:
            value = data[name]
            values[name] = value if convert is None else convert(value, made)
        elif needed:
            raise KeyError(name)
    if has_extra:
        # Nearly always there is nothing that is not known.
        unknown = {} if len(values) == len(data) else {key: value for key, value in data.items() if key not in values}
        if unknown:
            _check_depth(unknown)
        values["extra"] = unknown
    found = kind(**values)
    if made is not None:
        made[id(data)] = found
    return found


#: Makes a field's value from plain data; the second argument is as from_dict's ``made``.
_Convert = Callable[[Any, dict[int, Any] | None], Any]


@cache
def _converters(kind: Any) -> tuple[tuple[tuple[str, _Convert | None, bool], ...], bool]:
    """Of a dataclass each field's name, what makes its value (None: it stays as it is) and whether it must be there;
    and whether it keeps unknown fields.
    """
    hints = typing.get_type_hints(kind)
    rows = tuple(
        (field.name, _converter(hints[field.name]), field.default is MISSING and field.default_factory is MISSING)
        for field in fields(kind)
        if field.name != "extra"
    )
    return rows, "extra" in hints


def _converter(hint: Any) -> _Convert | None:
    origin = typing.get_origin(hint)
    if origin is tuple:
        return _tuple_of(_converter(typing.get_args(hint)[0]))
    if origin is types.UnionType:
        inside = _converter(next(arg for arg in typing.get_args(hint) if arg is not type(None)))
        return None if inside is None else lambda value, made: None if value is None else inside(value, made)
    if is_dataclass(hint) and isinstance(hint, type):
        return lambda value, made: from_dict(hint, value, made)
    return (lambda value, made: float(value)) if hint is float else None


def _tuple_of(convert: _Convert | None) -> _Convert:
    if convert is None:
        return lambda value, made: tuple(value)
    return lambda value, made: tuple([convert(item, made) for item in value])


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


def _plain(value: Any) -> Any:
    if is_dataclass(value) and not isinstance(value, type):
        return to_dict(value)
    if isinstance(value, tuple):
        return [_plain(item) for item in value]
    return whole_number(value)


def whole_number(value: Any) -> Any:
    """A number without a fraction as an integer, everything else as it is."""
    return int(value) if isinstance(value, float) and value.is_integer() and abs(value) < 1e15 else value
