"""The analysis as a whole: symmetry, monotony, loops, and what every number must agree with."""

import math
from dataclasses import replace

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_reach.core import LAYOUTS, Player, Weights, analyse, layout, parse
from deft_reach.core.model.player import Constants, Speeds
from deft_reach.core.motion.cost import ANEW_CREDIT, TERMS
from tests.strategies import kits, swap_hands, texts

FIVE = layout("five")


def report(text: str, tempo: float = 90, kit=FIVE, player: Player | None = None, **options):
    return analyse(parse(text), kit, player or Player(), tempo, **options)


@given(
    texts(),
    kits(),
    st.booleans(),
    st.sampled_from([
        Player(), Player(speeds=Speeds(0.8, 1.25, 0.9, 1.4)),
        Player(constants=Constants(0.11, 0.14, None, 0.2, 0.55)),
    ]),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_a_mirrored_kit_with_swapped_hands_is_the_same_to_the_last_bit(text, kit, repeat, player):
    one = report(text, 110, kit, player, repeat=repeat)
    two = report(swap_hands(text), 110, kit.mirror(), player.mirror(), repeat=repeat)
    assert one.summary.cost == two.summary.cost
    assert one.summary.tempo_limit == two.summary.tempo_limit
    assert one.summary.difficulty == two.summary.difficulty and one.habit == two.habit
    assert [s.cost for s in one.strokes] == [s.cost for s in two.strokes]
    swapped = {"R": "L", "L": "R"}
    mine = sorted((f.kind, f.strokes, f.severity, f.limb, f.over) for f in one.findings)
    theirs = sorted(
        (f.kind, f.strokes, f.severity, swapped.get(f.limb, f.limb), swapped.get(f.over, f.over))
        for f in two.findings
    )
    assert str(mine) == str(theirs)


@given(texts(), st.floats(40, 260), st.floats(1.0, 2.5), st.booleans())
@settings(max_examples=60, deadline=None)
def test_faster_never_costs_less_and_the_limit_does_not_depend_on_the_tempo_asked(text, tempo, factor, repeat):
    slow, fast = report(text, tempo, repeat=repeat), report(text, tempo * factor, repeat=repeat)
    assert fast.summary.cost >= slow.summary.cost - 1e-9
    if slow.summary.tempo_limit is None:
        assert fast.summary.tempo_limit is None
    else:
        assert fast.summary.tempo_limit == pytest.approx(slow.summary.tempo_limit, rel=0.02 if "f" in text else 1e-9)


@given(st.sampled_from(["t1", "t2", "ft", "rd", "hh"]), st.floats(0.05, 0.9))
def test_a_piece_nearer_along_a_move_never_lengthens_that_move(code, part):
    piece, snare = FIVE.piece(code), FIVE.piece("sn")
    assert piece is not None and snare is not None
    nearer = piece.moved(
        *(b + (a - b) * part for a, b in zip((piece.x, piece.y, piece.z), (snare.x, snare.y, snare.z)))
    )
    text = f"R R@{code}"
    before, after = report(text), report(text, kit=FIVE.with_piece(nearer))
    assert after.strokes[1].needed <= before.strokes[1].needed
    assert after.strokes[1].travel_mm <= before.strokes[1].travel_mm


@given(texts(), st.booleans())
@settings(max_examples=60, deadline=None)
def test_the_numbers_agree_with_each_other(text, repeat):
    found = report(text, 100, repeat=repeat)
    summary = found.summary
    assert summary.cost == pytest.approx(math.fsum(v for s in found.strokes for v in s.cost.values()), abs=1e-12)
    assert summary.cost == pytest.approx(math.fsum(summary.terms.values()))
    for stroke in found.strokes:
        assert set(stroke.cost) == set(TERMS) and all(v >= 0 for v in stroke.cost.values())
        if stroke.pace is not None:
            assert stroke.tempo_limit == pytest.approx(100 * stroke.gap / stroke.needed)
            assert stroke.pace == pytest.approx(stroke.needed / stroke.gap)
    limits = {s.index: s.tempo_limit for s in found.strokes if s.tempo_limit is not None}
    for stroke in found.strokes:
        for grace in stroke.graces:
            limits[stroke.index] = min(limits.get(stroke.index, math.inf), grace.tempo_limit)
    assert summary.tempo_limit == (min(limits.values()) if limits else None)
    if limits:
        assert limits[summary.bottleneck] == summary.tempo_limit
        assert summary.headroom == pytest.approx(summary.tempo_limit / 100 - 1)
    assert sum(load.strokes for load in summary.load.values()) == len(found.strokes)
    assert sum(load.share for load in summary.load.values()) == pytest.approx(1 if found.strokes else 0)
    assert [s.index for s in found.strokes] == list(range(len(found.strokes)))
    assert all(0 <= i < len(found.strokes) for f in found.findings for i in f.strokes)


@given(texts(12, swing=False))
@example("/16t K = /8t R+K /7:8/32 H")
@example("/8t R /8t R R R+K /32 K R K =")
@example("/8 R")
@settings(max_examples=50, deadline=None)
def test_a_loop_is_what_its_later_rounds_are(text):
    """Unrolled often enough, a late round's strokes are those of the loop (the last one's hands may go to rest)."""
    pattern = parse(text)
    looped = report(text, 100, repeat=True)
    # A tie at the start of the next round would lengthen this one, so rounds are joined by their text as it stands.
    rounds = 3 + 64 // max(1, len(pattern.events))
    unrolled = report(" ".join(["/16 " + text] * rounds), 100)
    count = len(pattern.strokes)
    for a, b in zip(looped.strokes, unrolled.strokes[(rounds - 2) * count : (rounds - 1) * count]):
        assert a.needed == pytest.approx(b.needed)
        assert a.gap == pytest.approx(b.gap)
        # Which strokes fall on beats depends on where the round begins; all else is the same.
        for term in set(TERMS) - {"switch", "figure", "load"}:
            assert a.cost[term] == pytest.approx(b.cost[term])
        # So does which of them a bar begins with.
        assert abs(a.cost["load"] - b.cost["load"]) in (pytest.approx(0, abs=1e-6), pytest.approx(ANEW_CREDIT))


def test_first_strokes_have_no_gap_unless_it_is_a_loop():
    once, loop = report("R L K R"), report("R L K R", repeat=True)
    assert [s.gap is None for s in once.strokes] == [True, True, True, False]
    assert all(s.tempo_limit is not None for s in loop.strokes)
    assert loop.strokes[0].gap == pytest.approx(60 / 90 / 4), "the last R is one sixteenth before the first"


def test_the_hi_hat_foot_is_one_limb_on_two_pedals():
    found = report("/8 H J H", kit=layout("five-double"))
    assert found.strokes[1].gap == pytest.approx(60 / 90 / 2)
    assert found.strokes[1].travel_mm == pytest.approx(layout("five-double").foot_pedals_apart)


def test_time_bar_and_beat():
    found = report("R L | /4 R L R L", 60)
    assert [(s.bar, float(s.beat), s.time) for s in found.strokes][:3] == [
        (0, 4.5, 0),
        (0, 4.75, 0.25),
        (1, 1.0, 0.5),
    ]


@pytest.mark.parametrize(
    ("text", "lead"),
    [
        ("R L R L R L R L", "R"),
        ("L R L R L R L R", "L"),
        ("R L R R L R L L", "R"),
        ("K K K K", None),
        ("/8 R@hh+K R@hh R@hh+L R@hh", "R"),
        ("/16t L R L R L R L", "L"),
    ],
)
def test_the_lead_is_the_hand_that_plays_most_beats(text, lead):
    assert report(text).summary.lead == lead


def test_paradiddles_swap_the_lead_every_four_and_singles_do_not():
    """Common practice."""
    singles, paradiddle = report("R L R L " * 4), report("R L R R L R L L " * 2)
    assert not [f for f in singles.findings if f.kind == "lead-switch"]
    (switch,) = [f for f in paradiddle.findings if f.kind == "lead-switch"]
    assert switch.strokes == (4, 8, 12)


def test_linear_and_load():
    linear, both = report("R L K R L K"), report("R+K L R R")
    assert linear.summary.linear and not both.summary.linear
    assert both.summary.load["R"].longest_run == 2
    assert both.summary.load["R"].strokes == 3
    assert linear.summary.notes_per_second == pytest.approx(6 / linear.summary.duration)
    assert report("R - - R").summary.load["R"].peak_rate == pytest.approx(90 * 4 / 60 / 3)


def test_stroke_types():
    """The four stroke types (common practice)."""
    types = [s.stroke_type for s in report("R> R R R> R> R").strokes]
    assert types == ["down", "tap", "up", "full", "down", "tap"]
    assert {s.stroke_type for s in report("R L R L").strokes} == {"full"}
    assert [s.stroke_type for s in report("R R. R. R").strokes] == ["down", "tap", "up", "full"]


def test_a_flam_asks_more_of_the_hand_that_grazes():
    plain, flam = report("R L R L R L"), report("R L R L fR L")
    (grace,) = flam.strokes[4].graces
    assert grace.limb == "L" and grace.needed > 0.02 and flam.strokes[4].needed == plain.strokes[4].needed
    assert flam.summary.cost > plain.summary.cost


def test_weights_scale_their_terms_and_nothing_else():
    base = report("R@ft L@ft R@t2 L@t1 R> L.")
    for term in TERMS:
        half = report("R@ft L@ft R@t2 L@t1 R> L.", weights=replace(Weights(), **{term: 0.5}))
        for other in TERMS:
            assert half.summary.terms[other] == pytest.approx(
                base.summary.terms[other] * (0.5 if other == term else 1)
            )
    with pytest.raises(ValueError, match="pace"):
        Weights(pace=-1)


def test_nothing_and_rests_only():
    for text in ("", "- - - -", "# just a remark"):
        found = report(text)
        assert found.summary.strokes == 0 and found.summary.tempo_limit is None and found.findings == ()
        assert found.summary.ease == 100


def test_ease_falls_as_cost_rises():
    tempi = [60, 90, 120, 160, 220]
    eases = [report("R@ft L R@t2 L@t1", tempo).summary.ease for tempo in tempi]
    assert eases == sorted(eases, reverse=True) and 0 <= eases[-1] < eases[0] <= 100


def test_every_layout_takes_every_voice_it_has_without_falling_over():
    for name in LAYOUTS:
        kit = layout(name)
        hands = [v for v in kit.voices if v != "bd" and not v.endswith(":foot")]
        text = " ".join(f"{'RL'[i % 2]}@{v}" for i, v in enumerate(hands)) + " K H"
        found = analyse(parse(text, kit.voices), kit, Player(), 60)
        assert not [f for f in found.findings if f.kind == "impossible"], name


def test_a_tempo_that_is_none_is_refused():
    with pytest.raises(ValueError, match="tempo"):
        report("R", 0)
    with pytest.raises(ValueError, match="tempo"):
        report("R", float("nan"))
