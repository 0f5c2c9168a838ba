"""Where both arms are at any moment while a plan is played: along the paths that the analysis uses."""

from __future__ import annotations

from typing import Final

import numpy as np

from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.motion.clearance import hand_gaps, way_at
from deft_reach.core.motion.paths import TAP_MM, arms_at, minimum_jerk
from deft_reach.core.motion.pose import Floats

#: A hand that has not struck yet comes down in the last part of its wait (whole notes).
WAITS: Final = 1 / 16


class Playing:
    """The arms of a report's plan over time.

    >>> from deft_reach.core import Player, analyse, layout, parse
    >>> playing = Playing(analyse(parse("R L R L"), layout("five"), Player(), 100, repeat=True))
    >>> sorted(playing.arms(0.1))
    ['L', 'R']
    """

    def __init__(self, report: Report, travel: str = "early") -> None:
        self.report, self.travel = report, travel
        pattern, table = report.pattern, report.table
        self._gaps = hand_gaps(pattern, table, report.repeat)

    def swept(self, hand: str, time: float, count: int = 9) -> Floats | None:
        """Joints (count, 4, 3) in mm of a hand on its way into what it strikes at a time (whole notes).

        None where it strikes nothing then, has not struck before, or stays where it is.
        """
        side = HANDS.index(hand)
        gaps = self._gaps[side]
        k = int(gaps.at(np.array([time]))[0]) if len(gaps.end) else -1
        if k < 0 or abs(gaps.end[k] - time) > 1e-9 or np.isnan(gaps.start[k]) or gaps.was[k] == gaps.voice[k]:
            return None
        at = np.linspace(gaps.start[k], gaps.end[k], count)
        return self._arms(at)[hand]

    def arms(self, time: float) -> dict[str, Floats]:
        """Joints (4, 3) in mm of each hand that plays anything, at a time in whole notes from the beginning."""
        return {hand: joints[0] for hand, joints in self._arms(np.array([time])).items()}

    def _arms(self, at: Floats) -> dict[str, Floats]:
        """Joints (n, 4, 3) of each hand that plays anything, at times (n,)."""
        ways, heights = [], []
        for gaps in self._gaps:
            way, above = np.full((len(at), 3), np.nan), np.zeros(len(at))
            if len(gaps.end):
                k = gaps.at(at)
                way, above = way_at(gaps, k, at, self.travel)
                # Before its first stroke a hand waits over it, and comes down in time.
                waits = np.isnan(way[:, 0])
                left = (gaps.end[k] - at) / WAITS
                way = np.where(waits[:, None], gaps.tips[1, k], way)
                above = np.where(waits, TAP_MM * np.asarray(minimum_jerk(left)), above)
            ways.append(way)
            heights.append(above)
        arms = arms_at(self.report.table.player, ways[0], ways[1], (heights[0], heights[1]))
        return {hand: joints for hand, joints, gaps in zip(HANDS, arms, self._gaps) if len(gaps.end)}
