"""The planner among figures that nobody would think of; the short ones against every possibility."""

from random import Random

import pytest

from deft_reach.core import Player, layout, parse
from deft_reach.core.search.planner import cheapest_stickings
from tests.cli.test_verbs import run, verb
from tests.hostile.plans import Question, check, question

#: Loops that once ended in an error: hands that rest for longer than the past of a state is known.
LONG_RESTS = "/16t " + "?@hh ? ?@hh ?@hh ? ? " * 4


@pytest.mark.parametrize("seed", range(5))
def test_nothing_is_stumbled_over_and_what_is_proven_is_the_least(seed):
    for k in range(8):
        asked = question(Random(900 + seed * 100 + k))
        assert check(asked) == "", asked.command


@pytest.mark.parametrize("hat", ["crossed", "open", "free"])
@pytest.mark.parametrize("school", ["free", "right-lead", "natural"])
def test_a_loop_in_which_one_hand_rests_for_long_has_answers(capsys, hat, school):
    words = ("--repeat", "--hat", hat, "--school", school, "--best", "2")
    code, found = verb(capsys, "plan", "-e", LONG_RESTS, *words)
    assert code in (0, 1) and found["best"]
    hands = found["best"][0]["sticking"].split()
    if hat != "free":
        # A hand that leads the beats and may not have the hat leaves them open.
        assert {hands[k] for k in range(0, 24, 6)} <= ({"R"} if hat == "crossed" else {"L", "?"})


@pytest.mark.parametrize(
    ("text", "wishes", "stickings"),
    [
        # An open stroke is not played by the hand that a written one goes on with.
        ("/16 ? R ? ? L", {"school": "alternate"}, ["L R L R L"]),
        ("/16 R R ? R R", {"max_run": 2}, ["R R L R R"]),
        # Written runs are nobody's fault.
        ("/16 R R R ? ?", {"max_run": 2}, ["R R R L R", "R R R L L"]),
        ("/16 ? ? ? ?", {"max_run": 1}, ["R L R L", "L R L R"]),
        # Longer than any state remembers.
        ("/16 " + "? " * 16, {"max_run": 12, "hat": "free"}, None),
    ],
)
def test_a_longest_run_is_kept_on_both_sides_of_what_is_written(text, wishes, stickings):

    found = cheapest_stickings(parse(text), layout("five"), Player(), 100, best=2, **wishes)
    mine = [row.report.pattern.sticking for row in found.best]
    if stickings is not None:
        assert sorted(mine) == sorted(stickings)
    asked = Question(text, 100, False, "free", "free", wishes.get("max_run"), 2)
    assert check(asked) == ""


def test_a_run_longer_than_a_state_remembers_is_found(capsys):
    text = "/16 " + "?@hh " * 20
    _, found = verb(capsys, "plan", "-e", text, "--hat", "crossed", "--max-run", "30", "--best", "1")
    assert found["best"][0]["sticking"] == " ".join("R" * 20)
    code, *_ = run(capsys, "plan", "-e", text, "--hat", "crossed", "--max-run", "15")
    assert code == 2, "the crossed hat leaves no other hand"
