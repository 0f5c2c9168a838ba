"""Changes of a whole pattern: each takes a stroke text's pattern and gives the new stroke text.

Steps keep their letters and change places, so voices, marks, graces, remarks and bar lines stay as they are wherever
a change does not touch them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Final

from deft_reach.core.model.elements import BarLine, Comment, Grid, LineBreak, Rest, Step, Strike, Swing, Tie
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, KICK, LEFT, RIGHT, SECOND_KICK
from deft_reach.core.model.pattern import Element, Pattern
from deft_reach.core.notation.grids import first_grid, sets_grid, with_grids
from deft_reach.core.notation.stroke_text import write, write_strike
from deft_reach.core.notation.swing import straight
from deft_reach.core.notation.transform_tools import (
    Changed,
    TransformError,
    body_of,
    finer_grid,
    map_limbs,
    scaled_by,
    thinned,
    with_words,
    without_idle_grids,
    words_of,
)

Change = Callable[[Pattern], Changed]


def rotate(pattern: Pattern, by: int = 1) -> Changed:
    """Begin ``by`` steps later: what stood before comes last. Raises TransformError for too few steps."""
    words = words_of(pattern)
    if len(words) < 2:
        raise TransformError("there are not enough steps to begin elsewhere")
    by %= len(words)
    return Changed(with_words(pattern, words[by:] + words[:by]))


def displace(pattern: Pattern) -> Changed:
    """Everything a step later; the last step comes round to the beginning."""
    return rotate(pattern, -1)


def reverse(pattern: Pattern) -> Changed:
    """Back to front."""
    return Changed(with_words(pattern, words_of(pattern)[::-1]))


def exchange_hands(pattern: Pattern) -> Changed:
    """Right for left and left for right."""
    return Changed(map_limbs(pattern, {RIGHT: LEFT, LEFT: RIGHT}))


def exchange_feet(pattern: Pattern) -> Changed:
    """The bass foot for the other one: on two bass pedals where the pattern plays two, else on the hi-hat pedal.

    Raises TransformError where no foot plays.
    """
    limbs = {s.limb for s in pattern.strokes}
    other = SECOND_KICK if SECOND_KICK in limbs else HAT_FOOT
    if not limbs & set(FEET):
        raise TransformError("there are no foot strokes to exchange")
    return Changed(map_limbs(pattern, {KICK: other, other: KICK}))


def exchange_pedals(pattern: Pattern) -> Changed:
    """The two bass feet change pedals: ``K`` for ``J`` and ``J`` for ``K``.

    Raises TransformError where no bass pedal is played.
    """
    if not {s.limb for s in pattern.strokes} & {KICK, SECOND_KICK}:
        raise TransformError("there are no bass drum strokes to exchange")
    return Changed(map_limbs(pattern, {KICK: SECOND_KICK, SECOND_KICK: KICK}))


def feet_first(pattern: Pattern) -> Changed:
    """Begin with the first foot stroke after a hand's. Raises TransformError where none does."""
    k = _first_foot([{pattern.strokes[i].limb for i in m.strokes} for m in pattern.moments])
    if k is None:
        raise TransformError("no foot stroke follows a hand's, so there is none to begin with")
    return rotate(pattern, k)


def feet_first_by_groups(pattern: Pattern) -> Changed:
    """Each group begins with its first foot stroke after a hand's; what stood before comes last in the group.

    Raises TransformError where there are no groups, or none in which a foot follows a hand.
    """
    if not pattern.groups:
        raise TransformError("there are no groups: bracket some first")
    words, limbs = words_of(pattern), [{pattern.strokes[i].limb for i in m.strokes} for m in pattern.moments]
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
    return Changed(with_words(pattern, words))


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
    return scaled_by(pattern, 2, 0.5)


def slower(pattern: Pattern) -> Changed:
    """Half as fast in the notes, twice the tempo: the strokes are as fast as before."""
    return scaled_by(pattern, 1, 2.0)


