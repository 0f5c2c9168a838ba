"""Songs: a chain is the same strokes written out, pickups and landings take what they need, and seams are judged."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.difficulty import LEVELS
from deft_reach.core.analysis.ranking import makes_worse
from deft_reach.core.document import Document, Plan, Score, Section, Song, read_text
from deft_reach.core.song import analyse_song, chain_song
from deft_reach.core.song.chain import written
from deft_reach.core.song.exits import exits
from deft_reach.core.song.pulse import pulse_of, pulse_words

GROOVE = "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh R@hh+L> R@hh |"
FILL = "/16 (R L K K) (R@t1 L@t1 K K) (R@ft L@ft K K) (R@ft K K K) |"
CRASH = "/8 R@c1+K R@hh R@hh+L> R@hh R@hh+K R@hh R@hh+L> R@hh |"


BEATS = st.sampled_from(
    [
        "/16 R L R L",
        "/16 R>+K - L. K",
        "/8t R@ft L K",
        "/16 fR L@hh - H",
        "/8 R@rd+L> L@c1",
        "/5:4/16 R L R L K",
        "/4 -",
    ]
)


@st.composite
def figures(draw):
    """One or two bars in four with perhaps a pickup and perhaps a landing."""
    bars = [" ".join(draw(st.lists(BEATS, min_size=4, max_size=4))) for _ in range(draw(st.integers(1, 2)))]
    pickup = draw(st.sampled_from(["", "", "/16 R@t1 L@t1 | ", "/8 L K R@ft | "]))
    landing = draw(st.sampled_from(["", "", " /8 R@c1>+K", " /4 L@c2 K"]))
    return pickup + " | ".join(bars) + " |" + landing


def show(*sections, kit="five", repeat=False, tempo=None, plans=None):
    """A document with a song of these (text, times[, tempo of its plan[, loop]])."""
    scores, made, rows = [], [], []
    for k, (text, times, *more) in enumerate(sections):
        bpm, loop = [*more, *(100.0, False)[len(more) :]]
        scores.append(Score(f"s{k}", f"S{k}", text))
        made.append(Plan(f"p{k}", f"Part {k}", f"s{k}", "kit", "me", bpm, loop))
        rows.append(Section(f"p{k}", times))
    song = Song("song", "Song", tuple(rows), repeat, tempo)
    return Document(
        players=(replace(Player(), id="me"),), kits=(replace(layout(kit), id="kit"),), patterns=tuple(scores),
        plans=tuple(made), songs=(song,),
    )  # fmt: skip


def song_of(*sections, **more):
    document = show(*sections, **more)
    return analyse_song(document, document.songs[0])


def as_heard(pattern):
    return [(s.start, s.limb, s.voice, frozenset(s.marks), s.grace, s.bar, s.beat) for s in pattern.strokes]


def assert_as_written_out(found, text=None):
    """The chain's analysis is the analysis of its strokes written out."""
    chain = found.chain
    read = read_text(written(chain) if text is None else text, chain.kit)
    alone = analyse(read, chain.kit, chain.player, chain.tempo, repeat=chain.repeat)
    assert sorted(as_heard(read)) == sorted(as_heard(chain.pattern))
    assert found.report.summary.cost == pytest.approx(alone.summary.cost)
    assert found.report.summary.tempo_limit == pytest.approx(alone.summary.tempo_limit)
    assert found.report.summary.lead == alone.summary.lead
    key = lambda rows: sorted((f.kind, f.severity, f.message) for f in rows)  # noqa: E731
    assert key(found.report.findings) == key(alone.findings)


def test_sections_come_one_after_the_other():
    found = song_of((GROOVE, 3), (FILL, 1), (CRASH, 1))
    assert_as_written_out(found, " ".join([GROOVE] * 3 + ["/16", FILL, CRASH]))
    chain = found.chain
    assert [part.section for part in chain.parts] == [0, 0, 0, 1, 2]
    assert [part.start for part in chain.parts] == [0, 1, 2, 3, 4]
    counts = [sum(1 for part, _ in chain.origin if part == k) for k in range(5)]
    assert counts == [len(parse(text).strokes) for text in (GROOVE, GROOVE, GROOVE, FILL, CRASH)]


@given(st.lists(st.tuples(figures(), st.integers(1, 3)), min_size=1, max_size=4), st.booleans())
@settings(max_examples=60)
def test_any_chain_is_its_strokes_written_out(rows, repeat):
    found = song_of(*rows, repeat=repeat)
    if found.chain is None:
        assert all(problem.severity == "stop" for problem in found.problems)
        return
    assert_as_written_out(found)
    for k, (part, own) in enumerate(found.chain.origin):
        stroke, source = found.chain.pattern.strokes[k], found.chain.parts[part].pattern.strokes[own]
        assert (stroke.limb, stroke.voice, stroke.marks) == (source.limb, source.voice, source.marks)


