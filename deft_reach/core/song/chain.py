"""Plans chained into one pattern: sections after each other, pickups and landings laid over what they meet.

A plan's short first bar is a pickup: it lies over the end of what comes before, and takes from it the limbs it needs
while it lasts; the other limbs carry on. An unfinished last bar is a landing: it lies over the beginning of what
follows in the same way. Sections may have their own tempo; the chain's time is the first one's.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import Final

from deft_reach.core.analysis.finding import Severity
from deft_reach.core.document import Document, Plan, Section, Song, read_text
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.message import message
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.notation.compose import Frame, Onset, compose
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.notation.swing import straight
from deft_reach.core.song.chain_layout import _warp, lay_out
from deft_reach.core.song.parts import Chain, Part, Problem

#: A song longer than this many strokes is not chained.
MOST_STROKES: Final = 50_000
#: A tempo that changes by more than this between two sections is worth saying.
JUMP: Final = 0.08


def tempo_of(song: Song, section: Section, plan: Plan) -> float:
    """A section's tempo: its own, else the song's, else the plan's home tempo."""
    return section.tempo or song.tempo or plan.tempo


def kit_of(document: Document, song: Song) -> Kit | None:
    """The kit a song is played on: its own, else its first plan's; None for a song with nothing in it."""
    if song.kit is not None:
        return next((kit for kit in document.kits if kit.id == song.kit), None)
    first = next((s for s in song.sections if any(p.id == s.plan for p in document.plans)), None)
    return document.kit(document.plan(first.plan).kit) if first is not None else None


def chain_song(document: Document, song: Song, *, open_strokes: bool = False) -> Chain | None:
    """The song as one pattern, with what had to be left out said in ``problems``; None where nothing is left.

    Plans with ``open_strokes`` are left out unless that is asked for.
    """
    kit = kit_of(document, song)
    problems: list[Problem] = []
    if kit is None:
        return None
    parts, player = _parts(document, song, kit, problems, open_strokes)
    if not parts or player is None:
        return None
    repeat = song.repeat
    _check(parts, repeat, problems)
    nominal, origin = lay_out(parts, repeat)
    problems += _tempo_jumps(parts, repeat)
    return Chain(
        song, _warp(nominal, parts, repeat), nominal, parts[0].tempo, repeat, tuple(parts), origin, kit, player,
        tuple(problems),
    )  # fmt: skip


def problems_of(document: Document, song: Song) -> tuple[Problem, ...]:
    """What is to be said of a song's sections where there is no chain at all."""
    kit = kit_of(document, song)
    if not song.sections:
        return (Problem(None, Severity.NOTE, "The song is empty: add a plan to it."),)
    problems: list[Problem] = []
    if kit is None:
        return (Problem(None, Severity.STOP, "The song's kit is not in the document any more: choose another."),)
    _parts(document, song, kit, problems)
    return tuple(problems)


# --- what is chained --------------------------------------------------------------------------------------------


def _parts(
    document: Document, song: Song, kit: Kit, problems: list[Problem], open_strokes: bool = False
) -> tuple[list[Part], Player | None]:
    """Every round of every section that can be played, one after the other; problems say what cannot."""
    parts: list[Part] = []
    player: Player | None = None
    at = Fraction(0)
    strokes = 0
    for number, section in enumerate(song.sections):
        plan = next((p for p in document.plans if p.id == section.plan), None)
        if plan is None:
            problems.append(Problem(number, Severity.STOP, "its plan is not in the document any more"))
            continue
        try:
            pattern = read_text(document.score(plan.pattern).text, kit)
        except StrokeTextError as error:
            problems.append(Problem(number, Severity.STOP, f"“{plan.name}” cannot be read: {error}"))
            continue
        if not pattern.strokes:
            problems.append(Problem(number, Severity.STOP, f"“{plan.name}” has no strokes yet"))
            continue
        if pattern.unassigned and not open_strokes:
            problems.append(
                Problem(
                    number,
                    Severity.STOP,
                    f"“{plan.name}” has strokes without a hand (?): find the hands first",
                    open_hands=True,
                )
            )
            continue
        strokes += len(pattern.strokes) * section.times
        if strokes > MOST_STROKES:
            problems.append(
                Problem(number, Severity.STOP, f"the song is longer than {MOST_STROKES:,} strokes from here on")
            )
            break
        own = document.kit(plan.kit)
        if own.id != kit.id:
            lacking = sorted({s.voice for s in pattern.strokes if s.voice not in kit.voices})
            more = f"; it lacks {', '.join(lacking)}" if lacking else ""
            problems.append(
                Problem(
                    number, Severity.NOTE, f"“{plan.name}” was planned on {own.name}, here it is on {kit.name}{more}"
                )
            )
        if player is None:
            player = document.player(plan.player)
        elif document.player(plan.player) != player:
            problems.append(Problem(number, Severity.NOTE, f"“{plan.name}” was planned for another player"))
        head, body, tail = _measure(pattern, plan.repeat or section.times > 1 or not parts)
        for turn in range(section.times):
            tempo = tempo_of(song, section, plan)
            parts.append(Part(number, turn, plan, pattern, tempo, at, head, body, tail))
            at += body
    return parts, player


