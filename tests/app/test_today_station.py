"""The Today station by keys and clicks: say how long there is, start what comes first, come back to what is left."""

from datetime import datetime, timedelta

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.shell import transport as transports
from deft_reach.core.document import new_document
from deft_reach.store.log_exchange import from_csv
from deft_reach.store.places import demo_log_file
from tests.app.conftest import click, in_dialog
from tests.app.test_climb_station import let_time_pass

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def station(window, qtbot, monkeypatch):
    """The demo's weeks of practice, the day after."""
    monkeypatch.setattr(transports, "open_output", lambda source: None)
    from_csv(window.log.book, demo_log_file().read_text(encoding="utf-8"))
    last = datetime.fromisoformat(window.log.book.attempts()[-1].at)
    for made in (window.today_station, window.climb_station):
        made.now = lambda: last + timedelta(days=1)
    QTest.keyClick(window, Qt.Key.Key_8, CTRL)
    assert window.station == "today"
    found = window.today_station
    qtbot.waitUntil(lambda: found.day is not None and found.items.rowCount() > 0)
    return found


def rows(station):
    table = station.items
    return [[table.item(k, c).text() for c in range(table.columnCount())] for k in range(table.rowCount())]


def choose(station, what):
    row = next(k for k, item in enumerate(station.day.items) if item.what == what)
    table = station.items
    at = table.visualItemRect(table.item(row, 1)).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert station.chosen.what == what
    return station.chosen


def test_the_minutes_are_filled_in_order_and_follow_what_one_has(station, qtbot):
    found = rows(station)
    assert found[0][1] == "Warm up" and found[-1][1] in ("Record a take", "Hand test")
    assert sum(int(row[0]) for row in found) <= 30
    station.minutes.setFocus()
    station.minutes.selectAll()
    QTest.keyClicks(station.minutes, "60")
    QTest.keyClick(station.minutes, Qt.Key.Key_Tab)
    qtbot.waitUntil(lambda: station.day.asked == 60)
    assert 30 < sum(int(row[0]) for row in rows(station)) <= 60 and "Break" in [row[1] for row in rows(station)]
    assert "dBA" in station.cautions.text() and "clinician" in station.cautions.text()
    home = {station.home.item(k, 0).text(): station.home.item(k, 4).text() for k in range(station.home.rowCount())}
    assert "sessions away" in home["Storm at the breakwater"] and home["Gangway groove"] == "at home"
    station.grab()


def test_return_starts_it_and_what_was_played_is_taken_off(station, window, qtbot):
    first = station.day.items[0]
    QTest.keyClick(station.items, Qt.Key.Key_Return)
    climb = window.climb_station
    assert window.station == "climb" and window.session.plan.id == first.plan
    assert climb.runner.rung.tempo <= first.tempo + 1 and climb.runner.at < climb.runner.warm_up_to
    assert "min" in climb.card.change.text()
    let_time_pass(climb)
    for _ in range(40):
        QTest.keyClick(climb.chart, Qt.Key.Key_1)
        if "Today (Ctrl+8)" in climb.card.change.text():
            break
    assert "what today's plan has for it" in climb.card.change.text()
    before = station.day
    QTest.keyClick(window, Qt.Key.Key_8, CTRL)
    qtbot.waitUntil(lambda: station.day is not before and station.day.played > 0)
    assert "warm-up" not in [item.what for item in station.day.items]
    assert station.day.played + station.day.minutes <= 30.5
    assert station.strip.boxes()[0].left() == pytest.approx(station.strip.x_at(station.day.played))
    station.grab()


def test_the_part_that_breaks_is_climbed_by_itself_and_the_rungs_as_a_whole_again(station, window):
    item = choose(station, "chunk")
    QTest.mouseClick(station.start, Qt.MouseButton.LeftButton)
    climb = window.climb_station
    assert climb.runner.stage.name == item.stage and climb.runner.rung.tempo <= item.tempo
    QTest.keyClick(window, Qt.Key.Key_8, CTRL)
    item = choose(station, "rungs")
    QTest.keyClick(station.items, Qt.Key.Key_Return)
    assert climb.form.way_chosen == "layers" and climb.runner.stage.name in ("everything", "between grooves")
    assert climb.given == item.minutes


def test_a_take_leads_to_the_log_and_a_bar_of_the_strip_chooses(station, window):
    at = next(k for k, item in enumerate(station.day.items) if item.what in ("take", "test"))
    click(station.strip, QPointF(station.strip.boxes()[at].center()))
    assert station.items.currentRow() == at
    wanted = station.chosen.what
    QTest.mouseClick(station.start, Qt.MouseButton.LeftButton)
    tabs = window.log_station.tabs
    assert window.station == "log"
    assert tabs.currentWidget() is (window.log_station.takes if wanted == "take" else window.log_station.hand_test)


def test_what_is_not_committed_yet_is_committed_from_here(window, qtbot):
    window.documents.take(new_document(), None, None, clean=True)
    QTest.keyClick(window, Qt.Key.Key_8, CTRL)
    station = window.today_station
    qtbot.waitUntil(lambda: station.day is not None and station.items.rowCount() == 1)
    assert "nothing is committed yet" in station.words.text().lower()
    seen = []
    in_dialog(CommitDialog, lambda dialog: (seen.append(dialog), dialog.reject()))
    QTest.keyClick(station.items, Qt.Key.Key_Return)
    assert seen
