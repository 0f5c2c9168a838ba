"""Findings: each kind where it belongs, once, in a sentence with its numbers; and silence where all is ordinary."""

import re

import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.rudiments import RUDIMENTS

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
    assert len(hold.strokes) == 10 and re.search(r"2[45]\d mm clear", hold.message)
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
    assert found("/8 R K R@t1", kind="sweep"), "feet do not count"
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
    assert strained.strokes == (0, 1) and "88 % of the arm" in strained.message
    (leaning,) = found("/4 L@c2", kind="strained-reach")
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
    (hand,) = found("R@hh " * 32, tempo=110, kind="overload")
    assert hand.limb == "R" and "keeps that up for about 16" in hand.message
    assert not found("R@hh " * 14, tempo=110, kind="overload"), "a burst is fine"
    assert found("R@hh " * 8, tempo=110, kind="overload", repeat=True), "but a loop has no end"
    (foot,) = found("/8 " + "K " * 16, tempo=170, kind="overload")
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
