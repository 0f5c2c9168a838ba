"""Kits: the shipped layouts, zones, mirroring and what is refused."""

from dataclasses import replace

import pytest

from deft_reach.core import LAYOUTS, KitError, Player, analyse, check_kit, layout, parse
from deft_reach.core.model.kit import Zone
from deft_reach.core.model.near_voices import meant_voice


@pytest.mark.parametrize(
    ("name", "codes"),
    [
        ("compact", "bd sn hh t1 ft rd c1"),
        ("five", "bd sn hh t1 t2 ft rd c1 c2 kp hp"),
        ("five-double", "bd sn hh t1 t2 ft rd c1 c2 kp hp jp"),
        ("large", "bd sn hh t1 t2 t3 ft f2 rd c1 c2 sp ch kp hp jp"),
        ("pit", "bd sn hh t1 ft rd c1 kp hp"),
    ],
)
def test_layouts_have_the_promised_pieces(name, codes):
    kit = layout(name)
    assert set(codes.split()) <= {piece.code for piece in kit}
    check_kit(kit)


def test_zones():
    kit = layout("five")
    assert kit.voice_point("rd:bell")[1] == 80
    assert kit.voice_point("hh:foot")[0] == (-330, 560, 60)
    assert {"sn:rim", "sn:shell", "ft:shell", "hh:edge", "rd:bell", "hh:foot"} <= set(kit.voices)
    assert kit.voice_point("sn:bell") is None and kit.voice_point("kp") is None


@pytest.mark.parametrize("name", LAYOUTS)
def test_mirrored_twice_is_the_same_kit(name):
    kit = layout(name)
    mirrored = kit.mirror()
    assert mirrored.mirror() == kit
    for piece, other in zip(kit, mirrored):
        assert other.x == -piece.x and (other.y, other.z) == (piece.y, piece.z)
    assert kit.hat_side == -mirrored.hat_side and kit.bass_foot_side == -mirrored.bass_foot_side


def test_mirrored_names_change_sides():
    assert layout("five").mirror().piece("c1").name == "right crash"


FIVE = layout("five")
SNARE = FIVE.piece("sn")


@pytest.mark.parametrize(
    ("kit", "words"),
    [
        (replace(FIVE, pieces=(*FIVE.pieces, SNARE)), "used twice"),
        (FIVE.with_piece(replace(SNARE, code="SN")), "a code is"),
        (FIVE.with_piece(replace(SNARE, code="snx")), "would read as 'sn' with a mark"),
        (FIVE.with_piece(replace(SNARE, kind="gong")), "unknown kind 'gong'"),
        (FIVE.with_piece(replace(SNARE, diameter=-5.0)), "diameter is -5 mm; expected 20 mm to 1200 mm"),
        (FIVE.with_piece(replace(SNARE, x=float("nan"))), "x is nan"),
        (FIVE.with_piece(replace(SNARE, zones=(Zone("foot", 0, 0, 0, 50),))), "unknown zone"),
        (FIVE.with_piece(replace(SNARE, code="k2", kind="bass-pedal")), "only one bass pedal"),
    ],
)
def test_kits_that_cannot_stand_are_refused_with_the_piece_and_the_value(kit, words):
    with pytest.raises(KitError) as caught:
        check_kit(kit)
    assert words in str(caught.value) and "kit 'five'" in str(caught.value)


def test_unknown_layouts_are_named():
    with pytest.raises(KeyError, match="compact, five"):
        layout("attic")


@pytest.mark.parametrize(
    ("typed", "meant"),
    [("tl", "t1"), ("cl", "c1"), ("T1", "t1"), ("bdd", "bd"), ("hhh", "hh"), ("xyz", None), ("t9", None)],
)
def test_a_voice_that_looks_like_one_of_the_kit_is_meant(typed, meant):
    voices = [voice for voice in layout("five").voices if ":" not in voice]
    assert meant_voice(typed, voices) == meant
    if meant is not None:
        report = analyse(parse(f"/8 R@{typed.lower()} L"), layout("five"), Player(), 100)
        if typed.lower() not in voices:
            assert f"Did you mean '{meant}'?" in str(report.findings[0].advised)
