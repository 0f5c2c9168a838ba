"""The Log station: what the log says, takes checked, the player's own speed, entries out and in."""

import os
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_reach.app.widgets import port_box
from deft_reach.core.practice.own_speed import LEARNING_DAYS
from deft_reach.core.practice.progress_log import Point
from deft_reach.formats.midi import dump_midi
from deft_reach.formats.midi_take import load_performance
from deft_reach.store.log_entries import Attempt, TakeEntry
from deft_reach.store.log_exchange import MAX_BYTES
from deft_reach.store.logbook import Logbook
from tests.app.conftest import click, enter, reveal, show
from tests.app.test_climb_station import let_time_pass

CTRL = Qt.KeyboardModifier.ControlModifier
NOW = datetime(2026, 3, 10, 20, 0, tzinfo=UTC)


@pytest.fixture
def station(window, qapp):
    window.session.show_plan("gangway")
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    qapp.processEvents()
    assert window.station == "log"
    window.log_station.now = lambda: NOW
    return window.log_station


def press(button):
    reveal(button)
    assert button.isEnabled() and button.isVisible(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def tried(tempo, verdict="clean", days=0, plan="lantern-ferry/gangway", pace=1.2, group="right moves"):
    at = (NOW - timedelta(days=days)).isoformat(timespec="seconds")
    return Attempt(
        at, plan, plan.title(), "R L", "everything", tempo, verdict, 4, 120.0, 104.0, 140.0, pace, group, {"R": 60.0}
    )


def learn(window):
    """The first days of the figure, which say how far it is learned."""
    for days in range(9, 9 - LEARNING_DAYS, -1):
        window.log.add(tried(40, "clean", days=days, pace=0.3))


def test_the_names_of_the_lines_lie_on_no_attempt(station, window):
    limit, home = 100.0, 112.0
    window.log_station.tempo.show_plan(
        "gangway",
        home,
        limit,
        [Point(NOW + timedelta(days=k), tempo, "rough") for k in range(3) for tempo in (98, 103, 108)],
    )
    chart = window.log_station.tempo
    chart.grab()
    assert len(chart.labels) == 2 and not chart.labels[0].intersects(chart.labels[1])
    for x, y in zip(*chart.places(), strict=True):
        assert not any(rect.contains(QPointF(x, y)) for rect in chart.labels)


def cells(table, row):
    return [table.item(row, k).text() if table.item(row, k) else "" for k in range(table.columnCount())]


def test_an_empty_log_says_what_to_do(station):
    assert "Committed and not begun: Gangway groove" in station.next.text() or "Commit" in station.next.text()
    assert "no attempt" in station.tempo.in_words()
    station.grab()


def test_attempts_show_at_once_in_pictures_and_words(station, window):
    for k in range(4):
        window.log.add(tried(80 + 5 * k, days=3 - k))
    window.log.add(tried(100, "not-yet"))
    assert cells(station.plans, 0)[:3] == ["Gangway groove", "climbing", "95 BPM"]
    assert "go on from 95 BPM to 104" in station.next.text()
    assert len(station.tempo.points) == 5 and "clean up to 95 BPM" in station.tempo.in_words()
    xs, ys = (places.tolist() for places in station.tempo.places())
    assert xs == sorted(xs) and ys[0] > ys[3], "later is further right, faster is higher"
    assert "10 minutes of playing on 4 days" in station.practised.in_words()
    assert station.practised.day_at(station.practised.column(NOW.date()).center()) == NOW.date()
    assert "right hand 2" in station.practised.day_in_words(NOW.date())
    assert "right hand 5 min" in station.limbs.text()
    station.grab()


def test_practice_that_beats_the_model_offers_ones_own_speed(station, window):
    limit = window.session.report.summary.tempo_limit
    window.log.add(tried(round(1.2 * limit)))
    assert f"and the model says {limit:.0f}" in station.next.text() and "do the hand test" in station.next.text()
    window.session.kits.change_player("Faster", skill=0.5)
    assert "the model says" not in station.next.text()


def test_attempts_know_the_commitment_they_were_made_by(station, window, qapp):
    window.session.show_plan("storm")
    [old] = window.session.document.commitments_of("storm")
    for days, plan in ((9, "lantern-ferry/storm"), (0, "lantern-ferry/storm")):
        at = datetime.fromisoformat(old.date) + timedelta(days=5 - days)
        window.log.add(replace(tried(90, plan=plan), at=at.isoformat()))
    assert f"Committed {datetime.fromisoformat(old.date):%d %b}" in station.tempo.in_words()
    station.grab()
    chart = window.climb_station.chart
    let_time_pass(window.climb_station)
    QTest.keyClick(window, Qt.Key.Key_6, CTRL)
    QTest.keyClick(chart, Qt.Key.Key_1)
    window.session.plans.commit("anew", NOW.isoformat(), "test")
    QTest.keyClick(chart, Qt.Key.Key_1)
    window.session.plans.change_plan("storm", tempo=117)
    QTest.keyClick(chart, Qt.Key.Key_2)
    assert [row.committed for row in window.log.attempts()[2:]] == ["", NOW.isoformat(), ""]
    [*_, newest] = window.session.document.commitments_of("storm")
    assert [row.commitment for row in window.log.attempts()[2:]] == ["", newest.id, ""]
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    show(station, "Entries")
    said = [cells(station.entries.table, k)[2] for k in range(station.entries.table.rowCount())]
    assert said.count("2026-03-10") == 1 and said.count("") == 4


def test_of_a_very_long_log_the_newest_are_drawn_and_it_says_so(station, window, monkeypatch):
    monkeypatch.setattr("deft_reach.app.log.station.MOST", 4)
    for k in range(6):
        window.log.add(tried(80 + k, days=6 - k))
    assert [point.tempo for point in station.tempo.points] == [82, 83, 84, 85]
    assert "the newest 4 attempts" in station.tempo_panel.note.text()
    assert cells(station.plans, 0)[2] == "85 BPM" and "6 attempts" in station.plans.item(0, 0).toolTip()


def test_a_plan_chosen_in_the_list_comes_into_view(station, window):
    row = next(k for k in range(station.plans.rowCount()) if cells(station.plans, k)[0] == "Engine room")
    click(station.plans.viewport(), QPointF(station.plans.visualItemRect(station.plans.item(row, 0)).center()))
    assert window.session.plan.id == "engine" and "Engine room" in station.tempo.in_words()


def test_the_simulated_kit_plays_and_its_faults_are_told(station, window, qtbot):
    form = station.takes
    form.faults["late_left"].setValue(25)
    press(form.play)
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert "BPM" in form.verdict.text() and any("left hand" in line for line in form.found.advice)
    rows = {cells(form.limbs, k)[0]: cells(form.limbs, k) for k in range(form.limbs.rowCount())}
    assert "late" in rows["left hand"][2]
    assert window.log.takes() == [], "a simulated one is not the player's"


def test_a_recording_is_checked_and_kept(station, window, qtbot, tmp_path, monkeypatch):
    form, path = station.takes, tmp_path / "mine.mid"
    form.faults["jitter"].setValue(0)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    press(form.save)
    assert load_performance(path.read_bytes()) and "Saved" in form.words.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    press(form.browse_button)
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    [kept] = window.log.takes()
    assert kept.plan == "lantern-ferry/gangway" and kept.verdict == "clean" == form.found.verdict
    show(station, "Entries")
    assert cells(station.entries.table, 0)[3] == "take"


def test_the_simulated_kit_plays_live_into_the_app(station, window, qtbot):
    form = station.takes
    now = [0.0]
    form.recorder.clock = lambda: now[0]
    form.ports.setCurrentText("simulated kit")
    press(form.record)
    assert form.record.text() == "Stop" and form.recorder.recording
    while form.recorder.recording:
        now[0] += 0.5
        form.recorder.timer.timeout.emit()
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert form.record.text() == "Record live" and form.found.rounds == 4 and not form.found.missed


def test_a_kit_at_a_port_is_recorded(station, window, qtbot, monkeypatch):
    from deft_reach.sound import midi_ports

    heard = []

    class Port:
        closed = False

        def close(self):
            self.closed = True

    port = Port()
    monkeypatch.setattr(port_box, "input_names", lambda: ["Pads"])
    monkeypatch.setattr(midi_ports, "open_notes", lambda name, hit: heard.append((name, hit)) or port)
    form = station.takes
    form.refresh()
    form.ports.setCurrentText("Pads")
    now = [10.0]
    form.recorder.clock = lambda: now[0]
    hits = form.performed()
    press(form.record)
    name, hit = heard[0]
    assert name == "Pads"
    for one in hits:
        now[0] = 10.0 + one.time
        hit(one.key, one.velocity)
    assert f"{len(hits)} hits" in form.words.text()
    press(form.record)
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert port.closed and not form.found.missed
    assert window.log.takes()[0].verdict == form.found.verdict, "a live take is kept"
    press(form.record)
    press(form.record)
    assert "Nothing was heard" in form.words.text()


def test_a_recording_goes_on_through_another_theme(station, window, qtbot, qapp):
    """Dusk falls while somebody plays: the window changes its theme, the take is not lost."""
    now = [0.0]
    window.recorder.clock = lambda: now[0]
    station.takes.faults["late_left"].setValue(20)
    station.takes.rounds.setValue(6)
    press(station.takes.record)
    now[0] = 3.0
    window.recorder.tick()
    before = len(window.recorder.hits)
    window.set_theme("dark")
    qapp.processEvents()
    form = window.log_station.takes
    assert form is station.takes and form.record.text() == "Stop" and before > 3
    assert form.faults["late_left"].value() == 20 and form.rounds.value() == 6
    now[0] = 60.0
    window.recorder.tick()
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert form.found.rounds == 6 and not form.found.missed
    window.set_theme("light")


def test_a_port_that_cannot_be_opened_says_so(station, monkeypatch):
    from deft_reach.sound import midi_ports

    def refuse(name, hit):
        raise OSError("the MIDI port “Pads” cannot be opened: busy")

    monkeypatch.setattr(port_box, "input_names", lambda: ["Pads"])
    monkeypatch.setattr(midi_ports, "open_notes", refuse)
    station.takes.refresh()
    station.takes.ports.setCurrentText("Pads")
    press(station.takes.record)
    assert "cannot be opened" in station.takes.words.text() and station.takes.record.text() == "Record live"


def test_what_is_no_recording_is_said(station, tmp_path, monkeypatch):
    path = tmp_path / "x.mid"
    path.write_bytes(b"MThd nonsense")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    press(station.takes.browse_button)
    assert "x.mid" in station.takes.words.text() and station.takes.words.objectName() == "error"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "gone.mid"), ""))
    press(station.takes.browse_button)
    assert "gone.mid" in station.takes.words.text()


