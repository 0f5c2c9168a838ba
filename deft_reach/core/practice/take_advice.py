"""What a take comes to: what is not as written, its verdict, and what would help, the weightiest first."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import voice_name
from deft_reach.core.practice.take_alignment import SAME_S, Alignment
from deft_reach.core.practice.take_report import PlaceTake, Slip
from deft_reach.core.practice.take_statistics import MEDIAN_ERROR, SURE, Statistics

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
#: Off-beats later than this (percent of the beat) are swung.
SWUNG: Final = 58.0
#: All limbs alike off the click by this part of the tolerance is a fault, and from so many ms on worth a word.
ALL_OFF: Final = 1.25
ALL_OFF_MS: Final = 8.0
#: A take of fewer strokes than this says little.
FEWEST_STROKES: Final = 8


def faults_of(a: Alignment, s: Statistics, judge_dynamics: bool) -> list[str]:
    """What is not as written at some place, in words, the weightiest first."""
    lines = [*_disagreement(a), *_all_off(a), *_places(a, s)]
    lines += [*_unisons(a, s), *_zones(a, s), *_graces(a, s)]
    if judge_dynamics:
        lines += _levels(a, s) or _wrong_levels(a, s)
    if abs(a.drift) > DRIFT:
        lines.append(f"The pulse {'rises' if a.drift > 0 else 'falls'} by {abs(a.drift) * 100:.0f} % over the take.")
    # A pulse that runs away pulls limbs and places with it.
    return lines[::-1] if abs(a.drift) > 1.5 * DRIFT else lines


def whole_faults(a: Alignment, s: Statistics) -> list[str]:
    """What concerns the whole take, in words: slips, unsteadiness, straight for swung."""
    return [*_unsteady(a, s), *_slips(a, s), *_swing(s), *_feet(s)]


def verdict_of(a: Alignment, s: Statistics, whole: Sequence[str], faults: Sequence[str]) -> str:
    """``clean``, ``rough`` or ``not-yet``."""
    away = abs(a.played_tempo / a.tempo - 1)
    if a.share < SAME_PIECE or away > FAR_TEMPO:
        return "not-yet"
    off = (len(a.missed) + len(a.extra)) / len(a.stroke)
    all_off = a.all_off * 1000
    worst = max((max(abs(row.bias_ms - all_off), s.scatter[limb]) for limb, row in s.limbs.items()), default=0.0)
    uneven = max((abs(value - 1) for value in s.evenness.values() if value is not None), default=0.0)
    tolerance = a.tolerance * 1000
    fault = a.missed or a.extra or whole or faults or len(s.flubs) > len(a.stroke) // FLUB_IN
    if not fault and away <= OTHER_TEMPO and worst <= tolerance + 1000 * SAME_S and uneven <= 1.5 * UNEVEN:
        return "clean"
    return "rough" if off <= 0.08 and worst <= 2 * tolerance and uneven <= 4 * UNEVEN else "not-yet"


def advice_of(
    a: Alignment, s: Statistics, whole: Sequence[str], faults: Sequence[str], judge_dynamics: bool
) -> list[str]:
    """Plain sentences, the weightiest first: what, where, and what would help."""
    if a.share < SAME_PIECE:
        return [
            f"Only {a.share * 100:.0f} % of the strokes were found: this looks like another piece, or another "
            "kit's pads. Check which plan and which kit it was."
        ]
    lines = [*_tempo(a), *whole, *_missed(a, s), *faults, *_flubs(a, s), *_extra(a, s)]
    # Where it swings, all off-beats are late, and no limb is to blame; a limb that is off makes the rest uneven.
    if s.swing is None:
        biases = [line for line in _biases(a, s) if line not in lines]
        lines += biases or ([] if whole or faults else [*_uneven(s, "hands"), *_uneven(s, "hand_to_foot")])
    if not lines:
        lines.append(f"Within {a.tolerance * 1000:.0f} ms everywhere: up a rung.")
    if ALL_OFF_MS / 1000 < abs(a.all_off) <= ALL_OFF * a.tolerance:
        lines.append(_all_off_words(a))
    if judge_dynamics:
        lines += _other_loudness(a, s)
    lines += [f"Strokes {zone} are not judged: this kit sends one note for head and rim." for zone in s.untold]
    if len(a.stroke) < FEWEST_STROKES:
        lines.append("So few strokes say little: play more rounds.")
    return lines


# --- faults -----------------------------------------------------------------------------------------------------


def _slips(a: Alignment, s: Statistics) -> Iterator[str]:
    """What was left out, played twice or stopped for, once each; the same thing in many rounds is said once."""
    alike: dict[tuple[str, int], list[Slip]] = {}
    for slip in s.slips:
        alike.setdefault((slip.kind, slip.stroke), []).append(slip)
    for (kind, stroke), rows in sorted(alike.items(), key=lambda item: -len(item[1]))[:3]:
        rounds = ", ".join(str(row.round) for row in rows)
        where, slip = a.where(stroke), rows[0]
        turn = f"In round {rounds}" if len(rows) == 1 else f"In rounds {rounds}"
        much = "" if abs(slip.beats - 1) < 0.01 else f", {slip.beats:.3g} beats of it"
        match kind:
            case "left-out":
                what = "the beat at" if not much else f"{slip.beats:.3g} beats from"
                yield f"{turn} {what} {where} {'are' if much else 'is'} left out: count through that place aloud."
            case "twice":
                yield f"{turn} the beat from {where} is played twice{much}: count through that place aloud."
            case "stop":
                yield f"{turn} you stop for {slip.seconds:.2g} s before {where}: play on across that place, slowly."
            case "too-soon":
                yield f"{turn} you go on {slip.seconds:.2g} s too soon at {where}: count the beat before it aloud."
            case _:
                yield f"{turn} you stumble at {where}, and come back in: that place alone, some rungs slower."


def _unsteady(a: Alignment, s: Statistics) -> Iterator[str]:
    """Limbs that are unsteadier than the tolerance; all of them at once where most are."""
    wide = {limb: ms for limb, ms in s.scatter.items() if ms > a.tolerance * 1000 + 1000 * SAME_S}
    if len(wide) > 1 and 2 * len(wide) >= len(s.scatter):
        mean = sum(wide.values()) / len(wide)
        yield (
            f"You are unsteady, by {mean:.0f} ms from round to round: a slower rung, with the click, until it lies "
            "still."
        )
        return
    for limb, ms in sorted(wide.items(), key=lambda item: -item[1]):
        yield (
            f"The {a.limb_name(limb)} is unsteady by {ms:.0f} ms, most at {_worst(a, limb)}: a slower rung, and that "
            "stroke with the one before it alone."
        )


def _swing(s: Statistics) -> Iterator[str]:
    if s.swing is None:
        return
    played, written, _ = s.swing
    if written > SWUNG and played < SWUNG:
        yield (
            f"It is played straight, not swung: the off-beats fall at about {played:.0f} % of the beat, and are "
            f"written at {written:.0f} %."
        )
    elif written > SWUNG:
        yield f"It swings at about {played:.0f} % of the beat, and is written at {written:.0f} %."
    else:
        yield f"The off-beats come late, at about {played:.0f} % of the beat: it swings, and is written straight."


def _all_off(a: Alignment) -> Iterator[str]:
    if abs(a.all_off) > ALL_OFF * a.tolerance:
        yield _all_off_words(a)


def _all_off_words(a: Alignment) -> str:
    ms = a.all_off * 1000
    return (
        f"All of it comes {abs(ms):.0f} ms {_side(ms)} against the click: perhaps the latency of the recording. If "
        f"it is you, {'lean into' if ms > 0 else 'wait for'} the click."
    )


def _disagreement(a: Alignment) -> Iterator[str]:
    if a.disagree is not None:
        early, late, gap = a.disagree
        yield (
            f"The {a.limb_name(late)} comes {gap:.0f} ms after the {a.limb_name(early)}. Which of them is off "
            "cannot be known from the pads alone: play it to a click, or with a foot on the beats."
        )


def _places(a: Alignment, s: Statistics) -> Iterator[str]:
    """Strokes that are off as a rule; where nearly all of a limb's are off alike, the limb."""
    judged = a.judged()[: len(a.own)]
    swung = s.swing[2] if s.swing is not None else frozenset()
    mine = [p for p in s.places if judged[p.stroke] and p.offset_ms is not None and p.stroke not in swung]
    off = [p for p in mine if abs(_away(a, p)) - _error(a, s, p) > (a.tolerance + SAME_S) * 1000]
    for limb in dict.fromkeys(s.limb for s in a.pattern.strokes) if a.disagree is None else ():
        of_limb = [p for p in mine if a.pattern.strokes[p.stroke].limb == limb]
        away = [_away(a, p) for p in of_limb]
        bad = [p for p in off if a.pattern.strokes[p.stroke].limb == limb]
        if len(of_limb) > 1 and 2 * len(bad) > len(of_limb) and min(away) * max(away) > 0 and len(bad) > 1:
            mean = float(np.median(away))
            yield f"The {a.limb_name(limb)} is {abs(mean):.0f} ms {_side(mean)} on the whole: {_cure(mean)}."
            off = [p for p in off if p not in bad]
    for row in sorted(off, key=lambda p: -abs(_away(a, p)))[:3]:
        ms = _away(a, row)
        limb = a.limb_name(a.pattern.strokes[row.stroke].limb)
        yield f"The {limb} on {a.where(row.stroke)} comes {abs(ms):.0f} ms {_side(ms)}."


