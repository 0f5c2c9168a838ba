"""Everything that leaves the window, under a real event loop: afterwards the window works as before."""

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from deft_reach.app.shell.exchange_controller import KIT_EXPORTS, PLAN_EXPORTS

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
#: Between two steps (ms): the loop turns, and what is to be deleted later is.
PAUSE_MS = 30


def run_in_loop(app, steps):
    """Do one thing after the other, each from the running event loop, as a user's hands do."""
    # A loop of its own: one that the application has left ends every later one at once.
    faults, waiting, loop = [], list(steps), QEventLoop(app)

    def step():
        if not waiting:
            loop.quit()
            return
        try:
            waiting.pop(0)()
        except BaseException as fault:
            faults.append(fault)
            loop.quit()
        else:
            QTimer.singleShot(PAUSE_MS, step)

    QTimer.singleShot(0, step)
    loop.exec()
    if faults:
        raise faults[0]


def accept_printing(window, path):
    dialog = window.findChild(QPrintDialog)
    printer = dialog.printer()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(path))
    dialog.done(1)


def every_way_out(window, monkeypatch, folder):
    """Each export, print and copy: its name, the steps that lead to it, and the file that it writes."""

    def saved(name, chosen):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(folder / name), chosen))

    for what, exports, keys in (
        ("plan", PLAN_EXPORTS, (Qt.Key.Key_E, CTRL | SHIFT)),
        ("kit", {words: ending for words, (ending, _) in KIT_EXPORTS.items()}, (Qt.Key.Key_E, CTRL)),
    ):
        for k, (words, ending) in enumerate(exports.items()):
            name = f"{what}-{k}{ending}"
            steps = [lambda n=name, w=words: saved(n, w), lambda k=keys: QTest.keyClick(window, *k)]
            yield f"{what}: {words}", steps, folder / name
    for what, keys in (("plan", (Qt.Key.Key_P, CTRL)), ("kit", (Qt.Key.Key_P, CTRL | SHIFT))):
        path = folder / f"printed-{what}.pdf"
        steps = [lambda k=keys: QTest.keyClick(window, *k), lambda p=path: accept_printing(window, p)]
        yield f"print the {what}", steps, path
    for copied in ("Picture of this drawing", "Stroke text", "MIDI"):
        yield f"copy as {copied}", [lambda c=copied: menu_entry(window, c).trigger()], None


def menu_entry(window, words):
    return next(a for a in window.findChildren(QAction) if a.text().replace("&", "") == words)


def test_after_every_export_and_print_each_key_reaches_the_document(window, qapp, qtbot, monkeypatch, tmp_path):
    window.go("write")
    station, session = window.write_station, window.session
    session.plans.new_plan("Long way out", "/16 R L R L")
    written = []

    def type_two_strokes(name):
        """Two keys in the lane, and what everybody says of them."""
        station.lane.setFocus()
        QTest.keyClick(station.lane, Qt.Key.Key_End)
        before = session.report.summary.strokes
        for key in "rl":
            QTest.keyClick(station.lane, key)
        assert session.report.pattern.text == session.text == station.editor.toPlainText(), name
        assert session.report.summary.strokes == before + 2, name
        assert f"{before + 2} strokes" in station.weave.accessibleDescription(), name
        assert not session.is_saved and window.header.saved.text() == "unsaved changes, kept safe", name
        session.mark_saved()

    with qtbot.captureExceptions() as caught:
        steps = []
        for name, keys, path in every_way_out(window, monkeypatch, tmp_path):
            steps += [window.activateWindow, *keys, lambda n=name: type_two_strokes(n)]
            written += [path] if path is not None else []
        run_in_loop(qapp, steps)
    assert not caught, caught[0]
    assert [path.name for path in written if not path.stat().st_size] == []
    assert len(written) == len(PLAN_EXPORTS) + len(KIT_EXPORTS) + 2


def test_a_view_that_fails_is_reported_and_the_others_go_on(window, qtbot):
    window.go("write")
    session, editor = window.session, window.write_station.editor
    session.plans.new_plan("Short", "R L R L")

    def fail():
        raise RuntimeError("wrapped C/C++ object has been deleted")

    for signal in (session.changed, session.verdict, session.selected):
        signal._listeners.insert(0, fail)
    with qtbot.captureExceptions() as caught:
        window.write_station.lane.setFocus()
        QTest.keyClick(window.write_station.lane, Qt.Key.Key_End)
        QTest.keyClick(window.write_station.lane, "r")
    assert len(caught) >= 2 and all("deleted" in str(error) for _, error, _ in caught)
    assert editor.toPlainText() == session.text == session.report.pattern.text
