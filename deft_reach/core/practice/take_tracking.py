"""Following a take through the figure: where it begins and how fast, and from there on a few beats at a time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.elements import GRACE_NOTES
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hit_index import HitIndex
from deft_reach.core.practice.hit_matching import quickest_spacing
from deft_reach.core.practice.take_slips import Jump, Loop, find_turns

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]

#: So many rounds more than the opening tempo says are looked for: who speeds up plays more of them in the time.
SPARE: Final = 0.08
#: A softer hit on the same pad so much before a stroke with graces (seconds) is one of them.
GRACE_S: Final = 0.14
#: The bounces of a buzz follow each other within so long (seconds).
BOUNCE_S: Final = 0.07
#: A take is tracked so many beats at a time, after a look at so many first ones.
STRIDE_BEATS: Final = 2.0
FIRST_BEATS: Final = 12.0
#: While it is tracked, a hit counts for a stroke that is about so far off (seconds).
TRACK_S: Final = 0.05
#: So many beats are the very beginning.
BEGIN_BEATS: Final = 4.0
#: An opening that fits less well by this is as good.
AS_GOOD: Final = 0.12
#: A stroke so much after the last hit before a turn (seconds) is still played before it.
TURN_S: Final = 0.05
#: An opening that explains less than this of its strokes is looked for further on, and taken where it explains so
#: much more: something may have been played before it, for so long (seconds).
OPENING_FITS: Final = 0.65
LATER_FITS: Final = 0.15
OPENING_WITHIN_S: Final = 40.0
#: A hit before the opening makes it less likely by so much, and at most so much.
BEFORE, BEFORE_AT_MOST = 0.02, 0.15


class Opening(NamedTuple):
    """Played over written time, where the first stroke lies (s), and how many rounds there could be."""

    scale: float
    offset: float
    rounds: int


class Tracked(NamedTuple):
    """When each row is played by the tempo as it goes (s, (n,)), and where the take goes on somewhere else."""

    mapped: Floats
    jumps: list[Jump]


@dataclass(frozen=True)
class Round:
    """One round of a figure at the tempo asked: when its strokes are (s), their pads and levels, all (n,), and its
    length (s); ``whole`` is a whole note, ``quickest`` the least time between two moments (s).
    """

    own: Floats
    pads: Ints
    levels: Floats
    length: float
    whole: float
    quickest: float
    graces: tuple[int, ...]
    buzzes: bool

    @classmethod
    def of(cls, pattern: Pattern, pads: Ints, tempo: float) -> Round:
        """A pattern's round; ``pads`` (n,) has the pad of each stroke."""
        whole = 240.0 / tempo
        levels = np.array([1.0 + (">" in s.marks) - ("." in s.marks) for s in pattern.strokes])
        # What is late or early on purpose is held against where it is meant.
        meant = np.array(pattern.starts) * whole + np.array(pattern.shifts)
        return cls(
            meant, pads, levels, float(pattern.length) * whole, whole,
            quickest_spacing(pattern) * whole, tuple(GRACE_NOTES[s.grace] for s in pattern.strokes),
            any("~" in s.marks for s in pattern.strokes),
        )  # fmt: skip

    def near(self, scale: float) -> float:
        """How far off a hit still counts for a stroke (s), where the round is played ``scale`` times as long."""
        return min(0.045, 0.3 * self.quickest * scale)


def find_opening(hits: HitIndex, plan: Round, repeat: bool) -> Opening:
    """How a take begins; where nothing fits at its very beginning, that is looked for further on."""
    opening, fits = _opening(hits, plan, repeat, False)
    if fits < OPENING_FITS and _begins(hits, plan, opening) < OPENING_FITS:
        later, fits_later = _opening(hits, plan, repeat, True)
        if fits_later > fits + LATER_FITS:
            return later
    return opening


