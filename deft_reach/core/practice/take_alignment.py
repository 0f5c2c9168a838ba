"""Laying a performance over a pattern: its pulse, which hit belongs to which stroke, and how late each comes.

The performance's own pulse comes first: a smooth map from written time to played time, found from the strokes on
the beats, so that a tempo that drifts is no fault of any limb. Each pad's hits are then matched in order to the
strokes meant for it (least distance, with a price for what is missed and what is extra).
"""

# Long: pulse and matching take turns on the same rows.
from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.counting import place
from deft_reach.core.model.elements import GRACE_NOTES
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hit_index import HitIndex
from deft_reach.core.practice.hit_matching import match_pads, pad_of, quickest_spacing
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_report import Ignored

Floats = NDArray[np.float64]

#: So many rounds more than the opening tempo says are looked for: who speeds up plays more of them in the time.
SPARE: Final = 0.08
#: So many clicks are enough to go by.
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
#: One limb against others with less than this share of their weight: nobody can say which of them is off.
KNOWN: Final = 0.55
#: What is closer to a tolerance than this (seconds) is within it.
SAME_S: Final = 1e-4
#: The pulse may bend over so many beats, and no faster.
BEND_BEATS: Final = 3.0
#: A take is tracked so many beats at a time, after a look at so many first ones.
STRIDE_BEATS: Final = 2.0
FIRST_BEATS: Final = 12.0
#: While it is tracked, a hit counts for a stroke that is about so far off (seconds).
TRACK_S: Final = 0.05
#: A hit on another pad at the same moment (seconds), and at most so much of the velocity, is crosstalk.
CROSSTALK_S: Final = 0.006
CROSSTALK_PART: Final = 0.4


