"""The take check: a performance held against a plan.

The performance is laid over the pattern (``take_alignment``); what is left between the two is put into numbers
(``take_statistics``), and these into a verdict and advice (``take_advice``).
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from typing import Final

import numpy as np

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.hit_matching import without_count_in, without_double_triggers
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_advice import advice_of, faults_of, verdict_of, whole_faults
from deft_reach.core.practice.take_alignment import Alignment
from deft_reach.core.practice.take_report import Take, TakeError
from deft_reach.core.practice.take_statistics import statistics_of

#: The keys of a metronome's click and bell (General MIDI 2).
CLICKS: Final = (33, 34)


def check_take(
    pattern: Pattern,
    keys: Sequence[int],
    hits: Sequence[Hit],
    tempo: float,
    kit: Kit,
    *,
    repeat: bool = False,
    tolerance_ms: float | None = None,
    free: Collection[int] = (),
    dynamics: bool = True,
    kit_keys: Collection[int] = (),
    grace_keys: Mapping[int, int] | None = None,
) -> Take:
    """Hold a performance against a pattern; ``keys`` has the General MIDI key of each stroke.

    ``grace_keys`` has those of graces that fall on another pad than their stroke, by the stroke's index.

    ``kit_keys`` are the keys that the kit's pieces send: hits of other keys that no stroke wants are not counted.

    ``tempo`` (BPM) is what was asked: the one that was played is found. With ``repeat``, or where it goes on longer,
    the pattern is taken round and round. ``tolerance_ms`` is how far off counts as on; without it, it goes with the
    grid. ``free`` are numbers of groups that may be laid back or stretched: their timing is shown and not judged.
    Without ``dynamics`` loudness is shown and not judged.

    Where a click was recorded with it (keys 33 and 34), that is the time; without one, most of what the limbs play.

    Raises TakeError for an empty performance or pattern.
    """
    if not pattern.strokes:
        raise TakeError("the plan has no strokes to hold it against")
    played = sorted(hit for hit in hits if hit.velocity > 0 and math.isfinite(hit.time))
    if not played:
        raise TakeError("there are no drum hits in this performance")
    own = set(keys)
    clicks = np.array([hit.time for hit in played if hit.key in CLICKS and hit.key not in own])
    played = [hit for hit in played if hit.key not in CLICKS or hit.key in own]
    if not played:
        raise TakeError("there is a click in this performance, and nothing played to it")
    played, ignored = without_double_triggers(played)
    played, before = without_count_in(played, {*own, *(grace_keys or {}).values()})
    ignored += before
    aligned = Alignment(
        pattern, keys, played, tempo, kit, repeat, tolerance_ms, frozenset(free), frozenset(kit_keys),
        grace_keys or {}, ignored, clicks,
    )  # fmt: skip
    numbers = statistics_of(aligned)
    whole, faults = whole_faults(aligned, numbers), faults_of(aligned, numbers, dynamics)
    count = len(pattern.strokes)
    late = {
        (int(k // count), int(aligned.stroke[k])): float(aligned.late[k] * 1000)
        for k in np.flatnonzero(aligned.match >= 0)
    }
    return Take(
        verdict_of(aligned, numbers, whole, faults), aligned.played_tempo, tempo, aligned.rounds,
        aligned.tolerance * 1000, numbers.limbs, numbers.voices, numbers.evenness, aligned.missed,
        tuple(float(aligned.times[j]) for j in aligned.extra), numbers.dynamics, numbers.flams, aligned.drift,
        tuple(advice_of(aligned, numbers, whole, faults, dynamics)), late, numbers.places,
        tuple(sorted(aligned.ignored)), tuple(sorted(numbers.slips, key=lambda row: (row.round, row.stroke))),
    )  # fmt: skip
