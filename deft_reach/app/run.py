"""Starting the window."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PySide6.QtCore import QByteArray, Qt
from PySide6.QtWidgets import QApplication

from deft_reach.app import theme
from deft_reach.app.tidy import Tidy


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
    Tidy(app)
    return app


def run_window(file: str | None, demo: bool = False) -> int:
    """Open the window and run until it is closed."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(
            "deft-reach: there is no display to open a window on; the verbs work without one, see deft-reach --help",
            file=sys.stderr,
        )
        return 2
    app = make_app()
    from deft_reach.app.fault_watch import FaultWatch
    from deft_reach.app.window import STATIONS, MainWindow
    from deft_reach.store.recent import Memory

    memory = Memory()
    theme.set_text_scale(_number(memory.get("text_scale"), 1.0))
    chosen = memory.get("theme", "system")
    theme.apply(app, theme.follow_system() if chosen not in ("light", "dark") else chosen)
    window = MainWindow(memory=memory)
    FaultWatch(window.notice).watch()
    geometry = memory.get("window")
    if isinstance(geometry, str):
        window.restoreGeometry(QByteArray.fromHex(geometry.encode()))
    station = memory.get("station", "reach")
    window._station = station if station in STATIONS else "reach"
    last = memory.get("last")
    window.show_start()
    if demo:
        window.open_demo()
    elif file is not None:
        window.open_path(Path(file))
    elif isinstance(last, str) and Path(last).is_file():
        window.open_path(Path(last))
    window.offer_leftovers()
    app.styleHints().colorSchemeChanged.connect(lambda _: window.rebuild())
    window.show()
    return app.exec()


def _number(value: object, default: float) -> float:
    return float(value) if isinstance(value, int | float) else default