class Alignment:
    """A performance laid over a pattern.

    The rows are the strokes of all rounds: ``stroke`` has the index of each, ``match`` its hit (−1: missed), ``late``
    how late that comes (seconds; NaN), ``void`` whether it was not reached any more. ``graces`` has the hits that are
    a row's graces, ``extra`` those that belong to nothing, ``ignored`` those that do not count.
    """

    def __init__(
        self, pattern: Pattern, keys: Sequence[int], hits: list[Hit], tempo: float, kit: Kit, repeat: bool,
        tolerance_ms: float | None, free: frozenset[int], kit_keys: frozenset[int],
        grace_keys: Mapping[int, int], ignored: Sequence[Ignored], clicks: Floats,
    ) -> None:  # fmt: skip
        self.grace_pads = {index: pad_of(key) for index, key in grace_keys.items()}
        self.clicks = clicks
        #: Of two limbs that differ which is early and which late, and by how much (ms), where none can be blamed.
        self.disagree: tuple[str, str, float] | None = None
        #: Where each limb lies on the whole (seconds), and whether it is sure which of them is off.
        self.middle_of: dict[str, float] = {}
        self.sure = True
        self.kit_keys = kit_keys
        self.hits = HitIndex(hits)
        self.keys, self.times, self.pads, self.loud = self.hits.keys, self.hits.times, self.hits.pads, self.hits.loud
        self.ignored = list(ignored)
        self.pattern, self.tempo, self.kit, self.free = pattern, tempo, kit, free
        self.whole = 240.0 / tempo
        self.own_pads = np.array([pad_of(key) for key in keys])
        self.own = np.array(pattern.starts) * self.whole
        self.length = float(pattern.length) * self.whole
        self.repeat = repeat
        self.one_pad = len(set(self.own_pads.tolist())) == 1
        self.levels = np.array([1.0 + (">" in s.marks) - ("." in s.marks) for s in pattern.strokes])
        self.graced = sum(GRACE_NOTES[s.grace] for s in pattern.strokes)
        self.quickest = grid = quickest_spacing(pattern) * self.whole
        low, high = TOLERANCE_BOUNDS
        self.tolerance = tolerance_ms / 1000 if tolerance_ms is not None else min(high, max(low, TOLERANCE * grid))
        self._align()

    def _align(self) -> None:
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
        self.extra = self._counted(self._extra())

    @property
    def share(self) -> float:
        """The share of strokes that were found."""
        return float((self.match >= 0)[~self.void].mean()) if not self.void.all() else 0.0

    @property
    def missed(self) -> tuple[int, ...]:
        """The strokes that were not played, by their index, once for each round."""
        return tuple(int(self.stroke[k]) for k in np.flatnonzero((self.match < 0) & ~self.void))

    @property
    def played_tempo(self) -> float:
        """BPM."""
        return self.tempo / float(np.median(self.slope()))

    @property
    def drift(self) -> float:
        """How much faster the end is than the beginning, as a part."""
        slope = self.slope()
        # The middles of the first and the last third are two thirds of the take apart.
        return 1.5 * float(slope[0] / slope[-1] - 1) if len(slope) > 1 else 0.0

    def judged(self) -> NDArray[np.bool_]:
        """Strokes whose timing is judged: not those of groups that may be free.

        Shape (rows,).
        """
        groups = np.array([s.group for s in self.pattern.strokes])[self.stroke]
        return ~np.isin(groups, list(self.free)) if self.free else np.ones(len(self.stroke), dtype=bool)

    def slope(self) -> Floats:
        """Seconds played for a second written, along the take.

        At the beginning, in the middle and at the end, (3,); (1,) where there is one place only.
        """
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

    def where(self, index: int) -> str:
        s = self.pattern.strokes[index]
        bar = f"bar {s.bar}, " if self.pattern.strokes[-1].bar > 1 else ""
        return f"{bar}{place(s.beat)}"

    def limb_name(self, limb: str) -> str:
        """What a limb is called; feet change sides with the bass pedal."""
        right = self.kit.bass_foot_side > 0
        names = {"R": "right hand", "L": "left hand", KICK: "right foot" if right else "left foot"}
        other = "left foot" if right else "right foot"
        return {**names, SECOND_KICK: other, HAT_FOOT: other}.get(limb, limb)

    # --- finding the pulse --------------------------------------------------------------------------------------

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
            width = min(0.045, 0.3 * self.quickest * scale)
            scores = self.hits.score(whole + offsets[:, None], pads, width) / len(whole)
            # As many strokes as hits, and the tempo that was asked, are likelier.
            # Graces may be there or not.
            wanted = min(max(len(self.times), rounds * len(self.own)), count)
            scores -= 0.5 * abs(math.log(wanted / len(self.times))) + 0.05 * abs(math.log(scale))
            scores += 0.05 * self.hits.score(whole[:1] + offsets[:, None], pads[:1], width)
            # Whoever plays begins at the beginning, and what is loud is where loud strokes are.
            scores -= 0.03 * np.searchsorted(self.times, whole[0] + offsets - GRACE_S)
            for score, offset in zip(scores.tolist(), offsets.tolist()):
                if best is not None and score + 0.2 <= best[0]:
                    continue
                score += 0.2 * self.hits.loudness(whole + offset, pads, levels[near], bool(self.graced))
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
            scores = self.hits.score(at + shifts + slope * (1 + gives) * away, pads, TRACK_S) / len(part)
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

    def _match(self, mapped: Floats, far: float) -> NDArray[np.int_]:
        """For each stroke its hit, −1 where it was missed: each pad's in order, with the least distance in all."""
        return match_pads(mapped, self.wanted, self.times, self.pads, self.loud, far)

    def _pulse(self, match: NDArray[np.int_], mapped: Floats) -> Floats:
        """Every stroke's time by the pulse: a smooth line through what was matched, on the beats where they are."""
        found = match >= 0
        if found.sum() < 2:
            return mapped
        free = ~self.judged()
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
        return np.asarray(on_beat & self.judged())

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
        anchors, judged = self._anchors(), self.judged()
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
        end was missed.
        """
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
            self.ignored.append(Ignored(round(end, 4), f"the last round breaks off before {self.where(index)}"))

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
