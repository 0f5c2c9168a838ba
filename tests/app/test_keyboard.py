"""The whole job without a mouse: write, look, change a hand, climb to the limit, commit, save."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMenu

from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.shell.actions import sheet_rows
from deft_reach.app.shell.shortcuts import CANVAS_KEYS, ShortcutSheet
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.formats.document import load_document
from tests.app.conftest import in_dialog

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def key(window, code, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    """A key typed at whatever has the keyboard."""
    QTest.keyClick(QApplication.focusWidget() or window, code, modifiers)


def typed(window, text: str) -> None:
    QTest.keyClicks(QApplication.focusWidget() or window, text)


def test_from_an_empty_plan_to_a_saved_commitment(window, tmp_path, monkeypatch):
    session = window.session
    key(window, Qt.Key.Key_N, CTRL)
    typed(window, "R@ft L@ft R@t1 L@t1 R L R L")
    assert session.report.summary.strokes == 8
    key(window, Qt.Key.Key_4, CTRL)
    seen = []
    while "crossover" not in seen:
        key(window, Qt.Key.Key_F8)
        seen.append(session.finding.kind)
        assert len(seen) <= len(session.report.findings), "it comes up in turn"
    key(window, Qt.Key.Key_Home)
    for _ in range(2):
        key(window, Qt.Key.Key_Right)
    typed(window, "t")
    assert session.report.strokes[2].limb == "L", "the left takes the tom instead"
    while session.report.summary.headroom > 0:
        key(window, Qt.Key.Key_Up, CTRL | SHIFT)
    for _ in range(3):
        key(window, Qt.Key.Key_Down, CTRL | SHIFT)
    assert session.report.summary.headroom > 0

    def commit(dialog):
        QTest.keyClicks(dialog.reason, "clockwise at last")
        QTest.keyClick(dialog.reason, Qt.Key.Key_Tab)
        QTest.mouseClick(dialog.commit, Qt.MouseButton.LeftButton)

    in_dialog(CommitDialog, commit)
    key(window, Qt.Key.Key_Return, CTRL)
    assert session.plans.commitment.reason == "clockwise at last"
    path = tmp_path / "by-keys.reach"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    window.activateWindow()
    QApplication.processEvents()
    key(window, Qt.Key.Key_S, CTRL)
    assert load_document(path.read_bytes()).commitments[-1].reason == "clockwise at last"


def test_a_drum_is_moved_by_keys_alone(window):
    session = window.session
    key(window, Qt.Key.Key_1, CTRL)
    while session.piece != "rd":
        typed(window, "]")
    start = session.kit.piece("rd")
    for _ in range(4):
        key(window, Qt.Key.Key_Left, SHIFT)
    key(window, Qt.Key.Key_PageDown, SHIFT)
    moved = session.kit.piece("rd")
    assert (moved.x, moved.z) == (start.x - 40, start.z - 10)
    key(window, Qt.Key.Key_Z, CTRL)
    assert session.kit.piece("rd") == start, "nudges that follow each other are one step"


def test_the_tempo_rule_by_keys(window):
    rule = window.reach_station.rule
    window.go("reach")
    rule.setFocus()
    key(window, Qt.Key.Key_Up)
    key(window, Qt.Key.Key_PageDown)
    assert window.session.plan.tempo == 104 + 1 - 5


def test_the_findings_list_by_keys(window):
    window.session.show_plan("storm")
    window.go("reach")
    findings = window.reach_station.findings
    findings.setFocus()
    key(window, Qt.Key.Key_Down)
    first = window.session.finding
    key(window, Qt.Key.Key_Down)
    assert window.session.finding != first and window.session.finding in window.session.report.findings


def test_every_key_of_the_sheet_is_bound_to_something(window):
    """The sheet cannot promise what the menus do not do."""
    bound = {s.toString() for action in window.findChildren(QAction) for s in action.shortcuts()}
    promised = {
        "Ctrl+1", "Ctrl+2", "Ctrl+3", "Ctrl+4", "Ctrl+PgUp", "Ctrl+PgDown", "Ctrl+Up", "Ctrl+Down", "Ctrl+Shift+Up",
        "Ctrl+Shift+Down", "Ctrl+L", "Ctrl+Return", "Ctrl+Shift+Return", "Ctrl+Z", "Ctrl+Shift+Z", "F8", "Shift+F8",
        "Ctrl+N", "Ctrl+D", "Ctrl+O", "Ctrl+S", "F1",
    }  # fmt: skip
    shown = dict(sheet_rows())
    assert promised <= set(shown) <= bound and all(shown.values())
    assert sum(len(rows) for _, rows in CANVAS_KEYS) >= 20
    window.resize(1024, 700)
    sheet = ShortcutSheet(window)
    sheet.show()
    QTest.qWait(10)
    assert sheet.width() <= 1024 and sheet.height() <= 700, "it fits a small screen, and scrolls"
    words = {label.text() for label in sheet.findChildren(QLabel)}
    assert set(shown) | set(shown.values()) <= words
    sheet.close()


def test_names_are_not_rewritten_under_the_fingers(window):
    """Emptied and typed anew, with a space in it: exactly what was typed, for plans, pieces and players."""
    window.go("write")
    window.session.select_piece("ft")
    kit = window.kit_station
    for show, field, read in (
        (lambda: window.go("write"), window.write_station.name, lambda: window.session.plan.name),
        (lambda: window.go("kit"), kit.pieces_form.name, lambda: window.session.kit.piece("ft").name),
        (
            lambda: kit.tabs.setCurrentWidget(kit.player_form),
            kit.player_form.name,
            lambda: window.session.player.name,
        ),
    ):
        show()
        field.setFocus()
        while field.text():
            QTest.keyClick(field, Qt.Key.Key_Backspace)
        assert read(), "an empty field is no name"
        QTest.keyClicks(field, "low tide")
        assert read() == field.text() == "low tide"


def test_rudiments_are_in_one_menu_a_family_with_their_hands(window):
    menus = [menu for menu in window.findChildren(QMenu) if menu.title().endswith(" rudiments")]
    assert len({menu.title() for menu in menus}) == len(menus) == len({r.family for r in RUDIMENTS})
    texts = [action.text() for menu in menus for action in menu.actions()]
    assert len(texts) == len(RUDIMENTS) and any(text.endswith("\tR L R R L R L L") for text in texts)
    action = next(a for menu in menus for a in menu.actions() if a.text().endswith("\tR L R R L R L L"))
    action.trigger()
    assert window.session.pattern().sticking.replace(" ", "").startswith("RLRRLRLL")
    assert window.session.plan.name == action.text().partition("\t")[0]
