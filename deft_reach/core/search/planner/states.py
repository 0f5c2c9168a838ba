"""The states before each moment: the last choices as bits, the newest lowest; all of them, or the promising ones."""

from __future__ import annotations

import numpy as np

from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import Ints
from deft_reach.core.search.planner.moments import OPTIONS, Moments


class States:
    """Which states there are before each moment: ``numbers`` (moments, width), their bits the last choices.

    What is played once has one row more, for its end. ``positions`` (moments, every possible state) says where in its
    row a state stands, ``width`` where it has none.
    """

    def __init__(self, moments: Moments, memory: int, loop: bool, numbers: Ints | None = None) -> None:
        self.moments, self.loop = moments, loop
        self.memory = min(memory, int(moments.choice.sum()))
        #: How many there can be.
        self.possible = 1 << self.memory
        rows = len(moments) + (not loop)
        self.every = numbers is None
        if numbers is None:
            numbers = np.broadcast_to(np.arange(self.possible), (rows, self.possible))
        self.numbers = numbers
        self.width = numbers.shape[1]
        if self.every:
            self.positions = numbers
        else:
            self.positions = np.full((rows, self.possible), self.width)
            np.put_along_axis(self.positions, numbers, np.broadcast_to(np.arange(self.width), numbers.shape), axis=1)

    def after(self) -> Ints:
        """Where the state after each option of each moment stands, (moments, options, width); ``width``: nowhere."""
        n = len(self.moments)
        numbers = self.numbers[:n, None, :]
        chosen = ((numbers << 1) | np.arange(OPTIONS)[:, None]) & (self.possible - 1)
        wanted = np.where(self.moments.choice[:, None, None], chosen, numbers)
        row = (np.arange(n) + 1) % len(self.numbers)
        return np.asarray(self.positions[row[:, None, None], wanted])

    def forward(self, cost: Floats, start: Floats) -> Floats:
        """Least cost from the beginning, where a state costs ``start`` (width,), to every moment and state
        (moments + 1, width). ``cost`` is by (moment, option, state).
        """
        found = np.empty((len(cost) + 1, self.width))
        found[0] = start
        # What leads to a state differs in the oldest choice, which is forgotten.
        numbers = np.concatenate([self.numbers[1:], self.numbers[:1]]) if self.loop else self.numbers[1:]
        row = np.arange(len(cost))[:, None]
        width = self.width + 1
        option = np.where(self.moments.choice[:, None], numbers & 1, 0) * width
        one = np.where(self.moments.choice[:, None], numbers >> 1, numbers)
        two = np.where(self.moments.choice[:, None], one | self.possible >> 1, numbers)
        one, two = option + self.positions[row, one], option + self.positions[row, two]
        ways = np.full((OPTIONS, width), np.inf)
        there, flat = ways[:, : self.width], ways.ravel()
        for e in range(len(cost)):
            np.add(cost[e], found[e], out=there)
            np.minimum(flat.take(one[e]), flat.take(two[e]), out=found[e + 1])
        return found
