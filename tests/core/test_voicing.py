"""Voicings: against every possibility tried out, and the rules a drummer gives."""

from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.limbs import HANDS
from deft_reach.core.player import Speeds
from deft_reach.core.voicing import EVERYTHING, VoicingError, find_voicings

FIVE, PLAYER = layout("five"), Player()
UNEVEN = Player(speeds=Speeds(right=0.8, left=1.25, feet=0.9, moves=1.4))


def every_cost(text, palette, tempo, repeat, player=PLAYER):
    """Cost of every voicing of the hand strokes, by brute force through the analysis itself."""
    strokes = text.split()
    hands = [k for k, s in enumerate(strokes) if s[0] in "RL"]
    found = {}
    for voices in product(palette, repeat=len(hands)):
        words = list(strokes)
        for k, voice in zip(hands, voices):
            words[k] = f"{words[k][0]}@{voice}{words[k][1:]}"
        report = analyse(parse(" ".join(words)), FIVE, player, tempo, repeat=repeat)
        found[voices] = report.summary.cost
    return found


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize(
    ("text", "palette"),
    [
        ("R L R R L", ["sn", "ft"]),
        ("R> L. R R L> R", ["sn", "t1", "ft"]),
        ("R K L R L L", ["hh", "sn", "rd"]),
        ("R R R L", ["c1", "t2", "ft"]),
    ],
)
def test_the_cheapest_is_the_cheapest_of_all(text, palette, repeat):
    costs = every_cost(text, palette, 140, repeat)
    pattern = parse(text)
    found = find_voicings(pattern, FIVE, PLAYER, 140, palette, best=3, repeat=repeat)
    best = found.best[0]
    few = len(costs) <= EVERYTHING
    assert found.proven is few
    if few:
        assert best.report.summary.cost == pytest.approx(min(costs.values()), abs=1e-9), "by the whole cost"
    else:
        assert best.report.summary.cost <= 1.1 * min(costs.values())
    voices = tuple(v for v, s in zip(best.voices, pattern.strokes) if s.limb in HANDS)
    assert costs[voices] == pytest.approx(best.report.summary.cost, abs=1e-9)


@given(
    st.lists(st.sampled_from(["R", "L", "R>", "L.", "K"]), min_size=2, max_size=5),
    st.booleans(),
    st.sampled_from([80, 160, 220]),
    st.sampled_from([PLAYER, UNEVEN]),
)
@settings(max_examples=10, deadline=None)
def test_the_order_is_the_order_of_all(strokes, repeat, tempo, player):
    text = " ".join(["R", *strokes])
    costs = sorted(every_cost(text, ["sn", "hh", "ft"], tempo, repeat, player).values())
    found = find_voicings(parse(text), FIVE, player, tempo, ["sn", "hh", "ft"], best=4, repeat=repeat)
    full = [row.report.summary.cost for row in found.best]
    mine = full
    assert full == sorted(full)
    assert not found.proven or mine[0] == pytest.approx(costs[0], abs=1e-9)
    assert all(any(abs(cost - other) < 1e-9 for other in costs) for cost in mine)


def sounds(row, pattern):
    return [v for v, s in zip(row.voices, pattern.strokes) if s.limb in HANDS]


def test_strokes_that_are_written_somewhere_stay_and_the_sticking_never_changes():
    pattern = parse("R@hh L R@hh L> K R. L")
    found = find_voicings(pattern, FIVE, PLAYER, 100, ["t1", "ft"], accents=["c1"])
    for row in found.best:
        assert row.report.pattern.sticking == pattern.sticking
        assert [s.marks for s in row.report.pattern.strokes] == [s.marks for s in pattern.strokes]
        assert (row.voices[0], row.voices[2], row.voices[3], row.voices[4]) == ("hh", "hh", "c1", "bd")


def test_when_all_are_written_all_are_free():
    row = find_voicings(parse("R@hh L@sn R@hh L@sn"), FIVE, PLAYER, 100, ["t1"]).best[0]
    assert set(row.voices) == {"t1"}


def test_contours_go_where_they_say():
    pattern, palette = parse("R L " * 8), ["sn", "t1", "t2", "ft"]
    ranks = {}
    for contour in ("down", "up", "out-and-back", "home"):
        rows = find_voicings(pattern, FIVE, PLAYER, 100, palette, contour=contour, best=3).best
        ranks[contour] = [[palette.index(v) for v in sounds(row, pattern)] for row in rows]
    for row in ranks["down"]:
        assert row == sorted(row) and row[0] == 0 and row[-1] == 3
    for row in ranks["up"]:
        assert row == sorted(row, reverse=True) and row[0] == 3 and row[-1] == 0
    for row in ranks["out-and-back"]:
        top = row.index(max(row))
        assert max(row) >= 2 and row[: top + 1] == sorted(row[: top + 1]) and row[0] == row[-1] == 0
    assert all(row[-1] == 0 for row in ranks["home"])
    for row in find_voicings(pattern, FIVE, PLAYER, 100, palette, contour="pairs", best=3).best:
        heard = sounds(row, pattern)
        assert all(heard[k] == heard[k + 1] for k in range(0, 16, 2))


def test_each_can_be_told_from_the_others_by_ear():
    pattern = parse("R> L R R L> R L L " * 2)
    rows = find_voicings(pattern, FIVE, PLAYER, 100, ["sn", "t1", "ft"], best=6).best
    assert len(rows) == 6 and rows[0].differs == ()
    for i, a in enumerate(rows):
        for b in rows[:i]:
            changed = [s for s, x, y in zip(pattern.strokes, a.voices, b.voices) if x != y]
            assert len(changed) >= 2 or any(">" in s.marks for s in changed)


def test_comments_and_spacing_stay():
    text = "# low tide\n(R L  R R) L R L L |".replace("|", "")
    found = find_voicings(parse(text), FIVE, PLAYER, 100, ["ft"]).best[0].text
    assert found == "# low tide\n(R@ft L@ft  R@ft R@ft) L@ft R@ft L@ft L@ft "


def test_graces_are_searched_and_many_voicings_are_not_called_proven():
    found = find_voicings(parse("fR L dR L"), FIVE, PLAYER, 100, ["sn", "ft"])
    assert found.proven and found.best, "few enough to cost them all"
    many = find_voicings(parse("fR L dR L R L R L"), FIVE, PLAYER, 100, ["sn", "t1", "t2", "ft"])
    assert many.best and not many.proven


@pytest.mark.parametrize(
    ("text", "palette", "more", "words"),
    [
        ("R L", [], {}, "the palette is empty"),
        ("R L", ["zz"], {}, "has no voice 'zz' for the hands; it has sn"),
        ("R L", ["bd"], {}, "no voice 'bd'"),
        ("R L", ["sn"], {"accents": ["gong"]}, "no voice 'gong'"),
        ("R L", ["sn"], {"contour": "spiral"}, "unknown contour 'spiral'"),
        ("? L", ["sn"], {}, "settled sticking"),
        ("K H", ["sn"], {}, "no hand strokes"),
    ],
)
def test_questions_without_an_answer_are_refused_in_words(text, palette, more, words):
    with pytest.raises(VoicingError, match=words):
        find_voicings(parse(text), FIVE, PLAYER, 100, palette, **more)
