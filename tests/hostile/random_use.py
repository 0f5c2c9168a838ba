"""Hands that know nothing, in windows and dialogs, and a watch on how long the window does not answer them.

``python -m tests.hostile.random_use --actions 3000`` (or ``--minutes 60``) works in the demo's window and says what
failed, what on the screen was not so, and where it stood still for longer than a quarter of a second.
"""

from __future__ import annotations

import argparse
import math
import random
import sys
import threading
import time
import traceback
from collections import Counter
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget

from deft_reach.core.session.history import HISTORY
from tests.hostile.invariants import all_can_be_undone, saved_is_what_is_held, settle, views_are_of_the_state

LETTERS = "RLKHJ1234567890abcnpx?.>+-()@ []"
KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete, Qt.Key.Key_Backspace,
    Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_F2,
]  # fmt: skip
NONE, SHIFT, CTRL = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


#: All stations.
EVERYWHERE = ("kit", "write", "voice", "reach", "song", "climb", "log")
#: Actions that leave the window or the screen.
NOT_CHOSEN = ("Quit", "Close", "Full screen")
#: What names of files end in.
ENDINGS = (".reach", ".mid", ".musicxml", ".csv", ".txt", ".wav", ".pdf", ".svg", ".json", "")
#: Actions in one window, then another one is opened.
IN_ONE_WINDOW = 1500
#: After so many actions everything has to be as it should.
LOOKED_AT = 150
#: How long a dialog that a dialog opened stays open.
NESTED_MS = 200
#: A window that does not answer for so long (seconds) stands still.
STALL = 0.25
#: Or one that waits so many times as long for something: that may be what else the machine does.
WAITS = 40


class Hands:
    """Somebody at the window who does whatever comes to mind; ``done`` is what they did, to be done again."""

    def __init__(self, app, window, seed):
        self.app, self.window, self.chance = app, window, random.Random(seed)
        self.done = []
        #: The dialog or menu in which something is done at the moment.
        self.inside: QWidget | None = None

    def work_in_what_waits(self):
        """Dialogs and menus run a loop of their own: there is work in them too, until they are closed."""
        asked = self.app.activeModalWidget() or self.app.activePopupWidget()
        if asked is None or self.inside is not None:
            return
        if self.chance.random() < 0.3:
            asked.close()
            return
        self.inside = asked
        QTimer.singleShot(NESTED_MS, self.close_nested)
        try:
            self.step_inside()
        except RuntimeError as error:
            # A widget may be gone by the time it is let go of.
            if "already deleted" not in str(error):
                raise
        finally:
            self.inside = None

    def close_nested(self):
        """What a dialog opens in its turn waits inside the timer that works in dialogs: others have to close it."""
        if self.inside is None:
            return
        asked = self.app.activeModalWidget() or self.app.activePopupWidget()
        if asked is not None and asked is not self.inside:
            asked.close()
        QTimer.singleShot(NESTED_MS, self.close_nested)

    def somewhere(self):
        root = self.app.activeModalWidget() or self.app.activePopupWidget() or self.window
        there = [
            w
            for w in root.findChildren(QWidget)
            if w.isVisible() and w.isEnabled() and min(w.width(), w.height()) > 4
        ]
        return self.chance.choice(there) if there else root

    def place(self, widget):
        return QPoint(self.chance.randrange(widget.width()), self.chance.randrange(widget.height()))

    def step(self):
        what, chance = self.somewhere(), self.chance
        match chance.randrange(20):
            case 0:
                station = chance.choice(EVERYWHERE)
                self.done.append(f"go {station}")
                self.window.go(station)
            case 1:
                plan = chance.choice([plan.id for plan in self.window.session.document.plans] or [None])
                self.done.append(f"plan {plan}")
                if plan is not None:
                    self.window.session.show_plan(plan)
            case 2:
                # What is seldom hit by chance: everything in the menus.
                action = chance.choice([a for a in self.window.findChildren(QAction) if a.text() and a.isEnabled()])
                if not any(word in action.text().replace("&", "") for word in NOT_CHOSEN):
                    self.done.append(f"choose {action.text()}")
                    action.trigger()
            case _:
                self.touch(what)
        self.app.processEvents()

    def step_inside(self):
        """Something in the dialog or menu that waits."""
        self.touch(self.somewhere())

    def touch(self, what):
        """A click, a drag or a key."""
        chance = self.chance
        name = f"{type(what).__name__} {what.accessibleName()}"
        focus = self.app.focusWidget() or what
        match chance.randrange(2, 20):
            case 2 | 3:
                self.done.append(f"drag over {name}")
                begin, end = self.place(what), self.place(what)
                QTest.mousePress(what, LEFT, NONE, begin)
                QTest.mouseMove(what, (begin + end) / 2)
                QTest.mouseMove(what, end)
                if chance.random() < 0.2:
                    QTest.keyClick(what, Qt.Key.Key_Escape)
                QTest.mouseRelease(what, LEFT, NONE, end)
            case 4 | 5 | 6 | 7 | 8:
                letter = chance.choice(LETTERS)
                self.done.append(f"type {letter} at {type(focus).__name__}")
                QTest.keyClick(focus, letter)
            case 9 | 10 | 11:
                key, mod = chance.choice(KEYS), chance.choice([NONE, NONE, SHIFT, CTRL])
                self.done.append(f"{mod.name} {key.name} at {type(focus).__name__}")
                QTest.keyClick(focus, key, mod)
            case 12:
                letter = chance.choice("zzzyxcvrdleno")
                self.done.append(f"Ctrl+{letter}")
                QTest.keyClick(focus, letter, CTRL | (SHIFT if chance.random() < 0.3 else NONE))
            case _:
                self.done.append(f"click on {name}")
                QTest.mouseClick(
                    what, chance.choice([LEFT] * 5 + [RIGHT]), chance.choice([NONE] * 4 + [SHIFT]), self.place(what)
                )


