"""The Climb station by keys and clicks: play a rung, judge it, move by the rule, and find it all in the log."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import count

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_reach.app.shell import transport as module
from deft_reach.core.practice.ladder import seconds_of
from deft_reach.core.practice.progress_log import progress
from deft_reach.formats.document import load_document
from deft_reach.store.log_entries import Attempt, LogbookError
from deft_reach.store.logbook import Logbook
from tests.app.conftest import click

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def station(window, qapp, monkeypatch):
    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.session.show_plan("mouth")
    QTest.keyClick(window, Qt.Key.Key_6, CTRL)
    qapp.processEvents()
    assert window.station == "climb"
    station = window.climb_station
    station.now = lambda: datetime(2026, 3, 1, 19, 30, tzinfo=UTC)
    # Time passes whenever it is asked for: there is always enough for a rung.
    let_time_pass(station)
    return station


def let_time_pass(station, seconds=61.0):
    passing = count(station.clock() + seconds, seconds)
    station.clock = lambda: next(passing)


def press(button):
    assert button.isEnabled() and button.isVisible(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_the_ladder_of_the_plan_in_view(station, window):
    runner = station.runner
    assert [s.name for s in runner.stages][:2] == ["skeleton", "hands on one surface"]
    assert station.card.tempo.text() == f"{runner.rungs[0].tempo:g} BPM"
    assert [r.tempo for r in runner.rungs[-3:]] == [88, pytest.approx(88 * 1.05, abs=0.1), 88]
    assert station.form.stages.item(0, 0).text() == "skeleton"
    assert "rungs from" in station.chart.in_words() and "Warm up" in station.card.caution.text()
    assert station.view.report.pattern.text == runner.stage.text
    assert "gangway" not in station.view.report.pattern.text.lower()
    window.session.show_plan("storm")
    assert station.runner is not runner and station.view.plan.id.startswith("storm")


def test_verdicts_by_keys_move_by_the_rule_and_are_logged(station, window):
    runner = station.runner
    station.chart.setFocus()
    for _ in range(3):
        QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert runner.at == 1 and "Clean: on to hands on one surface" in station.card.change.text()
    QTest.keyClick(station.chart, Qt.Key.Key_2)
    QTest.keyClick(station.chart, Qt.Key.Key_3)
    QTest.keyClick(station.chart, Qt.Key.Key_3)
    assert runner.at == 0 and "again" in station.card.change.text()
    rows = window.log.attempts("lantern-ferry/mouth")
    assert [row.verdict for row in rows] == ["clean"] * 3 + ["rough"] + ["not-yet"] * 2
    assert rows[0].stage == "skeleton" and rows[3].stage == "hands on one surface"
    assert rows[0].text == runner.stages[0].text and rows[0].target == 88 and rows[0].load["R"] > 0
    once = runner.stages[0].report.summary.duration * 88 / rows[0].tempo
    assert rows[0].seconds == pytest.approx(once * runner.rungs[0].repeats, rel=1e-3)
    assert 30 <= rows[0].seconds <= 60
    other = Logbook(window.log.path)
    assert len(other.attempts()) == 6, "it is on disk"
    other.close()


def test_a_note_goes_with_the_next_verdict_only(station, window):
    station.chart.setFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_4)
    note = station.card.note
    assert note.hasFocus() and note.text() == ""
    QTest.keyClicks(note, "1st day, left grip tight ")
    assert window.log.attempts() == [], "figures in a note are no verdicts"
    QTest.keyClick(note, Qt.Key.Key_Return)
    assert station.chart.hasFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_2)
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert [row.note for row in window.log.attempts()] == ["1st day, left grip tight", ""]
    assert note.text() == ""


def test_verdicts_by_buttons(station):
    press(station.card.buttons["clean"])
    assert station.runner.cleans == 1 and "2 more clean" in station.card.change.text()
    press(station.card.buttons["rough"])
    assert station.runner.cleans == 0


def test_verdicts_faster_than_anybody_plays_count_for_nothing(station, window):
    now = [1000.0]
    station.clock = lambda: now[0]
    station.judged_at = 1000.0
    station.chart.setFocus()
    for _ in range(10):
        now[0] += 0.5
        QTest.keyClick(station.chart, Qt.Key.Key_3)
    assert not window.log.attempts() and station.minutes == 0 and station.runner.at == 0
    assert "it counts when it was played" in station.card.change.text()
    now[0] += 12.0
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    (entry,) = window.log.attempts()
    # No more than there was time for.
    assert entry.seconds <= 17.0 and station.minutes == pytest.approx(entry.seconds / 60, abs=1e-3)


def test_a_rung_is_played_as_often_as_it_says_and_timed(station, window, qapp):
    transport = window.transport
    now = [500.0]
    transport.clock = station.clock = lambda: now[0]
    transport.count_in = False
    transport.timer.setInterval(10**6)
    assert transport.session is station.view
    station.chart.setFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_Space)
    assert transport.playing and station.card.start.text() == "Stop"
    clicks = [h for h in transport.playback.hits if h.stroke is None]
    assert clicks and not transport.click, "a click here, and as it was elsewhere"
    length = station.view.report.summary.duration
    for k in range(1, 4 * 8 + 1):
        now[0] = 500.0 + k * length / 8 + 0.01
        if transport.playing:
            transport.timer.timeout.emit()
        qapp.processEvents()
    assert not transport.playing and station.rounds_played == 4
    assert station.seconds_played == pytest.approx(4 * length, rel=0.05)
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert window.log.attempts()[-1].seconds == pytest.approx(4 * length, rel=0.05)


def test_arrows_and_clicks_go_to_a_rung(station):
    station.chart.setFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_Up)
    assert station.runner.at == 1
    click(station.chart, station.chart.box(9).center())
    assert station.runner.at == 9 and station.card.tempo.text() == f"{station.runner.rungs[9].tempo:g} BPM"
    QTest.keyClick(station.chart, Qt.Key.Key_Down)
    assert station.runner.at == 8
    station.chart.grab()


def test_the_ladder_is_built_as_the_player_wants_it(station, window):
    form = station.form
    form.way.setFocus()
    QTest.keyClick(form.way, Qt.Key.Key_Down)
    assert "by itself" in station.runner.stages[0].why and station.runner.stages[-1].name == "everything"
    QTest.keyClick(form.way, Qt.Key.Key_Down)
    assert [s.name for s in station.runner.stages] == ["everything", "between grooves"]
    form.step.setFocus()
    form.step.lineEdit().selectAll()
    QTest.keyClicks(form.step, "5 BPM")
    QTest.keyClick(form.step, Qt.Key.Key_Return)
    form.start.setFocus()
    form.start.selectAll()
    QTest.keyClicks(form.start, "60")
    QTest.keyClick(form.start, Qt.Key.Key_Return)
    climb = [rung.tempo for rung in station.runner.rungs if rung.stage == 1]
    assert climb[:3] == [60, 65, 70] and climb[-3:] == [88, 92.4, 88]
    form.over.setFocus()
    form.over.selectAll()
    QTest.keyClicks(form.over, "12")
    QTest.keyClick(form.over, Qt.Key.Key_Return)
    assert station.runner.rungs[-2].tempo == pytest.approx(88 * 1.12, abs=0.06)
    form.step.setFocus()
    form.step.lineEdit().selectAll()
    QTest.keyClicks(form.step, "a lot")
    QTest.keyClick(form.step, Qt.Key.Key_Return)
    assert not station.runner and "expected BPM such as 5" in form.words.text()
    form.step.lineEdit().selectAll()
    QTest.keyClicks(form.step, "+15")
    QTest.keyClick(form.step, Qt.Key.Key_Return)
    assert [r.tempo for r in station.runner.rungs if r.stage == 1][:3] == [60, 75, 88]
    form.start.selectAll()
    QTest.keyClicks(form.start, "200")
    QTest.keyClick(form.start, Qt.Key.Key_Return)
    assert not station.runner and "above its target" in form.words.text()
    assert not station.card.buttons["clean"].isEnabled()
    form.rule.setCurrentIndex(1)
    form.start.setValue(form.start.minimum())
    assert station.runner.rule.up_after == 2 and "Up after 2" in station.card.change.text()


def test_the_next_day_begins_where_the_log_ended(station, window):
    for _ in range(3 * 8):
        station.judge("clean")
    reached = station.runner.at
    assert reached == 8
    station.made_from = None
    station.refresh()
    assert station.runner.at == reached, "the same day goes on where it was"
    first = station.now()
    station.now = lambda: first + timedelta(days=1)
    station.made_from = None
    station.refresh()
    words = station.card.change.text()
    assert station.runner.at == reached - 2 and "first to warm up, one clean try a rung" in words
    station.chart.setFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert station.runner.at == reached - 1, "to warm up, once is enough"
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert station.runner.at == reached, "one clean does not skip the rule"
    # Three months later it has sunk.
    station.now = lambda: first + timedelta(days=90)
    station.made_from = None
    station.refresh()
    assert station.runner.at < reached - 2 and "Last played 89 days ago" in station.card.change.text()


def test_a_plan_that_cannot_be_climbed_says_why(station, window):
    window.session.plans.new_plan("Open", "? R L R")
    assert station.runner is None and "a hand for every stroke" in station.form.words.text()
    assert station.card.stage.text() == "Nothing to climb yet"
    station.grab()


def test_breaks_are_asked_for_and_taken(station, window):
    window.session.plans.new_plan("Hard", "/16 " + "R@hh " * 16 + "|", tempo=120)
    station.form.start.setValue(118)
    for _ in range(40):
        station.judge("rough")
    assert "break" in station.card.caution.text() or "high load" in station.card.caution.text()
    press(station.card.pause)
    assert not station.card.pause.isVisible()


def test_what_cannot_be_logged_waits_and_nothing_is_lost(station, window, monkeypatch):
    window.log.attempts()

    def refuse(self, entry):
        raise LogbookError("the disk is full")

    with monkeypatch.context() as broken:
        broken.setattr(Logbook, "add", refuse)
        station.judge("clean")
        station.judge("rough")
        note = station.card_panel.note.text()
        assert "disk is full" in note and "2 entries wait safely on disk" in note
        assert len(window.log.attempts("lantern-ferry/mouth")) == 2, "what waits counts"
    station.judge("clean")
    assert [row.verdict for row in window.log.book.attempts("lantern-ferry/mouth")] == ["clean", "rough", "clean"]
    assert not window.log.waiting


def test_the_ears_have_a_daily_dose(station, window):
    window.log.add(
        Attempt(
            station.now().isoformat(), "lantern-ferry/mouth", "Mouth", "R", "everything", 80.0, "clean", 4, 15 * 60.0
        )
    )
    station.say_dose()
    assert station.level.currentData() == 100 and "100 % of a day's limit" in station.dose.text()
    station.level.setCurrentIndex(0)
    assert "%" in station.dose.text() and "clinician" in station.dose.toolTip()


def test_the_dark_and_larger_text_keep_the_station(station, window, qapp):
    for step in (lambda: window.set_theme("dark"), lambda: window.scale_text(0.2)):
        step()
        qapp.processEvents()
        assert window.station == "climb" and window.climb_station.runner is not None
        window.grab()
    window.scale_text(-0.2)
    window.set_theme("light")


def test_the_plans_of_a_song_are_climbed_in_a_chain(station, window):
    form = station.form
    form.what.setFocus()
    QTest.keyClick(form.what, Qt.Key.Key_End)
    assert "four times each" in form.what.currentText()
    runner = station.runner
    assert [s.name for s in runner.stages] == ["everything"] and station.climbed.name.endswith("chained")
    song = window.session.document.songs[0]
    counts = [len(window.session.document.plans)]
    texts = [window.session.document.score(window.session.document.plan(s.plan).pattern).text for s in song.sections]
    from deft_reach.core.document import read_text

    counts = [len(read_text(text, window.session.kit).strokes) for text in texts]
    assert len(station.view.report.strokes) == 4 * sum(counts)
    let_time_pass(station, 600)
    station.judge("clean")
    assert window.log.attempts()[-1].plan == f"lantern-ferry/chain {song.id}"
    window.session.apply(window.session.document.with_text(window.session.document.plan("moonlit"), "R L"), "short")
    assert station.runner is not None


def test_a_session_ends_in_time(station):
    station.form.minutes.setValue(5)
    station.minutes = 4.99
    station.judge("clean")
    assert "the time you set" in station.card.change.text()


def test_a_session_goes_on_through_another_theme_and_size_of_letters(station, window, qapp):
    form, runner = station.form, station.runner
    form.repeats.setValue(6)
    form.minutes.setValue(45)
    station.card.click.setChecked(False)
    for verdict in ("clean", "clean", "clean", "rough", "clean"):
        press(station.card.buttons[verdict])
    station.card.note.setFocus()
    QTest.keyClicks(station.card.note, "half a note")
    runner, minutes = station.runner, station.minutes
    for change in (lambda: window.set_theme("dark"), lambda: window.scale_text(0.2)):
        change()
        qapp.processEvents()
        new = window.climb_station
        let_time_pass(new)
        new.judged_at = new.clock()
        assert new is station and new.runner is runner and new.minutes == minutes
        assert new.form.repeats.value() == 6 and new.form.minutes.value() == 45
        assert new.card.note.text() == "half a note" and not new.card.click.isChecked()
    press(new.card.buttons["clean"])
    assert new.runner.cleans == 2 and window.log.attempts()[-1].note == "half a note"
    window.scale_text(-0.2)
    window.set_theme("light")


def test_a_session_from_the_first_rung_to_home_by_keys_alone(station, window, qapp):
    """Every rung: played through with the sound's clock, judged by a key, until the ladder says that it is done."""
    transport, now = window.transport, [5000.0]
    transport.clock = station.clock = lambda: now[0]
    transport.count_in = False
    transport.timer.setInterval(10**6)
    station.chart.setFocus()
    verdicts = 0
    seen = []
    while not station.runner.done and verdicts < 200:
        runner = station.runner
        rung, at = runner.rung, runner.at
        if at not in seen:
            seen.append(at)
        QTest.keyClick(station.chart, Qt.Key.Key_Space)
        assert transport.playing
        length = station.view.report.summary.duration * station.view.report.tempo / rung.tempo
        begin = now[0]
        while transport.playing and now[0] < begin + 90:
            now[0] += length / 2
            transport.timer.timeout.emit()
            qapp.processEvents()
        assert station.rounds_played == rung.repeats
        # A stumble on the way: once not yet on the fifth rung.
        stumbles = at == 4 and verdicts == 4 * 3
        QTest.keyClick(station.chart, Qt.Key.Key_3 if stumbles else Qt.Key.Key_1)
        verdicts += 1
    runner = station.runner
    assert runner.done and seen == list(range(len(runner.rungs))) and runner.rung.tempo == 88
    assert verdicts == 3 * len(runner.rungs) + 1
    assert "the top of the ladder, clean" in station.card.change.text()
    rows = window.log.attempts("lantern-ferry/mouth")
    assert len(rows) == verdicts and [r.tempo for r in rows[-3:]] == [88, 88, 88]
    assert sum(row.seconds for row in rows) / 60 == pytest.approx(station.minutes, abs=0.05)
    assert station.minutes == pytest.approx(3 * seconds_of(runner.rungs, runner.stages) / 60, rel=0.1)
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    qapp.processEvents()
    window.log_station.now = station.now
    window.log_station.refresh()
    assert "Clean at home tempo" in window.log_station.next.text()


