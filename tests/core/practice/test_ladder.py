"""Stages and ladders: each stage adds one thing, rungs climb to the target, equal speeds are equal."""

from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.practice.ladder import (
    EASY_PACE,
    LadderError,
    Step,
    build_ladder,
    equivalents,
    first_tempo,
    parse_step,
    seconds_of,
)  # fmt: skip
from deft_reach.core.practice.stages import STAGES, build_up, plain_groove
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()
FIGURE = parse("/16 (R@ft> L. K R@t2) (fL@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |")


def test_every_stage_adds_one_thing():
    stages = build_up(FIGURE, FIVE, PLAYER, 100)
    assert [stage.name for stage in stages] == list(STAGES)
    surface, feet, dynamics, round_kit, everything, between = (parse(stage.text) for stage in stages)
    hands = [s for s in FIGURE.strokes if s.limb in "RL"]
    assert [(s.start, s.limb, s.voice, s.marks, s.grace) for s in surface.strokes] == [
        (s.start, s.limb, "sn", "", "") for s in hands
    ]
    assert feet.sticking == FIGURE.sticking and {s.voice for s in feet.strokes} == {"sn", "bd"}
    assert [s.grace for s in dynamics.strokes] == [s.grace for s in FIGURE.strokes]
    assert [set(s.marks) & set(">.") for s in dynamics.strokes] == [set(s.marks) & set(">.") for s in FIGURE.strokes]
    assert [(s.start, s.voice) for s in round_kit.strokes] == [(s.start, s.voice) for s in hands]
    assert everything.text == FIGURE.text
    assert between.length == 3 and [s.limb for s in between.strokes if 1 <= s.start < 2] == FIGURE.sticking.split()
    for stage in stages:
        repeat = stage.name == "between grooves"
        alone = analyse(parse(stage.text), FIVE, PLAYER, 100, repeat=repeat)
        assert stage.tempo_limit == alone.summary.tempo_limit and stage.why


def test_stages_that_would_be_the_same_are_left_out():
    names = [stage.name for stage in build_up(parse("/16 R L R L R L R L R L R L R L R L |"), FIVE, PLAYER, 100)]
    assert names == ["everything", "between grooves"]
    straight = [stage.name for stage in build_up(FIGURE, FIVE, PLAYER, 100, straight=True)]
    assert straight == ["everything", "between grooves"]


@given(texts())
@settings(max_examples=40)
def test_any_pattern_has_stages_that_can_be_read(text):
    pattern = parse(text)
    stages = build_up(pattern, FIVE, PLAYER, 90)
    if not pattern.strokes:
        assert not stages
        return
    assert stages and "everything" in [stage.name for stage in stages]
    for stage in stages[:-1]:
        assert parse(stage.text).length == pattern.length


def test_a_groove_of_the_players_own():
    groove = "/8 R@rd+K R@rd R@rd+L R@rd R@rd+K R@rd R@rd+L R@rd |"
    between = build_up(FIGURE, FIVE, PLAYER, 100, groove=groove)[-1]
    assert between.text.count("R@rd+K") == 4
    assert plain_groove(FIVE, (3, 4)).startswith("meter 3/4")
    left = plain_groove(FIVE.mirror(), (4, 4))
    assert "L@hh+R>" in left, "a mirrored kit is led by the left hand"


@pytest.mark.parametrize(
    ("text", "grid"),
    [
        ("/8t R@hh+K - R@hh R@hh+L - R@hh R@hh+K - R@hh R@hh+L - R@hh |", "/8t"),
        ("/16t R L R L R L R L R L R L R L R L R L R L R L R L |", "/8t"),
        ("/16 R L R L R L R L R L R L R L R L |", "/8"),
        ("meter 12/8 /8 R L R R L R R L R R L R |", "/8"),
    ],
)
def test_the_groove_around_it_has_the_figures_grid(text, grid):
    """Common practice: a shuffle's fill is practised between shuffles, not between straight eighths."""
    framed = build_up(parse(text), FIVE, PLAYER, 90)[-1]
    assert framed.name == "between grooves"
    first = parse(framed.text)
    per_beat = sum(s.voice == "hh" and s.start < Fraction(1, 4) for s in first.strokes)
    if grid == "/8t":
        hats = [s.start for s in first.strokes if s.voice == "hh" and s.start < Fraction(1, 2)]
        assert hats[:4] == [0, Fraction(1, 6), Fraction(1, 4), Fraction(5, 12)]
    else:
        assert per_beat == 2 and first.strokes[0].voice == "hh"


