"""Cells, changes, groups and the staff in the Write station."""

from fractions import Fraction

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from tests.app.conftest import click


@pytest.fixture
def station(window, qapp):
    window.session.plans.new_plan("Tools", "/16 (R L R R) (L R L L) K K - - |".replace(" |", ""))
    window.go("write")
    qapp.processEvents()
    return window.write_station


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def pick(box, text):
    box.setFocus()
    while box.currentText() != text:
        QTest.keyClick(box, Qt.Key.Key_Down)


def test_a_cell_is_put_in_at_the_cursor(station, window):
    pick(station.cells.filter.field("family"), "hands and foot")
    pick(station.cells.filter.field("steps"), "3 steps")
    pick(station.cells.filter.field("starts"), "right hand")
    names = [cell.name for cell in station.cells.found]
    assert names and all(len(name.split()) == 3 and name[0] == "R" for name in names)
    station.lane.lane.go(station.lane.lane.steps)
    station.cells.table.setCurrentCell(names.index("R L K"), 0)
    press(station.cells.insert)
    assert window.session.text.endswith("- R L K") and window.session.undo_label == "Insert R L K"


def test_a_group_is_exchanged_for_another_of_its_length(station, window):
    lane = station.lane.lane
    lane.go(5)
    pick(station.cells.filter.field("steps"), "as long as the group")
    assert {cell.steps for cell in station.cells.found} == {4}
    names = [cell.name for cell in station.cells.found]
    station.cells.table.setCurrentCell(names.index("R L R K"), 0)
    press(station.cells.swap)
    assert window.session.pattern().sticking == "R L R R R L R K K K"
    assert window.session.error is None


def test_a_bar_is_filled_with_the_selection_and_ends_with_a_cell(station, window):
    window.session.strokes.set_text("/16 R L K", "Text", None)
    lane = station.lane.lane
    assert not station.cells.tail.isEnabled()
    lane.select_all()
    pick(station.cells.filter.field("family"), "hands and foot")
    pick(station.cells.filter.field("steps"), "4 steps")
    names = [cell.name for cell in station.cells.found]
    station.cells.table.setCurrentCell(names.index("R L K K"), 0)
    press(station.cells.tail)
    assert window.session.pattern().sticking == "R L K " * 4 + "R L K K" and window.session.pattern().bars == 1


def test_no_cell_fits(station):
    pick(station.cells.filter.field("family"), "two feet")
    pick(station.cells.filter.field("steps"), "3 steps")
    pick(station.cells.filter.field("ends"), "right hand")
    assert "ask for less" in station.cells.words.text() and not station.cells.insert.isEnabled()


def test_a_change_is_shown_before_it_is_made(station, window):
    station.tabs.setCurrentWidget(station.change)
    form, before = station.change, window.session.text
    row = next(k for k in range(form.list.count()) if form.list.item(k).text() == "Exchange hands")
    click(form.list.viewport(), QPointF(form.list.visualItemRect(form.list.item(row)).center()))
    assert "(L R L L) (R L R R)" in form.preview.text() and "ease" in form.words.text()
    assert window.session.text == before, "looking changes nothing"
    press(form.make)
    assert window.session.text.startswith("/16 (L R L L) (R L R R)") and window.session.undo_label == "Exchange hands"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.text == before


def test_doubling_takes_the_tempo_along_and_what_cannot_be_says_why(station, window):
    station.tabs.setCurrentWidget(station.change)
    form = station.change
    tempo = window.session.plan.tempo
    rows = {form.list.item(k).text(): k for k in range(form.list.count())}
    form.list.setCurrentRow(rows["Double the notes, halve the tempo"])
    assert f"home tempo {tempo / 2:g} BPM" in form.words.text()
    QTest.keyClick(form.list, Qt.Key.Key_Return)
    assert window.session.plan.tempo == tempo / 2 and window.session.text.startswith("/32")
    form.list.setCurrentRow(rows["Without ghosts"])
    assert "no ghost strokes" in form.words.text() and not form.make.isEnabled()


