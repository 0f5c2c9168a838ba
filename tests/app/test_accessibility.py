"""What a screen reader gets of the Reach station, read through Qt's own interface; and what it is told on the way."""

import gc

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QAbstractSpinBox, QComboBox, QLineEdit, QSlider, QTableWidget, QWidget

from deft_reach.app.canvas import base
from deft_reach.app.canvas.base import Canvas
from deft_reach.app.shell.stations import STATIONS
from tests.app.conftest import every_page


def interface(widget):
    return QAccessible.queryAccessibleInterface(widget)


def test_drawings_are_graphics_with_a_name_and_what_they_show(window, qapp):
    window.session.show_plan("storm")
    window.go("reach")
    qapp.processEvents()
    canvases = [one for one in window.reach_station.findChildren(Canvas) if one.isVisible()]
    assert len(canvases) >= 5
    for canvas in canvases:
        found = interface(canvas)
        assert found.role() == QAccessible.Role.Graphic
        assert found.text(QAccessible.Text.Name) == canvas.accessibleName() != ""
        assert found.text(QAccessible.Text.Description), canvas.accessibleName()


@pytest.fixture
def weave(window, qapp):
    window.session.show_plan("storm")
    window.go("reach")
    qapp.processEvents()
    return window.reach_station.weave


def test_the_value_of_a_drawing_is_the_chosen_stroke_and_its_finding(window, weave):
    weave.setFocus()
    window.session.select_stroke(None)
    assert interface(weave).text(QAccessible.Text.Value) == "Nothing is selected."
    QTest.keyClick(weave, Qt.Key.Key_Home)
    gc.collect()
    first = interface(weave).text(QAccessible.Text.Value)
    assert "right hand on the floor tom" in first
    QTest.keyClick(weave, Qt.Key.Key_N)
    finding = window.session.finding
    assert finding is not None and str(finding.said) in interface(weave).text(QAccessible.Text.Value)


def test_the_chosen_stroke_is_the_focused_child_of_the_drawing(window, weave, qapp):
    window.activateWindow()
    weave.setFocus()
    window.session.select_stroke(None)
    assert interface(weave).focusChild() is None or interface(weave).focusChild().object() is not weave.chosen
    QTest.keyClick(weave, Qt.Key.Key_Home)
    gc.collect()
    drawing = interface(weave)
    child = drawing.focusChild()
    assert child.object() is weave.chosen and child.role() == QAccessible.Role.ListItem
    assert child.text(QAccessible.Text.Name) == weave.chosen_in_words() and child.parent().object() is weave
    assert drawing.childCount() == 1 and drawing.indexOfChild(child) == 0
    QTest.keyClick(weave, Qt.Key.Key_Right)
    assert "left hand" in interface(weave).focusChild().text(QAccessible.Text.Name)
    # It takes neither clicks nor room.
    assert weave.childAt(0, 0) is None and weave.chosen.size().width() == 1


def tree(found, depth=0):
    """Everything below an interface, asked for all that a screen reader asks for."""
    yield found.role(), found.text(QAccessible.Text.Name)
    for kind in (QAccessible.Text.Value, QAccessible.Text.Description):
        found.text(kind)
    found.rect(), found.state(), found.focusChild()
    for k in range(found.childCount()):
        if (child := found.child(k)) is not None and depth < 12:
            yield from tree(child, depth + 1)


@pytest.mark.parametrize("name", STATIONS)
def test_the_whole_tree_of_a_station_can_be_read_again_and_again(window, qapp, name):
    window.go(name)
    qapp.processEvents()
    first = list(tree(interface(window)))
    gc.collect()
    assert list(tree(interface(window))) == first and len(first) > 150
    drawings = [text for role, text in first if role == QAccessible.Role.Graphic]
    assert drawings and all(drawings)


@pytest.mark.parametrize("name", STATIONS)
def test_every_control_has_a_name(window, qapp, name):
    window.go(name)
    qapp.processEvents()
    station = window.station_widget(name)
    kinds = (QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QTableWidget)
    nameless = [
        widget
        for widget in station.findChildren(QWidget)
        if isinstance(widget, kinds)
        and widget.isVisible()
        and not isinstance(widget.parent(), (QAbstractSpinBox, QComboBox))
        and not widget.objectName().startswith("qt_")
        and widget.metaObject().className() not in ("QTableCornerButton", "QScrollBar")
        and not interface(widget).text(QAccessible.Text.Name)
    ]
    assert nameless == []


def test_what_is_chosen_by_keys_is_said(window, qapp, monkeypatch):
    said = []
    monkeypatch.setattr(QAccessible, "isActive", lambda: True)
    monkeypatch.setattr(base, "QAccessibleAnnouncementEvent", lambda widget, words: said.append((widget, words)))
    monkeypatch.setattr(QAccessible, "updateAccessibility", lambda event: None)
    window.session.show_plan("storm")
    window.go("reach")
    weave = window.reach_station.weave
    weave.setFocus()
    window.session.select_stroke(0)
    said.clear()
    QTest.keyClick(weave, Qt.Key.Key_Right)
    assert len(said) == 1 and said[0][0] is weave, "the drawing that has the keyboard says it, and no other"
    assert "left hand on the snare" in said[0][1]
    QTest.keyClick(weave, Qt.Key.Key_N)
    assert len(said) == 2 and "hand" in said[1][1]


def test_drawings_come_and_go_without_their_interfaces_staying(qapp, window):
    for _ in range(12):
        canvas = Canvas(window.session, "A drawing")
        canvas.show()
        assert interface(canvas).role() == QAccessible.Role.Graphic
        canvas.deleteLater()
        del canvas
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        gc.collect()


def test_targets_are_large_enough(window):
    """24 px each way at least (WCAG 2.2, 2.5.8)."""
    kinds = (QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QSlider)
    small = set()
    for name, _ in every_page(window):
        for widget in window.findChildren(QWidget):
            inner = isinstance(widget.parent(), (QAbstractSpinBox, QComboBox))
            corner = widget.metaObject().className() == "QTableCornerButton"
            if not isinstance(widget, kinds) or not widget.isVisible() or inner or corner:
                continue
            if min(widget.width(), widget.height()) < 24 and not widget.objectName().startswith("qt_"):
                small.add((name, type(widget).__name__, widget.accessibleName(), widget.size().toTuple()))
    assert small == set()


def test_mnemonics_are_unique_in_every_menu(window):
    for menu in (action.menu() for action in window.menuBar().actions()):
        keys = [text[text.index("&") + 1].lower() for action in menu.actions() if "&" in (text := action.text())]
        assert len(keys) == len(set(keys)), (menu.title(), sorted(keys))
