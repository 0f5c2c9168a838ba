"""What every search raises where there is no answer."""

from __future__ import annotations


class SearchError(ValueError):
    """A question that has no answer as it is asked; the message says why and what to change.

    Each search has its own kind: PlanError, VoicingError, ReliefError, RefitError, LayoutError,
    SongHandsError.
    """
