"""Rows of a logbook's tables as entries, from a whole database or from what is left of a damaged one."""

from __future__ import annotations

import json
import shutil
import sqlite3
from collections import deque
from collections.abc import Mapping
from contextlib import closing, suppress
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, Final, NamedTuple

from deft_reach.store.log_entries import Attempt, Entry, TakeEntry, entry_from

#: Columns that hold JSON.
_AS_JSON: Final = frozenset({"load", "found", "speed"})
#: What belongs to a database file, by its ending.
PARTS: Final = ("", "-journal", "-wal", "-shm")
#: A row has at least so many bytes: what an attempt cannot do without.
_LEAST_ROW: Final = 64
_LARGEST_ID: Final = 2**63 - 1


def text_of(data: bytes) -> str:
    """Text of a database, with marks in the place of bytes that are none."""
    return data.decode("utf-8", "replace")


def entry_of(kind: type[Entry], row: sqlite3.Row) -> Entry:
    """A row as an entry. Raises ValueError where it is none."""
    values = dict(row)
    try:
        for name in _AS_JSON & values.keys():
            values[name] = json.loads(values[name])
    except (TypeError, RecursionError) as error:
        raise ValueError(str(error)) from None
    return replace(entry_from(kind, values), id=values["id"], session=values["session"])


class Saved(NamedTuple):
    """What could be read in a damaged logbook, and how many of its entries could not, None where nothing tells."""

    entries: list[Attempt | TakeEntry]
    lost: int | None


def rows_of_damaged(path: Path) -> Saved:
    """Every entry that can still be read in a damaged file, which is left as it is."""
    found: list[Attempt | TakeEntry] = []
    lost: int | None = None
    # A copy, because reading may roll a journal back.
    with TemporaryDirectory(prefix="deft-reach-") as folder, suppress(OSError, sqlite3.Error, UnicodeDecodeError):
        copy = Path(folder) / "logbook.sqlite"
        for part in PARTS:
            there = path.with_name(path.name + part)
            if there.exists():
                shutil.copyfile(there, copy.with_name(copy.name + part))
        with closing(sqlite3.connect(copy)) as base:
            base.row_factory, base.text_factory = sqlite3.Row, text_of
            size = copy.stat().st_size
            attempts, lost_attempts = _entries_left(base, Attempt, "attempts", "attempts_of_plan", size)
            takes, lost_takes = _entries_left(base, TakeEntry, "takes", "takes_by_plan", size)
            found = [*attempts, *takes]
            lost = None if lost_attempts is None or lost_takes is None else lost_attempts + lost_takes
    return Saved(found, lost)


def _entries_left(
    base: sqlite3.Connection, kind: type[Entry], table: str, index: str, size: int
) -> tuple[list[Entry], int | None]:
    """A table's entries that can be read, and how many cannot: an index has the numbers of all."""
    ids = _ids_in(base, table, index)
    rows = _rows_left(base, table, size // _LEAST_ROW + 1 if ids is None else max(ids, default=0))
    found = []
    for id in sorted(rows):
        with suppress(ValueError):
            found.append(replace(entry_of(kind, rows[id]), id=None, session=None))
    return found, None if ids is None else len(rows.keys() | ids) - len(found)


def _ids_in(base: sqlite3.Connection, table: str, index: str) -> set[int] | None:
    """The numbers that a table's index has, which is in other pages than the rows; None where it is damaged too."""
    try:
        return {int(id) for (id,) in base.execute(f"SELECT id FROM {table} INDEXED BY {index}")}
    except (sqlite3.Error, UnicodeDecodeError):
        return None


def _rows_left(base: sqlite3.Connection, table: str, last: int) -> dict[int, sqlite3.Row]:
    """A table's readable rows by number: from both ends up to damaged pages, then both halves of what is left.

    Entries are numbered from 1 without gaps; beyond the damaged pages at the end there may be some up to ``last``.
    """
    found: dict[int, sqlite3.Row] = {}
    stretches = deque([(1, _LARGEST_ID)])
    while stretches:
        low, high = stretches.popleft()
        low = _walk(base, table, low, high, found, up=True)
        if low <= high:
            high = _walk(base, table, low, high, found, up=False)
        high = min(high, last)
        if low < high:
            middle = (low + high) // 2
            stretches += [(low, middle), (middle + 1, high)]
    return found


def _walk(
    base: sqlite3.Connection, table: str, low: int, high: int, found: dict[int, sqlite3.Row], *, up: bool
) -> int:
    """Take rows of a range of numbers in one direction as far as they can be read; the first number that is left."""
    at = low - 1 if up else high + 1
    order = "ASC" if up else "DESC"
    try:
        for row in base.execute(f"SELECT * FROM {table} WHERE id BETWEEN ? AND ? ORDER BY id {order}", (low, high)):
            at = int(row["id"])
            found[at] = row
    except (sqlite3.Error, UnicodeDecodeError):
        return at + 1 if up else at - 1
    return high + 1 if up else low - 1


def table_of(entry: Attempt | TakeEntry) -> str:
    """The table that an entry is in."""
    return "attempts" if isinstance(entry, Attempt) else "takes"


def told_apart_by(table: str) -> tuple[str, ...]:
    """What two entries of one second differ in, if they are not the same one."""
    stage = ("stage",) if table == "attempts" else ()
    return ("plan", "at", "tempo", "verdict", *stage, "note")


def saved_in_words(saved: int, left: Saved) -> str:
    """How many entries of a damaged logbook are in the new one, and how many are not."""
    had = f", with {entries(saved)} saved from it" if saved else ""
    if left.lost is None:
        return f"{had}; whether it held more cannot be told" if saved else ""
    lost = left.lost + len(left.entries) - saved
    return f"{had}; {entries(lost) if lost else 'none'} could not be read"


def entries(count: int) -> str:
    """How many entries, in words."""
    return f"{count:,} {'entry' if count == 1 else 'entries'}"


def row_of(entry: Attempt | TakeEntry, *without: str) -> dict[str, Any]:
    """An entry as its table has it: mappings and lists are JSON there."""
    return {
        name: json.dumps(value, sort_keys=True) if isinstance(value, (Mapping, list, tuple)) else value
        for name, value in vars(entry).items()
        if name not in without
    }
