"""Where a ladder is taken up again: what holds by the rule, less what was forgotten, after a few rungs to warm up."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Final, NamedTuple

from deft_reach.core.practice.ladder import Rung
from deft_reach.core.practice.progress_log import LAPSES, WHOLE, kept_after
from deft_reach.core.practice.stages import Stage
from deft_reach.core.practice.verdicts import CLEAN, THREE_CLEAN, Rule

#: So many rungs that hold are played once each before new ones, on every day. Common practice.
WARM_UP: Final = 2
#: A ladder was begun by tries below this part of its target.
BEGUN_BELOW: Final = 0.75
#: Tempi that differ by less (BPM) are one; and a rung so little (part) above what holds holds too: the rungs of
#: another ladder stand elsewhere.
SAME_BPM, SAME_RUNG = 0.5, 0.018


class RungTry(NamedTuple):
    """A logged attempt at a rung: its stage by name, its tempo (BPM), its verdict and its day."""

    stage: str
    tempo: float
    verdict: str
    day: date


class Resume(NamedTuple):
    """Which rung a session begins with, up to which one (exclusive) rungs are to warm up, and why, in words."""

    at: int = 0
    warm_up_to: int = 0
    why: str = ""


def resume(
    rungs: Sequence[Rung], stages: Sequence[Stage], tries: Sequence[RungTry], today: date, rule: Rule = THREE_CLEAN
) -> Resume:
    """Where to go on after these tries, the oldest first.

    A rung holds once it was clean as often in a row as the rule asks; it lapses by failures on another day, and
    sinks while it is not played. A day begins a few rungs below the first that does not hold.
    """
    asked = [(stages[rung.stage].name, rule.tries(rung.pace)) for rung in rungs]
    holds = {key: _standing(*key, tries, today) for key in set(asked)}
    stands = [holds[key] >= rung.tempo * (1 - SAME_RUNG) - 1e-9 for key, rung in zip(asked, rungs)]
    high = max((k for k, one in enumerate(stands) if one), default=-1)
    begin = min(high + 1, len(rungs) - 1)
    away = (today - max((one.day for one in tries), default=today)).days
    if high < 0:
        return Resume(why=f"Last played {away} days ago: from the first rung again" if kept_after(away) < 1 else "")
    if any(one.day == today for one in tries):
        return Resume(begin, begin, f"It holds up to {rungs[high].tempo:.4g} BPM")
    first = max(0, high + 1 - WARM_UP)
    since = f"Last played {away} days ago, it" if kept_after(away) < 1 else "It"
    why = f"{since} holds up to {rungs[high].tempo:.4g} BPM: first to warm up, one clean try a rung"
    return Resume(first, high + 1, why)


def _standing(stage: str, needed: int, tries: Sequence[RungTry], today: date) -> float:
    """The highest tempo (BPM) that a stage holds today, less what was forgotten; 0 where it holds none."""
    # The whole figure is the whole figure, in whichever frame it was played.
    names = WHOLE if stage in WHOLE else (stage,)
    mine = [one for one in tries if one.stage in names]
    held = ((tempo, _held(mine, tempo, needed)) for tempo in {one.tempo for one in mine})
    return max((tempo * kept_after((today - day).days) for tempo, day in held if day is not None), default=0.0)


def _held(tries: Sequence[RungTry], tempo: float, needed: int) -> date | None:
    """The day on which a tempo was last clean as often in a row as is needed, and has not lapsed since."""
    run = 0
    held: date | None = None
    failed: list[date] = []
    for one in tries:
        if one.verdict == CLEAN and one.tempo >= tempo - SAME_BPM:
            run += 1
            if run >= needed:
                held, failed = one.day, []
        elif one.verdict != CLEAN and one.tempo <= tempo + SAME_BPM:
            failed.append(one.day)
            if abs(one.tempo - tempo) <= SAME_BPM:
                run = 0
    lapsed = len(failed) >= LAPSES and any(day != held for day in failed)
    return None if lapsed else held


def lowest_tried(tries: Sequence[RungTry], target: float) -> float | None:
    """Where a ladder to ``target`` began that was climbed already (BPM): its rungs stay where they are, whatever the
    model says of the player since. None where nothing was tried well below the target.
    """
    return min((one.tempo for one in tries if one.tempo <= BEGUN_BELOW * target), default=None)


def nearest_rung(rungs: Sequence[Rung], stages: Sequence[Stage], tempo: float, stage: str = "") -> int:
    """The number of the highest rung not above a tempo (BPM), of the stage of that name, or else of the last one."""
    named = {k for k, one in enumerate(stages) if one.name == stage} or {rungs[-1].stage}
    mine = [k for k, rung in enumerate(rungs) if rung.stage in named]
    below = [k for k in mine if rungs[k].tempo <= tempo + SAME_BPM]
    return max(below, key=lambda k: (rungs[k].tempo, -k), default=mine[0])