def _cure(late: float) -> str:
    how = "lift it sooner" if late > 0 else "let it wait"
    return f"{how}, and play the figure with that limb alone against the click"


def _error(a: Alignment, s: Statistics, place: PlaceTake) -> float:
    """The standard error of a place's middle (ms)."""
    count = a.rounds - place.missed
    scatter = s.scatter.get(a.pattern.strokes[place.stroke].limb, 0.0)
    return MEDIAN_ERROR * scatter / math.sqrt(max(count, 1))


def _away(a: Alignment, place: PlaceTake) -> float:
    """How late a place is (ms): by the pulse, or where it cannot be known which limb is off, by its own limb."""
    if place.offset_ms is None:
        return 0.0
    if a.disagree is None:
        return place.offset_ms - a.all_off * 1000
    limb = a.pattern.strokes[place.stroke].limb
    return place.offset_ms - a.middle_of.get(limb, 0.0) * 1000


def _side(late: float) -> str:
    return "late" if late > 0 else "early"


def _unisons(a: Alignment, s: Statistics) -> Iterator[str]:
    for row in s.apart[:2]:
        first, second = (a.limb_name(a.pattern.strokes[i].limb) for i in row.places[0])
        last = second if row.ms > 0 else first
        places = list(dict.fromkeys(a.where(i) for i, _ in row.places))
        yield (
            f"The {first} and the {second} are {abs(row.ms):.0f} ms apart on {' and '.join(places[:2])}, the {last} "
            "late: strike them as one."
        )


