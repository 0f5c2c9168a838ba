"""While a hand drags, the drawing under it follows at once, and everything else a little later."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from deft_reach.app.background import drag_pace
from deft_reach.app.background.drag_pace import DragPace
from tests.app.conftest import point

LEFT = Qt.MouseButton.LeftButton


def test_others_wait_and_are_done_at_the_release(qapp):
    held, other = QWidget(), QWidget()
    done = []
    mine, theirs = DragPace(held, lambda: done.append("mine")), DragPace(other, lambda: done.append("theirs"))
    theirs.ask()
    assert done == ["theirs"], "nothing is dragged"
    drag_pace.pressed(held)
    mine.ask()
    theirs.ask()
    theirs.ask()
    assert done == ["theirs", "mine"] and theirs.waiting
    drag_pace.released()
    assert done == ["theirs", "mine", "theirs"] and not theirs.waiting
    theirs.ask()
    assert len(done) == 4


def test_no_one_waits_longer_than_a_moment(qapp, qtbot):
    held, other = QWidget(), QWidget()
    done = []
    pace = DragPace(other, lambda: done.append(1))
    drag_pace.pressed(held)
    pace.ask()
    qtbot.waitUntil(lambda: done == [1])
    pace.ask()
    assert done == [1]
    qtbot.waitUntil(lambda: done == [1, 1])
    drag_pace.released()
    assert done == [1, 1], "and not once more"


def test_a_drum_is_dragged_with_weave_and_findings_following(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    qapp.processEvents()
    station = window.reach_station
    plan, tom = station.plan, window.session.kit.piece("ft")
    at = point(plan.to_px(*tom.body))
    drawn = []
    draw = station.weave.draw
    station.weave.draw = lambda painter: (drawn.append(window.session.kit), draw(painter))
    QTest.mousePress(plan, LEFT, pos=at)
    for k in range(1, 9):
        QTest.mouseMove(plan, at + QPoint(-4 * k, 0))
        # The window's own loop without its timers: the plan is drawn, the weave waits.
        plan.repaint()
    moved = window.session.kit
    assert moved.piece("ft").x < tom.x and moved not in drawn
    QTest.mouseRelease(plan, LEFT, pos=at + QPoint(-32, 0))
    qapp.processEvents()
    assert drawn[-1] == moved, "at the release it is as it is"
    assert station.findings.count() == len(window.session.report.findings)
