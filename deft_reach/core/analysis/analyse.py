"""One call that answers everything: ``analyse(pattern, kit, player, tempo)``."""

from __future__ import annotations

import math
from itertools import chain
from typing import Final

from deft_reach.core.analysis.demands import Moments, moments_of
from deft_reach.core.analysis.difficulty import LATE, difficulty, ease_at, level_at
from deft_reach.core.analysis.finding import NEVER_PLAYABLE
from deft_reach.core.analysis.findings import find_all
from deft_reach.core.analysis.report import Load, Report, StrokeReports, Summary
from deft_reach.core.model.derived import derived
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HANDS, LIMBS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion import cost as price
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.follow import voices_of
from deft_reach.core.motion.reach_table import reach_table
from deft_reach.core.motion.stroke_types import stroke_types
from deft_reach.core.motion.walk import Walk, full_walk

DEFAULT_TEMPO: Final = 100.0
DEFAULT_WEIGHTS: Final = Weights()


def analyse(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float | None = None,
    *,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
) -> Report:
    """Analyse a pattern on a kit for a player.

    ``tempo`` is in quarter notes a minute; None takes the pattern's own, or 100. With ``repeat`` the pattern is a
    loop: its end meets its start. Impossible patterns give findings, never an exception.

    >>> from deft_reach.core import layout, parse
    >>> report = analyse(parse("R L R L"), layout("five"), Player(), 100)
    >>> report.summary.lead, report.impossible
    ('R', False)

    Raises ValueError for a tempo that is none.
    """
    if tempo is None:
        tempo = pattern.tempo or DEFAULT_TEMPO
    if not (math.isfinite(tempo) and tempo > 0):
        raise ValueError(f"tempo is {tempo:g}; expected more than 0 BPM")
    whole = 240.0 / tempo  # seconds in a whole note
    times = [start * whole for start in pattern.starts]
    length = float(pattern.length) * whole
    table = reach_table(kit, player, voices_of(pattern))
    walked = full_walk(pattern, table, whole, repeat, weights)
    types = stroke_types(pattern, repeat)
    strokes = StrokeReports(pattern, times, tempo, walked, types)
    findings, remarks = find_all(pattern, walked, table, times, length, repeat)
    impossible = any(f.kind in NEVER_PLAYABLE for f in findings)
    moments = moments_of(pattern, walked, table, whole, repeat)
    summary = _summary(pattern, walked, moments, tempo, length, impossible)
    return Report(
        pattern, table, tempo, repeat, strokes, tuple(walked.postures), findings, summary, tuple(walked.lead),
        tuple(walked.switches), remarks, walked.between, moments,
    )  # fmt: skip


def cost_by_term(
    pattern: Pattern, kit: Kit, player: Player, tempo: float, *, repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
) -> dict[str, float]:  # fmt: skip
    """What a pattern costs by each term, as ``analyse`` says it, for searches that need nothing else of most."""
    table = reach_table(kit, player, voices_of(pattern))
    return _terms(full_walk(pattern, table, 240.0 / tempo, repeat, weights))


def _terms(walked: Walk) -> dict[str, float]:
    return {name: math.fsum(column) for name, column in zip(price.TERMS, walked.costs.tolist())}


def _summary(
    pattern: Pattern, walked: Walk, moments: Moments, tempo: float, length: float, impossible: bool
) -> Summary:
    total = math.fsum(chain.from_iterable(walked.costs.tolist()))
    fastest, bottleneck = walked.bottleneck or (None, None)
    limit = None if fastest is None else tempo / fastest
    hard = difficulty(moments, length)
    late = fastest is not None and fastest > LATE
    led = [pattern.strokes[i].limb for i in walked.lead]
    # Where both hands lead as often, the one on the first beat is said to lead.
    lead = max(HANDS, key=lambda hand: (led.count(hand), hand == led[0])) if led else None
    together = [row.strokes for row in pattern.moments if row.strokes]
    bars = pattern.bars
    count = len(pattern.strokes)
    return Summary(
        cost=total,
        cost_per_bar=total / float(bars) if bars else 0.0,
        ease=0.0 if impossible or late else ease_at(hard),
        level=None if pattern.unassigned and not impossible else level_at(hard, fastest, impossible),
        difficulty=hard,
        open=len(pattern.unassigned),
        tempo=tempo,
        tempo_limit=limit,
        bottleneck=bottleneck,
        headroom=None if limit is None else limit / tempo - 1,
        lead=lead,
        linear=all(len(row) == 1 for row in together),
        strokes=count,
        duration=length,
        notes_per_second=count / length if length else 0.0,
        load=_load(pattern, walked, length),
        terms=_terms(walked),
    )


def _load(pattern: Pattern, walked: Walk, length: float) -> dict[str, Load]:
    count = len(pattern.strokes)
    return {
        limb: Load(
            strokes=len(found),
            rate=len(found) / length if length else 0.0,
            peak_rate=1 / min((g for i in found if (g := walked.gap[i])), default=math.inf),
            longest_run=longest,
            share=len(found) / count,
        )
        for limb, (found, longest) in _runs_of_limbs(pattern).items()
    }


@derived
def _runs_of_limbs(pattern: Pattern) -> dict[str, tuple[list[int], int]]:
    """Every limb's strokes, and the most it plays in a row."""
    indices: dict[str, list[int]] = {limb: [] for limb in LIMBS}
    longest = dict.fromkeys(LIMBS, 0)
    running: dict[str, int] = {}
    for row in pattern.moments:
        if not row.strokes:
            continue
        now: dict[str, int] = {}
        for i in row.strokes:
            limb = pattern.strokes[i].limb
            indices[limb].append(i)
            now[limb] = running.get(limb, 0) + 1
            longest[limb] = max(longest[limb], now[limb])
        running = now
    return {limb: (found, longest[limb]) for limb, found in indices.items() if found}
