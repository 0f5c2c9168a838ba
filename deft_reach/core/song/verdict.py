"""A song judged as one movement: each section against itself alone, and what happens where sections meet."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.finding import Severity, worst
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Song
from deft_reach.core.song.chain import chain_song, problems_of
from deft_reach.core.song.parts import Chain, Problem
from deft_reach.core.song.seams import Seam, alone, seams_of


@dataclass(frozen=True)
class SectionVerdict:
    """A section in the chain against its plan alone, at the same tempo on the same kit.

    ``cost`` is what its strokes cost in the chain, a round of it; ``tempo_limit`` (BPM, in its own tempo) and
    ``bottleneck`` (a stroke of the chain) are the chain's too. ``alone`` is the plan by itself.
    """

    section: int
    tempo: float
    cost: float
    tempo_limit: float | None
    bottleneck: int | None
    alone: Report
    severity: Severity | None

    @property
    def headroom(self) -> float | None:
        return None if self.tempo_limit is None else self.tempo_limit / self.tempo - 1

    @property
    def alone_limit(self) -> float | None:
        return self.alone.summary.tempo_limit


@dataclass(frozen=True)
class SongReport:
    """Everything about a song that can be said; ``chain`` and ``report`` are None where nothing could be chained."""

    song: Song
    problems: tuple[Problem, ...]
    chain: Chain | None = None
    report: Report | None = None
    sections: tuple[SectionVerdict, ...] = ()
    seams: tuple[Seam, ...] = ()

    @property
    def duration(self) -> float:
        """Seconds for one time through."""
        return self.report.summary.duration if self.report is not None else 0.0

    @property
    def tightest(self) -> SectionVerdict | None:
        """The section with the least headroom."""
        found = [row for row in self.sections if row.headroom is not None]
        return min(found, key=lambda row: row.headroom or 0.0, default=None)


def analyse_song(document: Document, song: Song) -> SongReport:
    """Chain a song and analyse it as one; what cannot be chained is said in ``problems``."""
    chain = chain_song(document, song)
    if chain is None:
        return SongReport(song, problems_of(document, song))
    report = analyse_chain(chain)
    return SongReport(
        song, chain.problems, chain, report, tuple(_sections(chain, report)), tuple(seams_of(chain, report))
    )


def analyse_chain(chain: Chain) -> Report:
    """The chain's own analysis, at its first section's tempo; weights are its first plan's."""
    weights = chain.parts[0].plan.weights if chain.parts else DEFAULT_WEIGHTS
    return analyse(chain.pattern, chain.kit, chain.player, chain.tempo, repeat=chain.repeat, weights=weights)


# --- sections ---------------------------------------------------------------------------------------------------


def _sections(chain: Chain, report: Report) -> Iterator[SectionVerdict]:
    section_of = [part.section for part in chain.parts]
    by_section: dict[int, list[int]] = {}
    for index, (number, _) in enumerate(chain.origin):
        by_section.setdefault(section_of[number], []).append(index)
    worst_of: dict[int, set[Severity]] = {}
    for finding in report.findings:
        for index in finding.strokes:
            worst_of.setdefault(section_of[chain.origin[index][0]], set()).add(finding.severity)
    totals = report.strokes.totals()
    limits = report.strokes.limits()
    rounds = Counter(section_of)
    for number in rounds:
        strokes = by_section.get(number, [])
        part = chain.parts[section_of.index(number)]
        factor = part.tempo / chain.tempo
        tightest = min(strokes, key=lambda i: limits[i], default=None)
        limit = None if tightest is None or limits[tightest] == float("inf") else limits[tightest] * factor
        yield SectionVerdict(
            number,
            part.tempo,
            sum(totals[i] for i in strokes) / rounds[number],
            limit,
            tightest if limit is not None else None,
            alone(chain, part),
            worst(worst_of.get(number, ())),
        )


# --- where they meet --------------------------------------------------------------------------------------------
