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
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hit_index import HitIndex
from deft_reach.core.practice.hit_matching import COUNT_EVEN, COUNT_LONGEST, match_pads, pad_of
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_report import LEFT_OUT, STOP, TOO_SOON, TWICE, Ignored, Slip
from deft_reach.core.practice.take_slips import Jump, find_stop
from deft_reach.core.practice.take_tracking import BOUNCE_S, GRACE_S, Round, find_opening, track

Floats = NDArray[np.float64]

#: So many clicks are enough to go by.
FEWEST_CLICKS: Final = 4
#: The key of a hi-hat closed by its pedal.
HAT_PEDAL: Final = 44
#: A hit further than this (seconds) from its stroke is another one; where strokes are far apart, further than this
#: part of their spacing.
FAR_S: Final = 0.12
FAR_PART: Final = 0.55
#: Tolerance: this part of the quickest written spacing, held between two bounds (seconds).
TOLERANCE: Final = 0.16
TOLERANCE_BOUNDS: Final = (0.010, 0.020)
#: One limb against others with less than this share of their weight: nobody can say which of them is off.
KNOWN: Final = 0.55
#: What is closer to a tolerance than this (seconds) is within it.
SAME_S: Final = 1e-4
#: The pulse may bend over so many beats, and no faster.
BEND_BEATS: Final = 3.0
#: A round counts as played where this share of its strokes, as far as it goes, has a hit so near (seconds).
ROUND_FITS: Final = 0.65
NEAR_S: Final = 0.05
#: What is struck later than so many beats after the last stroke is no part of the take.
AFTER_BEATS: Final = 1.0
#: A buzz rings on for so many beats at most, and its bounces have at most so much of its velocity.
BUZZ_BEATS: Final = 4.0
BOUNCE_PART: Final = 1.05
#: More stops than this are no stops but another tempo.
MOST_STOPS: Final = 6
#: Strokes that are missed so close to a slip (beats) are part of it.
EDGE_BEATS: Final = 0.6
#: This share of a beat's strokes is heard where it is played twice.
HEARD_TWICE: Final = 0.6
#: A hit on another pad at the same moment (seconds), and at most so much of the velocity, is crosstalk.
CROSSTALK_S: Final = 0.006
CROSSTALK_PART: Final = 0.4