def test_the_feet_of_another_plan_go_under_this_one(station, window):
    station.tabs.setCurrentWidget(station.change)
    form = station.change
    window.session.plans.new_plan("Kicks", "/8 K K - K")
    window.session.plans.step_plan(-1)
    text = window.session.text
    row = next(k for k in range(form.list.count()) if "“Kicks”" in form.list.item(k).text())
    form.list.scrollToItem(form.list.item(row))
    click(form.list.viewport(), QPointF(form.list.visualItemRect(form.list.item(row)).center()))
    assert "+K" in form.preview.text()
    press(form.make)
    kicks = [s.start for s in window.session.pattern().strokes if s.limb == "K"]
    assert kicks[:4] == [0, Fraction(1, 8), Fraction(3, 8), Fraction(1, 2)] and "Kicks" in window.session.undo_label
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.text == text


def test_bass_pedals_are_exchanged_only_where_there_are_two(station, window):
    station.tabs.setCurrentWidget(station.change)
    form = station.change
    rows = {form.list.item(k).text(): k for k in range(form.list.count())}
    form.list.setCurrentRow(rows["Exchange the bass pedals, K and J"])
    assert "J J" in form.preview.text() and form.make.isEnabled()
    second = window.session.kit.of_kind("second-bass-pedal")
    window.session.kits.remove_piece(second.code)
    assert "one bass pedal" in form.words.text() and not form.make.isEnabled()


def test_a_new_plan_begins_with_a_full_bar_that_typing_replaces(station, window):
    window.session.strokes.set_text("meter 7/8 /8 R L R L R L R |", "Text", None)
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    pattern = window.session.pattern()
    assert pattern.bars == 1 and pattern.meter == (7, 8) and not pattern.pickup and not pattern.strokes
    station.editor.setFocus()
    QTest.keyClicks(station.editor, "R L K")
    assert window.session.text == "R L K"


def test_groups_by_button_with_a_name(station, window, monkeypatch):
    lane = station.lane.lane
    assert not station.group_button.isVisible()
    lane.go(8)
    lane.go(12, True)
    assert station.group_button.isVisible()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ('the "rope"', True))
    press(station.name_button)
    assert window.session.pattern().groups[-1].name == "the rope"
    lane.go(8)
    lane.go(12, True)
    press(station.fill_button)
    assert window.session.pattern().bars == 1


def test_the_staff_follows_and_a_click_selects(station, window, qtbot):
    staff = station.staff
    qtbot.waitUntil(lambda: staff.ready, timeout=20_000)
    assert len(staff.boxes) == 10
    window.session.select_stroke(0)
    first, other = staff.place(0), staff.place(6)
    assert first.center().x() < other.center().x()
    click(staff, staff.place(6).center())
    assert window.session.stroke == 6
    staff.grab()
    station.lane.lane.go(station.lane.lane.steps)
    station.lane.setFocus()
    QTest.keyClicks(station.lane, "r")
    assert not staff.ready
    qtbot.waitUntil(lambda: staff.ready and len(staff.boxes) == 11, timeout=20_000)
    assert "R L R R" in staff.in_words()


def test_the_staff_follows_what_is_played(station, window, qtbot):
    staff, session = station.staff, window.session
    qtbot.waitUntil(lambda: staff.ready, timeout=20_000)
    assert staff.playing_at() is None
    starts = session.pattern().starts
    session.set_position(float(starts[3]))
    at = staff.playing_at()
    note = staff.place(3).center().x() - 8
    assert at.x1() == pytest.approx(note) and at.y1() < at.y2()
    session.set_position(float(starts[3] + starts[4]) / 2)
    assert note < staff.playing_at().x1() < staff.place(4).center().x() - 8
    before = staff.grab().toImage()
    session.set_position(None)
    assert staff.playing_at() is None and staff.grab().toImage() != before


def test_cells_by_how_many_strokes_each_limb_gets(station):
    station.tabs.setCurrentWidget(station.cells)
    pick(station.cells.filter.field("R"), "2")
    pick(station.cells.filter.field("L"), "1")
    pick(station.cells.filter.field("K"), "2")
    found = [cell.name for cell in station.cells.found]
    assert "R L R K K" in found
    assert all((n.count("R"), n.count("L"), n.count("K")) == (2, 1, 2) for n in found)
