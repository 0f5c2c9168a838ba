"""What a school allows: which hand may take an open stroke, whatever it costs.

Schools are hard constraints on open strokes only: what is written stays.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Final

from deft_reach.core.model import sticking_habits
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.limbs import EITHER, FEET, HANDS, LEFT, RIGHT, other_hand
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player

SCHOOLS: Final = ("free", "right-lead", "left-lead", "natural", "alternate")
HATS: Final = tuple(sticking_habits.HATS)


def allowed_hands(
    pattern: Pattern, kit: Kit, player: Player, school: str, hat: str, excluded: dict[int, str]
) -> dict[int, tuple[str, ...]]:
    """For every open stroke the hands it may have; ``excluded`` names hands that are not wanted for a stroke.

    Where both hands strike at once no school says which of them does what.

    ``right-lead`` and ``left-lead`` give that hand every beat. ``natural`` gives each place of the grid the hand it
    has when the grid is played hand to hand from the first beat of the bar, beginning with the lead hand.
    ``alternate`` depends on what comes before and is kept by the search. ``crossed`` gives the hi-hat to the hand
    across from it, ``open`` to the hand beside it.
    """
    both = {i for e in pattern.events if sum(s.limb not in FEET for s in e.strokes) > 1 for i in e.indices}
    beats = {i for event in pattern.events if event.on_beat for i in event.indices}
    lead, other = player.lead, other_hand(player.lead)
    beside = kit.hand_beside_hats
    across = other_hand(beside)
    found: dict[int, tuple[str, ...]] = {}
    for stroke in pattern.strokes:
        if stroke.limb != EITHER:
            continue
        hands = set(HANDS)
        if stroke.index in both:
            pass
        elif school in ("right-lead", "left-lead") and stroke.index in beats:
            hands &= {RIGHT if school == "right-lead" else LEFT}
        elif school == "natural":
            bar = pattern.bar_at(stroke.start)
            step = _step_of(pattern, stroke.moment)
            number = (bar.offset + stroke.start - bar.start) / step
            hands &= {lead if int(number) % 2 == 0 else other}
        if hat != "free" and piece_of(stroke.voice) in kit.hats:
            hands &= {across if hat == "crossed" else beside}
        if stroke.index in excluded:
            hands -= {excluded[stroke.index]}
        found[stroke.index] = tuple(hand for hand in HANDS if hand in hands)
    return found


def _step_of(pattern: Pattern, moment: int) -> Fraction:
    """The step of the grid in which a moment is written: a held one counts as one step."""
    row = pattern.moments[moment]
    shortest = row.length
    for near in pattern.moments[max(0, moment - 8) : moment + 9]:
        if near.length < shortest and (row.length / near.length).denominator == 1:
            shortest = near.length
    return shortest
