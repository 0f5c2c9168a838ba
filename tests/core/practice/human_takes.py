"""Takes as people play them, made apart from the app's own simulated kit, with every kind of fault in three sizes.

``python -m tests.core.practice.human_takes`` prints the whole table: how many takes of each kind are refused, and how
often the first line of the advice says what it is.

How people time strokes, for the three players below: intervals vary by a central clock and by the limb that carries
them out, and the limb's part is made good by the next interval (Wing and Kristofferson 1973); the clock wanders
slowly (1/f noise: Hennig et al. 2011, "The nature and perception of fluctuations in human musical rhythms", PLoS ONE
6(10)); limbs that strike together differ by a few milliseconds that are theirs (Hirsh 1959 gives 20 ms for telling
the order). The sizes of these parts for the three players are common practice, without a source.
"""

# Long: one player, and a table of what can go wrong.
from __future__ import annotations

import argparse
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core import layout, parse
from deft_reach.core.model.pattern import Pattern, Stroke
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take import check_take
from deft_reach.core.practice.take_report import Take
from deft_reach.formats.general_midi import kit_keys, pattern_keys

KIT: Final = layout("five-double")
CRASH, CLICK, HAT, SNARE, BASS, SIDE_STICK = 49, 33, 42, 38, 36, 37


class Drummer(NamedTuple):
    """Spread of the clock (part of an interval), of a limb (s), of a limb's own lag (s), and of loudness."""

    name: str
    clock: float
    limb: float
    lag: float
    loud: float


PLAYERS: Final = (
    Drummer("advanced", 0.006, 0.0045, 0.002, 5.0),
    Drummer("intermediate", 0.010, 0.0085, 0.003, 8.0),
    Drummer("beginner", 0.016, 0.0125, 0.004, 10.0),
)


class Figure(NamedTuple):
    """A figure and the tempo it is played at."""

    name: str
    text: str
    tempo: float


FIGURES: Final = (
    Figure("rock", "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh+K R@hh+L> R@hh |", 104),
    Figure(
        "sixteenths",
        "/16 R@hh+K L@hh R@hh L@hh R@sn> L@hh R@hh+K L@hh R@hh+K L@hh R@hh L@hh R@sn> L@hh R@hh L@hh |", 92,
    ),
    Figure("ghosts", "/16 R@hh+K - R@hh L. R@hh+L> L. R@hh K R@hh+K L. R@hh K R@hh+L> L. R@hh - |", 88),
    Figure("shuffle", "/8t R@hh+K - R@hh R@hh+L> - R@hh R@hh+K - R@hh R@hh+L> - R@hh |", 112),
    Figure("ride", "/8t R@rd+K - - R@rd+H - R@rd R@rd+K - - R@rd+H - R@rd |", 132),
    Figure("bossa", "/8 R@hh+K L@snx R@hh R@hh+L@snx+K R@hh+K R@hh L@snx+R@hh R@hh+K |", 120),
    Figure("open hats", "/8 R@hh+K R@hh R@hh+L> R@hho R@hh+K R@hh R@hh+L> R@hho |", 108),
    Figure("paradiddle", "/16 R> L R R L> R L L R> L R R L> R L L |", 100),
    Figure("singles", "/16 R> L R L R> L R L R> L R L R> L R L |", 110),
    Figure("doubles", "/16 R> R L L R> R L L R> R L L R> R L L |", 96),
    Figure("triplets", "/8t R> L R L> R L R> L R L> R L |", 120),
    Figure("flams", "/8 fR> L fL> R fR> L fL> R |", 84),
    Figure("drags", "/8 dR L dR L R> L dR> L |", 80),
    Figure("linear", "/16 R@hh L K R@hh L K R@hh L R@t1 L@t1 K K R@ft L@ft K - |", 92),
    Figure("fill", "/16 R@sn L@sn R@sn L@sn R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft |", 100),
    Figure("feet", "/16 (R@ft L@ft K K) (R@t1 L@t1 K K) (R L K K) (R@ft L@ft K K) |", 90),
    Figure("six-eight", "meter 6/8 /8 R@hh+K R@hh R@hh R@hh+L> R@hh R@hh+K |", 150),
    Figure("buzz", "/8 R> L R~ L R> L~ R L |", 92),
)  # fmt: skip
BY_NAME: Final = {figure.name: figure for figure in FIGURES}
LOUD: Final = {">": 112.0, "": 80.0, ".": 36.0}


