"""What a take shows in numbers: by stroke, by limb, by voice, and of the whole."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any, Final

import numpy as np

from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.pattern import Stroke, lead_beat
from deft_reach.core.practice.take_alignment import SAME_S, Alignment
from deft_reach.core.practice.take_report import LimbTake, PlaceTake

#: Limbs that strike together sound together as long as they are no further apart than this (seconds): about what the
#: ear joins (common practice).
TOGETHER_S: Final = 0.012
#: Feet that strike together are heard as a flam from here on (seconds): about what it takes to tell which of two
#: sounds came first (Hirsh 1959, from memory).
FLAM_THRESHOLD_S: Final = 0.020
#: A single stroke is a flub from so many tolerances on; of so many strokes one may be one.
FLUB: Final = 2.0


@dataclass(frozen=True)
class Statistics:
    """The numbers of a take.

    ``evenness`` is played over written spacing by kind of step; ``dynamics`` the velocities of each kind of stroke;
    ``swing`` where the off-beats fall (percent of the beat) and which strokes they are, where it swings; ``apart``
    the strokes written together that do not sound together, with how far they are apart (ms); ``flubs`` the rows of
    single strokes that are far off.
    """

    places: tuple[PlaceTake, ...]
    limbs: dict[str, LimbTake]
    voices: dict[str, LimbTake]
    evenness: dict[str, float | None]
    dynamics: dict[str, Any]
    flams: dict[str, Any]
    swing: tuple[float, frozenset[int]] | None
    apart: dict[tuple[int, ...], float]
    flubs: list[int]


def statistics_of(a: Alignment) -> Statistics:
    """All the numbers of an aligned take."""
    places = places_of(a)
    return Statistics(
        places, limb_rows(a, lambda s: s.limb), limb_rows(a, lambda s: s.voice), evenness_of(a), dynamics_of(a),
        grace_widths(a), swing_of(a, places), unisons_apart(a), flubs(a, places),
    )  # fmt: skip


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


def flubs(a: Alignment, places: Sequence[PlaceTake]) -> list[int]:
    """Single strokes (of all rounds) far from where their place lies as a rule, the furthest first."""
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
            found += mine[away[mine] > max(FLUB * a.tolerance + SAME_S, 5.0 * steady)].tolist()
    return sorted(found, key=lambda k: -away[k])


def swing_of(a: Alignment, places: Sequence[PlaceTake]) -> tuple[float, frozenset[int]] | None:
    """Where the middles of beats fall (percent of the beat), and the strokes there, where all of them come late
    alike and the beats do not: that is no dragging hand.
    """
    beat_ms = a.whole / 4 * 1000
    middles: dict[int, float] = {}
    beats: list[float] = []
    on_beats: set[str] = set()
    for row in places:
        stroke = a.pattern.strokes[row.stroke]
        bar = a.pattern.bar_at(stroke.start)
        beat = lead_beat(bar.meter)
        into = (stroke.start - bar.start + bar.offset) % beat / beat
        if row.offset_ms is None or beat != Fraction(1, 4):
            continue
        if into == Fraction(1, 2):
            middles[row.stroke] = row.offset_ms
        elif into == 0:
            beats.append(row.offset_ms)
            on_beats.add(stroke.limb)
    if len(middles) < 2 or not beats:
        return None
    late = np.array(list(middles.values()))
    tolerance = a.tolerance * 1000
    # One hand that has all the middles of beats and no beat may as well be late itself.
    limbs = {a.pattern.strokes[i].limb for i in middles}
    alike = float(late.std()) < tolerance / 2 and float(np.abs(beats).max()) < tolerance
    if not alike or float(late.min()) <= tolerance or not (len(limbs) > 1 or limbs <= on_beats):
        return None
    return 50.0 + 100.0 * float(late.mean()) / beat_ms, frozenset(middles)


def unisons_apart(a: Alignment) -> dict[tuple[int, ...], float]:
    """Strokes written together that do not sound together: how far apart as a rule (ms)."""
    n = len(a.own)
    there = (a.match >= 0).reshape(-1, n)
    times = np.where(there, a.times[np.maximum(a.match, 0)].reshape(-1, n), np.nan)
    judged = a.judged()[:n]
    found = {}
    for event in a.pattern.events:
        indices = [i for i in event.indices if judged[i]]
        rows = times[:, indices]
        rows = rows[~np.isnan(rows).any(axis=1)] if len(indices) > 1 else rows[:0]
        if len(rows):
            gap = float(np.median(np.ptp(rows, axis=1)))
            feet = all(a.pattern.strokes[i].limb in FEET for i in indices)
            if gap > (FLAM_THRESHOLD_S if feet else TOGETHER_S) + SAME_S:
                found[tuple(indices)] = gap * 1000
    return found


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