def test_a_ramp_goes_from_the_first_tempo_to_home_in_one_go(station, window, qapp):
    transport, now = window.transport, [5000.0]
    transport.clock = station.clock = lambda: now[0]
    transport.count_in = False
    transport.timer.setInterval(10**6)
    station.card.ramp_rounds.setFocus()
    station.card.ramp_rounds.selectAll()
    QTest.keyClicks(station.card.ramp_rounds, "5")
    QTest.keyClick(station.card.ramp_rounds, Qt.Key.Key_Return)
    first = station.runner.rungs[0].tempo
    press(station.card.ramp_button)
    assert transport.playing and not transport.tempi
    seen = []
    while transport.playing and now[0] < 5400:
        now[0] += 0.2
        transport.timer.timeout.emit()
        qapp.processEvents()
        if transport.playing and station.card.tempo.text() not in seen:
            seen.append(station.card.tempo.text())
    assert seen[0] == f"{first:.0f} BPM" and seen[-1] == "88 BPM" and len(seen) == 5
    assert f"as the ramp {first:g}-88x5" in station.card.change.text()
    assert station.minutes > 0 and not window.log.attempts() and station.seconds_played == 0
    QTest.keyClick(station.chart, Qt.Key.Key_Space)
    assert transport.playing and transport.playback.repeat, "a rung has one tempo again"
    transport.stop()