def _measure(pattern: Pattern, whole: bool) -> tuple[Fraction, Fraction, Fraction]:
    """Pickup, full bars and unfinished last bar of a pattern (whole notes).

    ``whole`` says that a pattern of nothing but a short bar is that bar, and no pickup to another.
    """
    head = pattern.pickup
    tail = Fraction(0)
    last = pattern.bar_rows[-1]
    closed = {bar.start + bar.length for bar in pattern.bar_rows if bar.offset + bar.length >= Fraction(*bar.meter)}
    if (last.start > 0 or not head) and last.start + last.length not in closed:
        tail = last.length
    body = pattern.length - head - tail
    if not body and (whole or not head):
        # All there is is a short bar, or an unfinished one: that is what is played.
        return Fraction(0), pattern.length, Fraction(0)
    return head, body, tail


def _check(parts: list[Part], repeat: bool, problems: list[Problem]) -> None:
    """Pickups and landings that reach further than there is anything: said, and cut to what there is."""
    total = sum((part.body for part in parts), Fraction(0))
    for k, part in enumerate(parts):
        before = total if repeat else part.start
        # Between two tempi a pickup has to fit into the section it runs out of, or it would not be one movement.
        if part.head > before and (k > 0 or repeat):
            parts[k] = part._replace(head=Fraction(0))
            if part.round == 0:
                problems.append(
                    Problem(
                        part.section, Severity.STOP,
                        f"the pickup of “{part.plan.name}” is {_beats(part.head)} long and only {_beats(before)} "
                        "come before it; it is left out",
                    )
                )  # fmt: skip
        after = total if repeat else total - part.start - part.body
        last = k == len(parts) - 1
        if parts[k].tail > after and (not last or repeat):
            parts[k] = parts[k]._replace(tail=Fraction(0))
            if part.round == 0:
                problems.append(
                    Problem(
                        part.section, Severity.STOP,
                        f"the landing of “{part.plan.name}” is longer than what follows it; it is left out",
                    )
                )  # fmt: skip


def _beats(length: Fraction) -> str:
    beats = length * 4
    number = str(beats.numerator) if beats.denominator == 1 else f"{float(beats):.2g}"
    return f"{number} beat{'s' if beats != 1 else ''}"


def _tempo_jumps(parts: Sequence[Part], repeat: bool) -> Iterator[Problem]:
    for a, b in _neighbours(parts, repeat):
        if a.section != b.section and a.tempo != b.tempo:
            change = b.tempo / a.tempo - 1
            if abs(change) > JUMP:
                yield Problem(
                    b.section,
                    Severity.NOTE,
                    message(
                        "the tempo jumps from {before:.4g} to {after:.4g} BPM ({change:+.0f} %)",
                        before=a.tempo,
                        after=b.tempo,
                        change=change * 100,
                    ),
                )


def _neighbours(parts: Sequence[Part], repeat: bool) -> Iterator[tuple[Part, Part]]:
    yield from pairwise(parts)
    if repeat and parts:
        yield parts[-1], parts[0]


# --- laying them out --------------------------------------------------------------------------------------------


# --- tempi ------------------------------------------------------------------------------------------------------


def written(chain: Chain) -> str:
    """The chain written out as stroke text, at one tempo. Raises ValueError where it has several."""
    if not chain.one_tempo:
        raise ValueError("sections at different tempi cannot be written out as one plan: give them one tempo")
    nominal, swings = chain.nominal, {part.pattern.swing for part in chain.parts}
    swing = swings.pop() if len(swings) == 1 else None
    if swing is not None:
        # All swing alike: written straight, under one setting.
        nominal, _ = lay_out([part._replace(pattern=straight(part.pattern)) for part in chain.parts], chain.repeat)
    rows: dict[Fraction, list[Strike]] = {}
    for s in nominal.strokes:
        rows.setdefault(s.start, []).append(s.strike())
    meters: list[tuple[Fraction, tuple[int, int]]] = []
    for bar in nominal.bar_rows:
        if not meters or meters[-1][1] != bar.meter:
            meters.append((bar.start, bar.meter))
    onsets = [Onset(start, tuple(strikes)) for start, strikes in sorted(rows.items())]
    frame = Frame(tuple(meters), nominal.length, nominal.pickup, swing=swing)
    return compose(onsets, frame)
