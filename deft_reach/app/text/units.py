"""Lengths as the player wants them: millimetres or inches. All computation is in millimetres."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Final

from deft_reach.app.text.numbers import decimal_point, localised
from deft_reach.core.model.message import Message

MM_PER: Final = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, '"': 25.4, "″": 25.4, "inch": 25.4, "inches": 25.4}
_ENTRY = re.compile(r"\s*([-−+]?)\s*(\d*[.,]?\d*)(?:\s+(\d+)/(\d+))?\s*(mm|cm|m|inches|inch|in|\"|″)?\s*\Z")

_unit = "mm"


def unit() -> str:
    """``mm`` or ``in``."""
    return _unit


def set_unit(name: str) -> None:
    global _unit
    _unit = name if name in ("mm", "in") else "mm"


def number(mm: float, exact: bool = False) -> str:
    """A length as a bare number in the chosen unit; ``exact`` for fields that are typed into."""
    if _unit == "mm":
        text = f"{mm:.1f}".removesuffix(".0") if exact else f"{mm:.0f}"
    else:
        text = f"{mm / 25.4:.{2 if exact else 1}f}"
    return "0" if text.strip("-0.") == "" else localised(text.replace("-", "−"))


def length(mm: float) -> str:
    """A length with its unit."""
    return f"{number(mm)} {_unit}"


def text_of(said: Message | Exception | str) -> str:
    """What the core says, or why it refused, with its lengths in the chosen unit."""
    if isinstance(said, Exception):
        said = said.args[0] if said.args and isinstance(said.args[0], Message) else str(said)
    if isinstance(said, str):
        return said
    return _written(said, _unit, decimal_point())


@lru_cache(maxsize=4096)
def _written(said: Message, unit: str, point: str) -> str:
    """Lists show the same sentences again after every edit."""
    if unit == "mm":
        return said.text(number=localised)
    return said.text(length=lambda mm, _: length(mm), number=localised)


def parse(text: str) -> float | None:
    """What was typed, in mm: ``506``, ``50.6 cm``, ``19.9 in``, ``19 7/8"``; None if it is no length.

    A bare number is in the chosen unit.
    """
    found = _ENTRY.match(text)
    if found is None or not (found[2].strip(".,") or found[3]):
        return None
    whole = float(found[2].replace(",", ".") or 0)
    if found[3]:
        if int(found[4]) == 0:
            return None
        whole += int(found[3]) / int(found[4])
    sign = -1.0 if found[1] in ("-", "−") else 1.0
    return sign * whole * MM_PER[found[5] or _unit]
