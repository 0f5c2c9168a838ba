"""The tape in the Kit station: entered, solved in the background, pointed at, and stood up only when asked."""

import math

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from deft_reach.core.model.kit import Reading


@pytest.fixture
def form(window):
    window.go("kit")
    window.kit_station.tabs.setCurrentWidget(window.kit_station.tape_form)
    return window.kit_station.tape_form


def enter(form, a: str, b: str, mm: float) -> None:
    form.a.setCurrentIndex(form.a.findData(a))
    form.b.setCurrentIndex(form.b.findData(b))
    form.mm.setFocus()
    form.mm.selectAll()
    QTest.keyClicks(form.mm, f"{mm:.0f}")
    QTest.mouseClick(form.enter, Qt.MouseButton.LeftButton)


def apart(kit, a: str, b: str) -> float:
    p, q = kit.piece(a), kit.piece(b)
    return math.dist((p.x, p.y, p.z), (q.x, q.y, q.z))


def test_readings_are_solved_and_stood_up_only_when_asked(form, qtbot):
    session = form.session
    before = session.kit
    enter(form, "sn", "floor", 670)
    enter(form, "sn", "seat", 450)
    enter(form, "hh", "sn", 400)
    qtbot.waitUntil(lambda: form.solution is not None, timeout=8000)
    assert [r.mm for r in session.kit.readings] == [670, 450, 400]
    assert session.kit.pieces == before.pieces, "nothing moves until it is asked to"
    assert "Still open: hi-hat" in form.words.text() and "Most helpful next" in form.words.text()
    QTest.mouseClick(form.apply, Qt.MouseButton.LeftButton)
    assert session.kit.piece("sn").z == pytest.approx(670, abs=1)
    assert apart(session.kit, "hh", "sn") == pytest.approx(400, abs=2)
    assert session.undo_label == "Positions from the tape measure"
    session.undo()
    assert session.kit.pieces == before.pieces


def test_the_next_reading_is_filled_in(form, qtbot):
    enter(form, "sn", "floor", 650)
    enter(form, "sn", "seat", 440)
    enter(form, "hh", "sn", 380)
    qtbot.waitUntil(lambda: form.suggest.isEnabled(), timeout=8000)
    QTest.mouseClick(form.suggest, Qt.MouseButton.LeftButton)
    assert (form.a.currentData(), form.b.currentData()) == form.solution.suggestion


def test_readings_that_cannot_be_are_said_and_cannot_be_stood_up(form, qtbot):
    enter(form, "sn", "hh", 300)
    enter(form, "hh", "t1", 250)
    enter(form, "sn", "t1", 900)
    qtbot.waitUntil(lambda: "cannot be" in form.words.text(), timeout=8000)
    assert not form.apply.isEnabled()
    enter(form, "t1", "sn", 420)
    qtbot.waitUntil(lambda: form.apply.isEnabled(), timeout=8000)
    assert len(form.session.kit.readings) == 3, "a second reading of a pair corrects the first"


def test_a_reading_is_picked_corrected_and_removed(form, qtbot):
    form.session.kits.set_readings((Reading("sn", "seat", 440.0), Reading("sn", "floor", 650.0)), "Tape")
    form.table.setFocus()
    form.table.setCurrentCell(0, 0)
    QTest.keyClick(form.table, Qt.Key.Key_Down)
    assert form.mm.value() == 650 and form.b.currentData() == "floor"
    QTest.mouseClick(form.drop, Qt.MouseButton.LeftButton)
    assert [r.b for r in form.session.kit.readings] == ["seat"]


def test_an_empty_entry_says_what_is_missing(form):
    QTest.mouseClick(form.enter, Qt.MouseButton.LeftButton)
    assert "two different points" in form.words.text() and form.session.kit.readings == ()


def test_readings_are_saved_with_the_kit(form):
    from deft_reach.formats.document import dump_document, load_document

    form.session.kits.set_readings((Reading("sn", "seat", 440.0, 3.0),), "Tape")
    document = load_document(dump_document(form.session.document))
    assert document.kit("pit").readings == (Reading("sn", "seat", 440.0, 3.0),)
