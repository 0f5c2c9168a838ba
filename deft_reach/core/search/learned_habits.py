"""A player's sticking habits, learned from the hands that were committed.

Every committed figure is asked again with its hands open. The stickings that are looked at, the committed one among
them, are ordered by ``ln(difficulty + 1/2) + habit``, by all habits there are in turn. Those are the player's that
bring the committed hands to the front (by the sum of their reciprocal ranks). Each habit that differs from most
players' has to be worth WORTH, so that a few plans teach nothing that might be chance.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import astuple, replace
from datetime import UTC, datetime
from functools import partial
from itertools import islice, product
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.habit import Habit
from deft_reach.core.analysis.ranking import FROM, SAME
from deft_reach.core.document import Commitment, Document
from deft_reach.core.document.plans import read_text
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import HANDS, RIGHT, other_hand
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.model.sticking_habits import HATS, NO_HABITS, STICKINGS, StickingHabits
from deft_reach.core.motion.pose import Floats
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.search.candidates import opened
from deft_reach.core.search.planner.assign import with_hands
from deft_reach.core.search.planner.kinds import written
from deft_reach.core.search.planner.search import LONG, PlanError, cheapest_stickings
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: So many committed plans are asked, and so many at the least have to say something.
MOST, LEAST = 24, 3
#: So many of the cheapest stickings and of those that players would write first are held against a committed one.
CHEAPEST, WRITTEN = 12, 24
#: What a habit has to be worth in reciprocal ranks: about so many hands that come first by it. Chosen.
WORTH: Final = 1.0
#: How much practised orders may count.
ORDERS: Final = (0.0, 0.5, 1.0, 2.0)


class Played(NamedTuple):
    """A figure with the hands that somebody chose for it."""

    pattern: Pattern
    kit: Kit
    tempo: float
    repeat: bool


class LearnedHabits(NamedTuple):
    """The habits that explain the hands best, how many figures said something, and in how many of them the chosen
    hands came first before and come first now.
    """

    habits: StickingHabits
    figures: int
    before: int
    now: int

    @property
    def words(self) -> str:
        """What was learned, for people."""
        plans = f"From {self.figures} committed plans: "
        if self.habits == NO_HABITS:
            return plans + "you stick as most players do; nothing had to be changed"
        return plans + f"{self.habits.words}. Your hands come first in {self.now} of them, {self.before} before"


class _Ways(NamedTuple):
    """A figure's stickings, the chosen one first: ln(difficulty + 1/2) (n,), and what goes against habit in each,
    whichever hand leads.
    """

    difficulty: Floats
    habits: dict[str, tuple[Habit, ...]]

    def score(self, habits: StickingHabits) -> Floats:
        """What they are ordered by (n,), the least first."""
        against = [habit._replace(own=habits).total for habit in self.habits[habits.lead]]
        return np.asarray(self.difficulty + against)

    def rank(self, habits: StickingHabits) -> int:
        """The place of the chosen one, from 1; of what is about as good it is the first."""
        score = np.rint(self.score(habits) / SAME)
        return 1 + int((score < score[0]).sum())


def learn_habits(played: Iterable[Played], player: Player, progress: Progress = NO_PROGRESS) -> LearnedHabits:
    """The habits of a player by the hands chosen for the first MOST figures ``played``.

    Figures with fewer than four hand strokes, longer than the search tells apart or with hands still open say
    nothing. Raises PlanError where fewer than LEAST say something.
    """
    plain = replace(player, habits=NO_HABITS)
    ways: list[_Ways] = []
    for row in islice(played, MOST):
        found = _ways(row, plain)
        if found is not None:
            ways.append(found)
        progress.at(len(ways))
    if len(ways) < LEAST:
        raise PlanError(
            f"habits are learned from {LEAST} committed plans or more of at least four strokes by the hands; "
            f"there {'is' if len(ways) == 1 else 'are'} {len(ways)}"
        )
    best = max(_every(plain), key=partial(_worth, ways))
    return LearnedHabits(best, len(ways), _firsts(ways, NO_HABITS), _firsts(ways, best))


def played_by(document: Document, player: Player) -> Iterator[Played]:
    """What a player has committed: of every plan the newest commitment, the newest plans first."""
    newest = {row.plan: row for row in sorted(document.commitments, key=_date) if row.player.id == player.id}
    for row in sorted(newest.values(), key=_date, reverse=True):
        try:
            yield Played(read_text(row.text, row.kit), row.kit, row.tempo, row.repeat)
        except StrokeTextError:
            continue


def _date(commitment: Commitment) -> datetime:
    found = datetime.fromisoformat(commitment.date)
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _every(player: Player) -> Iterator[StickingHabits]:
    """All habits there are, the neutral one first."""
    orders = sorted(ORDERS, key=lambda order: order != 1.0)
    for lead, hats, sticking, order in product(("handed", _other_lead(player)), HATS, STICKINGS, orders):
        yield StickingHabits(lead, hats, sticking, order)


def _worth(ways: Sequence[_Ways], habits: StickingHabits) -> float:
    """How far in front the chosen hands are, less what habits have to be worth."""
    changed = sum(own != plain for own, plain in zip(astuple(habits), astuple(NO_HABITS)))
    return float(round(math.fsum(1.0 / row.rank(habits) for row in ways) - WORTH * changed, 9))


def _firsts(ways: Sequence[_Ways], habits: StickingHabits) -> int:
    """In how many figures nothing stands before the chosen hands."""
    return sum(row.rank(habits) == 1 for row in ways)


def _ways(played: Played, player: Player) -> _Ways | None:
    """What could have been chosen in the place of some hands; None where that says nothing."""
    pattern, kit, tempo, repeat = played
    mine = [s.index for s in pattern.strokes if s.limb in HANDS]
    if len(mine) < 4 or len(pattern.events) > LONG or pattern.unassigned:
        return None
    question = opened(pattern, mine, kit)
    hands = [{i: pattern.strokes[i].limb for i in mine}]
    leads = {"handed": player.stronger, _other_lead(player): other_hand(player.stronger)}

    def players_ways(cheapest: dict[int, str]) -> Iterator[dict[int, str]]:
        for lead in leads.values():
            yield from islice(written(question, cheapest, repeat, 240.0 / tempo, lead), WRITTEN)

    try:
        found = cheapest_stickings(question, kit, player, tempo, best=CHEAPEST, repeat=repeat, also=players_ways)
    except PlanError:
        return None
    hands += [dict(zip(mine, row.hands)) for row in (*found.best, *found.also)]
    rows = list({tuple(row.values()): row for row in hands}.values())
    stuck = [with_hands(question, row) for row in rows]
    reports = {
        lead: [analyse(way, kit, replace(player, habits=StickingHabits(lead)), tempo, repeat=repeat) for way in stuck]
        for lead in leads
    }
    hard = np.array([math.log(report.summary.difficulty + FROM) for report in reports["handed"]])
    return _Ways(hard, {lead: tuple(report.habit for report in row) for lead, row in reports.items()})


def _other_lead(player: Player) -> str:
    return "left" if player.stronger == RIGHT else "right"
