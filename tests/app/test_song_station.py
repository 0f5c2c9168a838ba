"""The Song station by clicks and keys: chaining, meetings, ways out, relief, other kits, places, the whole show."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from deft_reach.app.song.new_song_dialog import NewSongDialog
from deft_reach.app.text import units
from deft_reach.core import parse
from deft_reach.core.document import read_text
from deft_reach.core.song import analyse_song
from deft_reach.core.song.sectioning import sections_of
from deft_reach.formats.document import dump_document, load_document
from tests.app.conftest import click, enter, show

CTRL = Qt.KeyboardModifier.ControlModifier
GROOVE = "/16 R@hh+K R@hh R@hh R@hh R@hh+L> R@hh R@hh R@hh R@hh+K R@hh R@hh R@hh R@hh+L> R@hh R@hh R@hh |"
EIGHTHS = "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh R@hh+L> R@hh |"
FILL = "/16 (R L K K) (R@t1 L@t1 K K) (R@ft L@ft K K) (R@ft K K K) |"


@pytest.fixture
def station(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    qapp.processEvents()
    assert window.station == "song"
    return window.song_station


@pytest.fixture
def hard(station, window, qapp):
    """A song of a groove, a fill whose feet run into the landing, and the groove again."""
    session = window.session
    session.plans.new_plan("Groove", EIGHTHS, tempo=140)
    session.plans.set_repeat(True)
    groove = session.plan.id
    session.plans.new_plan("Fill", FILL, tempo=140)
    session.plans.set_repeat(False)
    fill = session.plan.id
    session.songs.new_song("Hard")
    session.songs.change_song("x", sections=())
    for plan in (groove, fill, groove):
        session.songs.add_section(plan)
    session.songs.set_times(0, 3)
    qapp.processEvents()
    return station


def press(button):
    assert button.isEnabled() and button.isVisible(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def cells(table, row):
    return [table.item(row, k).text() if table.item(row, k) else "" for k in range(table.columnCount())]


def pick_action(menu, text):
    menu.aboutToShow.emit()
    action = next(a for a in menu.actions() if a.text().startswith(text))
    menu.setActiveAction(action)
    QTest.keyClick(menu, Qt.Key.Key_Return)


def test_the_demo_song_is_chained_and_its_sections_listed(station, window):
    found = station.view.found
    again = analyse_song(window.session.document, window.session.songs.song)
    assert found.report.summary.cost == again.report.summary.cost
    rows = [cells(station.bar.table, k) for k in range(station.bar.table.rowCount())]
    assert [row[0] for row in rows] == [
        "Gangway groove",
        "Harbour mouth",
        "Moonlit crossing",
        "Storm at the breakwater",
    ]
    for row, verdict in zip(rows, found.sections):
        assert row[3] == f"{verdict.tempo_limit:.0f}" and row[4] == f"{verdict.alone_limit:.0f}"
    assert (rows[0][1] == "3" and "jumps" in station.bar.words.text()) or "bars" in station.bar.words.text()
    blocks = station.strip.blocks()
    assert [block.section for block in blocks] == [0, 1, 2, 3] and len(blocks[0].rounds) == 3
    assert "Gangway groove, 3 times at 104 BPM: breaks at 143 BPM here" in station.strip.in_words()


def test_a_section_is_added_moved_repeated_and_removed_by_hand(station, window):
    session, bar = window.session, station.bar
    bar.table.setFocus()
    QTest.keyClick(bar.table, Qt.Key.Key_Home)
    pick_action(bar.plans, "Puppet parade")
    assert [s.plan for s in session.songs.song.sections][:2] == ["gangway", "parade"] and bar.row == 1
    press(bar.down)
    assert [s.plan for s in session.songs.song.sections][:3] == ["gangway", "mouth", "parade"] and bar.row == 2
    bar.times.setFocus()
    bar.times.selectAll()
    QTest.keyClicks(bar.times, "4")
    QTest.keyClick(bar.times, Qt.Key.Key_Return)
    assert session.songs.song.sections[2].times == 4 and cells(bar.table, 2)[1] == "4"
    bar.section_tempo.setFocus()
    bar.section_tempo.selectAll()
    QTest.keyClicks(bar.section_tempo, "100")
    QTest.keyClick(bar.section_tempo, Qt.Key.Key_Return)
    assert session.songs.song.sections[2].tempo == 100 and cells(bar.table, 2)[2] == "100"
    press(bar.remove)
    assert [s.plan for s in session.songs.song.sections] == ["gangway", "mouth", "moonlit", "storm"]
    for _ in range(5):
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert [s.times for s in session.songs.song.sections] == [3, 1, 4, 1] and session.undo_label is None


def test_one_tempo_round_again_and_another_kit(station, window):
    session, bar = window.session, station.bar
    bar.tempo.setFocus()
    bar.tempo.selectAll()
    QTest.keyClicks(bar.tempo, "96")
    QTest.keyClick(bar.tempo, Qt.Key.Key_Return)
    assert session.songs.song.tempo == 96 and {row.tempo for row in station.view.found.sections} == {96}
    click(bar.repeat, QPointF(8, bar.repeat.height() / 2))
    assert session.songs.song.repeat and station.view.report.repeat
    bar.kit.setFocus()
    QTest.keyClick(bar.kit, Qt.Key.Key_End)
    assert session.songs.song.kit == "hall" and station.view.kit.id == "hall"
    kept = load_document(dump_document(session.document)).song(session.songs.song.id)
    assert (kept.tempo, kept.repeat, kept.kit) == (96, True, "hall")


def test_songs_are_made_named_copied_and_deleted(station, window, monkeypatch):
    session = window.session
    menu = station.bar.more.menu()
    pick_action(menu, "New song")
    window.findChild(NewSongDialog).accept()
    assert session.songs.song.name == "New song" and station.bar.songs.currentText() == "New song"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Act two", True))
    pick_action(menu, "Rename")
    assert station.bar.songs.currentText() == "Act two"
    pick_action(menu, "Duplicate")
    assert len(session.document.songs) == 3
    pick_action(menu, "Delete")
    pick_action(menu, "Delete")
    pick_action(menu, "Delete")
    assert session.document.songs == () and station.view.report is None
    assert "No song yet" in station.bar.words.text() and not station.bar.copy.isEnabled()
    station.grab()


def test_a_new_song_asks_for_its_plans(station, window, qapp):
    session = window.session
    pick_action(station.bar.more.menu(), "New song")
    dialog = window.findChild(NewSongDialog)
    assert dialog.isVisible() and [dialog.ordered.item(0).text()] == [session.plan.name]
    dialog.name_field.setFocus()
    QTest.keyClicks(dialog.name_field, "Night tide")
    dialog.ordered.setCurrentRow(0)
    press(dialog.remove)
    assert dialog.ordered.count() == 0 and not dialog.remove.isEnabled()
    names = [plan.name for plan in session.document.plans]
    for row in (2, 0, 2):
        dialog.available.setFocus()
        dialog.available.setCurrentRow(row)
        press(dialog.add)
    press(dialog.accept_button)
    song = session.songs.song
    assert song.name == "Night tide"
    assert [session.document.plan(s.plan).name for s in song.sections] == [names[2], names[0], names[2]]
    assert station.bar.songs.currentText() == "Night tide"
    window.session.undo()
    assert session.songs.song.name != "Night tide"


def test_the_song_is_heard_from_any_section(station, window, qapp, monkeypatch):
    """The click is driven by hand; what sounds is read from the playback, its times from the sections' own tempi."""
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    transport, session = window.transport, window.session
    transport.timer.setInterval(10**6)
    session.plans.new_plan("Slow", "/4 R L R L |", tempo=60)
    session.plans.set_repeat(False)
    slow = session.plan.id
    session.plans.new_plan("Fast", "/8 R@t1 L@t1 | /4 R@ft L@ft R@ft L@ft |", tempo=240)
    session.plans.set_repeat(False)
    session.songs.new_song("Two tempi", [slow, session.plan.id])
    qapp.processEvents()
    station.bar.table.setFocus()
    station.bar.table.setCurrentCell(1, 0)
    press(station.bar.play)
    playback = transport.playback
    assert transport.playing and transport.session is station.view
    voices = [playback.pattern.strokes[h.stroke].voice for h in playback.hits]
    times = [h.time for h in playback.hits]
    # The pickup is played over the slow section's last beat, at its tempo; the snare's L there gives way to it.
    assert voices == ["t1", "t1", *["ft"] * 4] and times == pytest.approx([0, 0.5, 1, 1.25, 1.5, 1.75])
    press(station.bar.play)
    assert transport.playing, "pressed again it begins again"
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert not transport.playing
    QTest.keyClick(window, Qt.Key.Key_F5, Qt.KeyboardModifier.ShiftModifier)
    heard = [transport.playback.pattern.strokes[h.stroke].voice for h in transport.playback.hits]
    assert heard == ["sn"] * 3 + voices, "the selected stroke is in the pickup, over the slow bar"


