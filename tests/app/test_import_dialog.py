"""Bringing a MIDI file into the window: what was understood and guessed, changed, and taken as plan or song."""

import io

import mido
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from deft_reach.app.dialogs.import_dialog import ImportDialog
from tests.app.conftest import pick
from tests.formats.test_foreign_midi import BARS, BEATS
from tests.formats.test_midi import foreign


@pytest.fixture
def midi(tmp_path):
    """A groove of eight bars with a tambourine that the kit lacks, in two tracks."""
    path = tmp_path / "ferry.mid"
    rows = [(b, k, 90) for b, k in BARS + BEATS] + [(bar * 4 + 3.5, 54, 80) for bar in range(8)]
    path.write_bytes(foreign(rows, tracks=2))
    return path


@pytest.fixture
def dialog(window, midi, qtbot):
    window.documents.open_path(midi)
    found = window.findChild(ImportDialog)
    qtbot.waitUntil(lambda: found.found is not None, timeout=10_000)
    return found


def press(button):
    assert button.isEnabled()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def choose(box, text):
    pick(box, text)
    box.activated.emit(box.currentIndex())


def test_what_was_understood_and_guessed_is_shown(dialog, window):
    assert "8 bars of 4/4, 120 BPM" in dialog.facts.text()
    assert "tambourine (key 54) on the hi-hat" in dialog.remarks.text().lower()
    names = [dialog.table.item(row, 1).text() for row in range(dialog.table.rowCount())]
    assert names == ["bass drum 1", "snare 1", "closed hi-hat", "tambourine"]
    assert dialog.part.currentText() == "all drum tracks as one" and dialog.part.count() == 3
    assert len(window.session.document.plans) == 8, "nothing is taken yet"
    dialog.reject()


def test_keys_meter_and_grid_are_changed_before_it_is_taken(dialog, window, qtbot):
    row = [dialog.table.item(k, 0).text() for k in range(dialog.table.rowCount())].index("54")
    choose(dialog.table.cellWidget(row, 2), "ride")
    qtbot.waitUntil(lambda: (54, "rd") in dialog.found.keys, timeout=10_000)
    choose(dialog.meter, "3/4")
    qtbot.waitUntil(lambda: "3/4" in dialog.facts.text(), timeout=10_000)
    choose(dialog.grid, "eighths")
    qtbot.waitUntil(lambda: {float(s.start * 8) % 1 for s in dialog.pattern.strokes} == {0.0}, timeout=10_000)
    if dialog.as_song_box.isChecked():
        dialog.as_song_box.click()
    press(dialog.open_button)
    plan = window.session.plan
    assert plan.name == "ferry" and window.station == "write" and window.session.pattern().meter == (3, 4)
    assert "rd" in {s.voice for s in window.session.pattern().strokes}
    offers = [button.text() for button in window.notice.buttons]
    assert offers == ["Find the hands", "Close"] and "was read" in window.notice.text.text()
    press(window.header.find_button)
    assert window.station == "reach" and not window.notice.isHidden()
    qtbot.waitUntil(lambda: window.reach_station.hands.found is not None, timeout=20_000)
    press(window.reach_station.hands.use)
    assert not window.session.pattern().unassigned and window.notice.isHidden(), "the hands are found"


def test_repeated_bars_become_plans_and_the_piece_a_song(window, midi, qtbot):
    midi.write_bytes(foreign([(b, k, 90) for b, k in BARS + BEATS] + [(12 + k / 4, 47, 100) for k in range(16)]))
    window.documents.open_path(midi)
    dialog = window.findChild(ImportDialog)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=10_000)
    before = window.session.document
    assert dialog.as_song_box.isEnabled()
    if not dialog.as_song_box.isChecked():
        dialog.as_song_box.click()
    press(dialog.open_button)
    assert window.station == "song" and window.session.songs.song.name == "ferry"
    window.session.undo()
    assert window.session.document == before


def test_a_long_file_is_proposed_as_a_song(window, tmp_path, qtbot):
    path = tmp_path / "long.mid"
    fill = [(36 + k / 4, 47, 100) for k in range(16)]
    rows = [(bar * 4 + b % 4, k, 90) for bar in range(20) if bar != 9 for b, k in BARS[:16] + BEATS[:4]]
    path.write_bytes(foreign(rows + fill))
    window.documents.open_path(path)
    dialog = window.findChild(ImportDialog)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=10_000)
    assert dialog.as_song_box.isChecked() and "2 plans in 3 sections" in dialog.as_song_box.text()
    press(dialog.open_button)
    song = window.session.songs.song
    assert [section.times for section in song.sections] == [9, 1, 10]
    assert song.sections[0].plan == song.sections[2].plan
    assert [button.text() for button in window.notice.buttons] == ["Find the hands", "Close"]
    press(window.notice.buttons[0])
    bar = window.song_station.bar
    qtbot.waitUntil(lambda: not bar.hands.task.busy, timeout=30_000)
    assert (
        bar.words.text().startswith("2 plans have their hands.")
        and len(window.song_station.view.report.strokes) > 200
    )


def test_a_file_dropped_on_the_window_that_holds_no_drums_says_so(window, tmp_path, qtbot):
    path = tmp_path / "piano.mid"
    path.write_bytes(foreign([(0, 60, 80)], name="Piano").replace(b"\x99", b"\x90"))
    window.documents.open_path(path)
    dialog = window.findChild(ImportDialog)
    with qtbot.waitSignal(dialog.settled, timeout=10_000):
        pass
    assert "no drum notes" in dialog.facts.text() and not dialog.open_button.isEnabled()
    dialog.reject()


def test_tempo_changes_stay_with_the_sections(window, tmp_path, qtbot):
    path = tmp_path / "faster.mid"
    file = mido.MidiFile(file=io.BytesIO(foreign([(b + 16 * half, k, 90) for half in (0, 1) for b, k in BEATS[:16]])))
    file.tracks[0].append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(90), time=480 * 16))
    file.save(path)
    window.documents.open_path(path)
    dialog = window.findChild(ImportDialog)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=10_000)
    assert dialog.as_song_box.isChecked() and "a song keeps them" in dialog.remarks.text()
    press(dialog.open_button)
    session = window.session
    song = session.songs.song
    plans = [session.document.plan(section.plan) for section in song.sections]
    played = [section.tempo or song.tempo or plan.tempo for section, plan in zip(song.sections, plans)]
    assert [round(tempo) for tempo in played] == [120, 90] and len(set(plans)) == 1
    assert [section.times for section in song.sections] == [4, 4]
