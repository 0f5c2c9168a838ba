"""Hands that know nothing: clicks, drags and keys anywhere. Nothing may fail, and nothing may be lost."""

import time

import pytest
from PySide6.QtWidgets import QFileDialog

from deft_reach.core.session import history
from deft_reach.formats.document import dump_document, load_document
from tests.hostile.random_use import Hands, Watchdog, work

STEPS = 260
#: Seconds for which no machine, however busy, may leave the window standing still; a quarter of a second on a quiet
#: one, which ``python -m tests.hostile.random_use`` looks for.
FROZEN = 5.0


@pytest.mark.parametrize(
    ("seed", "unfinished", "background"),
    [(1, False, False), (2, True, False), (4, False, True)],
)
def test_whatever_is_clicked_and_typed_nothing_fails_and_all_can_be_undone(
    window, qapp, qtbot, monkeypatch, seed, unfinished, background
):
    if background:
        # As with very long texts: every edit is read and analysed in the background.
        monkeypatch.setattr(history, "LONG_TEXT", 4)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: ("", ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    session, taken = window.session, []
    take = window.documents.take
    monkeypatch.setattr(window.documents, "take", lambda *a, **k: taken.append(a) or take(*a, **k))
    before = session.document
    if unfinished:
        for plan in session.document.plans:
            session.show_plan(plan.id)
            session.strokes.set_text(session.text.rstrip(" |\n") + " R L R L R L |")
    hands, watch = Hands(qapp, window, seed), Watchdog(FROZEN)
    with qtbot.captureExceptions() as caught:
        faults = work(qapp, hands, watch, STEPS)
    watch.close()
    assert not faults, faults[0]
    assert not watch.stalls, watch.stalls
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


def test_the_watch_sees_a_window_that_stands_still(window, qapp, monkeypatch):
    def stand_still() -> None:
        hands.done.append("wait")
        begun = time.thread_time()
        while time.thread_time() - begun < 0.2:
            pass

    watch = Watchdog(0.1)
    hands = Hands(qapp, window, 1)
    monkeypatch.setattr(hands, "step", stand_still)
    work(qapp, hands, watch, 2)
    watch.close()
    assert len(watch.stalls) == 2 and watch.stalls[0].after == "wait" and watch.stalls[0].seconds >= 0.2
    assert "random_use.py" in watch.stalls[0].where
