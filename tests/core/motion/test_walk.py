"""The walk from stroke to stroke: who comes from where, what is bounced, and what a grace does."""

import math

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.pattern import lead_beat
from deft_reach.core.model.player import Constants, Speeds
from deft_reach.core.motion.cost import Weights
from deft_reach.core.motion.timing import (
    FOOT_REBOUND,
    GRACE_LEAST,
    HAND_REBOUND,
    TRAVEL_SKILL,
    restrike,
)
from tests.core.motion.plain_walk import walk as plain_walk
from tests.strategies import kits, texts

SKILL = 0.75
FIVE = layout("five")
UNEVEN = Player(skill=SKILL, speeds=Speeds(right=0.8, left=1.25, feet=0.9, moves=1.4))
#: A player whose constants were measured.
MEASURED = Player(
    constants=Constants(0.11, 0.14, 0.16, 0.2, 0.55, 0.4, 0.7, move=0.2, move_per_bit=0.06), speeds=Speeds(left=1.1)
)


def strokes(text: str, kit=FIVE, tempo: float = 60, **options):
    return analyse(parse(text), kit, Player(skill=SKILL), tempo, **options).strokes


def needs(text: str, **options) -> list[float]:
    """Needed time of each stroke as parts of a full restrike of its limb."""
    player = Player(skill=SKILL)
    return [round(s.needed / restrike(player, s.limb), 3) for s in strokes(text, **options)]


def test_a_stroke_that_follows_quickly_after_a_longer_wait_rebounds_and_a_third_has_a_smaller_share():
    second, third, fourth = HAND_REBOUND
    assert needs("R R L L", repeat=True) == [1, second, 1, second]
    assert needs("R R R - - - - -", repeat=True) == [1, second, third]
    assert needs("R R R R - - - - - - - -", repeat=True) == [1, second, third, fourth]
    assert needs("R L R L", repeat=True) == [1, 1, 1, 1]


def test_what_sounds_with_a_stroke_changes_no_rebound():
    """A ride pattern, alone and with the other hand and both feet on top of it."""
    alone = needs("/8t R@rd - R@rd R@rd - R@rd", repeat=True)
    among = analyse(parse("/8t R@rd+K L R@rd+H R@rd+L - R@rd+K"), FIVE, Player(skill=SKILL), 60, repeat=True).strokes
    full = restrike(Player(skill=SKILL), "R")
    assert [round(s.needed / full, 3) for s in among if s.limb == "R"] == alone


@given(
    st.lists(st.integers(1, 6), min_size=2, max_size=10),
    st.integers(0, 9),
    st.integers(1, 5),
    st.sampled_from(["R", "K"]),
    st.booleans(),
)
@settings(max_examples=200, deadline=None)
def test_a_longer_rest_anywhere_never_lowers_a_limit(gaps, at, more, limb, repeat):
    """Whatever the rhythm of one limb: longer in one place, and no stroke of the whole has less time for itself."""

    def limit(row):
        text = " ".join(f"{limb}{' -' * (gap - 1)}" for gap in row)
        return analyse(parse(text), FIVE, Player(), 100, repeat=repeat).summary.tempo_limit

    longer = list(gaps)
    longer[at % len(gaps)] += more
    before, after = limit(gaps), limit(longer)
    assert before is None or after is None or after >= before * (1 - 1e-9)


def test_a_hand_that_keeps_going_under_the_other_is_not_bounced():
    """Sixteenths of one hand with a backbeat of the other: every stroke is a full one."""
    hat = [s.needed for s in strokes("R@hh+K R@hh R@hh+L R@hh R@hh R@hh R@hh+L R@hh", repeat=True) if s.limb == "R"]
    assert hat == [pytest.approx(restrike(Player(skill=SKILL), "R"))] * 8


def test_after_a_rest_a_run_begins_anew():
    assert needs("R - - R R - -", repeat=True) == [1, 1, HAND_REBOUND[0]]
    loads = [s.cost["load"] for s in strokes("R@hh " * 6 + "- - - " + "R@hh " * 3, tempo=110)]
    assert loads[5] > loads[3] > 0 and loads[6] == loads[7] == 0


def test_an_accent_on_the_rebound_is_quicker_than_a_single_and_a_dropped_ghost_is_not_quicker_than_a_plain_stroke():
    plain = needs("R R - - - -", repeat=True)[1]
    accent = needs("R R> - - - -", repeat=True)[1]
    assert plain < accent == pytest.approx(1.1 * plain, abs=1e-3) and accent < 1
    assert needs("R R. - - - -", repeat=True)[1] == pytest.approx(0.85 * plain, abs=1e-3)
    assert needs("R> R. - - - -", repeat=True)[1] == pytest.approx(0.85), "from high up it has to be dropped"
    assert needs("R> R. R> R.", repeat=True)[1] == 1


