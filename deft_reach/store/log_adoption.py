"""Entries of before documents had ids: they name a plan by what it is called in its document alone, such as plan-1.

The document that they belong to takes them over when it is opened: theirs are the name of its plan, its stroke text,
or the date of one of its commitments.
"""

from __future__ import annotations

import sqlite3
from typing import Final

from deft_reach.core.document import Document, MissingError, Plan
from deft_reach.store.log_schema import TALLIED

#: A plan's sums again, from its entries.
_SUMS: Final = f"{TALLIED} WHERE plan = ? GROUP BY 1, 2"


def adopt(base: sqlite3.Connection, document: Document) -> int:
    """Let a document's plans have the entries that name them without a document; how many those were.

    Raises sqlite3.Error; what was changed until then is for the caller to roll back.
    """
    if not document.id:
        return 0
    # A question that is answered from the indexes alone, however long the log is.
    bare = {plan for (plan,) in base.execute("SELECT plan FROM tallies UNION SELECT DISTINCT plan FROM takes")}
    count = 0
    for plan in document.plans:
        if plan.id in bare:
            count += _take_over(base, document, plan)
    return count


def _take_over(base: sqlite3.Connection, document: Document, plan: Plan) -> int:
    try:
        text = document.score(plan.pattern).text
    except MissingError:
        text = ""
    new = document.practice_id(plan.id)
    dates = [row.date for row in document.commitments_of(plan.id)]
    marks = ", ".join("?" for _ in dates)
    own = f"plan = ? AND (plan_name = ? OR text = ? OR committed IN ({marks}))"
    attempts = base.execute(f"UPDATE attempts SET plan = ? WHERE {own}", (new, plan.id, plan.name, text, *dates))
    takes = base.execute("UPDATE takes SET plan = ? WHERE plan = ? AND plan_name = ?", (new, plan.id, plan.name))
    if attempts.rowcount:
        for id in (plan.id, new):
            base.execute("DELETE FROM tallies WHERE plan = ?", (id,))
            base.execute(_SUMS, (id,))
    return attempts.rowcount + takes.rowcount
