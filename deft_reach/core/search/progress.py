"""How a long search tells what it has done so far, and how it is asked to stop."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Final

#: Seconds between two tellings; more often nobody can read it.
EVERY: Final = 0.05


class Cancelled(Exception):
    """The search was asked to stop."""


class Progress:
    """Handed to a search, which calls ``at`` often; whoever waits hears it through ``tell`` and may ``cancel``.

    ``tell`` gets how much has been looked at, how much there is (None where nobody can know), and what has been
    found so far (None where there is nothing to show yet). It is called in the thread the search runs in.
    """

    def __init__(self, tell: Callable[[int, int | None, object], None] | None = None) -> None:
        self._tell = tell
        self._cancelled = False
        self._told = 0.0

    @property
    def cancelled(self) -> bool:
        return self._cancelled

    def cancel(self) -> None:
        """Ask the search to stop; it does so at its next ``at``."""
        self._cancelled = True

    def at(self, looked: int, of: int | None = None, found: object = None) -> None:
        """Say how far it is. Raises Cancelled once it was asked to stop."""
        if self._cancelled:
            raise Cancelled
        if self._tell is not None:
            now = time.monotonic()
            if now - self._told >= EVERY:
                self._told = now
                self._tell(looked, of, found)


#: For searches that nobody watches.
NO_PROGRESS: Final = Progress()
