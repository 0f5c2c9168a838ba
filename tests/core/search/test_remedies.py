"""What removes a finding, held against what the analysis says of it."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, parse
from deft_reach.core.model.layouts import layout
from deft_reach.core.motion.cost import Weights
from deft_reach.core.search.progress import Cancelled, Progress
from deft_reach.core.search.remedies import find_remedies, removed, sticking_name

FIVE, PLAYER, WEIGHTS = layout("five"), Player(), Weights()


def read(text, tempo=100.0, repeat=False):
    return analyse(parse(text), FIVE, PLAYER, tempo, repeat=repeat)


def of(report, kind):
    return next(f for f in report.findings if f.kind == kind)


def kinds(report, finding):
    return {row.kind: row for row in find_remedies(report, finding, WEIGHTS)}


def test_two_strokes_of_one_hand_at_once_go_to_both_hands():
    # Common practice: what one hand cannot strike at once, two can.
    report = read("/8 R@hh+R@sn R@hh R@hh R@hh")
    finding = of(report, "impossible")
    found = kinds(report, finding)["hands"]
    limbs = [s.limb for s in found.report.pattern.strokes[:2]]
    assert sorted(limbs) == ["L", "R"] and not found.report.impossible


def test_a_hurried_repeat_on_one_drum_is_eased_by_alternating_or_slower():
    # Common practice: a fast single-hand repeat is shared between the hands, or slowed down.
    report = read("/16 " + "R@ft " * 8, 150)
    finding = next(f for f in report.findings if f.severity == "stop")
    assert finding.kind == "hurried" and "shorten" not in finding.advice
    found = kinds(report, finding)
    assert set("RL") == {s.limb for s in found["hands"].report.pattern.strokes}
    slower = found["tempo"]
    assert slower.text == report.pattern.text and slower.tempo < 150
    assert removed(finding, report, read(slower.text, slower.tempo))
    assert not removed(finding, report, read(slower.text, slower.tempo + 1)), "and no faster"


def test_a_voice_out_of_reach_is_exchanged_for_a_piece_of_its_kind():
    far = FIVE.with_piece(replace(FIVE.piece("ft"), x=2500.0))
    report = analyse(parse("R@ft L R@ft L"), far, PLAYER, 80)
    found = kinds(report, of(report, "out-of-reach"))["voice"]
    voices = {s.voice for s in found.report.pattern.strokes}
    assert "ft" not in voices and all(far.piece(v).kind in ("tom", "snare") for v in voices)


def test_a_fast_foot_shares_with_the_second_pedal_where_the_kit_has_one():
    # Common practice: what is too fast for one foot is played by both.
    double = layout("five-double")
    report = analyse(parse("/16 K K K K K K K K"), double, PLAYER, 150)
    found = kinds(report, of(report, "hurried"))
    assert {s.limb for s in found["feet"].report.pattern.strokes} == {"K", "J"}
    single = read("/16 K K K K K K K K", 150)
    offered = kinds(single, of(single, "hurried"))
    assert list(offered) == ["pedal", "tempo"], "one pedal: another one, or slower"
    assert offered["pedal"].name == "add a second pedal"
    assert {s.limb for s in offered["pedal"].report.pattern.strokes} == {"K", "J"} and not offered[
        "pedal"
    ].report.stops


def test_what_asks_for_a_second_pedal_is_offered_one_and_one_foot_alone():
    report = read("/16 R L R L K J R L")
    finding = of(report, "impossible")
    assert "second bass pedal" in finding.message
    found = kinds(report, finding)
    assert found["pedal"].text == report.pattern.text and not found["pedal"].report.impossible
    assert (found["feet"].name, found["feet"].text) == ("one foot alone", "/16 R L R L K K R L")
    # Sixteenths at 130 are more than one foot can play: some of them go.
    report = read("/16 R@hh+K J K J K J K J", 130)
    found = kinds(report, of(report, "impossible"))
    assert "one foot alone" in found["feet"].name and "less" in found["feet"].name


def test_a_crossing_begins_with_who_goes_over():
    # Common practice: who goes over is settled before a sticking is given up.
    report = read("/4 R@sn L@sn R@sn L@ft", 80)
    rows = find_remedies(report, of(report, "crossover"), WEIGHTS)
    assert [row.name for row in rows[:2]] == ["left hand over on 4", "right hand over on 4"]
    assert [row.text for row in rows[:2]] == ["/4 R@sn L@sn R@sn L@ft'", "/4 R@sn L@sn R@sn L@ft,"]
    assert rows[2].kind == "hands"
    for row, over in zip(rows, "LR"):
        (crossing,) = [f for f in row.report.findings if f.kind == "crossover"]
        assert crossing.over == over and len(row.report.serious) <= len(report.serious)
    # Once it is said, and where the heights decide, there is nothing to settle.
    for text in ("/4 R@sn L@sn R@sn L@ft'", "/8 R@hh+K R@hh R@hh+L R@hh"):
        report = read(text, 80)
        finding = next(f for f in report.findings if f.kind in ("crossover", "crossed-hold"))
        assert "over" not in kinds(report, finding)
    # The lower arm told to go over: the upper one is what helps.
    report = read("/4 R@ft L@ft R@t1, L@ft", 80)
    assert kinds(report, of(report, "crossover"))["over"].text == "/4 R@ft L@ft R@t1' L@ft"


def test_a_stroke_is_left_out_where_that_removes_it():
    report = read("/16 L@ft. R@t1 R@hh+L@sn R@hh", 100)
    rows = {f.kind: kinds(report, f) for f in report.findings}
    left_out = next(row["omission"] for row in rows.values() if "omission" in row)
    assert len(left_out.report.pattern.strokes) == len(report.pattern.strokes) - 1
    assert [s.start for s in left_out.report.pattern.strokes] == [s.start for s in report.pattern.strokes[1:]]


@settings(max_examples=12, deadline=None)
@given(
    st.lists(
        st.sampled_from(["R", "L", "R@ft", "L@ft", "R@hh", "L@hh", "R@t1>", "L@rd", "R+K", "fL@t1", "L.", "L@ft."]),
        min_size=4,
        max_size=7,
    ),
    st.integers(60, 200),
    st.booleans(),
)
def test_nothing_is_offered_that_does_not_remove_it(steps, tempo, repeat):
    report = read("/16 " + " ".join(steps), float(tempo), repeat)
    for finding in report.findings:
        for row in find_remedies(report, finding, WEIGHTS):
            kit = row.report.table.kit
            assert (kit == FIVE) == (row.kind != "pedal")
            again = analyse(parse(row.text), kit, PLAYER, row.tempo, repeat=repeat)
            if row.kind == "over":
                assert len(again.serious) <= len(report.serious) and again.findings == row.report.findings
                continue
            assert removed(finding, report, again) and again.findings == row.report.findings
            starts = {report.pattern.strokes[i].start for i in finding.strokes}
            left = [f for f in again.findings if f.kind == finding.kind]
            assert not any(starts & {again.pattern.strokes[i].start for i in f.strokes} for f in left)
            stops = [sum(f.severity == "stop" for f in r.findings) for r in (report, again)]
            assert stops[1] <= stops[0]
            assert row.name and (row.kind == "tempo") == (row.text == report.pattern.text)


def test_a_finding_is_not_removed_by_itself_nor_by_something_worse():
    report = read("/16 R@ft L@ft R@hh L@rd")
    finding = report.findings[0]
    assert not removed(finding, report, report)
    worse = read("/16 R@ft+R@hh L@ft R@hh L@rd")
    assert any(f.severity == "stop" for f in worse.findings) and not removed(finding, report, worse)


def test_names_say_what_differs():
    pattern = parse("/4 R L R L | R L R L")
    assert sticking_name(pattern, pattern) == "as it stands"
    assert sticking_name(pattern, parse("/4 R L R L | R R R L")).startswith("right hand on bar 2, ")
    assert sticking_name(pattern, parse("/4 L R L R | R L R L")).startswith("other hands from bar 1, 1 to ")
    assert sticking_name(pattern, parse("/4 L L R R | R L R L")) == "left hand on bar 1, 1, right hand on 4"
    assert sticking_name(parse("/4 R L R L"), parse("/4 L L R R")) == "left hand on 1, right hand on 4"


def test_the_search_can_be_stopped():
    progress = Progress()
    progress.cancel()
    report = read("/16 R@ft L@ft R@hh L@rd")
    with pytest.raises(Cancelled):
        find_remedies(report, report.findings[0], WEIGHTS, progress)
