"""Changes of a whole pattern: each takes a stroke text's pattern and gives the new stroke text.

Steps keep their letters and change places, so voices, marks, graces, remarks and bar lines stay as they are wherever
a change does not touch them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from typing import Final

from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import (
    BarLine,
    Comment,
    Element,
    Grid,
    LineBreak,
    Pattern,
    Rest,
    Step,
    Strike,
    Swing,
    Tie,
)
from deft_reach.core.notation.stroke_text import GRID_VALUES, parse, write, write_strike
from deft_reach.core.notation.swing import SWING_VALUES, straight


class TransformError(ValueError):
    """A change that this pattern does not allow: says why."""


@dataclass(frozen=True)
class Changed:
    """The new stroke text, and what the tempo is to be multiplied with so that the speed of the strokes stays."""

    text: str
    tempo: float = 1.0
    remark: str = ""


Change = Callable[[Pattern], Changed]


def rotate(pattern: Pattern, by: int = 1) -> Changed:
    """Begin ``by`` steps later: what stood before comes last."""
    words = _words(pattern)
    if len(words) < 2:
        raise TransformError("there are not enough steps to begin elsewhere")
    by %= len(words)
    return Changed(_with_words(pattern, words[by:] + words[:by]))


def displace(pattern: Pattern) -> Changed:
    """Everything a step later; the last step comes round to the beginning."""
    return rotate(pattern, -1)


def reverse(pattern: Pattern) -> Changed:
    """Back to front."""
    return Changed(_with_words(pattern, _words(pattern)[::-1]))


def exchange_hands(pattern: Pattern) -> Changed:
    """Right for left and left for right."""
    return Changed(_map_limbs(pattern, {RIGHT: LEFT, LEFT: RIGHT}))


def exchange_feet(pattern: Pattern) -> Changed:
    """The bass foot for the other one: on two bass pedals where the pattern plays two, else on the hi-hat pedal."""
    limbs = {s.limb for s in pattern.strokes}
    other = SECOND_KICK if SECOND_KICK in limbs else HAT_FOOT
    if not limbs & set(FEET):
        raise TransformError("there are no foot strokes to exchange")
    return Changed(_map_limbs(pattern, {KICK: other, other: KICK}))


def exchange_pedals(pattern: Pattern) -> Changed:
    """The two bass feet change pedals: ``K`` for ``J`` and ``J`` for ``K``."""
    if not {s.limb for s in pattern.strokes} & {KICK, SECOND_KICK}:
        raise TransformError("there are no bass drum strokes to exchange")
    return Changed(_map_limbs(pattern, {KICK: SECOND_KICK, SECOND_KICK: KICK}))


def feet_first(pattern: Pattern) -> Changed:
    """Begin with the first foot stroke after a hand's."""
    k = _first_foot([{pattern.strokes[i].limb for i in m.strokes} for m in pattern.moments])
    if k is None:
        raise TransformError("no foot stroke follows a hand's, so there is none to begin with")
    return rotate(pattern, k)


def feet_first_by_groups(pattern: Pattern) -> Changed:
    """Each group begins with its first foot stroke after a hand's; what stood before comes last in the group."""
    if not pattern.groups:
        raise TransformError("there are no groups: bracket some first")
    words, limbs = _words(pattern), [{pattern.strokes[i].limb for i in m.strokes} for m in pattern.moments]
    changed = False
    for group in pattern.groups:
        inside = [k for k, m in enumerate(pattern.moments) if group.start <= m.start < group.start + group.length]
        low, high = inside[0], inside[-1] + 1
        by = _first_foot(limbs[low:high])
        if by is not None:
            words[low:high] = words[low + by : high] + words[low : low + by]
            changed = True
    if not changed:
        raise TransformError("in no group a foot stroke follows a hand's")
    return Changed(_with_words(pattern, words))


def _first_foot(limbs: Sequence[set[str]]) -> int | None:
    """The first step of feet alone after one with a hand."""
    rows = range(1, len(limbs))
    return next((k for k in rows if limbs[k] and limbs[k] <= set(FEET) and not limbs[k - 1] <= set(FEET)), None)


def regrid(pattern: Pattern, grid: Grid) -> Changed:
    """The same sticking on another grid, step for step; bar lines are left out, as bars add up differently."""
    kept: list[Element] = []
    placed = False
    for element in pattern.elements:
        if isinstance(element, (Grid, BarLine)):
            continue
        if not placed and not isinstance(element, (Comment, LineBreak)) and type(element).__name__ not in (
            "Meter", "Tempo", "Swing",
        ):  # fmt: skip
            kept.append(replace(grid))
            placed = True
        kept.append(element)
    return Changed(write(kept))


