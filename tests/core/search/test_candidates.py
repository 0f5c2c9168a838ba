"""Stickings side by side: what is rethought, what differs, parts put into another, and the other hand tried."""

from itertools import pairwise

import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.document import Candidate
from deft_reach.core.motion.cost import Weights
from deft_reach.core.search.candidates import both_hats, compare, if_other_hand, opened, rethought, with_part
from deft_reach.core.session import Session

FIVE, PLAYER = layout("five"), Player()


def test_which_strokes_are_thought_about_again():
    pattern = parse("(R@ft> L. R) (fL@t1 K R ?) | " + "R L K R " * 4 + "|")
    assert rethought(pattern, "open", None, None) == (6,)
    assert rethought(pattern, "group", 1, None) == (0, 1, 2)
    assert rethought(pattern, "group", 8, None) == (), "in no group"
    assert rethought(pattern, "bar", 0, None) == (0, 1, 2, 3, 5, 6)
    assert len(rethought(pattern, "all", None, None)) == len(pattern.strokes) - 5, "all but the feet"
    finding = analyse(parse("R@ft L@ft R L"), FIVE, PLAYER, 100).findings[0]
    assert set(rethought(parse("R@ft L@ft R L"), "finding", None, finding)) <= set(finding.strokes)


def test_hands_are_opened_and_nothing_else_is_touched():
    text = "# tide\n(R@ft>  L. fR) | R L K R L R L L R L R L R L R L |"
    pattern = parse(text)
    asked = opened(pattern, (0, 2), FIVE)
    assert asked.text == text.replace("(R@ft>  L. fR)", "(?@ft>  L. f?)")
    assert asked.unassigned == (0, 2)


def test_a_part_of_another_sticking_is_taken_over():
    mine, other = parse("# mine\nR@ft L R  L"), parse("L@ft R L@t1 R")
    assert with_part(mine, other, (0, 2)) == "# mine\nL@ft L L@t1  L"
    with pytest.raises(ValueError, match="different strokes"):
        with_part(mine, parse("R L R"), (0,))


def test_side_by_side():
    pattern = parse("R L R L")
    rows = compare(
        [Candidate("own", "R L R L"), Candidate("doubles", "R R L L"), Candidate("longer", "R L R L R"),
         Candidate("broken", "R Q")],
        pattern, FIVE, PLAYER, 120, True, Weights(),
    )  # fmt: skip
    assert [row.differs for row in rows] == [(), (1, 2), None, None]
    assert rows[0].report.summary.cost == analyse(pattern, FIVE, PLAYER, 120, repeat=True).summary.cost
    assert rows[3].report is None


def test_what_if_the_other_hand_took_it_is_what_the_analysis_says():
    report = analyse(parse("R@ft L@ft R@t1 L K"), FIVE, PLAYER, 140, repeat=True)
    for index in range(4):
        limbs = ["R@ft", "L@ft", "R@t1", "L", "K"]
        limbs[index] = limbs[index].translate(str.maketrans("RL", "LR"))
        swapped = analyse(parse(" ".join(limbs)), FIVE, PLAYER, 140, repeat=True).summary
        found = if_other_hand(report, index, Weights())
        assert found.cost == pytest.approx(swapped.cost - report.summary.cost)
        assert found.tempo_limit == pytest.approx(swapped.tempo_limit)
    assert if_other_hand(report, 4, Weights()) is None


def test_the_tray_is_edited_in_steps_that_can_be_undone():
    session = Session()
    session.strokes.set_text("R L R L", "Text", None)
    assert session.stickings.keep("doubles", "R R L L") and not session.stickings.keep("again", "R R L L")
    assert session.stickings.keep("mine", "R L R L")
    session.stickings.rename_candidate(0, " pairs ")
    assert [c.name for c in session.stickings.candidates] == ["pairs", "mine"]
    session.stickings.use(0)
    assert session.text == "R R L L" and session.stickings.candidates[0].text == "R L R L", "what was there is kept"
    session.undo()
    assert session.text == "R L R L" and session.stickings.candidates[0].name == "pairs"
    session.stickings.use_part(session.stickings.candidates[0], (1,))
    assert session.text == "R R R L"
    session.stickings.drop(1)
    assert [c.name for c in session.stickings.candidates] == ["pairs"]
    for k in range(9):
        session.stickings.keep(f"more {k}", "R " * (k + 2))
    assert len(session.stickings.candidates) == 6, "no more than can be compared"


def test_several_are_kept_in_one_step_as_far_as_there_is_room():
    session = Session()
    session.strokes.set_text("R L R L", "Text", None)
    rows = [Candidate(f"one {k}", "R " * (k + 2)) for k in range(3)]
    assert session.stickings.keep_all([*rows, rows[0]], "Several") == 3
    assert [c.name for c in session.stickings.candidates] == ["one 0", "one 1", "one 2"]
    assert session.stickings.keep_all(rows, "Again") == 0 and session.undo_label == "Several"
    assert session.stickings.keep_all([Candidate(f"x {k}", "L " * (k + 2)) for k in range(5)], "More") == 3
    session.undo()
    session.undo()
    assert session.stickings.candidates == ()


def test_what_a_sticking_replaces_is_named_after_it_and_gets_it_its_name_back():
    session = Session()
    session.strokes.set_text("R L R L", "Text", None)
    session.stickings.keep("doubles", "R R L L")
    session.stickings.use(0)
    assert session.stickings.candidates == (Candidate("before doubles", "R L R L"),)
    session.stickings.use(0)
    assert session.text == "R L R L" and session.stickings.candidates == (Candidate("doubles", "R R L L"),)


@pytest.mark.parametrize(
    "text",
    [
        "/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L R@hh | R@hh+K R@hh L@ft R@hh R@hh+K R@hh L@ft R@hh |",
        "/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L R@hh |",
    ],
)
def test_both_hats_offers_the_mixed_way_as_well(text):
    pattern = parse(text)
    rows = both_hats(pattern, FIVE, PLAYER, 90, True, Weights())
    assert [row.name for row in rows] == ["hi-hat crossed", "open-handed", "hi-hat passes over"]
    hands = [{s.limb for s in parse(row.text).strokes if s.voice == "hh"} for row in rows]
    assert hands == [{"R"}, {"L"}, {"R", "L"}]
    mixed = parse(rows[2].text)
    changes = [s.limb for s in mixed.strokes if s.voice == "hh"]
    assert sum(a != b for a, b in pairwise(changes)) == 1, "once, and not from stroke to stroke"


def test_where_the_hat_is_in_one_part_only_there_is_no_mixed_way():
    rows = both_hats(parse("/8 R@hh R@hh+L R@hh R@hh+L"), FIVE, PLAYER, 90, True, Weights())
    assert [row.name for row in rows] == ["hi-hat crossed", "open-handed"]
