"""Findings: each kind where it belongs, once, in a sentence with its numbers; and silence where all is ordinary."""

import re

import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.endurance import endurance, lasting_words
from deft_reach.core.analysis.report import serious_words
from deft_reach.core.notation.rudiments import RUDIMENTS

GROOVE = "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh+K R@hh+L> R@hh |"
OPEN = "/8 L@hh+K L@hh L@hh+R> L@hh L@hh+K L@hh+K L@hh+R> L@hh |"


def found(text: str, kit: str = "five", tempo: float = 90, kind: str | None = None, **options):
    report = analyse(parse(text), layout(kit), Player(), tempo, **options)
    return [f for f in report.findings if kind is None or f.kind == kind]


def comfortable(text: str, tempo: float, **options) -> None:
    loud = [f for f in found(text, tempo=tempo, **options) if f.severity != "note"]
    assert not loud, loud[0].message


@pytest.mark.parametrize("repeat", [False, True])
def test_nothing_ordinary_is_alarming(repeat):
    for rudiment in RUDIMENTS:
        comfortable(rudiment.text, 60, repeat=repeat)
    clockwise = "R L R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft"
    comfortable(clockwise, 90)
    comfortable(GROOVE, 110, repeat=repeat)
    comfortable(OPEN, 110, repeat=repeat)


def test_the_crossed_groove_is_one_hold_and_the_open_one_is_open():
    (hold,) = found(GROOVE, repeat=True)
    assert (hold.kind, hold.severity, hold.over) == ("crossed-hold", "note", "R")
    assert len(hold.strokes) == 10 and re.search(r"2[4-6]\d mm clear", hold.message)
    (open_,) = found(OPEN, repeat=True)
    assert (open_.kind, open_.severity, open_.limb) == ("open-handed", "note", "L")


def test_a_hold_is_said_once_for_its_span_even_across_the_seam_of_a_loop():
    text = "/8 R@hh L R@hh L R@hh L R@t2 L@t1"
    assert len(found(text, kind="crossed-hold")) == 1
    assert len(found("/8 R@hh L R@t2 L@t1 R@hh L R@hh L", kind="crossed-hold", repeat=True)) == 1


def test_a_sweep_is_said_once_for_its_whole_run():
    (sweep,) = found("/8 R R@t1 R@t2 R@ft L", kind="sweep")
    assert sweep.strokes == (0, 1, 2, 3) and "snare → small tom → mid tom → floor tom" in sweep.message
    assert not found("/8 R L R@t1 L R@t2", kind="sweep"), "the other hand strikes in between"
    assert found("/16 R K R@t1", kind="sweep"), "feet do not count"
    assert not found("/8 R R R", kind="sweep")
    assert len(found("/8 R R@t1 L@t1 L@t2 R@ft", kind="sweep")) == 2


def test_hurried_and_past_the_limit():
    (calm,) = found("R R@ft", tempo=100, kind="hurried")
    assert calm.severity == "caution"
    (late,) = found("R R@ft", tempo=120, kind="hurried")
    assert late.severity == "stop" and "has no time from the snare to the floor tom" in late.message
    assert not found("R R@ft", tempo=50, kind="hurried")


def test_a_move_that_comes_often_is_said_once():
    (often,) = found("R R@ft L L R R@ft L L", tempo=110, kind="hurried")
    assert often.strokes == (1, 5) and "it comes 2 times" in often.message


def test_strained_and_out_of_reach():
    (strained,) = found("/4 R@c2 - R@c2", kind="strained-reach")
    assert strained.strokes == (0, 1) and "83 % of the arm" in strained.message
    far = layout("five").with_piece(layout("five").piece("c2").moved(520, 960))
    (leaning,) = [f for f in analyse(parse("/4 L@c2"), far, Player(), 90).findings if f.kind == "strained-reach"]
    assert leaning.severity == "caution" and "leans" in leaning.message
    (far,) = found("/4 L@bl", kit="pit", kind="out-of-reach")
    assert far.severity == "stop" and "out of reach for the left hand" in far.message


