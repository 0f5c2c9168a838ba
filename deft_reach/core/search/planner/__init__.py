"""Stickings: for strokes whose hand is open, hands of every kind that players write and the cheapest, as judged."""

from __future__ import annotations

from deft_reach.core.search.planner.kinds import HAND_KINDS
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
    "HAND_KINDS",
    "HATS",
    "SCHOOLS",
    "OpenMoment",
    "PlanError",
    "Sticking",
    "Stickings",
    "cheapest_stickings",
    "find_stickings",
]