@dataclass
class Note:
    """One stroke to be played: which round and stroke, when (s), on which key and how loud; ``graces`` before it."""

    turn: int
    stroke: Stroke
    time: float
    key: int
    loud: float
    graces: list[tuple[float, int]] = field(default_factory=list)
    gone: bool = False
    astray: float = 0.0


@dataclass
class Played:
    """A take in the making: its notes in time order and what else was struck."""

    pattern: Pattern
    tempo: float
    rounds: int
    random: np.random.Generator
    notes: list[Note]
    more: list[Hit] = field(default_factory=list)

    @property
    def beat(self) -> float:
        return 60.0 / self.tempo

    @property
    def middle(self) -> int:
        """A round in the middle."""
        return self.rounds // 2

    def where(self, ask: Callable[[Stroke], bool]) -> list[Note]:
        return [note for note in self.notes if ask(note.stroke)]

    def after(self, turn: int, beat: float) -> list[Note]:
        """The notes from a beat of a round on (0 is its first)."""
        return [n for n in self.notes if (n.turn, float(n.stroke.start) * 4) >= (turn, beat - 1e-9)]

    def hits(self) -> list[Hit]:
        found = list(self.more)
        for note in self.notes:
            if note.gone:
                continue
            level = int(np.clip(round(note.loud), 1, 127))
            for before, key in note.graces:
                found.append(Hit(note.time - before, key, max(1, int(level * 0.4))))
            found.append(Hit(note.time, note.key, level))
            if "~" in note.stroke.marks:
                found += self._buzz(note, level)
        first = min(hit.time for hit in found)
        return sorted(hit._replace(time=round(hit.time - first + 0.8, 4)) for hit in found)

    def _buzz(self, note: Note, level: int) -> list[Hit]:
        """A pressed stick bounces on until the next stroke, ever softer."""
        later = [n.time for n in self.notes if n.time > note.time + 0.02]
        until = min(later, default=note.time + 0.3) - 0.03
        at, bounces = note.time, []
        while True:
            at += float(self.random.uniform(0.026, 0.042))
            level = int(level * self.random.uniform(0.72, 0.92))
            if at >= until or level < 8:
                return bounces
            bounces.append(Hit(at, note.key, level))


def wander(random: np.random.Generator, count: int) -> np.ndarray:
    """Noise whose power falls with frequency (1/f), of standard deviation 1; (count,)."""
    spectrum = np.fft.rfft(random.normal(size=count))
    spectrum /= np.sqrt(np.maximum(np.arange(len(spectrum)), 1.0))
    noise = np.fft.irfft(spectrum, count)
    return noise / max(float(noise.std()), 1e-9)


