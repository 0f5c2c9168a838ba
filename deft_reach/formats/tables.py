"""Tables as text: CSV in the ways that programs write it."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Final

from deft_reach.formats.reading import DocumentError

#: A longer cell is no cell of a table.
LONGEST_CELL: Final = 100_000
#: The library has a limit of its own, for all tables of a program; some hold whole stroke texts.
csv.field_size_limit(2_000_000)


def heading_of(rows: Iterator[tuple[int, list[str]]], needed: Sequence[str]) -> list[str]:
    """The names of a table's columns, from its first row.

    Raises DocumentError where one is missing or there twice.
    """
    heading = [cell.strip().lower() for cell in next(rows, (1, []))[1]]
    missing = [column for column in needed if column not in heading]
    if missing:
        joined = " and ".join(missing) if len(missing) < 3 else ", ".join(missing)
        raise DocumentError(f"the heading lacks {joined}", line=1, column=1)
    twice = [name for name, count in Counter(heading).items() if name and count > 1]
    if twice:
        raise DocumentError(f"the heading has {', '.join(name[:40] for name in twice)} twice", line=1, column=1)
    return heading


def rows_of(
    text: str, most: int, what: str = "lines", delimiter: str = ",", longest: int = LONGEST_CELL
) -> Iterator[tuple[int, list[str]]]:
    """The rows of a table with the line each ends on, empty ones left out; the first is the heading.

    Lines may end as on any system, old ones too. Raises DocumentError with the line for what is no table, and for
    more than ``most`` rows below the heading.
    """
    # Where there are no other ends of lines, carriage returns are those; elsewhere they belong to what is quoted.
    lines = csv.reader(io.StringIO(text, newline="" if "\n" in text else None), delimiter=delimiter)
    count = -1
    while True:
        try:
            cells = next(lines)
        except StopIteration:
            return
        except csv.Error as error:
            raise DocumentError(f"this is no table: {error}", line=lines.line_num, column=1) from None
        if not any(cell.strip() for cell in cells) and count >= 0:
            continue
        count += 1
        if count > most:
            raise DocumentError(f"more than {most:,} {what}", line=lines.line_num)
        for k, cell in enumerate(cells, 1):
            if len(cell) > longest:
                raise DocumentError(f"value {k} has {len(cell):,} characters", line=lines.line_num)
        yield lines.line_num, cells