def test_buttons_stay_where_they_are_whatever_is_said(station, window, qapp):
    bar = station.bar
    before = bar.add.mapTo(window, bar.add.rect().topLeft())
    for text in ("", "Short.", "A hint that is a good deal longer than the others and needs a second line for it."):
        bar.words.setText(text)
        qapp.processEvents()
        assert bar.add.mapTo(window, bar.add.rect().topLeft()) == before


def test_columns_say_what_they_mean(station):
    model = station.bar.table.model()
    tips = [model.headerData(k, Qt.Orientation.Horizontal, Qt.ItemDataRole.ToolTipRole) for k in range(5)]
    assert all(tips) and "in the song" in tips[3] and "by itself" in tips[4]


def test_a_stroke_chosen_in_the_song_is_chosen_in_its_plan(station, window):
    session, view = window.session, station.view
    blocks = station.strip.blocks()
    middle = (blocks[3].start + blocks[3].end) / 2
    click(station.strip, QPointF(station.strip.x_at(middle), 20))
    assert session.plan.id == "storm" and session.stroke == 0
    assert view.found.chain.origin[view.stroke] == (8, 0)
    QTest.keyClick(station.weave, Qt.Key.Key_Right)
    assert session.stroke == 1
    session.show_plan("moonlit")
    session.select_stroke(3)
    part, own = view.found.chain.origin[view.stroke]
    assert view.found.chain.parts[part].plan.id == "moonlit" and own == 3
    assert station.bar.row == 2, "the list follows"


