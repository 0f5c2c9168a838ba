"""Where both arms are at any moment while a plan is played: along the paths that the analysis uses."""

from __future__ import annotations

from typing import Final

import numpy as np

from deft_reach.core.analysis import starts_high
from deft_reach.core.limbs import HANDS
from deft_reach.core.motion.clearance import hand_gaps, way_at
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.paths import TAP_MM, arm_at, minimum_jerk
from deft_reach.core.motion.pose import Floats
from deft_reach.core.report import Report

#: A hand that has not struck yet comes down in the last part of its wait (whole notes).
WAITS: Final = 1 / 16


class Playing:
    """The arms of a report's plan over time.

    >>> from deft_reach.core import Player, analyse, layout, parse
    >>> playing = Playing(analyse(parse("R L R L"), layout("five"), Player(), 100, repeat=True))
    >>> sorted(playing.arms(0.1))
    ['L', 'R']
    """

    def __init__(self, report: Report, school: str = "early") -> None:
        self.report, self.school = report, school
        pattern, table = report.pattern, report.table
        followed = follow(pattern, table.names, report.repeat)
        self._gaps = hand_gaps(pattern, followed, table, starts_high(pattern, report.repeat), report.repeat)

    def arms(self, time: float) -> dict[str, Floats]:
        """Joints (4, 3) in mm of each hand that plays anything, at a time in whole notes from the beginning."""
        found = {}
        for side, (hand, gaps) in enumerate(zip(HANDS, self._gaps)):
            if not len(gaps.end):
                continue
            at = np.array([time])
            k = gaps.at(at)
            way, above = way_at(gaps, k, at, self.school)
            if np.isnan(way).any():
                # Before its first stroke a hand waits over it, and comes down in time.
                left = (gaps.end[k] - at) / WAITS
                way, above = gaps.tips[1, k].copy(), TAP_MM * np.asarray(minimum_jerk(left))
            found[hand] = arm_at(self.report.table.player, 1.0 - 2.0 * side, way, above)[0]
        return found
