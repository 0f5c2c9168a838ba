"""A first hour as somebody new spends it, by clicks and keys alone, with the clicks counted.

From the start page to a committed fix, a measured kit, a piece that goes, a song that is heard, a rhythm tapped in.
"""

import math

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from deft_reach.app.dialogs.commit_dialog import CommitDialog
from deft_reach.app.kit.remove_piece_dialog import RemovePieceDialog
from deft_reach.app.shell import transport as transport_module
from deft_reach.app.shell.window import MainWindow
from deft_reach.app.song.new_song_dialog import NewSongDialog
from deft_reach.store.settings import Settings
from tests.app.conftest import in_dialog

CTRL = Qt.KeyboardModifier.ControlModifier
#: From the start page to the first verdict, and on to a fix that is committed: no more clicks than these.
FIRST_VERDICT, COMMITTED_FIX = 1, 6


class Hand:
    """A hand on the mouse that counts its clicks."""

    def __init__(self):
        self.clicks = 0

    def press(self, button):
        assert button.isVisible() and button.isEnabled(), button.text()
        self.clicks += 1
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def tab(self, tabs, title):
        bar = tabs.tabBar()
        at = next(k for k in range(bar.count()) if bar.tabText(k).startswith(title))
        self.clicks += 1
        QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar.tabRect(at).center())

    def row(self, view, row):
        self.clicks += 1
        QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=view.visualItemRect(view.item(row)).center())

    def station(self, window, name):
        self.press(window.rail.buttons[name])
        assert window.station == name


@pytest.fixture
def start(qapp, qtbot, tmp_path, monkeypatch):
    """The start page in a window as high as a small laptop allows."""
    monkeypatch.setattr(transport_module, "open_output", lambda source: None)
    kept = tmp_path / "kept"
    kept.mkdir()
    window = MainWindow(settings=Settings(tmp_path / "settings.json"), keep_in=kept)
    window.show_start()
    window.resize(1366, 740)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qapp.processEvents()
    window.transport.timer.setInterval(10**6)
    return window


