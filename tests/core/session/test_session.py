"""The session: edits, undo of everything, selection, and commitments."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core.document import changes_since, new_document
from deft_reach.core.session import Session
from deft_reach.core.session.history import MERGE_WITHIN


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def session(clock):
    return Session(new_document(), clock)


def test_typing_is_one_step_until_one_pauses(session, clock):
    start = session.text
    for text in ("R", "R L", "R L R"):
        session.strokes.set_text(text)
        clock.now += 0.3
    clock.now += MERGE_WITHIN
    session.strokes.set_text("R L R L")
    session.undo()
    assert session.text == "R L R" and session.redo_label == "Typing"
    session.undo()
    assert session.text == start and session.undo_label is None
    session.redo()
    session.redo()
    assert session.text == "R L R L"


EDITS = {
    "text": lambda s: s.strokes.set_text("R R L L", merge=None),
    "broken": lambda s: s.strokes.set_text("R Q", merge=None),
    "tempo": lambda s: s.plans.set_tempo(s.plan.tempo + 7, None),
    "limb": lambda s: s.strokes.set_limb(0, "L"),
    "mark": lambda s: s.strokes.toggle_mark(0, ">"),
    "move": lambda s: s.kits.move_piece("ft", 300, 300),
    "mirror": lambda s: s.kits.mirror_kit(),
    "layout": lambda s: s.kits.use_layout("large"),
    "new": lambda s: s.plans.new_plan("Another", "R L"),
    "copy": lambda s: s.plans.duplicate_plan(),
    "loop": lambda s: s.plans.change_plan("Loop", repeat=not s.plan.repeat),
    "delete": lambda s: s.plans.delete_plan() if len(s.document.plans) > 1 else None,
    "commit": lambda s: s.plans.commit("because", "2026-01-01T00:00:00+00:00", "x") if s.error is None else None,
}


@given(st.lists(st.sampled_from(sorted(EDITS)), min_size=1, max_size=12))
@settings(max_examples=60, deadline=None)
def test_every_edit_can_be_undone_and_redone(names):
    session = Session(new_document())
    states = [(session.document, session.plan)]
    for name in names:
        EDITS[name](session)
        session.end_merge()
        if (session.document, session.plan) != states[-1]:
            states.append((session.document, session.plan))
    for document, plan in reversed(states[:-1]):
        session.undo()
        assert (session.document, session.plan) == (document, plan)
    assert session.undo_label is None
    for document, plan in states[1:]:
        session.redo()
        assert (session.document, session.plan) == (document, plan)


def test_a_new_edit_after_undo_forgets_what_was_undone(session):
    session.plans.set_tempo(120, None)
    session.undo()
    session.plans.set_tempo(80, None)
    assert session.redo_label is None and session.plan.tempo == 80


def test_broken_text_keeps_the_last_verdict_and_says_where(session):
    before = session.report
    session.strokes.set_text("R L Q")
    assert session.error is not None and session.error.column == 5
    assert session.report is before and session.pattern() is None
    session.strokes.set_limb(0, "L")
    assert session.text == "R L Q", "strokes cannot be changed while they cannot be read"
    session.strokes.set_text("R L")
    assert session.error is None and len(session.report.strokes) == 2


def test_strokes_are_changed_in_their_text_and_nowhere_else(session):
    session.strokes.set_text("R@t1>  L.  # keep\nK |", merge=None)
    session.strokes.set_limb(0, "L")
    assert session.text == "L@t1>  L.  # keep\nK |"
    session.strokes.set_limb(0, "K")
    assert session.text == "K>  L.  # keep\nK |", "a drum's name means nothing to a foot"
    session.strokes.toggle_mark(1, ">")
    assert session.text == "K>  L>  # keep\nK |", "an accent takes the ghost's place"
    session.strokes.toggle_mark(1, ">")
    session.strokes.toggle_grace(1, "f")
    assert session.text == "K>  fL  # keep\nK |"
    session.strokes.toggle_grace(0, "f")
    assert session.text == "K>  fL  # keep\nK |", "no grace before a foot"
    session.strokes.other_hand(1)
    assert session.text == "K>  fR  # keep\nK |"
    session.strokes.set_voice(1, "ft")
    assert session.text == "K>  fR@ft  # keep\nK |"


def test_selection_stays_inside_the_pattern(session):
    session.strokes.set_text("R L R L", merge=None)
    session.select_stroke(99)
    assert session.stroke == 3
    session.step_stroke(-1)
    assert session.stroke == 2
    session.strokes.set_text("R L", merge=None)
    assert session.stroke == 1
    session.strokes.set_text("- -", merge=None)
    assert session.stroke is None


def test_findings_go_round(session):
    session.strokes.set_text("R R@ft R R@t1 L@rd R@hh", merge=None)
    findings = session.report.findings
    assert len(findings) > 2
    session.step_finding(1)
    assert session.finding == findings[0] and session.stroke == findings[0].strokes[0]
    session.step_finding(-1)
    assert session.finding == findings[-1]
    session.select_stroke(0)
    assert session.finding is None


def test_saved_is_a_matter_of_the_document_not_of_the_count_of_edits(session):
    assert session.is_saved
    session.plans.set_tempo(111, None)
    assert not session.is_saved
    session.undo()
    assert session.is_saved
    session.redo()
    session.mark_saved()
    assert session.is_saved


def test_views_are_told(session):
    heard = []
    session.changed.connect(lambda: heard.append("changed"))
    session.verdict.connect(lambda: heard.append("verdict"))
    session.selected.connect(lambda: heard.append("selected"))
    session.plans.set_tempo(100, None)
    assert {"changed", "verdict"} <= set(heard)
    heard.clear()
    session.select_piece("ft")
    assert heard == ["selected"]


def test_a_commitment_freezes_and_later_shows_what_changed(session):
    session.strokes.set_text("R R@t1 L L@ft |".replace("|", ""), merge=None)
    session.plans.commit("clean in rehearsal", "2026-11-20T20:00:00+00:00", "0.1.0")
    frozen = session.plans.commitment
    assert frozen.tempo == 90 and frozen.tempo_limit == session.report.summary.tempo_limit
    assert frozen.cost == session.report.summary.cost and frozen.reason == "clean in rehearsal"
    assert session.plans.changes() == []
    session.plans.set_tempo(120, None)
    session.strokes.set_limb(1, "L")
    session.kits.move_piece("ft", 460, 490)
    lines = [str(line) for line in session.plans.changes()]
    assert "1 limb changed" in lines and "home tempo 90 → 120 BPM" in lines and "floor tom moved 20 mm" in lines
    assert any(line.startswith("breaks at") for line in lines)
    session.strokes.set_text("R L Q", merge=None)
    assert any("cannot be read" in str(line) for line in session.plans.changes())
    with pytest.raises(ValueError, match="readable"):
        session.plans.commit("", "2026-11-20T20:00:00+00:00", "0.1.0")
    assert session.plans.commitment is frozen or session.plans.commitment == frozen


def test_what_was_warned_of_is_recorded_as_accepted(session):
    session.strokes.set_text("R R@ft R R@t1", merge=None)
    session.plans.set_tempo(140, None)
    session.plans.commit("for the show", "2026-11-20T20:00:00+00:00", "0.1.0")
    warned = [f.message for f in session.report.findings if f.severity != "note"]
    assert list(session.plans.commitment.accepted) == warned and warned


def test_changes_name_another_kit(session):
    session.plans.commit("", "2026-11-20T20:00:00+00:00", "0.1.0")
    session.kits.use_layout("large")
    lines = [str(x) for x in changes_since(session.plans.commitment, session.document, session.plan, session.report)]
    assert "kit 'five' → 'large'" in lines


def test_a_tempo_written_in_the_text_becomes_the_home_tempo(session):
    session.strokes.set_text("tempo 132 R L", merge=None)
    assert session.plan.tempo == 132
    session.plans.set_tempo(100, None)
    session.strokes.set_text("tempo 132 R L R", merge=None)
    assert session.plan.tempo == 100, "what was written before does not come back"
    session.undo()
    session.undo()
    session.undo()
    assert session.plan.tempo == 90


def test_a_view_that_is_gone_no_longer_listens(session):
    class View:
        heard = 0

        def hear(self):
            View.heard += 1

    view = View()
    session.changed.connect(view.hear)
    session.plans.set_tempo(101, None)
    del view
    session.plans.set_tempo(102, None)
    assert View.heard == 1
    session.changed.connect(lambda: pytest.fail("disconnected"))
    session.changed.disconnect()
    session.plans.set_tempo(103, None)


def test_a_view_that_fails_is_reported_and_keeps_nobody_from_hearing(session, monkeypatch):
    reported, heard = [], []
    monkeypatch.setattr("sys.excepthook", lambda kind, error, trace: reported.append(str(error)))

    def fail():
        raise RuntimeError("gone")

    session.changed.connect(fail)
    session.changed.connect(lambda: heard.append("changed"))
    session.verdict.connect(lambda: heard.append("verdict"))
    session.plans.set_tempo(101, None)
    assert reported == ["gone"] and heard == ["changed", "verdict"]


def test_keys_in_a_long_plan_show_at_once_and_are_analysed_when_they_rest():
    session = Session()
    session.strokes.set_text("R L R L " * 60, "Text", None)
    waiting = []
    session.later = waiting.append
    heard = []
    session.typed.connect(lambda: heard.append("typed"))
    session.verdict.connect(lambda: heard.append("verdict"))
    before = session.report
    session.strokes.set_text("K " + session.text, "Typing strokes", "lane", typing=True)
    assert heard == ["typed"] and session.behind and session.report is before
    assert session.pattern().strokes[0].limb == "K" and session.outdated
    waiting[-1]()
    assert heard == ["typed", "verdict"] and not session.behind and session.report.pattern is session.pattern()
    session.strokes.set_text("L " + session.text, "Typing strokes", "lane", typing=True)
    session.plans.commit("ready", "2026-11-25T10:00:00+00:00", "1")
    assert session.plans.commitment.text == session.text, (
        "what is committed is what is written, not what was analysed last"
    )
    session.strokes.set_text("R " + session.text, "Typing strokes", "lane", typing=True)
    session.undo()
    assert not session.behind and session.report.pattern.text == session.text
    waiting[-1]()
    assert session.report.pattern.text == session.text


def test_a_short_plan_is_analysed_with_every_key():
    session = Session()
    session.later = lambda _: pytest.fail("nothing has to wait")
    session.strokes.set_text("R L", "Typing strokes", "lane", typing=True)
    assert session.report.pattern.text == "R L"
