"""Trouble with folders, files and the logbook: the window starts, says what is wrong, and the rest works."""

import json
import os
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from deft_reach.app.log import station as log_station
from deft_reach.app.log.station import LogStation
from deft_reach.app.shell.window import LOG_RETRY_MS, MainWindow
from deft_reach.core.session import Session
from deft_reach.formats.document import load_document
from deft_reach.store import unwritten
from deft_reach.store.documents import save_document
from deft_reach.store.log_entries import LogbookError
from deft_reach.store.logbook import Logbook
from deft_reach.store.practice_log import LEFT_ALONE
from deft_reach.store.settings import Settings
from tests.app.conftest import in_dialog
from tests.app.test_log_station import tried
from tests.app.test_window import press
from tests.store.test_practice_log import asked_in_vain
from tests.store.test_store import unusable

CTRL = Qt.KeyboardModifier.ControlModifier


# --- the same document twice ----------------------------------------------------------------------------------------


def test_opening_the_changed_document_again_and_saving_shows_what_was_saved(window, tmp_path, qapp):
    path = tmp_path / "show.reach"
    save_document(path, window.session.document)
    window.documents.open_path(path)
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    tempo = window.session.plan.tempo
    in_dialog(QMessageBox, lambda box: press(box, "Save"))
    window.documents.open_path(path)
    assert window.session.plan.tempo == tempo and window.session.is_saved
    assert load_document(path.read_bytes()).plan("gangway").tempo == tempo
    # And nothing stands between it and the next save.
    window.activateWindow()
    qapp.processEvents()
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert window.session.is_saved and load_document(path.read_bytes()).plan("gangway").tempo == tempo + 1


def test_a_document_that_is_open_in_another_window_says_so_at_once(window, tmp_path, qapp):
    path, link = tmp_path / "show.reach", tmp_path / "link.reach"
    save_document(path, window.session.document)
    link.symlink_to(path)
    window.documents.open_path(path)
    assert not window.notice.isVisible()
    other = MainWindow(Session(), Settings(tmp_path / "other.json"), tmp_path)
    other.show()
    other.documents.open_path(link)
    assert "is open in another window too" in other.notice.text.text() and other.notice.isVisible()
    assert "open elsewhere too" in other.windowTitle() and "elsewhere" not in window.windowTitle()
    other.close()
    window.close()
    third = MainWindow(Session(), Settings(tmp_path / "third.json"), tmp_path)
    third.show()
    third.documents.open_path(path)
    assert not third.notice.isVisible() and "elsewhere" not in third.windowTitle()
    third.close()