def write_figure(window):
    """A figure that cannot be played at 150: one hand runs from the floor tom to the left crash and back."""
    window.write_station.editor.setFocus()
    QTest.keyClick(window.write_station.editor, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(window.write_station.editor, "/16 R L R@ft R@c1 R@ft L R L |")
    for _ in range(6):
        QTest.keyClick(window, Qt.Key.Key_Up, CTRL | Qt.KeyboardModifier.ShiftModifier)
    for _ in range(30):
        QTest.keyClick(window, Qt.Key.Key_Up, CTRL)


def test_from_the_start_page_to_a_committed_fix(start, qtbot):
    window, hand = start, Hand()
    hand.press(window.start_page.new)
    assert window.station == "write"
    write_figure(window)
    figure = window.header.ease.value
    assert figure.text() == "impossible" and window.session.report.serious, "the verdict stands in the header"
    assert hand.clicks <= FIRST_VERDICT, hand.clicks
    # The red figure leads to what is wrong; one button looks for what removes it.
    hand.clicks += 1
    QTest.mouseClick(figure, Qt.MouseButton.LeftButton)
    station = window.reach_station
    assert window.station == "reach" and window.session.finding.severity.serious
    before = len(window.session.report.serious)
    hand.press(station.try_it)
    qtbot.waitUntil(lambda: station.hands.list.count() > 1, timeout=20_000)
    offered = station.candidate
    assert offered.active and "Offered, not taken" in station.threads.currentWidget().words.text()
    assert len(offered.report.serious) < before
    hand.press(station.hands.use)
    assert len(window.session.report.serious) < before

    def commit(dialog):
        hand.press(dialog.commit)

    in_dialog(CommitDialog, commit)
    hand.press(window.header.button)
    assert window.session.plans.commitment is not None
    assert hand.clicks <= COMMITTED_FIX, hand.clicks


def test_the_kit_is_measured_a_piece_goes_and_the_plan_stays_playable(start, qtbot):
    window, hand = start, Hand()
    hand.press(window.start_page.new)
    window.write_station.editor.setFocus()
    QTest.keyClick(window.write_station.editor, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(window.write_station.editor, "/8 R@t1 L R@t1 L R@ft L R L |")
    hand.station(window, "kit")
    station, session = window.kit_station, window.session
    hand.tab(station.tabs, "Tape")
    form, kit = station.tape_form, session.kit
    hand.press(form.lead)
    places = {p.code: (p.x, p.y + 10, p.z + 5) for p in kit} | {"seat": (0, 0, session.player.seat_height_mm)}
    while "of" in form.guide.count.text():
        a, b = form.guide.asked
        mm = places[a][2] if b == "floor" else math.dist(places[a], places[b])
        QTest.keyClicks(form.guide.mm, f"{mm:.0f}")
        QTest.keyClick(form.guide.mm, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: form.apply.isEnabled(), timeout=15_000)
    hand.press(form.apply)
    assert session.kit.piece("ft").z == pytest.approx(kit.piece("ft").z + 5, abs=1)
    hand.tab(station.tabs, "Pieces")
    codes = [piece.code for piece in session.kit]
    table = station.pieces_form.list
    hand.clicks += 1
    cell = table.visualItemRect(table.item(codes.index("t1"), 1)).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=cell)
    hand.press(station.pieces_form.remove)
    dialog = window.findChild(RemovePieceDialog)
    assert dialog.isVisible() and dialog.others.currentData() == "t2", "the nearest is proposed"
    hand.press(dialog.exchange)
    assert session.kit.piece("t1") is None and not session.report.impossible
    assert "t2" in {s.voice for s in session.report.strokes}
    session.undo()
    assert session.kit.piece("t1") is not None and "@t1" in session.text


def test_a_rhythm_is_tapped_and_a_song_of_two_plans_is_heard(start, qapp):
    window, hand = start, Hand()
    hand.press(window.start_page.new)
    hand.station(window, "write")
    QTest.keyClick(window.write_station.editor, Qt.Key.Key_A, CTRL)
    QTest.keyClick(window.write_station.editor, Qt.Key.Key_Delete)
    session = window.session
    hand.tab(window.write_station.tabs, "Tap")
    form = window.write_station.tap
    form.now = 0.0
    form.clock = lambda: form.now
    beat = 60 / session.plan.tempo
    hand.press(form.start)
    for at, key in (
        (0, Qt.Key.Key_K),
        (0.5, Qt.Key.Key_K),
        (1, Qt.Key.Key_K),
        (1, Qt.Key.Key_F),
        (2, Qt.Key.Key_Space),
    ):
        form.now = (4 + at) * beat
        form.tick()
        QTest.keyClick(form.pad, key)
    hand.press(form.start)
    tapped = [(s.start * 4, s.limb, s.voice) for s in session.pattern().strokes]
    assert tapped == [(0, "R", "hh"), (0.5, "R", "hh"), (1, "R", "hh"), (1, "L", "sn"), (2, "K", "bd")]
    first = session.plan.name
    session.plans.set_repeat(False)
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    session.plans.set_repeat(False)
    window.write_station.editor.setFocus()
    QTest.keyClick(window.write_station.editor, Qt.Key.Key_A, CTRL)
    QTest.keyClicks(window.write_station.editor, "/8 R@ft L@t1 R@ft L@t1 R@ft L@t1 R@ft L@t1 |")
    second = session.plan.name
    assert second != first
    hand.station(window, "song")
    bar = window.song_station.bar
    menu = bar.more.menu()
    menu.popup(bar.more.mapToGlobal(QPoint(0, 0)))
    menu.setActiveAction(menu.actions()[0])
    QTest.keyClick(menu, Qt.Key.Key_Return)
    dialog = window.findChild(NewSongDialog)
    dialog.ordered.setCurrentRow(0)
    hand.press(dialog.remove)
    for row in range(2):
        dialog.available.clearSelection()
        hand.row(dialog.available, row)
        hand.press(dialog.add)
    hand.press(dialog.accept_button)
    qapp.processEvents()
    assert [session.document.plan(s.plan).name for s in session.songs.song.sections] == [first, second]
    bar.table.setFocus()
    bar.table.setCurrentCell(1, 0)
    hand.press(bar.play)
    playback = window.transport.playback
    heard = [playback.pattern.strokes[hit.stroke].voice for hit in playback.hits]
    own = [s.voice for s in window.song_station.view.found.chain.parts[1].pattern.strokes]
    assert heard == own and playback.lead_in == pytest.approx(4 * 60 / session.plan.tempo)
    window.activateWindow()
    QTest.qWait(20)
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert not window.transport.playing
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert len(window.transport.playback.hits) == len(tapped) + len(own), "F5 plays all of it"
