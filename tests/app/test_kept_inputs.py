"""What is set in fields stays set when the window is dressed anew, in every station."""

import random

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QDoubleSpinBox, QLineEdit, QSpinBox, QTabWidget, QWidget

from deft_reach.app.kept_inputs import _fields, inputs_of, set_inputs
from deft_reach.app.stations import STATIONS


class Figure(QWidget):
    """A form with one field of each kind, as forms of the app have them."""

    def __init__(self):
        super().__init__()
        self.count, self.share, self.words = QSpinBox(self), QDoubleSpinBox(self), QLineEdit(self)
        self.which, self.tabs = QComboBox(self), QTabWidget(self)
        self.which.addItems(["one", "two", "three"])
        for name in "abc":
            self.tabs.addTab(QWidget(), name)
        self.many = {name: QSpinBox(self) for name in ("left", "right")}


Figure.__module__ = "deft_reach.app.example"


@pytest.fixture
def forms(qapp, qtbot):
    made = Figure(), Figure()
    for form in made:
        qtbot.addWidget(form)
    return made


def test_every_kind_of_field_is_kept(forms):
    old, new = forms
    old.show()
    for box, keys in ((old.count, "42"), (old.share, "7.5"), (old.words, "slow and loose"), (old.many["right"], "9")):
        box.setFocus()
        box.selectAll()
        QTest.keyClicks(box, keys)
    QTest.keyClick(old.which, Qt.Key.Key_Down)
    QTest.keyClick(old.tabs.tabBar(), Qt.Key.Key_Right)
    kept = inputs_of(old)
    set_inputs(new, kept)
    assert inputs_of(new) == kept
    assert (new.count.value(), new.share.value(), new.words.text()) == (42, 7.5, "slow and loose")
    assert (new.which.currentText(), new.tabs.currentIndex(), new.many["right"].value()) == ("two", 1, 9)


def test_what_is_the_same_is_not_set_again(forms):
    old, new = forms
    heard = []
    new.which.currentIndexChanged.connect(heard.append)
    new.count.valueChanged.connect(heard.append)
    set_inputs(new, inputs_of(old))
    assert heard == []


def test_a_choice_that_is_gone_and_fields_that_are_new_are_left_as_they_are(forms):
    old, new = forms
    old.which.addItem("four")
    old.which.setCurrentText("four")
    kept = inputs_of(old)
    kept.pop(next(key for key in kept if key[2].startswith("count")))
    new.count.setValue(5)
    set_inputs(new, kept)
    assert new.which.currentText() == "one" and new.count.value() == 5


def other_value(field, chance):
    """Something else that a player could have set there; None where there is no choice."""
    if isinstance(field, QSpinBox):
        return chance.choice([field.minimum(), field.maximum()])
    if isinstance(field, QComboBox) and not field.isEditable() and field.count() > 1:
        return field.itemText(chance.randrange(field.count()))
    if isinstance(field, QAbstractButton) and not field.autoExclusive():
        return not field.isChecked()
    return None


#: Forms whose fields belong to no document: what is asked of searches, practice and takes.
ASKING = {"LadderForm", "TakeForm", "RethinkForm", "AdviserForm", "CellsForm", "NowCard"}


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("name", list(STATIONS))
def test_whatever_is_asked_in_a_station_is_still_asked_in_another_theme(window, qapp, name, seed):
    window.session.show_plan("storm")
    window.go(name)
    chance = random.Random(seed)
    station = window.built[name]
    for (kind, _, _), field in list(_fields(station)):
        value = other_value(field, chance)
        if kind in ASKING and value is not None and field.isEnabled() and chance.random() < 0.5:
            set_inputs(station, {key: value for key, one in _fields(station) if one is field})
    qapp.processEvents()
    before = {
        key: value for key, value in inputs_of(station).items() if key[0] in ASKING or key[2].startswith("tabs")
    }
    document = window.session.document
    window.set_theme("dark")
    qapp.processEvents()
    assert window.built[name] is not station and window.session.document == document
    after = inputs_of(window.built[name])
    assert {key: after.get(key) for key in before} == before
    window.set_theme("light")
