"""What nobody foresaw is said in the window, from whatever thread it comes, and nothing hangs."""

import sys
import threading

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.background.exception_reporter import ExceptionReporter
from deft_reach.core.notation.stroke_text import StrokeTextError


def fail():
    try:
        raise RuntimeError("a stick broke")
    except RuntimeError:
        return sys.exc_info()


def test_a_fault_is_said_and_its_details_can_be_copied(window, qapp, capsys):
    watch = ExceptionReporter(window.notice)
    watch.hook(*fail())
    assert window.notice.isVisible() and "a stick broke" in window.notice.text.text()
    assert "Your work is kept" in window.notice.text.text() and "a stick broke" in capsys.readouterr().err
    copy = next(b for b in window.notice.buttons if b.text() == "Copy the details")
    QTest.mouseClick(copy, Qt.MouseButton.LeftButton)
    text = QApplication.clipboard().text()
    assert "Traceback" in text and "test_exception_reporter" in text and not window.notice.isVisible()


def test_a_fault_in_another_thread_is_said_in_the_windows_own(window, qtbot):
    watch = ExceptionReporter(window.notice)
    thread = threading.Thread(target=lambda: watch.hook(*fail()))
    thread.start()
    thread.join()
    qtbot.waitUntil(window.notice.isVisible, timeout=3000)


def test_stopping_the_program_by_key_is_no_fault(window):
    ExceptionReporter(window.notice).hook(KeyboardInterrupt, KeyboardInterrupt(), None)
    assert not window.notice.isVisible()


@pytest.mark.parametrize("error", [ValueError("refused"), ZeroDivisionError("unforeseen")])
def test_a_question_that_fails_is_answered_all_the_same(qtbot, error):
    task = BackgroundTask(ValueError)
    answers = []
    task.finished.connect(answers.append)

    def work(progress):
        raise error

    with qtbot.captureExceptions() as caught:
        task.start(work)
        qtbot.waitUntil(lambda: bool(answers), timeout=3000)
    assert not task.busy and str(error) in answers[0]
    assert bool(caught) == isinstance(error, ZeroDivisionError)


UNFINISHED = "/16 R@hh> L. K R@rd L@t1 K R. L. R@c1>+K L. R@ft K L@t1 R@rd R> - ? R L R L |"


@pytest.mark.parametrize("text", [UNFINISHED.replace("?", "R"), UNFINISHED])
def test_a_bar_that_does_not_add_up_stops_no_station(window, qtbot, text):
    """Every search that takes the strokes apart and reads them again is asked, in every station."""
    session = window.session
    session.show_plan("storm")
    session.strokes.set_text(text)
    assert isinstance(session.error, StrokeTextError)
    for station in ("kit", "write", "voice", "reach", "song", "climb", "log"):
        window.go(station)
        window.grab()
    window.go("reach")
    session.select_stroke(0)
    form = window.reach_station.hands
    assert form.settings.value("which") == "all"
    QTest.mouseClick(form.find_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not form.task.busy and form.found is not None, timeout=10_000)
    window.go("voice")
    form = window.voice_station.adviser
    QTest.mouseClick(form.find_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not form.task.busy, timeout=10_000)
    assert form.found is not None or "sticking" in form.words.text()


def test_a_voice_that_the_kit_lacks_is_named_by_the_search(window, qtbot):
    window.session.show_plan("storm")
    window.session.strokes.set_text("/16 R@t2 L R@c2 L |")
    window.go("voice")
    form = window.voice_station.adviser
    QTest.mouseClick(form.find_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not form.task.busy, timeout=10_000)
    assert "has no c2, t2" in form.words.text() and form.words.objectName() == "error"