def test_the_way_to_another_voice_counts_where_it_takes_longer():
    assert needs("R - R@rd -", repeat=True)[1] > 1


def test_limbs_that_differ_need_their_own_time():
    """The factors are on what each limb needs, and on the hands' travel: nothing else changes."""
    text = "R L R@ft L@hh R L K H"
    even, own = strokes(text), analyse(parse(text), FIVE, UNEVEN, 60).strokes
    ratios = [round(b.needed / a.needed, 3) for a, b in zip(even, own, strict=True)]
    assert ratios[3] == ratios[5] == pytest.approx(1.25**TRAVEL_SKILL * 1.4, abs=2e-3)
    assert all(0.8**TRAVEL_SKILL * 1.4 < ratio < 1.4 for ratio in (ratios[2], ratios[4])), "no tip is thrown too hard"
    assert 0.8 < ratios[0] < 1 < ratios[1] < 1.25, "near the fastest there is, skill says less"
    assert 0.9 < ratios[6] == ratios[7] < 1


def test_feet_bounce_where_a_short_gap_follows_a_long_one():
    assert needs("K - - - K K - - -", repeat=True)[1:] == pytest.approx([1, FOOT_REBOUND[0]])
    assert needs("K K K K", repeat=True) == [1, 1, 1, 1], "an even stream has no doubles in it"


def test_each_hand_comes_from_where_it_was():
    found = strokes("R@ft L@hh R@rd K L R@rd")
    assert [s.came_from for s in found] == [None, None, "ft", None, "hh", "rd"]
    assert found[2].travel_mm == pytest.approx((10**2 + 210**2 + 320**2) ** 0.5)
    assert found[5].travel_mm == 0
    assert found[4].gap == pytest.approx(3 * 0.25)


def test_the_smaller_target_counts():
    to_bell = strokes("R R@rd:bell")[1]
    to_bow = strokes("R R@rd")[1]
    assert to_bell.needed / to_bell.travel_mm > to_bow.needed / to_bow.travel_mm


def test_skill_shortens_restrikes_more_than_travel():
    text = "R - L@t1 - K - R@ft - L - L -"
    slow = analyse(parse(text), FIVE, Player(skill=1.0), 60).strokes
    fast = analyse(parse(text), FIVE, Player(skill=0.75), 60).strokes
    ratio = {s.index: f.needed / s.needed for s, f in zip(slow, fast)}
    assert ratio[0] == pytest.approx(0.78, abs=0.03) and ratio[3] == pytest.approx(0.75**TRAVEL_SKILL, abs=0.01)
    assert ratio[5] < ratio[0] - 0.1, "what bounces shortens more: bouncing is learned too"


@pytest.mark.parametrize("grace", ["f", "d", "u"])
def test_graces_are_strokes_of_the_hand_that_plays_them(grace):
    """The left has just played and comes from the floor tom: it is the left hand that is in a hurry."""
    graced = strokes(f"R - - - - - L@ft {grace}R")[2]
    (found,) = graced.graces
    assert (found.limb, found.came_from, found.voice) == ("L", "ft", "sn")
    assert found.gap == pytest.approx(0.25) and found.travel_mm == pytest.approx(501, abs=1)
    assert found.pace == pytest.approx(found.needed / found.gap) and found.pace > graced.pace
    assert found.tempo_limit == pytest.approx(60 / found.pace)
    plain = strokes("R - - - - - L@ft R")[2]
    if grace != "u":
        assert (graced.needed, graced.pace) == (plain.needed, plain.pace), "its own stroke is what it was"
    where = strokes(f"R - - - - - L@ft {grace}[ft]R")[2].graces[0]
    assert where.travel_mm == 0 and where.needed < found.needed, "on the voice where the hand is it costs no way"


def test_a_drag_by_the_hand_on_the_hat_is_that_hands_matter():
    """Eighths on the hat and a drag on the snare: the right hand comes from the hat, the left has all the time."""
    report = analyse(parse("/16 R@hh+K - R@hh dL. R@hh+L> - R@hh -"), FIVE, Player(), 80, repeat=True)
    (found,) = report.strokes[3].graces
    assert (found.limb, found.came_from) == ("R", "hh") and found.gap == pytest.approx(60 / 80 / 4)
    assert report.strokes[3].limb == "L" and report.strokes[3].pace < 0.3
    assert all(s.needed <= s.gap for s in report.strokes if s.limb == "L" and s.gap)
    named = [f for f in report.findings if f.kind == "hurried"]
    assert named and all(f.limb == "R" for f in named)


def test_a_hand_that_grazed_is_already_there_a_little_early():
    after, without = strokes("R - - L fR L")[3], strokes("R - - L L L")[3]
    assert after.needed == pytest.approx(without.needed - GRACE_LEAST)
    assert after.gap == pytest.approx(0.25) and without.gap == pytest.approx(0.25)


