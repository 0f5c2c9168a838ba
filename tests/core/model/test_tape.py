"""Positions from a tape: constructed layouts, classical multidimensional scaling, and misreadings."""

import math
import random
from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, layout
from deft_reach.core.model.kit import Reading
from deft_reach.core.model.tape import TapeError, contradictions, measure

FIVE = layout("five")
PLAYER = Player()
CODES = [p.code for p in FIVE if not p.is_pedal and p.kind != "bass"]


def moved(seed: int, by: int = 70):
    """The five with every piece somewhere else, but facing the same way."""
    rng = random.Random(seed)
    kit = FIVE
    for code in CODES:
        p = kit.piece(code)
        kit = kit.with_piece(
            p.moved(p.x + rng.randint(-by, by), p.y + rng.randint(-by, by), p.z + rng.randint(-40, 40))
        )
    return kit


def centre(kit, code):
    p = kit.piece(code)
    return np.array([p.x, p.y, p.z])


def readings(kit, noise: float = 0.0, seed: int = 0) -> list[Reading]:
    """Every distance between pieces, to the seat, and above the floor."""
    rng = random.Random(seed)
    seat = np.array([0, 0, PLAYER.seat_height_mm])
    found = [Reading(a, b, float(np.linalg.norm(centre(kit, a) - centre(kit, b)))) for a, b in combinations(CODES, 2)]
    found += [Reading(a, "seat", float(np.linalg.norm(centre(kit, a) - seat))) for a in CODES]
    found += [Reading(a, "floor", float(kit.piece(a).z)) for a in CODES]
    return [replace(d, mm=d.mm + rng.gauss(0, noise)) for d in found]


def apart(one, two) -> float:
    """Largest disagreement of all distances between pieces, mm: blind to how the whole kit is turned."""
    return max(
        abs(np.linalg.norm(centre(one, a) - centre(one, b)) - np.linalg.norm(centre(two, a) - centre(two, b)))
        for a, b in combinations(CODES, 2)
    )


@given(st.integers(0, 10_000))
@settings(max_examples=8, deadline=None)
def test_a_constructed_layout_is_found_again(seed):
    truth = moved(seed)
    found = measure(readings(truth), FIVE, PLAYER)
    assert apart(found.kit, truth) < 0.5
    assert found.rms_mm < 0.1 and found.fits and found.undetermined == ()
    for code in CODES:
        assert found.kit.piece(code).z == pytest.approx(truth.piece(code).z, abs=0.2)


def test_with_noise_it_is_as_good_as_the_readings_and_says_so():
    truth = moved(3)
    found = measure(readings(truth, noise=4.0, seed=5), FIVE, PLAYER)
    assert apart(found.kit, truth) < 12 and 1 < found.rms_mm < 6 and found.fits
    assert all(3 < value < 25 for value in found.uncertainty.values())


def test_it_agrees_with_classical_multidimensional_scaling():
    """Torgerson's double centring of the squared distances, worked out here on its own."""
    truth = moved(11)
    points = np.array([centre(truth, code) for code in CODES])
    squared = ((points[:, None] - points[None]) ** 2).sum(axis=2)
    n = len(points)
    centring = np.eye(n) - 1 / n
    values, vectors = np.linalg.eigh(-0.5 * centring @ squared @ centring)
    scaled = vectors[:, -3:] * np.sqrt(np.maximum(values[-3:], 0))
    found = measure(readings(truth), FIVE, PLAYER)
    ours = np.array([centre(found.kit, code) for code in CODES])
    between = lambda p: np.linalg.norm(p[:, None] - p[None], axis=2)  # noqa: E731
    assert np.abs(between(scaled) - between(ours)).max() < 0.5


@pytest.mark.parametrize("spoiled", ["t1 to ft", "sn to seat", "rd to c2", "hh above the floor"])
def test_a_misreading_is_pointed_at(spoiled):
    sheet = [replace(d, mm=d.mm + 110) if d.name == spoiled else d for d in readings(moved(7), noise=2.0)]
    found = measure(sheet, FIVE, PLAYER)
    assert not found.fits
    assert found.suspects[0].reading.name == spoiled
    assert found.suspects[0].residual > 20
    truth = next(d for d in readings(moved(7)) if d.name == spoiled)
    assert found.suspects[0].by_others == pytest.approx(truth.mm, abs=25)


def test_a_broken_triangle_is_never_accepted_silently():
    sheet = [Reading("sn", "hh", 300), Reading("hh", "t1", 250), Reading("sn", "t1", 900)]
    (words,) = contradictions(sheet)
    assert "sn to t1 is 900 mm, but by way of the third point it is only 550 mm" in str(words)
    assert not measure(sheet, FIVE, PLAYER).fits
    heights = [Reading("sn", "floor", 650), Reading("c1", "floor", 1400), Reading("sn", "c1", 400)]
    (words,) = contradictions(heights)
    assert "heights differ by 750 mm" in str(words)


