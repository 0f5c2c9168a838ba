"""A logbook out and in: JSON with all of it, CSV with every attempt as a row."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from dataclasses import asdict, fields
from typing import Any, Final

from deft_reach.formats.reading import DocumentError
from deft_reach.formats.tables import rows_of
from deft_reach.store.log_entries import LONGEST_TEXT, NUMBERS, Attempt, Entry, LogbookError, TakeEntry, entry_from
from deft_reach.store.logbook import Logbook

#: Of the JSON: fields that are added leave it as it is, what it does not know is left out.
VERSION: Final = 1
#: More attempts than a life of practice.
MOST_ROWS: Final = 2_000_000
#: A byte-order mark, as some programs write it before everything else.
MARK: Final = "\ufeff"
#: Larger files are not read (bytes): decades of practice, in JSON.
MAX_BYTES: Final = 200_000_000
#: What a spreadsheet takes for the beginning of a formula, and the guard itself.
FORMULAS: Final = ("=", "+", "-", "@", "\t", "\r", "'")
FORMAT: Final = "deft-reach-logbook"
_NEEDED: Final = ("at", "plan", "plan_name", "text", "stage", "tempo", "verdict")


def to_json(book: Logbook) -> str:
    """All of it as JSON."""
    return json.dumps(
        {
            "format": FORMAT,
            "version": VERSION,
            "sessions": [asdict(row) for row in book.sessions()],
            "attempts": [asdict(row) for row in book.attempts()],
            "takes": [asdict(row) for row in book.takes()],
        },
        ensure_ascii=False,
        indent=1,
    )


def to_csv(book: Logbook) -> str:
    """Every attempt as a row."""
    out = io.StringIO()
    names = [f.name for f in fields(Attempt)]
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(names)
    for row in book.attempts():
        values = {**asdict(row), "load": json.dumps(row.load, sort_keys=True)}
        writer.writerow(["" if values[name] is None else _guarded(values[name]) for name in names])
    return out.getvalue()


def from_json(book: Logbook, text: str) -> int:
    """Add what another logbook has and this one has not; how many entries that were. Raises LogbookError."""
    try:
        raw = json.loads(text.removeprefix(MARK))
    except (ValueError, RecursionError) as error:
        raise LogbookError(f"this logbook cannot be read: {error}") from None
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise LogbookError(f"this is no logbook: expected a JSON object with the format {FORMAT}")
    version = raw.get("version", 0)
    if not isinstance(version, int) or version > VERSION:
        raise LogbookError(f"this logbook is of version {version}; this app reads up to {VERSION}")
    attempts, takes = _entries(raw, "attempts", Attempt), _entries(raw, "takes", TakeEntry)
    return book.merge([*attempts, *takes])


def _entries(raw: Mapping[str, Any], name: str, kind: type[Entry]) -> list[Entry]:
    found = raw.get(name, [])
    if not isinstance(found, list):
        raise LogbookError(f"this logbook cannot be read: its {name} are no list")
    rows = []
    for number, row in enumerate(found, 1):
        try:
            rows.append(entry_from(kind, row))
        except (TypeError, ValueError) as error:
            raise LogbookError(f"this logbook cannot be read: number {number} of its {name}: {error}") from None
    return rows


def from_csv(book: Logbook, text: str) -> int:
    """Add attempts from a table as ``to_csv`` writes it; how many that were. Raises LogbookError with the line."""
    table = rows_of(text.removeprefix(MARK), MOST_ROWS, "attempts", longest=LONGEST_TEXT)
    rows = []
    try:
        _, names = next(table, (1, []))
        lacking = [name for name in _NEEDED if name not in names]
        if lacking:
            raise LogbookError(f"line 1: the table lacks {', '.join(lacking)}")
        for line, cells in table:
            rows.append(_attempt_from(dict(zip(names, cells)), line))
    except DocumentError as error:
        raise LogbookError(str(error)) from None
    return book.merge(rows)


def _attempt_from(row: Mapping[str, str], line: int) -> Attempt:
    try:
        return entry_from(Attempt, _typed(row))
    except (ValueError, TypeError, RecursionError) as error:
        raise LogbookError(f"line {line}: {error}") from None


def _typed(row: Mapping[str, str | None]) -> dict[str, Any]:
    """A table's texts as what they stand for; empty ones are as if they were not there."""
    values: dict[str, Any] = {}
    for name, text in row.items():
        if not text and name not in _NEEDED:
            continue
        if name in NUMBERS:
            values[name] = float(text or "")
        else:
            values[name] = json.loads(text or "") if name == "load" else _bare(text or "")
    return values


def _guarded(value: Any) -> Any:
    """A text that a spreadsheet does not take for a formula; what looks like a guard of its own gets one too."""
    return f"'{value}" if isinstance(value, str) and value[:1] in FORMULAS else value


def _bare(text: str) -> str:
    """A text without its guard."""
    return text[1:] if text[:1] == "'" and text[1:2] in FORMULAS and len(text) > 1 else text