def play(figure: Figure, who: Drummer, seed: int, rounds: int = 8) -> Played:
    """A drummer plays a figure as well as they can."""
    random = np.random.default_rng(seed)
    pattern = parse(figure.text)
    keys, _ = pattern_keys(KIT, pattern)
    whole = 240.0 / figure.tempo
    length = float(pattern.length)
    starts = sorted({float(s.start) + turn * length for turn in range(rounds) for s in pattern.strokes})
    steps = np.diff(starts, prepend=0.0) * whole
    # Shorter intervals vary less, but not in proportion: their variances add up.
    clock = wander(random, len(starts)) * who.clock * np.sqrt(steps * 60.0 / figure.tempo)
    # The player hears where the others are, or the beat inside: what has gone astray is made good (Repp 2005).
    at, off, astray = {}, {}, 0.0
    for start, noise in zip(starts, clock.tolist()):
        astray = 0.93 * astray + noise
        at[start], off[start] = start * whole + astray, astray
    lag = {limb: float(random.normal(0.0, who.lag)) for limb in sorted({s.limb for s in pattern.strokes})}
    notes = []
    for turn in range(rounds):
        for s in pattern.strokes:
            mark = ">" if ">" in s.marks else "." if "." in s.marks else ""
            time = at[float(s.start) + turn * length] + lag[s.limb] + float(random.normal(0.0, who.limb))
            count = {"": 0, "f": 1, "d": 2, "u": 3}[s.grace]
            wide = [0.028 + 0.045 * k + float(random.normal(0.0, 0.4 * who.limb)) for k in range(count)]
            graces = [(max(0.014, before), keys[s.index]) for before in wide]
            loud = LOUD[mark] + float(random.normal(0.0, who.loud * (0.6 if mark == "." else 1.0)))
            astray = off[float(s.start) + turn * length]
            notes.append(Note(turn, s, time, keys[s.index], loud, graces, astray=astray))
    notes.sort(key=lambda n: n.time)
    return Played(pattern, figure.tempo, rounds, random, notes)


# --- faults: each changes a take in place; ``size`` is 0, 1 or 2 ------------------------------------------------


def limb_off(limb: str, *ms: float) -> Callable[[Played, int], None]:
    def change(take: Played, size: int) -> None:
        for note in take.where(lambda s: s.limb == limb):
            note.time += ms[size] / 1000

    return change


def backbeat_late(take: Played, size: int) -> None:
    for note in take.where(lambda s: ">" in s.marks and s.voice == "sn" and s.limb == "L"):
        note.time += (0.025, 0.035, 0.050)[size]


def place_off(take: Played, size: int) -> None:
    index = len(take.pattern.strokes) // 2 + 1
    for note in take.where(lambda s: s.index == index):
        note.time += (0.032, 0.045, 0.060)[size]


def feet_rush(take: Played, size: int) -> None:
    part = (0.8, 0.7, 0.6)[size]
    last: Note | None = None
    for note in take.notes:
        if note.stroke.limb == "K" and last is not None and note.turn == last.turn:
            step = float(note.stroke.start - last.stroke.start)
            if abs(step - 1 / 16) < 1e-6:
                note.time -= (1 - part) * step * 4 * take.beat
        last = note if note.stroke.limb == "K" else None


def doubles_uneven(take: Played, size: int) -> None:
    part = (0.82, 0.75, 0.65)[size]
    last: Note | None = None
    for note in sorted(take.notes, key=lambda n: (n.turn, n.stroke.start)):
        double = last is not None and last.stroke.limb == note.stroke.limb
        if double and last is not None:
            note.time -= (1 - part) * float(note.stroke.start - last.stroke.start) * 4 * take.beat
        last = None if double else note


def unsteady(take: Played, size: int) -> None:
    for note in take.notes:
        note.time += float(take.random.normal(0.0, (0.024, 0.030, 0.038)[size]))


def limb_unsteady(limb: str) -> Callable[[Played, int], None]:
    def change(take: Played, size: int) -> None:
        for note in take.where(lambda s: s.limb == limb):
            note.time += float(take.random.normal(0.0, (0.027, 0.034, 0.042)[size]))

    return change


def missed(take: Played, size: int) -> None:
    count = max(1, round((0.015, 0.03, 0.06)[size] * len(take.notes)))
    inner = [n for n in take.notes if 0 < n.turn < take.rounds - 1]
    for k in take.random.choice(len(inner), count, replace=False).tolist():
        inner[k].gone = True


