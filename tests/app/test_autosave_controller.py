"""Work is kept while it is done: by every window for itself, through saves, and when the disk says no."""

import threading

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMessageBox

from deft_reach.app.shell import autosave_controller as module
from deft_reach.app.shell.autosave_controller import AutosaveController
from deft_reach.app.shell.window import MainWindow
from deft_reach.core.session import Session
from deft_reach.store.autosave import Autosave, leftovers
from deft_reach.store.settings import Settings
from tests.app.conftest import in_dialog

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def folder(tmp_path):
    path = tmp_path / "kept"
    path.mkdir()
    return path


@pytest.fixture
def controller(qapp, folder):
    session = Session()
    controller = AutosaveController(session, folder)
    controller.watch()
    yield controller
    controller.close()


def files(folder) -> list:
    return list(folder.glob("*.autosave"))


def test_nothing_is_written_while_all_is_saved(controller, folder):
    controller.keep_now()
    assert files(folder) == []


def test_an_edit_is_kept_a_moment_later_and_gone_once_saved(controller, folder, qtbot):
    controller.session.plans.set_tempo(111)
    qtbot.waitUntil(lambda: len(files(folder)) == 1, timeout=5000)
    assert b'"tempo": 111' in files(folder)[0].read_bytes()
    controller.session.mark_saved()
    controller.forget()
    assert files(folder) == []


def test_a_long_gesture_is_kept_while_it_goes_on(controller, folder, qtbot):
    """Edits every few milliseconds must not put the writing off for ever."""
    for k in range(60):
        controller.session.plans.set_tempo(100 + k % 7, None)
        qtbot.wait(20)
        if files(folder):
            break
    assert files(folder), "kept before the gesture ended"


def test_a_long_plan_is_kept_while_it_is_typed_without_a_rest(controller, folder, qtbot):
    """The analysis of a long plan waits until the keys rest; what was typed does not."""
    session = controller.session
    session.strokes.set_text("/16 " + "R L " * 120)
    controller.keep_now()
    session.later = lambda catch_up: None
    for k in range(200):
        session.strokes.set_text("/16 " + "R L " * 120 + "R " * (k + 1), typing=True)
        assert session.behind
        qtbot.wait(20)
        if controller.on_disk is not None and controller.on_disk is not session.saved_document and k > 5:
            (file,) = files(folder)
            if ("R L " * 120 + "R R R").encode() in file.read_bytes():
                break
    else:
        pytest.fail("never kept while it was typed")
    assert k < 150, "within two seconds, with time to spare"


def test_undoing_everything_leaves_nothing_to_keep(controller, folder):
    controller.session.plans.set_tempo(111)
    controller.keep_now()
    controller.session.undo()
    controller.keep_now()
    assert files(folder) == []


def test_a_disk_that_says_no_is_reported_and_editing_goes_on(controller, folder, qtbot, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Autosave, "keep", full)
    with qtbot.waitSignal(controller.failed, timeout=5000) as told:
        controller.session.plans.set_tempo(111)
    assert told.args == ["No space left on device"]
    assert controller.session.plan.tempo == 111
    assert controller.keep_now() is False and controller.hand_over() is False, "nothing is promised that is not so"


def test_a_write_that_failed_is_tried_again_until_it_is_on_disk(controller, folder, qtbot, monkeypatch):
    real, tries = Autosave.keep, []

    def full_at_first(self, *what):
        tries.append(1)
        if len(tries) < 3:
            raise OSError(28, "No space left on device")
        real(self, *what)

    monkeypatch.setattr(Autosave, "keep", full_at_first)
    monkeypatch.setattr(module, "RETRY_MS", 50)
    controller.session.plans.set_tempo(111)
    qtbot.waitUntil(lambda: bool(files(folder)), timeout=5000)
    assert len(tries) == 3 and controller.keep_now() is True
    assert b'"tempo": 111' in files(folder)[0].read_bytes() and len(tries) == 3, "and once is enough"


def test_an_edit_taken_back_while_it_is_written_is_kept_as_it_is_now(controller, folder, monkeypatch):
    """What counts is what the disk will hold when the writing is over."""
    controller.session.plans.set_tempo(111)
    assert controller.keep_now()
    real, held = Autosave.keep, threading.Event()

    def slow(self, *what):
        held.wait(5)
        real(self, *what)

    monkeypatch.setattr(Autosave, "keep", slow)
    controller.session.end_merge()
    controller.session.plans.set_tempo(120)
    controller.keep()
    controller.session.undo()
    controller.keep()
    held.set()
    assert controller.keep_now()
    assert b'"tempo": 111' in files(folder)[0].read_bytes()


def test_with_a_full_disk_nothing_is_closed_or_discarded_unsaid(qapp, folder, tmp_path, monkeypatch):
    session = Session()
    old = AutosaveController(session, folder)
    session.plans.set_tempo(84)
    assert old.keep_now()
    old.close()

    def full(*_):
        raise OSError(28, "No space left on device")

    window = MainWindow(Session(), Settings(tmp_path / "m.json"), folder)
    window.show()
    monkeypatch.setattr(Autosave, "keep", full)
    window.documents.offer_leftovers()
    back = next(b for b in window.notice.buttons if b.text() == "Bring them back")
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    assert window.session.plan.tempo == 84 and "the safety copy stays" in window.notice.text.text()
    assert len(files(folder)) == 1, "the only copy is still there"
    seen = []

    def choose(box):
        seen.append(box.informativeText())
        keep = next(b for b in box.buttons() if b.text() == "Keep for next time")
        QTest.mouseClick(keep, Qt.MouseButton.LeftButton)

    in_dialog(QMessageBox, choose)
    assert window.close() is False and window.isVisible()
    assert "cannot be kept" in seen[0] and "Nothing could be kept" in window.notice.text.text()
    assert len(files(folder)) == 1
    monkeypatch.undo()
    in_dialog(QMessageBox, choose)
    assert window.close() is True
    assert "offered again" in seen[1] and len(files(folder)) == 2


def test_two_windows_keep_apart_what_is_theirs(qapp, folder, tmp_path):
    windows = [MainWindow(Session(), Settings(tmp_path / f"{k}.json"), folder) for k in range(2)]
    for k, window in enumerate(windows):
        window.session.plans.set_tempo(120 + k)
        window.autosave.keep_now()
    assert len(files(folder)) == 2 and leftovers(folder) == []
    windows[0].autosave.storage.close()
    (left,) = leftovers(folder)
    assert left.document.plans[0].tempo == 120, "only the one whose window is gone"
    for window in windows:
        window.session.mark_saved()
        window.close()


def test_several_leftovers_are_offered_one_after_the_other(qapp, folder, tmp_path):
    for tempo in (80, 85):
        session = Session()
        controller = AutosaveController(session, folder)
        session.plans.set_tempo(tempo)
        controller.keep_now()
        controller.close()
    window = MainWindow(Session(), Settings(tmp_path / "m.json"), folder)
    window.show()
    window.documents.offer_leftovers()
    assert "(1 older set is kept too)" in window.notice.text.text()
    drop = next(b for b in window.notice.buttons if b.text() == "Discard them")
    QTest.mouseClick(drop, Qt.MouseButton.LeftButton)
    assert window.notice.isVisible() and len(files(folder)) == 1
    back = next(b for b in window.notice.buttons if b.text() == "Bring them back")
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    assert window.session.plan.tempo == 80 and not window.session.is_saved
    assert not window.notice.isVisible()
    window.session.mark_saved()
    window.close()
