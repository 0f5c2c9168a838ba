"""Repeated bars stuck alike: a player learns a bar once, and plays it so wherever it costs little more.

The cheapest hands of a long piece differ between bars that are the same, mostly after a fill, where the hands come
from elsewhere. There a bar keeps its own hands for as long as it has to, and then goes on as it does everywhere else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from typing import Final

from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.pose import Floats

#: A bar may cost more by this part of what it costs with its own hands.
SHARE: Final = 0.2
#: So many open strokes at the beginning of a bar keep their own hands; the first that is cheap enough is taken.
KEPT: Final = (0, 1, 2, 4, 8)

#: What every stroke costs with these hands of the open ones, by index.
Price = Callable[[Mapping[int, str]], Floats]


def alike(
    pattern: Pattern, hands: Mapping[int, str], allowed: Mapping[int, tuple[str, ...]], price: Price
) -> dict[int, str]:
    """The hands that have to change for repeated bars to be stuck alike, by stroke.

    ``hands`` are those of the open strokes, ``allowed`` those that each may have.
    """
    rest = dict(_others(pattern, hands, allowed))
    changed: dict[int, str] = {}
    if not rest:
        return changed
    before = price(hands)
    for kept in KEPT:
        tried = {bar: _changes(hands, rows, kept) for bar, rows in rest.items()}
        rest = {bar: rows for bar, rows in rest.items() if tried[bar]}
        if not rest:
            break
        after = price({**hands, **changed, **{i: hand for bar in rest for i, hand in tried[bar].items()}})
        own, now = (_by_bar(pattern, costs) for costs in (before, after))
        for bar in list(rest):
            more = sum(now.get(k, 0.0) - own.get(k, 0.0) for k in (bar, bar + 1))
            if more <= SHARE * own[bar]:
                changed |= tried[bar]
                del rest[bar]
        if rest and changed:
            before = price({**hands, **changed})
    return changed


def _others(
    pattern: Pattern, hands: Mapping[int, str], allowed: Mapping[int, tuple[str, ...]]
) -> Iterator[tuple[int, list[tuple[int, str]]]]:
    """Bars that are stuck otherwise than most of those that are the same; of each its open strokes, and the hands
    that most have.
    """
    same: dict[object, dict[int, list[int]]] = {}
    bars: dict[int, list[int]] = {}
    for stroke in pattern.strokes:
        bars.setdefault(stroke.bar, []).append(stroke.index)
    begins = {bar.number: bar.start for bar in pattern.bar_rows}
    for number, indices in bars.items():
        strokes = [pattern.strokes[i] for i in indices]
        written = tuple(
            (s.start - begins[number], s.limb, s.voice, s.marks, s.grace, allowed.get(s.index)) for s in strokes
        )
        same.setdefault(written, {})[number] = [i for i in indices if i in hands]
    for rows in same.values():
        stuck = {number: tuple(hands[i] for i in indices) for number, indices in rows.items()}
        usual, count = Counter(stuck.values()).most_common(1)[0]
        if 1 < count < len(rows):
            for number, indices in rows.items():
                if stuck[number] != usual:
                    yield number, list(zip(indices, usual))


def _changes(hands: Mapping[int, str], rows: list[tuple[int, str]], kept: int) -> dict[int, str]:
    return {i: hand for i, hand in rows[kept:] if hands[i] != hand}


def _by_bar(pattern: Pattern, costs: Floats) -> dict[int, float]:
    found: dict[int, float] = {}
    for stroke, cost in zip(pattern.strokes, costs.tolist()):
        found[stroke.bar] = found.get(stroke.bar, 0.0) + cost
    return found
