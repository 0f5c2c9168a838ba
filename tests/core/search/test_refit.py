"""The same figure on another kit: order of heights kept, roles kept, and one pedal does what one foot can."""

from dataclasses import replace
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.layouts import LAYOUTS
from deft_reach.core.search.refit import RefitError, refit

PLAYER = Player()
FILL = "/16 (R@t1> L@t2 R@t3 L@ft) (R@f2 L@f2 R@ch L@sp) R@rd:bell+K L R@c2 L@hh"
FEET = "/16 R+K J K J R K J K R+K J K J R J K J"


def voices(text):
    return [s.voice for s in parse(text).strokes if s.limb in "RL"]


def order(kit):
    """Drums from high to low: common practice, rack toms before floor toms, small before large."""
    toms = sorted((p for p in kit if p.kind in ("tom", "floor-tom")), key=lambda p: (p.kind != "tom", p.diameter))
    return [p.code for p in toms]


@pytest.mark.parametrize("target", LAYOUTS)
@given(st.lists(st.sampled_from(["t1", "t2", "t3", "ft", "f2"]), min_size=2, max_size=8))
@settings(max_examples=15)
def test_drums_keep_their_order_from_high_to_low(target, drums):
    source, kit = layout("large"), layout(target)
    text = " ".join(f"{'RL'[k % 2]}@{code}" for k, code in enumerate(drums))
    for row in refit(parse(text), source, kit, PLAYER, 100, best=6):
        new = voices(row.text)
        if any(code not in order(kit) for code in new):
            continue  # toms to cymbals
        before, after = [order(source).index(c) for c in drums], [order(kit).index(c) for c in new]
        for i in range(len(drums)):
            for j in range(len(drums)):
                if before[i] <= before[j]:
                    assert after[i] <= after[j]


def test_a_kit_that_has_everything_changes_nothing():
    best = refit(parse(FILL), layout("large"), layout("large"), PLAYER, 100)[0]
    assert best.text == FILL and best.substitutions == () and best.loss == 0
    up = refit(parse("R@t1 L@t2 R@ft L@rd"), layout("five"), layout("large"), PLAYER, 100)[0]
    assert up.text == "R@t1 L@t2 R@ft L@rd"


@pytest.mark.parametrize("target", ["compact", "five", "pit"])
def test_every_voice_is_one_the_kit_has_and_every_change_is_listed(target):
    source, kit, pattern = layout("large"), layout(target), parse(FILL)
    rows = refit(pattern, source, kit, PLAYER, 100, best=5)
    losses = [(row.breaks, round(row.loss, 3)) for row in rows]
    assert losses == sorted(losses) and len({row.text for row in rows}) == len(rows)
    for row in rows:
        new = parse(row.text)
        assert {s.voice for s in new.strokes if s.limb in "RL"} <= set(kit.voices)
        assert [(s.start, s.limb, s.marks) for s in new.strokes] == [
            (s.start, s.limb, s.marks) for s in pattern.strokes
        ]
        listed = {i: sub.target for sub in row.substitutions for i in sub.strokes}
        changed = {a.index: b.voice for a, b in zip(pattern.strokes, new.strokes) if a.voice != b.voice}
        assert listed == changed and all(sub.why for sub in row.substitutions)
        cost = analyse(new, kit, PLAYER, 100).summary.cost
        assert row.report.summary.cost == pytest.approx(cost)


def test_cymbals_go_by_their_role():
    text = refit(parse("R@ch L@sp R@c2 L@rd"), layout("large"), layout("compact"), PLAYER, 100)[0].text
    assert text == "R@c1 L@c1 R@c1 L@rd"
    bell = replace(layout("five"), pieces=tuple(p for p in layout("five") if p.kind != "ride"))
    assert voices(refit(parse("R@rd:bell L"), layout("five"), bell, PLAYER, 100)[0].text)[0] in ("c1:bell", "c2:bell")


def test_toms_to_cymbals_where_there_are_no_toms():
    bare = replace(
        layout("compact"), pieces=tuple(p for p in layout("compact") if p.kind not in ("tom", "floor-tom"))
    )
    rows = refit(parse("R@t1 L@t2 R@ft"), layout("five"), bare, PLAYER, 100)
    assert rows and all(set(voices(row.text)) <= {"c1", "rd"} for row in rows)


def test_what_is_chosen_is_done():
    chosen = {"t2": "ft", "c2": "rd"}
    for row in refit(parse("R@t1 L@t2 R@c2"), layout("five"), layout("compact"), PLAYER, 100, chosen=chosen):
        assert voices(row.text)[1:] == ["ft", "rd"]
    with pytest.raises(RefitError, match="no voice 'zz'"):
        refit(parse("R@t1"), layout("five"), layout("compact"), PLAYER, 100, chosen={"t1": "zz"})
    with pytest.raises(RefitError, match="no hand plays 'ft'"):
        refit(parse("R@t1"), layout("five"), layout("compact"), PLAYER, 100, chosen={"ft": "t1"})


