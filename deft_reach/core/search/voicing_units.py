"""Where a voicing may change: the strokes that travel together, and the voices each such unit may have."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import accumulate, product
from typing import Final, NamedTuple

from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Event, Pattern, lead_beat

#: How finely a sticking is cut into units, coarsest first.
BY_BEATS, BY_TWOS, BY_STROKES, ALONE = range(4)


class Option(NamedTuple):
    """One way to voice a unit: the number of the voice of each of its hand strokes in their order, the palette's
    voices it counts for, and the place in the palette a contour sees (−1 for none).
    """

    voices: tuple[int, ...]
    uses: tuple[int, ...]
    main: int


class Unit(NamedTuple):
    """Hand strokes that travel together: their events, and the ways to voice them."""

    events: tuple[Event, ...]
    options: tuple[Option, ...]


def cut(pattern: Pattern, fineness: int) -> list[tuple[Event, ...]]:
    """The moments of the hands in units: by groups and elsewhere by beats, by twos inside those, by strokes with
    doubles together, or each alone.

    A double is cut nowhere but at the edge of a written group, or where each is alone: a unit then begins one stroke
    sooner.
    """
    events = [event for event in pattern.events if event.hands]
    if fineness == ALONE:
        return [(event,) for event in events]
    if fineness == BY_STROKES:
        begins = list(range(len(events)))
    else:
        places = [_place(pattern, event) for event in events]
        begins = [k for k in range(len(events)) if k == 0 or places[k] != places[k - 1]]
        if fineness == BY_TWOS:
            begins = [k for first, end in zip(begins, [*begins[1:], len(events)]) for k in range(first, end, 2)]
    return _units(events, begins)


def in_twos(pattern: Pattern) -> list[tuple[Event, ...]]:
    """The moments of the hands two by two from the first on, doubles together."""
    events = [event for event in pattern.events if event.hands]
    return _units(events, list(range(0, len(events), 2)))


def _place(pattern: Pattern, event: Event) -> tuple[int, int]:
    """The group an event is in; without one its beat."""
    group = event.hands[0].group
    if group >= 0:
        return -1, group
    bar = pattern.bar_at(event.start)
    return bar.number, int((event.start - bar.start + bar.offset) / lead_beat(bar.meter))


def _units(events: Sequence[Event], begins: Sequence[int]) -> list[tuple[Event, ...]]:
    starts = sorted({k - 1 if _inside_double(events, k) else k for k in begins})
    return [tuple(events[a:b]) for a, b in zip(starts, [*starts[1:], len(events)])]


def _inside_double(events: Sequence[Event], k: int) -> bool:
    """Whether the event is the second of two strokes in a row by one hand, and no more, inside one group."""

    def hand(n: int) -> str | None:
        here = events[n].hands if 0 <= n < len(events) else ()
        return here[0].limb if len(here) == 1 else None

    mine = hand(k)
    if k < 1 or mine is None or hand(k - 1) != mine or mine in (hand(k - 2), hand(k + 1)):
        return False
    return events[k].hands[0].group == events[k - 1].hands[0].group


def options(
    events: Sequence[Event],
    written: dict[int, int],
    palette: Sequence[int],
    accents: Sequence[int],
    each_hand: bool,
) -> tuple[Option, ...]:
    """The ways to voice a unit: all its free strokes on one voice, or each hand's on one.

    ``written`` maps strokes that keep a voice to its number. Accented strokes go to one of ``accents`` a hand, where
    there are any. Hands that strike at once are on two voices where the palette has two.
    """
    strokes = [s for event in events for s in event.hands]

    def kind(index: int, limb: str, marks: str) -> str:
        return "written" if index in written else f"accent {limb}" if accents and ">" in marks else limb

    kinds = [kind(s.index, s.limb, s.marks) for s in strokes]
    hands = [hand for hand in HANDS if hand in kinds]
    at_once = any(sum(kind(s.index, s.limb, s.marks) in HANDS for s in event.hands) > 1 for event in events)
    apart = len(hands) == 2 and (each_hand or at_once) and len(palette) > 1
    if not hands:
        mains: list[tuple[int, ...]] = [()]
    elif apart:
        mains = [pair for pair in product(palette, repeat=2) if pair[0] != pair[1]]
    else:
        mains = [(k,) for k in palette]
    struck = [hand for hand in HANDS if f"accent {hand}" in kinds]
    found = []
    for main in mains:
        by_hand: dict[str, int] = dict(zip(hands, main if apart else [*main] * len(hands)))
        for picks in product(accents, repeat=len(struck)):
            by_kind = {**by_hand, **{f"accent {hand}": k for hand, k in zip(struck, picks)}}
            voices = tuple(written[s.index] if k == "written" else by_kind[k] for s, k in zip(strokes, kinds))
            found.append(Option(voices, main, main[0] if main else -1))
    return tuple(found)


#: The contours that go one way through the palette, or one way and back.
ONE_WAY: Final = ("down", "up", "out-and-back")


def height(contour: str, place: float) -> float:
    """Where in the palette (0 first, 1 last) a contour is at a place in time (0 to 1)."""
    return {"down": place, "up": 1.0 - place}.get(contour, 1.0 - abs(1.0 - 2.0 * place))


def along(units: Sequence[Unit], contour: str, last: int) -> list[Unit]:
    """The units with only the options that a contour allows where they are; ``last`` is the palette's last place."""
    if contour == "home":
        last_free = max((k for k, unit in enumerate(units) if any(o.uses for o in unit.options)), default=-1)
        return [_near(unit, 0.0) if k == last_free else unit for k, unit in enumerate(units)]
    if contour not in ONE_WAY:
        return list(units)
    return [_near(unit, height(contour, place) * last) for unit, place in zip(units, places(units))]


def places(units: Sequence[Unit]) -> list[float]:
    """Where each unit is on the way, 0 to 1: only those that can choose a voice are counted."""
    free = [any(option.uses for option in unit.options) for unit in units]
    last = max(1, sum(free) - 1)
    return [min(1.0, before / last) for before in accumulate(free[:-1], initial=0)]


def _near(unit: Unit, at: float) -> Unit:
    """The unit with the options that are near enough to a place in the palette."""
    return Unit(unit.events, tuple(o for o in unit.options if o.main < 0 or abs(o.main - at) <= 0.8))