def _begins(hits: HitIndex, plan: Round, opening: Opening) -> float:
    """Which share of the strokes of the very first beats an opening explains: later on a tempo may run away."""
    first = plan.own <= plan.own[0] + BEGIN_BEATS * plan.whole / 4
    times = opening.offset + opening.scale * plan.own[first]
    return float(hits.score(times, plan.pads[first], plan.near(opening.scale)) / first.sum())


def _opening(hits: HitIndex, plan: Round, repeat: bool, anywhere: bool) -> tuple[Opening, float]:
    """The opening that has most hits where strokes are in the first bars, and which share of them it explains; where
    several are as good, the one nearest to the tempo asked.
    """
    own, whole_note = plan.own, plan.whole
    graced = sum(plan.graces)
    # The bounces of a buzz are no strokes.
    struck = int(hits.strokes(0.0, BOUNCE_S).sum()) if plan.buzzes else len(hits.times)
    # However fast it was: not much more strokes than there were hits.
    most = 2 + math.ceil(2.0 * struck / len(own))
    first = FIRST_BEATS * whole_note / 4
    best: tuple[float, Opening, float] | None = None
    found: list[tuple[float, Opening, float]] = []
    scales = np.unique(np.concatenate([np.geomspace(0.4, 2.5, 181), [0.5, 1.0, 2.0]]))
    if anywhere:
        # Whoever plays something else first plays the figure at about the tempo asked.
        scales = scales[np.abs(np.log(scales)) < 0.3]
    span = hits.times[-1] - hits.times[0]
    for scale in scales.tolist():
        period = plan.length * scale
        rounds = min(most, max(1, math.ceil(span / period - 0.3)))
        if not repeat and span < 1.5 * period:
            rounds = 1
        turns = min(rounds, max(1, math.ceil(first / plan.length)))
        whole = np.concatenate([own + turn * plan.length for turn in range(turns)])
        near = whole <= whole[0] + first if rounds > 1 or len(whole) > 12 else np.ones(len(whole), dtype=bool)
        whole, pads = whole[near] * scale, np.tile(plan.pads, turns)[near]
        levels = np.tile(plan.levels, turns)
        count = rounds * len(own) + graced * rounds
        offsets = _offsets(hits, plan, whole, pads, anywhere)
        width = plan.near(scale)
        fits = hits.score(whole + offsets[:, None], pads, width) / len(whole)
        # As many strokes as hits, and the tempo that was asked, are likelier. Graces may be there or not.
        wanted = min(max(struck, rounds * len(own)), count)
        scores = fits - (0.0 if anywhere else 0.5 * abs(math.log(wanted / struck)))
        scores -= 0.05 * abs(math.log(scale))
        scores += 0.05 * hits.score(whole[:1] + offsets[:, None], pads[:1], width)
        # Whoever plays begins at the beginning, and what is loud is where loud strokes are.
        before = BEFORE * np.searchsorted(hits.times, whole[0] + offsets - GRACE_S)
        scores -= np.minimum(before, BEFORE_AT_MOST) + 0.001 * offsets if anywhere else before
        for score, offset, fit in zip(scores.tolist(), offsets.tolist(), fits.tolist()):
            if best is not None and score + 0.2 <= best[0] and not anywhere:
                continue
            score += 0.2 * hits.loudness(whole + offset, pads, levels[near], bool(graced))
            row = (score, Opening(scale, offset, rounds), fit)
            if anywhere:
                left = math.ceil((hits.times[-1] - whole[0] - offset) / period - 0.3)
                found.append((score, Opening(scale, offset, min(most, max(1, left))), fit))
            if best is None or score > best[0]:
                best = row
    assert best is not None
    if anywhere:
        best = _first_good(found, whole_note / 8)
    scale, offset, rounds = best[1]
    spare = math.ceil(SPARE * rounds) if rounds > 1 else 0
    return Opening(scale, offset, rounds + spare), best[2]


