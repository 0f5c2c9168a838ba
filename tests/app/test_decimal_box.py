"""Numbers as people type them: both decimal marks, no grouping, whatever the machine's language."""

import pytest
from PySide6.QtCore import QLocale, Qt
from PySide6.QtTest import QTest

from deft_reach.app.widgets.decimal_box import DecimalBox


@pytest.fixture(params=["C", "de_DE", "en_US", "fr_FR"])
def language(request):
    before = QLocale()
    QLocale.setDefault(QLocale(request.param))
    yield
    QLocale.setDefault(before)


@pytest.mark.parametrize(
    ("typed", "value"),
    [("98,5", 98.5), ("98.5", 98.5), ("985", 400.0), ("120", 120.0), ("1.2.3", 1.23), ("9x8", 98.0), (",5", 0.5)],
)
def test_both_marks_are_a_mark_and_never_group(qtbot, language, typed, value):
    box = DecimalBox()
    qtbot.addWidget(box)
    box.setRange(0, 400)
    box.setDecimals(2)
    box.setSuffix(" BPM")
    box.setValue(400)
    box.show()
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, typed)
    QTest.keyClick(box, Qt.Key.Key_Return)
    # What cannot be is not taken in: of 985 the 98 stays, or what was there before.
    assert box.value() == pytest.approx(value) or (typed == "985" and box.value() == 98.0)


def test_the_home_tempo_takes_a_comma(window):
    box = window.header.tempo
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "98,5")
    QTest.keyClick(box, Qt.Key.Key_Return)
    assert window.session.plan.tempo == 98.5


def test_a_special_value_is_still_one(qtbot):
    box = DecimalBox()
    qtbot.addWidget(box)
    box.setRange(9, 400)
    box.setSpecialValueText("its own")
    box.setValue(9)
    assert box.text() == "its own" and box.value() == 9
