"""What every way of striking costs after every other: the numbers that the search looks up.

A hand is always at a *place*: a strike it may have made (one of a moment's open strokes, or a written one), or a
grace it may have played. The tables say what a strike costs after each of the places before it. Voices are numbers:
those of the reach table, then one for nowhere yet, then one for not known, whose costs are never more than the true
ones.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core import cost as price
from deft_reach.core.cost import Weights
from deft_reach.core.motion.follow import RUN_GAP
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.timing import HAND_REBOUND, PLAIN_LEVEL, grace_lead, level_factors
from deft_reach.core.pattern import Stroke

#: How many places back the tables reach. A hand that has rested longer costs no more than its reach.
WINDOW: Final = 40
#: Places that are none: the hand has not struck yet, or it is not known where it struck.
NOWHERE: Final = -1
UNKNOWN: Final = -2


class Place(NamedTuple):
    """A strike or a grace that a hand may have made: its time (whole notes), voice and level, and the head start
    that it gives (seconds).

    ``stroke`` is None for a grace; ``graced`` says that graces are played before the stroke. ``base`` is the first
    place of the same moment, ``event`` that moment's number.
    """

    time: float
    voice: int
    level: int
    head: float
    stroke: Stroke | None
    graced: bool
    base: int
    event: int


class Places:
    """The places of one hand in the order of time, in columns as in Place."""

    def __init__(self, rows: list[Place]) -> None:
        columns = [list(column) for column in zip(*rows)] if rows else [[] for _ in Place._fields]
        self.time: list[float] = columns[0]
        self.voice: list[int] = columns[1]
        self.level: list[int] = columns[2]
        self.head: list[float] = columns[3]
        self.strokes: list[Stroke | None] = columns[4]
        self.graced: list[bool] = columns[5]
        self.base: list[int] = columns[6]
        self.event: list[int] = columns[7]

    def first_of(self, event: int) -> int:
        """The first place of a moment, or of the next one that has any."""
        return bisect_left(self.event, event)


@dataclass(frozen=True)
class Table:
    """One hand's prices by (place, how many places back − 1), the last column for hands that come from nowhere.

    ``cost`` of a stroke that begins a run; ``bounced`` and ``caught`` to add for the second and the third of one,
    which the stick's rebound helps; ``load`` to add for each stroke of a run beyond the second; ``together`` whether
    the gap is short enough to go on with it. ``pace`` is what a stroke with graces is measured by.
    """

    cost: Floats
    bounced: Floats
    caught: Floats
    load: Floats
    together: NDArray[np.bool_]
    pace: Floats


class Prices:
    def __init__(self, table: ReachTable, weights: Weights, whole: float, places: tuple[Places, Places]) -> None:
        self.table, self.weights, self.whole, self.places = table, weights, whole, places
        n = len(table.names)
        self.nowhere, self.unknown = n, n + 1
        self.size = n + 2
        self.columns = [
            (
                np.array([*p.time, 0.0, 0.0]), np.array([*p.voice, self.unknown, self.nowhere], dtype=np.intp),
                np.array([*p.level, 1, 1]), np.array([*p.head, 0.0, 0.0]),
                level_factors(1.0, np.array(p.level), PLAIN_LEVEL),
                np.array([0.0 if s is None else grace_lead(s.grace)[1] for s in p.strokes]),
            )
            for p in places
        ]  # fmt: skip
        self.tables = [self._table(side) for side in (0, 1)]
        #: Both hands' tables as one, by (cost, bounced, caught, load, together), then place and places back in one
        #: number; ``offset`` (2, 1) is where each hand's places begin.
        self.both = tuple(
            np.concatenate(columns).ravel()
            for columns in zip(
                *((t.cost, t.bounced, t.caught, t.load, t.together.astype(np.intp)) for t in self.tables)
            )
        )
        self.offset = np.array([[0], [len(places[0].time)]])
        self.turns = self._turns()
        self.flat_turns = self.turns.ravel()
        #: The code of no move, after which nothing is a turn.
        self.no_move = self.size**2 - 1
        #: A move's code by the voices it goes to and comes from.
        self.codes = np.full((self.size, self.size), self.no_move, dtype=np.intp)
        every = np.arange(n)
        far = table.distances[:n, :n] > 0
        self.codes[:n, :n] = np.where(far, every[None, :] * self.size + every[:, None], self.no_move)
        self.pairs, self.held = self._pairs()
        self.lone_pairs = (self.pairs + self.held[None, :]).ravel()

    def _table(self, side: int) -> Table:
        places = self.places[side]
        own = np.arange(len(places.time))
        back = np.array(places.base, dtype=np.intp)[:, None] - 1 - np.arange(WINDOW)[None, :]
        columns = self._price(side, np.broadcast_to(own[:, None], back.shape), np.maximum(back, 0))
        alone = self._price(side, own, np.full(len(own), UNKNOWN))
        return Table(*(np.concatenate([a, b[:, None]], axis=1) for a, b in zip(columns, alone)))

    @np.errstate(invalid="ignore", divide="ignore")
    def _price(self, side: int, own: NDArray[np.intp], before: NDArray[np.intp]) -> tuple[Any, ...]:
        """Prices of strikes after places; a place of UNKNOWN is one from which everything is free."""
        t, w = self.table, self.weights
        time, voice, level, head, factor, extra = self.columns[side]
        n = self.nowhere
        v, was = voice[own], voice[before]
        there = (v < n) & (was < n)
        a, b = np.where(there, was, -1), np.where(there, v, -1)
        way = t.travel_times[side, a, b]
        gap = np.where(before < 0, np.nan, (time[own] - time[before]) * self.whole)
        shifted = (extra[own] > 0) | (head[before] > 0)
        has = before >= 0

        def pace_of(part: float) -> Floats:
            needed = np.maximum(t.restrikes[side] * factor[own] * part, way)
            return np.asarray(
                np.where(shifted & has, np.maximum(1e-4, needed + extra[own] - head[before]), needed) / gap
            )

        reach = w.reach * t.reach_costs[side, np.where(v < n, v, -1)]
        lift = np.where(has, np.abs(level[own] - level[before]), 0)

        def cost_of(pace: Floats) -> Floats:
            return np.asarray(w.pace * price.pace_cost(pace) + w.lift * price.lift_cost(lift, 0, pace) + reach)

        pace = pace_of(1.0)
        cost = cost_of(pace)
        bounced, caught = (
            cost_of(pace_of(share)) + w.control * price.control_cost(share) - cost for share in HAND_REBOUND[:2]
        )
        together = has & (gap <= RUN_GAP * self.whole)
        return cost, bounced, caught, w.load * price.load_cost(3, pace, False), together, pace

    def _turns(self) -> Floats:
        """Cost of a move after another, by their codes (from · size + to); nothing where either is not known."""
        size, n = self.size, self.nowhere
        across = np.zeros((size, size, 2))
        tips = self.table.tips[:n, :2]
        across[:n, :n] = tips[None, :, :] - tips[:, None, :]
        flat = across.reshape(-1, 2)
        return np.asarray(self.weights.turn * price.turn_cost(flat[:, None, :], flat[None, :, :]))

    def _pairs(self) -> tuple[Floats, Floats]:
        """Twist and entering a crossing, by both hands' voices before and now (right · size + left); and what a
        stroke in a crossed position costs, by both hands' voices now."""
        size, n, w = self.size, self.nowhere, self.weights
        clear, bearing = np.full((size, size), np.nan), np.full((size, size), np.nan)
        clear[:n, :n] = self.table.clearances[:n, :n]
        bearing[:n, :n] = self.table.bearings[:n, :n]
        flat, bearings = clear.ravel(), bearing.ravel()
        crossed = ~np.isnan(flat)
        held = w.cross * price.cross_cost(flat, False)
        enter = w.cross * price.cross_cost(flat, True) - held
        unclear = np.zeros((size, size), dtype=bool)
        unclear[self.unknown, :] = unclear[:, self.unknown] = True
        entering = crossed[None, :] & ~crossed[:, None] & ~unclear.ravel()[:, None]
        twist = w.turn * price.twist_cost(bearings[None, :] - bearings[:, None])
        return twist + np.where(entering, enter[None, :], 0.0), np.asarray(held)
