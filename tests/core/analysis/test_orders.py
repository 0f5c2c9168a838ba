"""Orders of hands that are practised, and where a figure leaves them."""

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.analysis.orders import (
    BREAK,
    INSIDE,
    MOST_STEPS,
    PRACTISED,
    heard,
    hearing,
    kept_strokes,
    lines_of,
    shared_by_surface,
)

WHOLE = 2.0
OTHER = str.maketrans("RL", "LR")
lines = st.text("RL", min_size=1, max_size=12)


def by_trying(line):
    """The cost of the cheapest hearing, every one of them tried: each stroke either goes on or begins anew."""
    words = [w for word in PRACTISED for w in (word, word.translate(OTHER))]
    costs = {w: cost for word, cost in PRACTISED.items() for w in (word, word.translate(OTHER))}

    def piece(part):
        """One order, gone on with to the end of the part."""
        found = np.inf
        for word in words:
            for k in range(len(word)):
                if all(word[(k + j) % len(word)] == hand for j, hand in enumerate(part)):
                    found = min(found, costs[word] * len(part) + (INSIDE if k and len(word) > 2 else 0.0))
        return found

    least = np.inf
    for cuts in product((False, True), repeat=len(line) - 1):
        parts, last = [], 0
        for k, cut in enumerate(cuts, 1):
            if cut:
                parts.append(line[last:k])
                last = k
        parts.append(line[last:])
        least = min(least, sum(map(piece, parts)) + BREAK * (len(parts) - 1))
    return least


@given(st.text("RL", min_size=1, max_size=9))
def test_the_cheapest_hearing_is_found(line):
    assert sum(heard(line)[0]) == pytest.approx(by_trying(line))


@given(lines, st.integers(1, MOST_STEPS))
def test_a_line_and_its_mirror_image_are_heard_alike(line, step):
    steps = (1, *(step,) * (len(line) - 1))
    assert heard(line, steps) == heard(line.translate(OTHER), steps)
    assert sum(heard(line, steps)[0]) <= sum(heard(line)[0]) + 1e-9


@pytest.mark.parametrize("word", PRACTISED)
def test_what_is_practised_has_no_break_whichever_hand_begins(word):
    for line in (word * 3, (word * 3).translate(OTHER)):
        costs, orders = heard(line)
        assert max(costs) < BREAK and (set(orders) == {word} or sum(costs) < PRACTISED[word] * len(line))


def test_going_over_to_another_order_is_a_break():
    assert [cost >= BREAK for cost in heard("RLRLRLRLLRRL")[0]].count(True) == 1
    assert sum(heard("RLRLRLRL")[0]) == 0.0 < sum(heard("RRLLRRLL")[0]) < BREAK


def test_over_a_rest_an_order_goes_on_or_the_grid_does():
    """Sixteenths with some left out keep the hand of their place, or simply alternate: common practice."""
    for text in ("/16 R - R L R L", "/16 R - L R L R"):
        found = hearing(parse(text), False, WHOLE)
        assert not found.breaks.any() and set(found.order) == {"RL"}, text
    assert hearing(parse("/16 R L L R R R"), False, WHOLE).breaks.any()


def test_pauses_and_both_hands_end_a_line_and_feet_do_not():
    pattern = parse("/8 R K L R+L R L")
    found = lines_of(pattern, 1.6)
    assert [line.hands for line in found] == ["RL", "RL"] and found[0].events == (0, 2)
    assert [line.hands for line in lines_of(parse("/4 R - L"), WHOLE)] == ["R", "L"]
    assert lines_of(parse("/8 R - L R"), 1.6)[0].steps == (1, 2, 1)


def test_what_a_hand_keeps_belongs_to_no_order():
    groove = parse("/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L R@hh")
    assert kept_strokes(groove, True) == frozenset(s.index for s in groove.strokes if s.voice == "hh")
    assert set(hearing(groove, True, WHOLE).order) == {""}
    assert kept_strokes(parse("/16 R@hh L@hh R@hh L@hh"), True) == frozenset()
    assert shared_by_surface(parse("/8 R@ft R@ft L R@ft R@ft R@ft L R@ft"))
    assert not shared_by_surface(parse("/8 R@ft L@ft L R@ft"))


@given(lines)
def test_a_loop_is_heard_as_it_goes_round(line):
    """It does not matter for the breaks where a loop of practised orders is begun."""
    text = "/16 " + " ".join(line)
    found = hearing(parse(text), True, 0.5)
    assert len(found.order) == len(line) and found.breaks.shape == (len(line),)
    assert np.all(found.gap[~np.isnan(found.gap)] > 0) or len(line) == 1
    mirror = hearing(parse(text.translate(OTHER)), True, 0.5)
    assert np.array_equal(found.breaks, mirror.breaks) and found.order == mirror.order
