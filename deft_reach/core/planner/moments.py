"""The moments of a pattern as the planner sees them: who may strike then, and where that leaves the hands."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

from deft_reach.core.limbs import EITHER, HANDS, LEFT, RIGHT
from deft_reach.core.motion.timing import GHOST_LEVEL, GRACE_LEAST, level_of
from deft_reach.core.pattern import Event, Pattern, Stroke
from deft_reach.core.planner.prices import Place, Places


@dataclass(frozen=True, slots=True)
class Option:
    """One way for the hands to play a moment.

    ``hands`` are the limbs of its open strokes in their order. ``struck`` are the places of the strikes by hand
    (more than one only where one hand is asked for two at once), ``graced`` the place of a grace by the other hand.
    ``leads`` is the hand that strikes alone (0 or 1), None where both do; ``first`` the hand written first.
    """

    hands: tuple[str, ...]
    struck: tuple[tuple[int, ...], tuple[int, ...]]
    graced: int | None
    leads: int | None
    first: int


@dataclass(frozen=True, slots=True)
class Moment:
    """A moment with hands: its options; whether the lead counts here; whether it has open strokes at all."""

    options: tuple[Option, ...]
    beat: bool
    chosen: bool


def moments_of(
    pattern: Pattern,
    names: tuple[str, ...],
    unknown: int,
    allowed: dict[int, tuple[str, ...]],
    run_in: int,
) -> tuple[list[Moment], int, tuple[Places, Places]]:
    """Every moment in which a hand strikes, with at least ``run_in`` of them before a loop's round; where the round
    begins; and all places.

    ``names`` are the voices that the kit has, ``unknown`` the number of any other.
    """
    number = {name: k for k, name in enumerate(names)}
    choices = [
        (event, start, [_Choice(hands, strokes, number, unknown) for hands, strokes in _choices(event, allowed)])
        for event, start in zip(pattern.events, pattern.event_starts)
        if any(s.limb in HANDS or s.limb == EITHER for s in event.strokes)
    ]
    rounds = -(-run_in // len(choices)) if choices else 0
    tiled = [(turn, row) for turn in range(-rounds, 1) for row in choices][rounds and -(run_in + len(choices)) :]
    rows: tuple[list[Place], list[Place]] = ([], [])
    moments = []
    whole = float(pattern.length)
    for e, (turn, (event, start, found)) in enumerate(tiled):
        time, base = start + turn * whole, (len(rows[0]), len(rows[1]))
        made: dict[tuple[object, ...], int] = {}
        options = tuple(choice.option(rows, made, time, base, e) for choice in found)
        moments.append(Moment(options, event.on_beat, any(s.limb == EITHER for s in event.strokes)))
    return moments, len(tiled) - len(choices), (Places(rows[0]), Places(rows[1]))


class _Choice:
    """One way to give a moment's open strokes hands."""

    def __init__(self, hands: tuple[str, ...], strokes: list[Stroke], number: dict[str, int], unknown: int) -> None:
        self.hands = hands
        self.by_hand = [[s for s in strokes if s.limb == hand] for hand in HANDS]
        self.first = HANDS.index(strokes[0].limb)
        self.lone = None if all(self.by_hand) else self.first
        #: The voice of the graces that the other hand plays, if any.
        self.grace = (
            (strokes[0].grace_voice or strokes[0].voice) if self.lone is not None and strokes[0].grace else None
        )
        self.voices = {
            v: number.get(v, unknown) for v in {s.voice for s in strokes} | {self.grace or strokes[0].voice}
        }
        self.levels = {s.index: level_of(s.marks) for s in strokes}

    def option(
        self, rows: tuple[list[Place], list[Place]], made: dict[tuple[object, ...], int], time: float,
        base: tuple[int, int], event: int,
    ) -> Option:  # fmt: skip
        """The choice at one time; its places are added to ``rows`` but for those already ``made``."""
        graced = None
        if self.grace is not None and self.lone is not None:
            side = 1 - self.lone
            key: tuple[object, ...] = (side, "grace", self.grace)
            if key not in made:
                made[key] = len(rows[side])
                voice = self.voices[self.grace]
                rows[side].append(Place(time, voice, GHOST_LEVEL, GRACE_LEAST, None, False, base[side], event))
            graced = made[key]
        struck: list[tuple[int, ...]] = []
        for side, own in enumerate(self.by_hand):
            places = []
            for k, s in enumerate(own):
                key = (side, s.index)
                if key not in made:
                    made[key] = len(rows[side])
                    with_graces = k == 0 and graced is not None
                    rows[side].append(
                        Place(
                            time, self.voices[s.voice], self.levels[s.index], 0.0, s, with_graces, base[side], event
                        )
                    )
                places.append(made[key])
            struck.append(tuple(places))
        return Option(self.hands, (struck[0], struck[1]), graced, self.lone, self.first)


def _choices(event: Event, allowed: dict[int, tuple[str, ...]]) -> list[tuple[tuple[str, ...], list[Stroke]]]:
    """Every way to give a moment's open strokes hands, with all its hand strokes then."""
    open_strokes = [s for s in event.strokes if s.limb == EITHER]
    taken = {s.limb for s in event.strokes if s.limb in (RIGHT, LEFT)}
    found = []
    for hands in product(*(allowed[s.index] for s in open_strokes)):
        if len(set(hands)) < len(hands) or set(hands) & taken:
            continue  # one hand cannot be asked twice at once
        given = dict(zip((s.index for s in open_strokes), hands))
        strokes = [s._replace(limb=given.get(s.index, s.limb)) for s in event.strokes]
        found.append((hands, [s for s in strokes if s.limb in HANDS]))
    return found