def _zones(a: Alignment, s: Statistics) -> Iterator[str]:
    for row in s.zones[:3]:
        stroke = a.pattern.strokes[row.strokes[0]]
        places = list(dict.fromkeys(a.where(i) for i in row.strokes))
        more = "" if len(places) < 3 else f" and {len(places) - 2} more"
        yield (
            f"On {' and '.join(places[:2])}{more} the {voice_name(a.kit, stroke.voice)} is struck {row.played}; "
            f"it is written {row.wanted}."
        )


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
    begun = 1.0 / float(a.slope()[0])
    if abs(a.drift) > 1.5 * DRIFT and abs(begun - 1) < FAR_TEMPO / 4:
        # The tempo that was asked, and from there away: that is what is said.
        return
    if abs(ratio - 1) > FAR_TEMPO:
        times = {2: "twice", 0.5: "half"}.get(round(ratio * 2) / 2 if abs(ratio * 2 - round(ratio * 2)) < 0.1 else 0)
        how = f"{times} the {a.tempo:.4g} BPM asked" if times else f"and {a.tempo:.4g} BPM was asked"
        yield f"It was played at {a.played_tempo:.0f} BPM, {how}: check the tempo, or the grid it was written in."
    elif abs(ratio - 1) > OTHER_TEMPO:
        yield f"It was played at {a.played_tempo:.0f} BPM, and {a.tempo:.4g} BPM was asked."


