"""Answers of every search hold for the state they were found in; offers are shown everywhere until they are left."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from deft_reach.app.offers import search_form
from deft_reach.app.reach.findings_list import CHANGE, GONE, NEW
from deft_reach.app.reach.hands_form import HandsForm
from deft_reach.app.reach.hands_rows import FOUND, ease_words, level_words, limit_words
from deft_reach.core import layout
from tests.app.conftest import enter

FIGURE = "/16 R@hh+K L R@hh L R@hh+L L R@hh K R@t1 L@t1 R@ft L@ft R@ft L@t1 R@t1 L"


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def hands(window):
    window.go("reach")
    station = window.reach_station
    return station, station.hands


def first_other(form):
    """Choose the first row after the plan's own."""
    form.list.setFocus()
    QTest.keyClick(form.list, Qt.Key.Key_Home)
    QTest.keyClick(form.list, Qt.Key.Key_Down)


def adviser(window):
    window.go("voice")
    station = window.voice_station
    station.tabs.setCurrentWidget(station.adviser)
    return station, station.adviser


def variations(window):
    window.go("voice")
    station = window.voice_station
    station.tabs.setCurrentWidget(station.variations)
    return station, station.variations


def song_form(name):
    def show(window):
        window.go("song")
        station = window.song_station
        form = getattr(station, name)
        station.tabs.setCurrentWidget(form)
        return station, form

    return show


FORMS = {
    "hands": hands, "adviser": adviser, "variations": variations, "relief": song_form("relief"),
    "refit": song_form("refit"),
}  # fmt: skip


@pytest.fixture
def figure(window):
    session = window.session
    session.plans.new_plan("Figure", FIGURE, tempo=100, repeat=True)
    return session


def found(form, qtbot):
    press(form.find_button)
    qtbot.waitUntil(lambda: not form.task.busy and form.fresh and has_rows(form), timeout=60_000)


def has_rows(form):
    if isinstance(form, HandsForm):
        return any(row.source == FOUND for row in form.rows)
    return bool(form.rows) if hasattr(form, "slider") else form.table.rowCount() > 0


def buttons(form):
    if isinstance(form, HandsForm):
        # The plan's own hands can always be kept.
        return [form.use, form.part]
    return [getattr(form, name) for name in ("use", "keep") if hasattr(form, name)]


def old(form):
    if isinstance(form, HandsForm):
        # Those of another plan are not shown at all.
        return {row.old for row in form.rows if row.source == FOUND} or {True}
    return {bool(view.property("old")) for view in form.answer_views}


CHANGES = {
    "tempo": (lambda session: session.plans.set_tempo(130), "The tempo has changed since"),
    "kit": (lambda session: session.kits.move_piece("t1", -100, 560), "The kit has changed since"),
    "player": (lambda session: session.kits.change_player("Skill", skill=0.55), "The player has changed since"),
    "strokes": (
        lambda session: session.strokes.set_text("/16 R L R L", "Text", None),
        "The strokes have changed since",
    ),
    "plan": (lambda session: session.show_plan("gangway"), "Another plan is in view"),
}


@pytest.mark.parametrize("form", FORMS)
def test_rows_of_another_state_are_marked_and_offered_no_more(form, window, figure, qtbot):
    station, form = FORMS[form](window)
    found(form, qtbot)
    assert old(form) == {False}
    # What is asked again by itself is looked at below.
    form._rest.setInterval(10_000_000)
    own = figure.plan.id
    for change, (make, words) in CHANGES.items():
        make(figure)
        assert not form.fresh and old(form) == {True}, change
        assert form.words.text().startswith(words)
        assert not any(button.isEnabled() for button in buttons(form)), change
        assert station.candidate_shown is None
        # Back again, they hold.
        if change == "plan":
            figure.show_plan(own)
        else:
            QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert form.fresh and old(form) == {False}, change


@pytest.mark.parametrize("form", FORMS)
def test_the_same_strokes_are_asked_again_by_themselves(form, window, figure, qtbot, monkeypatch):
    # Whatever else the machine does, it is quick.
    monkeypatch.setattr(search_form, "QUICK", 60.0)
    _, form = FORMS[form](window)
    found(form, qtbot)
    figure.plans.set_tempo(130)
    figure.kits.move_piece("t1", -100, 560)
    assert old(form) == {True} and "asked again" in form.words.text()
    qtbot.waitUntil(lambda: form.task.busy, timeout=10_000)
    assert old(form) == {True} and not form.fresh, "what is in view is still of the other state"
    qtbot.waitUntil(lambda: form.fresh and not form.task.busy, timeout=60_000)
    assert old(form) == {False} and has_rows(form) and "changed since" not in form.words.text()
    # Other strokes are another question.
    figure.strokes.set_text("/16 R L R L", "Text", None)
    qtbot.wait(600)
    assert not form.fresh and not form.task.busy


