"""Which stroke follows which: all of a rhythm that does not depend on where things stand or how fast it goes.

Worked out once for a pattern; moving a drum or changing the tempo then costs only arithmetic on arrays (see walk).
A loop's end is put before its beginning, so that its first strokes know where the limbs come from.
"""

# Long: all columns of what follows what.
from __future__ import annotations

import numpy as np

from deft_reach.core.model.derived import derived
from deft_reach.core.model.limbs import SECOND_KICK
from deft_reach.core.model.pattern import RUN_IN_EVENTS, Pattern
from deft_reach.core.motion.columns import RUN_GAP, columns_of, run_in
from deft_reach.core.motion.paths import MOVING, minimum_jerk
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import (
    BY_SURFACE,
    NOT_LED,
    Feet,
    Flags,
    Follow,
    Graces,
    Hands,
    Ints,
    Kept,
    Postures,
)
from deft_reach.core.motion.timing import (
    FOOT_REBOUND,
    GHOST_LEVEL,
    GRACE_LEAST,
    HAND_REBOUND,
    grace_lead,
    level_factors,
    level_of,
    rebound,
)


@derived
def follow(pattern: Pattern, names: tuple[str, ...], repeat: bool) -> Follow:
    """What each stroke follows; ``names`` are the voices that the kit has."""
    return _Follower(pattern, names, repeat).follow()