@pytest.mark.parametrize(
    ("text", "kit", "words"),
    [
        ("R@sn+R@hh", "five", "the snare and the hi-hat at once"),
        ("R@c9", "five", "has no 'c9'"),
        ("R@rd:rim", "five", "has no 'rd:rim'"),
        ("J", "five", "second bass pedal"),
        ("R@bd", "five", "a hand cannot strike the bass drum"),
        ("R@hh:foot", "five", "a hand cannot strike"),
        ("K@sn", "five", "a foot cannot strike the snare"),
        ("R+R", "five", "strike twice at once"),
    ],
)
def test_what_cannot_be_done_is_a_finding_and_never_a_crash(text, kit, words):
    report = analyse(parse(text), layout(kit), Player(), 90)
    (stop,) = [f for f in report.findings if f.kind == "impossible"]
    assert stop.severity == "stop" and words in stop.message
    assert report.impossible and report.summary.ease == 0


def test_one_stick_can_lie_on_two_pieces_that_stand_together():
    kit = layout("five")
    tom = kit.piece("t1")
    close = kit.with_piece(kit.piece("t2").moved(tom.x + 180, tom.y, tom.z))
    report = analyse(parse("R@t1+R@t2"), close, Player(), 90)
    assert not report.impossible


def test_one_foot_on_two_pedals():
    (split,) = found("/8 J+H", kit="five-double", kind="split-foot")
    assert split.severity == "caution" and split.strokes == (0, 1)
    kit = layout("five-double")
    wide = kit.with_piece(kit.piece("jp").moved(-60, 540))
    report = analyse(parse("/8 J+H"), wide, Player(), 90)
    assert [f.kind for f in report.findings] == ["impossible"]


def test_the_hi_hat_is_unattended_while_the_foot_is_away():
    (away,) = found("R@hh+K J R@hh+K J", kit="five-double", tempo=120, kind="unattended-hat")
    assert away.severity == "caution" and away.strokes == (3,)
    (told,) = found("R@hho+K J R@hho+K J", kit="five-double", tempo=120, kind="unattended-hat")
    assert told.severity == "note", "written as open, it is meant"
    assert not found("R@hh+K - - - R@hh+K", kit="five-double", kind="unattended-hat")
    assert not found("/4 J - R@hh", kit="five-double", tempo=60, kind="unattended-hat"), "time enough to come back"


def test_overload_of_hands_and_feet():
    """One model of endurance for all: what a loop says is what relief says."""
    (hand,) = found("R@hh " * 8, tempo=110, kind="overload", repeat=True)
    report = analyse(parse("R@hh " * 8), layout("five"), Player(), 110, repeat=True)
    lasts = endurance(report, "R").lasts
    assert hand.limb == "R" and f"keeps that up for {lasting_words(lasts)}" in hand.message
    assert not found("R@hh " * 32, tempo=110, kind="overload"), "a burst is fine"
    assert found("R@hh " * 400, tempo=110, kind="overload"), "but not a minute of it"
    (foot,) = found("/8 K K", tempo=150, kind="overload", repeat=True)
    assert foot.limb == "K"


def test_left_handed_feet_are_called_by_their_side():
    kit = layout("five").mirror()
    report = analyse(parse("K " * 8), kit, Player(handedness="left"), 120)
    assert any("left foot" in f.message for f in report.findings)


def test_messages_are_one_plain_sentence_with_units():
    texts = ["R@ft> L. K R@t1 L@ft> K R L@ft. R@t1 R@ft R@rd L@rd K L@hh R@c1+K -", "J+H R@sp R+R R@hh+J J J L@c2"]
    for text in texts:
        for kit in ("five", "five-double", "pit"):
            for finding in found(text, kit=kit, tempo=130):
                message = finding.message
                assert message.endswith(".") and message[0].isupper() and "\n" not in message
                assert not re.search(r"\.\s+[A-Z]", message), message
                assert not re.search(r"\bNone\b|\bnan\b|\binf\b", message), message


