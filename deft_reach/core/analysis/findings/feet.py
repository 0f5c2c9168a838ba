"""The feet: pedals held at once, the hi-hat left alone, strokes that flam, runs that end in a landing."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Final

from deft_reach.core.analysis import sentences
from deft_reach.core.analysis.finding import Finding, Severity, caution_if
from deft_reach.core.analysis.findings.figure import HURRIED_PACE, LATE, Figure, finding
from deft_reach.core.model.kit import piece_of
from deft_reach.core.model.limbs import FEET, HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.pattern import Stroke
from deft_reach.core.motion.columns import RUN_GAP
from deft_reach.core.motion.timing import FLAM_GAP, restrike, travel_times

#: How far two feet's strokes are off their places at best, together (seconds). From memory.
FEET_SCATTER: Final = 0.02
#: A run of feet by turns begins with so many strokes.
FEWEST_BY_TURNS: Final = 4


def split_foot(figure: Figure) -> Iterator[Finding]:
    """One foot that has to hold two pedals."""
    if not figure.table.foot_can_split:
        return
    indices: list[int] = []
    for row in figure.pattern.moments:
        limbs = {figure.strokes[i].limb for i in row.strokes}
        if {SECOND_KICK, HAT_FOOT} <= limbs:
            indices += [i for i in row.strokes if figure.strokes[i].limb in (SECOND_KICK, HAT_FOOT)]
    if indices:
        sentence = sentences.split_foot(figure.on(indices[0]), figure.names[HAT_FOOT], figure.kit.foot_pedals_apart)
        yield finding("split-foot", indices, HAT_FOOT, Severity.CAUTION, sentence)


def unattended_hat(figure: Figure) -> Iterator[Finding]:
    """Strokes on the hi-hat while its foot is on the second bass pedal."""
    hat = figure.kit.of_kind("hi-hat")
    if hat is None or SECOND_KICK not in figure.table.pedals:
        return
    away = _foot_away(figure)
    if not away:
        return
    left_open: list[int] = []
    at = 0
    for stroke in figure.hands:
        if piece_of(stroke.voice) != hat.code:
            continue
        time = figure.times[stroke.index]
        while at < len(away) and away[at][1] < time - 1e-9:
            at += 1
        if at < len(away) and away[at][0] - 1e-9 <= time:
            left_open.append(stroke.index)
    if left_open:
        closed = any("o" not in figure.strokes[i].marks for i in left_open)
        sentence = sentences.unattended_hat(figure.on(left_open[0]), figure.names[HAT_FOOT], len(left_open))
        yield finding("unattended-hat", left_open, HAT_FOOT, caution_if(closed), sentence)


def _foot_away(figure: Figure) -> list[tuple[float, float]]:
    """Spans of time (seconds) in which the hi-hat foot is on the second bass pedal or on its way."""
    foot = [s for s in figure.strokes if s.limb in (SECOND_KICK, HAT_FOOT)]
    player, apart = figure.table.player, figure.kit.foot_pedals_apart
    way = travel_times(apart, figure.table.pedal_widths[SECOND_KICK], player.skill_of(HAT_FOOT))
    move = max(restrike(player, HAT_FOOT), float(way))
    spans: list[tuple[float, float]] = []
    for k, stroke in enumerate(foot):
        if stroke.limb != SECOND_KICK:
            continue
        now = figure.times[stroke.index]
        following = foot[k + 1] if k + 1 < len(foot) else None
        if following is None:
            spans.append((now, now + move))
            continue
        later = figure.times[following.index]
        stays = following.limb == SECOND_KICK and later - now < 2 * move
        spans.append((now, later if stays else min(now + move, later)))
    return spans


def uneven_feet(figure: Figure) -> Iterator[Finding]:
    """Feet by turns so close that they are heard as one, or faster than one foot alone could play."""
    feet = [s for s in figure.strokes if s.limb in FEET]
    alone = restrike(figure.table.player, KICK)
    pairs: list[int] = []
    closest = math.inf
    run: list[Stroke] = []
    for stroke in [*feet, None]:
        last = run[-1] if run else None
        if stroke is not None and last is not None and (stroke.limb == KICK) != (last.limb == KICK):
            gap = figure.times[stroke.index] - figure.times[last.index]
            if 0 < gap < FLAM_GAP + FEET_SCATTER:
                pairs += [i for i in (last.index, stroke.index) if i not in pairs[-2:]]
                closest = min(closest, gap)
            if 0 < gap < alone:
                run.append(stroke)
                continue
        if len(run) >= FEWEST_BY_TURNS and math.isinf(closest):
            yield _by_turns(figure, [s.index for s in run], alone)
        run = [] if stroke is None else [stroke]
    if pairs:
        sentence = sentences.flammed_feet(figure.on(pairs[0]), closest, FLAM_GAP, len(pairs) // 2)
        pace = max((p for i in figure.walk.flammed if (p := figure.walk.pace[i]) is not None), default=0.0)
        severity = Severity.STOP if pace > LATE else caution_if(closest < FLAM_GAP or pace > HURRIED_PACE)
        yield finding("uneven-feet", pairs, None, severity, sentence)
    yield from _loose_unisons(figure)


def _by_turns(figure: Figure, run: Sequence[int], alone: float) -> Finding:
    gap = (figure.times[run[-1]] - figure.times[run[0]]) / (len(run) - 1)
    pace = max((p for i in run if (p := figure.walk.pace[i]) is not None), default=0.0)
    sentence = sentences.uneven_feet(figure.span(run[0], run[-1]), len(run), gap, alone)
    return finding("uneven-feet", run, None, caution_if(pace > HURRIED_PACE), sentence)


def _loose_unisons(figure: Figure) -> Iterator[Finding]:
    """A hand and a foot together, and neither has time to wait for the other: they will flam."""
    found: list[int] = []
    pace = figure.walk.pace
    if not any(p is not None and p > HURRIED_PACE for p in pace):
        return
    for event in figure.pattern.events:
        if event.hands and event.feet:
            hands, feet = (
                [s.index for s in part if (pace[s.index] or 0.0) > HURRIED_PACE] for part in (event.hands, event.feet)
            )
            if hands and feet:
                found += sorted([*hands, *feet])
    if found:
        sentence = sentences.loose_unison(figure.on(found[0]), len(found) // 2)
        yield finding("uneven-feet", found, None, Severity.NOTE, sentence)


def exit_runs(figure: Figure) -> Iterator[Finding]:
    """Three or more foot strokes in a row of which the last one is the landing's on the first beat."""
    events = figure.pattern.events
    run: list[int] = []
    last = -1.0
    for event in [*events, *(events[:1] if figure.repeat else ())]:
        first = event.indices[0]
        again = bool(run) and first == 0 and run[-1] > 0
        time = float(event.start) + (float(figure.pattern.length) if again else 0.0)
        if run and time - last > RUN_GAP:
            run = []
        lands = figure.strokes[first].beat == 1 and bool(event.feet) and bool(event.hands)
        if lands and len(run) >= 2:
            yield _exit_run(figure, run, first)
        run = [*run, event.feet[0].index] if event.feet and not event.hands else []
        last = time


def _exit_run(figure: Figure, run: Sequence[int], landing: int) -> Finding:
    event = figure.pattern.events[figure.posture_index(landing)]
    feet = [i for i in event.indices if figure.strokes[i].limb in FEET]
    paces = [p for i in [*run, landing, *feet] if (p := figure.walk.pace[i]) is not None]
    pace = max(paces, default=0.0)
    limb = figure.strokes[feet[0]].limb
    sentence = sentences.exit_run(len(run) + 1, figure.on(landing), figure.names[limb], pace)
    return finding("exit-run", (*run, *feet), limb, caution_if(pace > HURRIED_PACE), sentence)
