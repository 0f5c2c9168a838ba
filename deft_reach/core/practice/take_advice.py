"""What a take comes to: what is not as written, its verdict, and what would help, the weightiest first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

from deft_reach.core.model.counting import counted
from deft_reach.core.practice.take_alignment import SAME_S, Alignment
from deft_reach.core.practice.take_report import PlaceTake
from deft_reach.core.practice.take_statistics import Statistics

#: A tempo further than this from the one asked (a part of it) is another one, and further than this another piece.
OTHER_TEMPO: Final = 0.03
FAR_TEMPO: Final = 0.2
#: Of so many strokes one may be a flub.
FLUB_IN: Final = 200
#: A grace that is to be heard as one comes so long before its stroke (ms).
GRACE_WIDTH_MS: Final = (12.0, 60.0)
#: Accents, plain strokes and ghosts stand apart from each other by at least so much (velocity, of 127).
CONTRAST: Final = 15.0
#: Evenness further than this from 1 is worth a word, further than half as much again is not clean.
UNEVEN: Final = 0.08
#: With less than this share of strokes found, it is not this plan that was played.
SAME_PIECE: Final = 0.4
#: The tempo may change by this part from the beginning of a take to its end.
DRIFT: Final = 0.03
#: A take of fewer strokes than this says little.
FEWEST_STROKES: Final = 8


def faults_of(a: Alignment, s: Statistics, judge_dynamics: bool) -> list[str]:
    """What is not as written at some place, in words, the weightiest first."""
    lines = [*_disagreement(a), *_places(a, s), *_unisons(a, s), *_graces(a, s)]
    if judge_dynamics:
        lines += _levels(a, s) or _wrong_levels(a, s)
    if abs(a.drift) > DRIFT:
        lines.append(f"The pulse {'rises' if a.drift > 0 else 'falls'} by {abs(a.drift) * 100:.0f} % over the take.")
    return lines


def verdict_of(a: Alignment, s: Statistics, faults: Sequence[str]) -> str:
    """``clean``, ``rough`` or ``not-yet``."""
    away = abs(a.played_tempo / a.tempo - 1)
    if a.share < SAME_PIECE or away > FAR_TEMPO:
        return "not-yet"
    off = (len(a.missed) + len(a.extra)) / len(a.stroke)
    worst = max((max(abs(row.bias_ms), row.spread_ms) for row in s.limbs.values()), default=0.0)
    uneven = max((abs(value - 1) for value in s.evenness.values() if value is not None), default=0.0)
    tolerance = a.tolerance * 1000
    fault = a.missed or a.extra or faults or len(s.flubs) > len(a.stroke) // FLUB_IN
    if not fault and away <= OTHER_TEMPO and worst <= tolerance + 1000 * SAME_S and uneven <= 1.5 * UNEVEN:
        return "clean"
    return "rough" if off <= 0.08 and worst <= 2 * tolerance and uneven <= 4 * UNEVEN else "not-yet"


def advice_of(a: Alignment, s: Statistics, faults: Sequence[str], judge_dynamics: bool) -> list[str]:
    """Plain sentences, the weightiest first: what, where, and what would help."""
    if a.share < SAME_PIECE:
        return [
            f"Only {a.share * 100:.0f} % of the strokes were found: this looks like another piece, or another "
            "kit's pads. Check which plan and which kit it was."
        ]
    lines = [*_tempo(a), *_missed(a), *faults, *_flubs(a, s), *_extra(a)]
    # Where it swings, all off-beats are late, and no limb is to blame.
    if s.swing is None:
        lines += [*_biases(a, s), *_spreads(a, s), *_uneven(s)]
    if judge_dynamics:
        lines += _other_loudness(a, s)
    if not lines:
        lines.append(f"Within {a.tolerance * 1000:.0f} ms everywhere: up a rung.")
    if len(a.stroke) < FEWEST_STROKES:
        lines.append("So few strokes say little: play more rounds.")
    return lines


# --- faults -----------------------------------------------------------------------------------------------------


def _disagreement(a: Alignment) -> Iterator[str]:
    if a.disagree is not None:
        early, late, gap = a.disagree
        yield (
            f"The {a.limb_name(late)} comes {gap:.0f} ms after the {a.limb_name(early)}. Which of them is off "
            "cannot be known from the pads alone: play it to a click, or with a foot on the beats."
        )


def _places(a: Alignment, s: Statistics) -> Iterator[str]:
    """Strokes that are off as a rule."""
    judged = a.judged()[: len(a.own)]
    limit = (a.tolerance + SAME_S) * 1000
    off = [p for p in s.places if judged[p.stroke] and abs(_away(a, p)) > limit]
    if s.swing is not None:
        percent, swung = s.swing
        yield f"The off-beats come late, at about {percent:.0f} % of the beat: it swings, and is written straight."
        off = [p for p in off if p.stroke not in swung]
    for row in sorted(off, key=lambda p: -abs(_away(a, p)))[:3]:
        away = _away(a, row)
        limb = a.limb_name(a.pattern.strokes[row.stroke].limb)
        yield f"The {limb} on {a.where(row.stroke)} comes {abs(away):.0f} ms {_side(away)}."


def _away(a: Alignment, place: PlaceTake) -> float:
    """How late a place is (ms): by the pulse, or where it cannot be known which limb is off, by its own limb."""
    if place.offset_ms is None:
        return 0.0
    if a.disagree is None:
        return place.offset_ms
    limb = a.pattern.strokes[place.stroke].limb
    return place.offset_ms - a.middle_of.get(limb, 0.0) * 1000


def _side(late: float) -> str:
    return "late" if late > 0 else "early"


def _unisons(a: Alignment, s: Statistics) -> Iterator[str]:
    for indices, gap in sorted(s.apart.items(), key=lambda item: -item[1])[:2]:
        limbs = " and the ".join(a.limb_name(a.pattern.strokes[i].limb) for i in indices)
        yield f"The {limbs} are {gap:.0f} ms apart on {a.where(indices[0])}: strike them as one."


def _graces(a: Alignment, s: Statistics) -> Iterator[str]:
    low, high = GRACE_WIDTH_MS
    for row in s.places:
        if row.grace is None:
            continue
        there, of, width = (row.grace[name] for name in ("there", "of", "width_ms"))
        where = a.where(row.stroke)
        if (there or 0.0) < (of or 0.0):
            gone, all_of = (of or 0.0) - (there or 0.0), of or 0.0
            yield f"The grace on {where} is missing {gone:.0f} of {all_of:.0f} times."
        elif width is not None and not low <= width <= high:
            yield (
                f"The grace on {where} comes {width:.0f} ms before its stroke; {low:.0f} to {high:.0f} ms "
                "is heard as one."
            )


def _levels(a: Alignment, s: Statistics) -> list[str]:
    """Levels that are written apart and not played apart."""
    accent, plain, ghost = (s.dynamics[kind] for kind in ("accent", "plain", "ghost"))
    low = plain if plain is not None else ghost
    lines = []
    if accent is not None and low is not None and accent - low < CONTRAST:
        lines.append("Accents hardly stand out: lift higher before them, and keep the others low.")
    high = plain if plain is not None else accent
    if ghost is not None and high is not None and high - ghost < CONTRAST:
        lines.append("Ghosts are as loud as the rest: let them fall from two fingers' height.")
    return lines


def _wrong_levels(a: Alignment, s: Statistics) -> list[str]:
    """Single strokes happen; a place that is wrong in most rounds is not played as written."""
    lines = []
    rounds = np.bincount(a.stroke[a.match >= 0], minlength=len(a.own))
    for index, count in Counter(s.dynamics["wrong"]).items():
        if 2 * count > rounds[index]:
            marks = a.pattern.strokes[index].marks
            kind = "accent" if ">" in marks else "ghost" if "." in marks else "plain stroke"
            softer = ">" in marks or ("." not in marks and _softer(a, s, index))
            lines.append(f"The {kind} on {a.where(index)} is {'too soft' if softer else 'too loud'}.")
    return lines[:3]


def _softer(a: Alignment, s: Statistics, index: int) -> bool:
    """Whether a place is played softer than its kind is as a rule."""
    played = a.loud[a.match[(a.match >= 0) & (a.stroke == index)]]
    return float(np.median(played)) < (s.dynamics["plain"] or 0.0)


# --- advice -----------------------------------------------------------------------------------------------------


def _tempo(a: Alignment) -> Iterator[str]:
    ratio = a.played_tempo / a.tempo
    if abs(ratio - 1) > FAR_TEMPO:
        times = {2: "twice", 0.5: "half"}.get(round(ratio * 2) / 2 if abs(ratio * 2 - round(ratio * 2)) < 0.1 else 0)
        how = f"{times} the {a.tempo:.4g} BPM asked" if times else f"and {a.tempo:.4g} BPM was asked"
        yield f"It was played at {a.played_tempo:.0f} BPM, {how}: check the tempo, or the grid it was written in."
    elif abs(ratio - 1) > OTHER_TEMPO:
        yield f"It was played at {a.played_tempo:.0f} BPM, and {a.tempo:.4g} BPM was asked."


def _missed(a: Alignment) -> Iterator[str]:
    counts = Counter(a.missed)
    for i, count in counts.most_common(3):
        often = f" {count} of {a.rounds} times" if a.rounds > 1 else ""
        if count == 1 and a.rounds > 1:
            often = f" once, in round {_round_missed(a, i)}"
        yield f"The {a.limb_name(a.pattern.strokes[i].limb)} misses {a.where(i)}{often}."
    if len(counts) > 3:
        yield f"{len(a.missed)} strokes were missed in all."


def _round_missed(a: Alignment, index: int) -> int:
    """The first round in which a stroke was missed, from 1."""
    rows = np.flatnonzero((a.match < 0) & ~a.void & (a.stroke == index))
    return int(rows[0]) // len(a.own) + 1


def _flubs(a: Alignment, s: Statistics) -> Iterator[str]:
    for k in s.flubs[:3]:
        late = float(a.late[k]) * 1000
        limb = a.limb_name(a.pattern.strokes[a.stroke[k]].limb)
        where = a.where(int(a.stroke[k]))
        yield f"Once, in round {k // len(a.own) + 1}, the {limb} on {where} comes {abs(late):.0f} ms {_side(late)}."
    if len(s.flubs) > 3:
        yield f"{len(s.flubs)} single strokes are that far off."


def _extra(a: Alignment) -> Iterator[str]:
    if a.extra:
        at = ", ".join(f"{a.times[j]:.2f} s" for j in a.extra[:3])
        yield f"{counted(len(a.extra), 'hit')} too many, first at {at}: keep the rests still."


def _biases(a: Alignment, s: Statistics) -> Iterator[str]:
    """Limbs that are early or late on the whole, as far as it is sure which of them is off."""
    if not a.sure:
        return
    for limb, row in sorted(s.limbs.items(), key=lambda item: -abs(item[1].bias_ms)):
        if abs(row.bias_ms) > a.tolerance * 600 and row.strokes > row.missed:
            cure = "lift it sooner" if row.bias_ms > 0 else "let it wait"
            yield (
                f"The {a.limb_name(limb)} is {abs(row.bias_ms):.0f} ms {_side(row.bias_ms)} on the whole: {cure}, "
                "and play the figure with that limb alone against the click."
            )


def _spreads(a: Alignment, s: Statistics) -> Iterator[str]:
    for limb, row in sorted(s.limbs.items(), key=lambda item: -item[1].spread_ms):
        if row.spread_ms > a.tolerance * 1000:
            yield (
                f"The {a.limb_name(limb)} is unsteady by {row.spread_ms:.0f} ms, most at {_worst(a, limb)}: a slower "
                "rung, and that stroke with the one before it alone."
            )


def _worst(a: Alignment, limb: str) -> str:
    """The stroke of a limb that is furthest off on the whole."""
    rows: dict[int, list[float]] = {}
    for k in np.flatnonzero(a.match >= 0).tolist():
        if a.pattern.strokes[a.stroke[k]].limb == limb:
            rows.setdefault(int(a.stroke[k]), []).append(float(a.late[k]))
    index = max(rows, key=lambda i: abs(float(np.mean(rows[i]))))
    return a.where(index)


def _uneven(s: Statistics) -> Iterator[str]:
    words = {"hands": "The hands", "feet": "The feet", "hand_to_foot": "From hand to foot you"}
    for kind, value in s.evenness.items():
        if value is not None and abs(value - 1) > UNEVEN:
            verb = "rush" if value < 1 else "drag"
            yield (
                f"{words[kind]} {verb}: the played spacing is {value:.2f} of the written one. Count the grid "
                "aloud, and let the second stroke wait for its syllable."
            )


def _other_loudness(a: Alignment, s: Statistics) -> list[str]:
    wrong = list(dict.fromkeys(s.dynamics["wrong"]))
    if not wrong:
        return []
    places = ", ".join(a.where(i) for i in wrong[:3])
    return [f"{counted(len(wrong), 'stroke')} with another loudness than written: {places}."]