def test_keys_that_edit_are_refused_with_a_word(station, window):
    before = window.session.document
    station.weave.setFocus()
    QTest.keyClick(station.weave, Qt.Key.Key_L)
    assert window.session.document == before and "plan by plan" in station.weave_panel.note.text()


def test_an_edit_elsewhere_is_chained_at_once_when_one_comes_back(station, window, qapp):
    before = station.view.report
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    window.session.strokes.set_text("/4 R L R L |", "Text", None)
    assert station.view.report is before, "nobody looks: nothing is worked out"
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    qapp.processEvents()
    assert station.view.report is not before


def test_where_sections_meet_and_the_ways_out(hard, window, qtbot):
    meet = hard.meet
    assert [meet.list.item(k).text() for k in range(meet.list.count())] == ["Groove → Fill", "Fill → Groove"]
    assert meet.list.currentRow() == 1, "the hardest is shown first"
    assert "3 foot strokes in a row" in meet.words.text()
    qtbot.waitUntil(lambda: bool(meet.offers), timeout=10_000)
    names = [cells(meet.table, k)[0] for k in range(meet.table.rowCount())]
    assert "a shorter run" in names and "one group less and a flam" in names
    row = names.index("a shorter run")
    meet.table.setFocus()
    for _ in range(row):
        QTest.keyClick(meet.table, Qt.Key.Key_Down)
    wanted = meet.offers[row].text
    press(meet.use)
    fill = next(p for p in window.session.document.plans if p.name == "Fill")
    assert window.session.document.score(fill.pattern).text == wanted
    assert "shorter run" in window.session.undo_label
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.document.score(fill.pattern).text == FILL
    meet.list.setFocus()
    QTest.keyClick(meet.list, Qt.Key.Key_Up)
    assert "backbeat" in meet.words.text() and hard.view.found.chain.origin[hard.view.stroke][0] in (2, 3)


def test_a_song_with_a_hole_says_so_at_its_section(hard, window):
    session = window.session
    fill = next(p for p in session.document.plans if p.name == "Fill")
    session.apply(session.document.with_text(fill, "R L ??? nonsense"), "break it")
    hard.bar.table.setFocus()
    QTest.keyClick(hard.bar.table, Qt.Key.Key_Home)
    QTest.keyClick(hard.bar.table, Qt.Key.Key_Down)
    assert "cannot be read" in hard.bar.words.text() and hard.bar.words.objectName() == "error"
    assert len(hard.view.found.sections) == 2, "the rest is played"


