"""Saving: the ending is the right one, and nothing is overwritten unasked."""

import os
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QMessageBox

from deft_reach.app.dialogs.save_name import OtherFormatError, file_stem, with_ending
from deft_reach.store.documents import open_document
from tests.app.conftest import in_dialog


def answer(words):
    """Press a button of the box that comes."""

    def press(box):
        QTest.mouseClick(next(b for b in box.buttons() if b.text() == words), Qt.MouseButton.LeftButton)

    in_dialog(QMessageBox, press)


def test_a_name_without_ending_does_not_overwrite_the_file_with_it_unasked(window, qapp, tmp_path, monkeypatch):
    there = tmp_path / "mine.reach"
    there.write_bytes(b"precious")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine"), ""))
    answer("Cancel")
    assert window.documents.save_as() is False and there.read_bytes() == b"precious"
    answer("Overwrite it")
    assert window.documents.save_as() is True
    assert open_document(there)[0].plans


def test_exports_ask_too(window, qapp, tmp_path, monkeypatch):
    there = tmp_path / "plan.mid"
    there.write_bytes(b"precious")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "plan"), "MIDI file (*.mid)"))
    answer("Cancel")
    window.exchange.export_plan()
    assert there.read_bytes() == b"precious"
    answer("Overwrite it")
    window.exchange.export_plan()
    assert there.read_bytes()[:4] == b"MThd"


@pytest.mark.parametrize("kind", ["read-only", "hard link"])
def test_a_protected_file_is_written_over_only_after_asking(window, qapp, tmp_path, monkeypatch, kind):
    there = tmp_path / "mine.reach"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(there), ""))
    assert window.documents.save_as() is True
    before = there.read_bytes()
    window.documents.open_path(there)
    if kind == "read-only":
        there.chmod(0o444)
    else:
        os.link(there, tmp_path / "other.reach")
    window.session.plans.set_tempo(77)
    answer("Cancel")
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert there.read_bytes() == before and not window.session.is_saved
    answer("Write over it")
    window.activateWindow()
    qapp.processEvents()
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert there.read_bytes() != before and window.session.is_saved
    if kind == "hard link":
        assert (tmp_path / "other.reach").read_bytes() == before
    # It was asked about this file: not again with every key.
    window.session.plans.set_tempo(78)
    window.activateWindow()
    qapp.processEvents()
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert window.session.is_saved
    exported = tmp_path / "plan.mid"
    exported.write_bytes(b"precious")
    exported.chmod(0o444)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(exported), "MIDI file (*.mid)"))
    answer("Cancel")
    window.exchange.export_plan()
    assert exported.read_bytes() == b"precious"


@pytest.mark.parametrize("kind", ["a pipe", "a folder"])
def test_a_pipe_is_never_replaced_by_an_export(window, tmp_path, monkeypatch, kind):
    there = tmp_path / "plan.mid"
    os.mkfifo(there) if kind == "a pipe" else there.mkdir()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(there), "MIDI file (*.mid)"))
    window.exchange.export_plan()
    assert f"nothing can be written there: it is {kind}" in window.notice.text.text()
    assert not there.is_file()


def test_an_ending_of_another_format_is_refused(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine.mid"), ""))
    assert window.documents.save_as() is False and not list(tmp_path.glob("mine*"))
    assert "mine.mid ends in .mid, which is another format" in window.notice.text.text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "kit.reach"), ""))
    window.exchange.export_kit()
    assert "can be written as .csv, .json, .pdf, .svg" in window.notice.text.text()
    assert not (tmp_path / "kit.reach").exists()


def test_a_dot_in_a_name_is_no_ending(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "act 1.2"), ""))
    assert window.documents.save_as() is True and (tmp_path / "act 1.2.reach").exists()


@pytest.mark.parametrize(
    ("name", "found"), [("a", "a.reach"), ("a.reach", "a.reach"), ("a.REACH", "a.REACH"), ("a.b.c", "a.b.c.reach")]
)
def test_names_end_as_they_can_be_written(name, found):
    assert with_ending(Path(name), ".reach", (".reach",)) == Path(found)


@pytest.mark.parametrize("name", ["a.mid", "a.CSV", "a.reach.pdf"])
def test_known_endings_are_not_papered_over(name):
    with pytest.raises(OtherFormatError):
        with_ending(Path(name), ".reach", (".reach",))


def test_changes_are_called_safe_only_where_they_are(window, tmp_path, monkeypatch):
    window.session.plans.set_tempo(77)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "x.reach"), ""))
    assert window.documents.save_as() is False and "kept safe meanwhile" in window.notice.text.text()

    def full(*_):
        raise OSError(28, "No space left on device")

    window.session.plans.set_tempo(78)
    monkeypatch.setattr(type(window.autosave.storage), "keep", full)
    assert window.documents.save_as() is False
    assert "could not be written either" in window.notice.text.text() and "kept safe" not in window.notice.text.text()


@pytest.mark.parametrize(
    ("name", "stem"),
    [
        ("Gangway groove", "gangway-groove"),
        ("../../etc/passwd", "etc-passwd"),
        ("/tmp/a", "tmp-a"),
        ("..", "untitled"),
        ("Träne 1/2", "träne-1-2"),
        ("a\nb", "a-b"),
    ],
)
def test_what_something_is_called_never_leads_to_another_folder(name, stem):
    assert file_stem(name) == stem
