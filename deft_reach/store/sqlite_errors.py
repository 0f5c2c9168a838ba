"""Telling what an error of SQLite means."""

from __future__ import annotations

import sqlite3


def is_busy(error: Exception) -> bool:
    return "locked" in str(error) or "busy" in str(error)


def is_damaged(error: sqlite3.DatabaseError) -> bool:
    text = str(error)
    return "malformed" in text or "not a database" in text or "no such table" in text or "no such column" in text