def test_relief_by_the_slider(hard, window, qtbot):
    session = window.session
    session.show_plan(next(p.id for p in session.document.plans if p.name == "Groove"))
    session.strokes.set_text(GROOVE, "Sixteenths", None)
    show(hard, "Relief")
    form = hard.relief
    assert "right hand" in form.chart.in_words() and cells(form.loads, 0)[0] == "right hand"
    press(form.find_button)
    qtbot.waitUntil(lambda: len(form.rows) > 3, timeout=60_000)
    form.slider.setFocus()
    QTest.keyClick(form.slider, Qt.Key.Key_Home)
    assert form.verdict.text().startswith("As written") and not form.use.isEnabled()
    QTest.keyClick(form.slider, Qt.Key.Key_End)
    assert "lighter" in form.verdict.text() and form.current.share == 0.125
    text = form.current.text
    press(form.use)
    assert session.text == text and session.undo_label == "Relief"
    # The others are still answers, and can be used in its place; another tempo is another question.
    assert not form.use.isEnabled()
    QTest.keyClick(form.slider, Qt.Key.Key_Left)
    assert form.use.isEnabled()
    form.grab()


def test_a_plan_is_put_on_another_kit_and_a_choice_changed(station, window, qtbot):
    session = window.session
    session.plans.new_plan("Toms", "/16 R@t1 L@t2 R@ft L@c2")
    show(station, "Another kit")
    form = station.refit
    form.kit.setFocus()
    form.kit.setCurrentIndex(form.kit.findText("the “compact” layout"))
    press(form.find_button)
    qtbot.waitUntil(lambda: bool(form.found), timeout=10_000)
    listed = [cells(form.changes, k)[:2] for k in range(form.changes.rowCount())]
    assert ["c2", "c1"] in listed and "no mid tom" in cells(form.changes, 0)[3]
    box = form.changes.cellWidget(0, 1)
    box.setFocus()
    form.found = ()
    box.setCurrentText("ft")
    box.activated.emit(box.currentIndex())
    qtbot.waitUntil(lambda: bool(form.found), timeout=10_000)
    assert all(row.text.split()[2] == "L@ft" for row in form.found)
    press(form.keep)
    kept = session.document.plans[-1]
    assert kept.name == "Toms on compact" and session.document.kit(kept.kit).name == "compact"
    assert read_text(session.document.score(kept.pattern).text, session.document.kit(kept.kit)).strokes
    assert session.plan.name == "Toms", "the plan in view stays"


def test_places_are_searched_shown_and_taken_only_when_asked(station, window, qtbot):
    session = window.session
    session.show_plan("storm")
    show(station, "Move pieces")
    form, kit = station.layout_form, session.kit
    form.within.setValue(40)
    press(form.find_button)
    assert form.find_button.text() == "Stop"
    qtbot.waitUntil(lambda: form.found is not None, timeout=60_000)
    assert session.kit == kit and "% cheaper" in cells(form.table, 0)[0]
    best = form.found.best[0]
    assert station.plan.ghost == best.kit and cells(form.gains, 0)[1].count("→") == 1
    station.plan.grab()
    press(form.use)
    assert session.kit.pieces == best.kit.pieces and session.undo_label.startswith("Move pieces")
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert session.kit == kit


def test_a_search_for_places_stops_at_once_and_keeps_what_it_has(station, window, qtbot):
    window.session.show_plan("storm")
    show(station, "Move pieces")
    form = station.layout_form
    for k in range(form.pieces.count()):
        form.pieces.item(k).setCheckState(Qt.CheckState.Checked)
    form.within.setValue(200)
    press(form.find_button)
    qtbot.waitUntil(lambda: form.partial is not None, timeout=60_000)
    press(form.find_button)
    assert form.find_button.text() == "Find places" and "best so far" in form.words.text()
    assert form.found is None and form.current is form.partial and form.use.isEnabled()


def test_nothing_ticked_says_what_to_tick(station, window, qtbot):
    window.session.show_plan("storm")
    show(station, "Move pieces")
    form = station.layout_form
    for k in range(form.pieces.count()):
        form.pieces.item(k).setCheckState(Qt.CheckState.Unchecked)
    press(form.find_button)
    qtbot.waitUntil(lambda: "choose at least one" in form.words.text(), timeout=5000)


def test_the_whole_show_on_one_kit(station, window, qtbot):
    show(station, "Whole show")
    form, session = station.show_form, window.session
    count = len(session.document.plans) + len(session.document.songs)
    qtbot.waitUntil(lambda: form.table.rowCount() == count, timeout=10_000)
    rows = {cells(form.table, k)[0]: cells(form.table, k) for k in range(count)}
    assert rows["Gangway groove"][5] == "committed" and rows["Storm at the breakwater"][3] == "9 % above the limit"
    assert "buoy bell" in rows["Buoy bell"][4]
    form.kit.setCurrentIndex(form.kit.findText("the “compact” layout"))
    qtbot.waitUntil(lambda: form.table.item(0, 1).text() == "compact", timeout=10_000)
    name = form.table.item(3, 0).text()
    form.table.setFocus()
    form.table.setCurrentCell(3, 0)
    QTest.keyClick(form.table, Qt.Key.Key_Return)
    assert session.plan.name == name