def test_notes_are_written_afterwards_too(station, window):
    window.log.add(tried(90))
    window.log.add(TakeEntry(NOW.isoformat(), "lantern-ferry/gangway", "Gangway", 90, "clean", {"advice": ["Fine."]}))
    show(station, "Entries")
    form = station.entries
    assert not form.note.isEnabled()
    for row in range(2):
        click(form.table.viewport(), QPointF(form.table.visualItemRect(form.table.item(row, 0)).center()))
        assert form.note.isEnabled() and form.note.text() == ""
        form.note.setFocus()
        QTest.keyClicks(form.note, f"left wrist, {row}")
        QTest.keyClick(form.note, Qt.Key.Key_Return)
        assert cells(form.table, row)[6] == f"left wrist, {row}"
    notes = {window.log.attempts()[0].note, window.log.takes()[0].note}
    assert notes == {"left wrist, 0", "left wrist, 1"}
    other = Logbook(window.log.path)
    assert other.attempts()[0].note in notes, "it is on disk"
    other.close()


def test_failures_on_easy_rungs_are_asked_about_and_unlikely_changes_are_not_offered(station, window):
    show(station, "Your own")
    form, before = station.calibration, window.session.player
    learn(window)
    for _ in range(10):
        window.log.add(tried(40, "not-yet", pace=0.45))
    assert form.found.left_out == 10 and not form.apply_button.isEnabled()
    assert form.easy.isVisible() and "10 failures on easy rungs" in form.easy.text()
    click(form.easy, QPointF(8, form.easy.height() / 2))
    assert form.found.left_out == 0 and form.found.limits_change < 0.7
    assert "So much changes in nobody at once" in form.words.text() and not form.apply_button.isEnabled()
    assert window.session.player == before


