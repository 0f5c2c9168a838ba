"""The stroke lane driven by real keys and clicks."""

from fractions import Fraction

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest

from deft_reach.app.write.lane_editor import fault_words
from deft_reach.core.model.counting import phrase
from deft_reach.core.model.elements import Span
from deft_reach.core.model.pattern import BarFault
from tests.app.conftest import click, drag

KEY, NONE = Qt.Key, Qt.KeyboardModifier.NoModifier
CONTROL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.fixture
def editor(window, qapp):
    window.session.plans.new_plan("By keys", "")
    window.go("write")
    editor = window.write_station.lane
    editor.setFocus()
    qapp.processEvents()
    return editor


def press(editor, key, modifier=NONE, times=1):
    for _ in range(times):
        QTest.keyClick(editor, key, modifier)


def test_a_two_bar_fill_with_graces_tuplets_and_ghosts_by_keys_alone(editor, window):
    QTest.keyClicks(editor, "fr>l.r.lr+k>l.r.l/16trlrlrl/16drl-k|")
    QTest.keyClicks(editor, "/5:4/16 rl.rl.r/8t rlr/16 ur@ft>l@t1.k=r@c1>+k---|")
    session = window.session
    assert session.error is None, str(session.error)
    pattern = session.pattern()
    assert pattern.bars == 2 and pattern.faults == ()
    assert session.text == (
        "fR> L. R. L R+K> L. R. L /16t R L R L R L /16 dR L - K | "
        "/5:4/16 R L. R L. R /8t R L R /16 uR@ft> L@t1. K = R@c1>+K - - - |"
    )
    assert [s.grace for s in pattern.strokes if s.grace] == ["f", "d", "u"]


def test_arrows_select_and_the_clipboard_carries(editor, window):
    QTest.keyClicks(editor, "rlkrlk")
    press(editor, KEY.Key_Home)
    press(editor, KEY.Key_Right, SHIFT, 3)
    press(editor, KEY.Key_C, CONTROL)
    assert QGuiApplication.clipboard().text() == "/16 R L K"
    assert "fits 5 times in a bar, 1 step left over" in window.write_station.lane_panel.note.text()
    press(editor, KEY.Key_G)
    assert window.session.text == "(R L K) R L K"
    press(editor, KEY.Key_End)
    press(editor, KEY.Key_V, CONTROL)
    assert window.session.pattern().sticking == "R L K R L K R L K"
    press(editor, KEY.Key_Left, SHIFT, 3)
    press(editor, KEY.Key_R, CONTROL)
    assert len(window.session.pattern().strokes) == 12
    press(editor, KEY.Key_Left, ALT)
    assert window.session.undo_label == "Move strokes"
    press(editor, KEY.Key_A, CONTROL)
    press(editor, KEY.Key_X, CONTROL)
    assert window.session.pattern().strokes == ()
    assert phrase([3, 3]) == "3+3"


def test_a_click_puts_the_cursor_and_a_drag_selects(editor, window):
    QTest.keyClicks(editor, "rlrlrlrl")
    x = [editor.axis.x(m.start) for m in window.session.pattern().moments]
    click(editor, QPointF(x[2], editor.y_at("R")))
    assert editor.lane.at == 2 and window.session.stroke == 2
    drag(editor, QPointF(x[1], 50), QPointF(x[5], 50))
    assert editor.lane.selection == (1, 5)
    press(editor, KEY.Key_Delete)
    assert len(window.session.pattern().strokes) == 4


def test_a_bar_that_does_not_add_up_is_marked_and_writing_goes_on(editor, window):
    QTest.keyClicks(editor, "/4rlrl|rlr|")
    assert window.session.error is not None and len(window.session.report.strokes) == 7
    assert fault_words(window.session.pattern().faults[0]) == "1 quarter missing"
    assert fault_words(BarFault(1, Fraction(2, 3), Fraction(3, 4), (3, 4), Span(0, 1))) == "1 eighth triplet missing"
    assert fault_words(BarFault(1, Fraction(9, 8), Fraction(1), (4, 4), Span(0, 1))) == "1 eighth over"
    editor.grab()
    press(editor, KEY.Key_Backspace)
    press(editor, KEY.Key_Insert)
    QTest.keyClicks(editor, "k")
    assert window.session.report.pattern.sticking == "R L R L R L K"


def test_typing_is_one_step_of_undo_and_keys_that_fail_say_why(editor, window):
    QTest.keyClicks(editor, "rlrr")
    press(window.write_station, KEY.Key_Z, CONTROL)
    assert window.session.text == ""
    QTest.keyClicks(editor, "=")
    assert "nothing before it" in window.write_station.lane_panel.note.text()


def test_what_is_half_typed_shows_and_can_be_left(editor, window):
    QTest.keyClicks(editor, "r/16")
    assert editor.lane.pending == "/16"
    editor.grab()
    press(editor, KEY.Key_Escape)
    assert editor.lane.pending == "" and window.session.text == "R"
