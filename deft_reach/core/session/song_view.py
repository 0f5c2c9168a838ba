"""A song as something to look at and to play: the drawings take it for a session with one long plan.

It follows the session whose songs it shows, and edits nothing: what is chosen in it is chosen there too.
"""

from __future__ import annotations

from deft_reach.core.document import Plan
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.session import Session
from deft_reach.core.session.read_only import ReadOnlySession
from deft_reach.core.song import SongReport, analyse_song


class SongView(ReadOnlySession):
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

    # --- what the drawings ask for ----------------------------------------------------------------------------

    def _refresh(self) -> None:
        song = self.main.songs.song
        self.found = None if song is None else analyse_song(self.main.document, song)
        self.report = self.found.report if self.found is not None else None
        self.error = None

    @property
    def plan(self) -> Plan | None:
        """The whole song as one plan with the tempo of its first section, None if it cannot be joined."""
        found = self.found
        if found is None or found.chain is None:
            return None
        chain = found.chain
        return Plan(
            found.song.id, found.song.name, "", chain.kit.id, chain.player.id, chain.tempo, chain.repeat,
            weights=chain.parts[0].plan.weights,
        )  # fmt: skip

    @property
    def kit(self) -> Kit:
        chain = self.found.chain if self.found is not None else None
        return chain.kit if chain is not None else self.main.kit

    @property
    def player(self) -> Player:
        return (
            self.found.chain.player if self.found is not None and self.found.chain is not None else self.main.player
        )

    @property
    def text(self) -> str:
        return self.report.pattern.text if self.report is not None else ""

    @property
    def shown_pattern(self) -> Pattern | None:
        return self.report.pattern if self.report is not None else None

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