class Stall(NamedTuple):
    """How long the window stood still (seconds), after what, and where the code was half-way."""

    seconds: float
    after: str
    where: str


class Watchdog:
    """Looks from a thread of its own how long each step takes, and at the stack of one that takes too long.

    What counts is the time the window's thread works, so that a busy machine stalls nothing; or that it waits for
    very long.
    """

    def __init__(self, limit: float = STALL) -> None:
        self.limit = limit
        self.stalls: list[Stall] = []
        self._main = threading.main_thread().ident
        assert self._main is not None
        self._clock = time.pthread_getcpuclockid(self._main)
        self._begun: tuple[float, float] | None = None
        self._where = ""
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()

    def begin(self) -> None:
        self._where, self._begun = "", self._now()

    def _now(self) -> tuple[float, float]:
        return time.perf_counter(), time.clock_gettime(self._clock)

    def _spent(self, begun: tuple[float, float]) -> float:
        passed, worked = (now - then for now, then in zip(self._now(), begun))
        return max(worked, passed / WAITS)

    def end(self, after: str) -> None:
        assert self._begun is not None
        spent, self._begun = self._spent(self._begun), None
        if spent > self.limit:
            self.stalls.append(Stall(spent, after, self._where))

    def close(self) -> None:
        self._ended.set()
        self._thread.join()

    def _look(self) -> None:
        while not self._ended.wait(self.limit / 10):
            begun = self._begun
            if begun is not None and not self._where and self._spent(begun) > 0.7 * self.limit:
                frame = sys._current_frames().get(self._main)  # type: ignore[arg-type]
                stack = traceback.extract_stack(frame) if frame is not None else []
                frames = [row for row in stack if {"deft_reach", "tests"} & {*Path(row.filename).parts}]
                ours = [f"{Path(row.filename).name}:{row.lineno} {row.name}" for row in frames[-6:]]
                self._where = " < ".join(reversed(ours))


class Files:
    """What the file dialogs answer: now and then a file of one of the kinds, now and then nothing."""

    def __init__(self, folder: Path, chance: random.Random) -> None:
        self.folder, self.chance = folder, chance

    def save(self, *args: object, **named: object) -> tuple[str, str]:
        if self.chance.random() < 0.5:
            return "", ""
        filters = next((a for a in args if isinstance(a, str) and "*." in a), "")
        chosen = self.chance.choice(filters.split(";;")) if filters else ""
        ending = self.chance.choice(
            [".reach", ".mid", ".musicxml", ".csv", ".txt", ".wav", ".pdf", ".svg", ".json", ""]
        )
        return str(self.folder / f"file-{self.chance.randrange(6)}{ending}"), chosen

    def open(self, *args: object, **named: object) -> tuple[str, str]:
        there = sorted(self.folder.glob("file-*"))
        return (str(self.chance.choice(there)), "") if there and self.chance.random() < 0.6 else ("", "")


