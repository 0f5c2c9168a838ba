"""The window: files, recovery, committing, and moving about."""

import re
from dataclasses import replace

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QPageSize
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox

from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.dialogs.import_dialog import ImportDialog
from deft_reach.app.shell.commitments import Commitments
from deft_reach.app.shell.window import MainWindow
from deft_reach.core.session import Session
from deft_reach.formats.document import load_document
from deft_reach.store.autosave import leftovers
from deft_reach.store.documents import save_document
from deft_reach.store.settings import Settings
from tests.app.conftest import in_dialog

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def press(dialog, text):
    button = next(b for b in dialog.buttons() if b.text().replace("&", "") == text)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_stations_keep_plan_selection_and_place(window):
    window.session.select_stroke(7)
    for key, name in (
        (Qt.Key.Key_1, "kit"),
        (Qt.Key.Key_2, "write"),
        (Qt.Key.Key_3, "voice"),
        (Qt.Key.Key_4, "reach"),
    ):
        QTest.keyClick(window, key, CTRL)
        assert window.station == name and window.rail.buttons[name].isChecked()
        assert window.session.stroke == 7 and window.session.plan.id == "gangway"
    QTest.mouseClick(window.rail.buttons["kit"], Qt.MouseButton.LeftButton)
    assert window.stack.currentWidget() is window.kit_station


def test_plans_are_walked_through_and_chosen(window):
    QTest.keyClick(window, Qt.Key.Key_PageDown, CTRL)
    assert window.session.plan.id == "moonlit" and window.header.tempo.value() == 92
    QTest.keyClick(window, Qt.Key.Key_PageUp, CTRL)
    assert window.session.plan.id == "gangway"
    plans = window.header.plans
    plans.setFocus()
    QTest.keyClick(plans, Qt.Key.Key_Down)
    assert window.session.plan.id == "moonlit"


def test_new_plan_save_and_open_again(window, tmp_path, monkeypatch):
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    assert window.session.plan.name == "New plan" and window.station == "write"
    QTest.keyClicks(window.write_station.editor, "RLRR")
    assert window.header.saved.text().startswith("unsaved")
    path = tmp_path / "mine.reach"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert window.header.saved.text() == "saved" and "mine" in window.windowTitle()
    saved = load_document(path.read_bytes())
    assert saved.plan("New plan").name == "New plan" and saved == window.session.document
    assert window.settings.recent[0] == path
    window.documents.open_demo()
    window.documents.open_path(path)
    assert window.session.document == saved


def test_a_commitment_at_a_tempo_that_breaks_needs_a_reason(window):
    window.session.show_plan("storm")
    seen = {}

    def fill(dialog):
        seen["before"] = dialog.commit.isEnabled()
        dialog.reason.setFocus()
        QTest.keyClicks(dialog.reason, "slower in the show")
        seen["after"] = dialog.commit.isEnabled()
        QTest.mouseClick(dialog.commit, Qt.MouseButton.LeftButton)

    in_dialog(CommitDialog, fill)
    QTest.keyClick(window, Qt.Key.Key_Return, CTRL)
    assert seen == {"before": False, "after": True}
    made = window.session.plans.commitment
    assert made.reason == "slower in the show" and made.tempo == 118 and made.accepted
    link = window.header.committed
    assert "at 118 BPM" in link.toolTip() and "change" not in link.text()
    window.activateWindow()
    QApplication.processEvents()
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    assert "change" in link.text(), "the tempo, and what follows from it"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.plans.commitment.tempo == 100, "committing can be undone like everything else"


def test_what_was_committed_and_what_changed_since_can_be_read(window):
    window.session.show_plan("storm")
    seen = []

    def read(dialog):
        seen.extend(label.text() for label in dialog.findChildren(QLabel))
        dialog.accept()

    in_dialog(Commitments, read)
    QTest.keyClick(window, Qt.Key.Key_Return, CTRL | Qt.KeyboardModifier.ShiftModifier)
    text = "\n".join(seen)
    assert "30 October 2026" in text and "slower than the show" in text
    assert "home tempo 100 → 118 BPM" in text
    in_dialog(Commitments, lambda d: (seen.append("clicked"), d.accept()))
    QTest.mouseClick(window.header.committed, Qt.MouseButton.LeftButton)
    assert seen[-1] == "clicked"


def test_a_text_file_becomes_a_plan(window, tmp_path):
    path = tmp_path / "Lamp oil.txt"
    path.write_text("/8 R L R R |")
    window.documents.open_path(path)
    assert window.session.plan.name == "Lamp oil" and window.session.text == "/8 R L R R |"
    path.write_bytes(bytes([255, 254, 0]))
    window.documents.open_path(path)
    assert "not UTF-8" in window.notice.text.text()


