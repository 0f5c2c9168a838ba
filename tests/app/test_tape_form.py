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


def test_led_through_the_whole_kit_by_the_large_number_alone(form, qtbot):
    """Every reading is taken off the coordinates of a kit that stands elsewhere; the kit then stands there."""
    session = form.session
    session.kits.use_layout("compact")
    true = session.kit
    for piece in [p for p in true if not p.is_pedal and p.kind != "bass"]:
        true = true.with_piece(piece.moved(piece.x, piece.y + 12, piece.z + 8))
    seat = session.player.seat_height_mm
    QTest.mouseClick(form.lead, Qt.MouseButton.LeftButton)
    guide, tape = form.guide, form.guide.tape
    assert guide.isVisible() and not form.by_hand.isVisible() and guide.mm.hasFocus()
    count = 0
    while guide.count.text() and "of" in guide.count.text():
        a, b = guide.asked
        assert tape.asked is not None and "①" in guide.words.text() and guide.mm.text().strip() == ""
        places = {piece.code: (piece.x, piece.y, piece.z) for piece in true} | {"seat": (0, 0, seat)}
        mm = places[a][2] if b == "floor" else math.dist(places[a], places[b])
        QTest.keyClicks(guide.mm, f"{mm:.0f}")
        QTest.keyClick(guide.mm, Qt.Key.Key_Return)
        count += 1
        assert len(session.kit.readings) == count
    assert count == 18, "the seat, two for the snare, three for each of the other five"
    qtbot.waitUntil(lambda: form.apply.isEnabled(), timeout=10_000)
    QTest.mouseClick(form.apply, Qt.MouseButton.LeftButton)
    assert session.kit.piece("hh").z == pytest.approx(true.piece("hh").z, abs=1)
    for a, b in (("hh", "sn"), ("ft", "sn"), ("c1", "sn")):
        assert apart(session.kit, a, b) == pytest.approx(apart(true, a, b), abs=3)


def test_a_reading_is_skipped_asked_again_and_the_player_takes_over(form):
    QTest.mouseClick(form.lead, Qt.MouseButton.LeftButton)
    guide = form.guide
    first = guide.asked
    QTest.mouseClick(guide.skip, Qt.MouseButton.LeftButton)
    second = guide.asked
    assert second != first
    QTest.mouseClick(guide.back, Qt.MouseButton.LeftButton)
    assert guide.asked == first
    QTest.keyClicks(guide.mm, "520")
    QTest.mouseClick(guide.enter, Qt.MouseButton.LeftButton)
    assert guide.asked == second and len(form.session.kit.readings) == 1
    QTest.mouseClick(guide.back, Qt.MouseButton.LeftButton)
    assert guide.asked == first and not form.session.kit.readings
    QTest.keyClick(guide.mm, Qt.Key.Key_Return)
    assert not form.session.kit.readings, "nothing typed is no reading"
    QTest.mouseClick(guide.leave, Qt.MouseButton.LeftButton)
    assert form.by_hand.isVisible() and guide.tape.asked is None


def test_what_nothing_checks_is_said_to_be_unchecked(form, qtbot):
    for a, b, mm in (("sn", "floor", 650), ("sn", "seat", 440), ("hh", "floor", 880), ("hh", "seat", 600)):
        enter(form, a, b, mm)
    enter(form, "hh", "sn", 380)
    qtbot.waitUntil(lambda: form.solution is not None and "None can be checked" in form.words.text(), timeout=8000)
    assert {form.table.item(k, 2).text() for k in range(5)} == {"not checked"}
    assert "0.0 mm off" not in form.words.text()


def test_a_corrected_reading_stays_in_its_row(form):
    for mm in (300, 400):
        enter(form, "sn", "hh", mm)
        enter(form, "t1", "sn", 420)
    assert [(r.a, r.b, r.mm) for r in form.session.kit.readings] == [("sn", "hh", 400), ("t1", "sn", 420)]
