"""Stages and ladders: each stage adds one thing, rungs climb to the target, equal speeds are equal."""

from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.notation.swing import straight
from deft_reach.core.practice.chunks import build_chunks, chunk_text, chunks_of
from deft_reach.core.practice.ladder import (
    BETWEEN_S,
    EASY_PACE,
    LadderError,
    StepSize,
    build_ladder,
    equivalents,
    first_tempo,
    parse_step,
    seconds_of,
)  # fmt: skip
from deft_reach.core.practice.runner import Runner
from deft_reach.core.practice.stages import STAGES, build_up, plain_groove
from deft_reach.core.practice.verdicts import THREE_CLEAN, Rule
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()
FIGURE = parse("/16 (R@ft> L. K R@t2) (fL@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |")


def test_every_stage_adds_one_thing():
    stages = build_up(FIGURE, FIVE, PLAYER, 100)
    names = [stage.name for stage in stages]
    assert names == [name for name in STAGES if name not in ("unison guide", "outer foot")]
    skeleton, surface, feet, dynamics, round_kit, everything, groove, between = (parse(s.text) for s in stages)
    assert {s.start % Fraction(1, 8) for s in skeleton.strokes if s.limb in "RL"} == {0}
    assert [s.start for s in skeleton.strokes if s.limb == "K"] == [s.start for s in FIGURE.strokes if s.limb == "K"]
    assert groove.text == plain_groove(FIVE, (4, 4))
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
        repeat = "groove" in stage.name
        alone = analyse(parse(stage.text), FIVE, PLAYER, 100, repeat=repeat)
        assert stage.tempo_limit == alone.summary.tempo_limit and stage.why


def test_stages_that_would_be_the_same_are_left_out():
    names = [stage.name for stage in build_up(parse("/16 R L R L R L R L R L R L R L R L |"), FIVE, PLAYER, 100)]
    assert names == ["skeleton", "everything", "groove alone", "between grooves"]
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
    for stage in stages:
        if "groove" not in stage.name:
            assert parse(stage.text).length == pattern.length
        assert stage.name in STAGES


def test_a_linear_figure_has_a_unison_guide_and_two_feet_an_outer_one():
    """Common practice: the hand goes along with the feet until the grid is heard, and one foot comes first."""
    linear = parse("/16 R@hh L K R@ft L@t1 K R L K R L K R L R L |")
    guide = {s.name: parse(s.text) for s in build_up(linear, FIVE, PLAYER, 100)}["unison guide"]
    assert all(event.hands for event in guide.events) and len(guide.events) == len(linear.events)
    assert [s.start for s in guide.strokes if s.limb == "K"] == [s.start for s in linear.strokes if s.limb == "K"]
    assert {s.voice for s in guide.strokes} == {"sn", "bd"}
    assert "unison guide" not in [s.name for s in build_up(parse("/8 R+K L R L+K R L R L |"), FIVE, PLAYER, 100)]
    double = parse("/16 K+R J K J K+L J K J K+R J K J K+L J K J |")
    outer = {s.name: parse(s.text) for s in build_up(double, layout("five-double"), PLAYER, 100)}["outer foot"]
    assert "J" not in outer.sticking and outer.sticking.split().count("K") == 8


CHUNKED = [
    ("/16 (R@ft> L. K R@t2) (fL@t1> K R. L.) (R@c2>+K L. R@ft) (K L@t1 R@t2) R> - |", 5),
    ("/16 R L R R L R L L R L R R L R L L | R@t1 L R R L@ft R L L R L R R L R L L |", 2),
    ("/8 R L@t1 R@ft L K R@hh L R |", 4),
    ("swing 66 /8 /8 R@hh+K R@hh R@hh+L R@t1 R@hh+K R@t2 R@hh+L L@ft |", 4),
]


@pytest.mark.parametrize(("text", "count"), CHUNKED)
@pytest.mark.parametrize("repeat", [False, True])
def test_chunks_come_slowest_first_then_joined_then_all(text, count, repeat):
    pattern = parse(text)
    assert len(chunks_of(pattern)) == count
    stages = build_chunks(pattern, FIVE, PLAYER, 100, repeat=repeat)
    alone = [s for s in stages if "by itself" in s.why]
    joined = [s for s in stages if "joined" in s.why]
    assert [*alone, *joined, stages[-1]] == list(stages) and stages[-1].text == pattern.text
    assert len(alone) == count and len(joined) == (count - 1 if count > 2 else 0)
    for row in (alone, joined):
        limits = [stage.tempo_limit or 1e9 for stage in row]
        assert limits == sorted(limits)
    for stage in stages[:-1]:
        report = analyse(parse(stage.text), FIVE, PLAYER, 100, repeat=True)
        assert report.summary.tempo_limit == stage.tempo_limit