def test_a_pickup_takes_over_the_end_of_the_bar_before_limb_by_limb():
    # On the and of four: only the hands are needed, so the bass drum on four and its and goes on.
    groove = "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh R@hh+L+K R@hh+K |"
    fill = "/16 R> L | R@t1 L@t1 R@t1 L@t1 R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft |"
    found = song_of((groove, 2), (fill, 1))
    last = [(s.limb, s.voice, s.start) for s in found.chain.pattern.strokes if s.bar == 2 and s.beat >= 4]
    assert last == [
        ("R", "hh", Fraction(7, 4)), ("L", "sn", Fraction(7, 4)), ("K", "bd", Fraction(7, 4)),
        ("K", "bd", Fraction(15, 8)), ("R", "sn", Fraction(15, 8)), ("L", "sn", Fraction(31, 16)),
    ]  # fmt: skip
    assert found.chain.pattern.length == 3 and not found.problems
    assert_as_written_out(found)


def test_a_landing_takes_over_the_beginning_of_what_follows():
    fill = "/16 R L R L R L R L R L R L R L R L | /8 R@c1>+K"
    found = song_of((fill, 1), (GROOVE, 2))
    first = [(s.limb, s.voice) for s in found.chain.pattern.strokes if s.start == 1]
    assert sorted(first) == [("K", "bd"), ("R", "c1")], "the crash takes the hat's hand, its foot the groove's"
    assert sum(s.start > 1 for s in found.chain.pattern.strokes) == 2 * len(parse(GROOVE).strokes) - 2
    assert_as_written_out(found)
    ending = song_of((GROOVE, 1), (fill, 1))
    assert ending.chain.pattern.length == 2 + Fraction(1, 8), "at the end of a song it just lands"


def test_round_again_the_first_pickup_lies_over_the_last_bar():
    fill = "/16 R@t1 L@t1 | R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft R@ft L@ft |"
    found = song_of((fill, 1), (GROOVE, 1), repeat=True)
    assert found.chain.pattern.pickup == 0 and found.chain.pattern.length == 2
    late = [(s.limb, s.voice) for s in found.chain.pattern.strokes if s.start >= Fraction(15, 8)]
    assert late == [("R", "t1"), ("L", "t1")]
    once = song_of((fill, 1), (GROOVE, 1))
    assert once.chain.pattern.pickup == Fraction(1, 8) and once.chain.pattern.strokes[0].bar == 0
    assert_as_written_out(found)
    assert_as_written_out(once)


def test_a_figure_of_nothing_but_a_pickup_is_one_unless_it_goes_round():
    short = "/16 R@t1 L@t1 R@ft L@ft |"
    laid_over = song_of((GROOVE, 1), (short, 1), (GROOVE, 1))
    assert laid_over.chain.pattern.length == 2
    round_and_round = song_of((short, 4), (GROOVE, 1))
    assert round_and_round.chain.pattern.length == 2
    assert round_and_round.chain.pattern.bar_rows[0].meter == (1, 4)
    assert_as_written_out(laid_over)


def test_a_section_at_half_the_tempo_takes_twice_as_long():
    groove, slow = "/16 R L R L R L R L R L R L R L R L |", "/8 R@t1 L@ft R@t1 L@ft R@t1 L@ft R@t1 L@ft |"
    found = song_of((groove, 1, 120.0), (slow, 1, 60.0), (groove, 1, 120.0))
    doubled = slow.replace("/8", "meter 8/4 /4")
    text = f"{groove} {doubled} meter 4/4 /16 {groove.removeprefix('/16 ')}"
    whole = analyse(parse(text), found.chain.kit, found.chain.player, 120.0)
    assert found.report.summary.tempo_limit == pytest.approx(whole.summary.tempo_limit)
    assert [s.time for s in found.report.strokes] == pytest.approx([s.time for s in whole.strokes])
    assert [s.pace for s in found.report.strokes] == pytest.approx([s.pace for s in whole.strokes], nan_ok=True)
    slow_part = found.sections[1]
    assert slow_part.tempo == 60 and slow_part.bottleneck == 16, "its first stroke comes from the fast section"
    assert slow_part.tempo_limit == pytest.approx(whole.strokes[16].tempo_limit / 2)
    with pytest.raises(ValueError, match="one tempo"):
        written(found.chain)
    assert_as_written_out(song_of((groove, 1, 120.0), (slow, 1, 60.0), tempo=90.0))


