"""Hands for every plan of a song at once: each plan gets the hands that suit it where it is played.

The song is searched as one piece, every section once or twice, so that the hands know where they come from and where
they have to go. A plan that is played in several places gets what suits most of them, or the hands that are best for
it alone where the song is easier with those.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Final, NamedTuple

from deft_reach.core.analysis.ranking import better
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Plan, Song
from deft_reach.core.model.counting import in_bar
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.planner import PlanError, find_stickings
from deft_reach.core.search.planner.assign import given as given_hands
from deft_reach.core.search.planner.assign import with_hands
from deft_reach.core.search.progress import NO_PROGRESS, Progress
from deft_reach.core.song.chain import chain_song
from deft_reach.core.song.parts import Chain
from deft_reach.core.song.verdict import analyse_chain

#: A section that returns to itself is searched so often in a row.
ROUNDS: Final = 2
#: So many of the hands that are best for a plan alone are tried in the song, where that has no more strokes than
#: MOST_COMPARED.
ALONE: Final = 3
MOST_COMPARED: Final = 3_000

#: The open strokes of one round of a plan, each with its hand.
_Round = tuple[tuple[int, str], ...]


class SongHandsError(SearchError):
    """A song in which there is nothing to search: says why."""


class SongHands(NamedTuple):
    """The new stroke text of every plan that had open strokes, by its id, and how many of them stay open; ``tight``
    says where the song stays under its tempo with them, and what helps.
    """

    texts: dict[str, str]
    open: int
    tight: str = ""


def find_song_hands(document: Document, song: Song, progress: Progress = NO_PROGRESS) -> SongHands:
    """The hands of a song's open strokes (``?``).

    What is played again and again gets its hands first; what comes between is then searched with those around it.

    Raises SongHandsError where no stroke of it is open, or none of its plans can be played.
    """
    chain = _short_chain(document, song)
    played: Counter[str] = Counter()
    for section in song.sections:
        played[section.plan] += section.times
    given = _search(chain, song, progress)
    if not given:
        raise SongHandsError("every stroke of the song has a hand")
    often = {plan: found for plan, found in given.items() if played[plan.id] > 1}
    if 0 < len(often) < len(given):
        for plan, found in often.items():
            document = document.with_text(plan, found.text)
        given = _search(_short_chain(document, song), song, progress) | often
    given, tight = _suited(chain, song, given, progress)
    return SongHands(
        {plan.id: pattern.text for plan, pattern in given.items()},
        sum(len(p.unassigned) for p in given.values()),
        tight,
    )


def _suited(
    chain: Chain, song: Song, given: dict[Plan, Pattern], progress: Progress
) -> tuple[dict[Plan, Pattern], str]:
    """The hands with which the song is easiest: of each plan those that are given or the ones that are best for it
    alone. And where it stays under its tempo, in words.
    """
    if len(chain.pattern.strokes) > MOST_COMPARED:
        return given, ""
    own = {part.plan: part for part in chain.parts}
    report = _report(chain, given)
    for plan in given:
        part = own[plan]
        try:
            found = find_stickings(
                part.pattern, chain.kit, chain.player, part.tempo, best=ALONE,
                repeat=song.sections[part.section].times > 1, weights=chain.parts[0].plan.weights, progress=progress,
            )  # fmt: skip
        except PlanError:
            continue
        for row in found.best:
            other = given | {plan: row.pattern}
            compared = _report(chain, other)
            if better(compared, report):
                given, report = other, compared
    return given, _tight(chain, report)


def _report(chain: Chain, given: dict[Plan, Pattern]) -> Report:
    """The song's analysis with the hands that its plans are given."""
    hands = {}
    for index in chain.pattern.unassigned:
        number, own = chain.origin[index]
        hands[index] = given[chain.parts[number].plan].strokes[own].limb
    # Its text is not read.
    return analyse_chain(replace(chain, pattern=replace(chain.pattern, strokes=given_hands(chain.pattern, hands))))


def _tight(chain: Chain, report: Report) -> str:
    """Where a song stays under its tempo, and what helps; empty where it does not."""
    s = report.summary
    if s.tempo_limit is None or s.tempo_limit >= s.tempo or s.bottleneck is None:
        return ""
    number, own = chain.origin[s.bottleneck]
    part = chain.parts[number]
    stroke = part.pattern.strokes[own]
    said = f"“{part.plan.name}” breaks at {s.tempo_limit * part.tempo / s.tempo:.0f} BPM in the song, under its "
    said += f"{part.tempo:.0f}: {in_bar(stroke.bar, stroke.beat)}"
    helps = next((str(f.advised) for f in report.findings if s.bottleneck in f.strokes and f.advised), "")
    return f"{said}; {helps}" if helps else said


def _short_chain(document: Document, song: Song) -> Chain:
    """The song with every section ROUNDS times at the most, its open strokes among the others."""
    short = replace(song, sections=tuple(replace(row, times=min(row.times, ROUNDS)) for row in song.sections))
    chain = chain_song(document, short, open_strokes=True)
    if chain is None:
        raise SongHandsError("no plan of the song can be played: see the marks of its sections")
    return chain


def _search(chain: Chain, song: Song, progress: Progress) -> dict[Plan, Pattern]:
    """Each plan that has open strokes, with the hands that suit most of its rounds."""
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
