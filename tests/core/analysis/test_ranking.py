"""One order for whatever is offered, and what is never offered as help."""

import csv
import math
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from calibration.fit_habit import FIGURES, accepted_first, cross_validated, fit, is_accepted, ranked_figures
from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.difficulty import LEVELS
from deft_reach.core.analysis.habit import WEIGHTS, habit_of
from deft_reach.core.analysis.ranking import (
    CLEARLY_EASIER,
    CLEARLY_FASTER,
    Merit,
    better,
    in_order,
    limit_lost,
    makes_worse,
    merit_of,
)
from deft_reach.core.motion.cost import Weights
from deft_reach.core.search.planner import PlanError, cheapest_stickings, find_stickings
from deft_reach.core.search.remedies import find_remedies
from deft_reach.core.search.voicing import VoicingError, find_voicings
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()


def report(text, tempo=100, repeat=True, kit=FIVE, player=PLAYER):
    return analyse(parse(text), kit, player, tempo, repeat=repeat)


def open_hands(text):
    """The same with every hand open."""
    return re.sub(r"(?<![\w@])[RL](?=[@>.+\s]|$)", "?", text)


def itself(merit):
    return merit


# --- the order ----------------------------------------------------------------------------------------------------

merits = st.builds(Merit, st.integers(0, 3), st.floats(0, 100), st.floats(40, 300), st.integers(-100, 100))


@given(st.lists(merits, min_size=1, max_size=8))
def test_no_level_stands_before_a_better_one(rows):
    """Nor anything before what is clearly easier, unless something else is in its way."""
    ordered = in_order(rows, itself)
    assert sorted(map(id, rows)) == sorted(map(id, ordered))
    assert [row.level for row in ordered] == sorted(row.level for row in rows)
    for k, row in enumerate(ordered[:-1]):
        following = ordered[k + 1 :]
        if not any(a.clearly_behind(b) for a in following for b in (row, *following)):
            assert not row.clearly_behind(following[0])


def test_what_is_as_good_stays_in_the_order_in_which_it_comes():
    one, two = Merit(1, 60.0, 200.0, 5), Merit(1, 61.0, 210.0, 5)
    assert in_order([one, two], itself) == [one, two] and in_order([two, one], itself) == [two, one]
    assert one.clearly_behind(Merit(0, 60.0, 200.0, 50))
    assert one.clearly_behind(Merit(1, 60.0 + CLEARLY_EASIER, 100.0, 50))
    assert one.clearly_behind(Merit(1, 60.0, 200.0 * CLEARLY_FASTER, 50))
    assert not one.clearly_behind(Merit(1, 62.0, 210.0, 4))


# --- habit --------------------------------------------------------------------------------------------------------


def test_habit_likes_what_hands_have_learned():
    """Common practice: hand to hand from the leading hand, a kept surface, the same figure alike, known orders."""
    for liked, other in (
        ("R L R L R L R L", "R L L R R R L R"),
        ("R@hh L@hh R@hh+L R@hh R@hh R@hh R@hh+L R@hh", "R@hh L@hh R+L@hh R@hh L@hh R@hh R@hh+L L@hh"),
        ("R L R R L R L L", "R L R R R L L L"),
        ("R L R L", "L R L R"),
    ):
        assert report(liked, 80).habit.total <= report(other, 80).habit.total, liked
    assert report("R L R L R L R L").habit.total == 0.0
    assert report("L R L R").habit.learned.start == 1 / 4 and report("R R L R L L R L").habit.learned.breaks > 0.0


@given(texts(max_steps=12), st.booleans())
@settings(max_examples=40, deadline=None)
def test_habit_is_never_below_nothing(text, repeat):
    found = report(text, repeat=repeat)
    assert all(value >= 0.0 and math.isfinite(value) for value in (*found.habit.learned, *found.habit[1:-1]))
    assert habit_of(found.pattern, found.strokes.costs, 100, repeat, FIVE, PLAYER) == found.habit


# --- what is offered ------------------------------------------------------------------------------------------------


def in_judged_order(rows):
    levels = [LEVELS.index(row.summary.level or "impossible") for row in rows]
    assert levels == sorted(levels)
    for k, row in enumerate(rows):
        own = merit_of(row)
        for later in map(merit_of, rows[k + 1 :]):
            if later.level == own.level and abs(later.ease - own.ease) >= CLEARLY_EASIER:
                assert own.ease > later.ease


@given(
    st.lists(st.sampled_from(["?", "?@t1", "?@ft", "?@hh", "?@hh+K", "?>", "?.", "K", "-"]), min_size=2, max_size=8),
    st.booleans(),
)
@settings(max_examples=30, deadline=None)
def test_hands_are_offered_in_the_order_of_the_judgement(steps, repeat):
    pattern = parse("/16 " + " ".join(steps))
    if not pattern.unassigned:
        return
    try:
        found = find_stickings(pattern, FIVE, PLAYER, 110, repeat=repeat)
    except PlanError:
        return
    in_judged_order([row.report for row in found.best])
    assert found.best[0].differs == ()
    one = find_stickings(pattern, FIVE, PLAYER, 110, best=1, repeat=repeat)
    assert one.best[0].hands == found.best[0].hands
    cheapest = cheapest_stickings(pattern, FIVE, PLAYER, 110, best=1, repeat=repeat).best[0]
    # Whoever asks for a few sees the likeliest few: of those none is better than the first.
    if cheapest.hands in [row.hands for row in found.best]:
        assert not better(cheapest.report, found.best[0].report)