def test_parts_are_held_against_themselves_alone():
    found = song_of((GROOVE, 3, 140.0, True), (FILL, 1, 140.0), (CRASH, 1, 140.0, True), repeat=True)
    crash = found.sections[2]
    assert crash.alone.summary.tempo_limit > 140 > crash.tempo_limit, "its foot comes out of a run of feet"
    assert crash.bottleneck is not None and found.chain.part_at(crash.bottleneck).section == 2
    assert found.tightest.section in (1, 2)
    total = sum(row.cost * found.song.sections[row.section].times for row in found.sections)
    assert total == pytest.approx(found.report.summary.cost)


def test_what_happens_at_a_seam():
    far = "/16 R L R L R L R L R L R L R@ft L R@ft R@ft |"
    left = "/8 L@hh+K L@hh L@hh+R> L@hh L@hh+K L@hh L@hh+R> L@hh |"
    open_hat = GROOVE.replace("R@hh |", "R@hho |")
    found = song_of((FILL, 1, 140.0), (CRASH, 1, 140.0), (far, 1, 240.0), (CRASH, 1, 240.0))
    notes = [{n.kind: n for n in seam.notes} for seam in found.seams]
    assert notes[0]["exit-run"].severity == "stop" and "3 foot strokes" in notes[0]["exit-run"].message
    assert "far-hand" in notes[2] and "floor tom" in notes[2]["far-hand"].message
    flips = song_of((GROOVE, 2), (left, 2))
    assert [n.kind for n in flips.seams[0].notes] == ["lead-flip"]
    assert "begins with the left hand" in flips.seams[0].notes[0].message
    hats = song_of((open_hat, 1), (FILL, 1))
    assert "open-hat" in {n.kind for n in hats.seams[0].notes}
    closed = song_of((open_hat, 1), (GROOVE, 1))
    assert "open-hat" not in {n.kind for n in closed.seams[0].notes}


def test_the_pulse_that_carries_on():
    pulse = pulse_of(parse(GROOVE))
    assert {(b.what, b.beat) for b in pulse} == {
        ("bass drum", 1), ("bass drum", 3), ("backbeat", 2), ("backbeat", 4),
    }  # fmt: skip
    keeps = "/16 R+K L R L L> R L R R+K L R L R@t1 L@t1 R@t1 L@t1 |"
    seam = song_of((GROOVE, 2), (keeps, 1)).seams[0]
    assert {(b.what, b.beat) for b in seam.pulse.kept} == {("bass drum", 1), ("bass drum", 3), ("backbeat", 2)}
    assert [(b.what, b.beat) for b in seam.pulse.dropped] == [("backbeat", 4)]
    assert seam.pulse.share == 0.75
    assert pulse_words(seam.pulse) == "Keeps bass drum on 1 3, backbeat on 2; drops backbeat on 4."
    none = song_of(("/16 R L R L R L R L R L R L R L R L |", 1), (GROOVE, 1)).seams[0]
    assert none.pulse.share is not None or "no steady pulse" in pulse_words(none.pulse)


@pytest.mark.parametrize(
    ("sections", "message"),
    [
        ([(GROOVE, 1), ("", 1)], "has no strokes yet"),
        ([(GROOVE, 1), ("R L nonsense", 1)], "cannot be read"),
        ([(GROOVE, 1), ("? ? R L |", 1)], "without a hand"),
        ([("/16 R L R L R L R L |", 1), ("/4 R L R | R L R L |", 1)], "only 2 beats come before it"),
        ([(GROOVE, 1, 100.0), (GROOVE, 1, 150.0)], "jumps from 100 to 150 BPM (+50 %)"),
    ],
)
def test_what_cannot_be_chained_is_said_and_the_rest_is_played(sections, message):
    found = song_of(*sections)
    assert any(message in str(problem.message) for problem in found.problems), found.problems
    assert found.chain is not None and found.report is not None
    assert {problem.section for problem in found.problems} == {1}


def test_empty_songs_and_lost_plans():
    document = show((GROOVE, 1))
    empty = replace(document.songs[0], sections=())
    assert "empty" in analyse_song(document, empty).problems[0].message
    lost = replace(document.songs[0], sections=(Section("gone"),))
    assert analyse_song(document, lost).report is None
    no_kit = replace(document.songs[0], kit="gone")
    assert "kit" in analyse_song(document, no_kit).problems[0].message


def test_a_plan_for_another_kit_says_what_that_means():
    document = show((GROOVE, 1), ("/16 R@ch L R@sp L |", 1))
    document = document.with_kit(replace(layout("large"), id="big"))
    plans = (document.plans[0], replace(document.plans[1], kit="big"))
    found = analyse_song(replace(document, plans=plans), document.songs[0])
    note = next(p for p in found.problems if p.section == 1)
    assert "planned on large" in note.message and "lacks ch, sp" in note.message
    assert found.report.impossible