def test_a_document_made_from_another_has_its_plans_and_not_its_practice(station, window, tmp_path, monkeypatch):
    station.chart.setFocus()
    QTest.keyClick(station.chart, Qt.Key.Key_1)
    assert window.log.played()["lantern-ferry/mouth"].attempts == 1
    path = tmp_path / "own.reach"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    before = window.session.document
    assert load_document(path.read_bytes()).id == before.id, "saved as another file it is the same music"
    action = next(one for one in window.findChildren(QAction) if one.text() == "New fro&m this one")
    action.trigger()
    after = window.session.document
    assert after.id not in ("", before.id) and replace(after, id=before.id) == before
    assert window.session.plan.id == "mouth" and window.header.saved.text().startswith("unsaved")
    states = [row.state for row in progress(after, window.log.played())]
    assert "climbing" not in states, "the practice belongs to the other one"
    assert "climbing" in [row.state for row in progress(before, window.log.played())]


def test_stages_are_ticked_off_and_come_back(station, window, qtbot):
    form, names = station.form, [stage.name for stage in station.stages]
    table = form.stages
    box = table.visualItemRect(table.item(1, 0))
    at = QPoint(box.left() + 10, box.center().y())
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    qtbot.waitUntil(lambda: len(station.stages) == len(names) - 1)
    assert names[1] not in [stage.name for stage in station.stages]
    assert names[1] not in {station.stages[rung.stage].name for rung in station.runner.rungs}
    assert [table.item(k, 0).text() for k in range(table.rowCount())] == names, "it can be ticked again"
    assert table.item(len(names) - 1, 0).data(Qt.ItemDataRole.CheckStateRole) is None, "the last one stays"
    window.session.show_plan("storm")
    assert len(station.stages) == len(station.offered), "another plan has its own"
    window.session.show_plan("mouth")
    box = table.visualItemRect(table.item(1, 0))
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(box.left() + 10, box.center().y()))
    qtbot.waitUntil(lambda: [stage.name for stage in station.stages] == names)