def place_missed(take: Played, size: int) -> None:
    index = len(take.pattern.strokes) // 2
    for note in take.where(lambda s: s.index == index):
        note.gone = note.turn % (4, 2, 1)[size] == 0


def extra(take: Played, size: int) -> None:
    count = max(1, round((0.015, 0.03, 0.06)[size] * len(take.notes)))
    step = take.beat / 2
    for k in take.random.choice(len(take.notes) - 2, count, replace=False).tolist():
        note = take.notes[k + 1]
        later = [n.time for n in take.notes if n.time > note.time + 0.02]
        gap = min(later, default=note.time + step) - note.time
        take.more.append(Hit(note.time + 0.5 * gap, note.key, 70))


def beat_left_out(take: Played, size: int) -> None:
    beats, at = (1, 1, 0.5)[size], (1, 2, 1)[size]
    turn = take.middle
    for note in take.after(turn, at):
        if note.turn == turn and float(note.stroke.start) * 4 < at + beats - 1e-9:
            note.gone = True
        else:
            note.time -= beats * take.beat


def beat_twice(take: Played, size: int) -> None:
    beats, at = (1, 1, 0.5)[size], (1, 2, 1)[size]
    turn = take.middle
    again = [n for n in take.after(turn, at) if n.turn == turn and float(n.stroke.start) * 4 < at + beats - 1e-9]
    for note in take.after(turn, at):
        note.time += beats * take.beat
    for note in again:
        take.more.append(Hit(note.time - beats * take.beat, note.key, int(np.clip(note.loud, 1, 127))))


def pause(take: Played, size: int) -> None:
    for note in take.after(take.middle, (2, 1, 3)[size]):
        note.time += (0.18, 0.3, 0.7)[size]


def stumble(take: Played, size: int) -> None:
    """A few strokes go wrong, in time they come back in."""
    turn, at = take.middle, 1.0
    mine = [n for n in take.after(turn, at) if n.turn == turn and float(n.stroke.start) * 4 < at + 1.0 - 1e-9]
    for k, note in enumerate(mine):
        note.time += (0.075, 0.095, 0.11)[size] * (1 if k % 2 else -0.8)
        note.gone = k == 1 and size > 0
    take.more.append(Hit(mine[0].time + 0.4 * take.beat, mine[0].key, 60))


def unison_flam(take: Played, size: int) -> None:
    """The foot comes late wherever a hand strikes with it."""
    together = {e.start for e in take.pattern.events if e.hands and e.feet}
    for note in take.where(lambda s: s.limb == "K" and s.start in together):
        note.time += (0.027, 0.036, 0.050)[size]


def no_graces(take: Played, size: int) -> None:
    for note in take.where(lambda s: bool(s.grace)):
        if take.random.random() < (0.4, 0.7, 1.0)[size]:
            note.graces = []


def graces_wide(take: Played, size: int) -> None:
    for note in take.where(lambda s: bool(s.grace)):
        note.graces = [(before + (0.045, 0.055, 0.065)[size], key) for before, key in note.graces]


def on_key(wanted: int, key: int) -> Callable[[Played, int], None]:
    def change(take: Played, size: int) -> None:
        for note in take.notes:
            if note.key == wanted and take.random.random() < (0.8, 0.95, 1.0)[size]:
                note.key = key

    return change


def flat(take: Played, size: int) -> None:
    for note in take.notes:
        note.loud = 80 + (note.loud - 80) * (0.3, 0.15, 0.0)[size]


def ghosts_loud(take: Played, size: int) -> None:
    for note in take.where(lambda s: "." in s.marks):
        note.loud += (34, 40, 46)[size]


def drift(take: Played, size: int) -> None:
    first, last = take.notes[0].time, take.notes[-1].time
    for note in take.notes:
        part = (note.time - first) / (last - first)
        note.time = first + (last - first) * (np.log1p((0.06, 0.09, 0.14)[size] * part) / (0.06, 0.09, 0.14)[size])