def test_a_calm_plan_is_committed_without_a_reason(window):
    in_dialog(CommitDialog, lambda d: QTest.mouseClick(d.commit, Qt.MouseButton.LeftButton))
    QTest.mouseClick(window.header.button, Qt.MouseButton.LeftButton)
    assert window.session.plans.commitment.tempo == 104 and window.session.plans.commitment.accepted == ()


def test_files_that_cannot_be_read_are_refused_in_the_window(window, tmp_path):
    before = window.session.document
    for name, data, words in (
        ("broken.reach", b'{"format":\n oops', "line 2, column 2: not JSON"),
        ("other.reach", b"{}", "this is not a Deft Reach document"),
        ("bytes.reach", bytes(range(256)), "not UTF-8"),
    ):
        path = tmp_path / name
        path.write_bytes(data)
        window.documents.open_path(path)
        assert window.notice.isVisible() and words in window.notice.text.text() and name in window.notice.text.text()
    window.documents.open_path(tmp_path / "gone.reach")
    assert "No such file" in window.notice.text.text()
    assert window.session.document is before


def test_a_file_changed_by_another_program_is_not_written_over(window, tmp_path):
    path = tmp_path / "show.reach"
    save_document(path, window.session.document)
    window.documents.open_path(path)
    other = path.read_bytes().replace(b"Gangway groove", b"Gangway jig")
    path.write_bytes(other)
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert path.read_bytes() == other and "changed by another program" in window.notice.text.text()
    over = next(b for b in window.notice.buttons if b.text() == "Write over it")
    QTest.mouseClick(over, Qt.MouseButton.LeftButton)
    assert load_document(path.read_bytes()).plan("gangway").tempo == 105
    # Once it is saved, that nothing was written is said no more.
    own = path.read_bytes()
    path.write_bytes(other)
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "Nothing was written" in window.notice.text.text() and not window.notice.isHidden()
    path.write_bytes(own)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert window.session.is_saved and window.notice.isHidden()


def test_a_folder_that_cannot_be_written_is_said_and_nothing_is_lost(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "x.reach"), ""))
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "cannot be saved" in window.notice.text.text() and not window.session.is_saved


def test_edits_are_kept_within_two_seconds_and_offered_after_a_crash(window, qtbot, qapp, tmp_path):
    kept = window.state_folder
    QTest.keyClick(window, Qt.Key.Key_Up, CTRL)
    qtbot.waitUntil(lambda: list(kept.glob("*.autosave")) != [], timeout=5000)
    assert leftovers(kept) == [], "it belongs to a window that lives"
    # What a crash does: the lock goes, the file stays.
    window.autosave.storage.close()
    other = MainWindow(Session(), Settings(tmp_path / "other.json"), kept)
    other.show()
    other.documents.offer_leftovers()
    assert "Unsaved changes to “Lantern Ferry”" in other.notice.text.text()
    back = next(b for b in other.notice.buttons if b.text() == "Bring them back")
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    assert other.session.document == window.session.document and not other.session.is_saved
    assert len(list(kept.glob("*.autosave"))) == 1, "kept again as its own"
    other.session.mark_saved()
    other.close()


@pytest.mark.parametrize("answer", ["Keep for next time", "Cancel"])
def test_closing_never_loses_work(qapp, tmp_path, answer):
    kept = tmp_path / "kept"
    kept.mkdir()
    window = MainWindow(Session(), Settings(tmp_path / "m.json"), kept)
    window.show()
    window.session.plans.set_tempo(123)
    in_dialog(QMessageBox, lambda box: press(box, answer))
    window.close()
    if answer == "Cancel":
        assert window.isVisible()
        window.session.mark_saved()
        window.close()
    else:
        assert not window.isVisible()
        (found,) = leftovers(kept)
        assert found.document.plans[0].tempo == 123


def test_a_file_is_dragged_in(window, tmp_path):
    path = tmp_path / "dropped.reach"
    save_document(path, Session().document)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(
        QPointF(QPoint(200, 200)), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier(0)
    )
    window.dropEvent(event)
    assert window.autosave.path == path


def test_the_start_page_offers_a_short_choice(qapp, tmp_path):
    window = MainWindow(Session(), Settings(tmp_path / "m.json"), tmp_path)
    window.show_start()
    window.show()
    assert not window.header.isVisible()
    QTest.mouseClick(window.start_page.demo, Qt.MouseButton.LeftButton)
    assert window.session.document.title == "Lantern Ferry" and window.header.isVisible()
    assert window.start_page is None
    window.close()


