"""Sets of strokes a player names in one go: every right, every accent, the first of each group."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Final

from deft_reach.core.model.limbs import EITHER, HANDS, LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern

Scope = Callable[[Pattern], list[int]]


def _hands(pattern: Pattern, keep: Callable[[int], bool]) -> list[int]:
    return [s.index for s in pattern.strokes if s.limb in (*HANDS, EITHER) and keep(s.index)]


def _firsts(pattern: Pattern) -> list[int]:
    found: dict[int, int] = {}
    for stroke in pattern.strokes:
        if stroke.group >= 0 and stroke.limb in (*HANDS, EITHER):
            found.setdefault(stroke.group, stroke.index)
    return list(found.values())


def _on_beats(pattern: Pattern) -> list[int]:
    beats = {i for event in pattern.events if event.on_beat for i in event.indices}
    return _hands(pattern, lambda i: i in beats)


#: By id: what a player calls it, and which strokes those are. Feet are never among them: they play their pedals.
SCOPES: Final[dict[str, tuple[str, Scope]]] = {
    "right": ("every right", lambda p: _hands(p, lambda i: p.strokes[i].limb == RIGHT)),
    "left": ("every left", lambda p: _hands(p, lambda i: p.strokes[i].limb == LEFT)),
    "accents": ("every accent", lambda p: _hands(p, lambda i: ">" in p.strokes[i].marks)),
    "ghosts": ("every ghost", lambda p: _hands(p, lambda i: "." in p.strokes[i].marks)),
    "plain": ("all but accents and ghosts", lambda p: _hands(p, lambda i: not set(p.strokes[i].marks) & {">", "."})),
    "firsts": ("first of each group", _firsts),
    "beats": ("everything on a beat", _on_beats),
    "all": ("all hands", lambda p: _hands(p, lambda _: True)),
}


def strokes_in(pattern: Pattern, scope: str, within: Collection[int] | None = None) -> list[int]:
    """Indices of the strokes of a scope, only those ``within`` if given.

    Raises KeyError for an unknown scope.
    """
    found = SCOPES[scope][1](pattern)
    return found if within is None else [i for i in found if i in within]