def test_f5_plays_the_song_and_the_strip_shows_where(station, window, qapp, monkeypatch):
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    transport = window.transport
    transport.count_in = False
    transport.timer.setInterval(10**6)
    now = [100.0]
    transport.clock = lambda: now[0]
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert transport.playing and transport.session is station.view
    now[0] += station.view.report.summary.duration * 0.9
    transport.timer.timeout.emit()
    at = station.view.position
    assert at == pytest.approx(float(station.view.report.pattern.length) * 0.9, rel=0.01)
    before = station.strip.grab().toImage()
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert not transport.playing and station.strip.grab().toImage() != before
    QTest.keyClick(window, Qt.Key.Key_4, CTRL)
    assert transport.session is window.session


def test_written_out_as_one_plan(station, window):
    session = window.session
    session.songs.set_song_tempo(100)
    pick_action(station.bar.more.menu(), "Write it out")
    plan = session.document.plans[-1]
    assert plan.name == "Act one: the crossing, written out" and plan.tempo == 100
    pattern = read_text(session.document.score(plan.pattern).text, session.kit)
    assert len(pattern.strokes) == len(station.view.report.strokes)
    session.songs.set_song_tempo(None)
    pick_action(station.bar.more.menu(), "Write it out")
    assert "one tempo" in station.bar.words.text()


def test_larger_text_and_the_dark_keep_the_station(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    for step in (lambda: window.set_theme("dark"), lambda: window.scale_text(0.2)):
        step()
        qapp.processEvents()
        assert window.station == "song" and window.song_station.view.report is not None
        window.grab()
    window.scale_text(-0.2)
    window.set_theme("light")


OPEN = " ".join(
    ["/8 ?@hh+K ?@hh ?@hh+?@sn> ?@hh ?@hh+K ?@hh ?@hh+?@sn> ?@hh |"] * 5 + ["/16 ?@sn ?@sn ?@t1 ?@t1 ?@ft ?@ft K K |"]
)


def test_the_hands_of_all_plans_of_a_song_are_found_at_once(station, window, qtbot, qapp):
    session, bar = window.session, station.bar
    assert not bar.hands.isVisible(), "every stroke of the demo's song has a hand"
    before = session.document
    session.songs.add_sections("Open", sections_of(parse(OPEN, lenient=True)), 110.0)
    qapp.processEvents()
    assert bar.hands.isVisible() and "find the hands first" in bar.words.text()
    assert "its mark says why" in station.weave_panel.note.text()
    press(bar.hands)
    assert bar.hands.text() == "Stop"
    qtbot.waitUntil(lambda: not bar.hands.task.busy, timeout=30_000)
    assert bar.words.text().startswith("2 plans have their hands.")
    assert not bar.hands.isVisible() and station.view.report is not None and station.view.stroke is not None
    assert "on the" in station.plan_panel.note.text() or "·" in station.plan_panel.note.text()
    session.undo()
    qapp.processEvents()
    assert bar.hands.isVisible()
    press(bar.hands)
    press(bar.hands)
    assert "Stopped" in bar.words.text() and bar.hands.text() == "Find the hands"
    session.undo()
    assert session.document == before


def test_how_far_pieces_may_move_is_shown_and_typed_in_the_players_unit(station, window, qapp):
    show(station, "Move pieces")
    box = station.layout_form.within
    assert box.text() == "80 mm"
    try:
        window.set_unit("in")
        assert box.text().endswith(" in") and box.value() == 80
        enter(box, "4 in")
        assert box.value() == pytest.approx(101.6)
    finally:
        units.set_unit("mm")


def test_a_song_that_has_become_shorter_since_it_was_judged(station, window):
    """The verdict of a moment ago can name a section that is not there any more."""
    session = window.session
    found = station.view.found
    tightest = found.tightest.section
    assert tightest > 0, "the last one, so that it goes first"
    view = station.view
    view.active = False
    while len(session.songs.song.sections) > 1:
        session.songs.remove_section(len(session.songs.song.sections) - 1)
    assert view.found is found
    station.bar.refresh()
    assert "Storm at the breakwater" in station.bar.words.text()
    storm = found.song.sections[tightest].plan
    session.show_plan(storm)
    session.plans.delete_plan()
    station.bar.refresh()
    assert "Tightest" in station.bar.words.text()