def test_the_start_comes_from_the_fastest_passage():
    stages = build_up(FIGURE, FIVE, PLAYER, 100)
    limit = min(stage.tempo_limit for stage in stages)
    assert first_tempo(stages, 300) == int(limit * EASY_PACE)
    assert first_tempo(stages, 60) <= 48
    rungs = build_ladder(stages, 100)
    assert rungs[0].tempo == first_tempo(stages, 100)


@given(
    st.integers(60, 240), st.sampled_from(["1", "2", "5", "12", "1%", "4%", "10%", "shrinking"]),
    st.sampled_from([None, 3.0, 8.0]),
)  # fmt: skip
@settings(max_examples=40, deadline=None)
def test_rungs_climb_and_end_at_the_target(target, step, over):
    stages = build_up(FIGURE, FIVE, PLAYER, target)
    rungs = build_ladder(stages, target, start=50, step=parse_step(step), overspeed=over)
    climb = [rung.tempo for rung in rungs if rung.stage == len(stages) - 1]
    assert [rung.stage for rung in rungs] == sorted(rung.stage for rung in rungs)
    assert all(a < b for a, b in pairwise(climb))
    last = rungs[-1] if over is None else rungs[-2]
    assert last.tempo == target and "the target" in last.note
    if over is not None:
        assert rungs[-1].tempo == pytest.approx(target * (1 + over / 100), abs=0.06)
    parsed = parse_step(step)
    steps = [b - a for a, b in pairwise(climb[: len(climb) - (over is not None)])]
    if parsed.bpm is not None:
        assert all(s == pytest.approx(parsed.bpm) for s in steps[:-1]) and steps[-1] <= parsed.bpm + 1e-9
    if step == "shrinking" and len(steps) > 4:
        assert steps[0] >= steps[-2] and min(steps[:-1]) >= 1
    for rung in rungs:
        limit = stages[rung.stage].tempo_limit
        assert rung.pace == pytest.approx(rung.tempo / limit)
        assert ("past the limit" in rung.note) == (rung.pace > 1)
    assert seconds_of(rungs, stages) > 0


def test_thirty_seconds_at_115_are_sixteenths_at_230():
    """Arithmetic; common practice."""
    thirty_seconds = parse("/32 " + "R L " * 16 + "|")
    same = {e.grid: e.tempo for e in equivalents(thirty_seconds, 115)}
    assert same["sixteenths"] == 230 and same["thirty-seconds"] == 115
    triplets = {e.grid: e.tempo for e in equivalents(parse("/16t R L R L R L"), 80)}
    assert triplets["sixteenths"] == 120 and triplets["eighth triplets"] == 160
    assert equivalents(parse("R"), 100) == ()
    assert Fraction(1, 32) * 230 == Fraction(1, 16) * 115


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"start": 150}, "above its target"),
        ({"start": 3}, "expected 10"),
        ({"overspeed": 90}, "overspeed"),
        ({"step": Step(bpm=0.001)}, "more than 400 rungs"),
    ],
)
def test_ladders_that_cannot_stand(more, words):
    with pytest.raises(LadderError, match=words):
        build_ladder(build_up(FIGURE, FIVE, PLAYER, 100), 100, **more)


@pytest.mark.parametrize("text", ["x", "0", "-3", "500", "90%", "nan", ""])
def test_steps_that_are_none(text):
    with pytest.raises(LadderError, match="step"):
        parse_step(text)
