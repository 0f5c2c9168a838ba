"""Sessions that only show: the drawings take them for a document with one plan, and nothing can be edited in them."""

from __future__ import annotations

from deft_reach.core.document import Document, Plan, Score
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.player import Player
from deft_reach.core.session import Session
from deft_reach.core.session.strokes import StrokeCommands


class _NoStrokes(StrokeCommands):
    """Commands for strokes that come to nothing, which is said."""

    def set_limb(self, index: int, limb: str) -> None:
        self._session.refused.emit()

    def other_hand(self, index: int) -> None:
        self._session.refused.emit()

    def toggle_mark(self, index: int, mark: str) -> None:
        self._session.refused.emit()

    def toggle_grace(self, index: int, grace: str) -> None:
        self._session.refused.emit()


class ReadOnlySession(Session):
    """A session whose edits come to nothing; ``refused`` says that one was wanted."""

    def __init__(self, document: Document | None = None) -> None:
        super().__init__(document or Document())
        self.strokes = _NoStrokes(self)

    def apply(
        self, document: Document, label: str, merge: str | None = None, plan: str | None = None, typing: bool = False
    ) -> None:
        """Nothing is edited here, which is said: a plan is, in its own station."""
        self.refused.emit()


class StageView(ReadOnlySession):
    """One text at one tempo on a kit: what is practised now."""

    def show_stage(
        self, name: str, text: str, kit: Kit, player: Player, plan: Plan, tempo: float, repeat: bool
    ) -> None:
        """Show this; nothing happens where it is shown already."""
        one = Plan(f"{plan.id} {name}", name, "stage", kit.id, player.id, tempo, repeat, weights=plan.weights)
        document = Document(players=(player,), kits=(kit,), patterns=(Score("stage", name, text),), plans=(one,))
        if document != self.document:
            self.start(document)
