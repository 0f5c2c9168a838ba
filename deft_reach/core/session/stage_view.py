"""One text at one tempo on a kit, to look at and to play: a stage that is practised, or what is offered."""

from __future__ import annotations

from deft_reach.core.document import Plan, verdict_on_text
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.player import Player
from deft_reach.core.session.plan_state import PlanState
from deft_reach.core.session.plan_view import PlanView


class StageView(PlanView):
    """Shows one text at a time."""

    def show_stage(
        self, name: str, text: str, kit: Kit, player: Player, plan: Plan, tempo: float, repeat: bool
    ) -> None:
        """Show this; nothing happens where it is shown already."""
        one = Plan(f"{plan.id} {name}", name, "stage", kit.id, player.id, tempo, repeat, weights=plan.weights)
        if PlanState(one, kit, player, text).key == self.state.key:
            return
        self.state = PlanState(one, kit, player, text, *verdict_on_text(text, kit, player, one))
        self._clear_selection()
        self._select_first()
        self.changed.emit()
        self.verdict.emit()
