"""Work in the background: it ends with the window, and nothing answers what is gone."""

import time

import shiboken6
from PySide6.QtCore import QCoreApplication, QEvent, QThreadPool

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.canvas.staff import Staff


def endless(progress):
    while True:
        progress.at(0)
        time.sleep(0.005)


def test_what_is_worked_out_for_a_window_ends_with_it(window):
    tasks = [BackgroundTask(Exception) for _ in range(4)]
    for task in tasks:
        task.start(endless)
    window.session.mark_saved()
    window.close()
    assert QThreadPool.globalInstance().waitForDone(60_000), "they were cancelled"
    assert not any(task.busy for task in tasks)


def test_a_long_search_keeps_no_short_job_waiting(qapp, qtbot):
    long, short = [BackgroundTask(Exception) for _ in range(3)], BackgroundTask(Exception)
    for task in long:
        task.start(endless)
    with qtbot.waitSignal(short.finished) as heard:
        short.start(lambda progress: "done")
    assert heard.args == ["done"] and all(task.busy for task in long)
    for task in long:
        task.cancel()
    assert QThreadPool.globalInstance().waitForDone(60_000)


def test_a_staff_that_is_gone_takes_no_drawing(window, qtbot):
    staff = Staff(window.session)
    engraving = staff._engraving
    staff.deleteLater()
    QCoreApplication.sendPostedEvents(staff, QEvent.Type.DeferredDelete.value)
    assert not shiboken6.isValid(staff)
    with qtbot.captureExceptions() as caught:
        engraving.finished.emit("late")
    assert not caught
