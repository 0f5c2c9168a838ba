"""A plan learned in chunks: each alone, looped with the stroke it leads into, then with its neighbour, then all."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import NamedTuple

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.document import read_text
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Event, Pattern, lead_beat
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.compose import Frame, Onset, compose
from deft_reach.core.notation.stroke_text import StrokeTextError, strike_of
from deft_reach.core.notation.swing import straight
from deft_reach.core.practice.stages import STAGES, Stage


class Chunk(NamedTuple):
    """A stretch of a pattern: what it is called, and where it begins and ends (whole notes)."""

    name: str
    start: Fraction
    end: Fraction


def chunks_of(pattern: Pattern) -> tuple[Chunk, ...]:
    """A pattern's groups with what lies between them, or else its bars, or else its beats: those with strokes."""
    if len(pattern.groups) > 1:
        spans = list(_groups(pattern))
    elif len(pattern.bar_rows) > 1:
        spans = [(f"bar {bar.number}", bar.start, bar.start + bar.length) for bar in pattern.bar_rows]
    else:
        spans = list(_beats(pattern))
    chunks = (Chunk(*span) for span in spans)
    return tuple(c for c in chunks if any(c.start <= event.start < c.end for event in pattern.events))


def _groups(pattern: Pattern) -> Iterator[tuple[str, Fraction, Fraction]]:
    at = Fraction(0)
    for k, group in enumerate(pattern.groups, 1):
        if group.start > at:
            yield f"before group {k}", at, group.start
        at = group.start + group.length
        yield group.name or f"group {k}", group.start, at
    if at < pattern.length:
        yield "after the groups", at, pattern.length


def _beats(pattern: Pattern) -> Iterator[tuple[str, Fraction, Fraction]]:
    for bar in pattern.bar_rows:
        beat = lead_beat(bar.meter)
        count = math.ceil(bar.length / beat)
        for k in range(count):
            start = bar.start + k * beat
            yield f"beat {k + 1}", start, min(start + beat, bar.start + bar.length)


def build_chunks(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    *,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
) -> tuple[Stage, ...]:
    """The stages of a pattern that is learned in chunks.

    Each chunk is looped with the first stroke after it, so that the way out of it is practised too: the one that
    breaks first comes first. Then neighbours together, again the slowest pair first, then all of it.
    """
    # Swung strokes are cut where they are written.
    chunks = chunks_of(straight(pattern))
    found: list[Stage] = []
    if len(chunks) > 1:
        found += _stages(pattern, chunks, kit, player, tempo, repeat, weights, "by itself, with the stroke after it")
    if len(chunks) > 2:
        pairs = [Chunk(f"{a.name} and {b.name}", a.start, b.end) for a, b in pairwise(chunks)]
        found += _stages(pattern, pairs, kit, player, tempo, repeat, weights, "joined, with the stroke after them")
    report = analyse(pattern, kit, player, tempo, repeat=repeat, weights=weights)
    if pattern.strokes:
        found.append(Stage("everything", pattern.text, STAGES["everything"], report))
    return tuple(found)


def _stages(
    pattern: Pattern, chunks: Sequence[Chunk], kit: Kit, player: Player, tempo: float, repeat: bool, weights: Weights,
    why: str,
) -> list[Stage]:  # fmt: skip
    found = []
    for chunk in chunks:
        text = chunk_text(pattern, chunk.start, chunk.end, repeat)
        try:
            read = read_text(text, kit)
        except StrokeTextError:
            continue
        report = analyse(read, kit, player, tempo, repeat=True, weights=weights)
        found.append(Stage(chunk.name, text, why, report))
    # What repeats is practised once; of what breaks at the same tempo the earlier comes first.
    once = {stage.text: stage for stage in reversed(found)}
    found = [stage for stage in found if once[stage.text] is stage]
    return sorted(found, key=lambda stage: stage.tempo_limit or math.inf)


def chunk_text(pattern: Pattern, start: Fraction, end: Fraction, repeat: bool) -> str:
    """A stretch of a pattern as a text to be looped: its strokes and the first ones after it, up to full beats.

    It begins with the beat in which it begins, so that every stroke keeps its place in the beat.
    """
    swing, pattern = pattern.swing, straight(pattern)
    bar = pattern.bar_at(start)
    beat = lead_beat(bar.meter)
    origin = start - (start - bar.start + bar.offset) % beat
    inside = [event for event in pattern.events if start <= event.start < end]
    after = next(((event, event.start) for event in pattern.events if event.start >= end), None)
    if after is None and repeat and pattern.events:
        after = pattern.events[0], pattern.length + pattern.events[0].start
    rows = [(event, event.start - origin) for event in inside]
    last = end - origin
    if after is not None:
        rows.append((after[0], after[1] - origin))
        # Room for the stroke that it leads into, and a breath before it begins again.
        last = max(last, after[1] - origin + Fraction(1, 64))
    length = math.ceil(last / beat) * beat
    onsets = [Onset(at, _strikes(pattern, event)) for event, at in rows]
    beats = length / Fraction(1, bar.meter[1])
    meter = bar.meter if length % Fraction(*bar.meter) == 0 else (int(beats), bar.meter[1])
    return compose(onsets, Frame(((Fraction(0), meter),), length, swing=swing))


def _strikes(pattern: Pattern, event: Event) -> tuple[Strike, ...]:
    return tuple(strike_of(pattern, index) for index in event.indices)
