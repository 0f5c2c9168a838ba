"""The hand test: constants of simulated players are found again, and so are their limits."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.player import CONSTANTS, Constants, PlayerError, Speeds, check_player
from deft_reach.core.practice.hand_speed import (
    EXERCISES,
    NAMES,
    HandTestError,
    exercises_of,
    measure,
    moves_of,
    usual_constants,
)
from deft_reach.core.practice.hand_speed_simulation import perform_test
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.general_midi import FOOT_KEYS, hand_test_keys
from deft_reach.formats.midi_take import dump_performance, load_performance, load_texts

FIVE, PLAYER = layout("five"), Player()
QUICK = Constants(0.108, 0.128, 0.17, 0.19, 0.5, 0.6, 0.7, 0.17, 0.07)
SLOW = Constants(0.16, 0.17, 0.25, 0.28, 0.4, 0.45, 0.6, 0.24, 0.11)


def a_test_of(constants, kit=FIVE, player=PLAYER, marks=True, **how):
    played = perform_test(replace(player, constants=constants), kit, hand_test_keys(kit), **how)
    return measure(exercises_of(played.hits, played.marks if marks else (), FOOT_KEYS), kit, player)


@pytest.mark.parametrize("constants", [QUICK, SLOW], ids=["quick", "slow"])
@pytest.mark.parametrize("marks", [True, False], ids=["named", "by pauses"])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_constants_of_a_simulated_player_are_found_within_five_percent(constants, marks, seed):
    found = a_test_of(constants, marks=marks, seed=seed)
    assert set(found.constants) == {*CONSTANTS, "hand_to_hand"} and not found.notes
    for name in CONSTANTS:
        assert found.constants[name].value == pytest.approx(getattr(constants, name), rel=0.05), name
        assert getattr(found.player.constants, name) == found.constants[name].value
        assert found.constants[name].spread >= 0 and found.constants[name].source
    together = (constants.right + constants.left) / 4
    assert found.constants["hand_to_hand"].value == pytest.approx(together, rel=0.05)


FIGURES = [
    "/16 R R R R R R R R", "/16 R L R L R L R L", "/16 R R L L R R L L", "/8 R@hh R@ft R@hh R@ft R@hh R@ft",
    "/16 R@sn L@sn R@t1 L@t1 R@ft L@ft K K", "/8 K K K K", "/16 H - H - H - H -", "/8 L@t1 L@hh L@t1 L@hh",
]  # fmt: skip


@pytest.mark.parametrize("constants", [QUICK, SLOW], ids=["quick", "slow"])
@pytest.mark.parametrize("text", FIGURES)
def test_limits_are_right_within_five_percent_after_one_test(constants, text):
    true = analyse(parse(text), FIVE, Player(constants=constants), 100, repeat=True).summary.tempo_limit
    found = a_test_of(constants).player
    assert analyse(parse(text), FIVE, found, 100, repeat=True).summary.tempo_limit == pytest.approx(true, rel=0.05)


def test_without_a_test_the_model_s_own_constants_come_back():
    found = a_test_of(Constants(), jitter=0.0)
    usual = usual_constants(Player())
    for name in CONSTANTS:
        assert found.constants[name].value == pytest.approx(getattr(usual, name), rel=0.01)
        assert found.constants[name].usual == pytest.approx(getattr(usual, name), abs=1e-4)
    # So limits stay where they are.
    for text in FIGURES:
        plain, own = (
            analyse(parse(text), FIVE, player, 100, repeat=True).summary.tempo_limit
            for player in (Player(), found.player)
        )
        assert own == pytest.approx(plain, rel=0.01)


def test_a_measured_limb_has_no_factor_beside_it_and_the_others_keep_theirs():
    player = Player(speeds=Speeds(right=1.2, left=1.3, feet=0.9, moves=1.1))
    found = a_test_of(QUICK, player=player, names=["right hand", "hand to hand"])
    assert found.player.speeds == replace(player.speeds, right=1.0)
    assert found.player.constants == Constants(right=found.constants["right"].value)
    check_player(found.player)


def test_one_pad_is_enough_for_the_hands():
    found = a_test_of(QUICK, names=NAMES[:5])
    assert set(found.constants) == {"right", "left", "hand_to_hand", "right_rebound", "left_rebound"}


def test_the_moves_lie_far_enough_apart_on_every_kit():
    for name in ("four", "five", "large", "electronic"):
        try:
            kit = layout(name)
        except KeyError:
            continue
        near, far = moves_of(kit, Player()).values()
        assert far.bits > near.bits + 0.5
        assert all(voice in kit for move in (near, far) for voice in move.voices)


def test_double_triggers_and_tiring_do_no_harm():
    played = perform_test(Player(constants=QUICK), FIVE, hand_test_keys(FIVE))
    twice = [Hit(hit.time + 0.012, hit.key, 30) for hit in played.hits[::5]]
    found = measure(exercises_of([*played.hits, *twice], played.marks, FOOT_KEYS), FIVE, Player())
    assert found.constants["right"].value == pytest.approx(QUICK.right, rel=0.05)


def test_what_cannot_be_measured_is_said():
    played = perform_test(Player(), FIVE, hand_test_keys(FIVE), names=["right hand", "right-hand doubles"])
    few = [hit for hit in played.hits if hit.time < 2.0 or hit.time > 16.0]
    found = exercises_of(few, played.marks, FOOT_KEYS)
    found["right hand"] = found["right hand"][:5]
    with pytest.raises(HandTestError, match=r"nothing could be measured.*fewer than 8 even strokes"):
        measure(found, FIVE, Player())
    with pytest.raises(HandTestError, match="no hand test"):
        exercises_of([Hit(1.0, 38, 80)], (), FOOT_KEYS)
    ten = [Hit(10.0 * part + 0.1 * k, 38, 80) for part in range(6) for k in range(20)]
    with pytest.raises(HandTestError, match="more parts than exercises"):
        exercises_of(ten, (), FOOT_KEYS)


def test_a_test_survives_its_file_with_its_names():
    played = perform_test(Player(constants=QUICK), FIVE, hand_test_keys(FIVE))
    data = dump_performance(played.hits, played.marks)
    hits, texts = load_performance(data), load_texts(data)
    assert [name for _, name in texts] == list(NAMES) == [exercise.name for exercise in EXERCISES]
    assert len(hits) == len(played.hits)
    one, two = (
        measure(exercises_of(h, t, FOOT_KEYS), FIVE, Player()).constants["right"].value
        for h, t in ((played.hits, played.marks), (hits, texts))
    )
    assert one == pytest.approx(two, rel=0.01)


@given(st.lists(st.tuples(st.floats(0, 200), st.sampled_from([36, 38, 44, 45])), max_size=60))
@settings(max_examples=100, deadline=None)
def test_any_hits_at_all_give_constants_in_range_or_a_sentence(rows):
    hits = [Hit(time, key, 80) for time, key in rows]
    try:
        found = measure(exercises_of(hits, (), FOOT_KEYS), FIVE, Player())
    except HandTestError as error:
        assert len(str(error)) > 20
    else:
        check_player(found.player)


@pytest.mark.parametrize(
    ("constants", "words"),
    [
        (Constants(right=0.01), "right hand, stroke to stroke is 0.01"),
        (Constants(left_rebound=1.5), "left-hand doubles"),
        (Constants(move=0.2), "give both or neither"),
    ],
)
def test_constants_that_cannot_be_are_refused(constants, words):
    with pytest.raises(PlayerError, match=words):
        check_player(Player(constants=constants))


def test_a_rebound_is_read_as_short_as_it_is_by_a_player_who_warms_up_and_tires():
    """As much too long as too short: singles and doubles are read by one rule."""
    wanted = Constants(right=0.150, right_rebound=0.62, left=0.160, left_rebound=0.70)
    player, off = Player(constants=wanted), []
    for seed in range(1, 13):
        played = perform_test(player, FIVE, hand_test_keys(FIVE), jitter=0.006, seed=seed)
        found = measure(exercises_of(played.hits, played.marks, {}), FIVE, Player()).constants
        off += [found[name].value / getattr(wanted, name) - 1 for name in ("right_rebound", "left_rebound")]
    assert abs(sum(off) / len(off)) < 0.01 and max(map(abs, off)) < 0.05