def _first_good(found: Sequence[tuple[float, Opening, float]], close: float) -> tuple[float, Opening, float]:
    """Of rows of score, opening and fit the best one about where the first good fit is: in a loop any later round
    fits as well. ``close`` (seconds) is still the same place.
    """
    fits = max(fit for _, _, fit in found)
    good = [row for row in found if row[2] >= fits - AS_GOOD]
    first = min(row[1].offset for row in good)
    return max((row for row in good if row[1].offset <= first + close), key=lambda row: row[0])


def _offsets(hits: HitIndex, plan: Round, whole: Floats, pads: Ints, anywhere: bool) -> Floats:
    """Where the first strokes could lie: the first few of them on the first few hits of their pads."""
    found = []
    # Graces may come first.
    first = 3 + max(plan.graces)
    until = hits.times[0] + OPENING_WITHIN_S
    for k in range(min(3, len(whole))):
        same = np.flatnonzero((hits.pads == pads[k]) & (hits.times <= until))
        found += (hits.times[same if anywhere else same[:first]] - whole[k]).tolist()
    return np.array(found or [hits.times[0] - whole[0]])


def track(hits: HitIndex, written: Floats, pads: Ints, opening: Opening, plan: Round) -> Tracked:
    """Follow a take: a few beats at a time, each going on from the last with a little give; where the player goes on
    at another place of the figure it is followed there.

    ``written`` (s) and ``pads`` are those of all rounds' strokes, (n,).
    """
    order = np.argsort(written, kind="stable")
    places, own = written[order], pads[order]
    beat = plan.whole / 4
    scale = opening.scale
    turns = find_turns(
        hits, Loop(plan.own * scale, plan.pads, plan.levels, plan.length * scale, beat * scale), opening.offset,
        hits.strokes(GRACE_S if any(plan.graces) else 0.0, BOUNCE_S if plan.buzzes else 0.0),
    )  # fmt: skip
    mapped = np.empty(len(places))
    begin = float(places[0])
    at, slope = opening.offset + scale * begin, scale
    stride = STRIDE_BEATS * beat
    # Every give with every shift, tried all at once.
    gives = np.repeat(np.linspace(-0.05, 0.05, 11), 9)[:, None]
    shifts = np.tile(np.linspace(-0.04, 0.04, 9) * min(1.0, scale), 11)[:, None]
    dear = (2.0 * np.abs(gives) + 4.0 * np.abs(shifts)).ravel()
    jumps: list[Jump] = []
    low = 0
    while low < len(places):
        high = max(low + 1, int(np.searchsorted(places, begin + stride)))
        ahead = int(np.searchsorted(places, begin + 2 * stride))
        until = len(places)
        if turns:
            # Not beyond the place where it goes on elsewhere.
            until = low + int(np.searchsorted(at + slope * (places[low:] - begin), turns[0].last + TURN_S))
            high, ahead = min(high, until), min(ahead, until)
        if low < high:
            part = slice(low, max(high, ahead))
            away = places[part] - begin
            scores = hits.score(at + shifts + slope * (1 + gives) * away, own[part], TRACK_S) / len(away)
            best = int(np.argmax(scores - dear))
            slope, shift = slope * (1 + float(gives[best, 0])), float(shifts[best, 0])
            mapped[low:high] = at + shift + slope * (places[low:high] - begin)
            at, begin = at + shift + slope * stride, begin + stride
            low = high
        if turns and low == until:
            turn = turns.pop(0)
            if low == len(places):
                break
            on = at + slope * (places[low:] - begin) + turn.later
            resume = low + int(np.searchsorted(on, turn.first - TURN_S)) if turn.later < 0 else low
            if resume >= len(places):
                mapped[low:] = at + slope * (places[low:] - begin)
                break
            jumps.append(Jump(low, resume, turn.later, slope))
            mapped[low:resume] = on[resume - low]
            at, begin, low = float(on[resume - low]), float(places[resume]), resume
    back = np.empty(len(places))
    back[order] = mapped
    return Tracked(back, jumps)
