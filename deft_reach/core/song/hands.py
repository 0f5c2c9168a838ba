"""Hands for every plan of a song at once: each plan gets the hands that suit it where it is played.

The song is searched as one piece, every section once or twice, so that the hands know where they come from and where
they have to go. A plan that is played in several places gets what suits most of them.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Final, NamedTuple

from deft_reach.core.document import Document, Plan, Song
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner import find_stickings
from deft_reach.core.search.planner.assign import with_hands
from deft_reach.core.search.progress import NO_PROGRESS, Progress
from deft_reach.core.song.chain import chain_song

#: A section that returns to itself is searched so often in a row.
ROUNDS: Final = 2

#: The open strokes of one round of a plan, each with its hand.
_Round = tuple[tuple[int, str], ...]


class SongHandsError(SearchError):
    """A song in which there is nothing to search: says why."""


class SongHands(NamedTuple):
    """The new stroke text of every plan that had open strokes, by its id, and how many of them stay open."""

    texts: dict[str, str]
    open: int


def find_song_hands(document: Document, song: Song, progress: Progress = NO_PROGRESS) -> SongHands:
    """The hands of a song's open strokes (``?``).

    What is played again and again gets its hands first; what comes between is then searched with those around it.

    Raises SongHandsError where no stroke of it is open, or none of its plans can be played.
    """
    played: Counter[str] = Counter()
    for section in song.sections:
        played[section.plan] += section.times
    given = _search(document, song, progress)
    if not given:
        raise SongHandsError("every stroke of the song has a hand")
    often = {plan: found for plan, found in given.items() if played[plan.id] > 1}
    if 0 < len(often) < len(given):
        for plan, found in often.items():
            document = document.with_text(plan, found.text)
        given = _search(document, song, progress) | often
    return SongHands(
        {plan.id: pattern.text for plan, pattern in given.items()}, sum(len(p.unassigned) for p in given.values())
    )


def _search(document: Document, song: Song, progress: Progress) -> dict[Plan, Pattern]:
    """Each plan that has open strokes, with the hands that suit most of its rounds."""
    short = replace(song, sections=tuple(replace(row, times=min(row.times, ROUNDS)) for row in song.sections))
    chain = chain_song(document, short, open_strokes=True)
    if chain is None:
        raise SongHandsError("no plan of the song can be played: see the marks of its sections")
    if not chain.pattern.unassigned:
        return {}
    found = find_stickings(
        chain.pattern, chain.kit, chain.player, chain.tempo, best=1, repeat=chain.repeat,
        weights=chain.parts[0].plan.weights, progress=progress,
    )  # fmt: skip
    rounds: dict[int, dict[int, str]] = {}
    for index, hand in zip(chain.pattern.unassigned, found.best[0].hands):
        number, own = chain.origin[index]
        rounds.setdefault(number, {})[own] = hand
    plans: dict[Plan, Counter[_Round]] = {}
    patterns: dict[Plan, Pattern] = {}
    for number, row in rounds.items():
        part = chain.parts[number]
        # The last of the rounds searched stands for all that follow.
        times = song.sections[part.section].times - ROUNDS + 1 if part.round == ROUNDS - 1 else 1
        plans.setdefault(part.plan, Counter())[tuple(sorted(row.items()))] += times
        patterns[part.plan] = part.pattern
    return {plan: with_hands(patterns[plan], dict(_usual(rows))) for plan, rows in plans.items()}


def _usual(rounds: Counter[_Round]) -> _Round:
    """The hands that come most often, of the fullest rounds: a pickup takes strokes away from what it lies over."""
    most = max(map(len, rounds))
    return max((row for row in rounds if len(row) == most), key=lambda row: rounds[row])
