"""Several plans walked as one, so that a layout is judged in a single pass."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.clearance import Ways, join_ways, pass_by, ways_of
from deft_reach.core.motion.cost import CostTerms, Weights
from deft_reach.core.motion.follow import follow
from deft_reach.core.motion.reach_table import ReachTable
from deft_reach.core.motion.sequence import Feet, Follow, Graces, Hands, Kept, Postures
from deft_reach.core.motion.walk import Walk, walk


@dataclass(frozen=True)
class Asked:
    """One plan to be made cheaper. It is judged on the kit that is searched, whatever it was planned on."""

    name: str
    pattern: Pattern
    tempo: float
    repeat: bool = False
    weights: Weights = DEFAULT_WEIGHTS


@dataclass(frozen=True)
class JoinedWalk:
    """Several plans as one walk: what each stroke follows, one plan's after the other's.

    ``ends`` are where each plan's strokes end. ``weights`` may differ from plan to plan: then each has its own walk.
    """

    plans: tuple[Asked, ...]
    rows: tuple[tuple[Follow, float, Weights, tuple[int, ...]], ...]
    follows: tuple[Follow, ...]
    #: What passes what in all plans, and where each plan's moments begin in it.
    ways: Ways | None
    begins: tuple[int, ...]

    @classmethod
    def of(cls, plans: Sequence[Asked], table: ReachTable) -> JoinedWalk:
        """Join plans; ``table`` says which voices the kit has."""
        follows = tuple(follow(plan.pattern, table.names, plan.repeat) for plan in plans)
        wholes = [240.0 / plan.tempo for plan in plans]
        found = [ways_of(plan.pattern, table.names, plan.repeat) for plan in plans]
        begins = (0, *np.cumsum([0 if w is None else len(w.times) for w in found]).tolist())
        some = [w for w in found if w is not None]
        ways = join_ways(some) if some else None
        if len({plan.weights for plan in plans}) == 1:
            whole = wholes[0]
            joined = join_follows(follows, [w / whole for w in wholes])
            ends = np.cumsum([f.count for f in follows]).tolist()
            return cls(tuple(plans), ((joined, whole, plans[0].weights, tuple(ends)),), follows, ways, begins)
        rows = tuple((f, whole, plan.weights, (f.count,)) for f, whole, plan in zip(follows, wholes, plans))
        return cls(tuple(plans), rows, follows, ways, begins)

    def costs(self, table: ReachTable) -> tuple[float, ...]:
        return self.with_squeeze(table, *self.without_squeeze(table))

    def without_squeeze(self, table: ReachTable) -> tuple[list[Walk], tuple[float, ...]]:
        """The walks, and each plan's cost but for close passing."""
        walks, costs = [], []
        for followed, whole, weights, ends in self.rows:
            # Every stroke has its hand, so the walk asks nothing of the pattern.
            walked = walk(self.plans[0].pattern, followed, whole, table, weights, attributed=False)
            walks.append(walked)
            each = walked.costs.sum(axis=0)
            costs += [float(part.sum()) for part in np.split(each, ends[:-1])]
        return walks, tuple(costs)

    def with_squeeze(self, table: ReachTable, walks: list[Walk], costs: tuple[float, ...]) -> tuple[float, ...]:
        """Each plan's whole cost."""
        if self.ways is None:
            return costs
        passed = pass_by(self.ways, table)
        if passed is None:
            return costs
        return tuple(
            cost + float(CostTerms(plan.weights, table.leading_side).squeeze(passed.clearance[low:high]).sum())
            for plan, cost, low, high in zip(self.plans, costs, self.begins, self.begins[1:])
        )

    def limits(self, table: ReachTable) -> list[float | None]:
        """Each plan's tempo limit (BPM)."""
        walks, _ = self.without_squeeze(table)
        paces: list[float | None] = [p for walked in walks for p in walked.pace]
        found: list[float | None] = []
        at = 0
        for plan, followed in zip(self.plans, self.follows):
            mine = [p for p in paces[at : at + followed.count] if p]
            found.append(plan.tempo / max(mine) if mine else None)
            at += followed.count
        return found


