"""A document: players, kits, patterns, plans, songs and commitments, all immutable.

Every record keeps ``extra``, the fields that this version does not know, so that a file written by a newer minor
version survives being opened and saved here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Final, Protocol, TypeVar

from deft_reach.core.analysis import analyse
from deft_reach.core.cost import Weights
from deft_reach.core.kit import Kit
from deft_reach.core.layouts import STANDARD_VOICES, layout
from deft_reach.core.pattern import Pattern
from deft_reach.core.player import Player
from deft_reach.core.report import Report
from deft_reach.core.stroke_text import IncrementalParser, StrokeTextError, fault_error, parse

#: The file format this version writes: files of a newer minor version are read, of a newer major one refused.
FORMAT_VERSION: Final = "1.3"


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
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)


@dataclass(frozen=True)
class Document:
    """The whole file.

    >>> new_document().plans[0].name
    'First plan'
    """

    title: str = "Untitled"
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


def new_document() -> Document:
    """What "new" gives: one kit, one player, one plan of a full bar to change."""
    kit = layout("five")
    player = Player()
    score = Score("pattern-1", "First plan", "/8 R L R R  L R L L |")
    plan = Plan("plan-1", "First plan", score.id, kit.id, player.id, tempo=90.0)
    return Document(players=(player,), kits=(kit,), patterns=(score,), plans=(plan,))


def analyse_plan(document: Document, plan: Plan, *, unfinished: bool = False) -> Report:
    """Analyse a plan as it stands. Raises StrokeTextError when its text cannot be read.

    ``unfinished`` lets bars pass that do not add up.
    """
    kit = document.kit(plan.kit)
    text = document.score(plan.pattern).text
    pattern = read_unfinished(text, kit) if unfinished else read_text(text, kit)
    return analyse(pattern, kit, document.player(plan.player), plan.tempo, repeat=plan.repeat, weights=plan.weights)


def read_text(text: str, kit: Kit) -> Pattern:
    """Read stroke text for a kit: its own voices and those of the shipped kits are known.

    The last few are kept, so that moving a drum reads nothing anew. Raises StrokeTextError.
    """
    try:
        pattern = _read(text, kit.voices)
    except StrokeTextError:
        # Once more, for the first mistake may be a bar before it that does not add up.
        parse(text, STANDARD_VOICES | frozenset(kit.voices))
        raise
    if pattern.faults:
        raise fault_error(text, pattern.faults[0], pattern.finest)
    return pattern


def read_unfinished(text: str, kit: Kit) -> Pattern:
    """As ``read_text``, but bars that do not add up are let pass as the pattern's ``faults``."""
    return _read(text, kit.voices)


_REREADER: Final = IncrementalParser()


@lru_cache(maxsize=64)
def _read(text: str, voices: tuple[str, ...]) -> Pattern:
    return _REREADER.read(text, STANDARD_VOICES | frozenset(voices))


def commit(document: Document, plan: Plan, report: Report, reason: str, date: str, app_version: str) -> Document:
    """The document with the plan committed as the report found it.

    ``date`` is ISO 8601. What the report warned of is recorded as accepted.
    """
    commitment = Commitment(
        document.free_id("commitment"),
        plan.id,
        date,
        reason,
        report.pattern.text,
        report.tempo,
        report.repeat,
        document.kit(plan.kit),
        document.player(plan.player),
        report.summary.cost,
        report.summary.ease,
        report.summary.tempo_limit,
        tuple(f.message for f in report.findings if f.severity != "note"),
        app_version,
        plan.weights,
    )
    return replace(document, commitments=(*document.commitments, commitment))


def standing(document: Document, plan: Plan) -> Commitment | None:
    """A plan's newest commitment, if nothing that it was made from has changed since."""
    rows = document.commitments_of(plan.id)
    if not rows:
        return None
    last = rows[-1]
    same = (
        last.text == document.score(plan.pattern).text
        and (last.tempo, last.repeat) == (plan.tempo, plan.repeat)
        and last.kit.pieces == document.kit(plan.kit).pieces
        and last.player == document.player(plan.player)
    )
    return last if same else None


def changes_since(commitment: Commitment, document: Document, plan: Plan, report: Report | None) -> list[str]:
    """What differs now from what was committed, one plain line each; empty when nothing does."""
    lines: list[str] = []
    text = document.score(plan.pattern).text
    if report is None:
        lines.append("the stroke text cannot be read at the moment")
    elif text != commitment.text:
        kit = document.kit(plan.kit)
        before = read_text(commitment.text, commitment.kit).strokes
        now = read_text(text, kit).strokes
        if len(before) != len(now):
            lines.append(f"{len(now)} strokes instead of {len(before)}")
        else:
            hands = sum(a.limb != b.limb for a, b in zip(before, now))
            voices = sum(a.voice != b.voice for a, b in zip(before, now))
            times = sum(a.start != b.start for a, b in zip(before, now))
            marks = sum((a.marks, a.grace_text) != (b.marks, b.grace_text) for a, b in zip(before, now))
            for count, what in (
                (hands, "limb"),
                (voices, "voice"),
                (times, "place in time"),
                (marks, "mark"),
            ):
                if count:
                    plural = {"place in time": "places in time"}.get(what, what + "s")
                    lines.append(f"{count} {what if count == 1 else plural} changed")
    if plan.tempo != commitment.tempo:
        lines.append(f"home tempo {commitment.tempo:g} → {plan.tempo:g} BPM")
    if plan.repeat != commitment.repeat:
        lines.append("played as a loop" if plan.repeat else "played once")
    lines += _kit_changes(commitment.kit, document.kit(plan.kit))
    player = document.player(plan.player)
    if player != commitment.player:
        lines.append(f"another player or other measures ({player.name})")
    if report is not None and lines:
        before_limit, limit = commitment.tempo_limit, report.summary.tempo_limit
        if before_limit and limit and round(before_limit) != round(limit):
            lines.append(f"breaks at {before_limit:.0f} → {limit:.0f} BPM")
        if round(commitment.ease) != round(report.summary.ease):
            lines.append(f"ease {commitment.ease:.0f} → {report.summary.ease:.0f}")
    return lines


def _kit_changes(before: Kit, now: Kit) -> list[str]:
    if before.pieces == now.pieces and before.id == now.id:
        return []
    if before.id != now.id:
        return [f"kit '{before.name}' → '{now.name}'"]
    lines = []
    for piece in now:
        was = before.piece(piece.code)
        if was is None:
            lines.append(f"{piece.name} added")
        elif (was.x, was.y, was.z) != (piece.x, piece.y, piece.z):
            moved = ((piece.x - was.x) ** 2 + (piece.y - was.y) ** 2 + (piece.z - was.z) ** 2) ** 0.5
            lines.append(f"{piece.name} moved {moved:.0f} mm")
        elif was != piece:
            lines.append(f"{piece.name} changed")
    lines += [f"{piece.name} removed" for piece in before if now.piece(piece.code) is None]
    return lines or ["the kit changed"]
