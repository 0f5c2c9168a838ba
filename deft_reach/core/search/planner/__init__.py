"""Stickings: for strokes whose hand is open, the cheapest hands, proven."""

from __future__ import annotations

from deft_reach.core.search.planner.schools import HATS, SCHOOLS
from deft_reach.core.search.planner.search import OpenMoment, PlanError, Sticking, Stickings, find_stickings

__all__ = ["HATS", "SCHOOLS", "OpenMoment", "PlanError", "Sticking", "Stickings", "find_stickings"]
