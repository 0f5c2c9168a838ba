"""A logbook, and attempts to write into it."""

from datetime import UTC, datetime

import pytest

from deft_reach.store.log_entries import Attempt
from deft_reach.store.logbook import Logbook

NOW = datetime(2026, 3, 1, 19, 30, tzinfo=UTC)


def attempt(tempo=90.0, verdict="clean", plan="storm", at=NOW, stage="everything", **more):
    return Attempt(at.isoformat(), plan, plan.title(), "R L R L", stage, tempo, verdict, 4, 12.5, **more)


@pytest.fixture
def book(tmp_path):
    made = Logbook(tmp_path / "log" / "book.sqlite", clock=lambda: NOW)
    yield made
    made.close()
