"""Do the arms cross, seen from above; and which one is over?"""

from __future__ import annotations

from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.motion.pose import Floats

#: Arms that meet only this close to a tip (mm) are side by side, not crossed.
TIP_MARGIN_MM: Final = 30.0
#: Where the arms differ by less than this in height (mm), either may go over.
EITHER_MM: Final = 20.0


class Crossings(NamedTuple):
    """For n pairs of a right and a left arm.

    ``crossed`` (n,) whether they cross; ``over`` (n,) +1 where the right arm is the higher one, −1 the left,
    0 where they do not cross; ``clearance`` (n,) the height difference in mm where they meet (infinite where
    they do not); ``place`` (n, 2) that point in plan view.
    """

    crossed: NDArray[np.bool_]
    over: NDArray[np.int8]
    clearance: Floats
    place: Floats


def crossings(right: Floats, left: Floats) -> Crossings:
    """Whether arms cross: ``right`` and ``left`` (n, 4, 3) are joints as in Poses, pair by pair.

    The arms are chains of three segments (upper arm, forearm, stick). They cross where two segments meet in plan view
    more than 30 mm from both tips; where they meet more than once, the tightest place counts.
    """
    n = len(right)
    p = right[:, :3, None, :]  # (n, 3, 1, 3) segment starts
    r = right[:, 1:, None, :] - p
    q = left[:, None, :3, :]
    s = left[:, None, 1:, :] - q
    # Solve p + t r = q + u s in plan view.
    qp = q - p
    denominator = r[..., 0] * s[..., 1] - r[..., 1] * s[..., 0]
    parallel = np.abs(denominator) < 1e-9
    safe = np.where(parallel, 1.0, denominator)
    t = (qp[..., 0] * s[..., 1] - qp[..., 1] * s[..., 0]) / safe
    u = (qp[..., 0] * r[..., 1] - qp[..., 1] * r[..., 0]) / safe
    meet = ~parallel & (t >= 0) & (t <= 1) & (u >= 0) & (u <= 1)
    x = p[..., 0] + t * r[..., 0]
    y = p[..., 1] + t * r[..., 1]
    for tip in (right[:, None, None, 3, :], left[:, None, None, 3, :]):
        meet &= (x - tip[..., 0]) ** 2 + (y - tip[..., 1]) ** 2 > TIP_MARGIN_MM**2
    above = (p[..., 2] + t * r[..., 2]) - (q[..., 2] + u * s[..., 2])
    gap = np.where(meet, np.abs(above), np.inf).reshape(n, 9)
    tightest = gap.argmin(axis=1)[:, None]
    clearance = np.take_along_axis(gap, tightest, axis=1)[:, 0]
    crossed = np.isfinite(clearance)
    height = np.take_along_axis(above.reshape(n, 9), tightest, axis=1)[:, 0]
    over = np.where(crossed, np.where(height >= 0, 1, -1), 0).astype(np.int8)
    place = np.stack([np.take_along_axis(v.reshape(n, 9), tightest, axis=1)[:, 0] for v in (x, y)], axis=-1)
    return Crossings(crossed, over, clearance, place)
