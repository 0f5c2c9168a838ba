"""Copying for other programs: text, MIDI, and the drawing that has the keyboard as a picture."""

import io

import mido
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from deft_reach.app.paper import copying


def test_the_drawing_in_use_is_copied_as_a_picture(window, qapp):
    window.go("reach")
    window.reach_station.weave.setFocus()
    QTest.keyClick(window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    picture = QApplication.clipboard().image()
    assert picture.width() == window.reach_station.weave.width() and picture.height() > 100
    assert "weave" in window.notice.text.text()


def test_text_and_midi_are_copied(window):
    copying.copy_text(window.session, window.notice)
    assert QApplication.clipboard().text() == window.session.text
    copying.copy_midi(window.session, window.notice)
    data = bytes(QApplication.clipboard().mimeData().data("audio/midi").data())
    notes = [m for track in mido.MidiFile(file=io.BytesIO(data)).tracks for m in track if m.type == "note_on"]
    assert len(notes) >= len(window.session.pattern().strokes)


def test_an_empty_plan_has_nothing_to_copy(window):
    window.session.plans.new_plan("Empty", "")
    copying.copy_text(window.session, window.notice)
    assert "nothing to copy" in window.notice.text.text()
    copying.copy_midi(window.session, window.notice)
    assert "nothing to copy" in window.notice.text.text()
