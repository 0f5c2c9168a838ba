"""Edits of plans: made, named, copied, taken away, and committed."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Commitment, Plan, Score, analyse_plan, changes_since, commit
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.message import Message
from deft_reach.core.model.player import Player
from deft_reach.core.notation.stroke_text import TEMPO_RANGE, StrokeTextError

if TYPE_CHECKING:
    from deft_reach.core.session import Session


class PlanCommands:
    """What can be done to plans."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def step_plan(self, by: int) -> None:
        """Show the plan so many places further on, round and round."""
        plan = self._session.plan
        if plan is not None:
            plans = self._session.document.plans
            self._session.show_plan(plans[(plans.index(plan) + by) % len(plans)].id)

    def new_plan(
        self,
        name: str = "New plan",
        text: str = "",
        copy_of: Plan | None = None,
        tempo: float | None = None,
        show: bool = True,
        repeat: bool | None = None,
    ) -> None:
        """Add a plan, on the kit and player in view, and show it unless told not to.

        It is a loop if the plan in view is one, where ``repeat`` does not say.
        """
        document, model = self._session.document, copy_of or self._session.plan
        if not document.kits:
            document = document.with_kit(layout("five"))
        if not document.players:
            document = document.with_player(Player())
        score_id, plan_id = document.free_id("pattern"), document.new_plan_id()
        name = document.free_plan_name(name)
        document = document.with_score(Score(score_id, name, text))
        plan = Plan(plan_id, name, score_id, document.kits[0].id, document.players[0].id)
        if model is not None:
            kept = (model.note, model.candidates) if copy_of else ("", ())
            plan = replace(model, id=plan_id, name=name, pattern=score_id, note=kept[0], candidates=kept[1])
        if tempo is not None:
            low, high = TEMPO_RANGE
            plan = replace(plan, tempo=min(high, max(low, tempo)))
        if repeat is not None:
            plan = replace(plan, repeat=repeat)
        self._session.apply(document.with_plan(plan), f"New plan “{name}”", plan=plan_id if show else None)

    def duplicate_plan(self) -> None:
        plan = self._session.plan
        if plan is not None:
            self.new_plan(plan.name, self._session.text, copy_of=plan)

    def delete_plan(self) -> None:
        """Take the plan in view out of the document and show its neighbour."""
        plan = self._session.plan
        if plan is None:
            return
        at = self._session.document.plans.index(plan)
        document = self._session.document.without_plan(plan.id)
        view = document.plans[min(at, len(document.plans) - 1)].id if document.plans else ""
        self._session.apply(document, f"Delete plan “{plan.name}”", plan=view)

    def change_plan(self, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of the plan in view."""
        plan = self._session.plan
        if plan is not None:
            self._session.apply(self._session.document.with_plan(replace(plan, **fields)), label, merge)  # type: ignore[arg-type]

    def set_repeat(self, repeat: bool) -> None:
        """Play the plan in view as a loop, or once."""
        self.change_plan("Loop" if repeat else "Play once", repeat=repeat)

    def set_tempo(self, bpm: float, merge: str | None = "tempo") -> None:
        """Set the home tempo, held within what a tempo can be."""
        low, high = TEMPO_RANGE
        bpm = max(low, min(high, bpm))
        self.change_plan(f"Tempo {bpm:.4g} BPM", merge, tempo=bpm)

    # --- commitments ------------------------------------------------------------------------------------------

    @property
    def commitment(self) -> Commitment | None:
        """The newest commitment of the plan in view."""
        plan = self._session.plan
        rows = self._session.document.commitments_of(plan.id) if plan is not None else ()
        return rows[-1] if rows else None

    def commit(self, reason: str, date: str, app_version: str) -> None:
        """Commit the plan in view as it stands. Raises ValueError while its text cannot be read."""
        self._session.catch_up()
        plan, report = self._session.plan, self._session.report
        if plan is None or report is None or self._session.error is not None:
            raise ValueError("the stroke text has to be readable before it can be committed")
        document = commit(self._session.document, plan, report, reason, date, app_version)
        self._session.apply(document, f"Commit “{plan.name}”")

    def take_back(self, commitment: Commitment) -> None:
        """Make the plan in view again what was committed, in one step.

        Text, tempo, loop and weights come back. A kit or player that has changed since is not changed back under the
        other plans: the committed one is added beside it, and this plan moves there.
        """
        plan = self._session.plan
        if plan is None or commitment.plan != plan.id:
            return
        document = self._session.document.with_text(plan, commitment.text)
        kit, player = document.kit(plan.kit), document.player(plan.player)
        if (kit.pieces, kit.id) != (commitment.kit.pieces, commitment.kit.id):
            known = next((k for k in document.kits if k.pieces == commitment.kit.pieces), None)
            kit = known or replace(commitment.kit, id=document.free_id("kit"), name=_as_committed(commitment.kit))
            document = document.with_kit(kit)
        if player.body != commitment.player.body:
            nameless = replace(commitment.player.body, id="", name="")
            same = next((p for p in document.players if replace(p.body, id="", name="") == nameless), None)
            name = _as_committed(commitment.player)
            player = same or replace(commitment.player, id=document.free_id("player"), name=name)
            document = document.with_player(player)
        plan = replace(
            plan, kit=kit.id, player=player.id, tempo=commitment.tempo, repeat=commitment.repeat,
            weights=commitment.weights,
        )  # fmt: skip
        self._session.apply(document.with_plan(plan), "Back to what was committed")

    def changes(self) -> list[Message]:
        """What differs from the newest commitment; nothing while the text is still being read."""
        plan, commitment = self._session.plan, self.commitment
        if plan is None or commitment is None or self._session.reading:
            return []
        return changes_since(
            commitment, self._session.document, plan, self._session.report if self._session.error is None else None
        )

    def verdicts(self) -> list[tuple[Plan, Report | None]]:
        """Every plan of the document with its report, None where its text cannot be read."""
        self._session.catch_up()
        found: list[tuple[Plan, Report | None]] = []
        for plan in self._session.document.plans:
            if self._session.plan is not None and plan.id == self._session.plan.id:
                found.append((plan, self._session.report if self._session.error is None else None))
                continue
            try:
                found.append((plan, analyse_plan(self._session.document, plan)))
            except StrokeTextError:
                found.append((plan, None))
        return found


def _as_committed(thing: Kit | Player) -> str:
    return f"{thing.name} as committed"
