"""A tape sheet: one reading a line, ``from,to,mm`` and if need be its uncertainty."""

from __future__ import annotations

from typing import Final

from deft_reach.core.model.kit import Reading
from deft_reach.formats.reading import DocumentError, decode, reader
from deft_reach.formats.tables import rows_of

#: A kit of thirty pieces has some five hundred distances.
MAX_ROWS: Final = 2000


@reader
def load_tape(data: bytes) -> tuple[list[Reading], list[int]]:
    """The readings of a tape sheet and the line each stands on.

    Commas, semicolons or tabs; ``#`` begins a remark; a first line of words is a heading. ``to`` may be ``floor`` or
    ``seat``. Raises DocumentError with line and column.
    """
    text = decode(data)
    mark = max(",;\t", key=text.count)
    readings: list[Reading] = []
    lines: list[int] = []
    for number, raw in enumerate(text.splitlines(), 1):
        body = raw.partition("#")[0]
        if not body.strip():
            continue
        try:
            _, found = next(rows_of(body, 1, delimiter=mark))
        except DocumentError as error:
            raise DocumentError(str(error).partition(": ")[2], line=number, column=1) from None
        cells = [cell.strip() for cell in found]
        if not readings and len(cells) >= 3 and not _is_number(cells[2]) and cells[2].lower() in ("mm", "distance"):
            continue
        if len(cells) not in (3, 4):
            raise DocumentError(
                f"found {len(cells)} columns, expected from, to, mm and if need be the uncertainty in mm",
                line=number,
                column=1,
            )
        if len(readings) >= MAX_ROWS:
            raise DocumentError(f"more than {MAX_ROWS} readings", line=number, column=1)
        numbers: list[float] = []
        for k in range(2, len(cells)):
            if not _is_number(cells[k]):
                column = len(mark.join(body.split(mark)[:k])) + 2
                raise DocumentError(f"found '{cells[k]}', expected a number of mm", line=number, column=column)
            numbers.append(float(cells[k]))
        readings.append(Reading(cells[0], cells[1], numbers[0], numbers[1] if len(numbers) > 1 else None))
        lines.append(number)
    return readings, lines


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
