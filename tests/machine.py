"""Bounds on work that hold on any machine, however slow or busy: in processor time, in units of its own speed."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator
from contextlib import contextmanager

from benchmarks.__main__ import yardstick

#: What the yardstick takes on a quiet machine of today (seconds).
USUAL = 0.0073


def slowness() -> float:
    """How many times as slow as usual this machine is now, at least 1."""
    return max(1.0, statistics.median(yardstick() for _ in range(5)) / USUAL)


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """What is done inside takes no more than so much of a usual machine's processor time."""
    begin = time.thread_time()
    yield
    spent = time.thread_time() - begin
    assert spent <= seconds * slowness(), f"{spent:.2f} s of processor time"
