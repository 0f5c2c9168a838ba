"""Tapping in on keys and on the simulated practice pad."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from tests.app.conftest import click


@pytest.fixture
def form(window):
    window.session.plans.new_plan("Tapped", "")
    window.session.plans.set_tempo(120)
    window.go("write")
    station = window.write_station
    station.tabs.setCurrentWidget(station.tap)
    form = station.tap
    form.now = 100.0
    form.clock = lambda: form.now
    return form


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_keys_against_the_pulse_are_written_down(form, window):
    press(form.start)
    assert form.start.text() == "Stop" and form.pad.hasFocus()
    first = 102.0  # a bar of four at 120 is two seconds
    for beat, key in ((0, Qt.Key.Key_J), (0.5, Qt.Key.Key_F), (1, Qt.Key.Key_Space), (1.75, Qt.Key.Key_J)):
        form.now = first + beat * 0.5 + 0.012
        form.tick()
        QTest.keyClick(form.pad, key)
    assert "Tapping" in form.words.text()
    press(form.write)
    pattern = window.session.pattern()
    assert [(s.start * 4, s.limb) for s in pattern.strokes] == [(0, "R"), (0.5, "L"), (1, "K"), (1.75, "R")]
    assert window.session.undo_label == "Tap in" and "Written" in form.words.text()


def test_the_practice_pad_by_mouse_and_a_bar_counted_in(form, window):
    press(form.start)
    assert form.pad.beat == 0
    form.now = 100.6
    form.tick()
    assert form.words.text() == "2 …" and form.pad.beat == 1
    form.now = 101.0
    click(form.pad, form.pad.box(2).center())
    assert form.taps == [], "while it is counted in nothing is taken down"
    form.now = 102.0
    click(form.pad, form.pad.box(0).center())
    click(form.pad, form.pad.box(1).center())
    form.pad.grab()
    assert [tap.limb for tap in form.taps] == ["L", "K"]
    press(form.start)
    assert form.begun is None and window.session.text == "" and "nothing was written" in form.words.text()


def test_a_midi_port_is_played_on_and_its_hands_stay_open(form, window, monkeypatch, qtbot):
    from deft_reach.app.write import tap_form

    kept = {}

    class Port:
        closed = False

        def close(self):
            self.closed = True

    def open_input(name, hit):
        kept[name] = (hit, Port())
        return kept[name][1]

    monkeypatch.setattr(tap_form, "input_names", lambda: ["Pad 1"])
    monkeypatch.setattr(tap_form, "open_input", open_input)
    form.refresh()
    assert form.ports.isVisible()
    form.ports.setFocus()
    QTest.keyClick(form.ports, Qt.Key.Key_Down)
    press(form.start)
    assert "no sound here" in form.words.text() or form.output is not None
    form.now = 102.0
    kept["Pad 1"][0]("?")
    form.now = 102.5
    kept["Pad 1"][0]("K")
    press(form.write)
    assert window.session.pattern().sticking == "? K" and kept["Pad 1"][1].closed


def test_nothing_clicks_on_out_of_sight(form, window):
    press(form.start)
    window.go("reach")
    assert form.begun is None


def test_tapping_without_starting_says_what_to_do(form):
    QTest.keyClick(form.pad, Qt.Key.Key_F)
    assert "Press Start first" in form.words.text()
    press(form.write)
    assert "nothing to write" in form.words.text()