def test_the_first_answer_is_no_harder_than_what_a_player_wrote():
    """A ghost-note groove whose cheapest hands break at 86 with a caution, and whose written ones at 134."""
    text = "/16t R@hh>+K L. R@hh R@hh L. L. R> L. R@hh R@hh L. L. K R. L@hh> K R. L@hh> R> L. R@hh R@hh L. L."
    own = report(text, 80)
    found = find_stickings(parse(open_hands(text)), FIVE, PLAYER, 80, repeat=True)
    first = found.best[0].report
    cheapest = cheapest_stickings(parse(open_hands(text)), FIVE, PLAYER, 80, best=1, repeat=True).best[0].report
    assert cheapest.serious and cheapest.summary.tempo_limit < 90
    assert not first.serious and first.summary.tempo_limit == pytest.approx(own.summary.tempo_limit)
    assert first.summary.ease > own.summary.ease - CLEARLY_EASIER


@given(st.lists(st.sampled_from("RL"), min_size=4, max_size=8), st.sampled_from(["free", "down", "pairs"]))
@settings(max_examples=15, deadline=None)
def test_voicings_are_offered_by_their_level(hands, contour):
    try:
        found = find_voicings(parse(" ".join(hands)), FIVE, PLAYER, 130, ["sn", "t1", "ft"], contour=contour, best=3)
    except VoicingError:
        return
    levels = [LEVELS.index(row.report.summary.level) for row in found.best if row.report.summary.level]
    assert levels[:2] == sorted(levels[:2])


@pytest.mark.parametrize(
    "text, tempo",
    [
        ("/16 R@ft L@hh R@hh L@ft R@t1 L@ft R@hh L", 150),
        ("/16 R@hh+K L. R@hh fR>@ft L@rd R@hh K K", 120),
        ("/16 R L R@ft L@hh K K K K", 170),
        ("/16t R L L K K R L@ft K K R L@ft K", 120),
    ],
)
def test_no_remedy_makes_anything_worse(text, tempo):
    """No stop or caution more, no higher level, no limit under the tempo; what helps most comes first."""
    before = report(text, tempo)
    tried = 0
    for finding in before.findings:
        rows = find_remedies(before, finding, Weights())
        for row in rows:
            tried += 1
            if row.kind != "tempo":
                assert makes_worse(before, row.report) is None, (row.name, makes_worse(before, row.report))
        in_judged_order([row.report for row in rows if row.kind not in ("over", "tempo")])
    assert tried


def test_what_is_taken_of_the_limit_is_said():
    calm, wide = report("R L R L", 80), report("R@ft L@hh R L", 80)
    assert wide.summary.tempo_limit < calm.summary.tempo_limit
    assert limit_lost(calm, wide) == (
        f"the limit falls from {calm.summary.tempo_limit:.0f} to {wide.summary.tempo_limit:.0f} BPM"
    )
    assert limit_lost(wide, calm) == limit_lost(calm, calm) == limit_lost(calm, report("R", 80, False)) == ""


def test_what_makes_worse_is_named():
    calm, fast = report("R L R L", 80), report("/16 R R@ft R R@ft", 80)
    assert makes_worse(calm, calm) is None and makes_worse(fast, calm) is None
    assert makes_worse(calm, report("R+R", 80)) == "adds a stop"
    assert makes_worse(calm, fast) == "adds a caution"
    assert makes_worse(calm, report("R L R L", 150)) == "raises the level"
    late = report("/32 R R@ft R R@ft", 120)
    assert makes_worse(calm, late) is not None and makes_worse(late, late) is None


# --- calibration -----------------------------------------------------------------------------------------------


def test_first_hands_are_those_that_teaching_accepts():
    """Two independent lists of stickings for figures of all sorts: general drumming knowledge, no source."""
    with FIGURES.open(newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))[::4]
    good = 0
    for row in rows:
        tempo, repeat = float(row["tempo"]), row["played"] == "loop"
        found = find_stickings(parse(row["text"]), FIVE, PLAYER, tempo, repeat=repeat)
        good += is_accepted(row["accept"], found.best[0].pattern)
    assert len(rows) == 30 and good >= 28


def test_habit_weighs_what_the_fit_finds():
    figures = ranked_figures()
    assert len(figures) == 120
    own = np.array(list(WEIGHTS.values()))
    assert fit(figures) == pytest.approx(own, rel=0.05)
    assert sum(accepted_first(figure, own) for figure in figures) >= 113
    assert cross_validated(figures, 0) >= 0.92
