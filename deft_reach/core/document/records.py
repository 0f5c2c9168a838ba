"""A document: players, kits, patterns, plans, songs and commitments, all immutable.

Every record keeps ``extra``, the fields that this version does not know, so that a file written by a newer minor
version survives being opened and saved here.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final, Protocol, TypeVar

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights

#: The file format this version writes: files of a newer minor version are read, of a newer major one refused.
FORMAT_VERSION: Final = "1.6"


class _HasId(Protocol):
    @property
    def id(self) -> str: ...


_Record = TypeVar("_Record", bound=_HasId)


class MissingError(KeyError):
    """A document has nothing of that id or name; the message lists what there is."""

    def __str__(self) -> str:
        return str(self.args[0])


@dataclass(frozen=True)
class Score:
    """A pattern as it is kept: a name and its stroke text, which may hold an unfinished edit."""

    id: str
    name: str
    text: str
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Candidate:
    """A sticking kept beside a plan's own, to compare."""

    name: str
    text: str
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Plan:
    """A pattern with a kit, a player and a home tempo (quarter notes a minute).

    ``candidates`` are other stickings, kept to compare.
    """

    id: str
    name: str
    pattern: str
    kit: str
    player: str
    tempo: float = 100.0
    repeat: bool = False
    note: str = ""
    weights: Weights = field(default_factory=Weights)
    candidates: tuple[Candidate, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Section:
    """A stretch of a song: a plan, played ``times`` times; ``tempo`` is its own, None for the song's or plan's."""

    plan: str
    times: int = 1
    tempo: float | None = None
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Song:
    """Plans one after the other.

    ``repeat`` goes round again after the last one; ``tempo`` is one for all (None: each plan's own); ``kit`` is what
    it is played on (None: its first plan's).
    """

    id: str
    name: str
    sections: tuple[Section, ...] = ()
    repeat: bool = False
    tempo: float | None = None
    kit: str | None = None
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Commitment:
    """A plan frozen on a date: everything its verdict was made from, and the verdict.

    ``date`` is ISO 8601 with its offset; ``accepted`` are the cautions and stops that stood when it was committed.
    """

    id: str
    plan: str
    date: str
    reason: str
    text: str
    tempo: float
    repeat: bool
    kit: Kit
    player: Player
    cost: float
    ease: float
    tempo_limit: float | None = None
    accepted: tuple[str, ...] = ()
    app_version: str = ""
    weights: Weights = field(default_factory=Weights)
    #: By which judgement (see analysis.difficulty); documents of before do not say.
    model: int = 1
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Document:
    """The whole file.

    ``id`` is known to no other document: practice is logged under it. Without one it is told apart by nothing.

    >>> new_document().plans[0].name
    'First plan'
    """

    title: str = "Untitled"
    id: str = ""
    version: str = FORMAT_VERSION
    players: tuple[Player, ...] = ()
    kits: tuple[Kit, ...] = ()
    patterns: tuple[Score, ...] = ()
    plans: tuple[Plan, ...] = ()
    songs: tuple[Song, ...] = ()
    commitments: tuple[Commitment, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def plan(self, key: str) -> Plan:
        """The plan with this id, or else this name (upper and lower case alike).

        Raises MissingError listing the plans there are.
        """
        for plan in self.plans:
            if plan.id == key:
                return plan
        for plan in self.plans:
            if plan.name.casefold() == key.casefold():
                return plan
        names = ", ".join(f"'{plan.name}'" for plan in self.plans) or "none"
        raise MissingError(f"there is no plan '{key}' in '{self.title}'; there are {names}")

    def practice_id(self, plan: str) -> str:
        """What the logbook calls the plan with this id: no plan of another document is called so."""
        return f"{self.id}/{plan}" if self.id else plan

    def score(self, id: str) -> Score:
        return _find(self.patterns, id, "pattern")

    def kit(self, id: str) -> Kit:
        return _find(self.kits, id, "kit")

    def player(self, id: str) -> Player:
        return _find(self.players, id, "player")

    def commitments_of(self, plan: str) -> tuple[Commitment, ...]:
        """A plan's commitments, the newest last."""
        return tuple(c for c in self.commitments if c.plan == plan)

    def with_text(self, plan: Plan, text: str) -> Document:
        """The document with a plan's stroke text changed."""
        score = replace(self.score(plan.pattern), text=text)
        return replace(self, patterns=_swap(self.patterns, score))

    def with_plan(self, plan: Plan) -> Document:
        """The document with a plan replaced, or added if it is new."""
        return replace(self, plans=_swap(self.plans, plan))

    def with_kit(self, kit: Kit) -> Document:
        return replace(self, kits=_swap(self.kits, kit))

    def with_player(self, player: Player) -> Document:
        return replace(self, players=_swap(self.players, player))

    def with_score(self, score: Score) -> Document:
        return replace(self, patterns=_swap(self.patterns, score))

    def with_song(self, song: Song) -> Document:
        """The document with a song replaced, or added if it is new."""
        return replace(self, songs=_swap(self.songs, song))

    def song(self, id: str) -> Song:
        return _find(self.songs, id, "song")

    def free_song_name(self, stem: str) -> str:
        return _free_name(stem, {song.name.casefold() for song in self.songs})

    def without_plan(self, id: str) -> Document:
        """The document without a plan; its pattern goes too if no other plan plays it. Commitments stay."""
        gone = self.plan(id)
        plans = tuple(plan for plan in self.plans if plan.id != gone.id)
        used = {plan.pattern for plan in plans}
        songs = tuple(
            replace(song, sections=tuple(s for s in song.sections if s.plan != gone.id)) for song in self.songs
        )
        patterns = tuple(s for s in self.patterns if s.id in used or s.id != gone.pattern)
        return replace(self, plans=plans, patterns=patterns, songs=songs)

    def free_id(self, stem: str) -> str:
        """An id that nothing in the document has yet."""
        taken = {r.id for rows in (self.players, self.kits, self.patterns, self.plans, self.songs) for r in rows}
        taken |= {c.id for c in self.commitments}
        number = 1
        while f"{stem}-{number}" in taken:
            number += 1
        return f"{stem}-{number}"

    def new_plan_id(self) -> str:
        """An id that no plan has or had: what is logged of a deleted plan is not another's."""
        return f"plan-{uuid.uuid4().hex[:12]}"

    def free_plan_name(self, stem: str) -> str:
        return _free_name(stem, {plan.name.casefold() for plan in self.plans})

    def free_kit_name(self, stem: str) -> str:
        return _free_name(stem, {kit.name.casefold() for kit in self.kits})


def _free_name(stem: str, names: set[str]) -> str:
    name, number = stem, 2
    while name.casefold() in names:
        name, number = f"{stem} {number}", number + 1
    return name


def _find(rows: tuple[_Record, ...], id: str, what: str) -> _Record:
    for row in rows:
        if row.id == id:
            return row
    raise MissingError(f"there is no {what} with the id '{id}'")


def _swap(rows: tuple[_Record, ...], row: _Record) -> tuple[_Record, ...]:
    if any(r.id == row.id for r in rows):
        return tuple(row if r.id == row.id else r for r in rows)
    return (*rows, row)


def new_document_id() -> str:
    """An id that no other document has."""
    return uuid.uuid4().hex


def new_document() -> Document:
    """What "new" gives: one kit, one player, one plan of a full bar to change."""
    kit = layout("five")
    player = Player()
    score = Score("pattern-1", "First plan", "/8 R L R R  L R L L |")
    plan = Plan("plan-1", "First plan", score.id, kit.id, player.id, tempo=90.0)
    return Document(id=new_document_id(), players=(player,), kits=(kit,), patterns=(score,), plans=(plan,))
