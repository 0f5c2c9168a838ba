"""Tapping in on keys and on the simulated practice pad."""

from fractions import Fraction

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from deft_reach.app.widgets import port_box
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


def pad(form, limb, voice=None):
    return next(k for k, row in enumerate(form.pad.pads) if row.limb == limb and voice in (None, row.voice))


def key_at(form, beat, key, late=0.012):
    """Press a key on a beat at 120 BPM after a bar of four counted in: two seconds."""
    form.now = 102.0 + beat * 0.5 + late
    form.tick()
    QTest.keyClick(form.pad, key)


def test_keys_against_the_pulse_stand_in_the_lane_as_they_fall(form, window):
    press(form.start)
    assert form.start.text() == "Done" and form.pad.hasFocus()
    taps = ((0, Qt.Key.Key_J), (0.5, Qt.Key.Key_F), (1, Qt.Key.Key_Space), (1.75, Qt.Key.Key_J))
    for count, (beat, key) in enumerate(taps, 1):
        key_at(form, beat, key)
        assert len(window.session.pattern().strokes) == count, "before it is done"
    assert "Tapping" in form.words.text()
    press(form.start)
    pattern = window.session.pattern()
    assert [(s.start * 4, s.limb) for s in pattern.strokes] == [(0, "R"), (0.5, "L"), (1, "K"), (1.75, "R")]
    assert window.session.undo_label == "Tap in" and "4 strokes" in form.words.text()
    window.session.undo()
    assert window.session.text == "", "however long it took, it is one step"


def test_a_pad_for_each_hands_voices_loud_and_soft(form, window):
    voices = {(row.limb, row.voice) for row in form.pad.pads}
    kit = window.session.kit
    assert {("R", "rd"), ("R", "ft"), ("L", "sn"), ("R", "sn"), ("K", None), ("H", None)} <= voices, kit.name
    press(form.start)
    hat = pad(form, "R", "hh")
    column = form.pad.pads[hat].column
    assert column == 5
    for beat, key in (
        (0, Qt.Key.Key_I),
        (0.5, Qt.Key.Key_K),
        (1, Qt.Key.Key_Comma),
        (1, Qt.Key.Key_R),
        (1.5, Qt.Key.Key_G),
    ):
        key_at(form, beat, key)
    strokes = window.session.pattern().strokes
    assert [(s.limb, s.voice, s.marks) for s in strokes] == [
        ("R", "hh", ">"), ("R", "hh", ""), ("R", "hh", "."), ("L", "sn", ">"), ("H", "hh:foot", ""),
    ]  # fmt: skip
    form.now += 0.5
    box = form.pad.box(pad(form, "R", "ft"))
    for part, marks in ((0.1, ">"), (0.5, ""), (0.9, ".")):
        form.now += 0.5
        click(form.pad, QPointF(box.center().x(), box.top() + part * box.height()))
        last = max(window.session.pattern().strokes, key=lambda s: s.start)
        assert (last.voice, last.marks) == ("ft", marks)


def test_a_pad_is_given_another_voice(form, window, qapp):
    press(form.start)
    k = pad(form, "L", "sn")
    menu = form.pad.voice_menu(k)
    action = next(a for a in menu.actions() if a.text().endswith("(rd)"))
    menu.popup(form.pad.mapToGlobal(form.pad.rect().center()))
    menu.setActiveAction(action)
    QTest.keyClick(menu, Qt.Key.Key_Return)
    key_at(form, 0, Qt.Key.Key_F)
    assert window.session.pattern().strokes[0].voice == "rd"
    form.refresh()
    assert form.pad.pads[k].voice == "rd", "and keeps it"


def test_early_taps_are_kept_as_a_pickup(form, window):
    press(form.start)
    key_at(form, -0.5, Qt.Key.Key_F)
    key_at(form, 0, Qt.Key.Key_J)
    pattern = window.session.pattern()
    assert pattern.pickup == Fraction(1, 8) and pattern.sticking == "L R"
    press(form.start)
    # Behind what stands there already it cannot be one: it comes in a bar of its own.
    form.lane.go(10**6)
    form.now = 100.0
    press(form.start)
    key_at(form, -0.5, Qt.Key.Key_F)
    assert window.session.pattern().sticking == "L R L" and window.session.pattern().pickup == Fraction(1, 8)


