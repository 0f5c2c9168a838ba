"""Starting the window."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QByteArray, Qt, QThreadPool, QTimer
from PySide6.QtWidgets import QApplication

from deft_reach.app import theme
from deft_reach.app.background.background_task import JOBS
from deft_reach.app.background.cycle_collector import CycleCollector
from deft_reach.app.desktop.accessibility import install as install_accessibility

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow


#: How long (seconds) another thread may go on while the window waits for the interpreter. With Python's own 5 ms a
#: drawing would be late by as much with each call into Qt.
SWITCH_INTERVAL: Final = 0.001


def make_app() -> QApplication:
    """The Qt application with its fonts; the running one if there is one."""
    running = QApplication.instance()
    if isinstance(running, QApplication):
        return running
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Deft Reach")
    app.setDesktopFileName("deft-reach")
    app.setStyle("Fusion")
    theme.load_fonts()
    install_accessibility()
    CycleCollector(app)
    QThreadPool.globalInstance().setMaxThreadCount(JOBS)
    sys.setswitchinterval(SWITCH_INTERVAL)
    return app


def run_window(file: str | None, demo: bool = False, new_window: bool = False) -> int:
    """Open the window and run until it is closed.

    A file goes to the window that runs already, unless a new one is asked for.
    """
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(
            "deft-reach: there is no display to open a window on; the verbs work without one, see deft-reach --help",
            file=sys.stderr,
        )
        return 2
    app = make_app()
    from deft_reach.app.background.exception_reporter import ExceptionReporter
    from deft_reach.app.shell.window import MainWindow
    from deft_reach.store.reading import is_file
    from deft_reach.store.settings import Settings

    if file is not None and not new_window and _is_handed_over(Path(file)):
        return 0
    settings = Settings()
    theme.set_text_scale(settings.number("text_scale", 1.0))
    chosen = settings.text("theme", "system", theme.CHOICES)
    theme.apply(app, theme.follow_system() if chosen == "system" else chosen)
    window = MainWindow(settings=settings)
    ExceptionReporter(window.notice).watch()
    geometry = settings.get("window")
    if isinstance(geometry, str):
        window.restoreGeometry(QByteArray.fromHex(geometry.encode("ascii", "replace")))
    window.start_at(settings.text("station", "reach"))
    last = settings.text("last", "")
    window.show_start()
    if demo:
        window.documents.open_demo()
    elif file is not None:
        window.documents.open_path(Path(file))
    elif last and is_file(Path(last)):
        window.documents.open_path(Path(last))
    window.documents.offer_leftovers()
    app.styleHints().colorSchemeChanged.connect(lambda _: window.restyle())
    window.show()
    # Once the window stands: nobody waits for it.
    QTimer.singleShot(0, window, lambda: _receive_files(window))
    QTimer.singleShot(0, window, window.ask_for_motion)
    return app.exec()


def _is_handed_over(path: Path) -> bool:
    from deft_reach.app.desktop.running_window import hand_over

    return hand_over(path)


def _receive_files(window: MainWindow) -> None:
    from deft_reach.app.desktop.running_window import FileReceiver

    FileReceiver(window).listen()
