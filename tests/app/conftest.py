"""A real window on the demo, off-screen, driven by clicks, drags and keys."""

from __future__ import annotations

import time

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from deft_reach.app import theme
from deft_reach.app.run import make_app
from deft_reach.app.shell.stations import STATIONS
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.documents import open_document
from deft_reach.store.places import demo_file
from deft_reach.store.settings import Settings

#: Nothing that comes at all comes later than this, on a machine that does ten things at once.
PATIENCE_MS = 90_000


@pytest.fixture(scope="session")
def qapp():
    app = make_app()
    theme.apply(app, "light")
    return app


@pytest.fixture(autouse=True)
def patience(monkeypatch):
    """How long something is waited for says when to give up, and not how long it may take: machines can be busy."""
    for name in ("waitUntil", "waitSignal"):
        wait = getattr(QtBot, name)

        def patient(self, *args, timeout=5000, wait=wait, **named):
            return wait(self, *args, timeout=max(timeout, PATIENCE_MS), **named)

        monkeypatch.setattr(QtBot, name, patient)


@pytest.fixture(autouse=True)
def no_dialog_stays_open(qapp):
    """A dialog that nobody answers would keep its test, and every later one, waiting for ever."""
    asked, since = None, 0.0

    def look():
        nonlocal asked, since
        if (now := open_dialog()) is not asked:
            asked, since = now, time.monotonic()
        elif asked is not None and time.monotonic() - since > PATIENCE_MS / 1000:
            close_dialogs()

    timer = QTimer(interval=500)
    timer.timeout.connect(look)
    timer.start()
    yield
    timer.stop()
    for expected in _expected:
        expected.stop()
    _expected.clear()
    close_dialogs()


@pytest.fixture(autouse=True)
def no_window_is_left(qapp, no_dialog_stays_open):
    """Without a loop around it Qt puts deletions off for ever: windows would heap up from test to test."""
    yield
    for left in qapp.topLevelWidgets():
        if isinstance(left, MainWindow):
            left.session.mark_saved()
            left.close()
            left.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    qapp.processEvents()


@pytest.fixture
def window(qapp, qtbot, tmp_path):
    """The demo, open at its first plan."""
    kept = tmp_path / "kept"
    kept.mkdir()
    window = MainWindow(settings=Settings(tmp_path / "settings.json"), keep_in=kept)
    document, _ = open_document(demo_file())
    window.documents.take(document, None, None, clean=True, plan="gangway")
    window.resize(1280, 800)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qapp.processEvents()
    return window


def point(at: QPointF) -> QPoint:
    return QPoint(round(at.x()), round(at.y()))


def click(widget, at: QPointF) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=point(at))


def drag(widget, start: QPointF, end: QPointF, steps: int = 6, release: bool = True) -> None:
    """Press, move in steps, release, as a hand on a mouse does."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=point(start))
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, point(start + (end - start) * k / steps))
        QTest.qWait(1)
    if release:
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=point(end))


def type_text(widget, text: str) -> None:
    QTest.keyClicks(widget, text)


def show(station, name: str) -> None:
    """Go to a page of a station by a click on its tab; ``name`` is what its title begins with."""
    bar = station.tabs.tabBar()
    at = next(k for k in range(bar.count()) if bar.tabText(k).startswith(name))
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar.tabRect(at).center())


def reveal(widget) -> None:
    """Open the popover that a widget is in, if it is in one, as a user would."""
    inside = widget
    while inside is not None and inside.objectName() != "popover":
        inside = inside.parentWidget()
    if inside is not None and not inside.isVisible():
        QTest.mouseClick(inside.parentWidget(), Qt.MouseButton.LeftButton)


def choose(menu, start: str) -> None:
    """Open a menu and choose the entry whose words begin so, by keys."""
    menu.popup(QPoint(0, 0))
    action = next(a for a in menu.actions() if a.text().startswith(start))
    menu.setActiveAction(action)
    QTest.keyClick(menu, Qt.Key.Key_Return)


def pick(box, text: str) -> None:
    """Go to the entry of a combo box whose words begin so, by keys."""
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Home)
    while not box.currentText().startswith(text):
        QTest.keyClick(box, Qt.Key.Key_Down)


def enter(box, text: str) -> None:
    """Type into a field in place of what is there, and Return."""
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, text)
    QTest.keyClick(box, Qt.Key.Key_Return)


#: Timers that wait for a dialog to open.
_expected: list[QTimer] = []


def open_dialog():
    """What keeps everything else from being clicked, if anything does."""
    return QApplication.activeModalWidget() or QApplication.activePopupWidget()


def close_dialogs() -> None:
    """Close what is open, the innermost first."""
    for _ in range(10):
        if (left := open_dialog()) is None:
            return
        left.reject() if isinstance(left, QDialog) else left.close()


def in_dialog(kind, act) -> None:
    """Do something in the next modal dialog of this kind, as soon as it is open.

    If that fails the dialog is closed: nothing else would ever end it.
    """
    timer = QTimer(interval=20)

    def look():
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, kind) or not dialog.isVisible():
            return
        timer.stop()
        try:
            act(dialog)
        except BaseException:
            close_dialogs()
            raise

    timer.timeout.connect(look)
    timer.start()
    _expected.append(timer)


def every_page(window):
    """Show each page of each station in turn, laid out and painted.

    Yields:
        The station's name and the number of its page.
    """
    for name in STATIONS:
        window.go(name)
        tabs = getattr(window.station_widget(name), "tabs", None)
        for page in range(tabs.count() if tabs is not None else 1):
            if tabs is not None:
                tabs.setCurrentIndex(page)
            for _ in range(4):
                QCoreApplication.processEvents()
            yield name, page
