"""Relief: shares counted by hand from the text, what is kept stays, and a small search is as good as any."""

import math
from itertools import pairwise, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.endurance import (
    FOR_EVER,
    SUSTAINED,
    effort_over_time,
    endurance,
    lasting,
    lasting_words,
)
from deft_reach.core.model.elements import Strike
from deft_reach.core.notation.stroke_text import rewrite
from deft_reach.core.search.relief import COVERED, SILENCE, UNEVEN, ReliefError, find_reliefs, lighter, relief_scale

FIVE, PLAYER = layout("five"), Player()
SIXTEENTHS = parse("/16 R@hh+K R@hh R@hh R@hh R@hh+L> R@hh R@hh R@hh R@hh R@hh R@hh+K R@hh R@hh+L> R@hh R@hh R@hh |")


def hat_hand(text):
    """How many strokes the text gives the right hand: counted in the letters themselves."""
    return sum(word.startswith("R") for step in text.split() for word in step.split("+"))


@pytest.mark.parametrize("share", [0.9, 0.75, 0.5, 0.3])
def test_the_hand_plays_at_most_its_share(share):
    found = find_reliefs(SIXTEENTHS, FIVE, PLAYER, 104, "R", share=share, repeat=True, best=8)
    assert found.best
    for row in found.best:
        assert hat_hand(row.text) <= share * 16 and row.share == hat_hand(row.text) / 16
        assert sorted([*row.moved, *row.dropped, *row.kept]) == [s.index for s in SIXTEENTHS.strokes if s.limb == "R"]
        again = analyse(parse(row.text), FIVE, PLAYER, 104, repeat=True)
        assert again.summary.cost == pytest.approx(row.report.summary.cost)
        assert row.longest_run == again.summary.load["R"].longest_run
        assert len(again.strokes) == 20 - len(row.dropped)
        ghosts = [s.voice for s in again.strokes if s.limb == "L" and "." in s.marks]
        shared = [s for s in again.strokes if s.limb == "L" and s.voice == "hh"]
        assert len(ghosts) + len(shared) == len(row.moved) and not (ghosts and shared) and set(ghosts) <= {"sn"}
        assert lighter(row, found.as_written) > 0
    ranks = [row.rank for row in found.best]
    assert ranks == sorted(ranks)
    assert any(row.on == "hh" for row in found.best), "the other hand on the hat is among them"


def limbs(text):
    """One letter for every step of the hands: whose it is, or = where both strike."""
    steps = [{word[0] for word in step.split("+")} & {"R", "L"} for step in text.split()[1:] if step != "|"]
    return "".join("-" if not step else "=" if len(step) == 2 else step.pop() for step in steps)


def test_what_sounds_together_with_the_other_hand_goes_first():
    """Common practice: where the snare sounds, the hat is missed least, and the strokes between are shared."""
    hats = "/16 R@hh+K R@hh R@hh R@hh R@hh+L@sn R@hh R@hh R@hh"
    for text in (hats, hats + hats[3:]):
        found = find_reliefs(parse(text), FIVE, PLAYER, 90, "R", share=0.65, keep=["backbeats"], repeat=True).best
        assert "RLRRLRRL" in [limbs(row.text)[:8] for row in found[:5]]
    halves = find_reliefs(parse(hats + hats[3:]), FIVE, PLAYER, 90, "R", share=0.5, repeat=True, best=20).best
    shapes = [limbs(row.text) for row in halves]
    assert "R-R-=-R-" * 2 in shapes, "plain eighths"
    gappy = [k for k, shape in enumerate(shapes) if "--" in shape]
    assert not gappy or shapes.index("R-R-=-R-" * 2) < gappy[0]


def test_beats_backbeats_and_accents_stay():
    text = "/16 R@hh R@hh R@hh> R@hh R@hh R@hh R@hh R@hh> | ".replace(" | ", "")
    pattern = parse(text)
    for row in find_reliefs(pattern, FIVE, PLAYER, 104, "R", share=0.5, best=10).best:
        assert {0, 2, 4, 7} <= set(row.kept)
    free = find_reliefs(pattern, FIVE, PLAYER, 104, "R", share=0.1, keep=[], best=3)
    assert free.best and free.least_share == 0
    offbeats = find_reliefs(pattern, FIVE, PLAYER, 104, "R", share=0.5, keep=["beats", "offbeats"], best=5).best
    assert all({0, 2, 4, 6} <= set(row.kept) for row in offbeats)


def test_where_too_much_is_kept_the_answer_is_no():
    found = find_reliefs(SIXTEENTHS, FIVE, PLAYER, 104, "R", share=0.1)
    assert found.best == () and found.least_share == 0.125, "what the snare sounds with may go, the other beats stay"


