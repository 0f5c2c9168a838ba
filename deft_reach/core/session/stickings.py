"""Edits of the stickings kept beside the plan's own: named, dropped, used whole or in part."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import replace
from typing import TYPE_CHECKING

from deft_reach.core.document import Candidate, read_unfinished
from deft_reach.core.search.candidates import with_part

if TYPE_CHECKING:
    from deft_reach.core.session import Session

#: So many stickings can be kept beside a plan.
MOST = 6


_BEFORE = "before "


def _named_back(name: str) -> str:
    """What the sticking is called that one of this name takes the place of; used again, it has its name back."""
    return name.removeprefix(_BEFORE) if name.startswith(_BEFORE) else _BEFORE + name


class StickingCommands:
    """What can be done to the stickings kept beside the plan in view."""

    def __init__(self, session: Session) -> None:
        self._session = session

    @property
    def candidates(self) -> tuple[Candidate, ...]:
        return self._session.plan.candidates if self._session.plan is not None else ()

    def keep(self, name: str, text: str) -> bool:
        """Keep a sticking; False where MOST are kept already, or this one is."""
        return bool(self.keep_all([Candidate(name, text)], f"Keep “{name}”"))

    def keep_all(self, rows: Iterable[Candidate], label: str) -> int:
        """Keep several in one step, those first that come first; how many there was room for."""
        if self._session.plan is None:
            return 0
        kept = {c.text for c in self.candidates}
        room = max(0, MOST - len(self.candidates))
        new = list({row.text: row for row in rows if row.text not in kept}.values())[:room]
        if new:
            self._put((*self.candidates, *new), label)
        return len(new)

    def drop(self, number: int) -> None:
        rows = self.candidates
        if 0 <= number < len(rows):
            self._put(rows[:number] + rows[number + 1 :], f"Drop “{rows[number].name}”")

    def rename_candidate(self, number: int, name: str) -> None:
        """Give a kept sticking another name; an empty one changes nothing."""
        rows = self.candidates
        if 0 <= number < len(rows) and name.strip() and rows[number].name != name.strip():
            renamed = replace(rows[number], name=name.strip())
            self._put((*rows[:number], renamed, *rows[number + 1 :]), f"Name “{renamed.name}”")

    def use(self, number: int) -> None:
        """Make a kept sticking the plan's own; the one it replaces is kept."""
        plan, pattern = self._session.plan, self._session.pattern()
        if plan is None or pattern is None or not 0 <= number < len(plan.candidates):
            return
        rows, candidate = plan.candidates, plan.candidates[number]
        if candidate.text == pattern.text:
            return
        # What was there takes the place of what is used, so that nothing is lost.
        rows = (*rows[:number], Candidate(_named_back(candidate.name), pattern.text), *rows[number + 1 :])
        document = self._session.document.with_text(plan, candidate.text).with_plan(replace(plan, candidates=rows))
        self._session.apply(document, f"Use “{candidate.name}”")

    def use_part(self, candidate: Candidate, part: Collection[int]) -> None:
        """Take over the strokes of these indices from a sticking, kept or not.

        Raises ValueError where it has other strokes than the plan.
        """
        plan, pattern = self._session.plan, self._session.pattern()
        if plan is None or pattern is None:
            return
        text = with_part(pattern, read_unfinished(candidate.text, self._session.kit), part)
        if text != pattern.text:
            document = self._session.document.with_text(plan, text)
            self._session.apply(document, f"Use part of “{candidate.name}”")

    def _put(self, rows: tuple[Candidate, ...], label: str) -> None:
        assert self._session.plan is not None
        self._session.apply(self._session.document.with_plan(replace(self._session.plan, candidates=rows)), label)
