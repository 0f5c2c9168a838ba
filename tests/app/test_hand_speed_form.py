"""The hand test in the Log station: guided with the simulated player and by keys, from a file, used, and undone."""

from datetime import UTC, datetime

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_reach.core.model.player import Constants, Player
from deft_reach.core.practice.hand_speed import NAMES
from deft_reach.core.practice.hand_speed_simulation import perform_test
from deft_reach.formats.general_midi import hand_test_keys
from deft_reach.formats.midi_take import dump_performance
from tests.app.conftest import click

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def form(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    station = window.log_station
    tabs = station.tabs
    bar = tabs.tabBar()
    number = next(k for k in range(tabs.count()) if tabs.tabText(k) == "Hand test")
    click(bar, bar.tabRect(number).center().toPointF())
    qapp.processEvents()
    form = station.hand_test
    assert form.isVisible()
    form.now = lambda: datetime(2026, 3, 1, 19, 30, tzinfo=UTC)
    return form


def press(button):
    assert button.isEnabled() and button.isVisible(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def run_through(form, now, end=400.0, step=1.0):
    """Let time pass and the timers with it, until the test is over."""
    while form.guide is not None and now[0] < end:
        now[0] += step
        form.recorder.timer.timeout.emit()
        form.timer.timeout.emit()


def cells(table, row):
    return [table.item(row, k).text() for k in range(table.columnCount())]


def test_the_simulated_player_is_guided_through_and_measured(form, window):
    now = [100.0]
    form.recorder.clock = lambda: now[0]
    form.ports.setCurrentText("simulated player")
    press(form.start)
    assert form.start.text() == "Stop" and "Rest. Next: right hand alone" in form.todo.text()
    now[0] = 105.0
    form.recorder.timer.timeout.emit()
    form.timer.timeout.emit()
    assert form.todo.text().startswith("Right hand alone") and "6 s" in form.countdown.text()
    assert int(form.countdown.text().split()[3]) > 20
    run_through(form, now)
    assert form.start.text() == "Begin the test" and form.table.rowCount() == 10
    assert cells(form.table, 0)[0] == "right hand, stroke to stroke" and cells(form.table, 0)[1].endswith(" ms")
    assert "not kept" in form.words.text() and not window.log.takes("hand test")
    assert "Stop at pain" in form.caution.text() and "Warm up" in form.caution.text()
    form.chart.grab()


def test_a_recording_is_measured_used_and_taken_back(form, window, tmp_path, monkeypatch):
    kit, before = window.session.kit, window.session.player
    constants = Constants(right=0.11, left=0.15)
    played = perform_test(Player(constants=constants), kit, hand_test_keys(kit))
    path = tmp_path / "mine.mid"
    path.write_bytes(dump_performance(played.hits, played.marks))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    limit = window.session.report.summary.tempo_limit
    press(form.browse_button)
    assert "mine.mid" in form.words.text() and cells(form.table, 0)[1] in ("109 ms", "110 ms", "111 ms")
    (entry,) = window.log.takes("hand test")
    assert entry.found["constants"]["right"] == pytest.approx(0.11, rel=0.05) and entry.plan_name == "Hand test"
    assert "1 hand test: right hand 110 ms" in form.chart.in_words()
    assert window.session.player == before, "nothing is used unasked"
    press(form.use)
    own = window.session.player.constants
    assert own.right == pytest.approx(0.11, rel=0.05) and not form.use.isEnabled()
    assert window.session.report.summary.tempo_limit != limit
    press(form.back)
    assert window.session.player.constants == Constants() and not form.back.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.player.constants == own
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.player == before
    quicker = perform_test(Player(constants=Constants(right=0.10, left=0.14)), kit, hand_test_keys(kit))
    path.write_bytes(dump_performance(quicker.hits, quicker.marks))
    form.now = lambda: datetime(2026, 4, 1, 19, 30, tzinfo=UTC)
    press(form.browse_button)
    assert "2 hand tests: right hand 10" in form.chart.in_words() and "+9 % faster" in form.chart.in_words()
    form.chart.grab()


def test_the_computers_own_keys_are_enough(form):
    now = [50.0]
    form.recorder.clock = lambda: now[0]
    form.ports.setCurrentText("this computer's keys")
    press(form.start)
    assert form.guide.exercises[-1].name == "other foot"
    assert not any(exercise.name.endswith("move") for exercise in form.guide.exercises)
    now[0] = 50.0 + form.guide.begin_of(0)
    form.timer.timeout.emit()
    assert "Any letter key counts" in form.todo.text()
    for k in range(40):
        now[0] += 0.140
        QTest.keyClick(form.start, Qt.Key.Key_F if k % 2 else Qt.Key.Key_J)
    form.timer.timeout.emit()
    assert "40 strokes" in form.countdown.text()
    press(form.start)
    assert cells(form.table, 0)[:2] == ["right hand, stroke to stroke", "140 ms"] and form.table.rowCount() == 1


def test_what_cannot_be_measured_is_said(form, tmp_path, monkeypatch):
    path = tmp_path / "x.mid"
    path.write_bytes(b"MThd nonsense")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    press(form.browse_button)
    assert "x.mid" in form.words.text() and form.words.objectName() == "error"
    few = perform_test(Player(), form.session.kit, hand_test_keys(form.session.kit), names=NAMES[:1])
    path.write_bytes(dump_performance(few.hits[:4]))
    press(form.browse_button)
    assert "no hand test" in form.words.text() and not form.use.isEnabled()
    form.ports.setCurrentText("this computer's keys")
    press(form.start)
    press(form.start)
    assert "Nothing was heard" in form.words.text()
