"""Hands that know nothing: clicks, drags and keys anywhere. Nothing may fail, and nothing may be lost."""

import random

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QWidget

from deft_reach.app.window import STATIONS
from deft_reach.formats.document import dump_document, load_document

STEPS = 260
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


class Hands:
    """Somebody at the window who does whatever comes to mind; ``done`` is what they did, to be done again."""

    def __init__(self, app, window, seed):
        self.app, self.window, self.chance = app, window, random.Random(seed)
        self.done = []

    def close_what_waits(self):
        """Dialogs and menus run a loop of their own: sooner or later they are closed."""
        asked = self.app.activeModalWidget() or self.app.activePopupWidget()
        if asked is not None and self.chance.random() < 0.5:
            asked.close()

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
        name = f"{type(what).__name__} {what.accessibleName()}"
        focus = self.app.focusWidget() or what
        match chance.randrange(20):
            case 0:
                station = chance.choice(list(STATIONS))
                self.done.append(f"go {station}")
                self.window.go(station)
            case 1:
                plan = chance.choice([plan.id for plan in self.window.session.document.plans] or [None])
                self.done.append(f"plan {plan}")
                if plan is not None:
                    self.window.session.show_plan(plan)
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
        self.app.processEvents()


@pytest.mark.parametrize(("seed", "unfinished"), [(1, False), (2, True), (3, False)])
def test_whatever_is_clicked_and_typed_nothing_fails_and_all_can_be_undone(
    window, qapp, qtbot, monkeypatch, seed, unfinished
):
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: ("", ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    session, taken = window.session, []
    monkeypatch.setattr(window, "take", lambda *a, take=window.take, **k: taken.append(a) or take(*a, **k))
    before = session.document
    if unfinished:
        for plan in session.document.plans:
            session.show_plan(plan.id)
            session.set_text(session.text.rstrip(" |\n") + " R L R L R L |")
    hands = Hands(qapp, window, seed)
    closer = QTimer()
    closer.timeout.connect(hands.close_what_waits)
    closer.start(40)
    with qtbot.captureExceptions() as caught:
        for _ in range(STEPS):
            try:
                hands.step()
            except RuntimeError as error:
                # A widget may be gone by the time it is let go of.
                assert "already deleted" in str(error)
    closer.stop()
    assert not caught, f"{caught[0][1]!r} after {hands.done[-6:]}"
    now = session.document
    assert load_document(dump_document(now)) == now, "whatever it is now, it can be saved and opened"
    if not taken:
        steps = 0
        while session.undo_label is not None:
            session.undo()
            steps += 1
        assert session.document == before, "every edit can be undone"
        for _ in range(steps):
            session.redo()
        assert session.document == now, "and done again"
