"""Voicings: against every possibility tried out, and the rules a drummer gives."""

from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.ranking import merit_of
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.player import Constants, Speeds
from deft_reach.core.search.voicing import CONTOURS, VoicingError, find_voicings, way_in_codes, way_in_words

FIVE, PLAYER = layout("five"), Player()
UNEVEN = Player(speeds=Speeds(right=0.8, left=1.25, feet=0.9, moves=1.4))
#: A player whose constants were measured.
MEASURED = Player(
    constants=Constants(0.11, 0.14, 0.16, 0.2, 0.55, 0.4, 0.7, move=0.2, move_per_bit=0.06), speeds=Speeds(left=1.1)
)


def judged(report):
    """What voicings are ordered by: level, difficulty and habit, cost."""
    merit = merit_of(report)
    return merit.level, merit.weight, round(report.summary.cost, 6)


def every_rank(text, units, palette, tempo, repeat, player=PLAYER):
    """What every voicing is ordered by that gives each unit (positions among the strokes) one voice and uses all
    voices as evenly as they can be shared, by brute force through the analysis itself."""
    found = {}
    most = -(-len(units) // len(palette))
    for picks in product(palette, repeat=len(units)):
        if set(picks) != set(palette) or max(picks.count(v) for v in palette) > most:
            continue
        words = text.split()
        for unit, voice in zip(units, picks):
            for k in unit:
                words[k] = f"{words[k][0]}@{voice}{words[k][1:]}"
        report = analyse(parse(" ".join(words)), FIVE, player, tempo, repeat=repeat)
        found[picks] = judged(report)
    return found


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize(
    ("text", "units", "palette"),
    [
        ("R L R L R L R L R L R L", [range(4), range(4, 8), range(8, 12)], ["sn", "t1", "ft"]),
        ("R> L. R R L> R L L R K L K", [range(4), range(4, 8), range(8, 12)], ["t2", "c1"]),
        ("R L R R L", [(0, 1), (2, 3), (4,)], ["hh", "sn", "rd"]),
        ("R L L R L L R L", [(0,), (1, 2), (3,), (4, 5), (6,), (7,)], ["hh", "sn", "rd", "t1", "ft", "c2"]),
    ],
)
def test_the_list_is_the_list_of_all(text, units, palette, repeat):
    units = [[k for k in unit if text.split()[k][0] in "RL"] for unit in units]
    ranks = every_rank(text, units, palette, 140, repeat)
    found = find_voicings(parse(text), FIVE, PLAYER, 140, palette, best=50, repeat=repeat)
    mine = [judged(row.report) for row in found.best]
    assert found.proven is (len(ranks) <= 512) and mine == sorted(mine)
    if found.proven:
        assert found.searched == len(ranks) and mine[0] == min(ranks.values())
        assert set(mine) <= set(ranks.values())
    else:
        assert mine[0][0] == min(ranks.values())[0], "of the cheapest, none of a worse level comes first"


@given(
    st.lists(st.sampled_from(["R", "L", "R>", "L.", "K"]), min_size=1, max_size=3),
    st.booleans(),
    st.sampled_from([80, 160, 220]),
    st.sampled_from([PLAYER, UNEVEN, MEASURED]),
)
@settings(max_examples=10, deadline=None)
def test_stroke_by_stroke_against_all(strokes, repeat, tempo, player):
    text = " ".join(["R", "L", *strokes])
    hands = [k for k, s in enumerate(text.split()) if s[0] in "RL"]
    limbs = [text.split()[k][0] for k in hands]
    units, n = [], 0
    while n < len(hands):  # doubles together
        own = n + 1 < len(hands) and limbs[n] == limbs[n + 1]
        long = (n > 0 and limbs[n - 1] == limbs[n]) or (n + 2 < len(hands) and limbs[n + 2] == limbs[n])
        size = 2 if own and not long else 1
        units.append(hands[n : n + size])
        n += size
    palette = ["sn", "hh", "ft"][: len(units)]
    ranks = []
    for picks in product(palette, repeat=len(units)):
        if set(picks) == set(palette):
            words = text.split()
            for unit, voice in zip(units, picks):
                for k in unit:
                    words[k] = f"{words[k][0]}@{voice}{words[k][1:]}"
            ranks.append(judged(analyse(parse(" ".join(words)), FIVE, player, tempo, repeat=repeat)))
    found = find_voicings(parse(text), FIVE, player, tempo, palette, contour="strokes", best=4, repeat=repeat)
    full = [judged(row.report) for row in found.best]
    assert found.proven and found.searched == len(ranks)
    assert full == sorted(full) and full[0] == min(ranks)


BAR = "R L R L " * 4
DRUMS = ["sn", "t1", "t2", "ft"]


@pytest.mark.parametrize("contour", CONTOURS)
@pytest.mark.parametrize("text", [BAR, "R L R R L R L L " * 2, "(R L L) (R L L) (R L) " * 2, "R> L L R> L L R> L"])
def test_asking_for_one_is_the_head_of_asking_for_many(text, contour):
    pattern = parse(text)
    one = find_voicings(pattern, FIVE, PLAYER, 120, DRUMS, contour=contour, best=1)
    many = find_voicings(pattern, FIVE, PLAYER, 120, DRUMS, contour=contour, best=50)
    assert judged(one.best[0].report) == judged(many.best[0].report)
    assert one.proven or not many.proven
    ranks = [judged(row.report) for row in many.best]
    assert ranks == sorted(ranks)


def test_without_another_wish_every_voice_is_used_and_changes_fall_on_beats_or_groups():
    """Common practice: a fill moves where a beat or a group begins."""
    for text, starts in (
        (BAR, {4, 8, 12}),
        (BAR * 2, set(range(4, 32, 4))),
        ("(R L L) (R L L) (R L) (R L L) (R L L) (R L)", {3, 6, 8, 11, 14}),
        ("/8t R L L R L L R L L R L L", {3, 6, 9}),
    ):
        pattern = parse(text)
        for row in find_voicings(pattern, FIVE, PLAYER, 100, DRUMS, best=8).best:
            heard = sounds(row, pattern)
            assert set(heard) == set(DRUMS)
            assert {k for k in range(1, len(heard)) if heard[k] != heard[k - 1]} <= starts


@pytest.mark.parametrize("text", ["R R L L " * 4, "R L R R L R L L " * 2, "R L L " * 5 + "R"])
@pytest.mark.parametrize("contour", ["free", "down", "up", "out-and-back", "pairs", "home", "strokes"])
def test_doubles_travel_together(text, contour):
    pattern = parse(text)
    limbs = [s.limb for s in pattern.strokes]
    for row in find_voicings(pattern, FIVE, PLAYER, 100, DRUMS, contour=contour, best=5).best:
        heard = sounds(row, pattern)
        for k in range(1, len(heard)):
            assert heard[k] == heard[k - 1] or limbs[k] != limbs[k - 1]


def test_two_strokes_a_drum_has_the_usual_way():
    for bars in (1, 2):
        found = find_voicings(parse(BAR * bars), FIVE, PLAYER, 100, DRUMS, contour="pairs", best=20)
        usual = [v for v in DRUMS for _ in range(2)] * 2 * bars
        assert usual in [list(row.voices) for row in found.best]
        assert len(found.best) == 20
    first = find_voicings(parse("R L " * 4), FIVE, PLAYER, 100, DRUMS, contour="pairs").best[0]
    assert list(first.voices) == ["sn", "sn", "t1", "t1", "t2", "t2", "ft", "ft"]


def test_one_voice_a_hand():
    pattern = parse("R L R R L R L L")
    found = find_voicings(pattern, FIVE, PLAYER, 100, ["sn", "hh", "ft"], contour="hands", best=10)
    assert len(found.best) == 6 and found.proven
    for row in found.best:
        by_hand = {limb: {v for v, s in zip(row.voices, pattern.strokes) if s.limb == limb} for limb in "RL"}
        assert len(by_hand["R"]) == len(by_hand["L"]) == 1 and by_hand["R"] != by_hand["L"]


def test_hands_that_strike_at_once_are_not_put_on_one_drum():
    pattern = parse("/8 R R+L R R+L")
    for row in find_voicings(pattern, FIVE, PLAYER, 100, ["hh", "sn"], best=5).best:
        assert row.voices[1] != row.voices[2] and row.voices[4] != row.voices[5]


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
        assert all(heard[k] != heard[k + 1] for k in range(1, 15, 2))


def test_each_can_be_told_from_the_others_by_ear():
    pattern = parse("R> L R R L> R L L " * 2)
    rows = find_voicings(pattern, FIVE, PLAYER, 100, ["sn", "t1", "ft"], best=6).best
    assert len(rows) == 6 and rows[0].differs == ()
    for i, a in enumerate(rows):
        for b in rows[:i]:
            changed = [s for s, x, y in zip(pattern.strokes, a.voices, b.voices) if x != y]
            assert len(changed) >= 2


def test_comments_and_spacing_stay():
    text = "# low tide\n(R L  R R) L R L L |".replace("|", "")
    found = find_voicings(parse(text), FIVE, PLAYER, 100, ["ft"]).best[0].text
    assert found == "# low tide\n(R@ft L@ft  R@ft R@ft) L@ft R@ft L@ft L@ft "


def test_graces_are_searched_and_many_voicings_are_not_called_proven():
    found = find_voicings(parse("fR L dR L"), FIVE, PLAYER, 100, ["sn", "ft"])
    assert found.proven and found.best, "few enough to cost them all"
    many = find_voicings(parse("fR L dR L R L R L"), FIVE, PLAYER, 100, DRUMS, contour="strokes")
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


def test_a_way_is_said_by_its_voices():
    kit = layout("five")
    assert way_in_words(parse("/16 R L R@t1 L@t1 R@ft L@ft K K"), kit) == "snare, small tom, floor tom"
    assert way_in_words(parse("/16 R@rd L R@rd L R@rd L"), kit) == "ride, snare × 3"
    assert way_in_words(parse("/16 R L R@t1 L@ft"), kit, counts=True) == "2 snare, 1 small tom, 1 floor tom"
    long = parse(
        "/16 " + " ".join(f"R@{voice}" for voice in ["sn", "t1", "t2", "ft", "rd", "c1", "c2", "hh", "ft", "sn"])
    )
    assert way_in_words(long, kit).endswith(", hi-hat …") and way_in_words(long, kit, counts=True).endswith(
        "1 hi-hat …"
    )
    assert way_in_codes(parse("/16 R L R@t1 L@ft K")) == "2 sn, 1 t1, 1 ft"
