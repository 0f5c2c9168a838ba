"""The moments of a pattern as the planner sees them: the ways to give their open strokes hands, as arrays."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass
from itertools import combinations, product

import numpy as np

from deft_reach.core.model.limbs import EITHER, FEET, HANDS
from deft_reach.core.model.pattern import OVER, UNDER, Event, Pattern, Stroke
from deft_reach.core.motion.columns import bar_begins, figure_back, leading, one_line, surface_of
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import BY_STROKE, NOT_LED, Flags, Ints
from deft_reach.core.motion.timing import ACCENT_LEVEL, GHOST_LEVEL, PLAIN_LEVEL, grace_lead, level_of

#: No more ways than these are there for one moment: two hands for what is open.
OPTIONS = 2
#: Who strikes alone in an option: a side, both, or it is no option at all.
BOTH, NOBODY = 2, 3


@dataclass(frozen=True)
class Moments:
    """Every moment of a round in which a hand strikes, by (moment, option) and, where a hand is meant, side.

    ``hands`` are the limbs of the open strokes in their order. ``strikes`` counts the strokes of each hand, ``comes``
    says that it strikes or plays graces, ``graces`` that it plays the other hand's. ``voice`` is where it comes to
    (the reach table's number, −1 where it strikes nothing that the kit has), ``level`` how loud, ``extra`` what the
    stroke's own graces ask of it and ``lead`` what they ask of the hand that plays them (seconds). ``alone`` is who
    strikes alone. ``leader`` is who leads here: a side, BOTH or NOBODY; ``keeper`` is who
    plays the kept surface, likewise. ``figure`` is how many moments back the same place of the last two beats is (see
    follow.figure_back). ``graced`` says that the hand's stroke has graces.
    By moment alone: ``time`` in whole notes, ``choice`` whether there is one, ``open`` whether strokes lack
    hands at all, ``begins`` whether a bar begins with it, ``event`` its number among the pattern's events. ``exact``
    is false where one hand is asked for two strokes at once, and where a moment stays open altogether; ``marked``
    where the player says who goes over; ``line`` where the hands never strike together.
    """

    hands: list[tuple[tuple[str, ...], ...]]
    valid: Flags
    strikes: Ints
    comes: Flags
    graces: Flags
    graced: Flags
    voice: Ints
    level: Ints
    extra: Floats
    lead: Floats
    alone: Ints
    leader: Ints
    keeper: Ints
    figure: Ints
    time: Floats
    choice: Flags
    open: Flags
    begins: Flags
    event: Ints
    exact: bool
    marked: bool
    line: bool

    def __len__(self) -> int:
        return len(self.time)

    def reach(self, memory: int, loop: bool, most: int) -> int:
        """How many moments back so many choices reach, at most ``most``."""
        if not len(self):
            return 0
        if loop and self.choice.sum() <= memory:
            return most
        e = np.arange(len(self) + (not loop))
        passed = np.zeros(len(e), dtype=np.intp)
        for k in range(1, most + 1):
            at = (e - k) % len(self)
            passed += self.choice[at] if loop else np.where(e >= k, self.choice[at], memory + 1)
            if not (passed <= memory).any():
                return k - 1
        return most

    @property
    def impossible(self) -> list[int]:
        """The moments that no hands can play."""
        return np.flatnonzero(~self.valid.any(axis=1)).tolist()


class Rounds:
    """The moments counted through all rounds, from ``most`` before the first to the end.

    A loop of some ``length`` (whole notes) goes round; what is played once (None) begins with the first moment.
    """

    def __init__(self, moments: Moments, length: float | None, most: int) -> None:
        counted = np.arange(-most, len(moments) + 1)
        self.most = most
        if length is None:
            self.number = np.clip(counted, 0, len(moments) - 1)
            self.time = moments.time[self.number]
        else:
            turn, self.number = np.divmod(counted, len(moments))
            self.time = moments.time[self.number] + turn * length

    def at(self, moment: Ints) -> tuple[Ints, Floats]:
        """Numbers in their round and times (whole notes) of moments; all of one shape."""
        return self.number[moment + self.most], self.time[moment + self.most]


def moments_of(
    pattern: Pattern, names: tuple[str, ...], allowed: dict[int, tuple[str, ...]], repeat: bool
) -> Moments:
    """A pattern's moments. ``names`` are the voices that the kit has; ``allowed`` the hands of each open stroke."""
    number = {name: k for k, name in enumerate(names)}
    surface = surface_of(pattern, repeat)
    leads = leading(pattern, surface)
    rows = [
        (k, event, _choices(event, allowed))
        for k, event in enumerate(pattern.events)
        if any(s.limb in HANDS or s.limb == EITHER for s in event.strokes)
    ]
    n = len(rows)
    shape = (n, OPTIONS, 2)
    strikes, voice = np.zeros(shape, dtype=np.intp), np.full(shape, -1, dtype=np.intp)
    graces, graced = np.zeros(shape, dtype=bool), np.zeros(shape, dtype=bool)
    level, extra, lead = np.full(shape, PLAIN_LEVEL), np.zeros(shape), np.zeros(shape)
    alone, leader, keeper = (np.full(shape[:2], NOBODY) for _ in range(3))
    for e, (k, _, choices) in enumerate(rows):
        for o, (_, strokes) in enumerate(choices):
            for s in strokes:
                side = HANDS.index(s.limb)
                strikes[e, o, side] += 1
                voice[e, o, side], level[e, o, side] = number.get(s.voice, -1), level_of(s.marks)
            if not strokes:
                continue
            both = len({s.limb for s in strokes}) > 1
            alone[e, o] = BOTH if both else HANDS.index(strokes[0].limb)
            first = strokes[0]
            if first.grace and not both:
                mine = int(alone[e, o])
                ask = grace_lead(first.grace)
                graced[e, o, mine], extra[e, o, mine] = True, ask[1]
                graces[e, o, 1 - mine], lead[e, o, 1 - mine] = True, ask[0]
                voice[e, o, 1 - mine] = number.get(first.grace_voice or first.voice, -1)
                level[e, o, 1 - mine] = ACCENT_LEVEL if ">" in first.grace_marks else GHOST_LEVEL
            on = {HANDS.index(s.limb) for s in strokes if s.voice == surface}
            if on:
                keeper[e, o] = BOTH if len(on) == 2 else on.pop()
            if leads[k] != NOT_LED:
                who = {HANDS.index(s.limb) for s in strokes if leads[k] == BY_STROKE or s.voice == surface}
                leader[e, o] = BOTH if len(who) == 2 else who.pop() if who else NOBODY
    return Moments(
        [tuple(hands for hands, _ in choices) for _, _, choices in rows],
        np.arange(OPTIONS)[None, :] < np.array([len(choices) for _, _, choices in rows], dtype=np.intp)[:, None],
        strikes, (strikes > 0) | graces, graces, graced, voice, level, extra, lead, alone, leader,
        keeper, _moments_back(figure_back(pattern), [k for k, _, _ in rows]),
        np.array([float(event.start) for _, event, _ in rows]),
        np.array([len(choices) > 1 for _, _, choices in rows], dtype=bool),
        np.array([_is_open(event, allowed) for _, event, _ in rows], dtype=bool),
        bar_begins(pattern)[[k for k, _, _ in rows]],
        np.array([k for k, _, _ in rows], dtype=np.intp),
        not (strikes > 1).any() and all(strokes for _, _, choices in rows for _, strokes in choices),
        any(OVER in s.marks or UNDER in s.marks for _, event, _ in rows for s in event.strokes),
        one_line(pattern),
    )  # fmt: skip


def _moments_back(back: Ints, events: list[int]) -> Ints:
    """Distances in events as distances in moments (moments, 2)."""
    number = {k: e for e, k in enumerate(events)}
    found = np.zeros((len(events), 2), dtype=np.intp)
    for k, e in number.items():
        if back[k, 1]:
            found[e] = e - number[k - int(back[k, 0])], e - number[k - int(back[k, 1])]
    return found


def _is_open(event: Event, allowed: dict[int, tuple[str, ...]]) -> bool:
    """Whether strokes of a moment get their hands from the search."""
    return any(s.limb == EITHER and allowed[s.index] != (EITHER,) for s in event.strokes)


def left_open(event: Event, allowed: dict[int, tuple[str, ...]], hats: Container[str]) -> tuple[int, ...]:
    """The fewest open strokes (their indices) without which hands can play a moment.

    Ghosts go first, then what is on a hi-hat (``hats``, a foot can take it over), accents last.
    """
    strokes = [s for s in event.strokes if s.limb == EITHER]
    strokes.sort(key=lambda s: ("." not in s.marks, s.voice not in hats, ">" in s.marks, s.index), reverse=True)
    indices = [s.index for s in strokes]
    for count in range(min(len(HANDS), len(indices)), 0, -1):
        for kept in combinations(indices, count):
            left = [i for i in indices if i not in kept]
            if _choices(event, {**allowed, **dict.fromkeys(left, (EITHER,))}):
                return tuple(sorted(left))
    return tuple(sorted(indices))


def _choices(event: Event, allowed: dict[int, tuple[str, ...]]) -> list[tuple[tuple[str, ...], list[Stroke]]]:
    """Every way to give a moment's open strokes hands, with all its hand strokes then.

    A stroke that is allowed nothing but ``?`` stays open.
    """
    of_hands = [s for s in event.strokes if s.limb not in FEET]
    open_strokes = [s for s in of_hands if s.limb == EITHER]
    if not open_strokes:
        return [((), of_hands)]
    taken = {s.limb for s in of_hands if s.limb != EITHER}
    found: list[tuple[tuple[str, ...], list[Stroke]]] = []
    if sum(allowed[s.index] != (EITHER,) for s in open_strokes) > len(HANDS):
        return found
    for hands in product(*(allowed[s.index] for s in open_strokes)):
        meant = [hand for hand in hands if hand != EITHER]
        if len(set(meant)) < len(meant) or set(meant) & taken:
            continue  # one hand cannot be asked twice at once
        given = dict(zip((s.index for s in open_strokes), hands))
        strokes = [s.played_by(given[s.index]) if s.limb == EITHER else s for s in of_hands]
        found.append((hands, [s for s in strokes if s.limb != EITHER]))
    return found
