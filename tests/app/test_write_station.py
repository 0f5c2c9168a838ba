"""The Write station: typing, with every mistake marked where it is."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication, QTextCharFormat
from PySide6.QtTest import QTest

from deft_reach.app.reach.findings_list import FINDING
from tests.app.conftest import click, type_text


@pytest.fixture
def write(window):
    QTest.keyClick(window, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
    editor = window.write_station.editor
    editor.selectAll()
    type_text(editor, "R L R R")
    return window


def underlined(window) -> list[str]:
    return [
        m.cursor.selectedText()
        for m in window.write_station.editor.extraSelections()
        if m.format.underlineStyle() == QTextCharFormat.UnderlineStyle.WaveUnderline
    ]


def test_typing_is_analysed_at_once(write):
    assert write.session.text == "R L R R"
    assert write.session.report.pattern.sticking == "R L R R"
    assert "4 strokes" in write.write_station.message.text()


def test_a_mistake_is_marked_in_place_while_typing_and_goes_when_mended(write):
    editor = write.write_station.editor
    type_text(editor, " Q")
    assert underlined(write) == ["Q"]
    text = write.write_station.message.text()
    assert "line 1, column 9" in text and "found 'Q'" in text and "expected a stroke" in text
    assert len(write.session.report.strokes) == 4, "the last verdict stays"
    assert not write.header.button.isEnabled()
    QTest.keyClick(editor, Qt.Key.Key_Backspace)
    assert underlined(write) == [] and write.session.error is None


def test_a_bar_that_does_not_add_up_is_marked_at_its_line(write):
    editor = write.write_station.editor
    editor.selectAll()
    type_text(editor, "/8 RLRLRLRL | RLR |")
    assert underlined(write) == ["|"]
    assert "bar 2 too short at 6/16" in write.write_station.message.text()


def test_undo_goes_through_typing_and_everything_else(write):
    session, editor = write.session, write.write_station.editor
    session.end_merge()
    type_text(editor, " K")
    QTest.keyClick(write, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert session.plan.tempo == 105
    editor.setFocus()
    QTest.keyClick(editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.plan.tempo == 104 and session.text == "R L R R K"
    QTest.keyClick(editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.text == "R L R R" == editor.toPlainText()
    QTest.keyClick(editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert editor.toPlainText() == "R L R R K"


def test_the_cursor_selects_the_stroke_it_stands_at(write):
    editor = write.write_station.editor
    editor.setFocus()
    QTest.keyClick(editor, Qt.Key.Key_Home)
    assert write.session.stroke == 0
    for _ in range(3):
        QTest.keyClick(editor, Qt.Key.Key_Right)
    assert write.session.stroke == 1


def test_keys_in_the_lane_change_the_text(write):
    lane, session = write.write_station.lane, write.session
    report = session.report
    click(lane, QPointF(lane.axis.x(report.pattern.starts[2]), lane.y_at("R")))
    assert session.stroke == 2
    QTest.keyClicks(lane, "l")
    assert write.write_station.editor.toPlainText() == "R L L R"


def test_open_hands_are_asked_for(write):
    editor = write.write_station.editor
    editor.selectAll()
    type_text(editor, "R ? L ?")
    assert "2 strokes have no hand yet" in write.write_station.message.text()


def test_name_remark_and_loop(write):
    station, session = write.write_station, write.session
    station.name.setFocus()
    station.name.selectAll()
    type_text(station.name, "Gangplank")
    assert session.plan.name == "Gangplank" and write.header.plans.currentText() == "Gangplank"
    station.note.setFocus()
    station.note.selectAll()
    type_text(station.note, "softer")
    assert session.plan.note == "softer"
    was = session.plan.repeat
    QTest.keyClick(write, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert session.plan.repeat is not was and station.loop.isChecked() is not was


def test_pasting_more_than_a_file_holds_is_refused_with_a_sentence(window, qapp):
    window.go("write")
    editor, before = window.write_station.editor, window.session.text
    editor.setFocus()
    qapp.clipboard().setText("R" * 1_000_001)
    QTest.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert window.session.text == before == editor.toPlainText()
    assert "at most 1,000,000 fit in a file" in window.notice.text.text() and window.notice.isVisible()


def paste(window, text: str) -> None:
    editor = window.write_station.editor
    editor.setFocus()
    editor.selectAll()
    QGuiApplication.clipboard().setText(text)
    QTest.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)


def test_a_very_long_paste_is_read_while_the_window_goes_on(write, qtbot):
    session, editor, message = write.session, write.write_station.editor, write.write_station.message
    limit = write.header.limit.caption
    before = session.text
    text = ("R@hh+K L@sn R@t1 L@ft> " * 4 + "|\n") * 400
    paste(write, text)
    assert session.text == text and session.reading and len(session.report.strokes) == 4
    assert message.text() == f"Reading {len(text):,} characters …" and "being read" in limit.text()
    assert write.isEnabled() and editor.hasFocus()
    qtbot.waitUntil(lambda: not session.behind, timeout=30_000)
    assert len(session.report.strokes) == 400 * 20 and "8000 strokes in 400 bars" in message.text()
    assert "being read" not in limit.text()
    lines = [editor.document().findBlockByNumber(k) for k in range(400)]
    qtbot.waitUntil(lambda: all(line.layout().formats() for line in lines), timeout=30_000)
    QTest.keyClick(editor, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.text == before == editor.toPlainText() and len(session.report.strokes) == 4
    QTest.keyClick(editor, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert editor.toPlainText() == text
    QTest.keyClick(editor, Qt.Key.Key_End, Qt.KeyboardModifier.ControlModifier)
    type_text(editor, "Q")
    qtbot.waitUntil(lambda: not session.behind, timeout=30_000)
    assert session.error is not None and underlined(write) == ["Q"]


def test_a_line_too_long_to_read_stays_plain(write, qtbot):
    editor = write.write_station.editor
    paste(write, "R@t2 L@rd K " * 600 + "\nR L")
    qtbot.waitUntil(lambda: not write.session.behind, timeout=30_000)
    first, second = (editor.document().findBlockByNumber(k) for k in range(2))
    # The highlighter works in slices.
    qtbot.waitUntil(lambda: bool(second.layout().formats()), timeout=30_000)
    assert not first.layout().formats()


def test_findings_out_of_sight_are_listed_when_they_are_shown(write, qapp):
    editor, findings = write.write_station.editor, write.reach_station.findings
    editor.selectAll()
    type_text(editor, "/32 R@ft R@hh R@ft L@hh R@ft L@hh")
    listed = lambda: [findings.item(k).data(FINDING) for k in range(findings.count())]  # noqa: E731
    assert len(write.session.report.findings) > 1 and set(listed()) != set(write.session.report.findings)
    QTest.keyClick(write, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    qapp.processEvents()
    assert findings.isVisible() and set(listed()) == set(write.session.report.findings)


def test_a_mistake_is_said_in_plain_words_and_gone_to(write):
    station = write.write_station
    type_text(station.editor, " Q<b>")
    text = station.message.text()
    assert "<a" not in text and "&lt;" not in text and text.startswith("line 1, column 9: found")
    QTest.keyClick(station.editor, Qt.Key.Key_Home)
    QTest.mouseClick(station.go_there, Qt.MouseButton.LeftButton)
    assert station.editor.textCursor().selectedText()[:1] == "Q" or station.editor.textCursor().position() >= 8
    station.editor.selectAll()
    type_text(station.editor, "R L")
    assert station.go_there.isHidden()


def test_an_empty_plan_has_no_verdict(write):
    write.write_station.editor.selectAll()
    QTest.keyClick(write.write_station.editor, Qt.Key.Key_Delete)
    header = write.header
    assert header.limit.value.text() == "–" == header.ease.value.text()
    assert header.limit.caption.text() == "nothing written yet"