@pytest.mark.parametrize(("text", "count"), CHUNKED)
def test_a_chunk_is_its_strokes_and_the_first_ones_after_it(text, count):
    pattern = parse(text)
    for chunk in chunks_of(straight(pattern)):
        read = parse(chunk_text(pattern, chunk.start, chunk.end, True))
        inside = [s for s in straight(pattern).strokes if chunk.start <= s.start < chunk.end]
        moment = next((e for e in straight(pattern).events if e.start >= chunk.end), pattern.events[0])
        wanted = [*inside, *(pattern.strokes[i] for i in moment.indices)]
        assert [(s.limb, s.voice, s.marks, s.grace) for s in read.strokes] == [
            (s.limb, s.voice, s.marks, s.grace) for s in wanted
        ]
        gaps = [b.start - a.start for a, b in pairwise(inside)]
        assert [b.start - a.start for a, b in pairwise(straight(read).strokes[: len(inside)])] == gaps


@given(texts(max_steps=24), st.booleans())
@settings(max_examples=40, deadline=None)
def test_any_pattern_has_chunks_that_can_be_read(text, repeat):
    pattern = parse(text)
    for stage in build_chunks(pattern, FIVE, PLAYER, 90, repeat=repeat):
        assert parse(stage.text).strokes


def test_a_chunk_climbs_by_itself_in_a_few_rungs():
    stages = build_chunks(FIGURE, FIVE, PLAYER, 90)
    rungs = build_ladder(stages, 90, each=True)
    for k in range(len(stages) - 1):
        mine = [rung.tempo for rung in rungs if rung.stage == k]
        assert len(mine) == 3 and mine[0] < mine[1] < mine[2] == 90
    assert rungs[-1].tempo == 90 and rungs[-1].stage == len(stages) - 1


@pytest.mark.parametrize(
    "text", ["/8 R L R L", "/16 R L R R L R L L |", "meter 7/8 /16 R L R L K R L R L K R L K K |"]
)
@pytest.mark.parametrize("target", [60, 120, 220])
def test_a_rung_lasts_half_a_minute_to_a_minute_and_no_two_are_nearly_alike(text, target):
    stages = build_up(parse(text), FIVE, PLAYER, target)
    rungs = build_ladder(stages, target, overspeed=6)
    for rung in rungs:
        seconds = seconds_of([rung], stages)
        assert 30 <= seconds <= 60, rung
    climb = [rung.tempo for rung in rungs if rung.stage == len(stages) - 1]
    assert all(abs(b / a - 1) > 0.0199 for a, b in pairwise(climb))
    assert rungs[0].tempo <= target / 2
    assert climb[-3:] == [target, pytest.approx(target * 1.06, abs=0.06), target]
    assert rungs[-1].note.startswith("home again")


@pytest.mark.parametrize("rule", [THREE_CLEAN, Rule(up_after=2), Rule(adaptive=True)])
@pytest.mark.parametrize("minutes", [8, 15, 25, 40])
@pytest.mark.parametrize("build", [build_up, build_chunks])
def test_minutes_asked_for_are_kept_by_the_rule(build, minutes, rule):
    """Whoever plays every try clean is at the target when the minutes are over, and not long before."""
    stages = build(FIGURE, FIVE, PLAYER, 110)
    rungs = build_ladder(stages, 110, minutes=minutes, rule=rule, each=build is build_chunks)
    runner, seconds = Runner(rungs, stages, rule), 0.0
    while not runner.done:
        once = runner.stage.report.summary.duration * runner.stage.report.tempo / runner.rung.tempo
        seconds += once * runner.rung.repeats + BETWEEN_S
        runner.take("clean", once * runner.rung.repeats)
    assert 0.7 * minutes <= seconds / 60 <= minutes
    assert rungs[-1].tempo == 110


def test_few_minutes_are_for_what_breaks_first():
    stages = build_chunks(FIGURE, FIVE, PLAYER, 110)
    few, many = build_ladder(stages, 110, minutes=8, each=True), build_ladder(stages, 110, minutes=40, each=True)
    kept = {rung.stage for rung in few[:-1]}
    assert {rung.stage for rung in many} == set(range(len(stages))) > kept
    limits = [stage.tempo_limit for stage in stages[:-1]]
    gone = [limits[k] for k in range(len(limits)) if k not in kept]
    assert max(limits[k] for k in kept if k < len(limits)) <= min(gone)
    tiny = build_ladder(stages, 110, minutes=1)
    assert {rung.stage for rung in tiny} == {len(stages) - 1} and tiny[-1].tempo == 110, "the shortest there is"


