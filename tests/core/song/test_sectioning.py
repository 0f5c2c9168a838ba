"""A long pattern in sections, played in order, is the pattern again; what repeats is one section."""

from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import parse
from deft_reach.core.song.sectioning import sections_of

GROOVE = "/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L R@hh |"
FILL = "/16 R L R L R@t1 L@t1 R@t1 L@t1 R@ft L@ft R@ft L@ft R@ft L@ft K K |"
BARS = st.sampled_from([GROOVE, FILL, "/4 R L R L |", "/8t R L R L R L R L R L K K |", "/4 - - - R@c1 |"])


def strokes(pattern, by=Fraction(0)):
    return [(s.start + by, s.limb, s.voice, s.marks, s.grace_text) for s in pattern.strokes]


@given(st.lists(BARS, min_size=1, max_size=14), st.sampled_from(["", "swing 62 /8 "]))
@settings(max_examples=60, deadline=None)
def test_the_sections_in_order_are_the_pattern(bars, swing):
    whole = parse(swing + " ".join(bars))
    at, heard = Fraction(0), []
    for stretch in sections_of(whole):
        part = parse(stretch.text)
        for _ in range(stretch.times):
            heard += strokes(part, at)
            at += part.length
    assert at == whole.length and heard == strokes(whole)


def test_what_repeats_is_one_section_as_often():
    found = sections_of(parse(" ".join([GROOVE] * 3 + [FILL] + [GROOVE] * 4)))
    assert [(s.first, s.last, s.times) for s in found] == [(1, 1, 3), (4, 4, 1), (5, 5, 4)]
    assert found[0].text == found[2].text != found[1].text
    pairs = sections_of(parse(" ".join([GROOVE, FILL] * 3)))
    assert [(s.first, s.last, s.times) for s in pairs] == [(1, 2, 3)]


def test_meters_and_a_pickup_stay():
    whole = parse("meter 3/4 /8 R L | /4 R L R | R L R | meter 5/8 /8 R L R L R |")
    found = sections_of(whole)
    assert [s.times for s in found] == [1, 2, 1]
    assert parse(found[0].text).pickup == Fraction(1, 4) and parse(found[2].text).meter == (5, 8)


def test_another_tempo_begins_another_section_and_breathing_does_not():
    whole = parse(" ".join([GROOVE] * 8))
    tempi = [(Fraction(0), 100.0), (Fraction(2), 101.0), (Fraction(3), 102.5), (Fraction(5), 140.0)]
    found = sections_of(whole, tempi)
    assert [(s.first, s.times, s.tempo) for s in found] == [(1, 5, 100.0), (6, 3, 140.0)]
    assert found[0].text == found[1].text
    # Slower bar by bar: each bar its own.
    slower = sections_of(parse(f"{GROOVE} {FILL} {GROOVE}"), [(Fraction(k), 100.0 - 10 * k) for k in range(3)])
    assert [(s.first, s.times, s.tempo) for s in slower] == [(1, 1, 100.0), (2, 1, 90.0), (3, 1, 80.0)]


@given(
    st.lists(BARS, min_size=1, max_size=10),
    st.lists(st.tuples(st.integers(0, 10), st.sampled_from([60.0, 62.0, 100.0, 180.0])), max_size=4),
)
@settings(max_examples=40, deadline=None)
def test_whatever_the_tempo_does_the_sections_are_the_pattern(bars, changes):
    whole = parse(" ".join(bars))
    tempi = sorted((Fraction(start), bpm) for start, bpm in changes)
    at, heard = Fraction(0), []
    for stretch in sections_of(whole, tempi):
        part = parse(stretch.text)
        heard += [s for turn in range(stretch.times) for s in strokes(part, at + turn * part.length)]
        at += stretch.times * part.length
        assert stretch.tempo is None or stretch.tempo in {bpm for _, bpm in tempi}
    assert at == whole.length and heard == strokes(whole)
