"""What the feet of a figure become on a kit with another number of bass pedals.

With one pedal: one foot plays them all, or keeps the first of each pair, or as many as it can; runs into a landing
are shortened, or end a group sooner with a flam on the landing; free hands take over; flams make up for what is left
out. What a foot can do is what the analysis says, rebound included.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final, NamedTuple

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit, Piece, voice_name
from deft_reach.core.model.limbs import FEET, HANDS, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern, Stroke, lead_beat
from deft_reach.core.model.player import Player
from deft_reach.core.motion.timing import restrike
from deft_reach.core.notation.stroke_text import rewrite

#: From this pace on two feet share what hurries one.
HURRIED: Final = 0.85
_DRUMS: Final = ("tom", "floor-tom", "snare")


class Substitution(NamedTuple):
    """What was replaced: a voice or a limb by another, the strokes of the original, and why."""

    source: str
    target: str
    strokes: tuple[int, ...]
    why: str

    def as_dict(self) -> dict[str, object]:
        return {"from": self.source, "to": self.target, "strokes": list(self.strokes), "why": self.why}


@dataclass(frozen=True)
class FootChange:
    """One way to play the feet: the strikes that change (None: left out), hand strokes that become flams, what is
    said of it, and what is lost in likeness.
    """

    strikes: Mapping[int, Strike | None] = field(default_factory=dict)
    flams: tuple[int, ...] = ()
    said: tuple[Substitution, ...] = ()
    loss: float = 0.0


def foot_changes(pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool) -> list[FootChange]:
    """Every way to play the feet on this kit; the first leaves most as it is."""
    second = [s for s in pattern.strokes if s.limb == SECOND_KICK]
    if second and kit.of_kind("second-bass-pedal") is None:
        return _OnePedal(pattern, kit, player, tempo, repeat).changes()
    found = [FootChange()]
    if not second and kit.of_kind("second-bass-pedal") is not None:
        found += _shared(pattern, kit, player, tempo, repeat)
    return found


def _shared(pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool) -> list[FootChange]:
    """Runs that hurry one foot, shared between two."""
    report = analyse(pattern, kit, player, tempo, repeat=repeat)
    busy = {s.moment for s in pattern.strokes if s.limb in FEET and s.limb != KICK}
    strikes: dict[int, Strike | None] = {}
    before = False
    for s in pattern.strokes:
        if s.limb == KICK:
            pace = report.strokes[s.index].pace
            before = pace is not None and pace > HURRIED and not before and s.moment not in busy
            if before:
                strikes[s.index] = Strike(SECOND_KICK, None, s.marks)
    if not strikes:
        return []
    said = Substitution(KICK, SECOND_KICK, tuple(strikes), "two feet share what hurries one")
    return [FootChange(strikes, (), (said,), 0.02)]


class _OnePedal:
    def __init__(self, pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool) -> None:
        self.pattern, self.kit, self.player, self.tempo, self.repeat = pattern, kit, player, tempo, repeat
        second = [s for s in pattern.strokes if s.limb == SECOND_KICK]
        both = {s.moment for s in pattern.strokes if s.limb == KICK}
        self.single = [s for s in second if s.moment not in both]
        #: Strokes of the second foot that sound with the first one's: the one foot plays both at once.
        self.doubled: dict[int, Strike | None] = {s.index: None for s in second if s.moment in both}
        self.feet = [s for s in pattern.strokes if s.limb == KICK or s in self.single]
        self.total = max(1, len(pattern.strokes))

    def changes(self) -> list[FootChange]:
        whole, able = self._whole()
        found = [whole]
        if not able:
            found += self._thinned()
            found += self._first_of_pairs()
            found += self._shorter_run()
            found += self._group_less()
        found += self._to_hands()
        found += self._flams()
        return found

    # --- what one foot can do ---------------------------------------------------------------------------------

    def _report(self, strikes: Mapping[int, Strike | None]) -> Report:
        new = read_unfinished(rewrite(self.pattern, strikes), self.kit)
        return analyse(new, self.kit, self.player, self.tempo, repeat=self.repeat)

    def _with(self, kept: Collection[int]) -> dict[int, Strike | None]:
        """The strikes that change where the one foot plays these of the feet's strokes and no others."""
        found = dict(self.doubled)
        for s in self.feet:
            if s.index not in kept:
                found[s.index] = None
            elif s.limb == SECOND_KICK:
                found[s.index] = Strike(KICK, None, s.marks)
        return found

    def _kept(self, kept: Collection[int], why: str, likeness: float) -> FootChange:
        gone = tuple(s.index for s in self.feet if s.index not in kept)
        moved = tuple(s.index for s in self.single if s.index in kept)
        said = [Substitution("J, K", "left out", gone, why)] if gone else []
        if moved:
            said.append(Substitution(SECOND_KICK, KICK, moved, "the one foot plays what is left"))
        return FootChange(self._with(kept), (), tuple(said), likeness + 2.0 * len(gone) / self.total)

    def _whole(self) -> tuple[FootChange, bool]:
        """One foot plays them all; and whether it can."""
        kept = {s.index for s in self.feet}
        strikes = self._with(kept)
        rows = [
            s for s in self._report(strikes).strokes if s.limb == KICK and s.pace is not None and s.gap is not None
        ]
        worst = max(rows, key=lambda s: s.pace or 0.0, default=None)
        able = worst is None or (worst.pace or 0.0) <= 1.0
        if worst is None:
            why = "one foot can play them all"
        else:
            needs = f"one foot needs {worst.needed * 1000:.0f} ms from stroke to stroke"
            if able:
                why = f"one foot can play them all at this tempo: {needs}"
            else:
                why = f"one foot cannot quite: {needs}, and there are {(worst.gap or 0.0) * 1000:.0f} ms"
        said = Substitution(SECOND_KICK, KICK, tuple(s.index for s in self.single), why)
        return FootChange(strikes, (), (said,), 0.0 if able else 2.0), able

    def _weight(self, s: Stroke) -> float:
        """What a foot stroke is worth: accents and beats most, then what the first pedal played."""
        bar = self.pattern.bar_at(s.start)
        into = (bar.offset + s.start - bar.start) % lead_beat(bar.meter)
        return 1.0 + 2.0 * (">" in s.marks) + 1.5 * (into == 0) + 0.5 * (s.limb == KICK)

    def _thinned(self) -> list[FootChange]:
        """As many strokes as one foot can do, the weightiest: of two that are too close the lighter one goes."""
        kept = [s.index for s in self.feet]
        by_index = {s.index: s for s in self.feet}
        while len(kept) > 1:
            # What is left out moves the numbers of what follows, so the strokes are told by their times.
            late = {
                round(s.time, 6)
                for s in self._report(self._with(kept)).strokes
                if s.limb == KICK and s.pace is not None and s.pace > 1.0
            }
            if not late:
                break
            drop: set[int] = set()
            for before, index in zip([kept[-1], *kept], kept):
                time = round(float(by_index[index].start) * 240.0 / self.tempo, 6)
                if any(abs(time - other) < 2e-6 for other in late) and not {before, index} & drop:
                    drop.add(min(before, index, key=lambda i: (self._weight(by_index[i]), -i)))
            if not drop:
                break
            kept = [i for i in kept if i not in drop]
        return [self._kept(kept, "thinned to what one foot can do at this tempo, rebound included", 0.3)]

    def _first_of_pairs(self) -> list[FootChange]:
        """The first kick of each pair: the first pedal's strokes, or every other one of a run."""
        if len(self.pairs) == len(self.feet):
            return []
        return [self._kept(self.pairs, "the first of each pair is kept", 0.25)]

    @cached_property
    def pairs(self) -> set[int]:
        """The first stroke of each pair in the feet's runs."""
        return {s.index for run in self._runs() for s in run[::2]}

    def _runs(self) -> list[list[Stroke]]:
        """The feet's strokes in runs: one a step of the rhythm after another, with no hand alone in between."""
        runs: list[list[Stroke]] = []
        after = False
        by_moment = {s.moment: s for s in self.feet}
        for number, moment in enumerate(self.pattern.moments):
            here = by_moment.get(number)
            if here is None:
                after = False
                continue
            if after:
                runs[-1].append(here)
            else:
                runs.append([here])
            # A stroke of the hands with the foot ends a run: it is the landing.
            after = not any(self.pattern.strokes[i].limb in HANDS for i in moment.strokes)
        return runs

    def _landings(self) -> list[tuple[list[Stroke], Stroke | None]]:
        """Each run before its landing, and the hand stroke that it leads to."""
        found = []
        hands = {s.moment: s for s in reversed(self.pattern.strokes) if s.limb in HANDS}
        for run in self._runs():
            alone = [s for s in run if s.moment not in hands]
            if len(alone) > 1 or (alone and len(run) > 1):
                after = [hands[m] for m in sorted(hands) if m > alone[-1].moment]
                found.append((alone, after[0] if after else None))
        return found

    def _shorter_run(self) -> list[FootChange]:
        """The last run before the end shortened by one stroke and more; the others keep the first of each pair."""
        landings = self._landings()
        if not landings:
            return []
        found = []
        run, _ = landings[-1]
        for keep in range(len(run) - 1, 0, -1):
            gone = {s.index for s in run[keep:]}
            stays = {s.index for s in run[:keep]}
            for rest, why in (
                ({s.index for s in self.feet}, "the run into the landing is shorter"),
                (self.pairs, "the run into the landing is shorter, and elsewhere the first of each pair is kept"),
            ):
                kept = (rest | stays) - gone
                if len(kept) < len(self.feet):
                    found.append(self._kept(kept, why, 0.28))
        return found

    def _group_less(self) -> list[FootChange]:
        """The last run left out altogether and a flam on the landing; elsewhere the first of each pair."""
        landings = [row for row in self._landings() if row[1] is not None]
        if not landings:
            return []
        run, landing = landings[-1]
        assert landing is not None
        gone = {s.index for s in run}
        found = []
        for rest in ({s.index for s in self.feet}, self.pairs):
            change = self._kept(rest - gone, "a group less before the landing", 0.35)
            flam = Substitution("hand stroke", "flam", (landing.index,), "a flam makes up for the run before it")
            if not landing.grace:
                found.append(replace(change, flams=(landing.index,), said=(*change.said, flam)))
        return found

    # --- hands ------------------------------------------------------------------------------------------------

    def _to_hands(self) -> list[FootChange]:
        """The second foot's strokes to hands that are free before and after, on the drum where they cost least."""
        drums = sorted((p for p in self.kit if p.kind in _DRUMS), key=_low, reverse=True)
        rows = [row for drum in drums if (row := self._on(drum)) is not None]
        if not rows:
            return []
        costs = [self._report(row.strikes).summary.cost for row in rows]
        least = min(range(len(rows)), key=lambda k: costs[k])
        # A hand that has to fight for it is no likeness of an easy foot.
        harder = max(0.0, costs[least] - self._report(self._with(())).summary.cost)
        return [replace(rows[least], loss=rows[least].loss + 0.02 * harder)]

    def _on(self, drum: Piece) -> FootChange | None:
        times: dict[str, list[float]] = {hand: [] for hand in HANDS}
        whole = 240.0 / self.tempo
        for s in self.pattern.strokes:
            if s.limb in HANDS:
                times[s.limb].append(float(s.start) * whole)
        strikes: dict[int, Strike | None] = dict(self.doubled)
        taken: list[int] = []
        left: list[int] = []
        for s in self.single:
            time = float(s.start) * whole
            room = {hand: _room(times[hand], time) for hand in (RIGHT, LEFT)}
            hand = max(room, key=lambda h: room[h])
            if room[hand] >= restrike(self.player, hand):
                strikes[s.index] = Strike(hand, None if drum.kind == "snare" else drum.code, s.marks)
                times[hand].append(time)
                taken.append(s.index)
            else:
                strikes[s.index] = None
                left.append(s.index)
        if not taken:
            return None
        words = voice_name(self.kit, drum.code)
        said = [
            Substitution("J", f"hands on the {words}", tuple(taken), "a free hand takes it, where it costs least")
        ]
        if left:
            said.append(Substitution("J", "left out", tuple(left), "no hand is free before and after it"))
        return FootChange(strikes, (), tuple(said), 0.5 + 2.0 * len(left) / self.total)

    def _flams(self) -> list[FootChange]:
        """The second foot left out, and a flam on the hand stroke after each of its runs."""
        flams = []
        for s in self.single:
            after = next((t for t in self.pattern.strokes[s.index + 1 :] if t.limb in (*HANDS, *FEET)), None)
            if after is not None and after.limb in HANDS and not after.grace:
                flams.append(after.index)
        if not flams:
            return []
        indices = tuple(s.index for s in self.single)
        strikes: dict[int, Strike | None] = {**self.doubled, **dict.fromkeys(indices)}
        said = (
            Substitution("J", "left out", indices, "the second foot's strokes are left out"),
            Substitution("hand stroke", "flam", tuple(flams), "a flam makes up for the foot before it"),
        )
        return [FootChange(strikes, tuple(flams), said, 0.6 + 2.0 * max(0, len(indices) - len(flams)) / self.total)]


def _low(piece: Piece) -> tuple[bool, float]:
    return piece.kind == "floor-tom", piece.diameter


def _room(times: Sequence[float], at: float) -> float:
    """How long a hand that strikes at these times (s) is free before or after another one, the shorter of the two."""
    return min((abs(time - at) for time in times), default=math.inf)
