"""The take check: a performance held against a plan.

The performance's own pulse comes first: a smooth map from written time to played time, found from the strokes on
the beats, so that a tempo that drifts is no fault of any limb. Each pad's hits are then matched in order to the
strokes meant for it (least distance, with a price for what is missed and what is extra). What is left between map
and hit says who is late, who is uneven, and where.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.counting import place
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import FEET, HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.pattern import GRACE_NOTES, Pattern, lead_beat
from deft_reach.core.practice.hit_matching import match_pads, pad_of, quickest_spacing, without_double_triggers
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_report import Ignored, LimbTake, PlaceTake, Take, TakeError

Floats = NDArray[np.float64]

#: So many rounds more than the opening tempo says are looked for: who speeds up plays more of them in the time.
SPARE: Final = 0.08
#: The keys of a metronome's click and bell (General MIDI 2), and how many of them are enough to go by.
CLICKS: Final = (33, 34)
FEWEST_CLICKS: Final = 4
#: The key of a hi-hat closed by its pedal.
HAT_PEDAL: Final = 44
#: A hit further than this (seconds) from its stroke is another one; where strokes are far apart, further than this
#: part of their spacing.
FAR_S: Final = 0.12
FAR_PART: Final = 0.55
#: A softer hit on the same pad so much before a stroke with graces (seconds) is one of them.
GRACE_S: Final = 0.14
#: Tolerance: this part of the quickest written spacing, held between two bounds (seconds).
TOLERANCE: Final = 0.16
TOLERANCE_BOUNDS: Final = (0.010, 0.020)
#: A tempo further than this from the one asked (a part of it) is another one.
OTHER_TEMPO: Final = 0.03
#: Limbs that strike together sound together as long as they are no further apart than this (seconds): about what the
#: ear joins (common practice).
TOGETHER_S: Final = 0.012
#: Feet that strike together are heard as a flam from here on (seconds): about what it takes to tell which of two
#: sounds came first (Hirsh 1959, from memory).
FLAM_THRESHOLD_S: Final = 0.020
#: A single stroke is a flub from so many tolerances on; of so many strokes one may be one.
FLUB: Final = 2.0
FLUB_IN: Final = 200
#: The tempo may change by this part from the beginning of a take to its end.
DRIFT: Final = 0.03
#: One limb against others with less than this share of their weight: nobody can say which of them is off.
KNOWN: Final = 0.55
#: A grace that is to be heard as one comes so long before its stroke (ms).
GRACE_WIDTH_MS: Final = (12.0, 60.0)
#: Accents, plain strokes and ghosts stand apart from each other by at least so much (velocity, of 127).
CONTRAST: Final = 15.0
#: What is closer to a tolerance than this (seconds) is within it.
SAME_S: Final = 1e-4
#: The pulse may bend over so many beats, and no faster.
BEND_BEATS: Final = 3.0
#: A take is tracked so many beats at a time, after a look at so many first ones.
STRIDE_BEATS: Final = 2.0
FIRST_BEATS: Final = 12.0
#: Evenness further than this from 1 is worth a word, further than half as much again is not clean.
UNEVEN: Final = 0.08
#: With less than this share of strokes found, it is not this plan that was played.
SAME_PIECE: Final = 0.4


#: A hit on another pad at the same moment (seconds), and at most so much of the velocity, is crosstalk.
CROSSTALK_S: Final = 0.006
CROSSTALK_PART: Final = 0.4


def check_take(
    pattern: Pattern,
    keys: Sequence[int],
    hits: Sequence[Hit],
    tempo: float,
    kit: Kit,
    *,
    repeat: bool = False,
    tolerance_ms: float | None = None,
    free: Collection[int] = (),
    dynamics: bool = True,
    kit_keys: Collection[int] = (),
    grace_keys: Mapping[int, int] | None = None,
) -> Take:
    """Hold a performance against a pattern; ``keys`` has the General MIDI key of each stroke.

    ``grace_keys`` has those of graces that fall on another pad than their stroke, by the stroke's index.

    ``kit_keys`` are the keys that the kit's pieces send: hits of other keys that no stroke wants are not counted.

    ``tempo`` (BPM) is what was asked: the one that was played is found. With ``repeat``, or where it goes on longer,
    the pattern is taken round and round. ``tolerance_ms`` is how far off counts as on; without it, it goes with the
    grid. ``free`` are numbers of groups that may be laid back or stretched: their timing is shown and not judged.
    Without ``dynamics`` loudness is shown and not judged.

    Where a click was recorded with it (keys 33 and 34), that is the time; without one, most of what the limbs play.

    Raises TakeError for an empty performance or pattern.
    """
    if not pattern.strokes:
        raise TakeError("the plan has no strokes to hold it against")
    played = sorted(hit for hit in hits if hit.velocity > 0 and math.isfinite(hit.time))
    if not played:
        raise TakeError("there are no drum hits in this performance")
    own = set(keys)
    clicks = np.array([hit.time for hit in played if hit.key in CLICKS and hit.key not in own])
    played = [hit for hit in played if hit.key not in CLICKS or hit.key in own]
    if not played:
        raise TakeError("there is a click in this performance, and nothing played to it")
    played, ignored = without_double_triggers(played)
    return _Check(
        pattern, keys, played, tempo, kit, repeat, tolerance_ms, frozenset(free), dynamics, frozenset(kit_keys),
        grace_keys or {}, ignored, clicks,
    ).run()  # fmt: skip


class _Check:
    def __init__(
        self, pattern: Pattern, keys: Sequence[int], hits: list[Hit], tempo: float, kit: Kit, repeat: bool,
        tolerance_ms: float | None, free: frozenset[int], dynamics: bool, kit_keys: frozenset[int],
        grace_keys: Mapping[int, int], ignored: Sequence[Ignored], clicks: Floats,
    ) -> None:  # fmt: skip
        self.judge_dynamics = dynamics
        self.grace_pads = {index: pad_of(key) for index, key in grace_keys.items()}
        self.clicks = clicks
        #: Of two limbs that differ which is early and which late, and by how much (ms), where none can be blamed.
        self.disagree: tuple[str, str, float] | None = None
        #: Where each limb lies on the whole (seconds), and whether it is sure which of them is off.
        self.middle_of: dict[str, float] = {}
        self.sure = True
        self.kit_keys, self.keys = kit_keys, [hit.key for hit in hits]
        self.ignored = list(ignored)
        self.pattern, self.tempo, self.kit, self.free = pattern, tempo, kit, free
        self.whole = 240.0 / tempo
        self.times = np.array([hit.time for hit in hits])
        self.pads = np.array([pad_of(hit.key) for hit in hits])
        self.loud = np.array([hit.velocity for hit in hits], dtype=float)
        self.own_pads = np.array([pad_of(key) for key in keys])
        self.own = np.array(pattern.starts) * self.whole
        self.length = float(pattern.length) * self.whole
        self.repeat = repeat
        # All hits in one row, pad after pad, so far apart that the nearest hit to a stroke is one of its own pad.
        self.by_pad = np.lexsort((self.times, self.pads))
        self.apart = 100.0 + 4 * float(np.abs(self.times).max())
        self.row = self.pads[self.by_pad] * self.apart + self.times[self.by_pad]
        self.one_pad = len(set(self.own_pads.tolist())) == 1
        self.levels = np.array([1.0 + (">" in s.marks) - ("." in s.marks) for s in pattern.strokes])
        self.graced = sum(GRACE_NOTES[s.grace] for s in pattern.strokes)
        self.quickest = grid = quickest_spacing(pattern) * self.whole
        low, high = TOLERANCE_BOUNDS
        self.tolerance = tolerance_ms / 1000 if tolerance_ms is not None else min(high, max(low, TOLERANCE * grid))

    def run(self) -> Take:
        scale, offset, rounds = self._line()
        self._lay_out(rounds)
        mapped = self._tracked(scale, offset)
        match = self._match(mapped, self._far(scale))
        rounds = self._rounds_played(match, mapped)
        if rounds < self.rounds:
            kept = rounds * len(self.own)
            self._lay_out(rounds)
            mapped, match = mapped[:kept], match[:kept]
        for _ in range(3):
            mapped = self._pulse(match, mapped)
            match = self._match(mapped, self._far(scale))
        self.match, self.mapped = match, self._pulse(match, mapped)
        found = match >= 0
        self.late = np.where(found, self.times[np.maximum(match, 0)] - self.mapped, np.nan)
        middle = self._centre(found)
        by_click = self._by_click()
        if by_click is None:
            self.late -= middle
        else:
            # The click says what the time is, and so who is off.
            self.late -= by_click
            self.sure, self.disagree = True, None
        self._break_off()
        extra = self._counted(self._extra())
        share = float(found[~self.void].mean()) if not self.void.all() else 0.0
        slope = self._slope()
        played_tempo = self.tempo / float(np.median(slope))
        # The middles of the first and the last third are two thirds of the take apart.
        drift = 1.5 * float(slope[0] / slope[-1] - 1) if len(slope) > 1 else 0.0
        return self._take(share, played_tempo, drift, extra)

    def _lay_out(self, rounds: int) -> None:
        """Every stroke of so many rounds: when it is written (seconds at the tempo asked), its index and its pad."""
        self.rounds = rounds
        self.written = np.concatenate([self.own + turn * self.length for turn in range(rounds)])
        self.stroke = np.tile(np.arange(len(self.own)), rounds)
        self.wanted = np.tile(self.own_pads, rounds)

    def _far(self, scale: float) -> float:
        if self.one_pad:
            return max(min(FAR_S, max(0.03, 0.8 * self.quickest * scale)), FAR_PART * self.quickest * scale)
        return max(FAR_S * min(1.0, max(scale, 0.3)), FAR_PART * self.quickest * scale)

    # --- finding the pulse --------------------------------------------------------------------------------------

    def _line(self) -> tuple[float, float, int]:
        """How it begins: played over written time, where it starts, and how many rounds it could be.

        What has most hits where strokes are in the first bars; where several are as good, the one nearest to the
        tempo asked.
        """
        span = self.times[-1] - self.times[0]
        # However fast it was: not much more strokes than there were hits.
        most = 2 + math.ceil(2.0 * len(self.times) / len(self.own))
        first = FIRST_BEATS * self.whole / 4
        best: tuple[float, float, float, int] | None = None
        scales = np.unique(np.concatenate([np.geomspace(0.4, 2.5, 181), [0.5, 1.0, 2.0]]))
        for scale in scales.tolist():
            period = self.length * scale
            rounds = min(most, max(1, math.ceil(span / period - 0.3)))
            if not self.repeat and span < 1.5 * period:
                rounds = 1
            turns = min(rounds, max(1, math.ceil(first / self.length)))
            whole = np.concatenate([self.own + turn * self.length for turn in range(turns)])
            near = whole <= whole[0] + first if rounds > 1 or len(whole) > 12 else np.ones(len(whole), dtype=bool)
            whole, pads = whole[near] * scale, np.tile(self.own_pads, turns)[near]
            levels = np.tile(self.levels, turns)
            count = rounds * len(self.own) + self.graced * rounds
            offsets = self._offsets(whole, pads)
            scores = self._score(whole + offsets[:, None], pads, scale) / len(whole)
            # As many strokes as hits, and the tempo that was asked, are likelier.
            # Graces may be there or not.
            wanted = min(max(len(self.times), rounds * len(self.own)), count)
            scores -= 0.5 * abs(math.log(wanted / len(self.times))) + 0.05 * abs(math.log(scale))
            scores += 0.05 * self._score(whole[:1] + offsets[:, None], pads[:1], scale)
            # Whoever plays begins at the beginning, and what is loud is where loud strokes are.
            scores -= 0.03 * np.searchsorted(self.times, whole[0] + offsets - GRACE_S)
            for score, offset in zip(scores.tolist(), offsets.tolist()):
                if best is not None and score + 0.2 <= best[0]:
                    continue
                score += 0.2 * self._loudness(whole + offset, pads, levels[near])
                if best is None or score > best[0]:
                    best = (score, scale, offset, rounds)
        assert best is not None
        return best[1], best[2], best[3] + (math.ceil(SPARE * best[3]) if best[3] > 1 else 0)

    def _tracked(self, scale: float, offset: float) -> Floats:
        """Played times of all strokes: a few beats at a time, each going on from the last with a little give."""
        mapped = np.empty(len(self.written))
        begin = float(self.written[0])
        at, slope = offset + scale * begin, scale
        stride = STRIDE_BEATS * self.whole / 4
        # Every give with every shift, tried all at once.
        gives = np.repeat(np.linspace(-0.05, 0.05, 11), 9)[:, None]
        shifts = np.tile(np.linspace(-0.04, 0.04, 9) * min(1.0, scale), 11)[:, None]
        dear = (2.0 * np.abs(gives) + 4.0 * np.abs(shifts)).ravel()
        order = np.argsort(self.written, kind="stable")
        written = self.written[order]
        low = 0
        while low < len(order):
            high = max(low + 1, int(np.searchsorted(written, begin + stride)))
            ahead = int(np.searchsorted(written, begin + 2 * stride))
            part = order[low : max(high, ahead)]
            pads = self.wanted[part]
            away = self.written[part] - begin
            scores = self._score(at + shifts + slope * (1 + gives) * away, pads, scale, False) / len(part)
            best = int(np.argmax(scores - dear))
            slope, shift = slope * (1 + float(gives[best, 0])), float(shifts[best, 0])
            mine = order[low:high]
            mapped[mine] = at + shift + slope * (self.written[mine] - begin)
            at, begin = at + shift + slope * stride, begin + stride
            low = high
        return np.asarray(mapped)

    def _rounds_played(self, match: NDArray[np.int_], mapped: Floats) -> int:
        """Rounds up to the last one of which a fair part was played."""
        n = len(self.own)
        for turn in range(self.rounds - 1, 0, -1):
            row = slice(turn * n, (turn + 1) * n)
            there = mapped[row] <= self.times[-1] + FAR_S
            found = match[row] >= 0
            # A round that was only begun, if it be with its first stroke, was broken off.
            begun = found.any() and bool(found[: int(np.flatnonzero(found)[-1]) + 1].all())
            if there.any() and (begun or found.sum() >= 0.3 * n):
                return turn + 1
        return 1

    def _offsets(self, whole: Floats, pads: NDArray[np.int_]) -> Floats:
        """Where the first strokes could lie: the first few of them on the first few hits of their pads."""
        found = []
        # Graces may come first.
        first = 3 + max(GRACE_NOTES[s.grace] for s in self.pattern.strokes)
        for k in range(min(3, len(whole))):
            same = np.flatnonzero(self.pads == pads[k])[:first]
            found += (self.times[same] - whole[k]).tolist()
        return np.array(found or [self.times[0] - whole[0]])

    def _score(self, mapped: Floats, pads: NDArray[np.int_], scale: float, narrow: bool = True) -> Floats:
        """How many strokes (along the last axis) have a hit near them, the nearer the better."""
        width = min(0.045, 0.3 * self.quickest * scale) if narrow else 0.05
        _, away = self._nearest(mapped, pads)
        return np.asarray(np.exp(-((away / width) ** 2)).sum(axis=-1))

    def _loudness(self, mapped: Floats, pads: NDArray[np.int_], levels: Floats) -> float:
        """How well the hits nearest to strokes are as loud as those: −1 to 1, 0 where all should be alike."""
        nearest, away = self._nearest(mapped, pads)
        known = away < self.apart / 2
        loud, levels = self.loud[self.by_pad[nearest]][known], levels[known]
        if self.graced and len(loud):
            # A grace is softer than its stroke: what is meant is what is loud.
            return float(loud.mean() / 127.0) * 2.0 - 1.0
        if len(loud) < 3 or np.ptp(levels) == 0 or np.ptp(loud) == 0:
            return 0.0
        loud, levels = loud - loud.mean(), levels - levels.mean()
        return float(loud @ levels / math.sqrt(float((loud @ loud) * (levels @ levels))))

    def _nearest(self, mapped: Floats, pads: NDArray[np.int_]) -> tuple[NDArray[np.int_], Floats]:
        """For each stroke the place in the row of the hit nearest to it, and how far off that is (seconds)."""
        mine = mapped + pads * self.apart
        at = np.searchsorted(self.row, mine)
        before, after = np.maximum(at - 1, 0), np.minimum(at, len(self.row) - 1)
        left, right = np.abs(mine - self.row[before]), np.abs(self.row[after] - mine)
        return np.where(right < left, after, before), np.minimum(left, right)

    def _match(self, mapped: Floats, far: float) -> NDArray[np.int_]:
        """For each stroke its hit, −1 where it was missed: each pad's in order, with the least distance in all."""
        return match_pads(mapped, self.wanted, self.times, self.pads, self.loud, far)

    def _pulse(self, match: NDArray[np.int_], mapped: Floats) -> Floats:
        """Every stroke's time by the pulse: a smooth line through what was matched, on the beats where they are."""
        found = match >= 0
        if found.sum() < 2:
            return mapped
        free = ~self._judged()
        use = found & self._anchors()
        if use.sum() < max(4, 2 * self.rounds) or np.ptp(self.written[use]) < 0.5 * np.ptp(self.written[found]):
            use = found & ~free if (found & ~free).sum() > 3 else found
        x, y = self.written[use], self.times[match[use]]
        if len(np.unique(np.round(x, 6))) < 2:
            return mapped
        beat = self.whole / 4
        width = BEND_BEATS * beat
        at = np.unique(self.written)
        # Locally a line, weighted by nearness (LOESS, Cleveland 1979); what is far off counts less.
        residual = y - np.interp(x, self.written[np.argsort(self.written)], np.sort(mapped))
        scale = max(1.4826 * float(np.median(np.abs(residual - np.median(residual)))), 0.004)
        robust = 1 / (1 + ((residual - np.median(residual)) / (3 * scale)) ** 2)
        order = np.argsort(x, kind="stable")
        x, y, robust = x[order], y[order], robust[order]
        line = np.empty(len(at))
        # What is further away than four widths weighs nothing: a long take is gone through in stretches.
        for low in range(0, len(at), 64):
            here = at[low : low + 64]
            first, last = np.searchsorted(x, [here[0] - 4 * width, here[-1] + 4 * width])
            # A gap is bridged by what lies at its ends.
            first, last = max(0, int(first) - 2), min(len(x), int(last) + 2)
            near, there, weight = x[first:last], y[first:last], robust[first:last]
            w = (np.exp(-0.5 * ((here[:, None] - near[None, :]) / width) ** 2) + 1e-4) * weight[None, :]
            total = w.sum(axis=1)
            mean_x, mean_y = (w @ near) / total, (w @ there) / total
            dx = near[None, :] - mean_x[:, None]
            slope = (w * dx * (there[None, :] - mean_y[:, None])).sum(axis=1)
            slope /= np.maximum((w * dx * dx).sum(axis=1), 1e-12)
            line[low : low + 64] = mean_y + slope * (here - mean_x)
        return np.asarray(np.interp(self.written, at, line))

    def _anchors(self) -> NDArray[np.bool_]:
        """Strokes that the pulse is found by: those on the beats."""
        on_beat = np.array([self.pattern.moments[s.moment].on_beat for s in self.pattern.strokes])[self.stroke]
        return np.asarray(on_beat & self._judged())

    def _slope(self) -> Floats:
        """Seconds played for a second written, along the take."""
        at = np.unique(self.written)
        if len(at) < 2:
            return np.ones(1)
        order = np.argsort(self.written, kind="stable")
        line = np.interp(at, self.written[order], self.mapped[order])
        third = max(1, (len(at) - 1) // 3)
        begin = (line[third] - line[0]) / (at[third] - at[0])
        end = (line[-1] - line[-1 - third]) / (at[-1] - at[-1 - third])
        middle = (line[-1] - line[0]) / (at[-1] - at[0])
        return np.asarray(np.maximum(np.array([begin, middle, end]), 1e-6))

    def _extra(self) -> list[int]:
        """Hits that belong to no stroke and are no grace of one."""
        used = set(self.match[self.match >= 0].tolist())
        self.graces: dict[int, list[int]] = {}
        graced = [
            k for k in range(len(self.stroke)) if self.pattern.strokes[self.stroke[k]].grace and self.match[k] >= 0
        ]
        taken: set[int] = set()
        for k in graced:
            at = self.times[self.match[k]]
            pad = self.grace_pads.get(int(self.stroke[k]), self.wanted[k])
            near = np.flatnonzero((self.pads == pad) & (self.times < at) & (self.times > at - GRACE_S))
            mine = [int(j) for j in near if int(j) not in used]
            self.graces[k] = mine
            taken |= set(mine)
        return [j for j in range(len(self.times)) if j not in used and j not in taken]

    def _centre(self, found: NDArray[np.bool_]) -> float:
        """How far the pulse lies from the line through the beats (seconds): where most of what the limbs play is.

        Each limb counts by its strokes, and half as much again where it has the beats: a foot that alone has them
        and is late does not make both hands early.
        """
        rows: list[tuple[float, float, str]] = []
        anchors, judged = self._anchors(), self._judged()
        limbs = np.array([s.limb for s in self.pattern.strokes])[self.stroke]
        for limb in dict.fromkeys(limbs.tolist()):
            mine = found & judged & (limbs == limb)
            # A limb on the beats is where it is on them.
            use = mine & anchors if (mine & anchors).sum() >= 0.3 * max(1, mine.sum()) else mine
            if use.any():
                weight = float(mine.sum()) * (1.5 if (mine & anchors).any() else 1.0)
                rows.append((float(np.median(self.late[use])), weight, limb))
        self.disagree, self.middle_of, self.sure = None, {}, True
        if not rows:
            return 0.0
        rows.sort()
        half = sum(weight for _, weight, _ in rows) / 2
        so_far = np.cumsum([weight for _, weight, _ in rows])
        middle = rows[int(np.searchsorted(so_far, half - 1e-9))][0]
        self.middle_of = {limb: other - middle for other, _, limb in rows}
        agree = [weight for other, weight, _ in rows if abs(other - middle) <= self.tolerance / 2]
        self.sure = sum(agree) >= (KNOWN if len(agree) == 1 else 0.5) * 2 * half
        (first, _, early), (last, _, late) = rows[0], rows[-1]
        if not self.sure and last - first > self.tolerance + SAME_S:
            self.disagree = early, late, (last - first) * 1000
        return middle

    def _by_click(self) -> Floats | None:
        """How far the click lies from the pulse at every stroke (seconds); None where none was recorded."""
        beat = self.whole / 4
        order = np.argsort(self.written, kind="stable")
        written, mapped = self.written[order], self.mapped[order]
        beats = np.arange(0.0, self.rounds * self.length + beat / 2, beat)
        # Beats in which nothing is written lie between those in which something is.
        inside = beats[(beats >= written[0]) & (beats <= written[-1])]
        if len(self.clicks) < FEWEST_CLICKS or len(inside) < FEWEST_CLICKS:
            return None
        times = np.interp(inside, written, mapped)
        at = np.clip(np.searchsorted(self.clicks, times), 1, len(self.clicks) - 1)
        left, right = self.clicks[at - 1], self.clicks[at]
        nearest = np.where(times - left < right - times, left, right)
        near = np.abs(nearest - times) <= 0.25 * beat
        if near.sum() < FEWEST_CLICKS:
            return None
        return np.asarray(np.interp(self.written, inside[near], (nearest - times)[near]))

    def _break_off(self) -> None:
        """Strokes of the last round after its last hit were not missed: it was broken off. A single one at the very
        end was missed."""
        self.void = np.zeros(len(self.match), dtype=bool)
        n = len(self.own)
        last = np.arange((self.rounds - 1) * n, self.rounds * n)
        played = last[self.match[last] >= 0]
        if self.rounds < 2 or not len(played):
            return
        after = last[(self.mapped[last] > self.mapped[played].max() - 1e-6) & (self.match[last] < 0)]
        if len({self.pattern.strokes[i].moment for i in self.stroke[after].tolist()}) > 1:
            self.void[after] = True
            index = int(self.stroke[after[np.argmin(self.mapped[after])]])
            end = float(self.times[self.match[played]].max())
            self.ignored.append(Ignored(round(end, 4), f"the last round breaks off before {self._where(index)}"))

    def _counted(self, extra: list[int]) -> list[int]:
        """The hits that belong to no stroke, without a count-in and what other pads' strokes set off."""
        used = self.match[self.match >= 0]
        if not len(used):
            return extra
        begin = float(self.times[used].min())
        kept = []
        for j in extra:
            time = float(self.times[j])
            near = np.abs(self.times - time) <= CROSSTALK_S
            louder = near & (self.pads != self.pads[j]) & (self.loud * CROSSTALK_PART >= self.loud[j])
            if time < begin - GRACE_S:
                self.ignored.append(Ignored(round(time, 4), "before the first stroke: a count-in"))
            elif louder.any():
                self.ignored.append(Ignored(round(time, 4), "crosstalk: a stroke on another pad set it off"))
            elif self.kit_keys and self.keys[j] not in self.kit_keys:
                self.ignored.append(Ignored(round(time, 4), f"note {self.keys[j]}: nothing on this kit sends it"))
            elif self.keys[j] == HAT_PEDAL and HAT_FOOT not in {s.limb for s in self.pattern.strokes}:
                self.ignored.append(Ignored(round(time, 4), "the hi-hat's pedal, for which the plan has no stroke"))
            else:
                kept.append(j)
        return kept

    # --- what it says -------------------------------------------------------------------------------------------

    def _take(self, share: float, tempo: float, drift: float, extra: list[int]) -> Take:
        strokes = self.pattern.strokes
        limbs, voices = self._rows(lambda s: s.limb), self._rows(lambda s: s.voice)
        evenness = self._evenness()
        dynamics, flams = self._dynamics(), self._flams()
        missed = tuple(int(self.stroke[k]) for k in np.flatnonzero((self.match < 0) & ~self.void))
        late = {
            (int(k // len(strokes)), int(self.stroke[k])): float(self.late[k] * 1000)
            for k in np.flatnonzero(self.match >= 0)
        }
        places = self._places()
        swing = self._swing(places)
        faults = self._faults(places, dynamics, swing)
        flubs = self._flubs(places)
        if abs(drift) > DRIFT:
            faults.append(f"The pulse {'rises' if drift > 0 else 'falls'} by {abs(drift) * 100:.0f} % over the take.")
        verdict = self._verdict(share, tempo, limbs, evenness, missed, extra, faults, flubs)
        advice = self._advice(
            share, tempo, limbs, evenness, missed, extra, dynamics, faults, flubs, swing is not None
        )
        return Take(
            verdict, tempo, self.tempo, self.rounds, self.tolerance * 1000, limbs, voices, evenness, missed,
            tuple(float(self.times[j]) for j in extra), dynamics, flams, drift, tuple(advice), late, places,
            tuple(sorted(self.ignored)),
        )  # fmt: skip

    def _places(self) -> tuple[PlaceTake, ...]:
        """Every stroke of the pattern over its rounds."""
        n = len(self.own)
        there = (self.match >= 0).reshape(-1, n)
        late = np.where(there, self.late.reshape(-1, n), np.nan) * 1000
        gone = ~there & ~self.void.reshape(-1, n)
        found = []
        for i, stroke in enumerate(self.pattern.strokes):
            mine = late[there[:, i], i]
            grace: dict[str, float | None] | None = None
            if stroke.grace:
                rows = [(k, self.graces.get(k, [])) for k in range(i, len(self.stroke), n) if self.match[k] >= 0]
                widths = [(self.times[self.match[k]] - self.times[hits[-1]]) * 1000 for k, hits in rows if hits]
                width = round(float(np.median(widths)), 2) if widths else None
                grace = {"there": float(len(widths)), "of": float(len(rows)), "width_ms": width}
            found.append(
                PlaceTake(
                    i, round(float(np.median(mine)), 3) if len(mine) else None,
                    round(float(mine.std(ddof=1)), 3) if len(mine) > 1 else 0.0, int(gone[:, i].sum()), grace,
                )
            )  # fmt: skip
        return tuple(found)

    def _faults(
        self, places: Sequence[PlaceTake], dynamics: Mapping[str, Any], swing: tuple[float, frozenset[int]] | None
    ) -> list[str]:
        """What is not as written at some place, in words, the weightiest first."""
        lines: list[str] = []
        judged = self._judged()[: len(self.own)]
        tolerance = self.tolerance * 1000
        off = [p for p in places if judged[p.stroke] and abs(self._away(p)) > tolerance + SAME_S * 1000]
        if self.disagree is not None:
            early, late, gap = self.disagree
            lines.append(
                f"The {self._name(late)} comes {gap:.0f} ms after the {self._name(early)}. Which of them is off "
                "cannot be known from the pads alone: play it to a click, or with a foot on the beats."
            )
        if swing is not None:
            percent, swung = swing
            lines.append(
                f"The off-beats come late, at about {percent:.0f} % of the beat: it swings, and is written straight."
            )
            off = [p for p in off if p.stroke not in swung]
        for row in sorted(off, key=lambda p: -abs(self._away(p)))[:3]:
            away = self._away(row)
            side = "late" if away > 0 else "early"
            limb = self._name(self.pattern.strokes[row.stroke].limb)
            lines.append(f"The {limb} on {self._where(row.stroke)} comes {abs(away):.0f} ms {side}.")
        apart = self._apart()
        for indices, gap in sorted(apart.items(), key=lambda item: -item[1])[:2]:
            limbs = " and the ".join(self._name(self.pattern.strokes[i].limb) for i in indices)
            lines.append(f"The {limbs} are {gap:.0f} ms apart on {self._where(indices[0])}: strike them as one.")
        for row in places:
            if row.grace is None:
                continue
            there, of, width = (row.grace[name] for name in ("there", "of", "width_ms"))
            low, high = GRACE_WIDTH_MS
            where = self._where(row.stroke)
            if (there or 0.0) < (of or 0.0):
                gone, all_of = (of or 0.0) - (there or 0.0), of or 0.0
                lines.append(f"The grace on {where} is missing {gone:.0f} of {all_of:.0f} times.")
            elif width is not None and not low <= width <= high:
                lines.append(
                    f"The grace on {where} comes {width:.0f} ms before its stroke; {low:.0f} to {high:.0f} ms "
                    "is heard as one."
                )
        if self.judge_dynamics:
            lines += self._flat(dynamics)
        return lines

    def _away(self, place: PlaceTake) -> float:
        """How late a place is (ms): by the pulse, or where it cannot be known which limb is off, by its own limb."""
        if place.offset_ms is None:
            return 0.0
        if self.disagree is None:
            return place.offset_ms
        limb = self.pattern.strokes[place.stroke].limb
        return place.offset_ms - self.middle_of.get(limb, 0.0) * 1000

    def _flubs(self, places: Sequence[PlaceTake]) -> list[int]:
        """Single strokes (of all rounds) far from where their place lies as a rule, the furthest first."""
        if self.rounds < 3:
            return []
        usual = np.array([p.offset_ms if p.offset_ms is not None else np.nan for p in places]) / 1000
        away = np.abs(self.late - usual[self.stroke])
        away[(self.match < 0) | ~self._judged()] = 0.0
        found: list[int] = []
        limbs = np.array([s.limb for s in self.pattern.strokes])[self.stroke]
        for limb in dict.fromkeys(limbs.tolist()):
            mine = np.flatnonzero((limbs == limb) & (self.match >= 0))
            if len(mine):
                # Where a limb is unsteady altogether that is said of it, and of no single stroke.
                steady = 1.4826 * float(np.median(away[mine]))
                found += mine[away[mine] > max(FLUB * self.tolerance + SAME_S, 5.0 * steady)].tolist()
        return sorted(found, key=lambda k: -away[k])

    def _swing(self, places: Sequence[PlaceTake]) -> tuple[float, frozenset[int]] | None:
        """Where the middles of beats fall (percent of the beat), and the strokes there, where all of them come late
        alike and the beats do not: that is no dragging hand."""
        beat_ms = self.whole / 4 * 1000
        middles: dict[int, float] = {}
        beats: list[float] = []
        on_beats: set[str] = set()
        for row in places:
            stroke = self.pattern.strokes[row.stroke]
            bar = self.pattern.bar_at(stroke.start)
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
        tolerance = self.tolerance * 1000
        # One hand that has all the middles of beats and no beat may as well be late itself.
        limbs = {self.pattern.strokes[i].limb for i in middles}
        alike = float(late.std()) < tolerance / 2 and float(np.abs(beats).max()) < tolerance
        if not alike or float(late.min()) <= tolerance or not (len(limbs) > 1 or limbs <= on_beats):
            return None
        return 50.0 + 100.0 * float(late.mean()) / beat_ms, frozenset(middles)

    def _apart(self) -> dict[tuple[int, ...], float]:
        """Strokes written together that do not sound together: how far apart as a rule (ms)."""
        n = len(self.own)
        there = (self.match >= 0).reshape(-1, n)
        times = np.where(there, self.times[np.maximum(self.match, 0)].reshape(-1, n), np.nan)
        judged = self._judged()[:n]
        found = {}
        for event in self.pattern.events:
            indices = [i for i in event.indices if judged[i]]
            rows = times[:, indices]
            rows = rows[~np.isnan(rows).any(axis=1)] if len(indices) > 1 else rows[:0]
            if len(rows):
                gap = float(np.median(np.ptp(rows, axis=1)))
                feet = all(self.pattern.strokes[i].limb in FEET for i in indices)
                if gap > (FLAM_THRESHOLD_S if feet else TOGETHER_S) + SAME_S:
                    found[tuple(indices)] = gap * 1000
        return found

    def _flat(self, dynamics: Mapping[str, Any]) -> list[str]:
        """Levels that are written apart and not played apart."""
        accent, plain, ghost = dynamics["accent"], dynamics["plain"], dynamics["ghost"]
        low = plain if plain is not None else ghost
        lines = []
        if accent is not None and low is not None and accent - low < CONTRAST:
            lines.append("Accents hardly stand out: lift higher before them, and keep the others low.")
        high = plain if plain is not None else accent
        if ghost is not None and high is not None and high - ghost < CONTRAST:
            lines.append("Ghosts are as loud as the rest: let them fall from two fingers' height.")
        if lines:
            return lines
        # Single strokes happen; a place that is wrong in most rounds is not played as written.
        rounds = np.bincount(self.stroke[self.match >= 0], minlength=len(self.own))
        for index, count in Counter(dynamics["wrong"]).items():
            if 2 * count > rounds[index]:
                marks = self.pattern.strokes[index].marks
                kind = "accent" if ">" in marks else "ghost" if "." in marks else "plain stroke"
                how = (
                    "too soft" if ">" in marks or ("." not in marks and self._softer(index, dynamics)) else "too loud"
                )
                lines.append(f"The {kind} on {self._where(index)} is {how}.")
        return lines[:3]

    def _softer(self, index: int, dynamics: Mapping[str, Any]) -> bool:
        """Whether a place is played softer than its kind is as a rule."""
        played = self.loud[self.match[(self.match >= 0) & (self.stroke == index)]]
        return float(np.median(played)) < (dynamics["plain"] or 0.0)

    def _judged(self) -> NDArray[np.bool_]:
        """Strokes whose timing is judged: not those of groups that may be free."""
        groups = np.array([s.group for s in self.pattern.strokes])[self.stroke]
        return ~np.isin(groups, list(self.free)) if self.free else np.ones(len(self.stroke), dtype=bool)

    def _rows(self, key: Any) -> dict[str, LimbTake]:
        names = [key(s) for s in self.pattern.strokes]
        found = {}
        judged = self._judged()
        for name in dict.fromkeys(names):
            mine = np.array([n == name for n in names])[self.stroke]
            late = self.late[mine & judged & (self.match >= 0)] * 1000
            missed = int((mine & (self.match < 0) & ~self.void).sum())
            bias = float(late.mean()) if len(late) else 0.0
            spread = float(late.std(ddof=1)) if len(late) > 1 else 0.0
            found[name] = LimbTake(int(mine.sum()), round(bias, 3), round(spread, 3), missed)
        return found

    def _evenness(self) -> dict[str, float | None]:
        """Played over written spacing of consecutive moments: hands, feet, and from a hand to a foot."""
        n = len(self.pattern.strokes)
        # A row for each round; what was missed or is not judged is no number.
        there = ((self.match >= 0) & self._judged()).reshape(-1, n)
        played = np.where(there, self.times[np.maximum(self.match, 0)].reshape(-1, n), np.nan)
        meant = self.mapped.reshape(-1, n)
        ratios: dict[str, list[float]] = {"hands": [], "feet": [], "hand_to_foot": []}
        turns = np.arange(len(there))
        for a, b in pairwise(self.pattern.events):
            kind = _transition(a.hands, a.feet, b.hands, b.feet)
            if kind is None:
                continue
            first, second = list(a.indices), list(b.indices)
            # Of a unison the first stroke that was played says when it was meant.
            begin = meant[turns, np.array(first)[there[:, first].argmax(axis=1)]]
            end = meant[turns, np.array(second)[there[:, second].argmax(axis=1)]]
            written = end - begin
            use = there[:, first].any(axis=1) & there[:, second].any(axis=1) & (written > 0.02)
            spacing = np.nanmean(played[use][:, second], axis=1) - np.nanmean(played[use][:, first], axis=1)
            ratios[kind] += (spacing / written[use]).tolist()
        return {kind: round(float(np.median(rows)), 4) if rows else None for kind, rows in ratios.items()}

    def _dynamics(self) -> dict[str, Any]:
        """Mean velocities of accents, plain strokes and ghosts, and strokes that were played as another kind."""
        kinds = ["accent" if ">" in s.marks else "ghost" if "." in s.marks else "plain" for s in self.pattern.strokes]
        each = np.array(kinds)[self.stroke]
        found = self.match >= 0
        loud = np.where(found, self.loud[np.maximum(self.match, 0)], np.nan)
        means: dict[str, float | None] = {}
        for kind in ("accent", "plain", "ghost"):
            mine = loud[found & (each == kind)]
            means[kind] = round(float(np.median(mine)), 1) if len(mine) else None
        wrong: list[int] = []
        order = [kind for kind in ("ghost", "plain", "accent") if means[kind] is not None]
        for low, high in pairwise(order):
            a, b = means[low], means[high]
            assert a is not None and b is not None
            if b - a < 8:
                continue
            middle = (a + b) / 2
            too_loud = found & (each == low) & (loud > middle)
            too_soft = found & (each == high) & (loud < middle)
            wrong += [int(self.stroke[k]) for k in np.flatnonzero(too_loud | too_soft)]
        levels = [means[kind] for kind in order]
        contrast = None if len(levels) < 2 else round(float(levels[-1] or 0) - float(levels[0] or 0), 1)
        return {**means, "contrast": contrast, "wrong": sorted(wrong)}

    def _flams(self) -> dict[str, Any]:
        """How wide graces are: from the last one to its stroke, ms."""
        widths = [
            (self.times[self.match[k]] - self.times[rows[-1]]) * 1000 for k, rows in self.graces.items() if rows
        ]
        without = [int(self.stroke[k]) for k, rows in self.graces.items() if not rows]
        return {
            "count": len(widths),
            "width_ms": round(float(np.median(widths)), 2) if widths else None,
            "without": without,
        }

    def _verdict(
        self, share: float, tempo: float, limbs: Mapping[str, LimbTake], evenness: Mapping[str, float | None],
        missed: Sequence[int], extra: Sequence[int], faults: Sequence[str], flubs: Sequence[int],
    ) -> str:  # fmt: skip
        total = len(self.stroke)
        if share < SAME_PIECE or abs(tempo / self.tempo - 1) > 0.2:
            return "not-yet"
        off = (len(missed) + len(extra)) / total
        worst = max((max(abs(row.bias_ms), row.spread_ms) for row in limbs.values()), default=0.0)
        uneven = max((abs(value - 1) for value in evenness.values() if value is not None), default=0.0)
        tolerance = self.tolerance * 1000
        right_tempo = abs(tempo / self.tempo - 1) <= OTHER_TEMPO
        fault = missed or extra or faults or len(flubs) > total // FLUB_IN
        if not fault and right_tempo and worst <= tolerance + 1000 * SAME_S and uneven <= 1.5 * UNEVEN:
            return "clean"
        return "rough" if off <= 0.08 and worst <= 2 * tolerance and uneven <= 4 * UNEVEN else "not-yet"

    def _advice(
        self, share: float, tempo: float, limbs: Mapping[str, LimbTake], evenness: Mapping[str, float | None],
        missed: Sequence[int], extra: Sequence[int], dynamics: Mapping[str, Any], faults: Sequence[str],
        flubs: Sequence[int], swings: bool,
    ) -> list[str]:  # fmt: skip
        """Plain sentences, the weightiest first: what, where, and what would help."""
        lines: list[str] = []
        total = len(self.stroke)
        if share < SAME_PIECE:
            lines.append(
                f"Only {share * 100:.0f} % of the strokes were found: this looks like another piece, or another "
                "kit's pads. Check which plan and which kit it was."
            )
            return lines
        ratio = tempo / self.tempo
        if abs(ratio - 1) > 0.2:
            times = {2: "twice", 0.5: "half"}.get(
                round(ratio * 2) / 2 if abs(ratio * 2 - round(ratio * 2)) < 0.1 else 0
            )
            how = f"{times} the {self.tempo:g} BPM asked" if times else f"and {self.tempo:g} BPM was asked"
            lines.append(f"It was played at {tempo:.0f} BPM, {how}: check the tempo, or the grid it was written in.")
        elif abs(ratio - 1) > OTHER_TEMPO:
            lines.append(f"It was played at {tempo:.0f} BPM, and {self.tempo:g} BPM was asked.")
        lines += self._missed_words(missed)
        lines += faults
        lines += self._flub_words(flubs)
        if extra:
            at = ", ".join(f"{self.times[j]:.2f} s" for j in extra[:3])
            lines.append(
                f"{len(extra)} hit{'s' if len(extra) > 1 else ''} too many, first at {at}: keep the rests still."
            )
        tolerance = self.tolerance * 1000
        known = not swings and self.sure
        for limb, row in sorted(limbs.items(), key=lambda item: -abs(item[1].bias_ms)) if known else ():
            if abs(row.bias_ms) > tolerance * 0.6 and row.strokes > row.missed:
                side = "late" if row.bias_ms > 0 else "early"
                cure = "lift it sooner" if side == "late" else "let it wait"
                lines.append(
                    f"The {self._name(limb)} is {abs(row.bias_ms):.0f} ms {side} on the whole: {cure}, and play the "
                    "figure with that limb alone against the click."
                )
        for limb, row in sorted(limbs.items(), key=lambda item: -item[1].spread_ms) if not swings else ():
            if row.spread_ms > tolerance:
                worst = self._worst(limb)
                lines.append(
                    f"The {self._name(limb)} is unsteady by {row.spread_ms:.0f} ms, most at {worst}: a slower rung, "
                    "and that stroke with the one before it alone."
                )
        words = {"hands": "The hands", "feet": "The feet", "hand_to_foot": "From hand to foot you"}
        for kind, value in evenness.items() if not swings else ():
            if value is not None and abs(value - 1) > UNEVEN:
                verb = "rush" if value < 1 else "drag"
                lines.append(
                    f"{words[kind]} {verb}: the played spacing is {value:.2f} of the written one. Count the grid "
                    "aloud, and let the second stroke wait for its syllable."
                )
        lines += self._loudness_words(dynamics)
        if not lines:
            lines.append(f"Within {tolerance:.0f} ms everywhere: up a rung.")
        if total < 8:
            lines.append("So few strokes say little: play more rounds.")
        return lines

    def _missed_words(self, missed: Sequence[int]) -> list[str]:
        lines = []
        counts = {i: missed.count(i) for i in dict.fromkeys(missed)}
        for i, count in sorted(counts.items(), key=lambda row: -row[1])[:3]:
            often = f" {count} of {self.rounds} times" if self.rounds > 1 else ""
            if count == 1 and self.rounds > 1:
                often = f" once, in round {self._round_missed(i)}"
            lines.append(f"The {self._name(self.pattern.strokes[i].limb)} misses {self._where(i)}{often}.")
        if len(counts) > 3:
            lines.append(f"{len(missed)} strokes were missed in all.")
        return lines

    def _round_missed(self, index: int) -> int:
        """The first round in which a stroke was missed, from 1."""
        rows = np.flatnonzero((self.match < 0) & ~self.void & (self.stroke == index))
        return int(rows[0]) // len(self.own) + 1

    def _flub_words(self, flubs: Sequence[int]) -> list[str]:
        lines = []
        for k in flubs[:3]:
            late = float(self.late[k]) * 1000
            limb = self._name(self.pattern.strokes[self.stroke[k]].limb)
            where = self._where(int(self.stroke[k]))
            side = "late" if late > 0 else "early"
            lines.append(
                f"Once, in round {k // len(self.own) + 1}, the {limb} on {where} comes {abs(late):.0f} ms {side}."
            )
        if len(flubs) > 3:
            lines.append(f"{len(flubs)} single strokes are that far off.")
        return lines

    def _loudness_words(self, dynamics: Mapping[str, Any]) -> list[str]:
        lines: list[str] = []
        if not self.judge_dynamics:
            return lines
        wrong = list(dict.fromkeys(dynamics["wrong"]))
        if wrong:
            places = ", ".join(self._where(i) for i in wrong[:3])
            lines.append(
                f"{len(wrong)} stroke{'s' if len(wrong) > 1 else ''} with another loudness than written: {places}."
            )
        return lines

    def _worst(self, limb: str) -> str:
        """The stroke of a limb that is furthest off on the whole."""
        rows: dict[int, list[float]] = {}
        for k in np.flatnonzero(self.match >= 0).tolist():
            if self.pattern.strokes[self.stroke[k]].limb == limb:
                rows.setdefault(int(self.stroke[k]), []).append(float(self.late[k]))
        index = max(rows, key=lambda i: abs(float(np.mean(rows[i]))))
        return self._where(index)

    def _where(self, index: int) -> str:
        s = self.pattern.strokes[index]
        bar = f"bar {s.bar}, " if self.pattern.strokes[-1].bar > 1 else ""
        return f"{bar}{place(s.beat)}"

    def _name(self, limb: str) -> str:
        right = self.kit.bass_foot_side > 0
        names = {"R": "right hand", "L": "left hand", KICK: "right foot" if right else "left foot"}
        other = "left foot" if right else "right foot"
        return {**names, SECOND_KICK: other, HAT_FOOT: other}.get(limb, limb)


def _transition(hands_a: Any, feet_a: Any, hands_b: Any, feet_b: Any) -> str | None:
    """What kind of step from one moment to the next this is."""
    if hands_a and hands_b:
        return "hands"
    if feet_a and not hands_a and feet_b and not hands_b:
        return "feet"
    if hands_a and not feet_a and feet_b and not hands_b:
        return "hand_to_foot"
    return None
