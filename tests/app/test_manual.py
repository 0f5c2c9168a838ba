"""The manual: a page a station, opened where one is, with pictures and links that lead somewhere."""

import re
import tomllib
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage, QTextDocument
from PySide6.QtTest import QTest

from deft_reach.app.dialogs.about_dialog import AboutDialog
from deft_reach.app.dialogs.manual_dialog import PAGES, PICTURES, ManualDialog
from deft_reach.app.shell.stations import STATIONS

FILES = sorted(PAGES.glob("*.md"))


def test_it_opens_at_the_station_in_view(window, qapp):
    window.go("song")
    QTest.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    dialog = window.findChild(ManualDialog)
    assert dialog.isVisible() and "Song" in dialog.page.toPlainText()[:40]
    dialog.list.setFocus()
    QTest.keyClick(dialog.list, Qt.Key.Key_Home)
    assert "order of work" in dialog.page.toPlainText()
    dialog.page.anchorClicked.emit(QUrl("4-reach.md"))
    assert dialog.page.toPlainText().startswith("Reach")
    dialog.reject()


def test_every_station_has_a_page(qapp):
    dialog = ManualDialog()
    for name in STATIONS:
        dialog.go(name)
        assert dialog.page.toPlainText().lower().startswith(name)


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_links_and_pictures_are_there(qapp, file):
    text = file.read_text(encoding="utf-8")
    pictures = re.findall(r"!\[[^]]*\]\(([^)]+)\)", text)
    assert len(pictures) == 1, "one picture a page"
    assert (PICTURES[0] / pictures[0].rpartition("/")[2]).is_file()
    for link in re.findall(r"(?<!!)\[[^]]*\]\(([^)]+\.md)\)", text):
        assert (PAGES / link).is_file(), link
    page = ManualDialog(file.stem).page
    kind = QTextDocument.ResourceType.ImageResource.value
    picture = page.loadResource(kind, QUrl(pictures[0]))
    assert isinstance(picture, QImage) and not picture.isNull()


def test_about_names_every_library_it_needs_with_its_licence(window):
    window.about()
    dialog = window.findChild(AboutDialog)
    assert dialog.isVisible()
    text = dialog.licences.toPlainText()
    wanted = tomllib.loads((Path(__file__).parents[2] / "pyproject.toml").read_text())["project"]["dependencies"]
    for requirement in map(Requirement, wanted):
        if requirement.marker is not None and not requirement.marker.evaluate():
            continue
        name = requirement.name
        assert re.search(rf"^{re.escape(name)} \d[^:]*: \S+", text, re.MULTILINE | re.IGNORECASE), name
    assert "Open Font License" in text or "OFL" in text
    dialog.reject()
