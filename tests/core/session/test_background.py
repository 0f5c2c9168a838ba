"""Very long texts are worked on in the background; in the end everything is as if it had been done at once."""

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core.document import new_document
from deft_reach.core.session import Session, history
from deft_reach.core.session.lane import Lane

STROKES = 2200


class Background:
    """Keeps the newest job until it is told to do it, as a background thread would."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.job = None
        session.background = lambda work, done: setattr(self, "job", (work, done))

    def work(self) -> None:
        if self.job is not None:
            (work, done), self.job = self.job, None
            done(work())


@pytest.fixture
def session():
    return Session(new_document())


@pytest.fixture
def long(request):
    """A text that no other test has had read: what was read lately is not read again."""
    chance = random.Random(request.node.name)
    return " ".join(chance.choice(["R@hh", "L@sn", "R@t1", "L@ft"]) for _ in range(STROKES)) + " "


def test_a_very_long_text_is_read_in_the_background(session, long):
    background, heard = Background(session), []
    session.strokes.set_text("R L K", "Text", None)
    assert background.job is None, "a short one is read at once"
    before = session.report
    for name in ("typed", "changed", "verdict"):
        getattr(session, name).connect(lambda name=name: heard.append(name))
    session.strokes.set_text("tempo 132 " + long, "Paste", None)
    assert heard == ["typed", "changed"] and session.behind and session.reading
    assert session.plan.tempo == 132, "a tempo is known without reading the rest"
    assert session.pattern() is None and session.shown_pattern is before.pattern and session.outdated
    background.work()
    assert heard[2:] == ["changed", "verdict"] and not session.behind and not session.reading
    assert len(session.report.strokes) == STROKES and session.pattern() is session.report.pattern
    session.undo()
    assert session.text == "R L K" and not session.behind and session.report.pattern.text == "R L K"


def test_a_small_edit_of_a_very_long_text_is_shown_before_it_is_analysed(session, long):
    session.strokes.set_text(long, "Text", None)
    background = Background(session)
    before = session.report
    session.strokes.set_text("K " + long, "Typing", None)
    assert session.behind and not session.reading
    assert session.pattern().strokes[0].limb == "K" and session.report is before
    background.work()
    assert not session.behind and session.report.strokes[0].limb == "K"
    session.plans.set_tempo(90)
    assert session.report.tempo == 90, "strokes that are known are analysed at once"


def test_what_was_overtaken_is_discarded(session, long):
    background = Background(session)
    session.strokes.set_text(long, "One", None)
    first = background.job
    session.strokes.set_text(long + "K", "Two", None)
    first[1](first[0]())
    assert session.behind and session.report.pattern.text != long
    background.work()
    assert session.report.pattern.text == long + "K"


def test_what_cannot_wait_is_worked_out_at_once(session, long):
    background = Background(session)
    session.strokes.set_text(long, "Text", None)
    late = background.job
    session.plans.commit("ready", "2026-11-29T10:00:00+00:00", "1")
    assert session.plans.commitment.text == long and not session.behind
    late[1](late[0]())
    assert session.report.pattern.text == long


def test_keys_wait_until_they_rest_and_then_for_the_background(session, long):
    session.strokes.set_text(long, "Text", None)
    background, waiting = Background(session), []
    session.later = waiting.append
    session.strokes.set_text("K " + long, "Typing strokes", "lane", typing=True)
    assert session.behind and background.job is None and waiting
    session.keys_rest()
    assert session.behind and background.job is not None
    background.work()
    assert not session.behind and session.report.strokes[0].limb == "K"


def test_nothing_is_written_in_the_lane_while_its_text_is_read(session, long):
    background = Background(session)
    session.strokes.set_text(long, "Text", None)
    lane = Lane(session)
    lane.type("K")
    assert session.text == long and "being read" in lane.problem
    background.work()
    lane.type("K")
    assert session.text != long and lane.problem == ""


def test_another_plan_does_not_show_the_strokes_of_the_last_one(session, long):
    session.strokes.set_text("R L K", "Text", None)
    background = Background(session)
    session.plans.new_plan("Long", long)
    assert (session.report, session.shown_pattern) == (None, None)
    background.work()
    assert len(session.report.strokes) == STROKES
    assert session.plans.changes() == []


def test_a_very_long_plan_comes_into_view_in_the_background(session, long):
    session.strokes.set_text("R L K", "Text", None)
    short = session.plan.id
    session.plans.new_plan("Long", long, show=False)
    other = session.document.plans[-1].id
    background = Background(session)
    session.show_plan(other)
    assert session.plan.id == other and session.reading and (session.report, session.stroke) == (None, None)
    session.show_plan(short)
    assert session.report.pattern.text == "R L K" and session.stroke == 0
    background.work()
    assert session.report.pattern.text == "R L K", "what was looked for is not in view any more"
    session.show_plan(other)
    background.work()
    assert len(session.report.strokes) == STROKES and session.stroke is not None
    document = session.document
    session.start(document, plan=other)
    assert session.behind and (session.report, session.is_saved) == (None, True)
    background.work()
    assert len(session.report.strokes) == STROKES and session.stroke is not None


def test_a_new_plan_that_cannot_be_read_does_not_show_the_last_one(session):
    session.strokes.set_text("R L K", "Text", None)
    session.plans.new_plan("Broken", "R Q")
    assert session.error is not None and session.report is None and session.pattern() is None


TEXTS = ["R L", "R L Q", "R L | R |", "tempo 90 R L", "K R L " * 9, "R" * 40]
STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("text"), st.sampled_from(TEXTS)),
        st.tuples(st.sampled_from(["undo", "redo", "work", "new", "tempo", "rest"]), st.just("")),
    ),
    max_size=14,
)


def _numbered(document):
    """A document whose plans have their numbers for ids: new ones differ every time."""
    return replace(document, plans=tuple(replace(plan, id=str(k)) for k, plan in enumerate(document.plans)))


@settings(max_examples=100, deadline=None)
@given(STEPS)
def test_the_background_changes_nothing_in_the_end(steps):
    first = new_document()
    plain, late = Session(first, lambda: 0.0), Session(first, lambda: 0.0)
    background = Background(late)
    kept = history.LONG_TEXT
    history.LONG_TEXT = 12
    try:
        for what, text in steps:
            if what == "work":
                background.work()
                continue
            for session in (plain, late):
                if what == "text":
                    session.strokes.set_text(text, "Text", None)
                elif what == "new":
                    session.plans.new_plan("New", "R L K R L K R L K")
                elif what == "tempo":
                    session.plans.set_tempo(session.plan.tempo + 1, None)
                elif what == "rest":
                    session.keys_rest()
                else:
                    getattr(session, what)()
        background.work()
    finally:
        history.LONG_TEXT = kept
    assert _numbered(late.document) == _numbered(plain.document) and not late.behind
    assert [p.id for p in late.document.plans].index(late.plan.id) == [p.id for p in plain.document.plans].index(
        plain.plan.id
    )
    assert str(late.error) == str(plain.error)
    shown, wanted = late.pattern(), plain.pattern()
    assert (shown and shown.text) == (wanted and wanted.text)
    if wanted is not None:
        assert late.report.summary == plain.report.summary and late.report.pattern.text == plain.report.pattern.text
