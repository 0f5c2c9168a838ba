"""Numbers on the screen have the decimal mark of the locale; files and stroke text have a point everywhere."""

import re

import pytest
from PySide6.QtCore import QLocale, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDoubleSpinBox, QLabel

from deft_reach.app.shell.stations import STATIONS
from deft_reach.app.text import units
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.core.model.message import Length, message
from deft_reach.formats.document import dump_document, load_document

#: A number with a point in it, as it should not be seen.
POINT = re.compile(r"\d\.\d")


@pytest.fixture
def german():
    before = QLocale()
    QLocale.setDefault(QLocale("de_DE"))
    yield
    QLocale.setDefault(before)


def test_numbers_and_sentences(german):
    assert (bpm(98.5), bpm(120.0), decimal(0.125, ".2f")) == ("98,5 BPM", "120 BPM", "0,12")
    said = message("pace {pace:.2f}, {far} away, bar {bar}", pace=1.5, far=Length(127.4), bar=3)
    assert units.text_of(said) == "pace 1,50, 127 mm away, bar 3" and str(said).startswith("pace 1.50")


def test_the_same_sentence_in_another_language(german):
    said = message("pace {pace:.2f}", pace=1.5)
    assert units.text_of(said) == "pace 1,50"
    QLocale.setDefault(QLocale("C"))
    assert units.text_of(said) == "pace 1.50"


@pytest.mark.parametrize("name", STATIONS)
def test_no_station_shows_a_point(german, window, qapp, name):
    window.session.show_plan("storm")
    window.session.plans.set_tempo(118.5)
    window.go(name)
    qapp.processEvents()
    widgets = [*window.station_widget(name).findChildren(QLabel), *window.header.findChildren(QLabel)]
    shown = [label.text() for label in widgets if label.isVisible()]
    shown += [box.text() for box in window.findChildren(QDoubleSpinBox) if box.isVisible()]
    assert [text for text in shown if POINT.search(text)] == []
    assert any(re.search(r"\d,\d", text) for text in shown), "and there are numbers at all"


def test_what_is_typed_shown_and_kept(german, window, qapp):
    box = window.header.tempo
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "101.5")
    QTest.keyClick(box, Qt.Key.Key_Return)
    qapp.processEvents()
    assert window.session.plan.tempo == 101.5 and box.text() == "101,5 BPM"
    data = dump_document(window.session.document)
    assert b"101.5" in data and load_document(data).plan(window.session.plan.id).tempo == 101.5
    assert not re.search(r"\d,\d", window.session.text)
