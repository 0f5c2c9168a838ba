"""Findings: what a player should know about a pattern, each in one plain sentence with its numbers.

A crossed hold is said once for its span, a sweep once for its run, a stretch once for its voice. What is ordinary is
a note; a caution asks for thought; a stop means it cannot be played so. There is a module for each family; what they
say is in ``core.analysis.sentences``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Final

from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.findings.crossing import crossings, idle_marks, open_handed
from deft_reach.core.analysis.findings.feet import exit_runs, split_foot, unattended_hat, uneven_feet
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, LATE, Figure
from deft_reach.core.analysis.findings.impossible import impossible, too_many
from deft_reach.core.analysis.findings.moves import hurried, lead_switch, overload, sweeps
from deft_reach.core.analysis.findings.passing import near_misses
from deft_reach.core.analysis.findings.reach import out_of_reach, strained_reach
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.walk import Walk

__all__ = ["HURRIED_PACE", "LATE", "find_all", "too_many"]

_FAMILIES: Final[tuple[Callable[[Figure], Iterator[Finding]], ...]] = (
    impossible, out_of_reach, strained_reach, crossings, open_handed, sweeps, near_misses, hurried, overload,
    split_foot, unattended_hat, uneven_feet, exit_runs, lead_switch,
)  # fmt: skip


def find_all(
    pattern: Pattern, walk: Walk, table: ReachTable, times: Sequence[float], length: float, repeat: bool
) -> tuple[tuple[Finding, ...], tuple[Finding, ...]]:
    """Every finding of a walked pattern, and what else there is to say of its text.

    Findings are in order of where they begin and then how serious they are; in the places of the sweeps the tightest
    one comes first. ``times`` are the strokes' times and ``length`` the pattern's, in seconds.
    """
    figure = Figure(pattern, walk, table, times, length, repeat)
    found = [finding for family in _FAMILIES for finding in family(figure)]
    sweeping = (finding for finding in found if finding.kind == "sweep")
    placed = sorted(found, key=lambda f: (f.strokes[0], -f.severity.rank, f.kind))
    placed = [next(sweeping) if finding.kind == "sweep" else finding for finding in placed]
    return tuple(placed), tuple(idle_marks(figure))
