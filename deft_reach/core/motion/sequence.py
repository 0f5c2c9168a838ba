"""What each stroke follows, as arrays: hands, feet, graces and postures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.motion.pose import Floats

Ints = NDArray[np.intp]
Flags = NDArray[np.bool_]

#: How an event is led.
NOT_LED, BY_SURFACE, BY_STROKE = 0, 1, 2


class Hands(NamedTuple):
    """The hand strokes of one round, in index order; voices are numbers, −1 for nowhere; times in whole notes.

    ``entry`` is the place in the lanes of Follow. ``gap`` is NaN for a first stroke. ``part`` is what the
    rebound leaves of a full restrike, ``factor`` what the stroke takes of one by rhythm and dynamics. ``extra`` is
    what the stroke's own graces add and ``head`` the head start that the hand's last grace gave it, in seconds;
    ``shifted`` says that either is there, ``graced`` that the stroke has graces of its own.
    """

    index: Ints  # type: ignore[assignment]
    entry: Ints
    before: Ints
    side: Ints
    was: Ints
    voice: Ints
    gap: Floats
    run: Ints
    part: Floats
    factor: Floats
    level: Ints
    last_level: Ints
    extra: Floats
    head: Floats
    shifted: Flags
    graced: Flags


class Graces(NamedTuple):
    """Graces: the stroke they belong to, the side of the hand that plays them, where it comes from and goes to, how
    long it has (whole notes), what they take of a full restrike, and what is needed beyond that (seconds).
    """

    index: Ints  # type: ignore[assignment]
    side: Ints
    was: Ints
    voice: Ints
    gap: Floats
    factor: Floats
    lead: Floats


class Feet(NamedTuple):
    """The foot strokes of one round, as Hands.

    ``changes`` says that the foot comes from its other pedal, ``turn_gap`` how long ago the other foot struck, NaN
    where it was not the last to do so.
    """

    index: Ints  # type: ignore[assignment]
    limb: list[str]
    changes: Flags
    gap: Floats
    run: Ints
    part: Floats
    factor: Floats
    level: Ints
    last_level: Ints
    turn_gap: Floats


class Kept(NamedTuple):
    """The strokes on a kept surface: their indices, the side that struck it then, last and before, and the
    side that struck alone at the moment before, on whatever (−1: not known); and whether the figure is one line.
    """

    index: Ints  # type: ignore[assignment]
    now: Ints
    last: Ints
    before: Ints
    alone: Ints
    line: Flags


class Postures(NamedTuple):
    """The moments of one round in which a hand strikes: the voices both hands struck last by then, and before.

    A hand that does not strike may be on its way: ``right_to`` and ``left_to`` are where to (−1: it stays), and
    ``right_done`` and ``left_done`` how much of the way is done. ``chosen`` says which hand the player lets go over:
    1 right, −1 left, 0 nothing said; ``deciding`` is the stroke whose mark says so (−1: none).
    ``prev`` is the moment before (−1: none). ``rows`` are the rows of Hands moment by moment, and ``starts`` where
    each moment begins in them.
    """

    right: Ints
    left: Ints
    right_before: Ints
    left_before: Ints
    right_to: Ints
    left_to: Ints
    right_done: Floats
    left_done: Floats
    chosen: Ints
    deciding: Ints
    prev: Ints
    rows: Ints
    starts: Ints
    moment_of_row: Ints


@dataclass(frozen=True)
class Follow:
    """What each stroke of a pattern follows; see the parts.

    ``entry_was`` and ``entry_voice`` are the moves of all lanes one after the other, run-in and graces included;
    ``lane_start`` is where each entry's lane begins. ``came_from`` has a
    voice or None for every stroke, ``run`` every stroke's place in its run. ``event_right`` and ``event_left``
    are where the hands are after each event, ``before`` where they were when the round began. ``lead`` and
    ``switches`` as in Walk.
    """

    count: int
    entry_was: Ints
    entry_voice: Ints
    lane_start: Ints
    hands: Hands
    graces: Graces
    feet: Feet
    postures: Postures
    came_from: list[str | None]
    run: list[int]
    event_right: Ints
    event_left: Ints
    before: tuple[int, int]
    lead: list[int]
    switches: list[int]
    #: The strokes that lead a beat with the left hand, and those with the right: by the side that leads (0 right).
    led: tuple[list[int], list[int]]
    #: The strokes that lead a beat and are not on a kept surface.
    landings: Ints
    #: The strokes on a kept surface, and those whose hands come back from neither of the last two beats.
    kept: Kept
    changed: Ints
    #: The strokes of a hand that strikes alone again at once, neither on a kept surface nor coming from it.
    again: Ints
    #: Those of them with which a bar begins.
    anew: Ints
    #: The strokes at which hands and feet take turns, and the gaps before them (whole notes).
    turns: Ints
    turn_gaps: Floats
    #: Every stroke's event, and of the events in which a hand strikes the numbers and times (whole notes).
    event_of: Ints
    moment_events: Ints
    moment_times: Floats
