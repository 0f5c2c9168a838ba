"""What hands reach for: one key finds everything, Space plays, the wheel changes nothing unasked."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QMenu, QTableWidget
from shiboken6 import isValid

from deft_reach.app.shell.command_search import CommandSearch, rank
from deft_reach.app.shell.shortcuts import ShortcutSheet
from tests.app.conftest import in_dialog

CTRL = Qt.KeyboardModifier.ControlModifier


def find(window, words):
    window.activateWindow()
    QTest.qWaitForWindowActive(window)
    QTest.keyClick(window, Qt.Key.Key_K, CTRL)
    dialog = next(d for d in window.findChildren(CommandSearch) if d.isVisible())
    QTest.keyClicks(dialog.typed, words)
    return dialog


@pytest.mark.parametrize(
    ("words", "typed", "fits"),
    [
        ("Commitments", "commit", 0), ("Go to the commitments", "commit", 1), ("Uncommitted", "commit", 2),
        ("Export kit", "kit exp", 1), ("Export kit", "plan", None), ("Anything", "", 0),
    ],
)  # fmt: skip
def test_what_begins_so_comes_first(words, typed, fits):
    assert rank(words, typed) == fits


def test_an_action_is_found_with_its_keys_and_done(window, qapp):
    dialog = find(window, "print floor")
    assert "Print floor plan" in dialog.list.item(0).text() and "Ctrl+Shift+P" in dialog.list.item(0).text()
    dialog.typed.clear()
    QTest.keyClicks(dialog.typed, "larger te")
    before = window.header.plans.font().pointSizeF()
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    assert not dialog.isVisible()
    qapp.processEvents()
    assert window.header.plans.font().pointSizeF() >= before
    window.scale_text(-0.1)


def test_plans_pieces_and_findings_are_found(window, qapp):
    session = window.session
    dialog = find(window, "harbour")
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    qapp.processEvents()
    assert session.plan.name == "Harbour mouth"
    session.show_plan("storm")
    dialog = find(window, "floor tom (")
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    qapp.processEvents()
    assert window.station == "kit" and session.piece == "ft"
    dialog = find(window, "arms stay crossed")
    assert dialog.list.count() >= 1 and "finding" in dialog.list.item(0).text()
    QTest.keyClick(dialog.typed, Qt.Key.Key_Down)
    QTest.keyClick(dialog.typed, Qt.Key.Key_Up)
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    qapp.processEvents()
    assert window.station == "reach" and session.finding.kind == "crossed-hold"
    dialog = find(window, "xyzzy")
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    assert dialog.isVisible() and dialog.list.count() == 0, "nothing is done"
    QTest.keyClick(dialog, Qt.Key.Key_Escape)


def test_every_menu_entry_is_found(window, qapp, qtbot):
    dialog = find(window, "")
    titles = [row.words for row in dialog._all]
    assert {"New plan", "Table of strokes", "Keys", "Dark"} <= set(titles)
    assert any("paradiddle" in title.lower() for title in titles), "rudiments too"
    seen = []
    in_dialog(ShortcutSheet, lambda sheet: (seen.append(sheet), sheet.reject()))
    QTest.keyClicks(dialog.typed, "keys")
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(seen), timeout=5000)
    # The dialog that waits for an answer outlives the one it was found in.
    qtbot.waitUntil(lambda: not isValid(dialog), timeout=5000)


@pytest.mark.parametrize("station", ["kit", "reach", "voice", "song", "log"])
def test_space_plays_in_every_station(window, qapp, monkeypatch, station):
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.session.show_plan("gangway")
    window.go(station)
    window.setFocus()
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert window.transport.playing
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert not window.transport.playing


def test_space_in_a_text_is_a_space(window, qapp):
    window.go("write")
    editor = window.write_station.editor
    editor.setFocus()
    before = editor.toPlainText()
    QTest.keyClick(editor, Qt.Key.Key_Space)
    assert not window.transport.playing and len(editor.toPlainText()) == len(before) + 1


def roll(widget):
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(0, 0), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_changes_no_number_that_has_no_focus(window, qapp):
    window.go("kit")
    window.session.select_piece("ft")
    window.kit_station.plan.setFocus()
    fields = [b for b in window.kit_station.findChildren(QAbstractSpinBox) if b.isVisible() and b.isEnabled()]
    field = fields[-1]
    before = field.value()
    roll(field)
    assert field.value() == before and not field.hasFocus()
    field.setFocus()
    roll(field)
    assert field.value() != before, "with the keyboard it is meant"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)


def test_a_notice_lies_over_the_page_and_pushes_nothing(window, qapp):
    window.go("reach")
    qapp.processEvents()
    weave = window.reach_station.weave
    before = weave.mapTo(window, QPoint(0, 0))
    window.notice.say("Something to know.", ("Do it", lambda: None))
    qapp.processEvents()
    assert window.notice.isVisible() and weave.mapTo(window, QPoint(0, 0)) == before
    assert window.notice.width() == window.stack.width()
    window.resize(1000, 720)
    qapp.processEvents()
    assert window.notice.width() == window.stack.width()
    QTest.mouseClick(window.notice.buttons[-1], Qt.MouseButton.LeftButton)
    assert not window.notice.isVisible()


def test_edit_has_cut_copy_paste_and_select_all(window, qapp):
    window.go("write")
    editor = window.write_station.editor
    editor.setFocus()
    edit = next(a.menu() for a in window.menuBar().actions() if a.text() == "&Edit")
    entry = lambda words: next(a for a in edit.actions() if a.text().replace("&", "") == words)  # noqa: E731
    text = editor.toPlainText()
    entry("Select all").trigger()
    assert editor.textCursor().selectedText().replace("\u2029", "\n") == text
    entry("Cut").trigger()
    assert editor.toPlainText() == "" and QApplication.clipboard().text() == text
    entry("Paste").trigger()
    assert editor.toPlainText() == text


def asked_menu(window, widget, at):
    """The menu that a right click opens."""
    before = set(window.findChildren(QMenu))
    place = widget.mapToGlobal(at)
    QApplication.sendEvent(widget, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, place))
    return next((m for m in window.findChildren(QMenu) if m not in before and m.isVisible()), None)


def test_drawings_say_what_can_be_done_with_the_stroke_under_the_pointer(window, qapp):
    window.session.show_plan("storm")
    window.go("reach")
    qapp.processEvents()
    lane = window.reach_station.lane
    x, y = lane.axis.x(window.session.report.pattern.starts[3]), lane.y_at(window.session.report.strokes[3].limb)
    menu = asked_menu(window, lane, QPoint(round(x), round(y)))
    words = [action.text() for action in menu.actions() if action.text()]
    assert window.session.stroke == 3 and {"Give it to the other hand", "Copy the picture"} <= set(words)
    limb = window.session.pattern().strokes[3].limb
    next(a for a in menu.actions() if a.text() == "Give it to the other hand").trigger()
    assert window.session.pattern().strokes[3].limb != limb
    menu.close()
    menu = asked_menu(window, window.reach_station.plan, QPoint(40, 40))
    next(a for a in menu.actions() if a.text() == "Copy the picture").trigger()
    assert not QApplication.clipboard().pixmap().isNull() and "copied" in window.notice.text.text()
    menu.close()


def test_rows_are_copied_for_a_spreadsheet(window, qapp):
    window.session.show_plan("storm")
    window.go("kit")
    qapp.processEvents()
    view = next(
        t for t in window.kit_station.findChildren(QTableWidget) if t.accessibleName().startswith("Pieces of the kit")
    )
    menu = asked_menu(window, view.viewport(), QPoint(30, 30))
    next(a for a in menu.actions() if a.text() == "Copy all rows").trigger()
    lines = QApplication.clipboard().text().splitlines()
    assert len(lines) == view.rowCount() + 1 and lines[0].split("\t")[1] == "piece"
    assert lines[1].split("\t")[1] == view.item(0, 1).text()
    menu.close()
    assert asked_menu(window, window.rail, QPoint(3, 3)) is None, "nothing can be done there"
