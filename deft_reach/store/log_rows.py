"""Rows of a logbook's tables as entries, from a whole database or from what is left of a damaged one."""

from __future__ import annotations

import json
import shutil
import sqlite3
from contextlib import closing, suppress
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Final

from deft_reach.store.log_entries import Attempt, Entry, TakeEntry, entry_from

#: Columns that hold JSON.
_AS_JSON: Final = frozenset({"load", "found", "speed"})
#: What belongs to a database file, by its ending.
PARTS: Final = ("", "-journal", "-wal", "-shm")
#: So many rows behind a damaged page are looked for one by one.
_MOST_LOOKED_FOR: Final = 20_000


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


def rows_of_damaged(path: Path) -> list[Attempt | TakeEntry]:
    """Every entry that can still be read in a damaged file, which is left as it is."""
    found: list[Attempt | TakeEntry] = []
    # A copy, because reading may roll a journal back.
    with TemporaryDirectory(prefix="deft-reach-") as folder, suppress(OSError, sqlite3.Error, UnicodeDecodeError):
        copy = Path(folder) / "logbook.sqlite"
        for part in PARTS:
            there = path.with_name(path.name + part)
            if there.exists():
                shutil.copyfile(there, copy.with_name(copy.name + part))
        with closing(sqlite3.connect(copy)) as base:
            base.row_factory, base.text_factory = sqlite3.Row, text_of
            for row in _rows_left(base, "attempts"):
                with suppress(ValueError):
                    found.append(replace(entry_of(Attempt, row), id=None, session=None))
            for row in _rows_left(base, "takes"):
                with suppress(ValueError):
                    found.append(replace(entry_of(TakeEntry, row), id=None, session=None))
    return found


def _rows_left(base: sqlite3.Connection, table: str) -> list[sqlite3.Row]:
    """A table's rows up to the first damaged page, from the end back to the last one, and between them singly."""
    found: dict[int, sqlite3.Row] = {}
    ends: list[int] = []
    for order in ("ASC", "DESC"):
        at = None
        with suppress(sqlite3.Error, UnicodeDecodeError):
            for row in base.execute(f"SELECT * FROM {table} ORDER BY id {order}"):
                at = int(row["id"])
                if at in found:
                    break
                found[at] = row
        if at is not None:
            ends.append(at)
    if len(ends) == 2:
        for id in range(ends[0] + 1, min(ends[1], ends[0] + _MOST_LOOKED_FOR)):
            with suppress(sqlite3.Error, UnicodeDecodeError):
                row = base.execute(f"SELECT * FROM {table} WHERE id = ?", (id,)).fetchone()
                if row is not None:
                    found[id] = row
    return [found[id] for id in sorted(found)]