def test_each_severity_of_a_move_is_counted_apart():
    """Paradiddles with one move that has no time and one that is merely hurried."""
    rows = found("R R@ft - R@sn - R@ft", tempo=116, kind="hurried")
    assert sum(len(f.strokes) for f in rows) == len({i for f in rows for i in f.strokes})
    assert {f.severity for f in rows} == {"stop", "caution"} or len(rows) == 1
    stops = [f for f in rows if f.severity == "stop"]
    assert all("has no time" in f.message for f in stops)


@pytest.mark.parametrize(
    ("text", "open_"),
    [
        ("/8 L@hh+K L@hh L@hh+R> L@hh", True),
        ("/16 L@hh R L@hh R R@t1 L@hh R@ft L@hh", True),
        ("/16 R@hh L@hh R@hh L@hh R>+K L@hh R@hh L@hh", False),
        ("/8 R@hh+K R@hh R@hh+L> R@hh", False),
        ("/8 L@hh L@hh L@hh L@hh", False),
        ("/8 L@hh+K L@hh L@hh+R> R@hh", False),
    ],
)
def test_open_handed_is_the_near_hand_alone_on_the_hat(text, open_):
    """Both hands on the hi-hat is not open-handed, nor is one hand alone with nothing else to do."""
    assert bool(found(text, tempo=80, kind="open-handed", repeat=True)) is open_


def test_who_keeps_a_surface_leads_and_a_backbeat_is_no_change_of_lead():
    hats = "/16 R@hh+K L@hh R@hh L@hh R>+K L@hh R@hh L@hh"
    backbeat = "/8 R@hh+K R@hh L> R@hh R@hh+K R@hh L> R@hh"
    for text in (hats, backbeat):
        assert not found(text, kind="lead-switch", repeat=True)
    assert found("R> L R R L> R L L", kind="lead-switch", repeat=True), "the paradiddle hands it over every four"
    (grouped,) = found("/16 (R L L) (R L L) (L R R) (L R R) (R L L L)", kind="lead-switch")
    assert grouped.strokes == (6, 12), "the first strokes of groups count"


def test_a_landing_counts_as_the_end_of_its_run_of_feet():
    (run,) = found("/16 " + "R L K J " * 4 + "| R@c2+K", kit="five-double", kind="exit-run")
    assert run.strokes == (14, 15, 17) and "3 foot strokes in a row" in run.message


def test_pairs_of_feet_are_judged_by_what_the_ear_takes_for_one():
    (pair,) = found("/32 R L K J - - - - R L K J - - - -", kit="five-double", tempo=116, kind="uneven-feet")
    assert "65 ms apart" in pair.message and "heard as one" in pair.message
    assert not found("/32 R L K J - - - - R L K J - - - -", kit="five-double", tempo=70, kind="uneven-feet")


def test_either_may_go_over_where_the_heights_do_not_decide_and_the_player_chooses():
    """The left on the small tom under the right on the hi-hat: about level. Marks say who goes over; that is kept."""
    for text, over, words in (
        ("/8 R@hh L@t1 R@hh L@t1", "L", "either may go over, and the left hand comes second"),
        ("/8 R@hh' L@t1 R@hh L@t1", "R", "you let the right hand go over"),
        ("/8 R@hh L@t1, R@hh L@t1", "R", "you let the right hand go over"),
        ("/8 R@hh L@t1' R@hh L@t1", "L", "you let the left hand go over"),
    ):
        rows = [f for f in found(text) if f.kind in ("crossed-hold", "crossover")]
        assert rows and rows[0].over == over and words in rows[0].message, text
    plain = analyse(parse("/8 R@hh L R@hh L"), layout("five"), Player(), 90)
    against = analyse(parse("/8 R@hh L' R@hh L"), layout("five"), Player(), 90)
    assert against.summary.terms["cross"] > plain.summary.terms["cross"], "against the heights it costs more"
    assert any("though the left hand" not in f.message and "higher one there" in f.message for f in against.findings)