def test_a_theme_change_keeps_the_start_page_and_stations_wait_until_needed(qapp, tmp_path):
    window = MainWindow(Session(), Settings(tmp_path / "m.json"), tmp_path)
    window.show_start()
    window.show()
    window.set_theme("dark")
    assert window.start_page is not None and window.stack.currentWidget() is window.start_page
    assert window.built == {}
    window.set_theme("light")
    QTest.mouseClick(window.start_page.new, Qt.MouseButton.LeftButton)
    assert list(window.built) == ["write"] and window.stack.currentWidget() is window.write_station
    window.session.mark_saved()
    window.close()


def test_theme_and_text_size_keep_everything(window):
    window.session.select_stroke(5)
    document = window.session.document
    window.set_theme("dark")
    QTest.keyClick(window, Qt.Key.Key_Plus, CTRL)
    assert window.session.stroke == 5 and window.session.document is document
    assert window.header.plans.currentText() == "Gangway groove"
    QTest.keyClick(window, Qt.Key.Key_Minus, CTRL)
    window.set_theme("light")


def test_a_document_without_plans_says_what_to_do_next(window):
    for _ in range(len(window.session.document.plans)):
        window.session.plans.delete_plan()
    assert window.session.plan is None and window.session.report is None
    for name in ("kit", "write", "voice", "reach"):
        window.go(name)
        window.grab()
    assert "Ctrl+N" in window.header.about.text() and "Ctrl+N" in window.write_station.message.text()
    QTest.keyClick(window, Qt.Key.Key_Return, CTRL)
    assert "nothing to commit" in window.notice.text.text()
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.plan is not None


def test_everything_is_reached_with_the_tab_key(window):
    window.go("reach")
    station = window.reach_station
    wanted = {station.plan, station.elevation, station.weave, station.lane, station.rule, station.findings}
    seen = set()
    window.header.plans.setFocus()
    for _ in range(40):
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
        seen.add(QApplication.focusWidget())
    assert wanted <= seen


@pytest.mark.parametrize(
    "text",
    [
        "",
        "- - - -",
        "R",
        "K",
        "? ? L",
        "R+L+K+J",
        "R@nowhere L@c9",
        "R@sn+R@hh+L@ft+L@rd",
        "meter 1/32 /32 R",
        "/64:1/32 " + "R " * 64,
        "fR> dL. uR^ R~ Lx Ro Ho K.",
        "R L " * 1500,
        "/4 R = = = = = = = = = = = = = = = L",
    ],
)
def test_every_view_draws_whatever_is_written(window, text):
    """Exceptions while drawing fail the test."""
    window.session.plans.new_plan("Odd", text)
    for name in ("kit", "write", "voice", "reach"):
        window.go(name)
        QApplication.processEvents()
        window.grab()
        for index in (0, 10**9):
            window.session.select_stroke(index)
            QApplication.processEvents()
    window.session.plans.change_plan("Loop", repeat=True)
    window.reach_station.elevation.set_from_side(True)
    QApplication.processEvents()
    assert window.session.error is None


@pytest.mark.parametrize("pieces", [0, 1, 3])
def test_every_view_draws_a_kit_with_next_to_nothing(window, pieces):
    session = window.session
    kit = session.kit
    session.apply(session.document.with_kit(replace(kit, pieces=kit.pieces[:pieces])), "Almost no kit")
    for name in ("kit", "write", "voice", "reach"):
        window.go(name)
        QApplication.processEvents()
        window.grab()
    assert window.header.ease.value.text() == "impossible"


def test_a_plan_goes_out_and_a_foreign_file_becomes_a_plan(window, tmp_path, monkeypatch):
    path = tmp_path / "gangway.mid"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), "MIDI file (*.mid)"))
    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert "is written" in window.notice.text.text()
    text = window.session.text
    window.documents.open_path(path)
    assert window.station == "write" and window.session.text == text and window.session.plan.tempo == 104
    assert window.session.plan.name == "gangway"