def test_a_small_figure_is_as_cheap_as_trying_everything():
    pattern = parse("/16 R@hh+K R@hh R@hh R@hh R@hh+L R@hh")
    found = find_reliefs(pattern, FIVE, PLAYER, 120, "R", share=0.7, repeat=True, best=1).best[0]
    # Two of the strokes off the beat, or with the left hand's, have to go: to the other hand, either way, or away.
    mine = [s.index for s in pattern.strokes if s.limb == "R"]
    covered = mine[4]
    least = math.inf
    for choice in product("-gh=", repeat=5):
        gone = {i: c for i, c in zip(mine[1:], choice) if c != "="}
        if len(gone) != 2 or gone.get(covered, "-") != "-" or {"g", "h"} <= set(gone.values()):
            continue
        strikes = {"-": None, "g": Strike("L", None, "."), "h": Strike("L", "hh")}
        report = analyse(
            parse(rewrite(pattern, {i: strikes[c] for i, c in gone.items()})), FIVE, PLAYER, 120, repeat=True
        )
        silent = [i for i, c in gone.items() if c == "-"]
        # Sixteenths from 0 to 5; the fourth one on is heard in any case.
        heard = [k for k, i in enumerate(mine) if i not in silent or i == covered]
        gaps = [b - a for a, b in pairwise(heard)]
        loss = sum(COVERED if i == covered else SILENCE for i in silent)
        loss += UNEVEN * sum(a != b for a, b in pairwise(gaps)) if silent else 0.0
        least = min(least, report.summary.cost - report.summary.terms["keep"] + loss)
    assert found.rank == pytest.approx(least)


@given(st.lists(st.sampled_from(["R@hh", "R@hh>", "R@hh+K", "R@hh+L", "-", "L", "K"]), min_size=4, max_size=16))
@settings(max_examples=40)
def test_any_figure_keeps_its_time_and_everything_else(steps):
    pattern = parse("/16 " + " ".join(steps))
    if not any(s.limb == "R" for s in pattern.strokes):
        with pytest.raises(ReliefError, match="plays nothing"):
            find_reliefs(pattern, FIVE, PLAYER, 110, "R")
        return
    found = find_reliefs(pattern, FIVE, PLAYER, 110, "R", share=0.6)
    for row in found.best:
        new = parse(row.text)
        assert new.length == pattern.length and len(new.moments) == len(pattern.moments)
        others = lambda p: [(s.start, s.limb, s.voice) for s in p.strokes if s.limb not in "RL"]  # noqa: E731
        assert others(new) == others(pattern)
        assert row.share <= 0.6 + 1e-9


def test_from_as_written_to_the_lightest():
    rows = relief_scale(SIXTEENTHS, FIVE, PLAYER, 104, "R", repeat=True)
    shares = [row.share for row in rows]
    assert shares[0] == 1 and shares[-1] == 0.125 and shares == sorted(set(shares), reverse=True)
    assert rows[0].text == SIXTEENTHS.text and rows[-1].report.summary.cost < rows[0].report.summary.cost


@pytest.mark.parametrize(
    ("hand", "more", "words"),
    [("K", {}, "no hand"), ("R", {"share": 2.0}, "share"), ("R", {"share": math.nan}, "share"),
     ("R", {"keep": ["bells"]}, "nothing that can be kept")],
)  # fmt: skip
def test_questions_without_an_answer(hand, more, words):
    with pytest.raises(ReliefError, match=words):
        find_reliefs(SIXTEENTHS, FIVE, PLAYER, 104, hand, **more)
    with pytest.raises(ReliefError, match="settled"):
        find_reliefs(parse("? ?"), FIVE, PLAYER, 100, "R")


def test_effort_and_how_long_it_lasts():
    slow, fast = (analyse(SIXTEENTHS, FIVE, PLAYER, bpm, repeat=True) for bpm in (60, 104))
    easy, hard = endurance(slow, "R"), endurance(fast, "R")
    needed = sum(s.needed for s in fast.strokes if s.limb == "R")
    assert hard.effort == pytest.approx(needed / fast.summary.duration)
    assert hard.effort == pytest.approx(easy.effort * 104 / 60)
    assert easy.lasts is None and hard.lasts < 120
    assert hard.rate == pytest.approx(16 / fast.summary.duration) and hard.longest_run == 16
    assert endurance(fast, "J") is None
    # Twice as far above what can be kept up lasts half as long (Monod & Scherrer 1965: linear work over time).
    one, two = lasting("R", SUSTAINED["hand"] + 0.1), lasting("R", SUSTAINED["hand"] + 0.2)
    assert one == pytest.approx(2 * two)
    assert lasting("K", SUSTAINED["foot"]) is None and lasting("R", SUSTAINED["hand"] + 1e-6) is None
    assert one < FOR_EVER
    assert lasting_words(None) == "as long as it takes" and lasting_words(37) == "about 35 s"
    assert lasting_words(240) == "about 4 min"


def test_effort_over_time_is_high_where_the_hand_is_busy():
    pattern = parse("/4 R - - - | - - - - | /16 " + "R " * 16 + "| " + "R " * 16 + "|")
    report = analyse(pattern, FIVE, PLAYER, 120)
    effort = effort_over_time(report, "R", [2.0, 3.9, 6.0, 8.0], window=2.0)
    assert effort[1] == 0 and effort[0] < 0.2 and min(effort[2:]) > 0.8
    mine = [s for s in report.strokes if 6.0 < s.time <= 8.0]
    assert effort[3] == pytest.approx(sum(s.needed for s in mine) / 2.0)