class Alignment:
    """A performance laid over a pattern.

    The rows are the strokes of all rounds: ``stroke`` has the index of each, ``match`` its hit (−1: missed), ``late``
    how late that comes (seconds; NaN), ``void`` whether it was not reached any more. ``graces`` has the hits that are
    a row's graces, ``extra`` those that belong to nothing, ``ignored`` those that do not
    count. ``slips`` says where the take went on somewhere else; ``written`` is when each row is meant (seconds at the
    tempo asked) with the slips in it, so that the pulse runs through them.
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
        self.own_keys = np.array(keys)
        self.own_pads = np.array([pad_of(key) for key in keys])
        self.plan = Round.of(pattern, self.own_pads, tempo)
        self.own, self.length = self.plan.own, self.plan.length
        self.repeat = repeat
        self.one_pad = len(set(self.own_pads.tolist())) == 1
        self.quickest = grid = self.plan.quickest
        low, high = TOLERANCE_BOUNDS
        self.tolerance = tolerance_ms / 1000 if tolerance_ms is not None else min(high, max(low, TOLERANCE * grid))
        self._align()

    def _align(self) -> None:
        opening = find_opening(self.hits, self.plan, self.repeat)
        self._lay_out(opening.rounds)
        tracked = track(self.hits, self.written, self.wanted, opening, self.plan)
        mapped, far = tracked.mapped, self._far(opening.scale)
        jumps = self._jumped(tracked.jumps)
        match = self._match(mapped, far)
        rounds = self._rounds_played(match, mapped)
        if rounds < self.rounds:
            kept = rounds * len(self.own)
            self._keep(rounds)
            mapped, match = mapped[:kept], match[:kept]
            jumps = [jump for jump in jumps if max(jump.row, jump.resume) < kept]
        for _ in range(3):
            mapped = self._pulse(match, mapped)
            match = self._match(mapped, far)
        for _ in range(MOST_STOPS):
            stop = self._stop(match, opening.scale)
            if stop is None:
                break
            jumps.append(stop)
            for _ in range(2):
                mapped = self._pulse(match, mapped)
                match = self._match(mapped, far)
        match = self._first_of_buzz(match)
        self.match, self.mapped = match, self._pulse(match, mapped)
        self.slips, self._in_slips = self._slips(jumps)
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
        self.all_off = self._all_off() if by_click is not None else 0.0
        self._break_off()
        self.extra = self._counted(self._extra())

    @property
    def share(self) -> float:
        """The share of strokes that were found."""
        asked = ~self.void
        return float((self.match >= 0)[asked].mean()) if asked.any() else 0.0

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
        self.skipped = np.zeros(rounds * len(self.own), dtype=bool)
        self.written = np.concatenate([self.own + turn * self.length for turn in range(rounds)])
        self.stroke = np.tile(np.arange(len(self.own)), rounds)
        self.wanted = np.tile(self.own_pads, rounds)

    def _keep(self, rounds: int) -> None:
        """Only the first so many rounds."""
        kept = rounds * len(self.own)
        self.rounds = rounds
        self.written, self.stroke, self.wanted = self.written[:kept], self.stroke[:kept], self.wanted[:kept]
        self.skipped = self.skipped[:kept]

    def _jumped(self, jumps: Sequence[Jump]) -> list[Jump]:
        """Take jumps into what is meant when; the same jumps by rows of the take."""
        order = np.argsort(self.written, kind="stable")
        found = []
        for jump in jumps:
            gone, after = order[jump.row : jump.resume], order[jump.resume :]
            self.skipped[gone] = True
            self.written[after] += jump.later / jump.slope
            self.written[gone] = self.written[order[jump.resume]]
            found.append(jump._replace(row=int(order[jump.row]), resume=int(order[jump.resume])))
        self.wanted = np.where(self.skipped, -1, self.wanted)
        return found

    def _stop(self, match: NDArray[np.int_], scale: float) -> Jump | None:
        """Take a stop, or a place where the player went on too soon, into what is meant when."""
        rows = np.flatnonzero((match >= 0) & self.judged())
        rows = rows[np.argsort(self.written[rows], kind="stable")]
        found = find_stop(self.written[rows], self.times[match[rows]], self.whole / 4 * scale, self.tolerance)
        if found is None:
            return None
        place, later = found
        after = self.written >= place - 1e-9
        first = int(np.flatnonzero(after)[np.argmin(self.written[after])])
        self.written[after] += later / scale
        return Jump(first, first, later, scale)

    def _slips(self, jumps: Sequence[Jump]) -> tuple[list[Slip], set[int]]:
        """What the jumps are called, and the hits that belong to them: a beat played again, or noise in a stop."""
        slips, inside = [], set()
        n, beat = len(self.own), self.whole / 4
        for jump in sorted(jumps, key=lambda j: self.mapped[j.resume]):
            row = jump.row
            beats = abs(jump.later) / (jump.slope * beat)
            grid = self.quickest / beat
            whole = max(grid, round(beats / grid) * grid)
            on_grid = abs(beats - whole) <= 0.15
            kind = TOO_SOON if jump.later < 0 else STOP
            if jump.later < 0 and on_grid and bool(self.skipped.any()):
                kind = LEFT_OUT
            elif jump.later > 0:
                end = float(self.mapped[row])
                begin = end - jump.later
                own = set(self.match[self.match >= 0].tolist())
                gap = [
                    j
                    for j in np.flatnonzero((self.times > begin - 0.03) & (self.times < end - 0.03)).tolist()
                    if j not in own
                ]
                inside |= set(gap)
                again = np.flatnonzero((self.mapped >= begin - jump.later - 0.03) & (self.mapped < begin - 0.03))
                heard = sum(
                    any(
                        self.pads[j] == self.wanted[k] and abs(self.times[j] - self.mapped[k] - jump.later) < NEAR_S
                        for j in gap
                    )
                    for k in again.tolist()
                )
                if on_grid and len(again) and heard >= HEARD_TWICE * len(again):
                    kind, row = TWICE, int(again[np.argmin(self.mapped[again])])
            # What is not heard where it goes on is part of it.
            on = float(self.mapped[jump.resume])
            off = on - max(jump.later, 0.0)
            near = EDGE_BEATS * beat * jump.slope
            edge = (self.mapped >= off - near) & (self.mapped <= on + near)
            self.skipped |= edge & (self.match < 0)
            slips.append(
                Slip(
                    kind,
                    row // n + 1,
                    int(self.stroke[row]),
                    round(whole if kind in (LEFT_OUT, TWICE) else 0.0, 3),
                    0.0 if kind in (LEFT_OUT, TWICE) else round(abs(jump.later), 3),
                )
            )
        return slips, inside

    def _all_off(self) -> float:
        """How late all of it is against the click (seconds), where all limbs are alike; 0 where they are not."""
        limbs = np.array([s.limb for s in self.pattern.strokes])[self.stroke]
        use = (self.match >= 0) & self.judged()
        middles = [float(np.median(self.late[use & (limbs == limb)])) for limb in set(limbs[use].tolist())]
        if not middles or np.ptp(middles) > self.tolerance / 2:
            return 0.0
        return float(np.median(self.late[use]))

    def _far(self, scale: float) -> float:
        if self.one_pad:
            return max(min(FAR_S, max(0.03, 0.8 * self.quickest * scale)), FAR_PART * self.quickest * scale)
        return max(FAR_S * min(1.0, max(scale, 0.3)), FAR_PART * self.quickest * scale)

    def _rounds_played(self, match: NDArray[np.int_], mapped: Floats) -> int:
        """Rounds up to the last one of which more than its first moment was played, as far as it goes."""
        n = len(self.own)
        late = np.where(match >= 0, self.times[np.maximum(match, 0)] - mapped, np.nan)
        # A stroke that is always late is played all the same.
        usual = [np.median(row[~np.isnan(row)]) if (~np.isnan(row)).any() else 0.0 for row in late.reshape(-1, n).T]
        near = np.nan_to_num(np.abs(late - np.tile(usual, self.rounds)), nan=math.inf) <= NEAR_S
        for turn in range(self.rounds - 1, 0, -1):
            row = slice(turn * n, (turn + 1) * n)
            found, gone = near[row], self.skipped[row]
            if not found.any():
                continue
            order = np.argsort(self.written[row], kind="stable")
            until = order[: int(np.flatnonzero(found[order])[-1]) + 1]
            moments = {self.pattern.strokes[i].moment for i in until.tolist() if found[i]}
            asked = int((~gone[until]).sum())
            if len(moments) > 1 and found[until].sum() >= ROUND_FITS * asked:
                return turn + 1
        return 1

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
        used = set(self.match[self.match >= 0].tolist()) | self._in_slips
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
        taken |= self._bounces(used | taken)
        return [j for j in range(len(self.times)) if j not in used and j not in taken]

    def _first_of_buzz(self, match: NDArray[np.int_]) -> NDArray[np.int_]:
        """A buzz is where it begins: not one of its bounces, be it nearer, but the louder hit just before."""
        found = match.copy()
        used = set(match[match >= 0].tolist())
        for k in np.flatnonzero(match >= 0).tolist():
            if "~" not in self.pattern.strokes[self.stroke[k]].marks:
                continue
            at = int(match[k])
            since = self.times[at] - self.times
            before = (self.pads == self.pads[at]) & (since > 0) & (since <= BOUNCE_S) & (self.loud > self.loud[at])
            mine = [j for j in np.flatnonzero(before).tolist() if j not in used]
            if mine:
                found[k] = mine[-1]
        return found

    def _bounces(self, used: set[int]) -> set[int]:
        """The hits that a buzz bounces into: softer ones on its pad, up to the pad's next stroke."""
        found: set[int] = set()
        struck = np.sort(self.match[self.match >= 0])
        for k in np.flatnonzero(self.match >= 0).tolist():
            if "~" not in self.pattern.strokes[self.stroke[k]].marks:
                continue
            at = int(self.match[k])
            later = struck[(self.pads[struck] == self.pads[at]) & (self.times[struck] > self.times[at])]
            end = float(self.times[later].min()) if len(later) else math.inf
            end = min(end, float(self.times[at]) + BUZZ_BEATS * self.whole / 4)
            mine = (self.pads == self.pads[at]) & (self.times > self.times[at]) & (self.times < end)
            mine &= self.loud <= self.loud[at] * BOUNCE_PART
            found |= set(np.flatnonzero(mine).tolist()) - used
        return found

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
        self.void = self.skipped.copy()
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
        """The hits that belong to no stroke, without what was played before and after and what other pads' strokes
        set off.
        """
        used = self.match[self.match >= 0]
        if not len(used):
            return extra
        begin, end = float(self.times[used].min()), float(self.times[used].max())
        before = [j for j in extra if self.times[j] < begin - GRACE_S]
        counted_in = self._count_in(before)
        kept = []
        for j in extra:
            time = float(self.times[j])
            near = np.abs(self.times - time) <= CROSSTALK_S
            louder = near & (self.pads != self.pads[j]) & (self.loud * CROSSTALK_PART >= self.loud[j])
            why = None
            if time < begin - GRACE_S:
                why = "before the first stroke: " + ("a count-in" if counted_in else "not of the plan")
            elif louder.any():
                why = "crosstalk: a stroke on another pad set it off"
            elif self._closes(time, end):
                why = "the closing one"
            elif time > end + AFTER_BEATS * self.whole / 4:
                why = "after the last stroke: not of the plan"
            elif self.kit_keys and self.keys[j] not in self.kit_keys:
                why = f"note {self.keys[j]}: nothing on this kit sends it"
            elif self.keys[j] == HAT_PEDAL and HAT_FOOT not in {s.limb for s in self.pattern.strokes}:
                why = "the hi-hat's pedal, for which the plan has no stroke"
            if why is None:
                kept.append(j)
            else:
                self.ignored.append(Ignored(round(time, 4), why))
        return kept

    def _count_in(self, before: Sequence[int]) -> bool:
        """Whether hits before the first stroke count it in: on one pad, evenly, and not many."""
        if len({int(self.pads[j]) for j in before}) != 1 or len(before) > COUNT_LONGEST:
            return False
        steps = np.diff(self.times[list(before)])
        return len(steps) == 0 or float(np.ptp(steps)) <= COUNT_EVEN * float(steps.mean())

    def _closes(self, time: float, end: float) -> bool:
        """Whether a hit after the last stroke is where the next round would begin."""
        slope = float(self.slope()[-1])
        last = float(self.mapped[-len(self.own) :].min())
        first = last + slope * self.length
        return time > end and abs(time - first) <= max(FAR_S, 0.25 * self.whole / 4)