def test_offers_for_a_hard_exit_ease_it_and_say_what_is_lost():
    document = show((GROOVE, 2, 140.0, True), (FILL, 1, 140.0), (CRASH, 1, 140.0, True), kit="five-double")
    song = document.songs[0]
    found = analyse_song(document, song)
    seam = found.seams[1]
    offers = exits(document, song, found, seam)
    names = {offer.name for offer in offers}
    assert {"other feet", "a shorter run", "one group less and a flam"} <= names
    levels = []
    for offer in offers:
        again = analyse_song(document.with_text(document.plan(offer.plan), offer.text), song)
        levels.append(LEVELS.index(again.report.summary.level))
        assert makes_worse(found.report, again.report) is None, offer.name
        falls = round(again.report.summary.tempo_limit) < round(found.report.summary.tempo_limit)
        assert falls == ("the limit falls from" in offer.lost)
        assert again.report.summary.cost == pytest.approx(offer.cost)
        assert offer.pace <= offer.pace_before and offer.lost
    assert levels == sorted(levels)
    feet = next(offer for offer in offers if offer.name == "other feet")
    assert len(parse(feet.text).strokes) == len(parse(FILL).strokes) and "J K J" in feet.text
    single = show((GROOVE, 2, 140.0), (FILL, 1, 140.0), (CRASH, 1, 140.0))
    found = analyse_song(single, single.songs[0])
    assert "other feet" not in {o.name for o in exits(single, single.songs[0], found, found.seams[1])}


def test_a_longer_song_is_only_more_of_the_same():
    short, long = song_of((GROOVE, 2), (FILL, 1), repeat=True), song_of((GROOVE, 4), (FILL, 2), repeat=True)
    assert long.chain.pattern.length == 6 and len(long.report.strokes) == 2 * len(short.report.strokes)
    document = show((GROOVE, 1))
    assert chain_song(document, replace(document.songs[0], sections=(Section("p0", 900),))).pattern.length == 900


@given(st.lists(st.tuples(figures(), st.integers(1, 2)), min_size=2, max_size=3), st.booleans(), st.integers(80, 260))
@settings(max_examples=15, deadline=None)
def test_every_seam_that_is_hurried_or_cannot_be_done_is_said(rows, repeat, tempo):
    found = song_of(*[(text, times, float(tempo)) for text, times in rows], repeat=repeat)
    if found.report is None:
        return
    chain, length = found.chain, found.chain.pattern.length
    for seam in found.seams:
        worst = 0.0
        for stroke, report in zip(chain.pattern.strokes, found.report.strokes):
            away = stroke.start - seam.start
            if repeat:
                away = (away + length / 2) % length - length / 2
            if -Fraction(1, 4) <= away < Fraction(1, 4) and report.pace is not None:
                worst = max(worst, report.pace)
        if worst > 0.85:
            assert seam.worst == ("stop" if worst > 1 else seam.worst) and seam.worst in ("caution", "stop")
        across = [
            f
            for f in found.report.findings
            if f.severity == "stop" and {seam.before, seam.after} <= {chain.origin[i][0] for i in f.strokes}
        ]
        assert not across or seam.worst == "stop"


def test_a_hurried_seam_has_ways_out():
    """The right hand ends on the floor tom and begins on the left crash a thirty-second later."""
    document = show(
        ("/8 R@hh+K R@hh R@hh+L R@hh R@hh+K R@hh R@hh+L /32 L L R@ft R@ft |", 1), ("/4 R@c1>+K R L R |", 1)
    )
    song = document.songs[0]
    found = analyse_song(document, song)
    seam = found.seams[0]
    assert seam.worst == "stop"
    offers = exits(document, song, found, seam)
    assert offers and offers[0].pace < 0.85 < offers[0].pace_before
    for offer in offers:
        changed = document.with_text(document.plan(offer.plan), offer.text)
        assert analyse_song(changed, song).report.summary.tempo_limit == pytest.approx(offer.tempo_limit)


@pytest.mark.parametrize("fill", ["/8t R L R L R L R L R L R L |", "/16 R L L R L L R L L R L L R L L R |"])
def test_a_fill_that_starts_with_the_right_hand_flips_no_lead_where_a_landing_covers_its_first_stroke(fill):
    found = song_of((GROOVE + " R@c1+K", 2), (fill, 1), (CRASH, 2))
    assert not [n for n in found.seams[0].notes if n.kind == "lead-flip"]