def test_a_hand_on_its_way_back_is_not_crossed_where_it_struck_last():
    """From the floor tom back to the snare, hand after hand: common practice, nobody crosses anybody."""
    rows = found("/16 R@ft L@ft R@ft L@ft R L R L", tempo=90)
    assert not [f for f in rows if f.kind in ("crossed-hold",)]
    assert all("3 mm" not in f.message for f in rows)


def test_only_the_far_hand_on_the_hat_over_the_near_one_on_the_snare_is_the_ordinary_crossed_posture():
    (hold,) = found("/8 R@hh L R@hh L", kind="crossed-hold")
    assert hold.advice == "The ordinary crossed posture."
    for text in ("/8 L@rd R L@rd R", "/8 R@t1 L@t2 R@t1 L@t2", "/8 R@c1 L R@c1 L"):
        assert all(f.advice != "The ordinary crossed posture." for f in found(text, kind="crossed-hold"))


def test_a_grace_that_is_hurried_is_named_with_its_own_hand():
    (hurry,) = found("/16 R@hh+K - R@hh dL. R@hh+L> - R@hh -", tempo=84, kind="hurried", repeat=True)[:1]
    assert hurry.limb == "R" and "for the drag" in hurry.message and "from the hi-hat to the snare" in hurry.message


@pytest.mark.parametrize("rudiment", RUDIMENTS, ids=lambda r: r.name)
def test_no_more_than_two_findings_on_a_basic_figure(rudiment):
    assert len(found(rudiment.text, tempo=60, repeat=True)) <= 2


def test_thirty_seconds_are_placed_as_players_count_them():
    rows = found(
        "/32 R L R L R L R L - - - - - - - - - - - - - - - - - - - - - R@ft R@c1 -", tempo=100, kind="hurried"
    )
    assert (rows and "fter 4 &" in rows[0].message) or "4 a" in rows[0].message
    assert all(".6" not in f.message.split(":")[0] for f in rows)


@pytest.mark.parametrize(
    ("text", "tempo", "words"),
    [
        ("R L R L", 60, ""),
        ("/16 R R R R R R R R", 130, "1 stop, 1 caution"),
        ("/16 R@ft R@c1 R@ft R@c1", 220, "2 stops"),
        ("/16 R@ft R@c1 L@ft R R R", 170, "1 stop, 3 cautions"),
    ],
)
def test_a_stop_is_never_counted_as_a_caution(text, tempo, words):
    assert serious_words(analyse(parse(text), layout("five"), Player(), tempo)) == words


@pytest.mark.parametrize(
    ("text", "strokes"),
    [
        # An ordinary groove that runs into a fill: the hand changes its figure, it sweeps nothing.
        ("/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L R@hh | /16 R@sn L R L R@t1 L R L R@ft L R L R L R L", []),
        ("/16 R@hh+K R@hh R@hh R@hh R@hh+L R@hh R@hh R@hh R@sn L R L R@t1 L R L", []),
        # A beat apart and more is no sweep, however the hand moves.
        ("/4 R@hh R@t1 R@hh R@t1", []),
        # From beat to beat in sixteenths it is one, where the hand keeps neither piece.
        ("/16 L@sn L L R@t1 R@ft L L L", [(3, 4)]),
        # Out of a fill hand to hand into a crash with the same hand.
        ("/16 R@t1 L@t1 R@ft L@ft L@c1 - R@hh -", [(3, 4)]),
        # Three of a triplet figure, again and again.
        ("/8t R@t1 R@t2 R@ft L@sn L L", [(0, 1, 2)]),
        # A stroke of the other hand between ends it.
        ("/16 R@t1 R@t2 L@sn R@ft", [(0, 1)]),
    ],
)
def test_a_sweep_is_within_a_beat(text, strokes):
    assert [f.strokes for f in found(text, kind="sweep")] == strokes


