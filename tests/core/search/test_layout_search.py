"""Where pieces could stand: never dearer, never inside each other, and as cheap as trying everything."""

import math
from dataclasses import replace
from itertools import combinations, product

import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.collisions import collisions
from deft_reach.core.motion.comfort import comfort
from deft_reach.core.motion.cost import Weights
from deft_reach.core.search.joined_walk import Asked
from deft_reach.core.search.layout_search import APART_MM, LayoutError, find_layouts
from deft_reach.core.search.progress import Cancelled, Progress

FIVE, PLAYER = layout("five"), Player()
FILL = Asked("fill", parse("/16 R@ft L@sn R@t1 L@hh R@ft L@t1 K R@rd"), 130)
GROOVE = Asked("groove", parse("/8 R@rd+K L@sn R@rd+L@sn R@rd R@ft+K L R@rd+L K"), 110, True)
HEAVY = Asked("heavy", FILL.pattern, 120, True, replace(Weights(), turn=3.0, squeeze=2.0))


def cost(asked, kit):
    return analyse(asked.pattern, kit, PLAYER, asked.tempo, repeat=asked.repeat, weights=asked.weights).summary


@pytest.mark.parametrize("plans", [[FILL], [FILL, GROOVE], [FILL, GROOVE, HEAVY]])
def test_gains_are_what_an_analysis_of_the_kit_gives(plans):
    found = find_layouts(plans, FIVE, PLAYER, ["ft", "rd"], within=80, budget=300)
    assert found.best and 50 < found.evaluated <= 330
    totals = [row.cost_after for row in found.best]
    assert totals[0] < sum(cost(p, FIVE).cost for p in plans)
    for row in found.best:
        for asked, gain in zip(plans, row.plans):
            before, after = cost(asked, FIVE), cost(asked, row.kit)
            assert (gain.cost_before, gain.cost_after) == pytest.approx((before.cost, after.cost))
            assert (gain.limit_before, gain.limit_after) == pytest.approx((before.tempo_limit, after.tempo_limit))
            assert gain.cost_after <= gain.cost_before + 1e-9, "no plan pays for another"
        for code, moved in row.moves.items():
            piece, was = row.kit.piece(code), FIVE.piece(code)
            assert (piece.x - was.x, piece.y - was.y, piece.z - was.z) == moved
            assert max(map(abs, moved)) <= 80 and code in ("ft", "rd")
        assert {p.code for p in row.kit if p != FIVE.piece(p.code)} == set(row.moves)
        assert not collisions(row.kit)


def test_a_small_search_finds_what_trying_every_place_finds():
    """Brute force over a grid of 10 mm, of which every place may be an answer."""
    found = find_layouts([FILL], FIVE, PLAYER, ["rd"], within=40, best=1, budget=2000)
    ride = FIVE.piece("rd")
    least = math.inf
    for dx, dy, dz in product(range(-40, 41, 10), range(-40, 41, 10), range(-20, 21, 10)):
        moved = replace(ride, x=ride.x + dx, y=ride.y + dy, z=ride.z + dz)
        kit = replace(FIVE, pieces=tuple(moved if p.code == "rd" else p for p in FIVE.pieces))
        if not collisions(kit):
            least = min(least, cost(FILL, kit).cost)
    # A move is made smaller while that loses next to nothing.
    before = cost(FILL, FIVE).cost
    if before - least < 0.05 * before:
        assert not found.best
    else:
        assert found.best[0].cost_after <= least * 1.015


