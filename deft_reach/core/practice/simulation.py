"""What was played: hits with their times, and a simulated electronic kit that plays a plan with chosen faults."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np

from deft_reach.core.model.elements import GRACE_NOTES
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hits import Hit

#: How loud strokes are played, 1 to 127.
GHOST, PLAIN, ACCENT = 38, 80, 115
#: A flam's grace comes so much before its stroke (seconds), and more graces so much before each other.
FLAM_S: Final = 0.03
GRACES_APART_S: Final = 0.045
#: A pad that sends a stroke twice does so after this, and another one is set off after that (seconds).
RETRIGGERS_AFTER_S, CROSSTALK_AFTER_S = 0.018, 0.003
#: So late (seconds) a stroke comes for each time its limit that it is played too fast.
STRAIN_S: Final = 0.4
#: General MIDI keys: what is set off by crosstalk (a low floor tom), and sticks struck together for a count-in.
OTHER_PAD, STICKS = 41, 31
#: General MIDI 2: a metronome's click.
CLICK: Final = 33


@dataclass(frozen=True)
class Faults:
    """What the simulated player does wrong; the defaults play it perfectly.

    ``late_left`` and ``late_right`` in seconds; ``rush_feet`` is how long the feet take from stroke to stroke of a
    run against what is written (0.7 rushes); ``uneven_doubles`` the same for the second stroke of a hand's double;
    ``missed`` is the share of strokes left out; ``extra`` the share of strokes that come twice; ``drift`` is how much
    faster the end is than the beginning (0.05: five percent); ``flat`` takes that much of the dynamics away (1: all);
    ``swapped`` exchanges accents and plain strokes of that share of accents; ``jitter`` is random unsteadiness in
    seconds. ``late_feet`` and ``late_hat_foot`` in seconds; ``flub`` lets one stroke in the middle of the take come
    that late (seconds); ``tempo`` is how much faster all of it is (0.1: ten percent); ``bare`` is the
    share of graced strokes without their graces and ``grace_width`` how wide graces are against what is usual.

    Not the player's faults but the kit's and the recording's: ``latency`` in seconds on everything; ``count_in`` so
    many beats before it; ``clicked`` with the click that it was played to; ``broken_off`` so many strokes missing at
    the very end; ``retrigger`` the share of strokes that their pad sends twice and ``crosstalk`` the share that sets
    another pad off.
    The same ``seed`` plays the same.
    """

    late_left: float = 0.0
    late_right: float = 0.0
    rush_feet: float = 1.0
    uneven_doubles: float = 1.0
    missed: float = 0.0
    extra: float = 0.0
    drift: float = 0.0
    flat: float = 0.0
    swapped: float = 0.0
    jitter: float = 0.0
    late_feet: float = 0.0
    late_hat_foot: float = 0.0
    flub: float = 0.0
    tempo: float = 0.0
    bare: float = 0.0
    grace_width: float = 1.0
    latency: float = 0.0
    count_in: int = 0
    clicked: bool = False
    broken_off: int = 0
    retrigger: float = 0.0
    crosstalk: float = 0.0
    seed: int = 1


class SimulatedTake(NamedTuple):
    """A simulated performance: the hits, and which strokes (round, index) were left out or played with another
    loudness.
    """

    hits: tuple[Hit, ...]
    missed: tuple[tuple[int, int], ...]
    swapped: tuple[tuple[int, int], ...]


def simulate(  # noqa: C901 - see below
    pattern: Pattern,
    keys: Sequence[int],
    tempo: float,
    faults: Faults = Faults(),
    rounds: int = 1,
    tempi: Sequence[float] | None = None,
    limits: Sequence[float | None] | None = None,
    grace_keys: Mapping[int, int] | None = None,
) -> SimulatedTake:
    """The simulated electronic kit plays a pattern ``rounds`` times; ``keys`` has a General MIDI key for each stroke.

    ``tempi`` gives each round a tempo of its own. ``limits`` are each stroke's tempo limit: above it a stroke comes
    too late, the later the further above. ``grace_keys`` has the keys of graces that fall on another pad than their
    stroke, by the stroke's index.

    It begins half a second in, as a drummer does who has just pressed a button.
    """
    # Long: one fault after the other, on each stroke.
    random = np.random.default_rng(faults.seed)
    whole = 240.0 / ((tempo if tempi is None else tempi[0]) * (1.0 + faults.tempo))
    length = float(pattern.length)
    total = max(length * rounds, 1e-9)
    run_of = _runs(pattern)
    late = {LEFT: faults.late_left, RIGHT: faults.late_right, HAT_FOOT: faults.late_feet + faults.late_hat_foot}
    hits: list[Hit] = []
    missed: list[tuple[int, int]] = []
    swapped: list[tuple[int, int]] = []

    def place_time(turn: int, place: float) -> float:
        """When a place of a round (whole notes) is played, in seconds."""
        if tempi is None:
            # Ever faster: the time so far is the integral of a tempo that grows evenly.
            return whole * total * _warped((place + turn * length) / total, faults.drift)
        return 240.0 / (1.0 + faults.tempo) * (length * sum(1.0 / t for t in tempi[:turn]) + place / tempi[turn])

    for turn in range(rounds):
        for s, key in zip(pattern.strokes, keys):
            at = pattern.starts[s.index]
            if s.limb in FEET and faults.rush_feet != 1.0:
                at -= (1 - faults.rush_feet) * run_of.get(s.index, 0.0)
            if s.limb in HANDS and faults.uneven_doubles != 1.0 and s.index in run_of:
                at -= (1 - faults.uneven_doubles) * run_of[s.index]
            now = tempo if tempi is None else tempi[turn]
            time = place_time(turn, at) + s.shift / 1000
            limit = None if limits is None else limits[s.index]
            if limit is not None and now > limit:
                time += STRAIN_S * (now / limit - 1)
            time += late.get(s.limb, faults.late_feet)
            if faults.flub and turn == rounds // 2 and s.index == len(pattern.strokes) // 2:
                time += faults.flub
            time += float(random.normal(0.0, faults.jitter)) if faults.jitter else 0.0
            level = ACCENT if ">" in s.marks else GHOST if "." in s.marks else PLAIN
            if faults.swapped and ">" in s.marks and random.random() < faults.swapped:
                level = PLAIN - 25
                swapped.append((turn, s.index))
            level = round(PLAIN + (level - PLAIN) * (1 - faults.flat))
            if faults.missed and random.random() < faults.missed:
                missed.append((turn, s.index))
                continue
            bare = faults.bare > 0 and bool(s.grace) and random.random() < faults.bare
            for k in range(0 if bare else GRACE_NOTES[s.grace], 0, -1):
                before = FLAM_S * faults.grace_width + GRACES_APART_S * (k - 1)
                pad = (grace_keys or {}).get(s.index, key)
                hits.append(Hit(time - before, pad, round(GHOST + (level - GHOST) * 0.15)))
            hits.append(Hit(time, key, max(1, min(127, level))))
            if faults.extra and random.random() < faults.extra:
                hits.append(Hit(time + 0.37 * whole / 16, key, max(1, level - 30)))
            if faults.retrigger and random.random() < faults.retrigger:
                hits.append(Hit(time + RETRIGGERS_AFTER_S, key, max(1, level // 3)))
            if faults.crosstalk and random.random() < faults.crosstalk:
                hits.append(Hit(time + CROSSTALK_AFTER_S, OTHER_PAD, max(1, level // 5)))
    if faults.broken_off:
        hits = sorted(hits)[: -faults.broken_off]
    if faults.count_in:
        begin = min((hit.time for hit in hits), default=0.0)
        hits += [Hit(begin - whole / 4 * (k + 1), STICKS, PLAIN) for k in range(faults.count_in)]
    if faults.clicked:
        beats = int(length * rounds * 4 + 1e-9)
        hits += [Hit(place_time(*_turn_of(k / 4, length)), CLICK, PLAIN) for k in range(beats)]
    hits = [hit._replace(time=hit.time + faults.latency) for hit in hits]
    first = min((hit.time for hit in hits), default=0.0)
    moved = sorted(hit._replace(time=hit.time - min(first, 0.0) + 0.5) for hit in hits)
    return SimulatedTake(tuple(moved), tuple(missed), tuple(swapped))


def _turn_of(at: float, length: float) -> tuple[int, float]:
    """Which round a place (whole notes from the beginning) is in, and where in that round."""
    turn = int(at / length + 1e-9)
    return turn, max(0.0, at - turn * length)


def _warped(part: float, drift: float) -> float:
    """How much of the time has passed when ``part`` of the music has, if the tempo grows by ``drift`` over it."""
    return part if not drift else float(np.log1p(drift * part) / drift)


def _runs(pattern: Pattern) -> dict[int, float]:
    """How far into its run (whole notes) each stroke of a run of feet, or the second of a hand's double, is."""
    found: dict[int, float] = {}
    begin: float | None = None
    before = None
    for event in pattern.events:
        alone = len(event.strokes) == 1
        feet = bool(event.feet) and not event.hands
        if feet:
            begin = float(event.start) if begin is None else begin
            for i in event.indices:
                found[i] = float(event.start) - begin
        else:
            begin = None
        limb = event.strokes[0].limb if alone and event.hands else None
        if limb is not None and before is not None and before[0] == limb:
            found[event.indices[0]] = float(event.start) - before[1]
            # The third of three begins anew.
            before = None
        else:
            before = (limb, float(event.start)) if limb is not None else None
    return found
