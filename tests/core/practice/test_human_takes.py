"""Takes as people play them: what is fine passes, and what is wrong is said first and once.

The takes are made by ``human_takes``, which shares nothing with the app's own simulated kit.
"""

import re

import pytest

from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.take_report import LEFT_OUT, STOP, TWICE
from tests.core.practice.human_takes import BY_NAME, FINE, KINDS, PLAYERS, SNARE, Figure, check, play, takes

ADVANCED, INTERMEDIATE, _ = PLAYERS
SLIPS = {"beat left out": LEFT_OUT, "beat twice": TWICE, "pause": STOP}


#: Takes of a kind that may be judged wrongly: those that are only just wrong, or as good as the other thing.
MAY_BE_WRONG = 1


@pytest.mark.parametrize("kind", FINE, ids=lambda kind: kind.name)
def test_a_clean_take_passes(kind):
    found = [*takes([kind], sizes=(0, 2), players=[ADVANCED])]
    found += takes([kind], sizes=(1,), players=[INTERMEDIATE])
    refused = [(row.figure, row.seed, row.found.advice[0]) for row in found if row.found.verdict != "clean"]
    assert len(refused) <= (MAY_BE_WRONG if kind.name == "all off the click" else 0), refused


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_a_fault_is_refused_and_said_first(kind):
    found = [*takes([kind], sizes=(1,), players=[INTERMEDIATE]), *takes([kind], sizes=(2,), players=[ADVANCED])]
    through = [(row.figure, row.seed) for row in found if row.found.verdict == "clean"]
    wrong = [(row.figure, row.seed, row.found.advice[0]) for row in found if not row.right]
    assert not through and len(wrong) <= MAY_BE_WRONG, (through, wrong)


@pytest.mark.parametrize("name", SLIPS)
@pytest.mark.parametrize("figure", ["rock", "ghosts", "fill"])
def test_a_slip_is_one_thing_at_its_place(name, figure):
    kind = next(kind for kind in KINDS if kind.name == name)
    take = play(BY_NAME[figure], ADVANCED, 7)
    kind.change(take, 0)
    found = check(take)
    assert not found.missed and not found.extra, found.advice
    [slip] = found.slips
    assert slip.kind == SLIPS[name] and abs(slip.round - 1 - take.middle) <= 1
    wanted = {LEFT_OUT: (1.0, 0.0), TWICE: (1.0, 0.0), STOP: (0.0, 0.18)}[slip.kind]
    assert (slip.beats, slip.seconds) == pytest.approx(wanted, abs=0.03)
    assert found.verdict == "rough" and sum("In round" in line for line in found.advice) == 1
    assert {row.missed for row in found.places} == {0}


@pytest.mark.parametrize("seed", range(1, 13))
def test_a_backbeat_25_ms_late_is_found_in_every_take(seed):
    for who in (ADVANCED, INTERMEDIATE):
        take = play(BY_NAME["rock"], who, seed)
        for note in take.where(lambda s: s.limb == "L"):
            note.time += 0.025
        found = check(take)
        assert found.verdict != "clean" and re.search("left hand.*(late|apart)", found.advice[0]), found.advice


def test_what_the_kit_cannot_tell_is_not_judged():
    rims = Figure("rims", "/8 R@hh+K R@hh R@hh+L^ R@hh R@hh+K R@hh R@hh+L^ R@hh |", 100)
    take = play(rims, ADVANCED, 3)
    assert not any("not judged" in line for line in check(take).advice)
    for note in take.notes:
        note.key = SNARE if note.key == 40 else note.key
    found = check(take)
    assert found.verdict == "clean" and "as a rim shot are not judged" in found.advice[-1]


def test_feet_that_rush_are_no_late_hands_as_well():
    kind = next(kind for kind in KINDS if kind.name == "feet rush")
    take = play(BY_NAME["feet"], ADVANCED, 5)
    kind.change(take, 2)
    lines = check(take).advice
    assert "The feet rush" in lines[0] and not any("hands rush" in line for line in lines)


def test_a_crash_a_little_after_the_end_is_the_closing_one_and_a_stroke_in_a_rest_is_not():
    take = play(BY_NAME["ghosts"], ADVANCED, 4)
    end = take.rounds * 4 * take.beat
    take.more.append(Hit(end, 49, 110))
    found = check(take)
    assert found.verdict == "clean" and [row.why for row in found.ignored] == ["the closing one"]
    take.more.append(Hit(take.notes[20].time + 0.3 * take.beat, 43, 80))
    assert check(take).verdict != "clean"
