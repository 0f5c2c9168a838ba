"""Saying where in the bar something falls, as a player counts it."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from functools import lru_cache

_SYLLABLES = {
    Fraction(0): "",
    Fraction(1, 4): "e",
    Fraction(1, 2): "&",
    Fraction(3, 4): "a",
    Fraction(1, 3): "trip",
    Fraction(2, 3): "let",
    Fraction(1, 8): "ta",
    Fraction(3, 8): "ta",
    Fraction(5, 8): "ta",
    Fraction(7, 8): "ta",
}
_QUARTERS = (Fraction(0), Fraction(1, 4), Fraction(1, 2), Fraction(3, 4))
_THIRDS = (Fraction(0), Fraction(1, 3), Fraction(1, 2), Fraction(2, 3))
#: The beat in six, short enough for quick steps: "1 ta la ta li ta". Common practice.
_SEXTUPLET = ("", "ta", "la", "ta", "li", "ta")


@lru_cache(maxsize=4096)
def syllable(beat: Fraction, step: Fraction | None = None) -> str:
    """What is said on this place: ``2``, ``e``, ``&``, ``a``, ``trip``, ``let``; empty where nothing is said.

    ``beat`` counts from 1 in the meter's beats; ``step`` is how much of a beat passes until the next place that is
    counted: sixths are counted in their own way, one short syllable each.

    >>> [syllable(1 + Fraction(n, 6), Fraction(1, 6)) for n in range(6)]
    ['1', 'ta', 'la', 'ta', 'li', 'ta']
    """
    whole, rest = divmod(beat, 1)
    if rest == 0:
        return str(whole)
    if step == Fraction(1, 6) and 6 % rest.denominator == 0:
        return _SEXTUPLET[int(rest * 6)]
    return _SYLLABLES.get(rest, "")


def place(beat: Fraction) -> str:
    """The place in full, for a sentence: ``2``, ``2 &``, ``3 a``; ``after 4 &`` where nothing of its own is said.

    The parts of a beat that is divided by five, six, seven and so on are numbered: ``3, 2nd of 5``.
    """
    whole, rest = divmod(beat, 1)
    if rest == 0:
        return str(whole)
    said = _SYLLABLES.get(rest)
    # The "ta" between sixteenths is said, but four of them would not tell a reader which.
    if said and said != "ta":
        return f"{whole} {said}"
    if rest.denominator == 6 or (rest.denominator % 2 and rest.denominator % 3):
        number = rest.numerator + 1
        ordinal = {1: "st", 2: "nd", 3: "rd"}.get(number % 10 if number // 10 != 1 else 0, "th")
        return f"{whole}, {number}{ordinal} of {rest.denominator}"
    halves = rest.denominator & (rest.denominator - 1) == 0
    before = max(at for at in (_QUARTERS if halves else _THIRDS) if at <= rest)
    return f"after {whole} {_SYLLABLES[before]}".rstrip()


def in_bar(bar: int, beat: Fraction) -> str:
    """The place with its bar: ``bar 2, 3 &``; bar 0 is the pickup."""
    return f"{f'bar {bar}' if bar else 'pickup'}, {place(beat)}"


def group_fit(group: Fraction, bar: Fraction) -> tuple[int, Fraction]:
    """How often a group fits into a bar and what is left over, both lengths in whole notes.

    >>> group_fit(Fraction(3, 16), Fraction(4, 4))
    (5, Fraction(1, 16))
    """
    times, left = divmod(bar, group)
    return int(times), left


def comes_round(length: Fraction, beat: Fraction) -> Fraction:
    """After how much time a repeated figure starts on a beat again: the least common multiple of the two."""
    ratio = length / beat
    return length * ratio.denominator


def phrase(groups: Iterable[int]) -> str:
    """A phrase as its group sizes: ``3+4+3+4+2``."""
    return "+".join(str(size) for size in groups)


def counted(count: float, one: str, many: str = "") -> str:
    """How many there are, with the noun that goes with it.

    >>> counted(1, "bar"), counted(2, "bar"), counted(2.0625, "bar")
    ('1 bar', '2 bars', '2.1 bars')
    """
    shown = f"{count:.1f}".removesuffix(".0")
    return f"{shown} {one if shown == '1' else many or one + 's'}"
