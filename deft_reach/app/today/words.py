"""What the items of a day are called."""

from __future__ import annotations

from typing import Final

from deft_reach.core.practice.day import (
    BREAK,
    CHUNK,
    COMMIT,
    DUE,
    RUNGS,
    SONG,
    TAKE,
    TEST,
    WARM_UP,
    WRITE,
)

KINDS: Final = {
    WARM_UP: "Warm up",
    DUE: "Does it hold?",
    CHUNK: "The part that breaks",
    RUNGS: "Next rungs",
    SONG: "The song through",
    BREAK: "Break",
    TAKE: "Record a take",
    TEST: "Hand test",
    WRITE: "Write a plan",
    COMMIT: "Commit a plan",
}
