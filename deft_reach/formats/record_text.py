"""Records as indented JSON text. A record never changes, so the text of a large one is put together once and kept.

A document is written every few seconds while somebody works in it, and nearly all of it is as it was.
"""

from __future__ import annotations

import json
import weakref
from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from functools import partial
from typing import Any, Final

from deft_reach.formats.records import whole_number

#: Shorter texts are put together again rather than kept.
KEPT_FROM: Final = 400
_INDENTED: Final = json.JSONEncoder(ensure_ascii=False, allow_nan=False, indent=1)
_FLAT: Final = json.JSONEncoder(ensure_ascii=False, allow_nan=False)
_kept: dict[int, tuple[weakref.ref[Any], str]] = {}


def object_text(rows: Mapping[str, str]) -> str:
    """A JSON object of these names and texts, as ``json.dumps(…, indent=1)`` writes it."""
    return _wrapped("{", (f"{_FLAT.encode(name)}: {text}" for name, text in rows.items()), "}")


def record_rows(record: Any) -> dict[str, str]:
    """The text of each field of a dataclass, its unknown fields back where they were."""
    rows = {field.name: value_text(getattr(record, field.name)) for field in fields(record) if field.name != "extra"}
    rows |= {name: _plain_text(value) for name, value in getattr(record, "extra", {}).items()}
    return rows


def value_text(value: Any) -> str:
    """A field's value as JSON text, the same as of ``records.to_dict``. Raises ValueError for NaN and infinity."""
    if isinstance(value, tuple):
        return _wrapped("[", map(value_text, value), "]")
    if not is_dataclass(value) or isinstance(value, type):
        return _plain_text(whole_number(value))
    known = _kept.get(id(value))
    if known is not None and known[0]() is value:
        return known[1]
    text = object_text(record_rows(value))
    if len(text) >= KEPT_FROM and hasattr(value, "__weakref__"):
        _kept[id(value)] = weakref.ref(value, partial(_forget, id(value))), text
    return text


def _forget(key: int, _gone: object) -> None:
    _kept.pop(key, None)


def _plain_text(value: Any) -> str:
    return (_INDENTED if isinstance(value, (dict, list)) else _FLAT).encode(value)


def _wrapped(begin: str, texts: Iterable[str], end: str) -> str:
    inside = ",\n".join(texts)
    # No line break of a text itself is hit: in JSON those are escaped.
    return begin + ("\n" + inside).replace("\n", "\n ") + "\n" + end if inside else begin + end
