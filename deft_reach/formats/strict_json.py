"""JSON that anybody may have written: only what can be worked with and written again."""

from __future__ import annotations

import json
import math
from typing import Any

from deft_reach.formats.reading import DocumentError, decode


def read_json(data: bytes, limit: int) -> dict[str, Any]:
    """The JSON object that a file of at most ``limit`` bytes is: finite numbers, and every field once.

    Raises DocumentError with the place of what is wrong.
    """
    if len(data) > limit:
        raise DocumentError(f"the file has {len(data):,} bytes; at most {limit:,} are read")
    text = decode(data)
    try:
        raw = json.loads(text, parse_float=_finite, parse_constant=_no_constant, object_pairs_hook=_no_doubles)
    except json.JSONDecodeError as error:
        raise DocumentError(f"not JSON: {error.msg}", line=error.lineno, column=error.colno) from None
    except RecursionError:
        raise DocumentError("the JSON is nested too deeply to be a document") from None
    except ValueError as error:
        raise DocumentError(str(error)) from None
    if not isinstance(raw, dict):
        raise DocumentError("expected a JSON object { … } at the start", line=1, column=1)
    return raw


def _finite(text: str) -> float:
    """A number that can be written again: one too large for any computer would be read as infinite."""
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"{text[:40]} is too large a number; write one that fits")
    return value


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is not a number that can be used; write a plain number")


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        keys = [key for key, _ in pairs]
        double = next(key for key in keys if keys.count(key) > 1)
        raise ValueError(f"the field '{double}' stands twice in one object; keep one of them")
    return found
