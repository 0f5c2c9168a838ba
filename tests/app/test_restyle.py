"""Another theme, text size or unit: the same widgets, with all that is set in them, look as if made in it."""

import random
import time

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QDoubleSpinBox, QLineEdit, QSpinBox, QTabWidget

from deft_reach.app import theme
from deft_reach.app.shell.stations import STATIONS
from deft_reach.app.shell.window import MainWindow
from deft_reach.app.text import units
from deft_reach.store.documents import open_document
from deft_reach.store.places import demo_file
from deft_reach.store.settings import Settings
from tests.app.conftest import enter

#: Forms whose fields belong to no document: what is asked of searches, practice and takes.
ASKING = {"LadderForm", "TakeForm", "HandsForm", "AdviserForm", "CellsForm", "NowCard"}


@pytest.fixture
def as_it_was(window):
    yield window
    theme.set_text_scale(1.0)
    units.set_unit("mm")
    window.set_theme("light")


def opened(folder, **settings):
    """A window on the demo with these settings."""
    kept = Settings(folder / "settings.json")
    for name, value in settings.items():
        kept.set(name, value)
    window = MainWindow(settings=kept, keep_in=folder)
    window.resize(1280, 800)
    window.documents.take(open_document(demo_file())[0], None, None, clean=True, plan="storm")
    window.show()
    return window


def picture(window, name, qapp) -> np.ndarray:
    """A station as it is seen, with the keyboard nowhere; colours (height, width, 3)."""
    window.go(name)
    if (focus := window.focusWidget()) is not None:
        focus.clearFocus()
    QTest.qWait(30)
    if name == "write":
        end = time.monotonic() + 30
        while not window.write_station.staff.ready and time.monotonic() < end:
            QTest.qWait(20)
    image = window.grab().toImage()
    image = image.convertToFormat(image.Format.Format_RGB32)
    return np.frombuffer(image.bits(), np.uint8).reshape(image.height(), image.width(), 4)[:, :, :3].astype(int)


@pytest.mark.parametrize("name", list(STATIONS))
def test_in_the_dark_it_looks_as_if_it_had_begun_in_the_dark(qapp, qtbot, tmp_path, as_it_was, name):
    for number in "ab":
        (tmp_path / number).mkdir()
    window = opened(tmp_path / "a")
    picture(window, name, qapp)
    window.set_theme("dark")
    restyled = picture(window, name, qapp)
    fresh = opened(tmp_path / "b", theme="dark")
    # Drawn twice, as the other one was.
    picture(fresh, name, qapp)
    begun = picture(fresh, name, qapp)
    different = np.abs(restyled - begun).sum(axis=2) > 30
    assert different.mean() < 2e-4, np.argwhere(different)[:3]
    for left in (window, fresh):
        left.session.mark_saved()
        left.close()


def fields(root):
    """Every field of the app's own widgets with the class of its owner."""
    for owner in (root, *root.findChildren(object)):
        if type(owner).__module__.startswith("deft_reach."):
            for value in vars(owner).values():
                for field in value.values() if isinstance(value, dict) else [value]:
                    if isinstance(field, (QSpinBox, QDoubleSpinBox, QComboBox, QLineEdit, QTabWidget)) or (
                        isinstance(field, QAbstractButton) and field.isCheckable()
                    ):
                        yield type(owner).__name__, field


def value_of(field):
    if isinstance(field, (QSpinBox, QDoubleSpinBox)):
        return field.value()
    if isinstance(field, QComboBox):
        return field.currentText()
    if isinstance(field, QLineEdit):
        return field.text()
    return field.currentIndex() if isinstance(field, QTabWidget) else field.isChecked()


def set_by_keys(field, chance):
    """Something else that a player could have set there."""
    field.setFocus()
    if isinstance(field, (QSpinBox, QComboBox)):
        QTest.keyClick(field, chance.choice([Qt.Key.Key_Up, Qt.Key.Key_Down]))
    elif isinstance(field, QAbstractButton) and not field.autoExclusive():
        QTest.keyClick(field, Qt.Key.Key_Space)


@pytest.mark.parametrize("seed", range(2))
@pytest.mark.parametrize("name", list(STATIONS))
def test_whatever_is_asked_in_a_station_is_still_asked(as_it_was, qapp, name, seed):
    window, chance = as_it_was, random.Random(seed)
    window.session.show_plan("storm")
    window.go(name)
    station = window.built[name]
    for kind, field in list(fields(station)):
        if kind in ASKING and field.isVisible() and field.isEnabled() and chance.random() < 0.5:
            set_by_keys(field, chance)
    qapp.processEvents()
    before = [(field, value_of(field)) for kind, field in fields(station) if kind in ASKING]
    document = window.session.document
    for change in (lambda: window.set_theme("dark"), lambda: window.scale_text(0.3), lambda: window.set_unit("in")):
        change()
        qapp.processEvents()
        assert window.built[name] is station and window.session.document == document
        assert [(field, value_of(field)) for field, _ in before] == before


def test_fonts_and_sizes_go_with_the_text(as_it_was):
    window = as_it_was
    window.go("climb")
    card, rail = window.climb_station.card, window.rail
    sizes = [w.font().pointSizeF() for w in (card.tempo, window.header.tempo)] + [rail.width()]
    window.scale_text(0.5)
    now = [w.font().pointSizeF() for w in (card.tempo, window.header.tempo)] + [rail.width()]
    assert [b / a for a, b in zip(sizes, now)] == pytest.approx([1.5] * 3, abs=0.02)
    assert window.header.tempo.lineEdit().font().pointSizeF() == now[1]


def test_fields_show_the_unit_and_keep_what_was_half_typed(as_it_was):
    window = as_it_was
    window.go("kit")
    form = window.kit_station.pieces_form
    window.session.select_piece("ft")
    box = form.places["x"]
    enter(box, "500")
    assert box.text() == "500 mm"
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "508")
    window.set_unit("in")
    assert window.session.kit.piece("ft").x == 508 and box.text() == "20.00 in"
    assert box.accessibleName().endswith("in inches")
    window.set_unit("mm")
    assert box.text() == "508 mm"
