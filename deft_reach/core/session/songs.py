"""Edits of songs: which plans follow each other, how often, how fast, and on which kit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from deft_reach.core.document import Document, Plan, Score, Section, Song
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.notation.stroke_text import TEMPO_RANGE

if TYPE_CHECKING:
    from deft_reach.core.session import Session
    from deft_reach.core.song.sectioning import Stretch

#: A section is played so many times at most.
MOST_TIMES = 999


class SongCommands:
    """What can be done to songs."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._song = ""

    @property
    def song(self) -> Song | None:
        """The song in view; the first one where none was chosen, None in a document without songs."""
        songs = self._session.document.songs
        return next((song for song in songs if song.id == self._song), songs[0] if songs else None)

    def show_song(self, id: str) -> None:
        """Bring a song into view. Not an edit."""
        if id != self._song:
            self._song = id
            self._session.selected.emit()

    def new_song(self, name: str = "New song", plans: Sequence[str] | None = None) -> None:
        """Add a song of these plans (by id) in order, and show it; of the plan in view where none are given."""
        document, plan = self._session.document, self._session.plan
        id = document.free_id("song")
        if plans is None:
            plans = [plan.id] if plan is not None else []
        sections = tuple(Section(document.plan(id).id) for id in plans)
        song = Song(id, document.free_song_name(name), sections)
        self._song = id
        self._session.apply(document.with_song(song), f"New song “{song.name}”")

    def duplicate_song(self) -> None:
        """Put a copy of the song in view beside it and show the copy."""
        song = self.song
        if song is not None:
            copy = replace(
                song, id=self._session.document.free_id("song"), name=self._session.document.free_song_name(song.name)
            )
            self._song = copy.id
            self._session.apply(self._session.document.with_song(copy), f"Duplicate song “{song.name}”")

    def delete_song(self) -> None:
        """Take the song in view out of the document; its plans stay."""
        song = self.song
        if song is not None:
            rows = tuple(row for row in self._session.document.songs if row.id != song.id)
            self._session.apply(replace(self._session.document, songs=rows), f"Delete song “{song.name}”")

    def rename_song(self, name: str, merge: str | None = "rename song") -> None:
        self.change_song("Rename song", merge, name=name[:120])

    def change_song(self, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of the song in view."""
        song = self.song
        if song is not None:
            self._session.apply(self._session.document.with_song(replace(song, **fields)), label, merge)  # type: ignore[arg-type]

    def set_song_repeat(self, repeat: bool) -> None:
        self.change_song("Round again" if repeat else "Play the song once", repeat=repeat)

    def set_song_tempo(self, tempo: float | None) -> None:
        """One tempo for all sections; None gives each plan its own back."""
        label = "Each plan's own tempo" if tempo is None else f"Song at {tempo:.4g} BPM"
        self.change_song(label, "song tempo", tempo=_held(tempo))

    def set_song_kit(self, kit: str | None) -> None:
        self.change_song("Kit of the song", kit=kit)

    # --- sections ---------------------------------------------------------------------------------------------

    def add_section(self, plan: str, at: int | None = None) -> None:
        """Put a plan into the song, after the section ``at`` or at the end."""
        song = self.song
        if song is None:
            self.new_song()
            return
        name = self._session.document.plan(plan).name
        place = len(song.sections) if at is None else at + 1
        rows = (*song.sections[:place], Section(plan), *song.sections[place:])
        self.change_song(f"Add “{name}” to the song", sections=rows)

    def remove_section(self, number: int) -> None:
        """Take a section out of the song in view; its plan stays."""
        song = self.song
        if song is not None and 0 <= number < len(song.sections):
            rows = song.sections[:number] + song.sections[number + 1 :]
            self.change_song("Remove section", sections=rows)

    def move_section(self, number: int, by: int) -> None:
        """Exchange a section with a neighbour."""
        song = self.song
        if song is not None and 0 <= number < len(song.sections) and 0 <= number + by < len(song.sections):
            rows = list(song.sections)
            rows.insert(number + by, rows.pop(number))
            self.change_song("Move section", sections=tuple(rows))

    def change_section(self, number: int, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of a section of the song in view."""
        song = self.song
        if song is not None and 0 <= number < len(song.sections):
            row = replace(song.sections[number], **fields)  # type: ignore[arg-type]
            rows = (*song.sections[:number], row, *song.sections[number + 1 :])
            self.change_song(label, merge, sections=rows)

    def set_times(self, number: int, times: int) -> None:
        times = max(1, min(MOST_TIMES, times))
        self.change_section(number, f"Play it {counted(times, 'time')}", f"times {number}", times=times)

    def set_section_tempo(self, number: int, tempo: float | None) -> None:
        """A section's own tempo; None gives it the song's or its plan's back."""
        label = "Section at the song's tempo" if tempo is None else f"Section at {tempo:.4g} BPM"
        self.change_section(number, label, f"section tempo {number}", tempo=_held(tempo))

    def add_sections(self, name: str, stretches: Sequence[Stretch], tempo: float | None) -> None:
        """Add a long pattern as a song: each different section as a plan, in order, in one step. Shows the first."""
        session = self._session
        document, model = session.document, session.plan
        plans: dict[str, Plan] = {}
        sections: list[Section] = []
        for stretch in stretches:
            plan = plans.get(stretch.text)
            if plan is None:
                bars = (
                    f"bar {stretch.first}"
                    if stretch.first == stretch.last
                    else f"bars {stretch.first}–{stretch.last}"
                )
                score = Score(
                    document.free_id("pattern"), document.free_plan_name(f"{name}, {bars}"[:120]), stretch.text
                )
                document = document.with_score(score)
                kit, player = session.kit, session.player
                plan = Plan(document.new_plan_id(), score.name, score.id, kit.id, player.id)
                if model is not None:
                    plan = replace(plan, weights=model.weights)
                if tempo is not None:
                    plan = replace(plan, tempo=_held(tempo) or plan.tempo)
                plans[stretch.text] = plan
                document = document.with_plan(plan)
            own = _held(stretch.tempo)
            sections.append(Section(plan.id, min(MOST_TIMES, stretch.times), None if own == plan.tempo else own))
        song = Song(document.free_id("song"), document.free_song_name(name[:120]), tuple(sections))
        self._song = song.id
        shown = sections[0].plan if sections else None
        session.apply(document.with_song(song), f"New song “{song.name}”", plan=shown)

    def give_hands(self, texts: Mapping[str, str], read: Document) -> int:
        """Give plans (by id) these stroke texts in one step; how many got theirs.

        ``read`` is the document the texts were made from: a plan that was edited since keeps what it has.
        """
        document, given = self._session.document, 0
        for id, text in texts.items():
            plan = next((plan for plan in document.plans if plan.id == id), None)
            if plan is not None and document.score(plan.pattern).text == read.score(read.plan(id).pattern).text:
                document = document.with_text(plan, text)
                given += 1
        self._session.apply(document, "Hands of the song")
        return given

    # --- what adapting a plan ends in -------------------------------------------------------------------------

    def add_layout(self, kit: Kit, plans: list[str], name: str) -> None:
        """Keep a kit with pieces elsewhere as a kit of its own, and play these plans on it."""
        document = self._session.document
        kit = replace(kit, id=document.free_id("kit"), name=document.free_kit_name(name))
        document = document.with_kit(kit)
        for plan in document.plans:
            if plan.id in plans:
                document = document.with_plan(replace(plan, kit=kit.id))
        self._session.apply(document, f"New kit “{kit.name}”")

    def keep_refit(self, plan: Plan, kit: Kit, text: str) -> str:
        """Keep a plan as it is on another kit, which the document gets if it has none like it; its new name."""
        document = self._session.document
        known = next((k for k in document.kits if k.pieces == kit.pieces), None)
        if known is None:
            taken = any(k.id == kit.id for k in document.kits)
            known = replace(
                kit, id=document.free_id("kit") if taken else kit.id, name=document.free_kit_name(kit.name)
            )
            document = document.with_kit(known)
        id, name = document.free_id("pattern"), document.free_plan_name(f"{plan.name} on {known.name}"[:120])
        document = document.with_score(Score(id, name, text))
        new = replace(plan, id=document.new_plan_id(), name=name, pattern=id, kit=known.id, candidates=())
        self._session.apply(document.with_plan(new), f"New plan “{name}”")
        return name

    def use_places(self, kit: Kit) -> None:
        """Stand the pieces of a kit of the document where this one has them."""
        self._session.apply(self._session.document.with_kit(kit), f"Move pieces of “{kit.name}”")


def _held(tempo: float | None) -> float | None:
    low, high = TEMPO_RANGE
    return None if tempo is None else max(low, min(high, tempo))