def work(app: QApplication, hands: Hands, watch: Watchdog, actions: int, until: float = math.inf) -> list[str]:
    """Let the hands work, watched; what went wrong."""
    faults = []
    closer = QTimer()
    closer.timeout.connect(hands.work_in_what_waits)
    closer.start(25)
    for number in range(actions):
        waited = is_asked(app)
        watch.begin()
        try:
            hands.step()
        except RuntimeError as error:
            # A widget may be gone by the time it is let go of.
            if "already deleted" not in str(error):
                faults.append(traceback.format_exc())
        # A dialog waits for its reader: that is no standing still.
        if not waited and not is_asked(app):
            watch.end(hands.done[-1] if hands.done else "the first step")
        if number % LOOKED_AT == LOOKED_AT - 1:
            faults += look(app, hands)
        if time.monotonic() > until:
            break
    closer.stop()
    return faults


def look(app: QApplication, hands: Hands) -> list[str]:
    """What is not as it should be, once nothing is asked."""
    end = time.monotonic() + 5
    while is_asked(app) and time.monotonic() < end:
        asked = app.activeModalWidget() or app.activePopupWidget()
        if asked is not None:
            asked.close()
        app.processEvents()
    if is_asked(app):
        return []
    settle(app, hands.window)
    return [f"{words}; after {hands.done[-4:]}" for words in views_are_of_the_state(hands.window)]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--actions", type=int, default=3000)
    parser.add_argument("--minutes", type=float, help="instead of so many actions; in one window after the other")
    parser.add_argument("--seed", type=int, default=0)
    args = parser.parse_args()
    from deft_reach.app import theme
    from deft_reach.app.run import make_app

    app = make_app()
    theme.apply(app, "light")
    faults: list[str] = []
    sys.excepthook = lambda kind, error, trace: faults.append("".join(traceback.format_exception(kind, error, trace)))
    watch = Watchdog()
    until = math.inf if args.minutes is None else time.monotonic() + 60 * args.minutes
    done, seed = 0, args.seed
    while done < args.actions if args.minutes is None else time.monotonic() < until:
        actions = min(args.actions - done, IN_ONE_WINDOW) if args.minutes is None else IN_ONE_WINDOW
        try:
            found = in_a_window(app, seed, watch, actions, until)
        except Exception:
            # The hook for what fails in the window would keep it to itself.
            found = [traceback.format_exc()]
        faults += found
        for fault in faults[-len(found) :] if found else ():
            print(f"seed {seed}: {fault}", flush=True)
        done, seed = done + actions, seed + 1
    watch.close()
    for fault in faults:
        print(fault)
    for words, times in Counter(stall.where.split(" < ")[0] for stall in watch.stalls).most_common(10):
        print(f"{times} times at {words or 'an unknown place'}")
    for stall in sorted(watch.stalls, reverse=True)[:15]:
        print(f"{stall.seconds:.2f} s after {stall.after}: {stall.where}")
    print(f"{done} actions, {len(faults)} faults, {len(watch.stalls)} times still for over {STALL} s")
    return 1 if faults else 0


def in_a_window(app: QApplication, seed: int, watch: Watchdog, actions: int, until: float) -> list[str]:
    """Work in a new window on the demo; what went wrong, what was lost among it."""
    from deft_reach.app.shell.window import MainWindow
    from deft_reach.store.documents import open_document
    from deft_reach.store.places import demo_file
    from deft_reach.store.settings import Settings

    with TemporaryDirectory() as name:
        folder = Path(name)
        files = Files(folder, random.Random(seed))
        QFileDialog.getOpenFileName, QFileDialog.getSaveFileName = files.open, files.save  # type: ignore[method-assign]
        window = MainWindow(settings=Settings(folder / "settings.json"), keep_in=folder)
        taken: list[object] = []
        take = window.documents.take
        window.documents.take = lambda *a, **k: taken.append(a) or take(*a, **k)  # type: ignore[method-assign,func-returns-value]
        window.documents.take(open_document(demo_file())[0], None, None, clean=True)
        window.show()
        QTest.qWaitForWindowExposed(window)
        began = window.session.document
        faults = work(app, Hands(app, window, seed), watch, actions, until)
        faults += look(app, Hands(app, window, seed))
        if not is_asked(app):
            faults += saved_is_what_is_held(window, folder)
            full = len(window.session._steps) >= HISTORY
            faults += all_can_be_undone(window, None if full or len(taken) > 1 else began)
        window.session.mark_saved()
        window.close()
        window.deleteLater()
        settle(app, window)
    return faults


def is_asked(app: QApplication) -> bool:
    """Whether a dialog or a menu has the floor."""
    return app.activeModalWidget() is not None or app.activePopupWidget() is not None


if __name__ == "__main__":
    sys.exit(main())
