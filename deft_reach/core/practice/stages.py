"""A plan built up in stages: what is hard about it comes one thing at a time, each stage playable by itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from typing import Final

from deft_reach.core.analysis.analyse import DEFAULT_TEMPO, DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.finding import Severity
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Document, Plan, Score, Section, Song, read_text
from deft_reach.core.model.derived import newest
from deft_reach.core.model.elements import Step, Strike
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.limbs import FEET, HANDS, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Pattern, lead_beat
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import StrokeTextError, parse, rewrite, strike_of, write
from deft_reach.core.notation.swing import straight
from deft_reach.core.song.chain import chain_song, written

#: Every stage there can be, in order: its name, and the reason it exists.
STAGES: Final = {
    "skeleton": "its main strokes alone: what falls between them comes later, the bass drum stays",
    "hands on one surface": "the rhythm and the sticking alone, before anything has to travel",
    "unison guide": "a hand on every stroke of the feet: the grid is heard through, before the feet have it alone",
    "outer foot": "the bass-drum foot alone: it keeps the time into which the other foot fills",
    "with the feet": "hands and feet together, while the hands stay where they are",
    "dynamics": "accents, ghosts and graces: how high each stroke starts and ends",
    "hands round the kit": "where the hands go, while the feet rest",
    "everything": "the figure as it is meant",
    "groove alone": "the groove that it is played between, until it runs by itself",
    "between grooves": "into it and out of it, as it will be played",
}

#: Those that lead up to the whole figure.
ON_THE_WAY: Final = tuple(STAGES)[: tuple(STAGES).index("everything")]
#: Limits closer than this (BPM), and ease no further above, are the same.
SAME_BPM, SAME_EASE = 0.5, 3.0


@dataclass(frozen=True)
class Stage:
    """One stage: its name, its stroke text, why it is there, and what an analysis says of it."""

    name: str
    text: str
    why: str
    report: Report

    @property
    def tempo_limit(self) -> float | None:
        return self.report.summary.tempo_limit


def build_up(
    pattern: Pattern,
    kit: Kit,
    player: Player,
    tempo: float,
    *,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    groove: str | None = None,
    groove_times: int = 1,
    straight: bool = False,
    between: bool = True,
) -> tuple[Stage, ...]:
    """The stages of a pattern; those that would be the same as the one before are left out.

    ``groove`` is what it is played between in the last stage, ``groove_times`` before it and once after it; None
    takes a plain one. ``straight`` is for players who go straight to the kit: everything at once, then between
    grooves. Without ``between`` that last stage is left out.
    """
    cut_down = (("everything", pattern),) if straight and pattern.strokes else _cut_down(pattern, kit)
    rows = [(name, part, repeat) for name, part in cut_down]
    # A loop is a groove itself: it is not played between foreign ones.
    framed = _between(pattern, kit, groove, groove_times) if between and (groove is not None or not repeat) else None
    alone = _groove_for(pattern, kit, groove) if framed is not None and not straight else None
    rows += [(name, part, True) for name, part in (("groove alone", alone), ("between grooves", framed)) if part]
    stages = [
        Stage(name, part.text, STAGES[name], analyse(part, kit, player, tempo, repeat=loop, weights=weights))
        for name, part, loop in rows
    ]
    return tuple(stage for stage in stages if not _as_hard_as_all(stage, stages))


def _as_hard_as_all(stage: Stage, stages: Sequence[Stage]) -> bool:
    """Whether a stage on the way breaks exactly where the whole figure does: it would make nothing easier."""
    whole = next((one for one in stages if one.name == "everything"), None)
    if whole is None or stage.name not in ON_THE_WAY or stage is stages[0]:
        return False
    mine, all_of_it = stage.report.summary, whole.report.summary
    if mine.tempo_limit is None or all_of_it.tempo_limit is None or mine.bottleneck is None:
        return False
    return abs(mine.tempo_limit - all_of_it.tempo_limit) < SAME_BPM and mine.ease <= all_of_it.ease + SAME_EASE


@newest
def _cut_down(pattern: Pattern, kit: Kit) -> tuple[tuple[str, Pattern], ...]:
    """The stages up to everything, by name; none is the same as the one before."""
    texts = {
        "skeleton": _skeleton(pattern),
        "hands on one surface": _surface(pattern, feet=False, dynamics=False),
        "unison guide": _unison_guide(pattern),
        "outer foot": _outer_foot(pattern),
        "with the feet": _surface(pattern, feet=True, dynamics=False),
        "dynamics": _surface(pattern, feet=True, dynamics=True),
        "hands round the kit": _without(pattern, FEET),
        "everything": pattern.text,
    }
    found: list[tuple[str, Pattern]] = []
    seen: list[object] = []
    for name, text in texts.items():
        if text is None:
            continue
        new = read_text(text, kit)
        key = tuple((s.start, s.limb, s.voice, frozenset(s.marks), s.grace_text) for s in new.strokes)
        if not new.strokes or (key in seen and name != "everything"):
            continue
        if name == "everything" and key in seen:
            # What an earlier stage had is all there is: that one is everything.
            at = seen.index(key)
            found, seen = found[:at], seen[:at]
        seen.append(key)
        found.append((name, new))
    return tuple(found)


def chain_of(document: Document, plans: Sequence[Plan], times: int, tempo: float) -> str:
    """Several plans one after the other, each so many times, as one text; the first one's kit and player.

    Raises ValueError where one of them cannot be chained, naming it.
    """
    if not plans:
        raise ValueError("there are no plans to chain")
    sections = tuple(Section(plan.id, times) for plan in plans)
    song = Song("chain", "chain", sections, False, tempo, plans[0].kit)
    chain = chain_song(document, song)
    stops = [str(p.message) for p in chain.problems if p.severity is Severity.STOP] if chain is not None else []
    if chain is None or stops:
        raise ValueError(stops[0] if stops else "these plans cannot be chained")
    return written(chain)


def _surface(pattern: Pattern, feet: bool, dynamics: bool) -> str:
    """All hands on the snare; without feet, and without accents, ghosts and graces, unless asked for."""
    changes: dict[int, Strike | None] = {}
    struck: set[tuple[int, str]] = set()
    for s in pattern.strokes:
        if s.limb not in HANDS:
            if not feet:
                changes[s.index] = None
            elif not dynamics and s.marks.strip("o"):
                changes[s.index] = replace(
                    strike_of(pattern, s.index), marks=s.marks.replace(">", "").replace(".", "")
                )
            continue
        if (s.moment, s.limb) in struck:
            # A hand that strikes two voices at once strikes one surface once.
            changes[s.index] = None
            continue
        struck.add((s.moment, s.limb))
        marks = "".join(mark for mark in s.marks if mark in ">.~") if dynamics else ""
        changes[s.index] = Strike(s.limb, None, marks, s.grace if dynamics else "")
    return rewrite(pattern, changes)


def _skeleton(pattern: Pattern) -> str | None:
    """The hands' accents, and their strokes on the grid twice (of triplets three times) as wide but for ghosts, on
    one surface, over the bass drum; None where that leaves out little, or next to nothing.
    """
    starts = [event.start for event in pattern.events]
    gaps = [b - a for a, b in pairwise(starts)]
    if not gaps:
        return None
    wide = min(gaps) * (3 if on_triplets(pattern) else 2)
    hands = [s for s in pattern.strokes if s.limb in HANDS]
    kept = set()
    for s in hands:
        bar = pattern.bar_at(s.start)
        on_grid = (s.start - bar.start + bar.offset) % wide == 0
        if ">" in s.marks or (on_grid and "." not in s.marks):
            kept.add(s.index)
    if not 2 <= len(kept) <= 0.75 * len(hands):
        return None
    changes: dict[int, Strike | None] = {
        s.index: Strike(s.limb) if s.index in kept else None
        for s in pattern.strokes
        if s.limb in HANDS or s.limb != KICK
    }
    return rewrite(pattern, _once_each(pattern, changes))


def _once_each(pattern: Pattern, changes: dict[int, Strike | None]) -> dict[int, Strike | None]:
    """Changes after which no limb strikes twice at one moment."""
    struck: set[tuple[int, str]] = set()
    found = dict(changes)
    for s in pattern.strokes:
        strike = changes.get(s.index, strike_of(pattern, s.index))
        if strike is not None:
            if (s.moment, strike.limb) in struck:
                found[s.index] = None
            struck.add((s.moment, strike.limb))
    return found


def _unison_guide(pattern: Pattern) -> str | None:
    """For a linear figure, in which no two limbs sound together: the hands go on over the feet's strokes, on one
    surface; None for any other.
    """
    events = pattern.events
    linear = all(len(event.strokes) == 1 for event in events)
    feet = [event.strokes[0] for event in events if event.feet]
    if not (linear and feet and any(event.hands for event in events)):
        return None
    elements = []
    hand = LEFT
    number = {s.span: s.limb for s in pattern.strokes}
    for element in pattern.elements:
        if not isinstance(element, Step) or not element.strikes:
            elements.append(element)
            continue
        strikes: list[Strike] = []
        for strike in element.strikes:
            if number[strike.span] in FEET:
                # The hand that did not strike last goes on.
                hand = RIGHT if hand == LEFT else LEFT
                strikes += [Strike(hand), replace(strike, marks="", grace="")]
            else:
                hand = strike.limb
                strikes.append(Strike(strike.limb))
        elements.append(replace(element, strikes=tuple(strikes)))
    return write(elements)


def _outer_foot(pattern: Pattern) -> str | None:
    """Where two feet share the bass drum: the hands on one surface over the bass-drum foot alone."""
    limbs = {s.limb for s in pattern.strokes}
    if not {KICK, SECOND_KICK} <= limbs:
        return None
    text = _surface(pattern, feet=True, dynamics=False)
    new = parse(text, lenient=True)
    return rewrite(new, {s.index: None for s in new.strokes if s.limb == SECOND_KICK})


def _without(pattern: Pattern, limbs: tuple[str, ...]) -> str:
    return rewrite(pattern, {s.index: None for s in pattern.strokes if s.limb in limbs})


def on_triplets(pattern: Pattern) -> bool:
    """Whether a figure divides its beats by three rather than by two: most of what falls between beats does.

    In compound meters beats are divided by three anyway; that is their straight.
    """
    threes = twos = 0
    for event in straight(pattern).events:
        bar = pattern.bar_at(event.start)
        beat = lead_beat(bar.meter)
        into = (event.start - bar.start + bar.offset) % beat / beat
        if beat.numerator == 1 and into:
            threes += into.denominator % 3 == 0
            twos += into.denominator % 3 != 0
    return threes > twos


def plain_groove(kit: Kit, meter: tuple[int, int], triplets: bool = False) -> str | None:
    """One bar with a backbeat on what the kit has: eighths, or a shuffle in ``triplets``; None for a kit with nothing
    to keep time on.
    """
    time = next((p.code for kind in ("hi-hat", "ride", "crash") if (p := kit.of_kind(kind)) is not None), None)
    snare = kit.of_kind("snare")
    if time is None or snare is None:
        return None
    beats, value = meter
    per_beat = (3 if triplets else 2) if value <= 4 else 1
    lead_left = kit.hat_side > 0 and time == "hh"
    keeps, backs = ("L", "R") if lead_left else ("R", "L")
    words = []
    for beat in range(beats):
        for part in range(per_beat):
            word = f"{keeps}@{time}" if per_beat != 3 or part != 1 else "-"
            if part == 0:
                word += f"+{backs}>" if beat % 2 == 1 else "+K"
            words.append(word)
    setting = "" if meter == (4, 4) else f"meter {beats}/{value} "
    grid = f"/{value * 2}t" if per_beat == 3 else f"/{value * per_beat}"
    return f"{setting}{grid} {' '.join(words)} |"


def _plain_groove_for(pattern: Pattern, kit: Kit) -> str | None:
    """A plain groove in the meter and the grid in which a figure ends."""
    meter = pattern.bar_rows[-1].meter if pattern.bar_rows else (4, 4)
    text = plain_groove(kit, meter, on_triplets(pattern))
    return f"{pattern.swing.text} {text}" if text is not None and pattern.swing is not None else text


@newest
def _groove_for(pattern: Pattern, kit: Kit, groove: str | None) -> Pattern | None:
    """The groove that a figure is played between: the one that is given, else a plain one."""
    text = groove or _plain_groove_for(pattern, kit)
    return None if text is None else read_text(text, kit)


@newest
def _between(pattern: Pattern, kit: Kit, groove: str | None, times: int = 1) -> Pattern | None:
    """A bar or more of groove so many times, the figure, and the groove again; None where they cannot be chained."""
    text = groove or _plain_groove_for(pattern, kit)
    if text is None or not any(bar.length == Fraction(*bar.meter) for bar in pattern.bar_rows):
        return None
    # Neither the tempo nor the player changes what is played.
    plans = (
        Plan("groove", "groove", "groove", "kit", "player", DEFAULT_TEMPO, True),
        Plan("figure", "figure", "figure", "kit", "player", DEFAULT_TEMPO),
    )
    song = Song("song", "song", (Section("groove", times), Section("figure"), Section("groove")), True)
    document = Document(
        players=(Player(id="player"),), kits=(replace(kit, id="kit"),),
        patterns=(Score("groove", "groove", text), Score("figure", "figure", pattern.text)), plans=plans,
        songs=(song,),
    )  # fmt: skip
    chain = chain_song(document, song)
    if chain is None or any(problem.severity is Severity.STOP for problem in chain.problems):
        return None
    try:
        return read_text(written(chain), kit)
    except StrokeTextError:
        return None