def _missed(a: Alignment, s: Statistics) -> Iterator[str]:
    gone = [int(a.stroke[k]) for k in np.flatnonzero((a.match < 0) & ~a.void).tolist() if k not in s.stumbled.rows]
    counts = Counter(gone)
    for i, count in counts.most_common(3):
        often = f" {count} of {a.rounds} times" if a.rounds > 1 else ""
        if count == 1 and a.rounds > 1:
            often = f" once, in round {_round_missed(a, i)}"
        yield f"The {a.limb_name(a.pattern.strokes[i].limb)} misses {a.where(i)}{often}."
    if len(counts) > 3:
        yield f"{len(gone)} strokes were missed in all."


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


def _extra(a: Alignment, s: Statistics) -> Iterator[str]:
    extra = [j for j in a.extra if j not in s.stumbled.hits]
    if extra:
        at = ", ".join(f"{a.times[j]:.2f} s" for j in extra[:3])
        yield f"{counted(len(extra), 'hit')} too many, first at {at}: keep the rests still."


def _biases(a: Alignment, s: Statistics) -> Iterator[str]:
    """Limbs that lean early or late on the whole, as far as it is sure which of them is off."""
    if not a.sure:
        return
    for limb, row in sorted(s.limbs.items(), key=lambda item: -abs(item[1].bias_ms)):
        bias = row.bias_ms - a.all_off * 1000
        error = SURE * s.scatter[limb] / math.sqrt(max(row.strokes - row.missed, 1))
        if a.tolerance * 600 < abs(bias) - error and row.strokes > row.missed:
            yield f"The {a.limb_name(limb)} is {abs(bias):.0f} ms {_side(bias)} on the whole: {_cure(bias)}."


def _worst(a: Alignment, limb: str) -> str:
    """The stroke of a limb that is furthest off on the whole."""
    rows: dict[int, list[float]] = {}
    for k in np.flatnonzero(a.match >= 0).tolist():
        if a.pattern.strokes[a.stroke[k]].limb == limb:
            rows.setdefault(int(a.stroke[k]), []).append(float(a.late[k]))
    index = max(rows, key=lambda i: abs(float(np.mean(rows[i]))))
    return a.where(index)


def _feet(s: Statistics) -> Iterator[str]:
    """Feet that rush or drag from stroke to stroke; further off than that is a fault of the whole take."""
    value = s.evenness["feet"]
    if value is not None and abs(value - 1) > 1.5 * UNEVEN:
        yield from _uneven(s, "feet")


def _uneven(s: Statistics, kind: str) -> Iterator[str]:
    words = {"hands": "The hands", "feet": "The feet", "hand_to_foot": "From hand to foot you"}
    value = s.evenness[kind]
    if value is not None and abs(value - 1) > UNEVEN:
        yield (
            f"{words[kind]} {'rush' if value < 1 else 'drag'}: the played spacing is {value:.2f} of the written one. "
            "Count the grid aloud, and let the second stroke wait for its syllable."
        )


def _other_loudness(a: Alignment, s: Statistics) -> list[str]:
    wrong = list(dict.fromkeys(s.dynamics["wrong"]))
    if not wrong:
        return []
    places = ", ".join(a.where(i) for i in wrong[:3])
    return [f"{counted(len(wrong), 'stroke')} with another loudness than written: {places}."]