def test_a_window_in_another_process_is_noticed_too(window, tmp_path):
    path = tmp_path / "show.reach"
    save_document(path, window.session.document)
    code = (
        "import sys, pathlib; from deft_reach.store.open_documents import OpenDocument; c = OpenDocument(); "
        "c.claim(pathlib.Path(sys.argv[1])); print(c.is_shared, flush=True); sys.stdin.read()"
    )
    with subprocess.Popen(
        [sys.executable, "-c", code, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout.readline() == "False\n"
        window.documents.open_path(path)
        assert window.documents.claim.is_shared
        process.kill()
    window.documents.claim.release()
    window.documents.claim.claim(path)
    assert not window.documents.claim.is_shared, "a killed one holds nothing"


# --- a station that fails -------------------------------------------------------------------------------------------


def faults(monkeypatch) -> list[BaseException]:
    found: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: found.append(error))
    return found


def test_a_station_that_cannot_be_refreshed_says_so_and_comes_back(window, monkeypatch):
    found = faults(monkeypatch)
    with monkeypatch.context() as broken:
        broken.setattr(LogStation, "refresh", lambda self: 1 / 0)
        QTest.keyClick(window, Qt.Key.Key_7, CTRL)
        station = window.log_station
        assert window.stack.currentWidget() is station and station.isVisible()
        words = station.failure
        assert words.isVisible() and "ZeroDivisionError" in words.text() and words.height() > 20
        assert len(found) == 1
        # The others hear of every edit all the same.
        QTest.keyClick(window, Qt.Key.Key_4, CTRL)
        QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
        assert window.stack.currentWidget() is window.reach_station and "105" in window.header.tempo.text()
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    assert not words.isVisible() and station.plans.rowCount() > 0


def test_a_station_that_cannot_be_made_leaves_the_others(window, monkeypatch):
    found = faults(monkeypatch)
    with monkeypatch.context() as broken:
        broken.setattr(log_station, "LogStation", lambda *_: 1 / 0)
        QTest.keyClick(window, Qt.Key.Key_7, CTRL)
        assert "Log cannot be shown (ZeroDivisionError" in window.notice.text.text() and len(found) == 1
        assert window.station == "reach" and window.stack.currentWidget() is window.reach_station
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    assert window.stack.currentWidget() is window.log_station


ODD = {
    "advice": {"found": {"advice": 5}},
    "first day": {"at": "0001-01-01T00:00:00+14:00"},
    "last day": {"at": "9999-12-31T23:59:59-14:00"},
    "half a character": {"plan_name": "\ud800", "found": {"advice": ["\ud800"]}},
    "constants": {"found": {"constants": {"right": "quick"}}, "plan": "hand test"},
}


@pytest.mark.parametrize("name", ODD)
def test_odd_practice_from_a_file_leaves_the_log_station_whole(window, name, tmp_path, qtbot, monkeypatch):
    take = {
        "at": "2026-03-01T12:00:00+00:00", "plan": "gangway", "plan_name": "Gangway", "tempo": 90.0,
        "verdict": "clean", "found": {"advice": ["Fine."]},
    }  # fmt: skip
    file = tmp_path / "odd.json"
    rows = [take, {**take, "tempo": 91.0, **ODD[name]}]
    file.write_text(json.dumps({"format": "deft-reach-logbook", "version": 1, "takes": rows}))
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    station = window.log_station
    form = station.entries
    station.tabs.setCurrentWidget(form)
    monkeypatch.setattr("deft_reach.app.log.entries_form.QFileDialog.getOpenFileName", lambda *_: (str(file), ""))
    QTest.mouseClick(form.import_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(form.import_button.isEnabled, timeout=5000)
    refused = form.words.objectName() == "error"
    assert refused == (name in ("advice", "first day", "last day"))
    assert not refused or "number 2 of its takes" in form.words.text()
    for page in range(station.tabs.count()):
        station.tabs.setCurrentIndex(page)
        assert station.failure is None and station.tabs.currentWidget().failure is None
    assert window.log.count() == (0 if refused else 2)


def test_odd_rows_that_are_in_the_logbook_already_leave_the_log_station_whole(window):
    for tempo in (80, 85, 90):
        window.log.add(tried(tempo))
    base = sqlite3.connect(window.log.path)
    base.execute("UPDATE attempts SET at = '0001-01-01T00:00:00+14:00', tempo = 'fast', load = '[5]' WHERE id = 2")
    base.execute("UPDATE tallies SET last = x'00', clean = 'fast'")
    base.execute("INSERT OR REPLACE INTO worked VALUES ('9999-99-99', 'R', 'long'), (x'ff', '', 'long')")
    base.commit()
    base.close()
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    station = window.log_station
    assert station.failure is None
    for page in range(station.tabs.count()):
        station.tabs.setCurrentIndex(page)
        assert station.tabs.currentWidget().failure is None
    assert station.entries.table.rowCount() == 2


# --- practice that cannot be written --------------------------------------------------------------------------------


def test_a_logbook_that_is_locked_elsewhere_does_not_hold_the_window_up(window, qtbot, qapp, monkeypatch):
    window.log.add(tried(90))
    other = sqlite3.connect(window.log.path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    busy, begin = asked_in_vain(monkeypatch), time.monotonic()
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    QTest.keyClick(window, Qt.Key.Key_6, CTRL)
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    window.log.add(tried(95))
    qapp.processEvents()
    # Every question waited two seconds once, sixteen in all; now one a second waits for a twentieth of one.
    assert len(busy) <= 4 + (time.monotonic() - begin) / LEFT_ALONE
    assert window.log.book.patience <= 0.05
    station = window.log_station
    station.tabs.setCurrentWidget(station.entries)
    assert "another program holds the logbook" in station.entries.words.text()
    assert "1 entry waits safely on disk" in station.entries.words.text()
    other.execute("ROLLBACK")
    other.close()
    qtbot.waitUntil(lambda: not window.log.waiting, timeout=3 * LOG_RETRY_MS)
    assert station.entries.words.text().startswith("2 entries in ")
    assert station.entries.table.rowCount() == 2


@pytest.mark.parametrize("answer", ["Stay", "Close and lose it"])
def test_practice_that_is_nowhere_on_disk_is_not_closed_over(window, monkeypatch, answer):
    def full(*_, **__):
        raise OSError(28, "No space left on device", "book")

    with monkeypatch.context() as broken:
        broken.setattr(unwritten, "write_atomic", full)
        broken.setattr(Logbook, "add", lambda self, entry: (_ for _ in ()).throw(LogbookError("the disk is full")))
        window.log.add(tried(90))
        asked = []

        def reply(box):
            asked.append(box.text())
            press(box, answer)

        in_dialog(QMessageBox, reply)
        window.close()
        assert "1 entry waits in memory only" in asked[0]
        assert window.isVisible() == (answer == "Stay")
    if answer == "Stay":
        window.close()
        assert not window.isVisible() and Logbook(window.state_folder / "logbook.sqlite").count() == 1


# --- no folder to keep things in ------------------------------------------------------------------------------------

START = """
import sys
from PySide6.QtCore import QTimer
from deft_reach.app import run
from deft_reach.app.shell.window import LOG_RETRY_MS, MainWindow

def look():
    window = next(w for w in run.QApplication.topLevelWidgets() if isinstance(w, MainWindow))
    window.session.plans.set_tempo(111)
    window.go("log")
    QTimer.singleShot(1500, lambda: end(window))

def end(window):
    print("notice:", window.notice.text.text(), flush=True)
    print("tempo:", window.session.plan.tempo, window.station, flush=True)
    window.session.mark_saved()
    window.close()

real = run.make_app
def make():
    app = real()
    QTimer.singleShot(0, look)
    return app
run.make_app = make
sys.exit(run.run_window(None, demo=True))
"""


@pytest.mark.parametrize("kind", ["a file", "a pipe", "damaged settings", "deep settings"])
def test_the_window_starts_without_a_usable_state_folder_and_says_so(kind, tmp_path):
    unusable(kind, tmp_path / "xdg-state")
    done = subprocess.run(
        [sys.executable, "-c", START], capture_output=True, text=True, timeout=60, cwd=Path.cwd(), env={**os.environ}
    )
    assert done.returncode == 0 and "Traceback" not in done.stderr, done.stderr
    assert "tempo: 111 log" in done.stdout
    if kind in ("a file", "a pipe"):
        assert "safety copy cannot be written" in done.stdout and "something else stands where" in done.stdout
    else:
        assert done.stdout.splitlines()[0] == "notice: "
