"""What a take shows in numbers: by stroke, by limb, by voice, and of the whole."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import combinations, pairwise
from typing import Any, Final, NamedTuple

import numpy as np

from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.pattern import Stroke, lead_beat
from deft_reach.core.practice.take_alignment import SAME_S, Alignment
from deft_reach.core.practice.take_report import STUMBLE, LimbTake, PlaceTake, Slip
from deft_reach.core.practice.take_zones import ZoneFault, zones_of

#: Limbs that strike together sound together as long as they are no further apart than this (seconds): about what the
#: ear joins (common practice).
TOGETHER_S: Final = 0.012
#: Feet that strike together are heard as a flam from here on (seconds): about what it takes to tell which of two
#: sounds came first (Hirsh 1959, from memory).
FLAM_THRESHOLD_S: Final = 0.020
#: Something is sure that is so many standard errors away; that of a median is so much larger than that of a mean
#: (for what is normally distributed: Kendall and Stuart, from memory).
SURE: Final = 1.64
MEDIAN_ERROR: Final = 1.2533
#: Where nothing can be known of how unsteady a pair of limbs is, this is assumed (ms; common practice).
UNKNOWN_MS: Final = 4.0
#: A single stroke is a flub from so many tolerances on; of so many strokes one may be one.
FLUB: Final = 2.5
#: Among others that go wrong with it a stroke counts from so many tolerances on.
STUMBLED: Final = 1.75


@dataclass(frozen=True)
class Statistics:
    """The numbers of a take.

    ``scatter`` is how unsteady each limb is about its own places (ms), ``zones`` what is struck elsewhere than
    written and ``untold`` the zones that nothing can be said of; ``slips`` has stumbles as well, and ``stumbled`` the
    rows and hits that belong to one.

    ``evenness`` is played over written spacing by kind of step; ``dynamics`` the velocities of each kind of stroke;
    ``swing`` where the off-beats fall, where they are written (percent of the beat) and which strokes they are, where
    it is straight for swung or the other way round; ``apart`` the strokes that are written together and do not sound
    together; ``flubs`` the rows of single strokes that are far off.
    """

    places: tuple[PlaceTake, ...]
    limbs: dict[str, LimbTake]
    voices: dict[str, LimbTake]
    evenness: dict[str, float | None]
    dynamics: dict[str, Any]
    flams: dict[str, Any]
    swing: tuple[float, float, frozenset[int]] | None
    apart: list[Apart]
    flubs: list[int]
    scatter: dict[str, float]
    zones: list[ZoneFault]
    untold: list[str]
    slips: list[Slip]
    stumbled: Stumbled


class Apart(NamedTuple):
    """Pairs of strokes (by their indices) of two limbs; the second of each comes ``ms`` after the first."""

    places: tuple[tuple[int, int], ...]
    ms: float


class Stumbled(NamedTuple):
    """Rows, and hits too many, that are part of a stumble."""

    rows: frozenset[int]
    hits: frozenset[int]


def statistics_of(a: Alignment) -> Statistics:
    """All the numbers of an aligned take."""
    places = places_of(a)
    single, scatter = flubs(a, places), scatter_of(a)
    stumbles, stumbled = stumbles_of(a, flubs(a, places, STUMBLED))
    zones, untold = zones_of(a)
    return Statistics(
        places, limb_rows(a, lambda s: s.limb), limb_rows(a, lambda s: s.voice), evenness_of(a), dynamics_of(a),
        grace_widths(a), swing_of(a, places, scatter), unisons_apart(a),
        [k for k in single if k not in stumbled.rows], scatter, zones, untold, [*a.slips, *stumbles], stumbled,
    )  # fmt: skip


def scatter_of(a: Alignment) -> dict[str, float]:
    """How unsteady each limb is about its own places: standard deviation (ms), of which single flubs are no part."""
    n = len(a.own)
    late = np.where(a.match >= 0, a.late, np.nan).reshape(-1, n) * 1000
    judged = a.judged()[:n]
    found: dict[str, float] = {}
    for limb in dict.fromkeys(s.limb for s in a.pattern.strokes):
        mine = np.array([s.limb == limb for s in a.pattern.strokes]) & judged
        rest: list[float] = []
        lost = 0
        for column in late[:, mine].T:
            here = column[~np.isnan(column)]
            if len(here) > 1:
                rest += (here - np.median(here)).tolist()
                lost += 1
        if len(rest) - lost < 3:
            found[limb] = 0.0
            continue
        values = np.array(rest)
        # What is further off than any unsteadiness explains is a flub, and said of that stroke alone.
        middle = 1.4826 * float(np.median(np.abs(values)))
        values = values[np.abs(values) <= max(3.5 * middle, 1.0)]
        found[limb] = round(math.sqrt(float(values @ values) / max(len(values) - lost, 1)), 3)
    return found


def stumbles_of(a: Alignment, single: Sequence[int]) -> tuple[list[Slip], Stumbled]:
    """Where several strokes in a row went wrong once: strokes far off, missed and too many within two beats."""
    n, beat = len(a.own), a.whole / 4
    often = np.bincount(a.stroke[(a.match < 0) & ~a.void], minlength=n)
    missed = [k for k in np.flatnonzero((a.match < 0) & ~a.void).tolist() if often[a.stroke[k]] * 4 <= a.rounds]
    if a.rounds < 3:
        return [], Stumbled(frozenset(), frozenset())
    rows = [*single, *missed]
    events = [(float(a.mapped[k]), k, False) for k in rows] + [(float(a.times[j]), j, True) for j in a.extra]
    events.sort()
    slips, in_rows, in_hits = [], set(), set()
    first = 0
    while first < len(events):
        last = first
        while last + 1 < len(events) and events[last + 1][0] - events[last][0] <= 0.75 * beat:
            last += 1
        group = events[first : last + 1]
        first = last + 1
        mine = [k for _, k, is_hit in group if not is_hit]
        # A whole take that goes wrong is no stumble.
        if len(group) < 3 or not mine or group[-1][0] - group[0][0] > 4 * beat:
            continue
        row = min(mine, key=lambda k: float(a.mapped[k]))
        slips.append(Slip(STUMBLE, row // n + 1, int(a.stroke[row]), 0.0, round(group[-1][0] - group[0][0], 3)))
        in_rows |= set(mine)
        in_hits |= {k for _, k, is_hit in group if is_hit}
    if len(slips) > max(2, a.rounds // 3):
        return [], Stumbled(frozenset(), frozenset())
    return slips, Stumbled(frozenset(in_rows), frozenset(in_hits))


def places_of(a: Alignment) -> tuple[PlaceTake, ...]:
    """Every stroke of the pattern over its rounds."""
    n = len(a.own)
    there = (a.match >= 0).reshape(-1, n)
    late = np.where(there, a.late.reshape(-1, n), np.nan) * 1000
    gone = ~there & ~a.void.reshape(-1, n)
    found = []
    for i, stroke in enumerate(a.pattern.strokes):
        mine = late[there[:, i], i]
        grace: dict[str, float | None] | None = None
        if stroke.grace:
            rows = [(k, a.graces.get(k, [])) for k in range(i, len(a.stroke), n) if a.match[k] >= 0]
            widths = [(a.times[a.match[k]] - a.times[hits[-1]]) * 1000 for k, hits in rows if hits]
            width = round(float(np.median(widths)), 2) if widths else None
            grace = {"there": float(len(widths)), "of": float(len(rows)), "width_ms": width}
        found.append(
            PlaceTake(
                i, round(float(np.median(mine)), 3) if len(mine) else None,
                round(float(mine.std(ddof=1)), 3) if len(mine) > 1 else 0.0, int(gone[:, i].sum()), grace,
            )
        )  # fmt: skip
    return tuple(found)


def flubs(a: Alignment, places: Sequence[PlaceTake], tolerances: float = FLUB) -> list[int]:
    """Single strokes (of all rounds) far from where their place lies as a rule, the furthest first: so many
    tolerances at the least, and twice as many standard deviations of the limb.
    """
    if a.rounds < 3:
        return []
    usual = np.array([p.offset_ms if p.offset_ms is not None else np.nan for p in places]) / 1000
    away = np.abs(a.late - usual[a.stroke])
    away[(a.match < 0) | ~a.judged()] = 0.0
    found: list[int] = []
    limbs = np.array([s.limb for s in a.pattern.strokes])[a.stroke]
    for limb in dict.fromkeys(limbs.tolist()):
        mine = np.flatnonzero((limbs == limb) & (a.match >= 0))
        if len(mine):
            # Where a limb is unsteady altogether that is said of it, and of no single stroke.
            steady = 1.4826 * float(np.median(away[mine]))
            found += mine[away[mine] > tolerances * max(a.tolerance + SAME_S, 2.0 * steady)].tolist()
    return sorted(found, key=lambda k: -away[k])


def swing_of(
    a: Alignment, places: Sequence[PlaceTake], scatter: Mapping[str, float]
) -> tuple[float, float, frozenset[int]] | None:
    """Where the off-beats fall, where they are written (percent of the beat) and which strokes they are, where all of
    them are off alike and the beats are not: straight where it is written swung, or swung where it is written
    straight. That is no hand that drags.
    """
    beat_ms = a.whole / 4 * 1000
    off_beats: dict[Fraction, dict[int, float]] = {}
    beats: list[float] = []
    on_beats: set[str] = set()
    for row in places:
        stroke = a.pattern.strokes[row.stroke]
        bar = a.pattern.bar_at(stroke.start)
        beat = lead_beat(bar.meter)
        into = (stroke.start - bar.start + bar.offset) % beat / beat
        if row.offset_ms is None or beat != Fraction(1, 4):
            continue
        if Fraction(1, 2) <= into < Fraction(3, 4):
            off_beats.setdefault(into, {})[row.stroke] = row.offset_ms - a.all_off * 1000
        elif into == 0:
            beats.append(row.offset_ms - a.all_off * 1000)
            on_beats.add(stroke.limb)
    # Written both ways at once, nothing swings or is straight.
    if len(off_beats) != 1 or not beats:
        return None
    [(into, mine)] = off_beats.items()
    if len(mine) < 2:
        return None
    late, tolerance = np.array(list(mine.values())), a.tolerance * 1000
    wide = max(scatter.values(), default=0.0)
    # One hand that has all the off-beats and no beat may as well be off itself.
    limbs = {a.pattern.strokes[i].limb for i in mine}
    alike = float(late.std()) < max(tolerance / 2, 2.5 * wide / math.sqrt(a.rounds))
    alike = alike and float(np.abs(beats).max()) < tolerance
    if not alike or not (len(limbs) > 1 or limbs <= on_beats):
        return None
    written, mean = 100.0 * float(into), float(late.mean())
    straight = written > 55 and float(late.max()) < -tolerance
    if not straight and not (written <= 55 and float(late.min()) > tolerance):
        return None
    return written + 100.0 * mean / beat_ms, written, frozenset(mine)


def unisons_apart(a: Alignment) -> list[Apart]:
    """Limbs that are written together and do not sound together: how far apart as a rule, and at which strokes.

    Signed distances: how far apart two limbs are by chance from round to round is unsteadiness, and no flam. A
    distance counts as far as it is sure, by its standard error; where a pair of limbs is apart at all of its places
    that is one thing.
    """
    n = len(a.own)
    there = (a.match >= 0).reshape(-1, n)
    times = np.where(there, a.times[np.maximum(a.match, 0)].reshape(-1, n), np.nan) * 1000
    # Apart on purpose is together.
    times -= np.array(a.pattern.shifts) * 1000
    judged = a.judged()[:n]
    pairs: dict[tuple[str, str], list[tuple[int, int]]] = {}
    for event in a.pattern.events:
        for i, j in combinations([i for i in event.indices if judged[i]], 2):
            limbs = a.pattern.strokes[i].limb, a.pattern.strokes[j].limb
            pairs.setdefault(limbs, []).append((i, j))
    found: list[Apart] = []
    for limbs, places in pairs.items():
        limit = (FLAM_THRESHOLD_S if set(limbs) <= set(FEET) else TOGETHER_S) * 1000 + SAME_S * 1000
        each = [d[~np.isnan(d)] for d in (times[:, j] - times[:, i] for i, j in places)]
        kept = [(place, d) for place, d in zip(places, each) if len(d)]
        if not kept:
            continue
        rest = np.concatenate([d - np.median(d) for _, d in kept])
        free = sum(len(d) - 1 for _, d in kept)
        # Robust: one flub makes no pair unsteady. Where every place was struck once nothing is known of it.
        spread = 1.4826 * float(np.median(np.abs(rest))) * math.sqrt(len(rest) / free) if free > 2 else UNKNOWN_MS
        rows = []
        for place, d in kept:
            middle = float(np.median(d))
            error = MEDIAN_ERROR * spread / math.sqrt(len(d))
            rows.append((place, middle, error))
        whole = np.concatenate([d for _, d in kept])
        middle, error = float(np.median(whole)), MEDIAN_ERROR * spread / math.sqrt(len(whole))
        alike = all(abs(other - middle) < limit for _, other, _ in rows)
        if alike and abs(middle) - SURE * error > limit:
            found.append(Apart(tuple(place for place, _, _ in rows), middle))
        else:
            found += [Apart((place,), gap) for place, gap, wide in rows if abs(gap) - SURE * wide > limit]
    return sorted(found, key=lambda row: -abs(row.ms))


def limb_rows(a: Alignment, key: Callable[[Stroke], str]) -> dict[str, LimbTake]:
    """What each limb (or whatever ``key`` makes of a stroke) did: bias and spread (ms) of what was judged, misses."""
    names = [key(s) for s in a.pattern.strokes]
    found = {}
    judged = a.judged()
    for name in dict.fromkeys(names):
        mine = np.array([n == name for n in names])[a.stroke]
        late = a.late[mine & judged & (a.match >= 0)] * 1000
        missed = int((mine & (a.match < 0) & ~a.void).sum())
        bias = float(late.mean()) if len(late) else 0.0
        spread = float(late.std(ddof=1)) if len(late) > 1 else 0.0
        found[name] = LimbTake(int(mine.sum()), round(bias, 3), round(spread, 3), missed)
    return found


def evenness_of(a: Alignment) -> dict[str, float | None]:
    """Played over written spacing of consecutive moments: hands, feet, and from a hand to a foot."""
    n = len(a.pattern.strokes)
    # A row for each round; what was missed or is not judged is no number.
    there = ((a.match >= 0) & a.judged()).reshape(-1, n)
    played = np.where(there, a.times[np.maximum(a.match, 0)].reshape(-1, n), np.nan)
    meant = a.mapped.reshape(-1, n)
    ratios: dict[str, list[float]] = {"hands": [], "feet": [], "hand_to_foot": []}
    turns = np.arange(len(there))
    for one, two in pairwise(a.pattern.events):
        kind = _transition(one.hands, one.feet, two.hands, two.feet)
        if kind is None:
            continue
        first, second = list(one.indices), list(two.indices)
        # Of a unison the first stroke that was played says when it was meant.
        begin = meant[turns, np.array(first)[there[:, first].argmax(axis=1)]]
        end = meant[turns, np.array(second)[there[:, second].argmax(axis=1)]]
        written = end - begin
        use = there[:, first].any(axis=1) & there[:, second].any(axis=1) & (written > 0.02)
        spacing = np.nanmean(played[use][:, second], axis=1) - np.nanmean(played[use][:, first], axis=1)
        ratios[kind] += (spacing / written[use]).tolist()
    return {kind: round(float(np.median(rows)), 4) if rows else None for kind, rows in ratios.items()}


def dynamics_of(a: Alignment) -> dict[str, Any]:
    """Mean velocities of accents, plain strokes and ghosts, and strokes that were played as another kind."""
    kinds = ["accent" if ">" in s.marks else "ghost" if "." in s.marks else "plain" for s in a.pattern.strokes]
    each = np.array(kinds)[a.stroke]
    found = a.match >= 0
    loud = np.where(found, a.loud[np.maximum(a.match, 0)], np.nan)
    means: dict[str, float | None] = {}
    for kind in ("accent", "plain", "ghost"):
        mine = loud[found & (each == kind)]
        means[kind] = round(float(np.median(mine)), 1) if len(mine) else None
    wrong: list[int] = []
    order = [kind for kind in ("ghost", "plain", "accent") if means[kind] is not None]
    for low, high in pairwise(order):
        softer, louder = means[low], means[high]
        assert softer is not None and louder is not None
        if louder - softer < 8:
            continue
        middle = (softer + louder) / 2
        too_loud = found & (each == low) & (loud > middle)
        too_soft = found & (each == high) & (loud < middle)
        wrong += [int(a.stroke[k]) for k in np.flatnonzero(too_loud | too_soft)]
    levels = [means[kind] for kind in order]
    contrast = None if len(levels) < 2 else round(float(levels[-1] or 0) - float(levels[0] or 0), 1)
    return {**means, "contrast": contrast, "wrong": sorted(wrong)}


def grace_widths(a: Alignment) -> dict[str, Any]:
    """How wide graces are: from the last one to its stroke, ms."""
    widths = [(a.times[a.match[k]] - a.times[rows[-1]]) * 1000 for k, rows in a.graces.items() if rows]
    without = [int(a.stroke[k]) for k, rows in a.graces.items() if not rows]
    return {
        "count": len(widths),
        "width_ms": round(float(np.median(widths)), 2) if widths else None,
        "without": without,
    }


def _transition(hands_a: Any, feet_a: Any, hands_b: Any, feet_b: Any) -> str | None:
    """What kind of step from one moment to the next this is."""
    if hands_a and hands_b:
        return "hands"
    if feet_a and not hands_a and feet_b and not hands_b:
        return "feet"
    if hands_a and not feet_a and feet_b and not hands_b:
        return "hand_to_foot"
    return None