def join_follows(rows: Sequence[Follow], factors: Sequence[float]) -> Follow:
    """Follows one after the other; ``factors`` bring each one's times to the first one's whole note."""
    # Long: every column of every part, once.
    strokes = _offsets([f.count for f in rows])
    entries = _offsets([len(f.entry_was) for f in rows])
    hands = _offsets([len(f.hands.index) for f in rows])
    moments = _offsets([len(f.postures.right) for f in rows])
    events = _offsets([len(f.event_right) for f in rows])

    def column(part: str, name: str, by: Sequence[int] | None = None, scale: bool = False) -> np.ndarray:
        values = [np.asarray(getattr(getattr(f, part) if part else f, name)) for f in rows]
        if scale:
            values = [v * factor for v, factor in zip(values, factors)]
        if by is not None:
            # −1 stands for nothing and stays.
            values = [np.where(v >= 0, v + offset, v) for v, offset in zip(values, by)]
        return np.concatenate(values)

    return Follow(
        count=sum(f.count for f in rows),
        entry_was=column("", "entry_was"),
        entry_voice=column("", "entry_voice"),
        lane_start=column("", "lane_start", entries),
        hands=Hands(
            column("hands", "index", strokes), column("hands", "entry", entries), column("hands", "before", entries),
            column("hands", "side"), column("hands", "was"), column("hands", "voice"),
            column("hands", "gap", scale=True),
            *(column("hands", name) for name in Hands._fields[7:]),
        ),
        graces=Graces(
            column("graces", "index", strokes), column("graces", "side"), column("graces", "was"),
            column("graces", "voice"), column("graces", "gap", scale=True), column("graces", "factor"),
            column("graces", "lead"),
        ),
        feet=Feet(
            column("feet", "index", strokes), [limb for f in rows for limb in f.feet.limb], column("feet", "changes"),
            column("feet", "gap", scale=True), column("feet", "run"), column("feet", "part"),
            column("feet", "factor"), column("feet", "level"), column("feet", "last_level"),
            column("feet", "turn_gap", scale=True),
        ),
        postures=Postures(
            column("postures", "right"), column("postures", "left"), column("postures", "right_before"),
            column("postures", "left_before"), column("postures", "right_to"), column("postures", "left_to"),
            column("postures", "right_done"), column("postures", "left_done"), column("postures", "chosen"),
            column("postures", "deciding", strokes),
            column("postures", "prev", moments),
            column("postures", "rows", hands), column("postures", "starts", hands),
            column("postures", "moment_of_row", moments),
        ),
        came_from=[v for f in rows for v in f.came_from],
        run=[r for f in rows for r in f.run],
        event_right=column("", "event_right"),
        event_left=column("", "event_left"),
        before=rows[0].before,
        lead=[i + by for f, by in zip(rows, strokes) for i in f.lead],
        switches=[i + by for f, by in zip(rows, strokes) for i in f.switches],
        led=(
            [i + by for f, by in zip(rows, strokes) for i in f.led[0]],
            [i + by for f, by in zip(rows, strokes) for i in f.led[1]],
        ),
        landings=column("", "landings", strokes),
        kept=Kept(column("kept", "index", strokes), *(column("kept", name) for name in Kept._fields[1:])),
        changed=column("", "changed", strokes),
        again=column("", "again", strokes),
        anew=column("", "anew", strokes),
        turns=column("", "turns", strokes),
        turn_gaps=column("", "turn_gaps", scale=True),
        event_of=column("", "event_of", events),
        moment_events=column("", "moment_events", events),
        moment_times=column("", "moment_times", scale=True),
    )  # fmt: skip


def _offsets(counts: Sequence[int]) -> list[int]:
    return [0, *np.cumsum(counts).tolist()[:-1]]
