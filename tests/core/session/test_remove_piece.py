"""A piece goes and the plans stay: its strokes go to another piece, in all plans on the kit, in one step."""

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import layout
from deft_reach.core.document import read_unfinished
from deft_reach.core.document.plans import exchange_piece, strikes_on
from deft_reach.core.model.substitutes import pieces_like
from deft_reach.core.session import Session

FIVE = layout("five")


def made(*texts):
    session = Session()
    session.strokes.set_text(texts[0], "Text", None)
    for k, text in enumerate(texts[1:]):
        session.plans.new_plan(f"Plan {k}", text)
    return session


def test_strokes_go_to_the_other_piece_in_every_plan_and_kept_sticking():
    session = made("R@ft L@ft> R@sn L", "R@hh+L@sn R@hh", "f[ft]R@t1 L")
    session.stickings.keep("kept", "L@ft R@ft")
    before = session.document
    assert [session.document.score(p.pattern).text[:4] for p in session.kits.plans_with("ft")] == ["R@ft", "f[ft"]
    session.kits.remove_piece("ft", "t1")
    texts = [session.document.score(p.pattern).text for p in session.document.plans]
    assert texts == ["R@t1 L@t1> R@sn L", "R@hh+L@sn R@hh", "f[t1]R@t1 L"]
    assert session.stickings.candidates[0].text == "L@t1 R@t1"
    assert session.kit.piece("ft") is None and session.kits.plans_with("ft") == ()
    session.undo()
    assert session.document == before, "one step"


def test_without_another_piece_the_strokes_stay_as_written():
    session = made("R@ft L@ft R@sn L")
    session.kits.remove_piece("ft")
    assert session.text == "R@ft L@ft R@sn L" and session.report.impossible


def test_a_text_shared_with_a_plan_on_another_kit_stays_that_plans():
    session = made("R@ft L R@ft L")
    first = session.document.plans[0]
    session.plans.new_plan("Elsewhere", "R L")
    other = session.plan
    document = session.document
    kit = replace(document.kit(first.kit), id="hall", name="Hall")
    document = replace(document, kits=(*document.kits, kit))
    session.apply(document.with_plan(replace(other, kit="hall", pattern=first.pattern)), "Share")
    session.show_plan(first.id)
    session.kits.remove_piece("ft", "t1")
    new = session.document
    assert new.score(new.plan(first.id).pattern).text == "R@t1 L R@t1 L"
    assert new.score(new.plan(other.id).pattern).text == "R@ft L R@ft L"


def test_zones_stay_zones_where_the_other_piece_has_them_and_the_usual_voice_is_named():
    assert exchange_piece("R@rd:bell L R@rd", FIVE, "rd", "c1") == "R@c1:bell L R@c1"
    assert exchange_piece("R@rd:bell L R@rd", FIVE, "rd", "t1") == "R@t1 L R@t1"
    assert exchange_piece("R L@sn:rim K", FIVE, "sn", "t1").startswith("R@t1 L@t1")
    assert exchange_piece("R@hh H", FIVE, "hh", "rd") == "R@rd H", "a foot stays on its pedal"
    assert exchange_piece("R@ft (", FIVE, "ft", "t1") == "R@ft (", "what cannot be read stays"


def test_the_nearest_piece_of_a_like_kind_is_proposed_first():
    large = layout("large")
    first = pieces_like(large, "t2")[0]
    assert large.piece(first).kind == "tom"
    assert large.piece(pieces_like(large, "hh")[0]).kind in ("ride", "crash")
    assert set(pieces_like(large, "t2")) == set(large.struck) - {"t2"}
    assert pieces_like(large, "nothing") == ()


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.sampled_from(["R", "L", "R@ft", "L@ft>", "R@rd:bell", "L@sn", "f[ft]R@t1", "K", "H"]), min_size=1),
    st.sampled_from(["ft", "t1", "rd"]),
    st.sampled_from(["hh", "c1", "sn"]),
)
def test_nothing_but_the_voices_changes(steps, code, instead):
    text = " ".join(steps)
    before = read_unfinished(text, FIVE)
    after = read_unfinished(exchange_piece(text, FIVE, code, instead), FIVE)
    assert strikes_on(after.text, FIVE, code) == ()
    assert [(s.start, s.limb, s.marks, s.grace) for s in after.strokes] == [
        (s.start, s.limb, s.marks, s.grace) for s in before.strokes
    ]
    moved = [
        s.index for s, t in zip(before.strokes, after.strokes) if (s.voice, s.grace_voice) != (t.voice, t.grace_voice)
    ]
    assert tuple(moved) == strikes_on(text, FIVE, code)