class _Follower:
    def __init__(self, pattern: Pattern, names: tuple[str, ...], repeat: bool) -> None:
        self.names, self.repeat = names, repeat
        self.count = len(pattern.strokes)
        c = self.c = columns_of(pattern, repeat)
        self.pattern_length = pattern.length
        number = self.number = {name: k for k, name in enumerate(names)}
        voices = np.array([number.get(v, -1) for v in c.voices], dtype=np.intp)
        # Rounds before the one that counts: whole ones for a short loop, then one from the run-in on.
        picks: list[Ints] = []
        rounds: list[int] = []
        everything = np.arange(len(c.index))
        if repeat and c.events:
            earlier = -(-RUN_IN_EVENTS // c.events)
            for back in range(earlier, 1, -1):
                picks.append(everything)
                rounds.append(-back)
            picks.append(everything[c.event >= run_in(c)])
            rounds.append(-1)
        picks.append(everything)
        rounds.append(0)
        self.pick = np.concatenate(picks)
        turn = np.repeat(np.array(rounds), [len(p) for p in picks])
        self.main = turn == 0
        self.first_round = min(rounds)
        length = float(pattern.length)
        self.time = c.start[self.pick] + turn * length
        self.event = c.event[self.pick] + (turn - self.first_round) * c.events
        self.events = (1 - self.first_round) * c.events
        #: The first event of the round that counts.
        self.first_event = self.events - c.events
        self.lane, self.level, self.voice = c.lane[self.pick], c.level[self.pick], voices[self.pick]
        self.struck_by = [np.bincount(self.event[self.lane == k], minlength=self.events) > 0 for k in range(4)]

    def follow(self) -> Follow:
        """Sort everything into lanes, graces among them, and read off what comes before what."""
        # Long: every column once, in the order in which they need each other.
        c, n = self.c, len(self.pick)
        owner = self.graced()
        g = np.array(sorted(owner), dtype=np.intp)
        lane = np.concatenate([self.lane, 1 - self.lane[g]])
        event = np.concatenate([self.event, self.event[g]])
        time = np.concatenate([self.time, self.time[g]])
        strokes = [self.grace_of(k) for k in g]
        graced_at = np.array([found[0] for found in strokes], dtype=np.intp)
        level = np.concatenate([self.level, np.array([found[1] for found in strokes], dtype=np.intp)])
        voice = np.concatenate([self.voice, graced_at])
        real = np.arange(n + len(g)) < n
        key = lane * (self.events + 1) + event
        order = np.argsort(key, kind="stable")
        place = np.empty_like(order)
        place[order] = np.arange(len(order))
        key, lane, event, time = key[order], lane[order], event[order], time[order]
        voice, level, real = voice[order], level[order], real[order]
        size = len(order)
        here = np.arange(size)
        lane_start = np.searchsorted(lane, lane)
        prev = np.searchsorted(key, key) - 1
        prev[prev < lane_start] = -1
        has = prev >= 0
        known = np.maximum.accumulate(np.where(voice >= 0, here, -1)) if size else here
        at = np.where(known >= lane_start, voice[known], -1)
        was = np.where(has, at[prev], -1)
        gap = np.where(has, time - time[prev], np.nan)
        was_grace = has & ~real[prev]
        last_level = np.where(has, level[prev], level)
        earlier = self.earlier_gaps(key, lane, gap, prev, max(len(HAND_REBOUND), len(FOOT_REBOUND)))
        hand_part, foot_part = (rebound(gap, earlier, shares) for shares in (HAND_REBOUND, FOOT_REBOUND))
        factor = np.asarray(level_factors(np.where(lane < 2, hand_part, foot_part), level, last_level))
        graced = np.zeros(size, dtype=bool)
        graced[place[g]] = True
        run = self.runs(key, lane, event, gap, prev, has, was_grace | ~real | graced)

        row_of = place[:n][self.main]
        hand, foot = lane[row_of] < 2, lane[row_of] >= 2
        index = c.index
        extra = np.array([grace_lead(x)[1] for x in c.grace]) if any(c.grace) else np.zeros(len(c.grace))
        marked = np.array([bool(x) for x in c.grace]) if any(c.grace) else np.zeros(len(c.grace), dtype=bool)
        h, f = row_of[hand], row_of[foot]
        head = np.where(was_grace, GRACE_LEAST, 0.0)
        hands = Hands(
            index[hand], h, np.where(has, prev, -1)[h], lane[h], was[h], voice[h], gap[h], run[h],
            hand_part[h], factor[h], level[h], last_level[h], extra[hand], head[h], marked[hand] | was_grace[h],
            marked[hand],
        )  # fmt: skip
        changes = np.zeros(size, dtype=bool)
        if SECOND_KICK in c.limbs:
            # Two pedals on one lane with the hi-hat foot: only from one to the other is a way.
            codes = np.array([limb == SECOND_KICK for limb in c.limbs])[self.pick]
            codes = np.concatenate([codes, np.zeros(len(g), dtype=bool)])[order]
            changes = has & (codes != codes[prev])
        feet = Feet(
            index[foot], [c.limbs[k] for k in np.flatnonzero(foot).tolist()], changes[f], gap[f],
            run[f], foot_part[f], factor[f], level[f], last_level[f], self.foot_turns(event[f], lane[f]),
        )  # fmt: skip
        placed = place[n:]
        found = self.main[g] & has[placed] & (was[placed] >= 0)
        placed, mine = placed[found], g[found]
        leads = np.array([grace_lead(c.grace[self.pick[k]])[0] for k in mine])
        graces = Graces(
            c.index[self.pick[mine]], lane[placed], was[placed], voice[placed], gap[placed], factor[placed],
            leads - head[placed],
        )  # fmt: skip
        everywhere = np.arange(self.events)
        right, left = (self.where(key, at, k, everywhere) for k in (0, 1))
        first = self.events - c.events
        event_time = np.zeros(self.events)
        event_time[event] = time
        ways = [self.on_the_way(key, at, k, event_time) for k in (0, 1)]
        came, runs = self.came_from(row_of, hand, has, was, order[prev], g), np.zeros(self.count, dtype=np.intp)
        runs[index] = run[row_of]
        lead, switches = self.leads()
        turns, turn_gaps = self.turns(event_time)
        again, anew = self.again(event_time)
        return Follow(
            self.count, was, voice, lane_start, hands, graces, feet,
            self.postures(hands, event, right, left, ways), came, runs.tolist(), right[first:], left[first:],
            (int(right[first - 1]), int(left[first - 1])) if first else (-1, -1), lead, switches,
            self.led_by(lead), self.landings(lead), self.kept(event_time), self.changed(), again, anew, turns,
            turn_gaps,
            *self.moments(),
        )  # fmt: skip

    def came_from(
        self, row_of: Ints, hand: Flags, has: Flags, was: Ints, origin: Ints, graced: Ints
    ) -> list[str | None]:
        """By stroke the voice that its limb comes from."""
        names = np.array([*self.names, None], dtype=object)
        voices = [*self.c.voices, *(self.c.graced[k][0] for k in self.pick[graced].tolist())]
        first = len(self.c.voices)
        entry = np.concatenate([self.pick, first + np.arange(len(graced))])
        came = np.where(hand, names[was[row_of]], np.array([*voices, None], dtype=object)[entry[origin[row_of]]])
        came[~has[row_of]] = None
        found = np.full(self.count, None, dtype=object)
        found[self.c.index] = came
        return found.tolist()

    def grace_of(self, k: int) -> tuple[int, int]:
        """Voice and level of a picked stroke's graces: low unless they are marked as accents."""
        voice, marks = self.c.graced[self.pick[k]]
        return self.number.get(voice, -1), level_of(marks) if ">" in marks else GHOST_LEVEL

    def earlier_gaps(self, key: Ints, lane: Ints, gap: Floats, prev: Ints, count: int) -> tuple[Floats, ...]:
        """The gaps before each entry's own, nearest first, infinite where there is none. A loop's go round with
        it.
        """
        found = [np.full(len(gap), np.inf) for _ in range(count)]
        known = np.where(np.isnan(gap), np.inf, gap)
        if self.repeat:
            first = (self.first_event + np.arange(4) * (self.events + 1))[lane]
            for k in range(4):
                mine = np.flatnonzero((lane == k) & (key >= first))
                if len(mine):
                    fresh = np.ones(len(mine), dtype=bool)
                    fresh[1:] = key[mine[1:]] > key[mine[:-1]]
                    each = known[mine[fresh]]
                    place = np.cumsum(fresh) - 1
                    for n, before in enumerate(found, 1):
                        before[mine] = each[(place - n) % len(each)]
            return tuple(found)
        at = prev
        for before in found:
            there = at >= 0
            before[there] = known[at[there]]
            at = np.where(there, prev[at], -1)
        return tuple(found)

    def on_the_way(self, key: Ints, at: Ints, lane: int, event_time: Floats) -> tuple[Ints, Floats]:
        """Of a hand at each event: where it is on its way to (−1: it stays where it struck), and how much is done."""
        to, done = np.full(self.events, -1, dtype=np.intp), np.zeros(self.events)
        base = lane * (self.events + 1)
        low, high = (int(x) for x in np.searchsorted(key, [base, base + self.events]))
        if low == high:
            return to, done
        struck = key[low:high] - base
        times, voices = event_time[struck], at[low:high]
        if self.repeat:
            # The next round begins as this one did.
            first = int(np.searchsorted(struck, self.first_event))
            if first < len(struck):
                times = np.append(times, times[first] + float(self.pattern_length))
                voices = np.append(voices, voices[first])
        everywhere = np.arange(self.events)
        last = np.searchsorted(struck, everywhere, side="right") - 1
        moving = (last >= 0) & (last + 1 < len(times))
        moving[moving] &= struck[last[moving]] != everywhere[moving]
        e = np.flatnonzero(moving)
        k = last[e]
        going = voices[k] != voices[k + 1]
        e, k = e[going], k[going]
        part = (event_time[e] - times[k]) / (times[k + 1] - times[k])
        start, end = MOVING["early"]
        to[e], done[e] = voices[k + 1], minimum_jerk((part - start) / (end - start))
        return to, done

    def graced(self) -> list[int]:
        """Strokes whose graces the other hand plays: the first of a moment in which one hand strikes alone."""
        if not any(self.c.grace):
            return []
        first: dict[int, int] = {}
        for k in np.flatnonzero(self.lane < 2).tolist():
            first.setdefault(int(self.event[k]), k)
        alone = self.struck_by[0] != self.struck_by[1]
        return [k for e, k in first.items() if alone[e] and self.c.grace[self.pick[k]]]

    def runs(self, key: Ints, lane: Ints, event: Ints, gap: Floats, prev: Ints, has: Flags, broken: Flags) -> Ints:
        """Every entry's place in its run: a rest, a stroke of the partner alone, and graces begin a new one."""
        size = len(key)
        if not size:
            return np.zeros(0, dtype=np.intp)
        partner = np.array([1, 0, 3, 2])[lane]
        alone = np.zeros((4, self.events + 1), dtype=np.intp)
        for k, other in ((0, 1), (1, 0), (2, 3), (3, 2)):
            alone[k, 1:] = np.cumsum(self.struck_by[k] & ~self.struck_by[other])
        between = alone[partner, event] - alone[partner, event[prev] + 1]
        begins = ~has | (gap > RUN_GAP) | (between > 0) | broken
        # Strokes of one limb at one moment are one step of its run.
        fresh = np.concatenate([[True], key[1:] != key[:-1]])
        entry = np.cumsum(fresh) - 1
        starts = begins[fresh]
        number = np.arange(len(starts))
        return np.asarray((number - np.maximum.accumulate(np.where(starts, number, 0)) + 1)[entry])

    def where(self, key: Ints, at: Ints, lane: int, events: Ints) -> Ints:
        """Where a hand is after each event, −1 for nowhere yet."""
        base = lane * (self.events + 1)
        last = np.searchsorted(key, base + events, side="right") - 1
        found = (last >= 0) & (key[last] >= base) if len(key) else np.zeros(len(events), dtype=bool)
        return np.where(found, at[last] if len(at) else -1, -1)

    def postures(
        self, hands: Hands, event: Ints, right: Ints, left: Ints, ways: list[tuple[Ints, Floats]]
    ) -> Postures:
        struck = np.flatnonzero(self.struck_by[0] | self.struck_by[1])
        main = struck[struck >= self.first_event]
        back = np.searchsorted(struck, main) - 1
        previous = struck[back]
        r0 = np.where(back >= 0, right[previous], -1) if len(main) else main
        l0 = np.where(back >= 0, left[previous], -1) if len(main) else main
        events = event[hands.entry]
        rows = np.argsort(events, kind="stable")
        sorted_events = events[rows]
        starts = np.searchsorted(sorted_events, main)
        chosen, deciding = self.choices([to >= 0 for to, _ in ways])
        prev = np.arange(len(main)) - 1
        if self.repeat and len(main):
            prev[0] = len(main) - 1
        (right_to, right_done), (left_to, left_done) = ways
        return Postures(
            right[main], left[main], r0, l0, right_to[main], left_to[main], right_done[main], left_done[main],
            chosen[main], deciding[main], prev, rows, starts, np.searchsorted(main, sorted_events),
        )  # fmt: skip

    def main_codes(self) -> Ints:
        """Of each event of the round which hands strike: 1 right, 2 left, 3 both."""
        return self.codes()[self.first_event :]

    def codes(self) -> Ints:
        """Of each event, the run-in's too, which hands strike: 1 right, 2 left, 3 both."""
        return np.asarray(self.struck_by[0] * 1 + self.struck_by[1] * 2)

    def kept(self, event_time: Floats) -> Kept:
        """The strokes on a kept surface, one a moment, with who struck it then and the last two times."""
        c = self.c
        none = np.zeros(0, dtype=np.intp)
        if c.surface is None:
            return Kept(none, none, none, none, none, none > 0)
        mine = self.on_surface()
        code = np.zeros(c.events, dtype=np.intp)
        np.bitwise_or.at(code, c.event[mine], 1 << c.lane[mine])
        struck = np.flatnonzero(code)
        # 1 right, 2 left, 3 both: as a side, both counting as unknown.
        now = np.array([-1, 0, 1, -1], dtype=np.intp)[code[struck]]
        last, before = (np.roll(now, n) for n in (1, 2))
        if not self.repeat:
            last[:1], before[:2] = -1, -1
        hands = self.codes()
        moments = np.flatnonzero(hands)
        at = np.searchsorted(moments, struck + self.first_event) - 1
        earlier = moments[at]
        near = (at >= 0) & (event_time[struck + self.first_event] - event_time[earlier] <= RUN_GAP)
        alone = np.where(near, np.array([-1, 0, 1, -1], dtype=np.intp)[hands[earlier]], -1)
        rows = np.flatnonzero(mine)
        line = np.full(len(struck), c.line)
        return Kept(c.index[rows[np.searchsorted(c.event[rows], struck)]], now, last, before, alone, line)

    def on_surface(self) -> Flags:
        """Of each of the round's strokes whether a hand plays it on the kept surface."""
        return self.c.keeps & (self.c.lane < 2)

    def again(self, event_time: Floats) -> tuple[Ints, Ints]:
        """The strokes of a hand that struck alone at the last moment as well: neither on a kept surface nor coming
        from it. And those of them with which a bar begins.
        """
        c = self.c
        hands = self.codes()
        struck = np.flatnonzero(hands)
        code, time = hands[struck], event_time[struck]
        same = np.zeros(len(struck), dtype=bool)
        same[1:] = (code[1:] == code[:-1]) & (code[1:] < 3) & (np.diff(time) <= RUN_GAP)
        on = self.on_surface()
        keeps = np.zeros(c.events, dtype=bool)
        keeps[c.event[on]] = True
        same[1:] &= ~keeps[(struck[:-1] - self.first_event) % max(1, c.events)]
        e = struck[same & (struck >= self.first_event)] - self.first_event
        rows = np.flatnonzero(c.lane < 2)
        rows = rows[np.searchsorted(c.event[rows], e)]
        rows = rows[~on[rows]]
        return c.index[rows], c.index[rows[c.begins[c.event[rows]]]]

    def changed(self) -> Ints:
        """The first hand strokes of events whose hands come back from neither of the last two beats."""
        code, back = self.main_codes(), self.c.figure
        e = np.flatnonzero(back[:, 1])
        same = (code[e] == code[e - back[e, 0]]) | (code[e] == code[e - back[e, 1]])
        e = e[~same & (code[e] > 0)]
        rows = np.flatnonzero(self.c.lane < 2)
        return np.asarray(self.c.index[rows[np.searchsorted(self.c.event[rows], e)]])

    def led_by(self, lead: list[int]) -> tuple[list[int], list[int]]:
        """Of the strokes that lead a beat those of the left and those of the right hand."""
        limb = dict(zip(self.c.index.tolist(), self.c.lane.tolist()))
        return [i for i in lead if limb[i] == 1], [i for i in lead if limb[i] == 0]

    def landings(self, lead: list[int]) -> Ints:
        """Of the strokes that lead a beat those that are not on the kept surface."""
        kept = set(self.c.index[self.c.keeps].tolist())
        return np.array([i for i in lead if i not in kept], dtype=np.intp)

    def turns(self, event_time: Floats) -> tuple[Ints, Floats]:
        """The first strokes of moments in which feet alone follow hands alone, or hands feet; and the gaps before."""
        hands, feet = (self.struck_by[k] | self.struck_by[k + 1] for k in (0, 2))
        alone = np.where(hands & ~feet, 1, np.where(feet & ~hands, 2, 0))
        before = np.concatenate([[0], alone[:-1]])
        turned = np.flatnonzero((alone > 0) & (before > 0) & (alone != before))
        turned = turned[turned >= self.first_event]
        first = np.searchsorted(self.c.event, turned - self.first_event)
        return self.c.index[first], event_time[turned] - event_time[turned - 1]

    def foot_turns(self, event: Ints, lane: Ints) -> Floats:
        """The time since the other foot struck, in whole notes, where it was the last to do so; else NaN."""
        struck = np.flatnonzero(self.struck_by[2] | self.struck_by[3])
        at = np.searchsorted(struck, event) - 1
        before = struck[at] if len(struck) else at
        times = np.zeros(self.events)
        times[self.event] = self.time
        turns = (at >= 0) & np.where(lane == 2, self.struck_by[3][before], self.struck_by[2][before])
        return np.where(turns, times[event] - times[before], np.nan)

    def choices(self, going: list[Flags]) -> tuple[Ints, Ints]:
        """Which hand goes over by the player's choice, at each event: as the strokes of that moment say, or else the
        stroke that the other hand is on its way to, or else that hand's last one; and which stroke it is that says
        so (−1: none). ``going`` says by hand whether it is on its way at an event.
        """
        chosen = self.c.chosen[self.pick]
        if not chosen.any():
            return np.zeros(self.events, dtype=np.intp), np.full(self.events, -1)
        # What a mark says and whose it is, in one number.
        said = chosen * (self.c.index[self.pick] + 1)
        everywhere = np.arange(self.events)
        now, last, later = (np.zeros((2, self.events), dtype=np.intp) for _ in range(3))
        for lane in (0, 1):
            mine = self.lane == lane
            now[lane, self.event[mine]] = said[mine]
            struck = np.flatnonzero(self.struck_by[lane])
            if not len(struck):
                continue
            away = ~self.struck_by[lane]
            at = np.searchsorted(struck, everywhere, side="right")
            last[lane] = np.where(away & (at > 0), now[lane][struck[at - 1]], 0)
            if self.repeat:
                # The next round begins as this one did.
                struck = np.append(struck, struck[np.searchsorted(struck, self.first_event)])
            following = struck[np.minimum(at, len(struck) - 1)]
            later[lane] = np.where(away & going[lane] & (at < len(struck)), now[lane][following], 0)
        own = np.where(now[1] != 0, now[1], now[0])
        for marks in (later, last):
            own = np.where(own != 0, own, np.where(marks[0] != 0, marks[0], marks[1]))
        return np.sign(own), np.abs(own) - 1

    def moments(self) -> tuple[Ints, Ints, Floats]:
        """Every stroke's event, and the events of the round in which a hand strikes, with their times."""
        c = self.c
        event_of = np.zeros(self.count, dtype=np.intp)
        event_of[c.index] = c.event
        first = self.events - c.events
        struck = np.flatnonzero((self.struck_by[0] | self.struck_by[1])[first:])
        times = np.zeros(c.events)
        times[c.event] = c.start
        return event_of, struck, times[struck]

    def leads(self) -> tuple[list[int], list[int]]:
        """The stroke that leads each beat of the round, and those where the lead changes hands."""
        c = self.c
        played_by = self.struck_by[0] | self.struck_by[1]
        beats = np.concatenate([c.leads > NOT_LED] * (1 - self.first_round))
        led = np.flatnonzero(beats & played_by)
        if not len(led):
            return [], []
        wanted = np.zeros(self.events, dtype=bool)
        wanted[led] = True
        played: dict[int, dict[int, int]] = {e: {} for e in led.tolist()}
        ks = np.flatnonzero((self.lane < 2) & wanted[self.event])
        for k, event, lane in zip(ks.tolist(), self.event[ks].tolist(), self.lane[ks].tolist()):
            played[event][lane] = k
        by_surface = (c.leads == BY_SURFACE).tolist()
        main, index, pick = self.main.tolist(), c.index.tolist(), self.pick.tolist()
        leader: int | None = None
        lead: list[int] = []
        switches: list[int] = []
        for e in led.tolist():
            hands = played[e]
            if by_surface[e % c.events]:
                # Whoever plays the kept surface leads, and a backbeat of the other hand changes nothing.
                hands = {lane: k for lane, k in hands.items() if c.keeps[pick[k]]}
            if not hands:
                continue
            # Both hands on the beat: whoever led goes on leading.
            hand = leader if leader in hands else next(iter(hands))
            assert hand is not None
            k = hands[hand]
            if main[k]:
                lead.append(index[pick[k]])
                if leader is not None and hand != leader:
                    switches.append(index[pick[k]])
            leader = hand
        return lead, switches


@derived
def voices_of(pattern: Pattern) -> tuple[str, ...]:
    """Every voice that a pattern names, each once."""
    return tuple(sorted({s.voice for s in pattern.strokes} | pattern.grace_voices))