def faster(pattern: Pattern) -> Changed:
    """Twice as fast in the notes, half the tempo: the strokes are as fast as before."""
    return _scale(pattern, 2, 0.5)


def slower(pattern: Pattern) -> Changed:
    """Half as fast in the notes, twice the tempo: the strokes are as fast as before."""
    return _scale(pattern, 1, 2.0)


def without_ghosts(pattern: Pattern) -> Changed:
    """Ghost strokes become rests."""
    return _thin(pattern, lambda strike: "." not in strike.marks, "there are no ghost strokes to leave out")


def accents_only(pattern: Pattern) -> Changed:
    """Of the hands only accents stay; the feet stay as they are."""
    return _thin(
        pattern, lambda strike: strike.limb not in HANDS or ">" in strike.marks, "every hand stroke is an accent"
    )


def every_other(pattern: Pattern) -> Changed:
    """Of the hands' strokes without an accent every other one stays."""
    seen = [0]

    def keep(strike: Strike) -> bool:
        if strike.limb not in HANDS or ">" in strike.marks:
            return True
        seen[0] += 1
        return seen[0] % 2 == 1

    return _thin(pattern, keep, "there is nothing to leave out")


def ostinato(pattern: Pattern, limb: str, every: Fraction, offset: Fraction = Fraction(0)) -> Changed:
    """A foot on every so much of a whole note under everything; ``offset`` is where it begins in the beat.

    Places that fall between steps are left out and said.
    """
    if not pattern.moments:
        raise TransformError("there is nothing to play it under")
    wanted = set()
    time = pattern.pickup % every + offset
    if time >= every:
        time -= every
    while time < pattern.length:
        wanted.add(time)
        time += every
    text, missed = pattern.text, set(wanted)
    edits: list[tuple[int, int, str]] = []
    now, grid = Fraction(0), Grid(16)
    for element in pattern.elements:
        if isinstance(element, Grid):
            grid = element
        if not isinstance(element, (Step, Rest, Tie)):
            continue
        if now in wanted:
            missed.discard(now)
            if isinstance(element, Step):
                if all(_body(s.limb) != _body(limb) for s in element.strikes):
                    edits.append((element.span.end, element.span.end, f"+{limb}"))
            else:
                edits.append((element.span.start, element.span.end, limb))
        now += grid.step
    for start, end, word in reversed(edits):
        text = text[:start] + word + text[end:]
    remark = f"{len(missed)} of {len(wanted)} fall between steps and are left out" if missed else ""
    if len(missed) == len(wanted):
        raise TransformError("every one of its strokes would fall between steps: choose a finer grid first")
    return Changed(text, remark=remark)