def test_a_grace_takes_the_other_hand_to_the_voice():
    report = analyse(parse("R@ft L@hh fR@ft L@hh"), FIVE, Player(), 60)
    assert report.postures[2].left == "ft" and report.postures[2].right == "ft"
    assert report.strokes[3].came_from == "ft"


def test_with_both_hands_striking_there_is_none_for_a_grace():
    plain, graced = strokes("R L R+L"), strokes("R L fR+L")
    assert [s.needed for s in plain] == [s.needed for s in graced]


def test_strokes_that_fall_together_all_start_from_before():
    found = strokes("R@ft L@hh R@sn+L@sn+K R@rd")
    assert found[2].came_from == "ft" and found[3].came_from == "hh"
    assert found[2].gap == pytest.approx(0.5) and found[3].gap == pytest.approx(0.25)


def test_an_unknown_voice_moves_nothing():
    report = analyse(parse("R R@c9 R@ft"), FIVE, Player(), 60)
    assert report.postures[1].right == "sn"
    assert report.strokes[2].came_from == "sn" and report.strokes[1].travel_mm == 0


def test_a_hand_that_is_not_chosen_yet_does_not_move():
    report = analyse(parse("R@ft ? R@ft"), FIVE, Player(), 60)
    assert report.strokes[1].gap is None and report.strokes[1].reach is None
    assert report.postures[1].right == "ft" and report.postures[1].left is None
    assert sum(report.strokes[1].cost.values()) == 0


def test_reach_is_of_the_limb_that_strikes():
    found = strokes("R@rd L@rd K H")
    assert found[0].reach < 0.8 < found[1].reach
    assert 0 < found[2].reach < 1 and 0 < found[3].reach < 1


@pytest.mark.parametrize(
    ("meter", "beat"),
    [((4, 4), "1/4"), ((3, 4), "1/4"), ((6, 8), "3/8"), ((12, 8), "3/8"), ((7, 8), "1/8"), ((3, 8), "1/8")],
)
def test_the_beat_a_hand_can_lead(meter, beat):
    assert str(lead_beat(meter)) == beat


def test_in_six_eight_singles_swap_the_lead_and_both_hands_on_the_beat_do_not():
    report = analyse(parse("meter 6/8 /8 R L R L R L |"), FIVE, Player(), 60)
    assert [f.strokes for f in report.findings if f.kind == "lead-switch"] == [(3,)]
    report = analyse(parse("/4 R@hh R@hh+L R@hh R@hh+L |"), FIVE, Player(), 60)
    assert not [f for f in report.findings if f.kind == "lead-switch"] and report.summary.lead == "R"


@given(texts(), kits(), st.booleans(), st.sampled_from([60, 140, 260]), st.sampled_from([Player(), UNEVEN, MEASURED]))
@example("R@ft L@hh fR@ft uL dR+K K J H J+H R+R@t1 L", layout("five-double"), True, 120, UNEVEN)
@example("f?. R@nowhere L@c1 ? R@c1 L@ft fR@nowhere L", layout("large"), True, 90, UNEVEN)
@example("/8 R@hh+L@t1", FIVE, True, 60, Player())
@example("R@sn+L@sn R@hh+L R@hh+L@t1 L+R@hh", layout("compact"), False, 90, Player())
@settings(max_examples=150, deadline=None)
def test_all_at_once_is_what_one_after_the_other_is(text, kit, repeat, tempo, player):
    pattern = parse(text)
    report = analyse(pattern, kit, player, tempo, repeat=repeat)
    whole = 240.0 / tempo
    times = [start * whole for start in pattern.starts]
    plain = plain_walk(pattern, times, float(pattern.length) * whole, report.table, Weights(), repeat)
    for stroke, row in zip(report.strokes, plain.rows, strict=True):
        assert (stroke.gap is None, stroke.pace is None) == (row.gap is None, row.pace is None)
        mine = [stroke.gap, stroke.pace, stroke.travel_mm, stroke.needed, stroke.reach]
        theirs = [row.gap, row.pace, row.travel, row.needed, row.reach]
        assert [x or 0 for x in mine] == pytest.approx([x or 0 for x in theirs], rel=1e-9)
        assert stroke.came_from == row.came_from
        cost = {term: value for term, value in stroke.cost.items() if term != "squeeze"}
        assert cost == pytest.approx(row.cost, rel=1e-9, abs=1e-12)
    assert list(report.postures) == plain.postures
    assert report.summary.cost - report.summary.terms["squeeze"] == pytest.approx(
        math.fsum(v for r in plain.rows for v in r.cost.values())
    )
    switches = [i for f in report.findings if f.kind == "lead-switch" for i in f.strokes]
    assert switches == plain.switches