def test_few_readings_leave_pieces_open_and_the_rest_where_the_base_kit_has_it():
    found = measure([Reading("sn", "seat", 460), Reading("sn", "floor", 650), Reading("hh", "sn", 440)], FIVE, PLAYER)
    assert "hh" in found.undetermined and "sn" not in found.undetermined
    assert found.fits and found.rms_mm < 0.5
    assert found.kit.piece("ft") == FIVE.piece("ft"), "what was not measured stays"
    snare = found.kit.piece("sn")
    assert math.dist((snare.x, snare.y, snare.z), (0, 0, 520)) == pytest.approx(460, abs=1)
    assert snare.z == pytest.approx(650, abs=1)


def test_the_suggested_reading_takes_the_uncertainty_down():
    truth = moved(2)
    every = {frozenset((d.a, d.b)): d for d in readings(truth)}
    sheet = [every[frozenset(pair)] for pair in (("sn", "seat"), ("sn", "floor"), ("hh", "sn"))]
    total = []
    for _ in range(2):
        found = measure(sheet, FIVE, PLAYER)
        total.append(sum(found.uncertainty.values()))
        assert found.suggestion is not None and frozenset(found.suggestion) not in {
            frozenset((d.a, d.b)) for d in sheet
        }
        sheet.append(every[frozenset(found.suggestion)])
    last = measure(sheet, FIVE, PLAYER)
    assert total[0] > total[1] > 50 * sum(last.uncertainty.values())
    assert last.undetermined == () and last.suggestion is None


def test_which_side_is_left_is_asked_once():
    truth = moved(4)
    sheet = readings(truth)
    as_base = measure(sheet, FIVE, PLAYER)
    assert as_base.kit.piece("hh").x < 0 and not as_base.turned
    assert measure(sheet, FIVE, PLAYER, left="hh").kit == as_base.kit
    other = measure(sheet, FIVE, PLAYER, left="ft")
    assert other.turned and other.kit.piece("ft").x < 0 < other.kit.piece("hh").x
    assert apart(other.kit, truth) < 0.5, "a mirror image fits every distance as well"


@pytest.mark.parametrize(
    ("sheet", "words", "row"),
    [
        ([], "no distances", None),
        ([Reading("sn", "hh", -3)], "expected more than 0", 0),
        ([Reading("sn", "hh", 400), Reading("sn", "t1", math.nan)], "t1 is nan mm", 1),
        ([Reading("sn", "hh", 9000)], "at most 5000 mm", 0),
        ([Reading("sn", "sn", 100)], "against itself", 0),
        ([Reading("sn", "xx", 100)], "there is no piece 'xx'", 0),
        ([Reading("sn", "hh", 400), Reading("hh", "sn", 401)], "measured twice", 1),
        ([Reading("sn", "hh", 400, 0.0)], "uncertainty", 0),
        ([Reading("seat", "floor", 500)], "only the seat", None),
    ],
)
def test_readings_that_make_no_sense_are_refused_by_row(sheet, words, row):
    with pytest.raises(TapeError, match=words) as caught:
        measure(sheet, FIVE, PLAYER)
    assert caught.value.row == row


def test_a_careless_reading_counts_less():
    truth = moved(9)
    sheet = readings(truth)
    off = [replace(d, mm=d.mm + 60, sigma=80.0) if d.name == "t1 to ft" else d for d in sheet]
    found = measure(off, FIVE, PLAYER)
    assert found.fits and apart(found.kit, truth) < 3


def test_a_side_that_was_said_holds_however_the_base_kit_stands():
    """Distances are blind to left and right: only what the player said tells the kit from its mirror image."""
    truth = moved(3)
    told = replace(FIVE.mirror(), left="hh")
    assert measure(readings(truth), told, PLAYER).kit.piece("hh").x < 0
    assert measure(readings(truth), told, PLAYER, right="hh").kit.piece("hh").x > 0
    assert measure(readings(truth), replace(FIVE, right="hh"), PLAYER).kit.piece("hh").x > 0
    assert told.mirror().right == "hh" and told.mirror().left == ""
    with pytest.raises(TapeError, match="no piece 'zz' to stand on the right"):
        measure(readings(truth), FIVE, PLAYER, right="zz")


@pytest.mark.parametrize("seed", range(12))
def test_nine_pieces_read_to_a_centimetre_come_back_within_fifteen_millimetres(seed):
    """Every distance off by up to 10 mm either way; the eight struck pieces and the bass drum."""
    rng = random.Random(seed)
    truth = moved(seed)
    nine = [*CODES, "bd"]
    seat = np.array([0, 0, PLAYER.seat_height_mm])
    sheet = [
        Reading(a, b, float(np.linalg.norm(centre(truth, a) - centre(truth, b)))) for a, b in combinations(nine, 2)
    ]
    sheet += [Reading(a, "seat", float(np.linalg.norm(centre(truth, a) - seat))) for a in nine]
    sheet += [Reading(a, "floor", float(truth.piece(a).z)) for a in nine]
    found = measure([replace(r, mm=r.mm + rng.uniform(-10, 10)) for r in sheet], FIVE, PLAYER).kit
    # Distances say nothing of how the whole is turned: the best rigid fit (Kabsch 1976) takes that out first.
    a, b = np.array([centre(found, c) for c in nine]), np.array([centre(truth, c) for c in nine])
    a, b = a - a.mean(axis=0), b - b.mean(axis=0)
    u, _, v = np.linalg.svd(a.T @ b)
    assert np.linalg.norm(a @ (u @ v) - b, axis=1).max() <= 15