def without_ghosts(pattern: Pattern) -> Changed:
    """Ghost strokes become rests."""
    return thinned(pattern, lambda strike: "." not in strike.marks, "there are no ghost strokes to leave out")


def accents_only(pattern: Pattern) -> Changed:
    """Of the hands only accents stay; the feet stay as they are."""
    return thinned(
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

    return thinned(pattern, keep, "there is nothing to leave out")


def ostinato(pattern: Pattern, limb: str, every: Fraction, offset: Fraction = Fraction(0)) -> Changed:
    """A foot on every so much of a whole note under everything; ``offset`` is where it begins in the beat.

    Places that fall between steps are left out and said.

    Raises TransformError where nothing of it would be heard.
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
    now = Fraction(0)
    for element, grid in with_grids(pattern.elements):
        if not isinstance(element, (Step, Rest, Tie)):
            continue
        if now in wanted:
            missed.discard(now)
            if isinstance(element, Step):
                if all(body_of(s.limb) != body_of(limb) for s in element.strikes):
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

    Raises TransformError where the other pattern has no feet, or they are there already.
    """
    pattern, other = straight(pattern), straight(other)
    feet = [s for s in other.strokes if s.limb in FEET]
    if not feet:
        raise TransformError("the other pattern has no feet to put under this one")
    # A pattern of nothing but a short bar goes round as that bar.
    pickup = other.pickup if other.pickup < other.length else Fraction(0)
    around = other.length - pickup
    bodies = {body_of(s.limb) for s in feet} | {KICK}
    rows: dict[Fraction, list[Strike]] = {}
    for s in feet:
        time = pattern.pickup + (s.start - pickup) % around
        time -= -(-time // around - 1) * around if time >= around else 0
        while time < pattern.length:
            rows.setdefault(time, []).append(s.strike(False))
            time += around
    edits: list[tuple[int, int, str]] = []
    missed, now = 0, Fraction(0)
    times = sorted(rows)
    for element, grid in with_grids(pattern.elements):
        if not isinstance(element, (Step, Rest, Tie)):
            continue
        inside = [time for time in times if now <= time < now + grid.step]
        strikes = element.strikes if isinstance(element, Step) else ()
        hands = [s for s in strikes if s.limb not in FEET or body_of(s.limb) not in bodies]
        silent = "=" if isinstance(element, Tie) else "-"
        first = "+".join(map(write_strike, [*hands, *rows.get(now, [])])) or silent
        finer = finer_grid(grid, [time - now for time in inside])
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
    text = without_idle_grids(text)
    remark = f"{missed} of the feet's strokes fall on no grid here and are left out" if missed else ""
    return Changed(text, remark=remark)


def swing(pattern: Pattern, percent: float, value: int) -> Changed:
    """The second of each two ``value`` notes at so many percent of the two; what swings already swings so instead.

    A text without a grid of its own gets the one it had. Raises TransformError where there is nothing to swing.
    """
    setting = Swing(percent, value)
    own = sets_grid(pattern.elements)
    now = first_grid(pattern.elements)
    grid = "" if own or now == setting.grid else f" {now.text}"
    if pattern.swing is not None:
        span = pattern.swing.span
        return Changed(pattern.text[: span.start] + setting.text + grid + pattern.text[span.end :])
    first = next((e for e in pattern.elements if not isinstance(e, (Comment, LineBreak))), None)
    if first is None:
        raise TransformError("there is nothing to swing")
    at = first.span.start
    return Changed(f"{pattern.text[:at]}{setting.text}{grid} {pattern.text[at:]}")


def without_swing(pattern: Pattern) -> Changed:
    """As written, without the swing. Raises TransformError where nothing swings."""
    if pattern.swing is None:
        raise TransformError("it does not swing")
    span, grid = pattern.swing.span, pattern.swing.grid
    if not sets_grid(pattern.elements) and grid != Grid(16):
        return Changed(pattern.text[: span.start] + grid.text + pattern.text[span.end :])
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
