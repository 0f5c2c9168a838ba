"""The first minute: kit, height and hand chosen on one page, and the first verdict a few keys later."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_reach.app.dialogs.first_steps_dialog import KITS, FirstStepsDialog
from deft_reach.core.model.layouts import LAYOUTS
from tests.app.conftest import pick


@pytest.fixture
def dialog(window, qapp):
    window.session.mark_saved()
    window.show_start()
    qapp.processEvents()
    QTest.mouseClick(window.start_page.set_up, Qt.MouseButton.LeftButton)
    found = window.findChild(FirstStepsDialog)
    assert found.isVisible()
    return found


def press(dialog, way):
    QTest.mouseClick(dialog.buttons[way], Qt.MouseButton.LeftButton)


def test_every_shipped_layout_is_offered_in_words(dialog):
    assert set(KITS) == set(LAYOUTS) == {dialog.kit.itemData(k) for k in range(dialog.kit.count())}


def test_height_decides_what_is_in_reach(dialog):
    pick(dialog.kit, "seven drums")
    dialog.height_box.setValue(1400)
    assert "has to stretch for" in dialog.verdict.text()
    small = dialog.verdict.text().count("% of the arm")
    dialog.height_box.setValue(2000)
    assert dialog.verdict.text().count("% of the arm") < small


def test_a_left_handed_player_has_the_kit_mirrored(dialog, window):
    pick(dialog.kit, "four drums")
    pick(dialog.hand, "left")
    press(dialog, "write")
    kit, player = window.session.kit, window.session.player
    assert player.handedness == "left" and kit.piece("hh").x > 0 > kit.piece("ft").x
    assert window.station == "write" and window.session.text == ""
    QTest.keyClicks(window.write_station.editor, "R L R L |")
    assert window.header.ease.value.text() == "easy", "the first verdict"


def test_tapping_and_opening_begin_there(dialog, window, qapp, monkeypatch):
    press(dialog, "tap")
    station = window.write_station
    assert station.tabs.currentWidget() is station.tap and window.session.text == ""
    window.session.mark_saved()
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: asked.append(a) or ("", ""))
    window.first_steps()
    again = next(d for d in window.findChildren(FirstStepsDialog) if d.isVisible())
    press(again, "open")
    assert len(asked) == 1
