"""Whether one report is worse than another: what is offered in place of a plan is held against the plan."""

from __future__ import annotations

from deft_reach.core.analysis.report import Report


def is_worse(report: Report, than: Report, ease: bool = True) -> bool:
    """Whether a report has more stops, more stops and cautions together, or breaks below its tempo where the other
    does not; with ``ease``, being harder by a point of 100 is worse too.
    """

    def breaks(of: Report) -> bool:
        headroom = of.summary.headroom
        return of.impossible or (headroom is not None and headroom < 0)

    return (
        report.stops > than.stops
        or len(report.serious) > len(than.serious)
        or (breaks(report) and not breaks(than))
        or (ease and report.summary.ease < than.summary.ease - 1)
    )
