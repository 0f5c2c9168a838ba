"""The 40 International Drum Rudiments, against what the Percussive Arts Society publishes of them."""

import pytest

from deft_reach.core.notation.rudiments import RUDIMENTS, rudiment

#: Strokes in one turn before the other hand begins, graces not counted. Percussive Arts Society, *International Drum
#: Rudiments*, values from memory.
ONE_TURN = {
    "five stroke roll": 5,
    "nine stroke roll": 9,
    "thirteen stroke roll": 13,
    "seventeen stroke roll": 17,
    "triple stroke roll": 3,
    "single paradiddle": 4,
    "double paradiddle": 6,
    "triple paradiddle": 8,
    "flam accent": 3,
    "flam tap": 2,
    "flamacue": 5,
    "flam paradiddle": 4,
    "single flammed mill": 4,
    "flam paradiddle-diddle": 6,
    "flam drag": 4,
    "drag": 1,
    "single drag tap": 2,
    "double drag tap": 3,
    "single dragadiddle": 5,
    "drag paradiddle no. 1": 5,
    "drag paradiddle no. 2": 6,
    "single ratamacue": 4,
    "double ratamacue": 5,
    "triple ratamacue": 6,
}
#: Rolls named by their strokes that start on the same hand each time.
SAME_HAND = {
    "six stroke roll": 6,
    "seven stroke roll": 7,
    "ten stroke roll": 10,
    "eleven stroke roll": 11,
    "fifteen stroke roll": 15,
}


def hands(name: str) -> str:
    return "".join(s.limb for s in rudiment(name).pattern.strokes)


def test_there_are_forty_in_four_families():
    assert len(RUDIMENTS) == 40 and len({r.name for r in RUDIMENTS}) == 40
    count = {family: sum(r.family == family for r in RUDIMENTS) for family in ("roll", "diddle", "flam", "drag")}
    assert count == {"roll": 15, "diddle": 4, "flam": 11, "drag": 10}


@pytest.mark.parametrize(("name", "strokes"), ONE_TURN.items())
def test_those_that_alternate_repeat_on_the_other_hand(name, strokes):
    played = hands(name)
    turn = played[:strokes]
    assert turn[0] == "R"
    assert played[strokes : 2 * strokes] == turn.translate(str.maketrans("RL", "LR"))


@pytest.mark.parametrize(("name", "strokes"), SAME_HAND.items())
def test_those_that_come_back_to_the_same_hand(name, strokes):
    played = hands(name)
    assert len(played) % strokes == 0
    assert played == played[:strokes] * (len(played) // strokes)
    assert played[0] == "R" and played[strokes - 1] == "L"


@pytest.mark.parametrize(
    ("name", "sticking"),
    [
        ("single stroke roll", "RLRLRLRL"),
        ("double stroke open roll", "RRLLRRLL"),
        ("single paradiddle", "RLRRLRLL"),
        ("single paradiddle-diddle", "RLRRLLRLRRLL"),
        ("swiss army triplet", "RRLRRL"),
        ("inverted flam tap", "RLLRRLLR"),
        ("pataflafla", "RLRLRLRL"),
    ],
)
def test_stickings(name, sticking):
    assert hands(name) == sticking


def test_graces():
    graces = {r.name: [s.grace for s in r.pattern.strokes] for r in RUDIMENTS}
    assert all(any(g == "f" for g in graces[r.name]) for r in RUDIMENTS if r.family == "flam")
    assert graces["pataflafla"] == ["f", "", "", "f"] * 2
    assert graces["triple ratamacue"][:6] == ["d", "d", "d", "", "", ""]
    assert not any(any(graces[r.name]) for r in RUDIMENTS if r.family in ("roll", "diddle"))
