"""Names are shown letter for letter: nothing that looks like markup is read as markup, or makes Qt read a file."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtGui import Qt as GuiQt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip

IMAGE = "<img src='/dev/zero'><b>bold</b>"
CTRL = Qt.KeyboardModifier.ControlModifier


def test_every_label_of_every_station_is_plain(window, qapp):
    session = window.session
    session.plans.change_plan(session.plan.id, name=IMAGE)
    session.apply(session.document.with_kit(session.kit.__class__(**{**vars_of(session.kit), "name": IMAGE})), "name")
    seen = 0
    for key in (Qt.Key.Key_1, Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_4, Qt.Key.Key_5, Qt.Key.Key_6, Qt.Key.Key_7):
        QTest.keyClick(window, key, CTRL)
        qapp.processEvents()
        for label in window.findChildren(QLabel):
            # A label of Qt's own, in a box say, never holds what somebody typed.
            if isinstance(label, PlainLabel):
                assert label.textFormat() == Qt.TextFormat.PlainText
                seen += 1
            else:
                assert "<" not in label.text(), label
        assert not any(GuiQt.mightBeRichText(w.toolTip()) for w in window.findChildren(QLabel))
    assert seen > 100
    window.grab()


def vars_of(record):
    return {name: getattr(record, name) for name in record.__dataclass_fields__}


@given(st.text(alphabet="<>/abi img='\"!&; \n", max_size=40))
def test_no_tooltip_looks_like_markup(text):
    assert not GuiQt.mightBeRichText(plain_tip(text))
    assert plain_tip(text).replace("\u2060", "") == text


@pytest.mark.parametrize("text", ["<html><body>x", "<img src='a'>", "<!-- x -->", "a <b>", "<?xml version='1'?>"])
def test_what_looks_like_markup_does_not_in_a_tooltip(text):
    assert not GuiQt.mightBeRichText(plain_tip(text))