def test_a_foreign_file_says_what_it_leaves_open_and_which_part_is_meant(window, tmp_path, qtbot):
    import mido

    file = mido.MidiFile(type=1)
    for count in (3, 5):
        notes = [mido.Message("note_on", channel=9, note=38, velocity=90, time=240) for _ in range(count)]
        file.tracks.append(mido.MidiTrack([mido.MetaMessage("track_name", name=f"Part {count}"), *notes]))
    file.save(tmp_path / "two.mid")
    window.documents.open_path(tmp_path / "two.mid")
    dialog = window.findChild(ImportDialog)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=10_000)
    assert [dialog.part.itemText(k) for k in range(3)] == [
        "all drum tracks as one", "Part 3 (3 notes)", "Part 5 (5 notes)",
    ]  # fmt: skip
    dialog.accept()
    assert window.session.pattern().sticking == "? ? ? ? ?"
    assert "hands are not in the file" in window.notice.text.text()
    before = window.session.document
    (tmp_path / "bad.mid").write_bytes(b"junk")
    window.documents.open_path(tmp_path / "bad.mid")
    assert "bad.mid cannot be opened: this is no MIDI file" in window.notice.text.text()
    assert window.session.document == before


def test_the_plan_on_one_page(window, tmp_path, monkeypatch):
    for paper, size in (("A4", (595, 842)), ("Letter", (612, 792))):
        path = tmp_path / f"{paper}.pdf"
        chosen = f"One page on {paper} (*.pdf)"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, p=path, c=chosen: (str(p), c))
        QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        data = path.read_bytes()
        assert data.startswith(b"%PDF") and len(data) > 20_000
        box = re.search(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", data)
        assert (round(float(box[1])), round(float(box[2]))) == size
        assert data.count(b"/Type /Page\n") == 1, "one page"
    assert "is written" in window.notice.text.text()


def test_a_plan_goes_back_to_what_was_committed(window):
    session = window.session
    session.show_plan("storm")
    before, kit = session.text, session.kit
    committed = session.plans.commitment
    assert session.plans.changes()
    tom = kit.piece("ft")
    session.kits.move_piece("ft", tom.x + 50, tom.y)
    session.strokes.set_text("R L R L", "Text", None)

    in_dialog(Commitments, lambda dialog: QTest.mouseClick(dialog.backs[0], Qt.MouseButton.LeftButton))
    QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.text == committed.text == before and session.plan.tempo == committed.tempo
    assert session.kit.pieces == committed.kit.pieces and session.kit.name.endswith("as committed")
    assert session.document.kit(kit.id).piece("ft").x == tom.x + 50, "the other plans keep the kit as it is now"
    window.activateWindow()
    QApplication.processEvents()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.text == "R L R L"


def print_to(window, path, paper, keys):
    """Press the keys, and accept the print dialog with a PDF file for a printer."""
    window.activateWindow()
    QTest.qWait(20)
    QTest.keyClick(window, *keys)
    dialog = window.findChild(QPrintDialog)
    assert dialog is not None and dialog.isVisible()
    printer = dialog.printer()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(path))
    printer.setPageSize(QPageSize(paper))
    dialog.done(1)
    dialog.deleteLater()
    return path.read_bytes()


def test_plan_and_floor_plan_are_printed(window, tmp_path, qapp):
    plan = print_to(window, tmp_path / "plan.pdf", QPageSize.PageSizeId.A4, (Qt.Key.Key_P, CTRL))
    assert plan.startswith(b"%PDF") and plan.count(b"/Type /Page\n") == 1 and len(plan) > 20_000
    assert "Gangway groove" in window.notice.text.text()
    qapp.processEvents()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    for paper, size in ((QPageSize.PageSizeId.A4, (595, 842)), (QPageSize.PageSizeId.Letter, (612, 792))):
        kit = print_to(window, tmp_path / "kit.pdf", paper, (Qt.Key.Key_P, CTRL | SHIFT))
        box = re.search(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", kit)
        assert (round(float(box[1])), round(float(box[2]))) == size
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    assert "floor plan" in window.notice.text.text()


def test_nothing_to_print_is_said(window):
    window.session.plans.new_plan("Empty", "")
    QTest.keyClick(window, Qt.Key.Key_P, CTRL)
    assert window.findChild(QPrintDialog) is None and "nothing to print" in window.notice.text.text()


def test_print_and_export_stand_on_reach_and_kit(window, qapp):
    names = [action.text() for action in window.reach_station.paper.actions()]
    assert names == ["Print…", "Export…"]
    window.go("kit")
    bar = window.kit_station.bar
    bar.fill_menu()
    assert [a.text() for a in bar.menu.actions()][-2:] == ["Export…", "Print floor plan…"]
    QTest.mouseClick(bar.print_button, Qt.MouseButton.LeftButton)
    dialog = window.findChild(QPrintDialog)
    assert dialog.isVisible()
    dialog.reject()
