"""A real window that is worked in without a rest, in a process of its own that is going to be killed.

``python -m tests.hostile.window_driver MODE SEED FILE``: what is done is told on standard output, a line each:
``edit`` with the time (monotonic) and the document's fingerprint, ``entry`` where practice was logged.
"""

from __future__ import annotations

import hashlib
import sys
import time
from itertools import count
from pathlib import Path
from random import Random

from deft_reach.core.document import Document
from deft_reach.store.documents import save_document

MODES = ("text", "lane", "drag", "save", "practice")
#: Between two keys (ms): quicker than anybody types.
PACE_MS = 25
#: Steps of the plan whose lane is typed into: so long that its analysis waits until the keys rest.
LONG = 260


def fingerprint(document: Document) -> str:
    """What tells this state of a document from the ones before and after."""
    kits = [(p.code, p.x, p.y, p.z) for kit in document.kits for p in kit.pieces]
    facts = ([s.text for s in document.patterns], [(p.id, p.tempo, p.repeat) for p in document.plans], kits)
    return hashlib.sha1(repr(facts).encode(), usedforsecurity=False).hexdigest()[:16]


def main() -> None:
    mode, seed, file = sys.argv[1], int(sys.argv[2]), Path(sys.argv[3])
    from PySide6.QtCore import QPointF, Qt, QTimer
    from PySide6.QtTest import QTest

    from deft_reach.app import run

    chance, control = Random(seed), Qt.KeyboardModifier.ControlModifier
    last = [""]
    numbers = count()

    def tell() -> None:
        now = fingerprint(window.session.document)
        if now != last[0]:
            last[0] = now
            print("edit", time.monotonic(), now, flush=True)

    def type_text() -> None:
        editor = window.write_station.editor
        QTest.keyClick(editor, chance.choice([*"RLRLK- |>", Qt.Key.Key_Return, Qt.Key.Key_Backspace]))

    def type_lane() -> None:
        QTest.keyClick(window.write_station.lane, chance.choice("rlrlk-"))

    def drag_piece() -> None:
        plan = window.kit_station.plan
        k = next(numbers)
        x, y = window.session.kit.piece("sn").body
        if k % 200 == 0:
            QTest.mousePress(plan, Qt.MouseButton.LeftButton, pos=plan.to_px(x, y).toPoint())
        # A slow circle, held all the time.
        QTest.mouseMove(plan, (plan.to_px(0, 500) + QPointF(40 * (k % 5), 30 * (k % 7))).toPoint())

    def save_now_and_then() -> None:
        if chance.random() < 0.08:
            QTest.keyClick(window, Qt.Key.Key_S, control)
        else:
            type_text()

    def practise() -> None:
        station = window.climb_station
        passed = count(station.clock() + 61.0, 61.0)
        station.clock = lambda: next(passed)
        before = window.log.count()
        QTest.keyClick(station.chart, chance.choice("123"))
        if window.log.count() > before and window.log.is_safe:
            print("entry", time.monotonic(), window.log.count(), flush=True)
        QTest.keyClick(window, Qt.Key.Key_Up if chance.random() < 0.5 else Qt.Key.Key_Down, control)

    def begin() -> None:
        nonlocal window
        window = next(w for w in app.topLevelWidgets() if isinstance(w, MainWindow))
        if mode == "lane":
            window.session.plans.new_plan("Long", "/16 " + "R L " * (LONG // 2))
            window.autosave.keep_now()
        window.go({"drag": "kit", "practice": "climb"}.get(mode, "write"))
        window.activateWindow()
        focus = {"lane": window.write_station.lane, "text": window.write_station.editor}.get(mode)
        if focus is not None:
            focus.setFocus()
        tell()
        step = {
            "text": type_text, "lane": type_lane, "drag": drag_piece, "save": save_now_and_then, "practice": practise,
        }[mode]  # fmt: skip
        timer.timeout.connect(lambda: (step(), tell()))
        timer.start(PACE_MS)

    app = run.make_app()
    from deft_reach.app.shell.window import MainWindow
    from deft_reach.store.documents import open_document
    from deft_reach.store.places import demo_file

    document, _ = open_document(demo_file())
    save_document(file, document)
    window: MainWindow
    timer = QTimer()
    QTimer.singleShot(0, begin)
    sys.exit(run.run_window(str(file)))


if __name__ == "__main__":
    main()
