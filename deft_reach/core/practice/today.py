"""What fills the minutes one has today: warm-up, what is due, the next rungs, a chunk that breaks, a take at the end.

Everything follows from the document and the log: what was played today is taken off, and what is left is planned
again. That what holds is played again after ever longer times, and what does not soon, is common practice.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from datetime import date
from typing import Final

from deft_reach.core.document import Document, MissingError, Plan, analyse_plan, read_text
from deft_reach.core.model.counting import counted
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.practice.cautions import ALWAYS, BEFORE, LEVELS, hearing_words
from deft_reach.core.practice.chunks import build_chunks
from deft_reach.core.practice.day import (
    BREAK,
    CHUNK,
    COMMIT,
    DUE,
    RUNGS,
    SONG,
    TAKE,
    TEST,
    WARM_UP,
    WRITE,
    Item,
    Played,
    Today,
)
from deft_reach.core.practice.forecast import forecast
from deft_reach.core.practice.ladder import SHRINKING, begin_below
from deft_reach.core.practice.progress_log import (
    CLEAN,
    COMMITTED,
    DRAFTED,
    UNPLAYED,
    PlanPractice,
    PlanProgress,
    progress,
)
from deft_reach.core.practice.runner import UNBROKEN_S

#: A day's minutes are between these.
MINUTES_RANGE: Final = (5.0, 240.0)
USUAL_MINUTES: Final = 30.0
#: Days until a plan that is clean at home tempo is due again: twice as many for each day on which it held.
FIRST_INTERVAL, LONGEST_INTERVAL = 2, 32
#: A song is played through again after so many days, once its plans are so near their tempi.
SONG_INTERVAL: Final = 4
NEARLY: Final = 0.9
#: Minutes of a review, of a song, of a chunk, of a take, of a break, and the least for the rungs of one plan.
DUE_MIN, SONG_MIN, CHUNK_MIN, TAKE_MIN, BREAK_MIN, RUNGS_MIN = 2.0, 4.0, 4.0, 3.0, 2.0, 6.0
#: No more of the time than this part is for what is due while something else climbs.
DUE_SHARE: Final = 0.35
#: Longer at a time (minutes) nobody works well on one plan, and so often it is taken up again in a day.
MOST_RUNGS_MIN, MOST_ROUNDS = 18.0, 4
#: A new plan for so many minutes, where all are new.
MINUTES_A_NEW_ONE: Final = 15.0
#: A break is not worth it for the last minutes.
NO_BREAK_FOR: Final = 5.0
#: So long without a break (minutes): the runner's own.
UNBROKEN_MIN: Final = UNBROKEN_S / 60
#: Chunks and takes have room in days of so many minutes.
ROOM_FOR_CHUNK, ROOM_FOR_TAKE = 18.0, 12.0
#: A part of a clean tempo that is easy enough to warm up with.
WARM: Final = 0.7
#: How far above home one goes where there is time.
ABOVE_HOME: Final = 1.05
#: Days after which a hand test is done again.
TEST_AGAIN: Final = 60
#: How loud it is where nobody says (dBA): a kit.
LEVEL: Final = LEVELS["kit"]


def plan_today(document: Document, log: Played, minutes: float, today: date, level: float = LEVEL) -> Today:
    """What fills so many minutes of a day, from all plans that were committed or played, and their songs.

    ``level`` is how loud it will be (dBA). Raises ValueError for minutes that are none.
    """
    low, high = MINUTES_RANGE
    if not (math.isfinite(minutes) and low <= minutes <= high):
        raise ValueError(f"the time is {minutes:g} min; expected {low:g} to {high:g} min")
    rows = [row for row in progress(document, log.practice, today) if _can_be_played(document, row.plan)]
    own = [row for row in rows if row.state != DRAFTED]
    over = sum(log.minutes.values())
    if not own:
        return Today((_first_of_all(document, rows),), minutes, over, (), ())
    left = math.floor(max(0.0, minutes - over))
    # What was at home and is only not played for a while is due, not to be climbed again.
    home = {row.plan.id: row for row in progress(document, log.practice) if row.state == CLEAN}
    items = _Planner(document, log, own, home.keys(), today, minutes, left).items() if left >= 1 else ()
    forecasts = []
    for row in own:
        found = forecast(log.points.get(document.practice_id(row.plan.id), ()), row.plan.tempo)
        if found is not None and row.state != CLEAN:
            forecasts.append((row.plan, found))
    shown = tuple(home.get(row.plan.id, row) for row in own)
    ears = hearing_words(level, over + sum(i.minutes for i in items if i.what != BREAK))
    return Today(items, minutes, over, tuple(forecasts), (BEFORE, ears, ALWAYS) if items else (ears,), shown)


def _first_of_all(document: Document, rows: Sequence[PlanProgress]) -> Item:
    """What to do where nothing was committed or played."""
    if not rows:
        why = "there is nothing to practise yet: write what you want to play, with a hand for every stroke"
        return Item(WRITE, "", "", None, 0.0, why)
    plan = rows[0].plan
    why = "nothing is committed yet: choose its hands in Reach and commit it, then it is planned into the days"
    return Item(COMMIT, plan.id, plan.name, plan.tempo, 0.0, why)


def _can_be_played(document: Document, plan: Plan) -> bool:
    try:
        pattern = read_text(document.score(plan.pattern).text, document.kit(plan.kit))
    except (StrokeTextError, MissingError, ValueError):
        return False
    return bool(pattern.strokes) and not pattern.unassigned and not pattern.faults


def held_days(practice: PlanPractice, home: float) -> int:
    """On how many days the whole figure was clean at ``home`` tempo (BPM) since it last failed there or below."""
    days: set[date] = set()
    for one in practice.recent:
        if one.verdict == "clean" and one.tempo >= home - 1e-9:
            days.add(one.day)
        elif one.verdict != "clean" and one.tempo <= home + 1e-9 and one.day not in days:
            days.clear()
    return len(days)


def interval(days: int) -> int:
    """Days until what held on so many days is due again."""
    return int(min(LONGEST_INTERVAL, FIRST_INTERVAL * 2 ** max(0, days - 1)))


class _Planner:
    """Fills what is left of a day."""

    def __init__(
        self, document: Document, log: Played, rows: Sequence[PlanProgress], home: Collection[str], today: date,
        asked: float, left: float,
    ) -> None:  # fmt: skip
        #: The ids of plans that are at home are in ``home``.
        self.document, self.log, self.rows, self.home = document, log, rows, home
        self.today, self.asked, self.left = today, asked, left
        self.begun = sum(log.minutes.values()) > 0

    def items(self) -> tuple[Item, ...]:
        """Everything, in the order in which it is played."""
        climbing = self._climbing()
        take = self._take(climbing)
        chunk = self._chunk(climbing) if self.left >= ROOM_FOR_CHUNK else None
        warm = [] if self.begun else [self._warm_up(climbing)]
        last = [take] if take is not None else []
        room = self.left - sum(item.minutes for item in (*warm, *last))
        breaks = 0
        while True:
            middle = self._middle(climbing, chunk, room - BREAK_MIN * breaks)
            found = _with_breaks([*warm, *middle, *last])
            count = sum(item.what == BREAK for item in found)
            if count <= breaks:
                return found
            breaks = count

    def _middle(self, climbing: Sequence[PlanProgress], chunk: Item | None, room: float) -> list[Item]:
        """What comes between warm-up and take, for so many minutes."""
        room -= chunk.minutes if chunk is not None else 0.0
        due = self._due(room * DUE_SHARE if climbing else room, also_early=not climbing)
        room -= sum(item.minutes for item in due)
        rungs = self._rungs(climbing, room) if climbing else self._above_home(room, nothing_else=not due)
        room -= sum(item.minutes for item in rungs)
        known = {item.plan for item in due}
        early = [one for one in self._due(room, also_early=True) if one.plan not in known] if climbing else []
        room -= sum(item.minutes for item in early)
        again: list[Item] = []
        for item in rungs * MOST_ROUNDS:
            minutes = min(MOST_RUNGS_MIN, math.floor(room))
            if minutes < RUNGS_MIN:
                break
            again.append(
                item._replace(minutes=minutes, why="once more, from two rungs lower: what held earlier holds?")
            )
            room -= minutes
        # What breaks by itself, then the whole that it is part of.
        return [*due, *([chunk] if chunk is not None else []), *rungs, *early, *again]

    def _practice(self, plan: Plan) -> PlanPractice:
        return self.log.practice.get(self.document.practice_id(plan.id), UNPLAYED)

    def _near(self, row: PlanProgress) -> bool:
        """Whether a plan is clean near its home tempo."""
        return row.plan.id in self.home or row.share >= NEARLY

    def _days_ago(self, row: PlanProgress) -> int | None:
        return None if row.last is None else max(0, (self.today - row.last.date()).days)

    def _played_today(self, row: PlanProgress) -> float:
        return self.log.minutes.get(self.document.practice_id(row.plan.id), 0.0)

    def _climbing(self) -> list[PlanProgress]:
        """Plans that are not home yet: those left longest first, and new ones after them, few at a time."""
        on_the_way = [row for row in self.rows if row.plan.id not in self.home and row.state != COMMITTED]
        on_the_way.sort(key=lambda row: (self._played_today(row) > 0, -(self._days_ago(row) or 0), -row.share))
        new = 1 if on_the_way else max(1, int(self.left // MINUTES_A_NEW_ONE))
        return on_the_way + [row for row in self.rows if row.state == COMMITTED][:new]

    def _warm_up(self, climbing: Sequence[PlanProgress]) -> Item:
        known = [row for row in self.rows if row.clean_tempo is not None]
        minutes = min(5.0, max(1.0, float(round(0.15 * self.left))))
        if known:
            row = min(known, key=lambda row: (row.plan.tempo, row.plan.name))
            tempo = float(round(WARM * (row.clean_tempo or row.plan.tempo)))
            why = f"loose and slow: it is clean at {row.clean_tempo:.0f} BPM, this is well below"
        else:
            row = climbing[0] if climbing else self.rows[0]
            tempo, why = self._start_of(row), "loose and slow, before anything is asked of the hands"
        return Item(WARM_UP, row.plan.id, row.plan.name, tempo, minutes, why)

    def _start_of(self, row: PlanProgress) -> float:
        """Where a plan without a clean tempo begins."""
        limit = analyse_plan(self.document, row.plan).summary.tempo_limit
        return float(begin_below(limit, row.plan.tempo))

    def _due(self, room: float, also_early: bool) -> list[Item]:
        """What held and wants to be played again, the most overdue first."""
        found: list[tuple[float, Item]] = []
        for row in self.rows:
            if row.plan.id not in self.home or self._played_today(row) > 0:
                continue
            days = max(1, held_days(self._practice(row.plan), row.plan.tempo))
            ago = self._days_ago(row) or 0
            late = ago / interval(days)
            if late >= 1 or also_early:
                held = f"it held on {counted(days, 'day')}, last {_ago(ago)}"
                why = (
                    f"{held}: due every {interval(days)} days" if late >= 1 else f"{held}: not due yet, there is time"
                )
                found.append((late, Item(DUE, row.plan.id, row.plan.name, row.plan.tempo, DUE_MIN, why)))
        found += self._songs()
        found.sort(key=lambda one: -one[0])
        items: list[Item] = []
        for _, item in found:
            if item.minutes <= room + 1e-9:
                items.append(item)
                room -= item.minutes
        return items

    def _songs(self) -> list[tuple[float, Item]]:
        """Songs whose plans are all near their tempi, and that were not played through of late."""
        rows = {row.plan.id: row for row in self.rows}
        found = []
        for song in self.document.songs:
            parts = [rows.get(section.plan) for section in song.sections]
            if not parts or any(row is None or not self._near(row) for row in parts):
                continue
            practice = self.log.practice.get(self.document.practice_id(f"chain {song.id}"), UNPLAYED)
            ago = None if practice.last is None else (self.today - practice.last.date()).days
            if ago is None or ago >= SONG_INTERVAL:
                tempo = song.tempo or min(row.plan.tempo for row in parts if row is not None)
                since = "never yet" if ago is None else f"last {_ago(ago)}"
                why = f"its plans are at home: play them one after the other, {since}"
                late = 1.0 if ago is None else ago / SONG_INTERVAL
                found.append((late, Item(SONG, song.id, song.name, tempo, SONG_MIN, why)))
        return found

    def _chunk(self, climbing: Sequence[PlanProgress]) -> Item | None:
        """The part that breaks first, of the plan that is most held up by it."""
        for row in sorted(climbing, key=lambda row: not row.stuck):
            plan, document = row.plan, self.document
            if row.clean_tempo is None or document.practice_id(plan.id) in self.log.chunked:
                continue
            kit, player = document.kit(plan.kit), document.player(plan.player)
            pattern = read_text(document.score(plan.pattern).text, kit)
            stages = build_chunks(pattern, kit, player, plan.tempo, repeat=plan.repeat, weights=plan.weights)
            if len(stages) < 2:
                continue
            slowest, whole = stages[0], stages[-1].tempo_limit
            limit = slowest.tempo_limit
            if limit is None or whole is None or not (row.stuck or whole < plan.tempo):
                continue
            tempo = float(math.floor(min(plan.tempo, NEARLY * limit)))
            stuck = "it is stuck; " if row.stuck else ""
            why = f"{stuck}{slowest.name} breaks first, at {limit:.0f} BPM: by itself, with the stroke after it"
            return Item(CHUNK, plan.id, plan.name, tempo, CHUNK_MIN, why, slowest.name)
        return None

    def _rungs(self, climbing: Sequence[PlanProgress], room: float) -> list[Item]:
        """The next rungs of as many plans as there is time for."""
        if room < 1 or not climbing:
            return []
        chosen = climbing[: max(1, min(len(climbing), int(room // RUNGS_MIN)))]
        each = math.floor(room / len(chosen))
        first = room - each * (len(chosen) - 1)
        return [self._rung(row, min(MOST_RUNGS_MIN, each if k else first)) for k, row in enumerate(chosen)]

    def _above_home(self, room: float, nothing_else: bool) -> list[Item]:
        """Where everything is at home, time is for going a little above it."""
        found: list[Item] = []
        for row in sorted(self.rows, key=lambda row: self._played_today(row)):
            minutes = float(min(MOST_RUNGS_MIN, math.floor(room)))
            if minutes < (1 if nothing_else and not found else RUNGS_MIN / 2):
                break
            tempo = float(round(ABOVE_HOME * row.plan.tempo))
            why = f"at home at {row.plan.tempo:g}: a little above it, so that home feels relaxed"
            found.append(Item(RUNGS, row.plan.id, row.plan.name, tempo, minutes, why))
            room -= minutes
        return found

    def _rung(self, row: PlanProgress, minutes: float) -> Item:
        if row.clean_tempo is None:
            new = row.state == COMMITTED
            why = "committed and not begun: the first rungs" if new else "nothing is clean yet: slower"
            return Item(RUNGS, row.plan.id, row.plan.name, self._start_of(row), minutes, why)
        tempo = float(min(row.plan.tempo, round(SHRINKING.next(row.clean_tempo, row.plan.tempo))))
        away = self._days_ago(row)
        since = f", last played {_ago(away)}" if away else ""
        why = f"clean at {row.clean_tempo:.0f} BPM on the way to {row.plan.tempo:g}{since}"
        if row.stuck:
            why += "; stuck: two rungs back first, or other hands in Reach"
        return Item(RUNGS, row.plan.id, row.plan.name, tempo, minutes, why)

    def _take(self, climbing: Sequence[PlanProgress]) -> Item | None:
        """What is recorded at the end: the plan nearest its home tempo, or a hand test."""
        if self.asked < ROOM_FOR_TAKE or self.left < TAKE_MIN + 1 or self.log.took == self.today:
            return None
        known = [row for row in climbing if row.clean_tempo is not None]
        nearest = max(known, key=lambda row: row.share, default=None)
        untested = self.log.tested is None or (self.today - self.log.tested).days >= TEST_AGAIN
        if untested and len(self.log.practice) > 0 and (nearest is None or nearest.share < NEARLY):
            since = (
                "never done yet" if self.log.tested is None else f"last {_ago((self.today - self.log.tested).days)}"
            )
            return Item(TEST, "", "", None, TAKE_MIN, f"how fast each hand is by itself: {since}")
        if nearest is not None:
            at = nearest.plan.tempo if nearest.share >= NEARLY else float(round(nearest.clean_tempo or 0.0))
            why = "record it: the check hears what one does not hear while playing"
            return Item(TAKE, nearest.plan.id, nearest.plan.name, at, TAKE_MIN, why)
        clean = [row for row in self.rows if row.plan.id in self.home]
        if clean:
            row = clean[self.today.toordinal() % len(clean)]
            return Item(
                TAKE, row.plan.id, row.plan.name, row.plan.tempo, TAKE_MIN, "record what is at home: does it hold?"
            )
        return None


def _with_breaks(items: Sequence[Item]) -> tuple[Item, ...]:
    """Items with a break before the one in which 25 minutes without any would be well over."""
    found: list[Item] = []
    unbroken = 0.0
    for k, item in enumerate(items):
        to_come = sum(one.minutes for one in items[k:])
        too_long = unbroken + item.minutes > UNBROKEN_MIN + NO_BREAK_FOR and unbroken >= UNBROKEN_MIN / 3
        if too_long and to_come > NO_BREAK_FOR:
            found.append(Item(BREAK, "", "", None, BREAK_MIN, "stand up, shake out, drink something"))
            unbroken = 0.0
        found.append(item)
        unbroken += item.minutes
    return tuple(found)


def _ago(days: int) -> str:
    return "today" if days == 0 else "yesterday" if days == 1 else f"{days} days ago"