def test_the_tightest_sweep_comes_first():
    rows = found("/8 R@t1 R@t2 L@sn L /16 R@t1 R@ft L@sn L R@t1 R@t2 L L", kind="sweep")
    paces = [float(re.search(r"pace (\d\.\d+)", f.message)[1]) for f in rows]
    assert len(rows) == 3 and paces == sorted(paces, reverse=True)
    assert rows[0].strokes[0] > rows[-1].strokes[0], "though it comes later"


BAR, OPEN_BAR = GROOVE.removeprefix("/8 "), OPEN.removeprefix("/8 ")


@pytest.mark.parametrize(
    ("text", "repeat", "first", "words"),
    [
        (
            f"/8 {BAR}{OPEN_BAR}",
            True,
            13,
            ("1 to 4 & of bar 2", "left hand on 1 of bar 2", "right hand on 1 of bar 1"),
        ),
        (f"/8 {BAR}{OPEN_BAR}", False, 13, ("from 1 to 4 & of bar 2", "left hand on 1 of bar 2")),
        (f"/8 {OPEN_BAR}{BAR}", False, 0, ("from 1 to 4 & of bar 1", "right hand on 1 of bar 2")),
    ],
)
def test_an_open_handed_passage_is_found_inside_a_crossed_figure(text, repeat, first, words):
    """Common practice: the hat is handed over for a bar, and that is where it has to be thought about."""
    (passage,) = found(text, kind="open-handed", repeat=repeat)
    assert passage.limb == "L" and passage.strokes[0] == first
    assert all(part in passage.message.lower() for part in words)
    assert ("right hand on" in passage.message) == any("right hand on" in part for part in words)


def test_a_passage_may_go_over_the_seam_of_a_loop_and_two_strokes_are_none():
    half = "L@hh+K L@hh L@hh+R L@hh", "R@hh+K R@hh R@hh+L R@hh"
    (passage,) = found(f"/8 {half[0]} {half[1]} | {half[1]} {half[0]} |", kind="open-handed", repeat=True)
    assert passage.message.startswith("From 3 of bar 2 to 2 & of bar 1") and passage.strokes[0] > passage.strokes[-1]
    assert not found("/16 R@hh L@hh R@sn L@hh R@hh L@hh R@hh L@hh", kind="open-handed", repeat=True)


def test_two_feet_that_sound_as_one_are_past_the_limit():
    """What the ear joins, 30 to 50 ms, is common practice; the limit hears it as the finding does."""
    pair = "/32 K J - - - - K J - - - - -"
    report = analyse(parse(pair), layout("five-double"), Player(), 200, repeat=True)
    assert report.summary.tempo_limit == pytest.approx(60 / 0.05 / 8) and report.summary.level == "impossible"
    (said,) = [f for f in report.findings if f.kind == "uneven-feet"]
    assert said.severity == "stop" and "heard as one" in said.message
    assert not [f for f in report.findings if f.kind == "hurried"], "said once"
    slower = analyse(parse(pair), layout("five-double"), Player(), 149, repeat=True)
    assert slower.summary.level != "impossible" and not slower.stops
    # Evenly by turns it is the foot itself that gives out first.
    turns = analyse(parse("/16 K J K J"), layout("five-double"), Player(), 100, repeat=True)
    assert turns.summary.tempo_limit < 60 / 0.05 / 4
    # 27 notes a second.
    fast = analyse(parse("/32 K J - - K J - -"), layout("five-double"), Player(), 27 / 8 * 60, repeat=True)
    assert fast.stopped