def test_rows_say_what_the_header_says_of_them(window, figure, qtbot):
    """At another tempo and with a piece moved, a row that is used has the verdict that stood in it."""
    _, form = hands(window)
    found(form, qtbot)
    figure.plans.set_tempo(150)
    figure.kits.move_piece("ft", 620, 300)
    qtbot.waitUntil(lambda: form.fresh and not form.task.busy, timeout=60_000)
    rows = [row for row in form.rows if row.source == FOUND]
    assert len(rows) > 3
    for row in rows:
        figure.strokes.set_text(row.text, "Used", None)
        s = figure.report.summary
        assert level_words(row) == ("impossible" if figure.report.impossible else s.level)
        assert ease_words(row).startswith("" if figure.report.impossible else f"ease {s.ease:.0f}")
        assert limit_words(row) == f"breaks at {s.tempo_limit:.0f}"
        figure.undo()


def test_an_offer_is_shown_everywhere_until_it_is_left(window, figure, qtbot):
    station, form = hands(window)
    found(form, qtbot)
    own = figure.report.summary
    first_other(form)
    offer = station.candidate
    assert offer.active and offer.report.summary.tempo_limit != own.tempo_limit
    header = window.header
    wanted = f"{own.tempo_limit:.0f} → {offer.report.summary.tempo_limit:.0f}"
    assert header.limit.value.text() == wanted and "if used" in header.limit.caption.text()
    assert f"ease {own.ease:.0f} → {offer.report.summary.ease:.0f}" in header.ease.caption.text()
    drawings = [station.plan_view, station.threads, station.rule_view]
    assert all(drawing.currentWidget() is drawing.candidate for drawing in drawings)
    assert f"if “{offer.name}” is used" in station.findings_note.text()
    QTest.keyClick(form.list, Qt.Key.Key_Escape)
    assert not offer.active and header.limit.value.text() == f"breaks at {own.tempo_limit:.0f}"
    assert all(drawing.currentWidget() is not drawing.candidate for drawing in drawings)
    # Used, it is no offer any more, wherever it was drawn.
    QTest.keyClick(form.list, Qt.Key.Key_Down)
    wanted = form.chosen.text
    press(form.use)
    assert figure.text == wanted and not offer.active and "→" not in header.limit.value.text()
    assert station.plan_view.currentWidget() is station.plan
    assert f"{figure.report.summary.tempo_limit:.0f}" in header.limit.value.text()


def test_an_offer_leaves_the_header_with_its_station(window, figure, qtbot):
    _, form = hands(window)
    found(form, qtbot)
    first_other(form)
    assert "→" in window.header.limit.value.text()
    window.go("write")
    assert "→" not in window.header.limit.value.text()


def test_the_tempo_rule_of_an_offer_moves_nothing(window, figure, qtbot):
    station, form = hands(window)
    found(form, qtbot)
    first_other(form)
    rule = station.rule_view.candidate
    QTest.keyClick(rule, Qt.Key.Key_Up)
    assert figure.plan.tempo == 100 and station.candidate.active
    assert "is only offered" in station.threads.candidate.words.text()


def test_places_are_of_the_kit_and_the_plans_they_were_found_for(window, qtbot):
    session = window.session
    window.go("song")
    form = window.song_station.layout_form
    window.song_station.tabs.setCurrentWidget(form)
    session.apply(session.document.with_kit(layout("five")), "Kit")
    enter(form.within, "40")
    press(form.find_button)
    qtbot.waitUntil(lambda: not form.task.busy, timeout=90_000)
    assert form.fresh
    session.plans.set_tempo(session.plan.tempo + 7)
    if not form.fresh:
        assert "plans have changed since" in form.words.text()
    session.kits.move_piece("t1", -120, 540)
    assert not form.fresh and form.words.text() == "The kit has changed since: find again."
    assert not form.use.isEnabled()


def test_findings_say_what_an_offer_would_change(window, figure, qtbot):
    figure.plans.set_tempo(140)
    station, form = hands(window)
    found(form, qtbot)
    first_other(form)
    for _ in range(form.list.count() - 2):
        QTest.keyClick(form.list, Qt.Key.Key_Down)
        rows = [station.findings.item(k) for k in range(station.findings.count())]
        after = station.candidate.report
        stay = [row.data(Qt.ItemDataRole.DisplayRole) for row in rows if row.data(CHANGE) != GONE]
        assert len(stay) == len(after.said)
        assert len([row for row in rows if row.data(CHANGE) != NEW]) == len(figure.report.said)
    assert any(row.data(CHANGE) == NEW for row in rows) or any(row.data(CHANGE) == GONE for row in rows)
    QTest.keyClick(form.list, Qt.Key.Key_Escape)
    assert station.findings.count() == len(figure.report.said)
    assert not any(station.findings.item(k).data(CHANGE) for k in range(station.findings.count()))


def test_a_search_that_was_stopped_is_not_asked_again(window, figure, qtbot):
    figure.strokes.set_text("/32 " + "? R@t1 ?@ft ?@rd L@hh ? " * 400, "Text", None)
    _, form = hands(window)
    press(form.find_button)
    press(form.find_button)
    assert "Stopped" in form.words.text()
    figure.plans.set_tempo(90)
    assert form.words.text() == "The tempo has changed since: find again."
    qtbot.wait(500)
    assert not form.task.busy