def test_the_players_own_speed_is_shown_and_applied_only_when_asked(station, window):
    show(station, "Your own")
    form, before = station.calibration, window.session.player.skill
    assert not form.apply_button.isEnabled() and "Nothing tried yet" in form.words.text()
    learn(window)
    assert "5 tries on the first days of a figure" in form.words.text() and form.found.attempts == 0
    window.log.add(tried(90, "clean", pace=1.25))
    assert not form.apply_button.isEnabled() and "7 more tries" in form.words.text()
    for k in range(30):
        pace = 1.25 + 0.02 * (k % 20)
        window.log.add(tried(90, "clean" if pace < 1.5 else "not-yet", pace=pace))
    assert "31 tries say" in form.words.text() and form.found.overall.skill < before
    assert window.session.player.skill == before
    press(form.apply_button)
    player = window.session.player
    assert player.skill == pytest.approx(form.found.before, abs=0.01) and player.skill < before
    assert window.session.undo_label == "Skill from the log" and player.speeds.moves != 1
    press(form.even)
    assert window.session.player.speeds.moves == 1 and not form.even.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.player.skill == before
    form.chart.grab()


@pytest.mark.parametrize("kind", ["a device", "a pipe", "a folder", "too large"])
def test_what_is_no_plain_file_is_not_read_as_a_logbook(station, window, qtbot, tmp_path, monkeypatch, kind):
    """A device never ends, and a pipe may never begin."""
    path = tmp_path / "log.json"
    if kind == "a device":
        path.symlink_to("/dev/zero")
    elif kind == "a pipe":
        os.mkfifo(path)
    elif kind == "a folder":
        path.mkdir()
    else:
        with path.open("wb") as file:
            file.truncate(MAX_BYTES + 1)
    show(station, "Entries")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    press(station.entries.import_button)
    why = "at most 200,000,000 are read" if kind == "too large" else "not a plain file"
    qtbot.waitUntil(lambda: why in station.entries.words.text(), timeout=8000)
    assert station.entries.import_button.isEnabled() and window.log.count() == 0


