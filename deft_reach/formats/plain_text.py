"""Bytes as text, and clear words where they are none."""

from __future__ import annotations


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