def test_a_chosen_grid(form, window):
    form.grid.setFocus()
    while form.grid.currentText() != "eighth triplets":
        QTest.keyClick(form.grid, Qt.Key.Key_Down)
    press(form.start)
    for beat in (0, 0.3, 0.71):
        key_at(form, beat, Qt.Key.Key_J, late=0)
    assert [s.start * 4 for s in window.session.pattern().strokes] == [0, Fraction(1, 3), Fraction(2, 3)]
    form.grid.setFocus()
    QTest.keyClick(form.grid, Qt.Key.Key_Down)
    assert form.grid.currentText() == "sixteenths"
    assert [s.start * 4 for s in window.session.pattern().strokes] == [0, Fraction(1, 4), Fraction(3, 4)]


def test_the_count_in_is_seen_and_what_was_tapped_can_be_discarded(form, window):
    press(form.start)
    assert form.pad.beat == 0
    form.now = 100.6
    form.tick()
    assert form.words.text() == "2 …" and form.pad.beat == 1
    form.now = 102.0
    click(form.pad, form.pad.box(pad(form, "L", "sn")).center())
    click(form.pad, form.pad.box(pad(form, "K")).center())
    form.pad.grab()
    assert [tap.limb for tap in form.taps] == ["L", "K"] and window.session.text
    press(form.discard)
    assert form.begun is None and window.session.text == "" and "nothing was written" in form.words.text()


def test_an_edit_in_between_stops_tapping_and_stays(form, window):
    press(form.start)
    key_at(form, 0, Qt.Key.Key_J)
    window.session.strokes.set_text("/4 L L L L |", "Text", None)
    key_at(form, 1, Qt.Key.Key_J)
    assert form.begun is None and window.session.text == "/4 L L L L |" and "in between" in form.words.text()


def test_a_midi_port_is_played_on_and_its_hands_stay_open(form, window, monkeypatch, qtbot):
    from deft_reach.app.write import tap_form

    kept = {}

    class Port:
        closed = False

        def close(self):
            self.closed = True

    def open_notes(name, hit):
        kept[name] = (hit, Port())
        return kept[name][1]

    monkeypatch.setattr(port_box, "input_names", lambda: ["Pad 1"])
    monkeypatch.setattr(tap_form, "open_notes", open_notes)
    form.refresh()
    assert form.ports.isVisible()
    form.ports.setFocus()
    QTest.keyClick(form.ports, Qt.Key.Key_Down)
    press(form.start)
    assert "no sound here" in form.words.text() or form.output is not None
    for now, key, velocity in ((102.0, 38, 120), (102.005, 42, 80), (102.5, 36, 90), (103.0, 38, 20)):
        form.now = now
        kept["Pad 1"][0](key, velocity)
    press(form.start)
    strokes = window.session.pattern().strokes
    assert [(s.limb, s.voice, s.marks) for s in strokes] == [
        ("?", "sn", ">"), ("?", "hh", ""), ("K", "bd", ""), ("?", "sn", "."),
    ]  # fmt: skip
    assert kept["Pad 1"][1].closed


def test_nothing_clicks_on_out_of_sight_and_what_was_tapped_stays(form, window):
    press(form.start)
    key_at(form, 0, Qt.Key.Key_J)
    window.go("reach")
    assert form.begun is None and window.session.pattern().sticking == "R"


def test_tapping_without_starting_says_what_to_do(form):
    QTest.keyClick(form.pad, Qt.Key.Key_F)
    assert "Press Start first" in form.words.text()
    press(form.start)
    press(form.start)
    assert "nothing was written" in form.words.text()


def test_the_last_message_leaves_with_the_plan(form, window):
    QTest.keyClick(form.pad, Qt.Key.Key_F)
    window.session.show_plan("gangway")
    assert "Press Start, watch" in form.words.text()