@pytest.mark.parametrize("suffix", [".json", ".csv"])
def test_the_logbook_goes_out_and_comes_in(station, window, qtbot, tmp_path, monkeypatch, suffix):
    window.log.add(tried(90))
    show(station, "Entries")
    form, path = station.entries, tmp_path / f"log{suffix}"

    def says(words):
        qtbot.waitUntil(lambda: words in form.words.text(), timeout=8000)

    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    press(form.export_button)
    says("Exported")
    assert path.stat().st_size > 50
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    press(form.import_button)
    says("0 new entries")
    path.write_text(path.read_text().replace("2026-03-10", "2026-03-09"))
    press(form.import_button)
    says("1 new entry")
    assert len(window.log.attempts()) == 2 == form.table.rowCount()
    path.write_text("{")
    press(form.import_button)
    says("lacks" if suffix == ".csv" else "cannot be read")
    assert form.words.objectName() == "error" and len(window.log.attempts()) == 2
    path.unlink()
    press(form.import_button)
    says("No such file")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "gone" / "x.csv"), ""))
    press(form.export_button)
    says("gone")
    assert form.words.objectName() == "error"


def test_the_dark_and_larger_text_keep_the_station(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    for step in (lambda: window.set_theme("dark"), lambda: window.scale_text(0.2)):
        step()
        qapp.processEvents()
        assert window.station == "log"
        window.grab()
    window.scale_text(-0.2)
    window.set_theme("light")


def test_groups_that_may_be_laid_back(station, window, qtbot):
    window.session.show_plan("mouth")
    form = station.takes
    form.free.setFocus()
    QTest.keyClicks(form.free, "1 9")
    press(form.play)
    assert "no group 9" in form.words.text()
    form.free.clear()
    QTest.keyClicks(form.free, "1, 2")
    press(form.play)
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert form.found.verdict == "clean"


def test_a_ramp_is_checked_for_where_it_gives_out(station, window, qtbot):
    form = station.takes
    form.ramp.setFocus()
    QTest.keyClicks(form.ramp, "nonsense")
    press(form.play)
    assert "such as 80-140x12" in form.words.text() and form.words.objectName() == "error"
    form.ramp.selectAll()
    QTest.keyClicks(form.ramp, "80-220x15")
    press(form.play)
    qtbot.waitUntil(lambda: form.verdict.isVisible() and "Holds" in form.verdict.text(), timeout=20_000)
    assert "15 rounds" in form.verdict.text() and "gives out at" in form.advice.text()
    assert not form.limbs.isVisible()
    form.ramp.selectAll()
    QTest.keyClick(form.ramp, Qt.Key.Key_Delete)
    press(form.play)
    qtbot.waitUntil(lambda: "Holds" not in form.verdict.text(), timeout=20_000)
    assert form.limbs.isVisible()


def test_the_demo_opens_with_its_own_practice_and_another_document_with_the_players(window, qapp):
    own = window.log.path
    window.session.mark_saved()
    window.documents.open_demo()
    assert window.log.path != own and window.log.count() > 300
    window.go("log")
    qapp.processEvents()
    station = window.log_station
    assert "minutes of playing" in station.limbs.text() and not station.limbs.text().startswith(
        "The last seven days: 0"
    )
    states = [station.plans.item(row, 1).text() for row in range(station.plans.rowCount())]
    assert len(set(states)) > 1, "plans have come differently far"
    window.documents.new_document()
    assert window.log.path == own and window.log.count() == 0


def test_a_take_is_drawn_place_by_place(station, window, qtbot):
    form, session = station.takes, window.session
    enter(form.faults["late_left"], "30")
    enter(form.faults["jitter"], "0")
    enter(form.faults["missed"], "8")
    press(form.play)
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    chart, take = form.places, form.found
    assert len(chart.places) == len(take.places) == len(session.report.strokes)
    for row in chart.places:
        assert row.played.offset_ms == take.places[row.played.stroke].offset_ms
        above = chart.point(row).y() < chart.y_at(0) - 4
        assert above == (row.limb == "L"), "the left hand is late, and late is up"
    order = [chart.x_at(row.start) for row in chart.places]
    assert order == sorted(order) and order[0] > 0 and order[-1] < chart.width()
    late = next(row for row in chart.places if row.limb == "L")
    assert f"{late.played.offset_ms:.0f} ms late" in chart.how(late) and "left hand on the" in chart.how(late)
    missed = next(row for row in chart.places if row.played.missed)
    assert f"missed {missed.played.missed} of 4 times" in chart.how(missed) and chart.how(missed) in chart.in_words()
    chart.grab()
    click(chart, chart.point(late))
    assert session.stroke == late.played.stroke
    click(chart, QPointF(chart.width() - 3, 3))
    assert session.stroke == late.played.stroke, "nothing is there"
    session.strokes.set_text(session.text + " R", "More", None)
    click(chart, chart.point(chart.places[0]))
    assert session.stroke == late.played.stroke, "of another plan than was played"


def test_what_is_next_begins_with_one_press(station, window, qapp):
    for k in range(4):
        window.log.add(tried(80 + 5 * k, days=3 - k))
    window.session.show_plan("storm")
    button = station.next.buttons[0]
    assert button.text() == "Climb it" and "go on from 95" in button.accessibleDescription()
    press(button)
    assert window.station == "climb" and window.session.plan.id == "gangway"
    window.go("log")
    window.log.add(tried(round(1.2 * window.session.report.summary.tempo_limit)))
    assert button.text() == "Your own speed"
    press(button)
    assert station.tabs.currentWidget() is station.calibration and window.station == "log"


def test_a_recording_dropped_in_the_log_is_asked_for(station, window, tmp_path, qtbot):
    session = window.session
    session.show_plan("gangway")
    pattern, plan = session.pattern(), session.plan
    take = tmp_path / "evening.mid"
    take.write_bytes(dump_midi(pattern, session.kit, plan.tempo))
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(take))])
    window.dropEvent(
        QDropEvent(QPointF(200, 200), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip
    assert "Is evening.mid a take of Gangway groove?" in window.notice.text.text()
    press(next(b for b in window.notice.buttons if b.text() == "Check it as a take"))
    qtbot.waitUntil(lambda: station.takes.found is not None, timeout=20_000)
    assert station.takes.verdict.isVisible()
