"""Laws of the model that hold for every figure: what a player takes for granted, as properties."""

import math
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.player import Speeds
from tests.strategies import texts

FIVE, PLAYER = layout("five"), Player()
SPEED_OF = {"R": "right", "L": "left", "K": "feet", "J": "feet", "H": "feet"}


def limits(text: str, tempo: float = 100, player: Player = PLAYER, kit=FIVE, **options) -> dict[int, float]:
    report = analyse(parse(text), kit, player, tempo, **options)
    return {s.index: s.tempo_limit for s in report.strokes if s.tempo_limit is not None}


@given(
    st.lists(st.sampled_from(["R", "-", "R>", "R."]), min_size=2, max_size=12),
    st.lists(st.sampled_from(["K", "L", "H", "", "", "K+L"]), min_size=12, max_size=12),
    st.booleans(),
)
@settings(max_examples=120, deadline=None)
def test_what_sounds_with_a_limb_changes_nothing_of_its_times(steps, others, repeat):
    """Strokes of other limbs at the same moments, or between: the right hand's times are what they were."""
    assume(any("R" in step for step in steps))
    alone = analyse(parse(" ".join(steps)), FIVE, Player(), 100, repeat=repeat)
    words = [
        "+".join(filter(None, (step if step != "-" else "", other))) or "-" for step, other in zip(steps, others)
    ]
    among = analyse(parse(" ".join(words)), FIVE, Player(), 100, repeat=repeat)
    one, two = ([(s.gap, s.needed, s.pace) for s in r.strokes if s.limb == "R"] for r in (alone, among))
    assert [x or 0 for row in one for x in row] == pytest.approx([x or 0 for row in two for x in row])


@given(texts(max_steps=16), st.booleans())
@settings(max_examples=80, deadline=None)
def test_the_limb_that_is_named_is_the_one_whose_slowing_slows_the_figure(text, repeat):
    report = analyse(parse(text), FIVE, Player(), 100, repeat=repeat)
    s = report.summary
    assume(s.bottleneck is not None and s.tempo_limit is not None)
    stroke = report.strokes[s.bottleneck]
    graces = [grace for grace in stroke.graces if grace.tempo_limit == s.tempo_limit]
    named = SPEED_OF[graces[0].limb if graces else stroke.limb]
    slower = replace(Player(), speeds=replace(Speeds(), **{named: 1.3}))
    after = analyse(parse(text), FIVE, slower, 100, repeat=repeat).summary.tempo_limit
    assert after < s.tempo_limit or math.isclose(after, s.tempo_limit, rel_tol=0.05), "it is that limb's matter"
    for other in {"right", "left", "feet"} - {named}:
        quicker = replace(Player(), speeds=replace(Speeds(), **{other: 0.8}))
        still = analyse(parse(text), FIVE, quicker, 100, repeat=repeat).summary.tempo_limit
        assert still <= s.tempo_limit * (1 + 1e-9), "no other limb's speed helps"


@given(texts(max_steps=16), st.booleans(), st.sampled_from([60, 130, 240]))
@settings(max_examples=80, deadline=None)
def test_what_is_needed_is_said_of_the_limbs_own_time(text, repeat, tempo):
    """Gap and needed time are the striking limb's own, and its pace is nothing but their ratio."""
    pattern = parse(text)
    report = analyse(pattern, FIVE, Player(), tempo, repeat=repeat)
    length = float(pattern.length) * 240 / tempo
    lanes: dict[str, list[float]] = {}
    for event in pattern.events:
        time = report.strokes[event.indices[0]].time
        for stroke in event.strokes:
            lanes.setdefault("H" if stroke.limb == "J" else stroke.limb, []).append(time)
        if event.hands_alone and event.hands[0].grace:
            lanes.setdefault("L" if event.hands[0].limb == "R" else "R", []).append(time)
    for s in report.strokes:
        mine = lanes["H" if s.limb == "J" else s.limb]
        rows = [(s.gap, s.needed, s.pace)] if s.gap is not None else []
        for gap, needed, pace in rows:
            assert pace == pytest.approx(needed / gap)
            before = [t for t in mine if t < s.time - 1e-9]
            last = max(before) if before else max(mine) - length
            assert gap == pytest.approx(s.time - last)
        for grace in s.graces:
            others = [t for t in lanes[grace.limb] if t < s.time - 1e-9]
            last = max(others) if others else max(lanes[grace.limb]) - length
            assert grace.gap == pytest.approx(s.time - last)
            assert grace.limb != s.limb and grace.pace == pytest.approx(grace.needed / grace.gap)


@given(texts(max_steps=16), st.sampled_from([50, 90, 200]))
@settings(max_examples=60, deadline=None)
def test_no_limit_depends_on_the_tempo_asked_about(text, tempo):
    assert limits(text, tempo) == pytest.approx(limits(text, 100))


@given(texts(max_steps=12), st.floats(1.01, 2.0), st.booleans())
@settings(max_examples=60, deadline=None)
def test_faster_is_never_easier(text, factor, repeat):
    slow = analyse(parse(text), FIVE, Player(), 80, repeat=repeat).summary
    fast = analyse(parse(text), FIVE, Player(), 80 * factor, repeat=repeat).summary
    assert fast.cost >= slow.cost - 1e-9 and fast.difficulty >= slow.difficulty - 1e-9
    assert fast.ease <= slow.ease + 1e-9


BASIC = [
    ("rock", "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh+K R@hh+L> R@hh", 90),
    ("open-handed rock", "/8 L@hh+K L@hh L@hh+R> L@hh L@hh+K L@hh+K L@hh+R> L@hh", 90),
    ("two-handed sixteenths", "/16 R@hh+K L@hh R@hh L@hh R> L@hh R@hh L@hh", 90),
    ("swing", "/8t R@rd+K - - R@rd+H - R@rd R@rd - - R@rd+H - R@rd", 140),
    ("shuffle", "/8t R@hh+K - R@hh R@hh+L> - R@hh", 110),
    ("singles round the kit", "/16 R L R L R@t1 L@t1 R@t1 L@t1 R@t2 L@t2 R@t2 L@t2 R@ft L@ft R@ft L@ft", 90),
    ("bossa", "/8 R@hh+K+Lx R@hh R@hh R@hh+Lx+K R@hh+K R@hh R@hh+Lx R@hh+K", 110),
    ("doubles", "/16 R R L L R R L L", 90),
]


@pytest.mark.parametrize(("name", "text", "tempo"), BASIC, ids=[row[0] for row in BASIC])
def test_a_basic_figure_at_a_comfortable_tempo_raises_two_notes_at_most(name, text, tempo):
    """A finding that is always there is noise."""
    report = analyse(parse(text), FIVE, Player(), tempo, repeat=name != "singles round the kit")
    assert len(report.findings) <= 2 and all(f.severity == "note" for f in report.findings)
    assert report.summary.level in ("easy", "busy")
