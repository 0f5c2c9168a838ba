"""Stickings: for strokes whose hand is open, the hands that are judged easiest out of the cheapest, proven ones."""

from __future__ import annotations

from deft_reach.core.search.planner.offers import find_stickings
from deft_reach.core.search.planner.schools import HATS, SCHOOLS
from deft_reach.core.search.planner.search import (
    OpenMoment,
    PlanError,
    Sticking,
    Stickings,
    cheapest_stickings,
)

__all__ = [
    "HATS",
    "SCHOOLS",
    "OpenMoment",
    "PlanError",
    "Sticking",
    "Stickings",
    "cheapest_stickings",
    "find_stickings",
]
