"""Times as whole numbers: arithmetic on fractions is exact and slow, on integers it is exact and quick."""

from __future__ import annotations

import math
from collections.abc import Iterable
from fractions import Fraction


class Ticks:
    """Calls turn times that are made of ``times`` by adding and subtracting into integers.

    ``parts`` is how many of them one whole note has.

    >>> Ticks([Fraction(3, 16), Fraction(1, 12)])(Fraction(1, 4))
    12
    """

    def __init__(self, times: Iterable[Fraction]) -> None:
        self.parts = math.lcm(*{time.denominator for time in times})

    def __call__(self, time: Fraction) -> int:
        return time.numerator * (self.parts // time.denominator)
