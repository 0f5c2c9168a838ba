"""Words are explained where they stand, boxes can be read, and what is said of the file is true."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QFileDialog

from deft_reach.app import theme
from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.shell.window import MainWindow
from deft_reach.app.text.explanations import WORDS, WordsDialog, explained
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core import parse
from deft_reach.store.settings import Settings

CTRL = Qt.KeyboardModifier.ControlModifier


def test_every_word_stands_explained_where_it_is_used(window):
    station = window.reach_station
    window.go("reach")
    limit, ease = window.header.limit, window.header.ease
    assert explained("headroom") in limit.toolTip() and explained("breaks at") in limit.toolTip()
    for word in ("level", "ease", "demand"):
        assert explained(word) in ease.toolTip()
    station.tabs.setCurrentWidget(station.card)
    names = {label.text(): label.toolTip() for label in station.card.names if label.isVisible()}
    assert names["pace"] == explained("pace")
    weave = station.weave
    assert weave.words_at(QPointF(20, weave.height() - 8)) == explained("lead")
    assert weave.words_at(QPointF(20, 40)) == explained("weave")
    session = window.session
    session.show_plan("storm")
    held = next(f for f in session.report.findings if f.kind == "crossed-hold")
    mark = next(rect.center() for finding, rect, _ in weave.placed_findings() if finding == held)
    assert explained("crossed hold") in weave.words_at(mark)


def test_the_sheet_of_words_has_them_all(window, qapp):
    window.show_words()
    dialog = window.findChild(WordsDialog)
    assert dialog.isVisible()
    texts = {label.text() for label in dialog.findChildren(PlainLabel)}
    assert set(WORDS) <= texts and set(WORDS.values()) <= texts
    dialog.reject()


def contrast(one, other):
    """Contrast ratio of two colours as WCAG 2.1 defines it (relative luminance, section 1.4.3)."""

    def luminance(colour):
        parts = [x / 12.92 if x <= 0.03928 else ((x + 0.055) / 1.055) ** 2.4 for x in colour.getRgbF()[:3]]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", ["light", "dark"])
def test_the_highlighted_row_of_a_box_can_be_read(qapp, name):
    theme.apply(qapp, name)
    box = QComboBox()
    box.addItems(["one choice", "another choice", "a third"])
    box.show()
    box.showPopup()
    view = box.view()
    view.setCurrentIndex(box.model().index(1, 0))
    qapp.processEvents()
    row = view.visualRect(box.model().index(1, 0))
    picture = view.viewport().grab().toImage()
    colours = {}
    for x in range(row.left() + 2, min(row.right(), 160)):
        for y in range(row.top() + 3, row.bottom() - 2):
            colour = picture.pixelColor(QPoint(x, y))
            colours[colour.name()] = colour
    ground = picture.pixelColor(QPoint(row.right() - 4, row.center().y()))
    assert max(contrast(ground, colour) for colour in colours.values()) >= 4.5
    box.hidePopup()
    box.close()
    theme.apply(qapp, "light")


@pytest.mark.parametrize("tempo", [60, 90, 104, 108, 112, 118, 126, 150, 239])
def test_the_home_label_stands_at_its_mark(window, tempo):
    window.session.show_plan("storm")
    window.session.plans.set_tempo(tempo)
    window.go("reach")
    rule = window.reach_station.rule
    at, text = rule._home_label(tempo)
    assert text == f"home {tempo}"
    assert abs(at.x() - rule.x_at(tempo)) < 30 and 0 < at.x() < rule.width()
    rule.grab()


def test_saved_is_said_only_of_what_is_in_a_file(window, tmp_path, monkeypatch):
    header = window.header
    assert header.saved.text() == "not in a file yet", "the demo is in memory alone"
    window.session.plans.set_tempo(99)
    assert header.saved.text() == "unsaved changes, kept safe"
    path = tmp_path / "mine.reach"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert path.exists() and header.saved.text() == "saved"
    window.session.plans.set_tempo(98)
    assert header.saved.text() == "unsaved changes, kept safe"


def test_the_commitment_names_bars_and_what_sounds_together(window):
    window.session.plans.new_plan("Bars", "/4 R+K L R+K L | R+K L R+K L | R L R L |")
    dialog = CommitDialog(window.session, window)
    labels = dialog.findChildren(PlainLabel)
    words = next(label.text() for label in labels if "+" in label.text())
    assert words.splitlines() == ["bar 1–2  R+K L R+K L", "bar 3  R L R L"]
    dialog.deleteLater()


def test_limbs_by_bars():
    assert parse("/8 R | /4 R+K L - H | L L L L").sticking_by_bars == ("R", "R+K L H", "L L L L")


def test_skill_is_chosen_in_words(window):
    window.go("kit")
    station = window.kit_station
    station.tabs.setCurrentWidget(station.player_form)
    form = station.player_form
    assert form.skill_name.currentText() == "working" and form.skill.value() == 0.75
    form.skill_name.setFocus()
    QTest.keyClick(form.skill_name, Qt.Key.Key_Home)
    assert window.session.player.skill == form.skill_name.itemData(0)
    form.skill.setValue(0.66)
    assert form.skill_name.currentText() == "own value" and window.session.player.skill == 0.66


def test_a_new_window_is_no_larger_than_its_screen(qapp, tmp_path):
    window = MainWindow(settings=Settings(tmp_path / "settings.json"), keep_in=tmp_path)
    room = window.screen().availableGeometry()
    assert window.width() <= max(room.width(), window.minimumWidth())
    assert window.height() <= max(room.height(), window.minimumHeight())
