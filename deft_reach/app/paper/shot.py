"""Pictures of the views on the demo data."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor, QPainter, QPixmap
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from deft_reach.app import theme
from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.paper.png import png_of
from deft_reach.app.run import make_app
from deft_reach.app.shell.commitments import Commitments
from deft_reach.app.shell.window import MainWindow
from deft_reach.core.document import MissingError
from deft_reach.core.session import Session
from deft_reach.store.documents import open_document
from deft_reach.store.log_exchange import from_csv
from deft_reach.store.places import demo_file, demo_log_file
from deft_reach.store.settings import Settings

DIALOGS: dict[str, Callable[[Session, QWidget], QDialog]] = {"commit": CommitDialog, "commitments": Commitments}
#: What works in the background, as the engraver does, a picture waits so long for.
WAIT_S = 30
DEFAULT_PLAN = {
    "kit": "gangway",
    "write": "parade",
    "staff": "storm",
    "voice": "parade",
    "reach": "storm",
    "tray": "storm",
    "song": "storm",
    "climb": "storm",
    "log": "storm",
    "today": "storm",
    "commit": "storm",
    "commitments": "storm",
    "start": "gangway",
}


def take_shot(view: str, size: tuple[int, int], plan: str | None, theme_name: str) -> bytes:
    """A PNG of a view. Raises KeyError for an unknown plan."""
    app = make_app()
    theme.apply(app, theme_name)
    with tempfile.TemporaryDirectory() as folder:
        window = MainWindow(settings=Settings(Path(folder) / "settings.json"), keep_in=Path(folder))
        window.resize(*size)
        document, _ = open_document(demo_file())
        try:
            chosen = document.plan(plan or DEFAULT_PLAN[view]).id
        except MissingError as error:
            raise KeyError(str(error)) from None
        window.show_start()
        if view != "start":
            window.documents.take(document, None, None, clean=True, plan=chosen)
            window.go("reach" if view in DIALOGS or view == "tray" else "write" if view == "staff" else view)
        if view in ("climb", "log", "today"):
            _practise(window)
        window.show()
        app.processEvents()
        if view == "kit":
            window.session.select_piece("ft")
        elif view == "reach" or view in DIALOGS:
            report = window.session.report
            if report is not None and report.serious:
                window.session.select_finding(report.serious[0])
        elif view == "tray":
            station = window.reach_station
            station.hands.compare_row(1)
        elif view == "log":
            takes = window.log_station.takes
            takes.play.click()
            _wait(takes.limbs.isVisible)
        elif view == "today":
            window.today_station.refresh()
            _wait(lambda: window.today_station.day is not None)
        elif view in ("staff", "write"):
            _wait(lambda: window.write_station.staff.ready)
        for _ in range(4):
            app.processEvents()
        picture = window.grab()
        if view in DIALOGS:
            picture = _with_dialog(window, picture, DIALOGS[view](window.session, window))
        window.session.mark_saved()
        window.close()
        return png_of(picture.toImage())


def _wait(until: Callable[[], bool]) -> None:
    end = time.monotonic() + WAIT_S
    while not until() and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.02)


def _practise(window: MainWindow) -> None:
    """The demo's practice in the log, looked at on the day of its last entry."""
    book = window.log.book
    if book is None:
        return
    from_csv(book, demo_log_file().read_text(encoding="utf-8"))
    last = datetime.fromisoformat(book.attempts()[-1].at)
    window.climb_station.now = window.log_station.now = lambda: last
    # A day later there are minutes to fill.
    window.today_station.now = lambda: last + timedelta(days=1)
    window.climb_station.build()
    window.log_station.refresh()


def _with_dialog(window: MainWindow, picture: QPixmap, dialog: QDialog) -> QPixmap:
    """The dialog drawn where it would stand over the window."""
    dialog.adjustSize()
    dialog.ensurePolished()
    front = dialog.grab()
    painter = QPainter(picture)
    painter.fillRect(picture.rect(), QColor(0, 0, 0, 70))
    painter.drawPixmap(QPoint((window.width() - front.width()) // 2, (window.height() - front.height()) // 2), front)
    painter.end()
    return picture
