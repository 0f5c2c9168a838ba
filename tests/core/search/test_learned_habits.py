"""A player's own habits: what they do to the hands that are offered, and how they are learned from choices."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.difficulty import LEVELS
from deft_reach.core.document import Document, Plan, Score, commit
from deft_reach.core.document.commitments import standing
from deft_reach.core.model.player import PlayerError, check_player
from deft_reach.core.model.sticking_habits import HATS, LEADS, NO_HABITS, STICKINGS, StickingHabits
from deft_reach.core.search.learned_habits import LEAST, Played, learn_habits, played_by
from deft_reach.core.search.planner import PlanError, find_stickings
from deft_reach.core.search.progress import Cancelled, Progress

FIVE = layout("five")
#: Common practice, no source: figures in which players differ.
FIGURES = [
    ("/16 ???? ????", 100, True),
    ("/8 ?@hh+K ?@hh ?@hh+? ?@hh ?@hh+K ?@hh ?@hh+? ?@hh", 110, True),
    ("/8 ?@hh+K ?@hh ? ?@hh ?@hh+K ?@hh+K ? ?@hh", 100, True),
    ("/16 ???? ?@t1 ?@t1 ?@t1 ?@t1 ?@t2 ?@t2 ?@t2 ?@t2 ?@ft ?@ft ?@ft ?@ft", 110, False),
    ("/16t ?????? ??????", 100, True),
    ("/16 ?>??? ?>???", 90, True),
]


def first(text, tempo, repeat, habits=NO_HABITS):
    return find_stickings(parse(text), FIVE, Player(habits=habits), tempo, repeat=repeat).best[0]


def hands(sticking):
    return "".join(s.limb for s in sticking.pattern.strokes if s.limb in "RL")


def chosen(habits):
    return [Played(first(*figure, habits).pattern, FIVE, *figure[1:]) for figure in FIGURES]


def test_the_hand_that_leads_begins():
    assert hands(first(*FIGURES[0])) == "RLRLRLRL"
    assert hands(first(*FIGURES[0], StickingHabits(lead="left"))) == "LRLRLRLR"
    left = Player(handedness="left", habits=StickingHabits(lead="right"))
    assert left.lead == "R" and left.stronger == "L" and left.mirror().lead == "L"


def test_hats_are_played_as_the_player_plays_them():
    for figure in FIGURES[1:3]:
        for how, hand in (("crossed", "R"), ("open", "L")):
            found = first(*figure, StickingHabits(hats=how))
            on_hats = {s.limb for s in found.pattern.strokes if s.voice == "hh"}
            assert on_hats == {hand}, how


def test_doubles_or_singles():
    assert hands(first(*FIGURES[0], StickingHabits(sticking="doubles"))) == "RRLLRRLL"
    roll = ("/32 ???? ???? ???? ????", 100, True)
    assert hands(first(*roll)) == "RRLL" * 4
    assert hands(first(*roll, StickingHabits(sticking="singles"))) == "RL" * 8


def test_what_is_much_harder_is_not_preferred():
    """Habits decide between what is about as easy, and no answer stands before one of a better level."""
    quick = ("/32 ???? ???? ???? ????", 115, True)
    rows = find_stickings(
        parse(quick[0]), FIVE, Player(habits=StickingHabits(sticking="singles")), quick[1], repeat=True
    )
    levels = [LEVELS.index(row.report.summary.level) for row in rows.best]
    assert levels[0] == min(levels)
    assert hands(rows.best[0]) != "RL" * 8


_HABITS = st.builds(
    StickingHabits, st.sampled_from([*LEADS]), st.sampled_from([*HATS]), st.sampled_from([*STICKINGS]),
    st.floats(0, 3, allow_nan=False),
)  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(habits=_HABITS, text=st.sampled_from(["/16 RLRR LRLL", "/8 R@hh+K R@hh L+R@hh R@hh", "/16 R R@t1 L@ft L@hh"]))
def test_habits_change_no_verdict(habits, text):
    plain, own = (analyse(parse(text), FIVE, Player(habits=h), 110, repeat=True) for h in (NO_HABITS, habits))
    for of in ("level", "ease", "difficulty", "tempo_limit"):
        assert getattr(plain.summary, of) == getattr(own.summary, of)
    assert [(f.kind, f.strokes) for f in plain.findings] == [(f.kind, f.strokes) for f in own.findings]
    mirrored = Player(habits=habits).mirror()
    assert mirrored.mirror() == Player(habits=habits)
    swapped = text.translate(str.maketrans("RL", "LR"))
    other = analyse(parse(swapped), FIVE.mirror(), mirrored, 110, repeat=True)
    assert other.habit.total == pytest.approx(own.habit.total, abs=1e-12)


@pytest.mark.parametrize(
    "habits",
    [
        NO_HABITS, StickingHabits(lead="left"), StickingHabits(hats="open"), StickingHabits(sticking="doubles"),
        StickingHabits(lead="left", sticking="doubles"),
    ],
    ids=lambda habits: habits.words or "as most players",
)  # fmt: skip
def test_habits_are_learned_from_what_was_chosen(habits):
    found = learn_habits(chosen(habits), Player())
    assert found.habits == habits
    assert found.figures == len(FIGURES) and found.now >= found.before
    assert (habits.words or "as most players do") in found.words


def test_a_few_plans_teach_nothing():
    with pytest.raises(PlanError, match=f"{LEAST} committed plans"):
        learn_habits(chosen(StickingHabits(lead="left"))[: LEAST - 1], Player())
    # One figure that differs is no habit.
    rows = chosen(NO_HABITS)
    rows[0] = Played(parse("/16 LRLR LRLR"), FIVE, 100, True)
    assert learn_habits(rows, Player()).habits == NO_HABITS
    silent = Played(parse("/4 R L K -"), FIVE, 100, True)
    with pytest.raises(PlanError, match="there are 0"):
        learn_habits([silent] * 5, Player())


def test_learning_stops_when_it_is_asked_to():
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        learn_habits(chosen(NO_HABITS)[:1], Player(), progress)


def test_the_newest_commitment_of_every_plan_counts():
    player = Player("me", "Me")
    document = Document(players=(player, replace(player, id="you")), kits=(replace(FIVE, id="kit"),))
    for name, text, who in (("a", "/16 RLRL", "me"), ("b", "/16 RRLL", "me"), ("c", "/16 LRLR", "you")):
        document = replace(
            document,
            patterns=(*document.patterns, Score(name, name, text)),
            plans=(*document.plans, Plan(name, name, name, "kit", who)),
        )
    for name, text, date in (
        ("a", "/16 RLRL", "2026-03-01T10:00:00+01:00"), ("b", "/16 RRLL", "2026-03-03T10:00:00+01:00"),
        ("a", "/16 LLRR", "2026-03-02T10:00:00+01:00"), ("c", "/16 LRLR", "2026-03-04T10:00:00+01:00"),
    ):  # fmt: skip
        plan = document.plan(name)
        document = document.with_text(plan, text)
        report = analyse(parse(text), FIVE, document.player(plan.player), 100)
        document = commit(document, plan, report, "", date, "1")
    assert [row.pattern.text for row in played_by(document, player)] == ["/16 RRLL", "/16 LLRR"]
    # A habit changes nothing that was committed.
    assert standing(document, document.plan("b")) is not None
    learned = document.with_player(replace(player, habits=StickingHabits(hats="open")))
    assert standing(learned, learned.plan("b")) is not None


def test_habits_that_nobody_can_have_are_refused():
    for habits, words in (
        (StickingHabits(lead="both"), "leading hand is 'both'"), (StickingHabits(hats="shut"), "hats is 'shut'"),
        (StickingHabits(sticking="triples"), "sticking is 'triples'"), (StickingHabits(order=4.0), "expected 0 to 3"),
        (StickingHabits(order=float("nan")), "expected 0 to 3"),
    ):  # fmt: skip
        with pytest.raises(PlayerError, match=words):
            check_player(Player(habits=habits))