def feet_under(pattern: Pattern, other: Pattern) -> Changed:
    """Another pattern's feet under this one's hands, from bar to bar round and round, in place of its own.

    Where a foot falls between two steps the step is written on a finer grid; what falls on none is left out and said.
    """
    pattern, other = straight(pattern), straight(other)
    feet = [s for s in other.strokes if s.limb in FEET]
    if not feet:
        raise TransformError("the other pattern has no feet to put under this one")
    # A pattern of nothing but a short bar goes round as that bar.
    pickup = other.pickup if other.pickup < other.length else Fraction(0)
    around = other.length - pickup
    bodies = {_body(s.limb) for s in feet} | {KICK}
    rows: dict[Fraction, list[Strike]] = {}
    for s in feet:
        time = pattern.pickup + (s.start - pickup) % around
        time -= -(-time // around - 1) * around if time >= around else 0
        while time < pattern.length:
            rows.setdefault(time, []).append(s.strike(False))
            time += around
    edits: list[tuple[int, int, str]] = []
    missed, now, grid = 0, Fraction(0), Grid(16)
    times = sorted(rows)
    for element in pattern.elements:
        if isinstance(element, Grid):
            grid = element
        if not isinstance(element, (Step, Rest, Tie)):
            continue
        inside = [time for time in times if now <= time < now + grid.step]
        strikes = element.strikes if isinstance(element, Step) else ()
        hands = [s for s in strikes if s.limb not in FEET or _body(s.limb) not in bodies]
        silent = "=" if isinstance(element, Tie) else "-"
        first = "+".join(map(write_strike, [*hands, *rows.get(now, [])])) or silent
        finer = _finer(grid, [time - now for time in inside])
        if finer is None:
            missed += sum(time != now for time in inside)
            word = first
        else:
            count = int(grid.step / finer.step)
            words = [first]
            for k in range(1, count):
                here = rows.get(now + k * finer.step)
                words.append("+".join(map(write_strike, here)) if here else "=" if words[0] != "-" else "-")
            word = f"{finer.text} {' '.join(words)} {grid.text}"
        if word != pattern.text[element.span.start : element.span.end]:
            edits.append((element.span.start, element.span.end, word))
        now += grid.step
    if not edits:
        raise TransformError("these feet are under it already")
    text = pattern.text
    for start, end, word in reversed(edits):
        text = text[:start] + word + text[end:]
    text = _without_idle_grids(text)
    remark = f"{missed} of the feet's strokes fall on no grid here and are left out" if missed else ""
    return Changed(text, remark=remark)


def _without_idle_grids(text: str) -> str:
    """The text without grids that another one follows at once."""
    elements = parse(text, lenient=True).elements
    for one, two in reversed([*pairwise(elements)]):
        if isinstance(one, Grid) and isinstance(two, Grid):
            text = text[: one.span.start] + text[two.span.start :]
    return text


def _finer(grid: Grid, places: Sequence[Fraction]) -> Grid | None:
    """The coarsest grid inside one step of another on which these places in it fall; None for the step itself."""
    if not any(places):
        return None
    candidates = [(n, grid.triplet) for n in (2, 4, 8)] + ([] if grid.triplet else [(2, True), (4, True)])
    for times, triplet in candidates:
        finer = replace(grid, value=grid.value * times, triplet=triplet)
        whole = grid.step / finer.step
        if finer.value in GRID_VALUES and whole.denominator == 1 and all(x % finer.step == 0 for x in places):
            return finer
    return None


def swing(pattern: Pattern, percent: float, value: int) -> Changed:
    """The second of each two ``value`` notes at so many percent of the two; what swings already swings so instead."""
    setting = Swing(percent, value)
    if pattern.swing is not None:
        span = pattern.swing.span
        return Changed(pattern.text[: span.start] + setting.text + pattern.text[span.end :])
    first = next((e for e in pattern.elements if not isinstance(e, (Comment, LineBreak))), None)
    if first is None:
        raise TransformError("there is nothing to swing")
    at = first.span.start
    return Changed(f"{pattern.text[:at]}{setting.text} {pattern.text[at:]}")


def without_swing(pattern: Pattern) -> Changed:
    """As written, without the swing."""
    if pattern.swing is None:
        raise TransformError("it does not swing")
    span = pattern.swing.span
    end = span.end + (pattern.text[span.end : span.end + 1] == " ")
    return Changed(pattern.text[: span.start] + pattern.text[end:])


_QUARTER, _EIGHTH = Fraction(1, 4), Fraction(1, 8)
#: By id: what a player calls it, and the change.
TRANSFORMS: Final[dict[str, tuple[str, Change]]] = {
    "rotate": ("Begin a step later", rotate),
    "displace": ("Everything a step later", displace),
    "reverse": ("Back to front", reverse),
    "exchange-hands": ("Exchange hands", exchange_hands),
    "exchange-feet": ("Exchange feet", exchange_feet),
    "exchange-pedals": ("Exchange the bass pedals, K and J", exchange_pedals),
    "feet-first": ("Begin with the feet", feet_first),
    "feet-first-by-groups": ("Each group begins with the feet", feet_first_by_groups),
    "on-8t": ("Same sticking in eighth triplets", lambda p: regrid(p, Grid(8, triplet=True))),
    "on-16": ("Same sticking in sixteenths", lambda p: regrid(p, Grid(16))),
    "on-16t": ("Same sticking in sextuplets", lambda p: regrid(p, Grid(16, triplet=True))),
    "on-32": ("Same sticking in thirty-seconds", lambda p: regrid(p, Grid(32))),
    "on-5": ("Same sticking in fives", lambda p: regrid(p, Grid(16, 5, 4))),
    "faster": ("Double the notes, halve the tempo", faster),
    "slower": ("Halve the notes, double the tempo", slower),
    "swing-8": ("Swing the eighths: 66 %, as in triplets", lambda p: swing(p, 66, 8)),
    "swing-8-lightly": ("Swing the eighths lightly: 58 %", lambda p: swing(p, 58, 8)),
    "swing-16": ("Swing the sixteenths: 66 %", lambda p: swing(p, 66, 16)),
    "swing-16-lightly": ("Swing the sixteenths lightly: 58 %", lambda p: swing(p, 58, 16)),
    "straight": ("Straight again, without swing", without_swing),
    "without-ghosts": ("Without ghosts", without_ghosts),
    "every-other": ("Every other unaccented stroke", every_other),
    "accents-only": ("Accents only", accents_only),
    "hat-quarters": ("Hi-hat foot on quarters", lambda p: ostinato(p, HAT_FOOT, _QUARTER)),
    "hat-off-beats": ("Hi-hat foot on off-beats", lambda p: ostinato(p, HAT_FOOT, _QUARTER, _EIGHTH)),
    "hat-eighths": ("Hi-hat foot on eighths", lambda p: ostinato(p, HAT_FOOT, _EIGHTH)),
    "kick-quarters": ("Bass foot on quarters", lambda p: ostinato(p, KICK, _QUARTER)),
}


# --- how ------------------------------------------------------------------------------------------------------------


def _body(limb: str) -> str:
    return HAT_FOOT if limb == SECOND_KICK else limb


def _stretches(pattern: Pattern) -> list[tuple[int, int]]:
    """Where each step stands in the text, with what prolongs it."""
    found: list[tuple[int, int]] = []
    goes_on = False
    for element in pattern.elements:
        if isinstance(element, (Step, Rest)):
            found.append((element.span.start, element.span.end))
            goes_on = True
        elif isinstance(element, Tie) and goes_on:
            found[-1] = (found[-1][0], element.span.end)
        else:
            goes_on = False
    return found


def _words(pattern: Pattern) -> list[str]:
    return [pattern.text[start:end] for start, end in _stretches(pattern)]


def _with_words(pattern: Pattern, words: Sequence[str]) -> str:
    text = pattern.text
    for (start, end), word in zip(reversed(_stretches(pattern)), reversed(words)):
        text = text[:start] + word + text[end:]
    return text


def _map_limbs(pattern: Pattern, exchange: dict[str, str]) -> str:
    text = pattern.text
    for element in reversed(pattern.elements):
        if not isinstance(element, Step):
            continue
        for strike in reversed(element.strikes):
            limb = exchange.get(strike.limb)
            if limb is not None:
                voice = strike.voice if limb in HANDS else None
                word = write_strike(replace(strike, limb=limb, voice=voice))
                text = text[: strike.span.start] + word + text[strike.span.end :]
    return text


def _scale(pattern: Pattern, up: int, tempo: float) -> Changed:
    """Every grid half or twice as long, without bar lines."""
    kept: list[Element] = []
    used = False
    for element in pattern.elements:
        if isinstance(element, BarLine):
            continue
        if isinstance(element, Swing):
            value = element.value * 2 if up == 2 else element.value // 2
            if value not in SWING_VALUES:
                raise TransformError(f"there is no swing of /{value} notes: take the swing out first")
            kept.append(replace(element, value=value))
        elif isinstance(element, Grid):
            kept.append(_scaled(element, up))
            used = True
        else:
            if not used and isinstance(element, (Step, Rest, Tie)):
                kept.append(_scaled(Grid(16), up))
                used = True
            kept.append(element)
    return Changed(write(kept), tempo)


def _scaled(grid: Grid, up: int) -> Grid:
    value = grid.value * 2 if up == 2 else grid.value // 2
    if value not in GRID_VALUES:
        raise TransformError(f"{grid.text} cannot be written {'twice' if up == 2 else 'half'} as fast")
    return replace(grid, value=value)


def _thin(pattern: Pattern, keep: Callable[[Strike], bool], nothing: str) -> Changed:
    text = pattern.text
    edits: list[tuple[int, int, str]] = []
    for element in pattern.elements:
        if isinstance(element, Step):
            left = [strike for strike in element.strikes if keep(strike)]
            if len(left) < len(element.strikes):
                word = "+".join(write_strike(s) for s in left) or "-"
                edits.append((element.span.start, element.span.end, word))
    if not edits:
        raise TransformError(nothing)
    for start, end, word in reversed(edits):
        text = text[:start] + word + text[end:]
    return Changed(text)
