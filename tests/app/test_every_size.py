"""Every station and page in every size: no text is cut off without an ellipsis, and nothing lies outside."""

import pytest
from PySide6.QtCore import QEvent, QRect
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractScrollArea,
    QCheckBox,
    QLabel,
    QPushButton,
    QTableView,
    QToolTip,
    QWidget,
)

from deft_reach.app.widgets.elided_label import ElidedLabel
from tests.app.conftest import every_page

#: Window size (px) and text size.
SIZES = [(1024, 700, 1.0), (1280, 800, 1.0), (1280, 800, 1.3), (1920, 1080, 1.0), (1920, 1080, 2.0)]
#: A button's frame may be squeezed by so much (px); its text is still whole.
FRAME = 6


def scrolls(widget):
    """Whether a widget lies in something that scrolls."""
    while widget is not None:
        if isinstance(widget, QAbstractScrollArea):
            return True
        widget = widget.parentWidget()
    return False


def clipped(window):
    """What is cut off or outside, in words."""
    found = []
    for widget in window.findChildren(QWidget):
        if not widget.isVisible() or not isinstance(widget, (QLabel, QPushButton, QCheckBox)) or not widget.text():
            continue
        text, size, needed = widget.text()[:40], widget.size(), widget.sizeHint()
        if isinstance(widget, QLabel) and widget.wordWrap():
            if widget.heightForWidth(size.width()) > size.height() + 3:
                found.append(f"{text!r} has {size.height()} of {widget.heightForWidth(size.width())} px in height")
        elif isinstance(widget, ElidedLabel) or widget.objectName() == "panelNote":
            continue
        elif isinstance(widget, QLabel):
            # Letters are not as high as a line is.
            letters = widget.fontMetrics().ascent() + widget.fontMetrics().descent() // 2
            across = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().split("\n"))
            if across > widget.contentsRect().width() + 2 or letters > size.height() + 3:
                found.append(f"{text!r} has {size.width()} of {across} px")
        elif needed.width() > size.width() + FRAME or needed.height() > size.height() + FRAME:
            found.append(f"{text!r} has {size.width()}x{size.height()} of {needed.width()}x{needed.height()} px")
        place = QRect(widget.mapTo(window, widget.rect().topLeft()), size)
        if not window.rect().contains(place) and not scrolls(widget):
            found.append(f"{text!r} lies outside at {place}")
    return found


@pytest.mark.parametrize(("width", "height", "scale"), SIZES)
def test_nothing_is_cut_off(window, qapp, width, height, scale):
    window.scale_text(scale - 1.0)
    window.resize(width, height)
    window.session.show_plan("storm")
    qapp.processEvents()
    assert window.width() <= width and window.height() <= height, "it can be made so small"
    cut = {}
    for place in every_page(window):
        found = clipped(window)
        if found:
            cut[place] = found
    window.scale_text(1.0 - scale)
    assert cut == {}


def test_pages_behind_tabs_scroll_and_are_found_by_what_they_are(window, qapp):
    window.resize(1024, 700)
    window.go("song")
    station = window.song_station
    station.tabs.setCurrentWidget(station.layout_form)
    assert station.tabs.currentWidget() is station.layout_form
    assert station.tabs.indexOf(station.layout_form) == station.tabs.currentIndex()
    qapp.processEvents()
    assert station.layout_form.height() >= station.layout_form.minimumSizeHint().height()


def test_an_elided_text_is_all_there_under_the_pointer(qapp):
    label = ElidedLabel("a long line that has no room at all in so little")
    label.resize(90, 20)
    label.show()
    assert label.text().endswith("little") and label.elided.endswith("…") and len(label.elided) < 20
    label.grab()
    label.resize(900, 20)
    assert label.elided == label.text()
    label.grab()
    label.close()


def test_a_plans_name_in_the_header_ends_in_an_ellipsis(window, qapp):
    window.resize(1024, 700)
    window.session.show_plan("storm")
    window.session.plans.change_plan("Name", name="Storm at the breakwater, second night, with both bells")
    qapp.processEvents()
    plans = window.header.plans
    assert plans.elided.endswith("…") and plans.currentText().endswith("both bells")
    at = plans.rect().center()
    qapp.sendEvent(plans, QHelpEvent(QEvent.Type.ToolTip, at, plans.mapToGlobal(at)))
    assert "both bells" in QToolTip.text()


#: The lists that answer a station's main question.
MAIN = (
    "Pieces of the kit", "What the kit does to the plans", "Cells that fit", "Voicings found",
    "Variations of the plan in view", "Hands:", "Sections of the song", "Stages", "Plans and how far they have come",
)  # fmt: skip


def rows_of(window):
    """How many rows the lists in view have room for, by their names."""
    found = {}
    for view in window.findChildren(QAbstractItemView):
        if not view.isVisible() or not view.accessibleName():
            continue
        table = isinstance(view, QTableView)
        row = view.verticalHeader().defaultSectionSize() if table else view.sizeHintForRow(0)
        if row > 0:
            found[view.accessibleName()] = view.viewport().height() / row
    return found


@pytest.mark.parametrize(("width", "height", "main"), [(1280, 800, 5), (1366, 768, 5), (1024, 700, 3)])
def test_lists_have_rows(window, qapp, width, height, main):
    window.resize(width, height)
    window.session.show_plan("storm")
    short, seen = {}, set()
    for place in every_page(window):
        for name, rows in rows_of(window).items():
            answers = name.startswith(MAIN)
            seen |= {name} if answers else set()
            # A finding is a sentence of several lines, not a row.
            if rows < (main if answers else 3) - 0.05 and not name.startswith("What happens"):
                short[place, name] = round(rows, 1)
    assert short == {} and len(seen) == len(MAIN)
