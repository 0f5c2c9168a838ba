"""Play and stop by keys and clicks, with time simulated: the picture is where the sound is."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from deft_reach.app.shell import transport as module
from deft_reach.core.analysis.playing import Playing
from deft_reach.sound.click import RATE, Clicks
from deft_reach.sound.output import BUFFER_MS


class Clock:
    now = 100.0

    def __call__(self):
        return self.now


@pytest.fixture
def transport(window, qapp, monkeypatch):
    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.session.plans.new_plan("Play", "/4 (R@ft L R@t1 L) | R L R@rd L |")
    window.session.plans.change_plan("hall", kit="hall")
    window.session.plans.set_repeat(False)
    window.session.plans.set_tempo(60)
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    qapp.processEvents()
    window.transport.clock = Clock()
    window.transport.timer.setInterval(10**6)
    yield window.transport
    window.transport.stop()


def at(transport, seconds):
    """So many seconds after the beginning."""
    transport.clock.now = 100.0 + seconds
    transport.timer.timeout.emit()


def test_f5_counts_in_plays_and_ends_by_itself(transport, window):
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert transport.playing and window.session.position is None, "counting in"
    assert "silently" in window.notice.text.text() and window.notice.isVisible()
    at(transport, 4.0)
    assert window.session.position == 0
    at(transport, 6.5)
    assert window.session.position == pytest.approx(2.5 / 4)
    at(transport, 30)
    assert not transport.playing and window.session.position is None


def test_f5_stops_and_silence_is_said_once(transport, window):
    QTest.keyClick(window, Qt.Key.Key_F5)
    window.notice.hide()
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert not transport.playing
    QTest.mouseClick(window.header.play, Qt.MouseButton.LeftButton)
    assert transport.playing and not window.notice.isVisible()


def choose(window, words):
    menu = window.header.play.menu()
    action = next(a for a in menu.actions() if a.text().startswith(words))
    menu.setActiveAction(action)
    QTest.keyClick(menu, Qt.Key.Key_Return)


def test_slow_motion_keeps_the_picture_exact(transport, window):
    choose(window, "10 %")
    choose(window, "Count in")
    assert "10 %" in window.header.play.text()
    QTest.keyClick(window, Qt.Key.Key_F5)
    at(transport, 25.0)
    assert window.session.position == pytest.approx(2.5 / 4)


def test_a_group_goes_round_and_round(transport, window):
    window.session.select_stroke(1)
    choose(window, "This group")
    choose(window, "Count in")
    QTest.keyClick(window, Qt.Key.Key_F5)
    at(transport, 41.0)
    assert window.session.position == pytest.approx(0.25) and transport.playing
    choose(window, "This bar")
    window.session.select_stroke(5)
    transport.stop()
    transport.start()
    transport.begin = 100.0
    at(transport, 1.0)
    assert window.session.position == pytest.approx(1.25)


def test_the_arms_are_where_the_paths_say(transport, window, qapp):
    choose(window, "Count in")
    QTest.keyClick(window, Qt.Key.Key_F5)
    plan = window.reach_station.plan
    seen = []
    for seconds in (0.0, 0.4, 1.0, 1.5, 2.0):
        at(transport, seconds)
        arms = plan.arms()
        expected = Playing(window.session.report).arms(seconds / 4)
        for hand in "RL":
            assert arms[hand] == pytest.approx(expected[hand])
        seen.append(arms["R"][3].copy())
        window.grab()
    kit = window.session.kit
    ft, t1 = kit.piece("ft"), kit.piece("t1")
    assert seen[0] == pytest.approx([ft.x, ft.y, ft.z], abs=1), "on the floor tom at its stroke"
    assert seen[4] == pytest.approx([t1.x, t1.y, t1.z], abs=1), "on the tom two beats later"
    assert np.linalg.norm(seen[1] - seen[0]) > 20 and seen[3][2] > t1.z + 20, "raised on its way"


def test_hands_prepare_early_or_late(transport, window):
    choose(window, "Count in")
    QTest.keyClick(window, Qt.Key.Key_F5)
    at(transport, 1.3)
    early = window.reach_station.plan.arms()["R"][3]
    choose(window, "Hands move at the last moment")
    late = window.reach_station.plan.arms()["R"][3]
    tom = window.session.kit.piece("t1")
    goal = np.array([tom.x, tom.y])
    assert np.linalg.norm(early[:2] - goal) < np.linalg.norm(late[:2] - goal)


def test_an_edit_stops_what_is_no_longer_written(transport, window):
    QTest.keyClick(window, Qt.Key.Key_F5)
    window.session.strokes.set_text("/4 R L R L |", "Text", None)
    assert not transport.playing
    window.session.plans.set_repeat(True)
    QTest.keyClick(window, Qt.Key.Key_F5)
    window.session.plans.set_tempo(90)
    assert transport.playing and transport.playback.tempo == 90, "a loop goes on with the new one"


def test_the_picture_follows_what_is_heard(transport, window, monkeypatch):
    class Device:
        played = 0

        def close(self):
            pass

    device = Device()
    monkeypatch.setattr(module, "open_output", lambda source: device)
    choose(window, "Count in")
    QTest.keyClick(window, Qt.Key.Key_F5)
    device.played = 2 * RATE
    at(transport, 9.0)
    assert window.session.position == pytest.approx((2 - BUFFER_MS / 1000) / 4), (
        "a buffer behind what was handed over"
    )
    at(transport, 9.03)
    assert window.session.position == pytest.approx((2.03 - BUFFER_MS / 1000) / 4)
    at(transport, 12.0)
    assert window.session.position == pytest.approx(2 / 4), "never ahead of what was handed over"


def test_closing_the_window_stops_the_sound(transport, window):
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert transport.playing
    window.session.mark_saved()
    window.close()
    assert not transport.playing


def test_the_click_falls_where_and_when_it_is_asked_for(transport, window):
    play = window.header.play.menu()
    for words, entry in (("Click on", "off-beats"), ("Click falls silent", "two bars of four")):
        action = next(a for a in play.actions() if a.text() == words)
        menu = action.menu()
        menu.popup(window.mapToGlobal(window.rect().center()))
        menu.setActiveAction(next(a for a in menu.actions() if a.text() == entry))
        QTest.keyClick(menu, Qt.Key.Key_Return)
    assert transport.click and transport.clicks == Clicks("off-beats", 2, 2)
    assert next(a for a in play.actions() if a.text() == "Click").isChecked()
    QTest.keyClick(window, Qt.Key.Key_F5)
    performance = transport.playback
    beat = 60 / performance.tempo
    into = {round(hit.time / beat % 1, 3) for hit in performance.hits if hit.stroke is None}
    assert into == {0.5}
