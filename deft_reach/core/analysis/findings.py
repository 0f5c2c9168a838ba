"""Findings: what a player should know about a pattern, each in one plain sentence with its numbers.

A crossed hold is said once for its span, a sweep once for its run, a stretch once for its voice. What is ordinary is
a note; a caution asks for thought; a stop means it cannot be played so.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from typing import Final

import numpy as np

from deft_reach.core.analysis.endurance import SUSTAINED, kind_of, lasting, lasting_words
from deft_reach.core.analysis.report import Finding
from deft_reach.core.model.counting import place
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import EITHER, FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK, other_hand
from deft_reach.core.model.pattern import GRACES, Pattern, Stroke
from deft_reach.core.motion.clearance import part_words
from deft_reach.core.motion.follow import RUN_GAP
from deft_reach.core.motion.pose import COMFORTABLE_REACH, MAX_LEAN_MM
from deft_reach.core.motion.reach_table import Cross, ReachTable
from deft_reach.core.motion.timing import restrike, travel_times
from deft_reach.core.motion.walk import GraceWalk, Walk

HURRIED_PACE: Final = 0.85
#: From this pace on there is no time, whatever the rounding.
LATE: Final = 1 + 1e-9
#: Arms that pass closer than this (mm) deserve a thought.
TIGHT_MM: Final = 60.0
#: Arms and sticks that pass closer than this (mm), surface to surface, are a near miss.
NEAR_MM: Final = 12.0
#: Leaning further than this (mm) deserves a thought.
FAR_LEAN_MM: Final = 60.0
#: A limb that can keep up a loop no longer than this (seconds) is overloaded.
TIRES_WITHIN: Final = 120.0
#: Two strokes closer than this (seconds) are heard as one, flammed: 30 to 50 ms, common practice, from memory.
FLAM_GAP: Final = 0.05
#: How far two feet's strokes are off their places at best, together (seconds). From memory.
FEET_SCATTER: Final = 0.02

_ORDER: Final = {"stop": 0, "caution": 1, "note": 2}


def find_all(
    pattern: Pattern, walk: Walk, table: ReachTable, times: Sequence[float], length: float, repeat: bool
) -> list[Finding]:
    """Every finding of a walked pattern, in order of where it begins and then how serious it is.

    ``times`` are the strokes' times and ``length`` the pattern's, in seconds.
    """
    finder = _Finder(pattern, walk, table, times, length, repeat)
    found = [
        *finder.impossible(),
        *finder.out_of_reach(),
        *finder.strained_reach(),
        *finder.crossings(),
        *finder.open_handed(),
        *finder.sweeps(),
        *finder.near_misses(),
        *finder.hurried(),
        *finder.overload(),
        *finder.split_foot(),
        *finder.unattended_hat(),
        *finder.uneven_feet(),
        *finder.exit_runs(),
        *finder.lead_switch(),
    ]
    return sorted(found, key=lambda f: (f.strokes[0], _ORDER[f.severity], f.kind))


def voice_name(kit: Kit, voice: str) -> str:
    """A voice as a player says it: "floor tom", "ride bell", "hi-hat pedal"."""
    code, _, zone = voice.partition(":")
    piece = kit.piece(code)
    if piece is None:
        return f"'{voice}'"
    if zone == "foot":
        return f"{piece.name} pedal"
    return f"{piece.name} {zone}" if zone else piece.name


def too_many(kit: Kit, voices: Sequence[str]) -> tuple[str, str]:
    """Why these voices at once are more than two hands can strike, and what to do about it."""
    names = [f"the {voice_name(kit, voice)}" for voice in voices]
    hats = [v for v in voices if ":" not in v and (piece := kit.piece(v)) is not None and piece.kind == "hi-hat"]
    foot = f", or give the {voice_name(kit, hats[0])} to the foot (H)" if hats and kit.of_kind("hat-pedal") else ""
    words = ("", "one", "two", "three", "four", "five")
    number, over = (words[n] if n < len(words) else str(n) for n in (len(voices), len(voices) - 2))
    return (
        f"two hands have {number} strokes at once: {', '.join(names[:-1])} and {names[-1]}",
        f"leave {over} out{foot}",
    )


def ms(seconds: float) -> str:
    return f"{seconds * 1000:.0f} ms"


class _Finder:
    def __init__(
        self, pattern: Pattern, walk: Walk, table: ReachTable, times: Sequence[float], length: float, repeat: bool
    ) -> None:
        self.pattern = pattern
        self.strokes = pattern.strokes
        self.walk = walk
        self.table = table
        self.kit = table.kit
        self.times = times
        self.length = length
        self.repeat = repeat
        self.hands = [s for s in self.strokes if s.limb in (RIGHT, LEFT)]
        self.by_hand = {hand: [s.index for s in self.hands if s.limb == hand] for hand in HANDS}
        many = len(self.strokes) > 0 and self.strokes[-1].bar > 1
        self.many_bars = many or bool(pattern.pickup)
        foot = "right" if self.kit.bass_foot_side > 0 else "left"
        other = "left" if foot == "right" else "right"
        self.short = {RIGHT: "right", LEFT: "left"}
        self.names = {
            RIGHT: "right hand",
            LEFT: "left hand",
            KICK: f"{foot} foot",
            SECOND_KICK: f"{other} foot",
            HAT_FOOT: f"{other} foot",
        }

    # --- words ------------------------------------------------------------------------------------------------

    def at(self, index: int) -> str:
        stroke = self.strokes[index]
        where = place(stroke.beat)
        if not self.many_bars:
            return where
        return f"{where} of the pickup" if stroke.bar == 0 else f"{where} of bar {stroke.bar}"

    def on(self, index: int, first: bool = True) -> str:
        """On which place a stroke falls, as a sentence begins (or, not ``first``, as it goes on)."""
        where = self.at(index)
        if where.startswith("after"):
            return f"A{where[1:]}" if first else where
        return f"{'On' if first else 'on'} {where}"

    def name(self, voice: str | None) -> str:
        return voice_name(self.kit, voice) if voice else "where it rests"

    def span(self, first: int, last: int) -> str:
        if len(self.hands) > 1 and first <= self.hands[0].index and last >= self.hands[-1].index:
            return "All through"
        if first == last:
            return self.on(first)
        if self.strokes[first].bar == self.strokes[last].bar:
            return f"From {place(self.strokes[first].beat)} to {self.at(last)}"
        return f"From {self.at(first)} to {self.at(last)}"

    # --- what cannot be done ----------------------------------------------------------------------------------

    def impossible(self) -> Iterator[Finding]:
        missing: dict[str, list[int]] = {}
        wrong: dict[tuple[str, str], tuple[int, ...]] = {}
        pedal: dict[str, tuple[int, ...]] = {}
        for (limb, voice), played in self.pattern.by_limb_and_voice.items():
            code, _, zone = voice.partition(":")
            piece = self.kit.piece(code)
            if limb in FEET:
                if piece is None:
                    missing.setdefault(voice, []).extend(played)
                elif not (zone == "foot" if limb == HAT_FOOT else piece.kind == "bass" and not zone):
                    wrong[limb, voice] = played
                elif limb not in self.table.pedals:
                    pedal[limb] = played
            elif piece is None or self.kit.voice_point(voice) is None:
                missing.setdefault(voice, []).extend(played)
            elif piece.kind == "bass" or zone == "foot":
                wrong[limb, voice] = played
        for voice, found in missing.items():
            indices: Sequence[int] = sorted(found)
            yield self.cannot(
                indices,
                None,
                f"The kit '{self.kit.name}' has no '{voice}' to strike {self.on(indices[0], False)}.",
                f"Use a voice it has: {', '.join(v for v in self.kit.voices if ':' not in v)}.",
            )
        for (limb, voice), indices in wrong.items():
            who = "a foot" if limb in FEET else "a hand"
            yield self.cannot(
                indices,
                limb,
                f"{self.on(indices[0])} {who} cannot strike the {self.name(voice)}.",
                "Give the stroke to a limb that can.",
            )
        words = {KICK: "a bass pedal", SECOND_KICK: "a second bass pedal", HAT_FOOT: "a hi-hat pedal"}
        for limb, indices in pedal.items():
            yield self.cannot(
                indices,
                limb,
                f"{self.on(indices[0])} {limb} needs {words[limb]}, and the kit '{self.kit.name}' has none.",
                "Choose a kit with that pedal, or give the stroke to another limb.",
            )
        yield from self.two_at_once()

    def cannot(self, indices: Iterable[int], limb: str | None, message: str, advice: str = "") -> Finding:
        return Finding("impossible", tuple(indices), limb, None, "stop", message, advice)

    def two_at_once(self) -> Iterator[Finding]:
        clashes: dict[tuple[str, str, str], list[int]] = {}
        for row in self.pattern.moments:
            if len(row.strokes) < 2:
                continue
            by_limb: dict[str, list[Stroke]] = {}
            for index in row.strokes:
                by_limb.setdefault(self.strokes[index].limb, []).append(self.strokes[index])
            for limb, both in by_limb.items():
                if limb == EITHER or len(both) < 2:
                    continue
                a, b = both[0].voice, both[1].voice
                points = self.table.points
                sweepable = len(both) == 2 and a != b and a in points and b in points and self.table.one_sweep(a, b)
                if not sweepable:
                    clashes.setdefault((limb, a, b), []).extend(s.index for s in both)
            hands = [s for s in (self.strokes[i] for i in row.strokes) if s.limb not in FEET]
            if len(hands) > 2 and EITHER in by_limb:
                what, advice = too_many(self.kit, [s.voice for s in hands])
                indices = [s.index for s in hands]
                advice = f"{advice[0].upper()}{advice[1:]}."
                yield self.cannot(indices, None, f"{self.on(indices[0])} {what}.", advice)
            if SECOND_KICK in by_limb and HAT_FOOT in by_limb and not self.table.foot_can_split:
                both = by_limb[SECOND_KICK] + by_limb[HAT_FOOT]
                if SECOND_KICK in self.table.pedals and HAT_FOOT in self.table.pedals:
                    clashes.setdefault((HAT_FOOT, "", ""), []).extend(sorted(s.index for s in both))
        for (limb, a, b), indices in clashes.items():
            when, who = self.on(indices[0]), self.names[limb]
            if not a:
                yield self.cannot(
                    indices,
                    HAT_FOOT,
                    f"{when} the {who} would have to be on both pedals at once, and they stand "
                    f"{self.kit.foot_pedals_apart:.0f} mm apart.",
                    "Move the pedals closer than 160 mm, or leave one of the two strokes out.",
                )
            elif a == b:
                yield self.cannot(indices, limb, f"{when} the {who} would have to strike twice at once.")
            else:
                apart = self.table.moves.get((a, b))
                how = f", {apart.distance:.0f} mm apart" if apart else ""
                yield self.cannot(
                    indices,
                    limb,
                    f"{when} the {who} would have to strike the {self.name(a)} and the {self.name(b)} at once{how}.",
                    "Give one of the two to the other hand.",
                )

    # --- reach ------------------------------------------------------------------------------------------------

    def by_hand_and_voice(self) -> Iterator[tuple[tuple[str, str], tuple[int, ...]]]:
        for key, indices in self.pattern.by_limb_and_voice.items():
            if key[0] in HANDS and key[1] in self.table.points:
                yield key, indices

    def out_of_reach(self) -> Iterator[Finding]:
        for (hand, voice), indices in self.by_hand_and_voice():
            lean = self.table.lean[hand][voice]
            if lean > MAX_LEAN_MM:
                far = "higher than the arm is long" if math.isinf(lean) else f"{lean - MAX_LEAN_MM:.0f} mm too far"
                yield Finding(
                    "out-of-reach",
                    tuple(indices),
                    hand,
                    None,
                    "stop",
                    f"{self.on(indices[0])} the {self.name(voice)} is out of reach for the "
                    f"{self.names[hand]}: {far}, even leaning {MAX_LEAN_MM:.0f} mm.",
                    f"Try the {self.names[other_hand(hand)]}, or bring the {self.name(voice)} closer.",
                )

    def strained_reach(self) -> Iterator[Finding]:
        """One finding for each hand, and one for what it has to lean far for."""
        found: dict[tuple[str, str], list[tuple[str, tuple[int, ...]]]] = {}
        for (hand, voice), indices in self.by_hand_and_voice():
            lean, reach = self.table.lean[hand][voice], self.table.reach[hand][voice]
            if lean <= MAX_LEAN_MM and (lean > 0 or reach > COMFORTABLE_REACH[1]):
                severity = "caution" if lean > FAR_LEAN_MM else "note"
                found.setdefault((hand, severity), []).append((voice, indices))
        for (hand, severity), voices in found.items():
            what = [self.strain(hand, voice) for voice, _ in voices]
            indices = tuple(sorted(i for _, each in voices for i in each))
            names = " and ".join(f"the {self.name(voice)}" for voice, _ in voices)
            yield Finding(
                "strained-reach",
                indices,
                hand,
                None,
                severity,
                f"The {self.names[hand]} {', and '.join(what)}, first {self.on(indices[0], False)}.",
                f"Bring {names} closer, or use the {self.names[other_hand(hand)]}.",
            )

    def strain(self, hand: str, voice: str) -> str:
        """How far a hand has to go for a voice."""
        lean = self.table.lean[hand][voice]
        if lean > 0:
            return f"leans {lean:.0f} mm to reach the {self.name(voice)}"
        return f"stretches to {self.table.reach[hand][voice] * 100:.0f} % of the arm for the {self.name(voice)}"

    # --- crossing ---------------------------------------------------------------------------------------------

    def crossed_spans(self) -> list[tuple[list[int], Cross, bool]]:
        """Runs of hand strokes with crossed arms: indices, the tightest crossing, whether it goes on from before."""
        spans: list[tuple[list[int], Cross, bool]] = []
        current: list[int] = []
        tightest: Cross | None = None
        began_before = self.walk.continued
        for event, posture in zip(self.pattern.events, self.walk.postures):
            hands = event.hand_indices
            if not hands:
                continue
            if posture.cross is None:
                if current and tightest is not None:
                    spans.append((current, tightest, began_before))
                current, tightest, began_before = [], None, False
                continue
            current.extend(hands)
            if tightest is None or posture.cross.clearance < tightest.clearance:
                tightest = posture.cross
        if current and tightest is not None:
            spans.append((current, tightest, began_before))
            last = self.walk.postures[-1]
            if self.repeat and spans[0][2] and last.cross is not None and len(spans) > 1:
                # In a loop the last span runs on into the first one.
                end, start = spans.pop(), spans.pop(0)
                both = min((end[1], start[1]), key=lambda c: c.clearance)
                spans.append((end[0] + start[0], both, False))
        return spans

    def crossings(self) -> Iterator[Finding]:
        for indices, cross, continued in self.crossed_spans():
            entering = next((i for i in indices if i in self.walk.entered), indices[0])
            kept = indices if continued else [i for i in indices if i != entering]
            limbs = {self.strokes[i].limb for i in kept}
            over, under = cross.over, other_hand(cross.over)
            gap = f"{cross.clearance:.0f} mm"
            tight = cross.clearance < TIGHT_MM
            mover = self.strokes[entering].limb
            posture = self.walk.postures[self.posture_index(entering)]
            other = other_hand(mover)
            here = posture.voice(mover)
            if limbs == {RIGHT, LEFT}:
                ordered = sorted(indices)
                yield Finding(
                    "crossed-hold",
                    tuple(ordered),
                    mover,
                    over,
                    "caution" if tight else "note",
                    f"{self.span(indices[0], indices[-1])} the arms stay crossed, {self.names[over]} over, "
                    f"{gap} clear at the tightest{self.choice(cross)}.",
                    self.hold_advice(indices, cross),
                )
                continue
            pace = self.walk.pace[entering]
            hurried = pace is not None and pace > HURRIED_PACE
            how = "over" if mover == over else "under"
            yield Finding(
                "crossover",
                tuple(sorted(indices)),
                mover,
                over,
                "caution" if tight or hurried else "note",
                f"{self.on(entering)} the {self.names[mover]} crosses {how} the {self.short[other]} arm to the "
                f"{self.name(here)} while the {self.short[other]} {self.whereabouts(other, entering)}, {gap} clear"
                f"{self.choice(cross)}.",
                f"Keep the {self.names[under]} low, or let it take the {self.name(here)}.",
            )

    def whereabouts(self, hand: str, index: int) -> str:
        """Where a hand is at a stroke of the other one: at a voice, or on its way to the next."""
        posture = self.walk.postures[self.posture_index(index)]
        here, mine = posture.voice(hand), self.by_hand[hand]
        strikes = any(self.strokes[i].limb == hand for i in posture.strokes)
        at = bisect_right(mine, posture.strokes[-1])
        later = None
        if at < len(mine) or (self.repeat and mine):
            later = self.strokes[mine[at if at < len(mine) else 0]]
        if strikes or later is None or later.voice in (here, None) or later.voice not in self.table.points:
            return f"is at the {self.name(here)}"
        return f"is on its way from the {self.name(here)} to the {self.name(later.voice)}"

    def choice(self, cross: Cross) -> str:
        """What there is to say of who goes over."""
        over, under = self.names[cross.over], self.names[other_hand(cross.over)]
        if cross.chosen:
            against = "" if cross.clearance or cross.either else f", though the {under} is the higher one there"
            return f"; you let the {over} go over{against}"
        return f"; either may go over, and the {over} comes second" if cross.either else ""

    def hold_advice(self, indices: Sequence[int], cross: Cross) -> str:
        """The ordinary crossed posture is the far hand on the hi-hat over the near one on the snare."""
        tight = cross.clearance < TIGHT_MM
        near = LEFT if self.kit.hat_side < 0 else RIGHT
        wanted = {near: "snare", other_hand(near): "hi-hat"}
        for index in indices:
            posture = self.walk.postures[self.posture_index(index)]
            for hand in HANDS:
                piece = self.kit.piece(self.piece(posture.voice(hand) or ""))
                if piece is None or piece.kind != wanted[hand]:
                    if tight:
                        return "Exchange the two hands, or raise one of the two pieces."
                    return f"Keep the {self.names[other_hand(cross.over)]} low."
        if tight:
            return "Play it open-handed, or raise the upper piece."
        return "The ordinary crossed posture." if cross.over != near else ""

    def posture_index(self, index: int) -> int:
        low, high = 0, len(self.walk.postures) - 1
        while low < high:
            middle = (low + high) // 2
            if self.walk.postures[middle].strokes[-1] < index:
                low = middle + 1
            else:
                high = middle
        return low

    def open_handed(self) -> Iterator[Finding]:
        """The hi-hat is the near hand's alone in the whole figure, and the other hand plays something else."""
        hat = self.kit.of_kind("hi-hat")
        if hat is None:
            return
        near = LEFT if self.kit.hat_side < 0 else RIGHT
        on_hat = {limb: [] for limb in HANDS}  # type: dict[str, list[int]]
        for (limb, voice), indices in self.pattern.by_limb_and_voice.items():
            if limb in HANDS and self.piece(voice) == hat.code:
                on_hat[limb] += indices
        kept = sorted(on_hat[near])
        far = other_hand(near)
        free = [s.index for s in self.hands if s.limb == far]
        if len(kept) < 2 or on_hat[far] or not free:
            return
        # Where the arms are crossed meanwhile, nothing is open.
        inside = range(kept[0], kept[-1] + 1)
        if any(self.walk.postures[self.posture_index(i)].cross is not None for i in kept):
            return
        yield Finding(
            "open-handed",
            tuple(s.index for s in self.hands if s.index in inside),
            near,
            None,
            "note",
            f"{self.span(kept[0], kept[-1])} the {hat.name} is the {self.names[near]}'s alone ({len(kept)} strokes), "
            f"the {self.names[far]} is free of it, and nothing is crossed.",
        )

    # --- moves ------------------------------------------------------------------------------------------------

    def sweeps(self) -> Iterator[Finding]:
        run: list[Stroke] = []
        for event in self.pattern.events:
            hands = event.hands
            if not hands:
                continue
            # A unison can begin a sweep by neither hand: the next stroke starts afresh.
            stroke = hands[0] if len(hands) == 1 and hands[0].voice in self.table.points else None
            if run and stroke is not None and stroke.limb == run[-1].limb and not stroke.grace:
                last = run[-1].voice
                if stroke.voice != last and self.piece(stroke.voice) != self.piece(last):
                    run.append(stroke)
                    continue
            if len(run) > 1:
                yield self.sweep([s.index for s in run])
            run = [] if stroke is None else [stroke]
        if len(run) > 1:
            yield self.sweep([s.index for s in run])

    def sweep(self, run: list[int]) -> Finding:
        first, last = run[0], run[-1]
        hand = self.strokes[first].limb
        path = " → ".join(self.name(self.strokes[i].voice) for i in run)
        travel = sum(self.walk.travel[i] for i in run[1:])
        paces = [p for i in run[1:] if (p := self.walk.pace[i]) is not None]
        worst = max(paces, default=0.0)
        time = self.times[last] - self.times[first]
        # Whether there is time for it is the hurried finding's to say; twice would be noise.
        return Finding(
            "sweep",
            tuple(run),
            hand,
            None,
            "note",
            f"{self.span(first, last)} the {self.names[hand]} sweeps {path}: {travel:.0f} mm in {ms(time)}, "
            f"pace {worst:.2f}.",
            f"To ease it, hand one of the strokes to the {self.names[other_hand(hand)]}.",
        )

    def near_misses(self) -> Iterator[Finding]:
        """One finding for each way in which the arms pass close, however often it comes.

        Arms that cross on the way say so themselves, with who is over and how much room there is.
        """
        found = self.walk.passing
        if found is None:
            return
        ways: dict[tuple[int, ...], list[int]] = {}
        shift = len(self.walk.movers) - len(found.clearance)
        close = np.flatnonzero(np.nan_to_num(found.clearance, nan=np.inf) < NEAR_MM)
        (right_from, right_to), (left_from, left_to) = found.right, found.left
        crossed = [posture.cross is not None for posture in self.walk.postures]
        for k in close.tolist():
            event = int(found.event[k])
            if crossed[event] or crossed[event - 1]:
                continue
            way: tuple[int, ...] = tuple(int(x[k]) for x in (right_from, right_to, left_from, left_to))
            if self.on_one_piece(way):
                continue
            ways.setdefault(way, []).append(k)
        for kind, rows in ways.items():
            yield self.near_miss(kind, rows, shift)

    def near_miss(self, way: tuple[int, ...], rows: list[int], shift: int) -> Finding:
        found = self.walk.passing
        assert found is not None
        worst = min(rows, key=lambda k: found.clearance[k])
        indices = [self.walk.movers[k + shift] for k in rows]
        index = self.walk.movers[worst + shift]
        clearance = float(found.clearance[worst])
        over = RIGHT if found.right_over[worst] else LEFT
        mine, others = part_words(int(found.parts[worst]))
        names = [*self.table.names, None]

        def goes(hand: str, start: int, end: int) -> str:
            stays = start == end or start < 0
            return f"the {self.short[hand]} {'is at' if stays else 'goes to'} the {self.name(names[end])}"

        pace = max((p for i in indices if (p := self.walk.pace[i]) is not None), default=0.0)
        hurried = pace > HURRIED_PACE
        where = f"the stroke {self.at(index)}" if self.at(index).startswith("after") else self.at(index)
        how = f"{clearance:.0f} mm apart" if clearance >= 1 else "so close that they would touch"
        more = f"; it comes {len(rows)} times" if len(rows) > 1 else ""
        return Finding(
            "near-miss",
            tuple(indices),
            self.strokes[index].limb,
            over,
            "caution" if hurried else "note",
            f"On the way to {where} the right {mine} and the left {others} pass {how}, while "
            f"{goes(RIGHT, way[0], way[1])} and {goes(LEFT, way[2], way[3])}{more}"
            f"{', and there is no time to go round' if hurried else ''}.",
            f"Let the {self.short[over]} go over, it is the higher one there already, and keep the "
            f"{self.short[other_hand(over)]} low.",
        )

    def on_one_piece(self, way: tuple[int, ...]) -> bool:
        """Whether both hands end at one piece: two sticks there are no near miss."""
        right, left = (self.table.names[k] if k >= 0 else "" for k in (way[1], way[3]))
        return self.piece(right) == self.piece(left)

    @staticmethod
    def piece(voice: str) -> str:
        return voice.partition(":")[0]

    def streams(self) -> dict[str, list[int]]:
        """Stroke indices of each physical limb: the hi-hat foot plays both ``J`` and ``H``."""
        found: dict[str, list[int]] = {RIGHT: [], LEFT: [], KICK: [], HAT_FOOT: []}
        for stroke in self.strokes:
            limb = HAT_FOOT if stroke.limb == SECOND_KICK else stroke.limb
            if limb in found:
                found[limb].append(stroke.index)
        return found

    def hurried(self) -> Iterator[Finding]:
        """One finding for each move that is hurried, and one where there is no time for it, however often they
        come."""
        moves: dict[tuple[str, str | None, str, bool], list[int]] = {}
        for i, pace in enumerate(self.walk.pace):
            if pace is not None and pace > HURRIED_PACE:
                stroke = self.strokes[i]
                start = self.walk.came_from[i] if self.walk.travel[i] else stroke.voice
                moves.setdefault((stroke.limb, start, stroke.voice, pace > LATE), []).append(i)
        for (limb, start, voice, late), indices in moves.items():
            worst = max(indices, key=lambda i: self.walk.pace[i] or 0.0)
            pace, gap = self.walk.pace[worst], self.walk.gap[worst]
            assert pace is not None and gap is not None
            yield self.hurry(limb, start, voice, late, indices, worst, pace, gap, self.walk.needed[worst])
        graces: dict[tuple[str, str, str, bool], list[GraceWalk]] = {}
        for grace in self.walk.graces:
            if grace.pace > HURRIED_PACE:
                graces.setdefault((grace.limb, grace.came_from, grace.voice, grace.pace > LATE), []).append(grace)
        for (limb, start, voice, late), rows in graces.items():
            one = max(rows, key=lambda row: row.pace)
            indices = [row.index for row in rows]
            yield self.hurry(limb, start, voice, late, indices, one.index, one.pace, one.gap, one.needed, grace=True)

    def hurry(
        self, limb: str, start: str | None, voice: str, late: bool, indices: list[int], worst: int, pace: float,
        gap: float, needed: float, grace: bool = False,
    ) -> Finding:  # fmt: skip
        stroke = self.strokes[worst]
        stays = start == voice
        if limb in FEET:
            move = "to strike again" if not self.walk.travel[worst] else "to change pedals"
        elif stays:
            move = f"to strike the {self.name(voice)} again"
        else:
            points = self.table.points
            far = f", {math.dist(points[start], points[voice]):.0f} mm" if start in points and voice in points else ""
            move = f"from the {self.name(start)} to the {self.name(voice)}{far}"
        if grace:
            move += f" for the {GRACES[stroke.grace]}"
        more = f"; it comes {len(indices)} times" if len(indices) > 1 else ""
        share = "share the strokes between both feet" if limb in FEET else "give the stroke to the other hand"
        if grace:
            share = f"let the {GRACES[stroke.grace]} fall on the voice where the hand is"
        shorter = "" if stays or limb in FEET else "shorten the move, "
        return Finding(
            "hurried",
            tuple(indices),
            limb,
            None,
            "stop" if late else "caution",
            f"{self.on(worst)} the {self.names[limb]} {'has no time' if late else 'is hurried'} {move}: "
            f"it needs {ms(needed)} and gets {ms(gap)}, pace {pace:.2f}{more}.",
            f"Slow down, {shorter}or {share}.",
        )

    def overload(self) -> Iterator[Finding]:
        """Limbs that tire before the figure is over, or before a loop has gone on for long (see endurance)."""
        for key, stream in self.streams().items():
            if not stream:
                continue
            if self.repeat:
                effort = math.fsum(self.walk.needed[i] for i in stream) / self.length if self.length else 0.0
                lasts = lasting(key, effort)
                if lasts is not None and lasts < TIRES_WITHIN:
                    yield self.tire(key, stream, effort, lasts)
                continue
            run: list[int] = []
            for i in [*stream, None]:
                pace = None if i is None else self.walk.pace[i]
                if i is not None and pace is not None and pace > SUSTAINED[kind_of(key)]:
                    run.append(i)
                    continue
                if len(run) > 1:
                    time = self.times[run[-1]] - self.times[run[0]]
                    effort = math.fsum(self.walk.needed[k] for k in run[1:]) / time if time else 0.0
                    lasts = lasting(key, effort)
                    if lasts is not None and lasts < time:
                        yield self.tire(key, run, effort, lasts)
                run = []

    def tire(self, key: str, run: list[int], effort: float, lasts: float) -> Finding:
        gaps = [g for i in run if (g := self.walk.gap[i])]
        rate = len(gaps) / sum(gaps) if gaps else 0.0
        return Finding(
            "overload",
            tuple(run),
            key,
            None,
            "caution",
            f"{self.span(run[0], run[-1])} the {self.names[key]} plays {rate:.1f} strokes a second, "
            f"{effort * 100:.0f} % of what it can do: it keeps that up for {lasting_words(lasts)}.",
            "Build it up slowly, keep the grip loose, and stop at pain or numbness.",
        )

    # --- feet -------------------------------------------------------------------------------------------------

    def split_foot(self) -> Iterator[Finding]:
        if not self.table.foot_can_split:
            return
        indices: list[int] = []
        for row in self.pattern.moments:
            limbs = {self.strokes[i].limb for i in row.strokes}
            if {SECOND_KICK, HAT_FOOT} <= limbs:
                indices += [i for i in row.strokes if self.strokes[i].limb in (SECOND_KICK, HAT_FOOT)]
        if indices:
            yield Finding(
                "split-foot",
                tuple(indices),
                HAT_FOOT,
                None,
                "caution",
                f"{self.on(indices[0])} the {self.names[HAT_FOOT]} has to hold the hi-hat pedal and the second "
                f"bass pedal at once, {self.kit.foot_pedals_apart:.0f} mm apart.",
                "Leave the hi-hat foot out here, or use a hi-hat that stays closed by itself.",
            )

    def unattended_hat(self) -> Iterator[Finding]:
        hat = self.kit.of_kind("hi-hat")
        if hat is None or SECOND_KICK not in self.table.pedals:
            return
        away = self.foot_away()
        if not away:
            return
        left_open: list[int] = []
        at = 0
        for stroke in self.hands:
            if self.piece(stroke.voice) != hat.code:
                continue
            time = self.times[stroke.index]
            while at < len(away) and away[at][1] < time - 1e-9:
                at += 1
            if at < len(away) and away[at][0] - 1e-9 <= time:
                left_open.append(stroke.index)
        if left_open:
            closed = [i for i in left_open if "o" not in self.strokes[i].marks]
            count = f"{len(left_open)} strokes sound" if len(left_open) > 1 else "1 stroke sounds"
            yield Finding(
                "unattended-hat",
                tuple(left_open),
                HAT_FOOT,
                None,
                "caution" if closed else "note",
                f"{self.on(left_open[0])} the {self.names[HAT_FOOT]} is on the second bass pedal, so the hi-hat "
                f"is unattended: {count} open.",
                "Write them as open, move them to another cymbal, or use a hi-hat that stays closed by itself.",
            )

    def foot_away(self) -> list[tuple[float, float]]:
        """Spans of time in which the hi-hat foot is on the second bass pedal or on its way."""
        foot = [s for s in self.strokes if s.limb in (SECOND_KICK, HAT_FOOT)]
        player, apart = self.table.player, self.kit.foot_pedals_apart
        way = travel_times(apart, self.table.pedal_widths[SECOND_KICK], player.skill_of(HAT_FOOT))
        move = max(restrike(player, HAT_FOOT), float(way))
        spans: list[tuple[float, float]] = []
        for k, stroke in enumerate(foot):
            if stroke.limb != SECOND_KICK:
                continue
            now = self.times[stroke.index]
            following = foot[k + 1] if k + 1 < len(foot) else None
            later = None if following is None else self.times[following.index]
            if (
                following is not None
                and following.limb == SECOND_KICK
                and later is not None
                and later - now < 2 * move
            ):
                spans.append((now, later))
            else:
                spans.append((now, now + move if later is None else min(now + move, later)))
        return spans

    def uneven_feet(self) -> Iterator[Finding]:
        """Feet by turns so close that they are heard as one, or faster than one foot alone could play."""
        feet = [s for s in self.strokes if s.limb in FEET]
        alone = restrike(self.table.player, KICK)
        pairs: list[int] = []
        closest = math.inf
        run: list[Stroke] = []
        for stroke in [*feet, None]:
            last = run[-1] if run else None
            turns = stroke is not None and last is not None and (stroke.limb == KICK) != (last.limb == KICK)
            if turns and stroke is not None and last is not None:
                gap = self.times[stroke.index] - self.times[last.index]
                if 0 < gap < FLAM_GAP + FEET_SCATTER:
                    pairs += [i for i in (last.index, stroke.index) if i not in pairs[-2:]]
                    closest = min(closest, gap)
                if 0 < gap < alone:
                    run.append(stroke)
                    continue
            if len(run) >= 4 and math.isinf(closest):
                yield self.uneven([s.index for s in run])
            run = [] if stroke is None else [stroke]
        if pairs:
            yield Finding(
                "uneven-feet",
                tuple(pairs),
                None,
                None,
                "caution" if closest < FLAM_GAP else "note",
                f"{self.on(pairs[0])} the feet are {ms(closest)} apart: two strokes closer than about "
                f"{ms(FLAM_GAP)} are heard as one, flammed{self.times_words(len(pairs) // 2)}.",
                "Slow down, or let one foot play both.",
            )
        yield from self.loose_unisons()

    def loose_unisons(self) -> Iterator[Finding]:
        """A hand and a foot together, and neither has time to wait for the other: they will flam."""
        found: list[int] = []
        pace = self.walk.pace
        if not any(p is not None and p > HURRIED_PACE for p in pace):
            return
        for event in self.pattern.events:
            if event.hands and event.feet:
                hands, feet = (
                    [s.index for s in part if (pace[s.index] or 0.0) > HURRIED_PACE]
                    for part in (event.hands, event.feet)
                )
                if hands and feet:
                    found += sorted([*hands, *feet])
        if found:
            yield Finding(
                "uneven-feet",
                tuple(found),
                None,
                None,
                "note",
                f"{self.on(found[0])} a hand and a foot strike together and both are hurried: they will not fall "
                f"together{self.times_words(len(found) // 2)}.",
                "Practise the two alone on these strokes, and listen for one sound.",
            )

    @staticmethod
    def times_words(count: int) -> str:
        return f"; it comes {count} times" if count > 1 else ""

    def uneven(self, run: list[int]) -> Finding:
        gap = (self.times[run[-1]] - self.times[run[0]]) / (len(run) - 1)
        alone = restrike(self.table.player, KICK)
        pace = max((p for i in run if (p := self.walk.pace[i]) is not None), default=0.0)
        return Finding(
            "uneven-feet",
            tuple(run),
            None,
            None,
            "caution" if pace > HURRIED_PACE else "note",
            f"{self.span(run[0], run[-1])} the feet play {len(run)} strokes by turns, {ms(gap)} apart; one foot "
            f"alone needs {ms(alone)}, so neither can keep the other even.",
            "Practise each foot's part alone on the beat, then together, and listen for pairs.",
        )

    def exit_runs(self) -> Iterator[Finding]:
        """Three or more foot strokes in a row of which the last one is the landing's on the first beat."""
        run: list[int] = []
        last = -1.0
        for event in [*self.pattern.events, *(self.pattern.events[:1] if self.repeat else ())]:
            first = event.indices[0]
            again = bool(run) and first == 0 and run[-1] > 0
            time = float(event.start) + (float(self.pattern.length) if again else 0.0)
            if run and time - last > RUN_GAP:
                run = []
            lands = self.strokes[first].beat == 1 and bool(event.feet) and bool(event.hands)
            if lands and len(run) >= 2:
                yield self.exit_run(run, first)
            run = [*run, event.feet[0].index] if event.feet and not event.hands else []
            last = time

    def exit_run(self, run: list[int], landing: int) -> Finding:
        paces = [p for i in [*run, landing] if (p := self.walk.pace[i]) is not None]
        feet = [i for i in self.pattern.events[self.posture_index(landing)].indices if self.strokes[i].limb in FEET]
        paces += [p for i in feet if (p := self.walk.pace[i]) is not None]
        pace = max(paces, default=0.0)
        return Finding(
            "exit-run",
            (*run, *feet),
            self.strokes[feet[0]].limb,
            None,
            "caution" if pace > HURRIED_PACE else "note",
            f"{len(run) + 1} foot strokes in a row end in the landing {self.on(landing, False)}: the "
            f"{self.names[self.strokes[feet[0]].limb]} lands at the end of a run, pace {pace:.2f}.",
            "Leave the last one out, or land with the hand alone and the foot a beat later.",
        )

    # --- lead -------------------------------------------------------------------------------------------------

    def lead_switch(self) -> Iterator[Finding]:
        switches = self.walk.switches
        if not switches:
            return
        first = switches[0]
        hand = self.names[self.strokes[first].limb]
        if len(switches) == 1:
            message = f"The lead passes to the {hand} {self.on(first, False)}."
        else:
            message = (
                f"The lead changes hands {len(switches)} times in {len(self.walk.lead)} led beats, first to the "
                f"{hand} {self.on(first, False)}."
            )
        yield Finding("lead-switch", tuple(switches), self.strokes[first].limb, None, "note", message)
