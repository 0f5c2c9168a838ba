"""A song as something to look at and to play: the drawings take it for one long plan.

It follows the session whose songs it shows, and edits nothing: what is chosen in it is chosen there too.
"""

from __future__ import annotations

from deft_reach.core.document import Plan
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanState
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.song import SongReport, analyse_song


class SongView(PlanView):
    """The song in view of ``main``, chained and analysed.

    ``found`` is everything there is to say of it. It is worked out anew only while ``active``.
    """

    def __init__(self, main: Session) -> None:
        self.main = main
        self.found: SongReport | None = None
        self.active = False
        self._key: object = None
        self._leading = False
        super().__init__()
        self.watch()

    def watch(self) -> None:
        """Listen to the session; called again when its listeners have been let go."""
        self.main.verdict.connect(self.follow)
        self.main.selected.connect(self._main_selected)

    def set_active(self, active: bool) -> None:
        """Whether anybody looks; then it follows every edit."""
        self.active = active
        if active:
            self.follow()
            self._main_selected()

    def follow(self) -> None:
        """Work the song out again if anything it is made of has changed."""
        key = (self.main.document, self.main.songs.song)
        if not self.active or (self._key is not None and key == self._key):
            return
        before = self.found.song.id if self.found is not None and self.found.report is not None else None
        self._key = key
        self._refresh()
        if self.main.songs.song is None or self.main.songs.song.id != before:
            self._stroke = self._finding = self._demand = None
            self._select_first()
        self._clamp()
        self.changed.emit()
        self.verdict.emit()

    def _refresh(self) -> None:
        main, song = self.main, self.main.songs.song
        self.found = found = None if song is None else analyse_song(main.document, song)
        chain, report = (found.chain, found.report) if found is not None else (None, None)
        plan, kit, player = None, main.kit, main.player
        if found is not None and chain is not None:
            # The whole song as one plan with the tempo of its first section.
            kit, player = chain.kit, chain.player
            plan = Plan(
                found.song.id, found.song.name, "", kit.id, player.id, chain.tempo, chain.repeat,
                weights=chain.parts[0].plan.weights,
            )  # fmt: skip
        self.state = PlanState(plan, kit, player, report.pattern.text if report is not None else "", report)

    # --- what is selected is selected in both -----------------------------------------------------------------

    def select_stroke(self, index: int | None) -> None:
        super().select_stroke(index)
        self._lead()

    def _lead(self) -> None:
        """Bring the stroke's own plan into view, with that stroke selected."""
        found, index = self.found, self._stroke
        if found is None or found.chain is None or index is None or index >= len(found.chain.origin):
            return
        part, own = found.chain.origin[index]
        self._leading = True
        self.main.show_plan(found.chain.parts[part].plan.id)
        self.main.select_stroke(own)
        self._leading = False

    def _main_selected(self) -> None:
        """A stroke chosen elsewhere: the nearest place in the song where it is played."""
        self.follow()
        found, plan, stroke = self.found, self.main.plan, self.main.stroke
        if self._leading or not self.active or found is None or found.chain is None or plan is None or stroke is None:
            return
        chain = found.chain
        places = [
            k for k, (part, own) in enumerate(chain.origin) if own == stroke and chain.parts[part].plan.id == plan.id
        ]
        if places and self._stroke not in places:
            at = self._stroke or 0
            super().select_stroke(min(places, key=lambda k: abs(k - at)))