def other_tempo(take: Played, size: int) -> None:
    for note in take.notes:
        note.time /= (1.05, 0.93, 1.12)[size]


def eighths_moved(by: float) -> Callable[[Played, int], None]:
    """Strokes off the beat moved by so much of a beat, at its least, more or most."""

    def change(take: Played, size: int) -> None:
        for note in take.notes:
            into = float(note.stroke.start) * 4 % 1.0
            if into > 0.4:
                note.time += by * (0.6, 0.8, 1.0)[size] * take.beat

    return change


def flub(take: Played, size: int) -> None:
    note = take.where(lambda s: s.index == len(take.pattern.strokes) // 2)[take.middle]
    note.time += (0.065, 0.08, 0.095)[size]


# --- what is no fault -------------------------------------------------------------------------------------------


def nothing(take: Played, size: int) -> None:
    del take, size


def count_in(take: Played, size: int) -> None:
    begin = take.notes[0].time
    key = (31, HAT, SIDE_STICK)[size]
    take.more += [Hit(begin - (k + 1) * take.beat, key, 84) for k in range(4)]


def noodling(take: Played, size: int) -> None:
    begin, end = take.notes[0].time, take.notes[-1].time
    for k in range((6, 12, 20)[size]):
        key = int(take.random.choice([SNARE, HAT, 48, 43, BASS]))
        take.more.append(Hit(begin - 1.2 - 0.21 * k - float(take.random.uniform(0, 0.1)), key, 60))
        take.more.append(Hit(end + 1.4 + 0.19 * k + float(take.random.uniform(0, 0.1)), key, 60))


def closing_one(take: Played, size: int) -> None:
    end = take.rounds * float(take.pattern.length) * 4 * take.beat
    for key in ((CRASH,), (CRASH, BASS), (SNARE, BASS))[size]:
        take.more.append(Hit(end + float(take.random.normal(0, 0.005)), key, 112))


def clicked(ms: float) -> Callable[[Played, int], None]:
    def change(take: Played, size: int) -> None:
        for note in take.notes:
            # With a click there is something to come back to.
            note.time += (1.0, -1.0, 0.7)[size] * ms / 1000 - 0.8 * note.astray
        count = round(take.rounds * float(take.pattern.length) * 4)
        take.more += [Hit(k * take.beat, CLICK, 90) for k in range(count)]

    return change


def retrigger(take: Played, size: int) -> None:
    for note in take.notes:
        if take.random.random() < (0.05, 0.1, 0.2)[size]:
            take.more.append(Hit(note.time + 0.016, note.key, max(1, int(0.4 * note.loud))))


def crosstalk(take: Played, size: int) -> None:
    for note in take.notes:
        if note.stroke.voice != "ft" and take.random.random() < (0.05, 0.1, 0.2)[size]:
            take.more.append(Hit(note.time + 0.002, 43, max(1, int(0.2 * note.loud))))


def zone_slips(take: Played, size: int) -> None:
    """The stick comes down a little off: another zone of the same pad now and then."""
    other = {SNARE: 40, HAT: 46, 46: HAT, 51: 53, SIDE_STICK: SNARE}
    for note in take.notes:
        if note.key in other and take.random.random() < (0.03, 0.06, 0.08)[size]:
            note.key = other[note.key]


def broken_off(take: Played, size: int) -> None:
    for note in sorted(take.notes, key=lambda n: n.time)[-(3, 5, 8)[size] :]:
        note.gone = True


#: In these it can be heard which beat it is; in a figure whose beats are all alike nobody misses one.
PLACED: Final = ("rock", "ghosts", "sixteenths", "fill", "linear", "open hats", "bossa")


class Kind(NamedTuple):
    """A kind of fault: what it does, on which figures it can be made, and what a teacher's first words are (None
    where nothing is wrong)."""

    name: str
    change: Callable[[Played, int], None]
    figures: tuple[str, ...]
    words: str | None


HANDED = ("singles", "triplets", "fill")
GROOVES = ("rock", "ghosts", "open hats", "six-eight")
SLIPPING = ("rock", "ghosts", "sixteenths", "paradiddle", "fill", "linear", "open hats", "doubles")
KINDS: Final = (
    Kind("left late", limb_off("L", 28, 38, 50), ("rock", "ghosts", "linear"), "left hand.*(late|apart|after)|apart"),
    Kind("hands differ", limb_off("L", 32, 40, 50), HANDED, "left hand.*(after the right|late)|right hand.*early"),
    # With nothing to say what the time is, the others may as well be late.
    Kind(
        "right early", limb_off("R", -30, -38, -48), ("rock", "six-eight", "open hats"),
        "right hand.*early|apart|(hand|foot) is .* late",
    ),
    Kind("foot late", limb_off("K", 30, 40, 50), ("rock", "six-eight", "linear"), "right foot.*late|apart"),
    Kind("backbeat late", backbeat_late, GROOVES, "left hand.*(late|apart)|apart"),
    Kind("one place late", place_off, ("singles", "paradiddle", "fill", "triplets", "sixteenths"), "late|apart"),
    Kind("feet rush", feet_rush, ("feet", "linear"), "[Ff]eet rush"),
    Kind("doubles uneven", doubles_uneven, ("doubles", "paradiddle"), "early|rush|second"),
    Kind("unsteady", unsteady, ("rock", "singles", "ghosts", "paradiddle", "fill", "shuffle"), "unsteady"),
    Kind("left unsteady", limb_unsteady("L"), ("rock", "ghosts", "linear"), "left hand is unsteady|unsteady"),
    Kind("missed", missed, SLIPPING, "miss"),
    Kind("place missed", place_missed, SLIPPING, "miss"),
    Kind("extra", extra, ("rock", "singles", "ghosts", "paradiddle", "fill"), "too many"),
    Kind("beat left out", beat_left_out, PLACED, "left out"),
    Kind("beat twice", beat_twice, PLACED, "twice"),
    Kind("pause", pause, SLIPPING, "stop"),
    Kind("stumble", stumble, SLIPPING, "stumble"),
    Kind("foot apart", unison_flam, ("rock", "ghosts", "open hats"), "apart|foot.*late"),
    Kind("no graces", no_graces, ("flams", "drags"), "grace.*missing"),
    Kind("graces wide", graces_wide, ("flams",), "before its stroke"),
    Kind("hats not opened", on_key(46, HAT), ("open hats",), "open"),
    Kind("no cross-stick", on_key(SIDE_STICK, SNARE), ("bossa",), "cross-stick"),
    Kind("bell for bow", on_key(51, 53), ("ride",), "bell"),
    Kind("flat", flat, ("ghosts", "paradiddle", "singles"), "[Aa]ccents|[Gg]hosts"),
    Kind("ghosts loud", ghosts_loud, ("ghosts",), "[Gg]host"),
    Kind("drift", drift, ("rock", "singles", "fill", "ghosts"), "pulse"),
    Kind("other tempo", other_tempo, ("rock", "singles", "fill", "paradiddle"), "was asked"),
    Kind("played straight", eighths_moved(-1 / 6), ("shuffle", "ride"), "straight"),
    Kind("swung", eighths_moved(1 / 6), ("rock", "open hats"), "swing|swung"),
    Kind("flub", flub, ("rock", "singles", "fill", "paradiddle"), "[Oo]nce"),
)  # fmt: skip
BUILT: Final = tuple(figure.name for figure in FIGURES)
FINE: Final = (
    Kind("clean", nothing, BUILT, None),
    Kind("count-in", count_in, ("rock", "fill", "paradiddle", "shuffle"), None),
    Kind("noodling", noodling, ("rock", "ghosts", "fill", "paradiddle"), None),
    Kind("closing one", closing_one, ("rock", "fill", "ghosts", "shuffle"), None),
    Kind("to a click", clicked(0.0), ("rock", "singles", "fill"), None),
    Kind("all off the click", clicked(20.0), ("rock", "singles", "fill"), None),
    Kind("double triggers", retrigger, ("rock", "singles", "fill"), None),
    Kind("crosstalk", crosstalk, ("rock", "singles", "paradiddle"), None),
    Kind("zone slips", zone_slips, ("rock", "ride", "bossa", "open hats"), None),
    Kind("broken off", broken_off, ("rock", "fill", "paradiddle"), None),
)


class Judged(NamedTuple):
    """One take and what was said of it."""

    kind: Kind
    size: int
    figure: str
    player: str
    seed: int
    found: Take

    @property
    def right(self) -> bool:
        """Whether the first line names the fault."""
        return self.kind.words is not None and re.search(self.kind.words, self.found.advice[0]) is not None


def check(take: Played) -> Take:
    """What the app says of a take."""
    keys, graces = pattern_keys(KIT, take.pattern)
    return check_take(
        take.pattern, keys, take.hits(), take.tempo, KIT, repeat=True, kit_keys=kit_keys(KIT), grace_keys=graces
    )


def takes(
    kinds: Sequence[Kind], sizes: Sequence[int] = (0, 1, 2), seeds: int = 1, players: Sequence[Drummer] = PLAYERS
) -> Iterator[Judged]:
    """Every kind in every size on all of its figures by all of the players."""
    for kind in kinds:
        for size in sizes:
            for k, name in enumerate(kind.figures):
                for p, who in enumerate(players):
                    for seed in range(seeds):
                        mine = 1 + seed + 1000 * (k + 100 * (p + 10 * (size + 10 * sum(map(ord, kind.name)))))
                        take = play(BY_NAME[name], who, mine)
                        kind.change(take, size)
                        yield Judged(kind, size, name, who.name, mine, check(take))


def table(found: Sequence[Judged]) -> str:
    """The takes by kind and size: refused, and first line right, each of how many."""
    lines = [f"{'kind':<18}{'size':>5}{'takes':>7}{'refused':>9}{'first':>7}"]
    groups: dict[tuple[str, int], list[Judged]] = {}
    for row in found:
        groups.setdefault((row.kind.name, row.size), []).append(row)
    for (name, size), rows in groups.items():
        refused = sum(r.found.verdict != "clean" for r in rows)
        first = sum(r.right for r in rows) if rows[0].kind.words else "–"
        lines.append(f"{name:<18}{size:>5}{len(rows):>7}{refused:>9}{first:>7}")
    return "\n".join(lines)


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--kind")
    parser.add_argument("--show", type=int, default=0, help="so many takes of each kind that are judged wrongly")
    asked = parser.parse_args()
    rows = list(takes([k for k in (*FINE, *KINDS) if asked.kind in (None, k.name)], seeds=asked.seeds))
    print(table(rows))
    for kind in (*FINE, *KINDS):
        wrong = [
            r for r in rows if r.kind is kind and (r.found.verdict != "clean" if kind.words is None else not r.right)
        ]
        for row in wrong[: asked.show]:
            print(f"\n{kind.name} {row.size} {row.figure} {row.player} seed {row.seed}: {row.found.verdict}")
            print("\n".join(f"   {line}" for line in row.found.advice[:5]))
    for who in PLAYERS:
        fine = [r for r in rows if r.kind.words is None and r.player == who.name]
        if fine:
            refused = sum(r.found.verdict != "clean" for r in fine)
            print(f"{who.name}: {refused} of {len(fine)} refused though clean ({100 * refused / len(fine):.0f} %)")
    bad = [r for r in rows if r.kind.words is not None]
    if bad:
        through = sum(r.found.verdict == "clean" for r in bad)
        print(f"let through {through} of {len(bad)}; right word first {sum(r.right for r in bad)} of {len(bad)}")