@pytest.mark.parametrize("tempo", [50, 90, 140])
def test_one_pedal_does_what_one_foot_can(tempo):
    pattern = parse(FEET)
    rows = refit(pattern, layout("five-double"), layout("five-double"), PLAYER, tempo, pedals=1, best=8)
    for row in rows:
        new = parse(row.text)
        assert not [s for s in new.strokes if s.limb == "J"]
        assert not row.report.impossible and row.kit.of_kind("second-bass-pedal") is None
        left_out = {i for sub in row.substitutions if sub.target == "left out" for i in sub.strokes}
        assert len(new.strokes) == len(pattern.strokes) - len(left_out)
    thinned = [row for row in rows if any("thinned" in sub.why for sub in row.substitutions)]
    for row in thinned:
        paces = [s.pace for s in row.report.strokes if s.limb == "K" and s.pace is not None]
        assert max(paces) <= 1.0, "judged by the analysis, rebound included"
    everything = analyse(parse(FEET.replace("J", "K")), layout("five"), PLAYER, tempo)
    able = max(s.pace for s in everything.strokes if s.limb == "K" and s.pace is not None) <= 1.0
    assert bool(thinned) == (not able)
    assert ("can play them all" in rows[0].substitutions[0].why) == able


RUN = "/16 R L K J R L K J R L K J R L K J | R@c1+K"


@pytest.mark.parametrize("tempo", [90, 120, 140])
@pytest.mark.parametrize("text", [RUN, FEET, "/16 R L K J R L K J R L R L K J K J | R@c1+K"])
def test_what_breaks_at_the_tempo_asked_never_comes_first(text, tempo):
    rows = refit(parse(text), layout("five-double"), layout("five-double"), PLAYER, tempo, pedals=1, best=20)
    breaks = [row.breaks for row in rows]
    assert not breaks[0] and breaks == sorted(breaks)
    for row in rows:
        again = analyse(parse(row.text), row.kit, PLAYER, tempo).summary.tempo_limit
        assert row.breaks == (again is not None and again < tempo)


def test_the_usual_ways_to_play_a_double_pedal_run_on_one_are_offered():
    """Common practice: a shorter run into the landing, a group less and a flam, or the first kick of each pair."""
    rows = refit(parse(RUN), layout("five-double"), layout("five-double"), PLAYER, 132, pedals=1, best=20)
    texts = [" ".join(row.text.split()) for row in rows]
    assert "/16 R L K K R L K K R L K K R L K - | R@c1+K" in texts
    assert "/16 R L K K R L K K R L K K R L - - | fR@c1+K" in texts
    assert "/16 R L K - R L K - R L K - R L K - | R@c1+K" in texts


def test_a_hand_that_is_wanted_again_at_once_is_not_free():
    """Between two strokes of each hand there is a thirty-second: no hand has time for the foot's stroke there."""
    rows = refit(parse("/32 R+L J R+L J R+L J R+L"), layout("five-double"), layout("five"), PLAYER, 100, best=20)
    assert not any(sub.target.startswith("hands on") for row in rows for sub in row.substitutions)
    before = refit(parse("/32 J R+L - - - -"), layout("five-double"), layout("five"), PLAYER, 100, best=20)
    assert not any(sub.target.startswith("hands on") for row in before for sub in row.substitutions)


def test_hands_and_flams_take_over_and_the_best_thinning_is_kept():
    rows = refit(parse("/16 R+K J R J R+K J R J"), layout("five-double"), layout("five"), PLAYER, 150, best=8)
    words = [" ".join(sub.target for sub in row.substitutions) for row in rows]
    assert any("hands on" in w for w in words) and any("flam" in w for w in words)
    flams = next(row for row in rows if any(sub.target == "flam" for sub in row.substitutions))
    assert "fR" in flams.text and "J" not in flams.text
    # By trying every subset: no more strokes can be kept that the analysis lets one foot play.
    text = "/32 K J K J K J K J"
    thin = refit(parse(text), layout("five-double"), layout("five"), PLAYER, 120, best=20)
    row = next(r for r in thin if any("thinned" in sub.why for sub in r.substitutions))
    most = 0
    for kept in product("K-", repeat=8):
        report = analyse(parse("/32 " + " ".join(kept)), layout("five"), PLAYER, 120)
        if all(s.pace is None or s.pace <= 1.0 for s in report.strokes):
            most = max(most, kept.count("K"))
    assert most - 1 <= len(parse(row.text).strokes) <= most


def test_two_pedals_share_what_hurries_one_foot():
    text = "/16 R+K K K K R K K K"
    rows = refit(parse(text), layout("five"), layout("five"), PLAYER, 120, pedals=2)
    shared = next(row for row in rows if row.substitutions)
    assert shared.substitutions[0].target == "J" and shared.kit.of_kind("second-bass-pedal") is not None
    assert shared.report.summary.tempo_limit > rows[0].report.summary.tempo_limit or shared is rows[0]


@pytest.mark.parametrize(("text", "more", "words"), [("? ?", {}, "settled"), ("R", {"pedals": 3}, "pedals")])
def test_questions_without_an_answer(text, more, words):
    with pytest.raises(RefitError, match=words):
        refit(parse(text), layout("five"), layout("compact"), PLAYER, 100, **more)
