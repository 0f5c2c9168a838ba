"""Answers of the searches on the command line: asked, told and printed alike."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ParamSpec, TypeVar

from deft_reach.cli.output import InputError
from deft_reach.core.analysis.explained import MOSTLY
from deft_reach.core.analysis.report import Report
from deft_reach.core.search.errors import SearchError

P = ParamSpec("P")
T = TypeVar("T")


def answer(search: Callable[P, T], *args: P.args, **options: P.kwargs) -> T:
    """What a search finds. Raises InputError where the question has no answer."""
    try:
        return search(*args, **options)
    except SearchError as error:
        raise InputError(str(error)) from None


def answer_dict(text: str, report: Report, **more: Any) -> dict[str, Any]:
    """One answer in the contract's shape, with what is the search's own."""
    return {
        "sticking": report.pattern.sticking,
        "text": text,
        "cost": report.summary.cost,
        "level": report.summary.level,
        "ease": report.summary.ease,
        "difficulty": report.summary.difficulty,
        "habit": report.habit.total,
        "tempo_limit": report.summary.tempo_limit,
        **more,
    }


def findings_of(report: Report) -> list[dict[str, Any]]:
    """A report's findings as plain values."""
    return [finding.as_dict() for finding in report.findings]


def verdict_words(report: Report, first: Report | None = None) -> str:
    """How hard an answer is and mostly why, how far it goes against habit, what it costs and where it breaks.

    Its ease is also held against the ``first`` answer's.
    """
    s = report.summary
    than = "" if first is None else f" ({round(s.ease) - round(first.summary.ease):+d})".replace("-", "−")
    limit = "no limit" if s.tempo_limit is None else f"breaks at {s.tempo_limit:.0f} BPM"
    mostly = f" (mostly {MOSTLY[report.demands[0].kind]})" if report.demands else ""
    judged = f"{s.level or 'hands open'}, ease {s.ease:.0f}{than}{mostly}, habit {report.habit.total:.2f}"
    return f"{judged}, cost {s.cost:.2f}, {limit}"


def searched_words(count: int, what: str, proven: bool, surely: str = "this order is proven") -> str:
    """How much was looked at, and whether the order is sure."""
    sure = surely if proven else "the best found; others may be as good"
    return f"{count:,} {what}looked at; {sure}"
