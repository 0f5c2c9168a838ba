"""Bytes as text and as exact numbers, and clear words where they are none."""

from __future__ import annotations

import re
from collections.abc import Callable
from fractions import Fraction
from functools import wraps
from typing import Final, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")
#: A number that can be worked with: no exponents, and no more digits than any length in music has.
_EXACT: Final = re.compile(r"\s*-?(\d{1,9}/\d{1,9}|\d{1,9}(?:\.\d{0,9})?|\.\d{1,9})\s*", re.ASCII)


class DocumentError(ValueError):
    """A file that cannot be read as what it should be.

    ``line`` and ``column`` (from 1) are there when the text itself is broken; otherwise ``where`` is the path to the
    value, such as ``plans[2].tempo``.
    """

    def __init__(self, message: str, where: str = "", line: int | None = None, column: int | None = None) -> None:
        self.where = where
        self.line = line
        self.column = column
        prefix = f"{where}: " if where else ""
        if line is not None:
            prefix = f"line {line}: " if column is None else f"line {line}, column {column}: "
        super().__init__(prefix + message)


def decode(data: bytes) -> str:
    """UTF-8 text, with or without a byte order mark. Raises DocumentError with the place of the first wrong byte."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        column = error.start - data.rfind(b"\n", 0, error.start)
        raise DocumentError("these bytes are not UTF-8 text", line=line, column=column) from None


def exact(text: str) -> Fraction:
    """A number, written as a decimal or as a fraction, exactly.

    Raises ValueError for anything else: ``1e99999999`` would take more memory than there is.

    >>> exact("3/16"), exact("0.25")
    (Fraction(3, 16), Fraction(1, 4))
    """
    if not _EXACT.fullmatch(text):
        raise ValueError(f"'{text[:40]}' is not a number such as 3/16 or 0.25")
    try:
        return Fraction(text)
    except ZeroDivisionError:
        raise ValueError(f"'{text[:40]}' divides by nothing") from None


def number_text(value: float) -> str:
    """A number as it is written into a file: no more digits than it needs, and no exponent.

    >>> number_text(132.0), number_text(98.5)
    ('132', '98.5')
    """
    return f"{value:.6f}".rstrip("0").rstrip(".")


def reader(read: Callable[P, R]) -> Callable[P, R]:
    """Let nothing out of a reader of files but its result or a DocumentError.

    Readers say themselves what is wrong with a file. This is for what nobody foresaw, in them or in a library: the
    user hears that the file is damaged, and the cause stays with the error.
    """

    @wraps(read)
    def guarded(*args: P.args, **named: P.kwargs) -> R:
        try:
            return read(*args, **named)
        except DocumentError:
            raise
        except Exception as error:
            words = f"the file is damaged, or holds what no such file should ({type(error).__name__})"
            raise DocumentError(words) from error

    return guarded
