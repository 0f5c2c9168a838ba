"""Why a plan is as hard as it is: its demands, one click away from where the level is read."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from PySide6.QtWidgets import QMenu, QWidget

from deft_reach.core.analysis.explained import Demand
from deft_reach.core.analysis.report import Report

#: Demands with a smaller share (of 1) are not shown beside greater ones, and no more than so many.
SHOWN_SHARE: Final = 0.03
MOST: Final = 6
TITLES: Final = {"easy": "What there is to do", "busy": "What keeps it busy", "hard": "What makes it hard"}
#: Where the level says nothing of it.
OTHER_TITLE: Final = "What it demands"


def demands_menu(
    report: Report, parent: QWidget, show: Callable[[Demand], None], show_worst: Callable[[], None]
) -> QMenu:
    """A menu of a report's demands, the greatest first; choosing one calls ``show`` with it.

    Where something serious happens the last entry calls ``show_worst``.
    """
    menu = QMenu(parent)
    menu.setAccessibleName("What makes it as hard as it is")
    # A section's own title is not drawn by every style.
    menu.addAction(TITLES.get(report.summary.level or "", OTHER_TITLE)).setEnabled(False)
    menu.addSeparator()
    rows = [row for row in report.demands if row.share >= SHOWN_SHARE][:MOST] or list(report.demands[:1])
    for row in rows:
        entry = menu.addAction(f"{row.share * 100:.0f} %  {row.words}".replace("&", "&&"))
        entry.triggered.connect(lambda _=False, row=row: show(row))
    if not rows:
        menu.addAction("nothing that takes any doing").setEnabled(False)
    if report.serious:
        menu.addSeparator()
        menu.addAction("Go to what happens there").triggered.connect(lambda _=False: show_worst())
    return menu