@pytest.mark.parametrize(("plans", "within"), [([FILL], 100), ([FILL, GROOVE], 100), ([GROOVE], 150), ([FILL], 200)])
def test_no_piece_moves_for_less_than_a_twentieth_and_no_arm_is_held_worse(plans, within):
    """RULA (McAtamney & Corlett 1993, *Applied Ergonomics* 24; the bands from memory, written out here)."""

    def strain(kit, code, hand):
        found = comfort(kit, PLAYER, code)[hand]
        bent = 180 - found.elbow
        arm = next(score for score, limit in ((1, 20), (2, 45), (3, 90), (4, 180)) if found.upper_arm <= limit)
        return arm + (1 if 60 <= bent <= 100 else 2)

    pieces = ["ft", "rd", "t1", "hh"]
    rows = find_layouts(plans, FIVE, PLAYER, pieces, within=within, budget=1200).best
    for row in rows:
        assert row.cost_after <= 0.95 * row.cost_before
        for code in row.moves:
            back = row.kit.with_piece(FIVE.piece(code))
            without = sum(cost(p, back).cost for p in plans)
            dearer = sum(max(0.0, cost(p, back).cost - cost(p, FIVE).cost) for p in plans)
            assert collisions(back) or without + dearer - row.cost_after >= 0.045 * row.cost_before
            hands = {s.limb for p in plans for s in p.pattern.strokes if s.voice == code}
            assert sum(strain(row.kit, code, h) for h in hands) <= sum(strain(FIVE, code, h) for h in hands)


def test_answers_differ_and_come_cheapest_first():
    rows = find_layouts([FILL, GROOVE], FIVE, PLAYER, ["ft", "t1", "rd"], within=100, best=4, budget=900).best
    totals = [row.cost_after for row in rows]
    assert rows and totals == sorted(totals)
    place = lambda row, code: row.moves.get(code, (0, 0, 0))  # noqa: E731
    for a, b in combinations(rows, 2):
        assert max(math.dist(place(a, code), place(b, code)) for code in ("ft", "t1", "rd")) > APART_MM


def test_the_same_question_has_the_same_answer():
    one, two = (find_layouts([FILL], FIVE, PLAYER, ["ft"], budget=200) for _ in range(2))
    assert [row.moves for row in one.best] == [row.moves for row in two.best]


def test_pieces_stay_in_reach_and_pedals_on_the_floor():
    far = Asked("far", parse("/8 R@rd L@sn R@rd L@sn"), 100)
    for row in find_layouts([far], FIVE, PLAYER, ["rd", "hp"], within=400, budget=300).best:
        assert "hp" not in row.moves or row.moves["hp"][2] == 0
        found = analyse(parse("R@rd"), row.kit, PLAYER, 60)
        assert not [f for f in found.findings if f.kind in ("strained-reach", "out-of-reach") and "lean" in f.message]


def test_a_kit_that_is_right_already_stays():
    still = Asked("still", parse("/4 R L R L"), 60)
    assert find_layouts([still], FIVE, PLAYER, ["c1"], budget=100).best == ()


@pytest.mark.parametrize(
    ("plans", "pieces", "within", "words"),
    [
        ([], ["ft"], 50, "no plan"),
        ([FILL], [], 50, "no piece"),
        ([FILL], ["zz"], 50, "no piece 'zz'"),
        ([FILL], ["bd"], 50, "bass drum"),
        ([FILL], ["ft"], math.nan, "within"),
        ([FILL], ["ft"], 5000, "within"),
        ([Asked("open", parse("? ?"), 100)], ["ft"], 50, "without a hand"),
        ([Asked("none", parse(""), 100)], ["ft"], 50, "no strokes"),
    ],
)
def test_questions_without_an_answer_say_what_to_give(plans, pieces, within, words):
    with pytest.raises(LayoutError, match=words):
        find_layouts(plans, FIVE, PLAYER, pieces, within=within)


def test_progress_partial_results_and_cancel_at_once(monkeypatch):
    monkeypatch.setattr("deft_reach.core.search.progress.EVERY", 0.0)
    heard, moments = [], []

    def hear(looked, of, found):
        heard.append((looked, of, found))
        if found is not None and not moments:
            moments.append(looked)
            progress.cancel()

    progress = Progress(hear)
    with pytest.raises(Cancelled):
        find_layouts([FILL, GROOVE], FIVE, PLAYER, ["ft", "rd", "t1"], within=100, progress=progress)
    looked = [row[0] for row in heard]
    assert looked[-1] <= moments[0] + 1, "the next place looked at is the last"
    assert looked == sorted(looked) and heard[-1][1] >= looked[-1]
    partial = heard[-1][2]
    assert partial.cost_after < partial.cost_before and partial.moves