def test_past_the_limit_only_when_asked_and_said():
    stages = build_up(FIGURE, FIVE, PLAYER, 200)
    limit = stages[-1].tempo_limit
    within = build_ladder(stages, 200, past_limit=False, overspeed=5)
    assert max(rung.tempo for rung in within if rung.stage == len(stages) - 1) == int(limit)
    assert all(rung.pace <= 1 for rung in within) and "lies past it" in within[-1].note
    beyond = build_ladder(stages, 200)
    assert beyond[-1].tempo == 200 and "past the limit" in beyond[-1].note


def test_big_steps_are_a_school_too():
    stages = build_up(FIGURE, FIVE, PLAYER, 110)
    assert [r.tempo for r in build_ladder(stages, 110, start=50, step=parse_step("15")) if r.stage == 7] == [
        50, 65, 80, 95, 110,
    ]  # fmt: skip
    assert [r.tempo for r in build_ladder(stages, 110, start=27, step=parse_step("double")) if r.stage == 7] == [
        27, 54, 110,
    ]  # fmt: skip


def test_a_song_keeps_its_proportions():
    """Three times the groove and the fill once stay three and one."""
    groove = "/8 R@rd+K R@rd R@rd+L R@rd R@rd+K R@rd R@rd+L R@rd |"
    between = build_up(FIGURE, FIVE, PLAYER, 100, groove=groove, groove_times=3)[-1]
    assert between.name == "between grooves" and between.text.count("R@rd+K") == 2 * (3 + 1)


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
    rungs = build_ladder(stages, target, start=50, step=parse_step(step), overspeed=over, home=False)
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
        # A last step that is hardly one is part of the one before.
        assert all(s == pytest.approx(parsed.bpm) for s in steps[:-1]) and steps[-1] <= parsed.bpm + 0.02 * target
    if step == "shrinking" and len(steps) > 4:
        # To whole BPM.
        assert steps[0] / climb[0] >= steps[-2] / climb[-3 - (over is not None)] - 0.01 and min(steps[:-1]) >= 1
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
        ({"step": StepSize(bpm=0.001)}, "more than 400 rungs"),
    ],
)
def test_ladders_that_cannot_stand(more, words):
    with pytest.raises(LadderError, match=words):
        build_ladder(build_up(FIGURE, FIVE, PLAYER, 100), 100, **more)


@pytest.mark.parametrize("text", ["x", "0", "-3", "500", "190%", "nan", ""])
def test_steps_that_are_none(text):
    with pytest.raises(LadderError, match="step"):
        parse_step(text)


def test_a_loop_is_not_played_between_foreign_grooves():
    loop = parse("/16 R> L R R L> R L L R> L R R L> R L L |")
    assert "between grooves" in [stage.name for stage in build_up(loop, FIVE, PLAYER, 100)]
    names = [stage.name for stage in build_up(loop, FIVE, PLAYER, 100, repeat=True)]
    assert not {"between grooves", "groove alone"} & set(names)
    asked = build_up(loop, FIVE, PLAYER, 100, repeat=True, groove=plain_groove(FIVE, (4, 4)))
    assert asked[-1].name == "between grooves", "but for one that is asked for"


def test_the_skeleton_keeps_accents_and_drops_ghosts():
    figure = parse("/16 R L> R@t1 L. R. L R@ft> L. R L R. L R@t1> L R L |")
    skeleton = parse(build_up(figure, FIVE, PLAYER, 100)[0].text)
    starts = {s.start for s in skeleton.strokes}
    assert all(s.start in starts for s in figure.strokes if ">" in s.marks)
    assert not any(s.start in starts for s in figure.strokes if "." in s.marks)


def test_a_stage_that_breaks_where_the_whole_does_is_left_out():
    """The feet alone set the limit here: putting the hands round the kit first makes nothing easier."""
    stages = build_up(parse("/16 (R@ft> L@t1 K K) (R@ft> L@t1 K K) (R L K K) (R@ft> L@t1 K K) |"), FIVE, PLAYER, 100)
    names = [stage.name for stage in stages]
    assert "with the feet" not in names and "hands round the kit" in names and "everything" in names
